import Typography from '@mui/material/Typography';
import { useRouteError } from 'react-router';

import { Page } from '../ui/Page';
import { LinkButton } from '../ui/LinkButton';

/** A view that does not exist or broke off. */
export function RouteProblem() {
  const error = useRouteError();
  return (
    <Page>
      <Typography variant="h1" gutterBottom>
        {error === undefined ? 'There is nothing at this address' : 'This view broke off'}
      </Typography>
      <Typography sx={{ mb: 2 }}>
        {error instanceof Error
          ? `${error.message}. Nothing on any unit was touched by it.`
          : 'The unit may have another address now.'}
      </Typography>
      <LinkButton variant="contained" to="/">
        To the bench
      </LinkButton>
    </Page>
  );
}
