import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
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

/** What was seen, said, decided and done, newest first. */
export function LogPage() {
  const { unit = '' } = useParams();
  const [search, setSearch] = useSearchParams();
  const kind = kindOf(search.get('kind'));
  const query = useInfiniteQuery(logQuery(unit, kind));
  return (
    <Page>
      <Typography variant="h1" sx={{ mb: 0.5 }}>
        Log
      </Typography>
      <ChainState unit={unit} />
      <KindFilter
        chosen={kind}
        onChoose={(next) => setSearch(next === undefined ? {} : { kind: next }, { replace: true })}
      />
      <Panel query={query}>
        {(data) => {
          const lines = data.pages.flatMap((page) => page.lines);
          if (lines.length === 0) {
            return (
              <Box sx={{ py: 3 }}>
                <Typography sx={{ mb: 1 }}>No line of this kind yet.</Typography>
                <Button variant="outlined" onClick={() => setSearch({}, { replace: true })}>
                  Show all
                </Button>
              </Box>
            );
          }
          return (
            <>
              <LogLines lines={lines} />
              {query.hasNextPage && (
                <Button
                  variant="outlined"
                  onClick={() => void query.fetchNextPage()}
                  disabled={query.isFetchingNextPage}
                  sx={{ mt: 2 }}
                >
                  Older lines
                </Button>
              )}
            </>
          );
        }}
      </Panel>
    </Page>
  );
}
