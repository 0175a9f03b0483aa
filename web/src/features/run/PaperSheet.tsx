import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { counted, duration } from '../../ui/format';
import { useWords } from '../../ui/wordBook';

export type PaperSheetProps = {
  nickname: string;
  preview: Api<'SheetPreview'>;
};

/** The sheet as it lies beside the unit: boxes to tick, hands, what is seen, when to worry. Seen on paper only. */
export function PaperSheet({ nickname, preview }: PaperSheetProps) {
  const wipeWords = useWords('wipe');
  const cableWords = useWords('cable');
  const open = preview.preparations.filter((line) => line.state !== 'met');
  const { sheet } = preview;
  return (
    <Box
      aria-hidden
      sx={{
        display: 'none',
        displayPrint: 'block',
        color: '#000',
        fontSize: '10.5pt',
        '& p, & span, & h1, & h2': { color: '#000' },
      }}
    >
      <Typography component="h1" sx={{ fontSize: '18pt', fontWeight: 700 }}>
        {nickname}: {preview.title.toLowerCase()}
      </Typography>
      {sheet != null && (
        <Typography>
          {duration(sheet.head.hands_on_seconds)} hands on, {duration(sheet.head.waiting_seconds)}{' '}
          waiting, {counted(sheet.head.wipes, 'wipe', 'wipes')},{' '}
          {counted(sheet.head.no_returns, 'step', 'steps')} without return
          {preview.battery != null &&
            `; begin from ${preview.battery.begin_from_percent} % battery`}
          .
        </Typography>
      )}
      {sheet?.end?.instead != null && <Typography>{sheet.end.instead}</Typography>}
      {open.length > 0 && (
        <Group title="Before it begins">
          {open.map((line) => (
            <Ticked key={line.text}>
              <Typography>
                {line.text} ({line.rule})
              </Typography>
            </Ticked>
          ))}
        </Group>
      )}
      <Group title="Steps">
        {preview.paper.map((step, index) => (
          <Ticked key={`${index} ${step.title}`}>
            <Typography sx={{ fontWeight: 700 }}>
              {index + 1}. {step.title}
            </Typography>
            {step.is_final && (
              <Typography sx={{ fontWeight: 700 }}>
                Can&rsquo;t be undone. {step.wipe != null && wipeWords(step.wipe)}
              </Typography>
            )}
            <Typography>
              {step.because} {cableWords(step.cable)}
            </Typography>
            {step.hands.map((hands) => (
              <Typography key={hands} sx={{ pl: 2 }}>
                {hands}
              </Typography>
            ))}
            {step.answer != null && <Typography sx={{ pl: 2 }}>{step.answer}</Typography>}
            <Typography>
              {step.expected != null && `Then: ${step.expected} `}
              Usually {duration(step.usual_seconds)}
              {step.stuck_seconds > 0 && `, stuck after ${duration(step.stuck_seconds)}`}. At
              ______&thinsp;:&thinsp;______
            </Typography>
          </Ticked>
        ))}
      </Group>
      {preview.ledger.again.length > 0 && (
        <Group title="After the last wipe">
          {preview.ledger.again.map((line) => (
            <Ticked key={line}>
              <Typography>{line}</Typography>
            </Ticked>
          ))}
        </Group>
      )}
    </Box>
  );
}

function Group({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Box sx={{ mt: 2 }}>
      <Typography
        component="h2"
        sx={{ fontSize: '12pt', fontWeight: 700, borderBottom: '1px solid' }}
      >
        {title}
      </Typography>
      {children}
    </Box>
  );
}

/** A line with a box to tick; it is not torn apart between two pages. */
function Ticked({ children }: { children: React.ReactNode }) {
  return (
    <Box sx={{ display: 'flex', gap: 1.5, py: 0.75, breakInside: 'avoid' }}>
      <Box
        sx={{
          width: '4.5mm',
          height: '4.5mm',
          mt: '0.5mm',
          flexShrink: 0,
          border: '1.2pt solid #000',
        }}
      />
      <Box>{children}</Box>
    </Box>
  );
}
