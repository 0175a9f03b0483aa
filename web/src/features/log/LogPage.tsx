import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useParams, useSearchParams } from 'react-router';

import { logQuery } from '../../api/queries';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { ChainState } from './ChainState';
import { KindFilter } from './KindFilter';
import { LogLines } from './LogLines';
import { kindOf } from './kinds';
import { ShowButton } from '../../ui/ShowButton';
import { LinkButton } from '../../ui/LinkButton';
import { LOG, PASSPORT } from './strings';

/** What was seen, said, decided and done, newest first. */
export function LogPage() {
  const { unit = '' } = useParams();
  const [search, setSearch] = useSearchParams();
  const kind = kindOf(search.get('kind'));
  const query = useInfiniteQuery(logQuery(unit, kind));
  return (
    <Page>
      <Box sx={{ display: 'flex', justifyContent: 'space-between', alignItems: 'baseline' }}>
        <Typography variant="h1" sx={{ mb: 0.5 }}>
          Log
        </Typography>
        <LinkButton to={`/units/${unit}/passport`}>{PASSPORT.to}</LinkButton>
      </Box>
      <ChainState unit={unit} />
      <KindFilter
        chosen={kind}
        onChoose={(next) => setSearch(next === undefined ? {} : { kind: next }, { replace: true })}
      />
      <Panel
        query={query}
        empty={(data) =>
          data.pages.every((page) => page.lines.length === 0)
            ? {
                because: LOG.none,
                action: (
                  <ShowButton variant="outlined" onClick={() => setSearch({}, { replace: true })}>
                    Show all
                  </ShowButton>
                ),
              }
            : undefined
        }
      >
        {(data) => {
          const lines = data.pages.flatMap((page) => page.lines);
          return (
            <>
              <LogLines lines={lines} />
              {query.hasNextPage && (
                <ShowButton
                  variant="outlined"
                  onClick={() => void query.fetchNextPage()}
                  disabled={query.isFetchingNextPage}
                  sx={{ mt: 2 }}
                >
                  Older lines
                </ShowButton>
              )}
            </>
          );
        }}
      </Panel>
    </Page>
  );
}
