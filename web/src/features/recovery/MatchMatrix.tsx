import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { mib } from '../../ui/format';
import { StateShape } from '../../ui/shapes';
import { ShowButton } from '../../ui/ShowButton';
import { fitShape, matchShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { MatchDetail } from './MatchDetail';

export type MatchMatrixProps = {
  unit: string;
  criteria: Api<'Criterion'>[];
  files: Api<'MatchLine'>[];
};

/** Files by criteria: a row a file, the best first; a shape says how each criterion stands, a sentence what decides. */
export function MatchMatrix({ unit, criteria, files }: MatchMatrixProps) {
  const fitWord = useWords('fit');
  const verdictWord = useWords('match_verdict');
  const [open, setOpen] = useState<string | undefined>();
  const cell = { borderBottom: 1, borderColor: 'rule', px: 0.5, py: 1, verticalAlign: 'top' };
  return (
    <Box sx={{ overflowX: 'auto' }}>
      <Box
        component="table"
        sx={{ borderCollapse: 'collapse', width: '100%', minWidth: 860, tableLayout: 'fixed' }}
      >
        <thead>
          <tr>
            <Box component="th" scope="col" sx={{ ...cell, textAlign: 'left', width: '34%' }}>
              File, the best first
            </Box>
            {criteria.map((one) => (
              <Box
                key={one.rule}
                component="th"
                scope="col"
                sx={{
                  ...cell,
                  px: 0.25,
                  fontWeight: 550,
                  fontSize: { xs: '0.76rem', lg: '0.86rem' },
                  textAlign: 'center',
                }}
              >
                {one.title}
              </Box>
            ))}
            <Box component="th" scope="col" sx={{ ...cell, width: 84 }}>
              <span aria-hidden />
            </Box>
          </tr>
        </thead>
        {files.map((file) => (
          <tbody key={file.id}>
            <Box
              component="tr"
              sx={
                file.is_taken
                  ? {
                      bgcolor: 'band',
                      boxShadow: 'inset 4px 0 0 var(--mui-palette-primary-main)',
                    }
                  : {}
              }
            >
              <Box component="th" scope="row" sx={{ ...cell, textAlign: 'left', fontWeight: 400 }}>
                <Box sx={{ display: 'flex', gap: 1, pl: 1 }}>
                  <StateShape kind={matchShape(file.verdict)} label={verdictWord(file.verdict)} />
                  <Box sx={{ minWidth: 0 }}>
                    <Typography sx={{ fontWeight: 650, overflowWrap: 'anywhere' }}>
                      {file.name}
                    </Typography>
                    <Typography variant="body2" color="text.secondary">
                      {file.version != null && `Version ${file.version}, `}
                      {mib(file.bytes)}
                    </Typography>
                    <Typography variant="body2">{file.said}</Typography>
                  </Box>
                </Box>
              </Box>
              {file.cells.map((one) => (
                <Box
                  key={one.rule}
                  component="td"
                  title={one.why.join(' ')}
                  sx={{ ...cell, textAlign: 'center' }}
                >
                  <StateShape
                    kind={fitShape(one.fit)}
                    label={fitWord(one.fit)}
                    size={one.fit === 'fits' || !one.bars ? 16 : 24}
                  />
                </Box>
              ))}
              <Box component="td" sx={{ ...cell, textAlign: 'right' }}>
                <ShowButton
                  aria-expanded={open === file.id}
                  aria-label={`Why: ${file.name}`}
                  onClick={() => setOpen(open === file.id ? undefined : file.id)}
                >
                  {open === file.id ? 'Close' : 'Why'}
                </ShowButton>
              </Box>
            </Box>
            {open === file.id && (
              <tr>
                <Box component="td" colSpan={criteria.length + 2} sx={{ ...cell, pl: 5 }}>
                  <MatchDetail unit={unit} file={file} criteria={criteria} />
                </Box>
              </tr>
            )}
          </tbody>
        ))}
      </Box>
    </Box>
  );
}
