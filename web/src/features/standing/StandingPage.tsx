import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useParams } from 'react-router';

import { standingQuery } from '../../api/queries';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { RuleGists } from '../../ui/rules';
import { RuleMark } from '../../ui/RuleMark';
import { Section } from '../../ui/Section';
import { FactTable } from './FactTable';
import { ItemRow } from './ItemRow';
import { KeepSafeTable } from './KeepSafeTable';
import { VerdictHead } from './VerdictHead';
import { WORDS } from './strings';

/** Can it be unlocked, and what next? */
export function StandingPage() {
  const { unit = '' } = useParams();
  const query = useQuery(standingQuery(unit));
  return (
    <Page>
      <Panel query={query}>
        {({ standing, facts, keep_safe, rules }) => {
          const firstOpen = standing.items.find((item) => item.state !== 'met');
          return (
            <RuleGists value={new Map(rules.map((rule) => [rule.id, rule.gist]))}>
              <VerdictHead standing={standing} />
              <Box
                sx={{
                  display: 'grid',
                  gridTemplateColumns: {
                    xs: 'minmax(0, 1fr)',
                    md: 'minmax(0, 1.35fr) minmax(0, 1fr)',
                  },
                  columnGap: 6,
                }}
              >
                <Box>
                  {standing.items.length > 0 && (
                    <Section title={WORDS.takes}>
                      {standing.items.map((item) => (
                        <ItemRow
                          key={`${item.rule} ${item.text}`}
                          unit={unit}
                          item={item}
                          facts={facts}
                          isNext={item === firstOpen}
                        />
                      ))}
                    </Section>
                  )}
                  {standing.items.length > 1 && keep_safe.length > 0 && (
                    <Section title={WORDS.lost}>
                      <KeepSafeTable unit={unit} lines={keep_safe} />
                    </Section>
                  )}
                </Box>
                <Box>
                  <Section title={WORDS.known}>
                    <FactTable unit={unit} facts={facts} />
                  </Section>
                  <Section title={WORDS.costs} aside={<RuleMark id="U11" />}>
                    <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
                      {standing.consequences.map((one) => (
                        <Typography component="li" key={one.area} sx={{ mb: 0.5 }}>
                          {one.text}
                        </Typography>
                      ))}
                    </Box>
                  </Section>
                  {standing.cautions.length > 0 && (
                    <Section title={WORDS.cautions}>
                      {standing.cautions.map((caution) => (
                        <Typography key={caution.text} sx={{ mb: 1 }}>
                          {caution.text} {caution.reason}
                        </Typography>
                      ))}
                    </Section>
                  )}
                </Box>
              </Box>
            </RuleGists>
          );
        }}
      </Panel>
    </Page>
  );
}
