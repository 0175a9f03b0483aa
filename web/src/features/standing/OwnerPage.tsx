import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useParams } from 'react-router';

import { onWall } from '../../api/clock';
import type { Api } from '../../api/client';
import { standingQuery, unitQuery } from '../../api/queries';
import { counted, exactOf, untilOf } from '../../ui/format';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { Section } from '../../ui/Section';
import { StateShape } from '../../ui/shapes';
import { useNow } from '../../ui/useNow';
import { OWNER } from './strings';
import { LinkButton } from '../../ui/LinkButton';
import { ShowButton } from '../../ui/ShowButton';

/** One page for the owner at the counter: what is judged, what it costs, what to bring. */
export function OwnerPage() {
  const { unit = '' } = useParams();
  const query = useQuery(standingQuery(unit));
  const { data: tag } = useQuery(unitQuery(unit));
  return (
    <Page>
      <Box sx={{ displayPrint: 'none', display: 'flex', gap: 2, mb: 3 }}>
        <ShowButton variant="contained" onClick={() => window.print()}>
          {OWNER.print}
        </ShowButton>
        <LinkButton to={`/units/${unit}/standing`}>{OWNER.back}</LinkButton>
      </Box>
      <Panel query={query}>
        {(view) => (tag === undefined ? null : <OwnerSheet tag={tag} view={view} />)}
      </Panel>
    </Page>
  );
}

type OwnerSheetProps = { tag: Api<'UnitTag'>; view: Api<'StandingView'> };

function OwnerSheet({ tag, view }: OwnerSheetProps) {
  const { standing, keep_safe, facts } = view;
  const now = useNow(60_000);
  const open = standing.items.filter((item) => item.state !== 'met');
  const works = facts.filter((fact) => fact.group === 'works' && fact.rows.length > 0);
  const isAhead = standing.ahead === 'unlock';
  return (
    <Box sx={{ maxWidth: 760, '@media print': { zoom: 0.78, maxWidth: 'none' } }}>
      <Typography color="text.secondary">
        {OWNER.dated} {exactOf(onWall(now))}
      </Typography>
      <Typography variant="h1">{tag.nickname}</Typography>
      <Typography sx={{ mb: 2 }}>
        {tag.family ?? 'Family not known'}
        {tag.model_code != null && `, ${tag.model_code}`}
      </Typography>
      <Section title={OWNER.judged}>
        <Typography sx={{ fontWeight: 650 }}>{standing.sentence}</Typography>
        {standing.because != null && <Typography>{standing.because}</Typography>}
        {standing.verdict.is === 'wait-until' && (
          <Typography>Not before {untilOf(onWall(standing.verdict.at))}.</Typography>
        )}
        {standing.findings
          .filter((finding) => finding.level === 'found-lost')
          .map((finding) => (
            <Typography key={finding.text} sx={{ mt: 1 }}>
              {finding.text}
            </Typography>
          ))}
        {standing.outlook.map((one) => (
          <Typography key={one.of} sx={{ mt: 1 }}>
            {one.sentence}
          </Typography>
        ))}
      </Section>
      {isAhead && open.length > 0 && (
        <Section title={OWNER.open}>
          <Box component="ol" sx={{ m: 0, pl: 3 }}>
            {open.map((item) => (
              <Typography component="li" key={item.text}>
                {item.text}
                {item.minutes != null && ` (${counted(item.minutes, 'minute', 'minutes')})`}
              </Typography>
            ))}
          </Box>
        </Section>
      )}
      {isAhead && standing.consequences.length > 0 && (
        <Section title={OWNER.costs}>
          <Box component="ul" sx={{ m: 0, pl: 3 }}>
            {standing.consequences.map((one) => (
              <Typography component="li" key={one.area}>
                {one.text}
              </Typography>
            ))}
          </Box>
        </Section>
      )}
      {isAhead && keep_safe.length > 0 && (
        <Section title={OWNER.keep}>
          <Typography>{OWNER.keepHelp}</Typography>
          <Box sx={{ columns: 2, mt: 1 }}>
            {keep_safe.map((line) => (
              <Typography key={line.class} sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
                <StateShape kind={line.kept == null ? 'missing' : 'met'} size={16} />
                {line.title}
                {line.kept != null &&
                  (line.kept.is === 'safe' ? `, at ${line.kept.place}` : ', waived')}
              </Typography>
            ))}
          </Box>
        </Section>
      )}
      {works.length > 0 && (
        <Section title={OWNER.works}>
          <Typography>
            {works.map((fact) => `${fact.title}: ${fact.rows[0]?.shown ?? ''}`).join(' · ')}
          </Typography>
        </Section>
      )}
      <Section title={OWNER.signed}>
        <Typography>{OWNER.signHelp}</Typography>
        <Box sx={{ display: 'flex', gap: 6, mt: 6 }}>
          <Typography sx={{ borderTop: 1, flexGrow: 1, pt: 0.5 }}>{OWNER.owner}</Typography>
          <Typography sx={{ borderTop: 1, flexGrow: 1, pt: 0.5 }}>{OWNER.bench}</Typography>
        </Box>
      </Section>
    </Box>
  );
}
