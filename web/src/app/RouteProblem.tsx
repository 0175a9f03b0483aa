import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import { Link, useRouteError } from 'react-router';

import { Page } from '../ui/Page';

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
          ? `${error.message}. Nothing on the device was touched by it.`
          : 'The unit may have another address now.'}
      </Typography>
      <Button variant="contained" component={Link} to="/">
        To the bench
      </Button>
    </Page>
  );
}
