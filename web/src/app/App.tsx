import createCache from '@emotion/cache';
import { CacheProvider } from '@emotion/react';
import CssBaseline from '@mui/material/CssBaseline';
import { ThemeProvider } from '@mui/material/styles';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { RouterProvider } from 'react-router';

import { ProblemError } from '../api/client';
import { followEvents } from '../api/events';
import { theme } from '../ui/theme';
import { NewsProvider } from './NewsProvider';
import { RuleBook } from './RuleBook';
import { router } from './router';

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;
const styles = createCache({ key: 'v', ...(nonce === undefined ? {} : { nonce }) });

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      // Events tell what changed; a refusal does not get better by asking again.
      staleTime: 30_000,
      retry: (count, error) => !(error instanceof ProblemError) && count < 2,
    },
  },
});
followEvents(queries);

/** Everything around the views. */
export function App() {
  return (
    <CacheProvider value={styles}>
      <ThemeProvider theme={theme} defaultMode="system">
        <CssBaseline />
        <QueryClientProvider client={queries}>
          <NewsProvider>
            <RuleBook>
              <RouterProvider router={router} />
            </RuleBook>
          </NewsProvider>
        </QueryClientProvider>
      </ThemeProvider>
    </CacheProvider>
  );
}
