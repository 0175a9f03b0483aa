import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useParams } from 'react-router';

import { standingQuery } from '../../api/queries';
import { ClockBand } from '../../ui/ClockBand';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { RuleMark } from '../../ui/RuleMark';
import { Section } from '../../ui/Section';
import { BatteryNote } from './BatteryNote';
import { ChainTable } from './ChainTable';
import { FactPanel } from './FactPanel';
import { FindingList } from './FindingList';
import { ItemRow } from './ItemRow';
import { KeepSafeTable } from './KeepSafeTable';
import { NextCheck } from './NextCheck';
import { OutlookList } from './OutlookList';
import { UnitActions } from './UnitActions';
import { VerdictHead } from './VerdictHead';
import { WORDS } from './strings';

/** Can it be unlocked, and what next? */
export function StandingPage() {
  const { unit = '' } = useParams();
  const query = useQuery(standingQuery(unit));
  return (
    <Page>
      <Panel query={query}>
        {({ standing, facts, groups, keep_safe, waive_all, asks_keep_safe, goal_list, clock }) => {
          const open = standing.items.filter((item) => item.state !== 'met');
          const check = standing.next_check;
          const asksCheck = check != null && standing.verdict.is === 'not-known-yet';
          // What the unlock wants of the owner matters where an unlock is still ahead.
          const isAhead = standing.ahead === 'unlock';
          // What is lost already is told before anything is asked.
          const lost = standing.findings.filter((one) => one.level === 'found-lost');
          const symptoms = standing.outlook.filter((one) => one.of === 'symptom');
          const beside = standing.outlook.filter((one) => one.of !== 'symptom');
          return (
            <>
              <VerdictHead unit={unit} standing={standing} />
              <ClockBand note={clock} />
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
                  <FindingList unit={unit} findings={lost} facts={facts} />
                  <OutlookList unit={unit} outlook={symptoms} facts={facts} />
                  {asksCheck && <NextCheck unit={unit} check={check} facts={facts} />}
                  <FindingList
                    unit={unit}
                    findings={standing.findings.filter((one) => !lost.includes(one))}
                    facts={facts}
                  />
                  {!isAhead && <OutlookList unit={unit} outlook={beside} facts={facts} />}
                  {standing.items.length > 0 && (
                    <Section title={isAhead ? WORDS.takes : WORDS.settled}>
                      {standing.items.map((item) => (
                        <ItemRow
                          key={`${item.rule} ${item.text}`}
                          unit={unit}
                          item={item}
                          facts={facts}
                          isNext={!asksCheck && item === open[0]}
                        />
                      ))}
                    </Section>
                  )}
                  {isAhead && <OutlookList unit={unit} outlook={beside} facts={facts} />}
                  {goal_list != null && (
                    <Section title={`${WORDS.goal}: ${goal_list.title.toLowerCase()}`}>
                      {goal_list.items.map((item) => (
                        <ItemRow
                          key={`${item.rule} ${item.text}`}
                          unit={unit}
                          item={item}
                          facts={facts}
                          isNext={false}
                        />
                      ))}
                    </Section>
                  )}
                  {standing.chain != null && <ChainTable chain={standing.chain} />}
                  {asks_keep_safe && keep_safe.length > 0 && (
                    <Section title={WORDS.lost}>
                      <KeepSafeTable unit={unit} ask={waive_all} lines={keep_safe} />
                    </Section>
                  )}
                </Box>
                <Box>
                  <FactPanel unit={unit} facts={facts} groups={groups} />
                  {isAhead && standing.consequences.length > 0 && (
                    <Section title={WORDS.costs} aside={<RuleMark id="U11" />}>
                      <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
                        {standing.consequences.map((one) => (
                          <Typography component="li" key={one.area} sx={{ mb: 0.5 }}>
                            {one.text}
                          </Typography>
                        ))}
                      </Box>
                    </Section>
                  )}
                  {isAhead && standing.battery != null && (
                    <BatteryNote battery={standing.battery} afternoon={standing.afternoon} />
                  )}
                  {standing.closing.length > 0 && (
                    <Section title={WORDS.closing}>
                      {standing.closing.map((text) => (
                        <Typography key={text}>{text}</Typography>
                      ))}
                    </Section>
                  )}
                  {standing.cautions.length > 0 && (
                    <Section title={WORDS.cautions}>
                      {standing.cautions.map((caution) => (
                        <Typography key={caution.text} sx={{ mb: 1 }}>
                          {caution.text} {caution.reason}
                        </Typography>
                      ))}
                    </Section>
                  )}
                  <UnitActions unit={unit} />
                </Box>
              </Box>
            </>
          );
        }}
      </Panel>
    </Page>
  );
}
