import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useParams } from 'react-router';

import { client, newRequest, unwrap } from '../../api/client';
import { recoveryQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { Button } from '../../ui/Button';
import { LinkButton } from '../../ui/LinkButton';
import { counted } from '../../ui/format';
import { Page } from '../../ui/Page';
import { ShowButton } from '../../ui/ShowButton';
import { Panel } from '../../ui/Panel';
import { ProblemNote } from '../../ui/ProblemNote';
import { MatchMatrix } from './MatchMatrix';
import { Schools } from './Schools';
import { WORDS } from './strings';

/** Which recovery really matches the unit. */
export function RecoveryPage() {
  const { unit = '' } = useParams();
  const query = useQuery(recoveryQuery(unit));
  const [isOthers, setOthers] = useState(false);
  const leave = useChange(
    () =>
      unwrap(
        client.POST('/api/units/{unit}/recovery', {
          params: { path: { unit } },
          body: { file: null, reason: null, request: newRequest() },
        }),
      ),
    unit,
  );
  return (
    <Page wide>
      <Typography variant="h1">Recovery</Typography>
      <Panel
        query={query}
        empty={(page) => (page.none == null ? undefined : { because: page.none })}
      >
        {(page) => (
          <>
            <Typography sx={{ maxWidth: 860, mb: 0.5 }}>{page.place?.said}</Typography>
            {page.place?.kept != null && (
              <Typography sx={{ maxWidth: 860, mb: 0.5, color: 'care' }}>
                {page.place.kept}
              </Typography>
            )}
            <Typography color="text.secondary" sx={{ mb: 2, maxWidth: 860 }}>
              {WORDS.help}
            </Typography>
            <Box sx={{ display: 'flex', gap: 2, alignItems: 'baseline', mb: 1, flexWrap: 'wrap' }}>
              <Typography sx={{ fontWeight: 650 }}>{page.taken}</Typography>
              {page.reason != null && <Typography>Because: {page.reason}.</Typography>}
              {page.leave.allowed && (
                <Button may={page.leave} onClick={() => leave.mutate(undefined)}>
                  Take the best again
                </Button>
              )}
              <LinkButton to="/shelf" sx={{ ml: 'auto' }}>
                Put a file on the shelf
              </LinkButton>
            </Box>
            {leave.error !== null && <ProblemNote error={leave.error} />}
            {page.files.length === 0 ? (
              <Typography>{WORDS.empty}</Typography>
            ) : (
              <MatchMatrix unit={unit} criteria={page.criteria} files={page.files} />
            )}
            {page.others.length > 0 && (
              <ShowButton
                aria-expanded={isOthers}
                onClick={() => setOthers(!isOthers)}
                sx={{ mt: 2, ml: -1 }}
              >
                {counted(page.others.length, 'file', 'files')} for other devices
              </ShowButton>
            )}
            {isOthers && <MatchMatrix unit={unit} criteria={page.criteria} files={page.others} />}
            {page.schools.length > 0 && <Schools unit={unit} schools={page.schools} />}
          </>
        )}
      </Panel>
    </Page>
  );
}
