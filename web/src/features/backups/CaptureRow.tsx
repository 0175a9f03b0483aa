import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useState, type ReactNode } from 'react';

import type { Api } from '../../api/client';
import { ago, dayOf, exactOf, mib } from '../../ui/format';
import { ProblemNote } from '../../ui/ProblemNote';
import { StateShape } from '../../ui/shapes';
import { useNow } from '../../ui/useNow';
import { trustShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { CaptureInside } from './CaptureInside';
import { ExportForm } from './ExportForm';
import { useCopyWork } from '../../api/useCopyWork';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';

export type CaptureRowProps = {
  unit: string;
  capture: Api<'CaptureLine'>;
  isFirst: boolean;
  onRestore: () => void;
  /** The plan of putting it back, while that is open. */
  children: ReactNode;
};

/** A capture with its copies: where each lies, when it was read back, what can be done. */
export function CaptureRow({ unit, capture, isFirst, onRestore, children }: CaptureRowProps) {
  const trustWords = useWords('trust');
  const now = useNow(30_000);
  const work = useCopyWork(unit);
  const [isOpen, setOpen] = useState(false);
  const [isExporting, setExporting] = useState(false);
  return (
    <Box component="li" sx={{ borderTop: 1, borderColor: 'rule', py: 1.5 }}>
      <Box sx={{ display: 'flex', alignItems: 'baseline', columnGap: 2, flexWrap: 'wrap' }}>
        <Typography sx={{ fontWeight: 650 }} title={exactOf(capture.taken)}>
          Capture {capture.number},{' '}
          {capture.counted == null ? dayOf(capture.taken) : ago(capture.counted, now)}
          {isFirst && ', the first'}
          {capture.rest === 'live' && ', while the system ran'}
          {capture.taker === 'another-bench' && ', taken by another bench'}
          {capture.by_hand && ', read by hands'}
        </Typography>
        <Typography color="text.secondary">
          {capture.partitions} images, {mib(capture.bytes)}
        </Typography>
        <Box sx={{ ml: 'auto', display: 'flex', flexWrap: 'wrap', justifyContent: 'flex-end' }}>
          <ShowButton aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
            {isOpen ? 'Close' : 'Look into'} capture {capture.number}
          </ShowButton>
          <ShowButton aria-expanded={isExporting} onClick={() => setExporting(!isExporting)}>
            Export capture {capture.number}
          </ShowButton>
          <ShowButton onClick={onRestore}>Put back from capture {capture.number}</ShowButton>
        </Box>
      </Box>
      {capture.holds.length > 0 && (
        <Typography variant="body2" color="text.secondary">
          {alike(capture.holds).map((held, index) => (
            <Box
              key={`${held.text} ${held.isMinded}`}
              component="span"
              sx={held.isMinded ? { color: 'noReturn', fontWeight: 650 } : {}}
              title={held.labels.join(', ')}
            >
              {index > 0 && ' · '}
              {listed(held.labels)}: {held.text}
            </Box>
          ))}
        </Typography>
      )}
      {capture.copies.map((copy) => (
        <Box
          key={copy.place}
          sx={{ display: 'grid', gridTemplateColumns: '30px minmax(0, 1fr) auto', mt: 0.75 }}
        >
          <StateShape kind={trustShape(copy.trust)} label={trustWords(copy.trust)} />
          <Box>
            <Typography>
              {copy.name}: {trustWords(copy.trust)}
              {copy.read != null && `, ${ago(copy.read, now)}`}
            </Typography>
            {copy.damage.map((damage) => (
              <Typography
                key={`${damage.label ?? 'manifest'} ${damage.first_byte}`}
                sx={{ color: 'noReturn', fontWeight: 550 }}
              >
                {damage.label == null
                  ? `Its manifest: ${damage.what}`
                  : `${damage.label}${damage.frame == null ? ', whole' : `, frame ${damage.frame}`}, bytes ${damage.first_byte} to ${damage.last_byte}: ${damage.what}`}
              </Typography>
            ))}
          </Box>
          <Box sx={{ display: 'flex', gap: 0.5 }}>
            {copy.repair != null && (
              <Button
                may={copy.repair}
                isOff={work.isPending}
                onClick={() =>
                  work.mutate({ kind: 'repair', capture: capture.id, place: copy.place })
                }
                aria-label={`Repair capture ${capture.number} in ${copy.name}`}
              >
                Repair
              </Button>
            )}
            <Button
              may={copy.verify}
              isOff={work.isPending}
              onClick={() =>
                work.mutate({ kind: 'verify', capture: capture.id, place: copy.place })
              }
              aria-label={`Read back capture ${capture.number} in ${copy.name}`}
            >
              Read back
            </Button>
          </Box>
        </Box>
      ))}
      {capture.copy_to.map((to) => (
        <Button
          may={to.copy}
          key={to.place}
          variant="outlined"
          isOff={work.isPending}
          onClick={() => work.mutate({ kind: 'copy', capture: capture.id, place: to.place })}
          sx={{ mt: 1.25, mr: 1.5 }}
        >
          Copy capture {capture.number} to {to.name}
        </Button>
      ))}
      {work.error !== null && <ProblemNote error={work.error} />}
      {isExporting && (
        <ExportForm unit={unit} capture={capture} onClose={() => setExporting(false)} />
      )}
      {isOpen && (
        <CaptureInside
          unit={unit}
          capture={capture.id}
          title={`What lies in capture ${capture.number}`}
        />
      )}
      {children}
    </Box>
  );
}

type Alike = { text: string; isMinded: boolean; labels: string[] };

/** What is held, with partitions of which the same is to be said together; what is worst comes first. */
function alike(holds: Api<'HeldLine'>[]): Alike[] {
  const groups = new Map<string, Alike>();
  for (const { label, text, is_minded: isMinded } of holds) {
    const key = `${text} ${isMinded}`;
    const known = groups.get(key);
    if (known === undefined) groups.set(key, { text, isMinded, labels: [label] });
    else known.labels.push(label);
  }
  return [...groups.values()];
}

/** The first few labels, and how many more. */
function listed(labels: string[]): string {
  const more = labels.length - SHOWN;
  return more > 1 ? `${labels.slice(0, SHOWN).join(', ')} and ${more} more` : labels.join(', ');
}

const SHOWN = 6;
