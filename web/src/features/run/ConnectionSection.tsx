import Box from '@mui/material/Box';
import PageLink from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';

import { Link } from 'react-router';

import { doctorQuery } from '../../api/queries';
import { ProblemNote } from '../../ui/ProblemNote';
import { Section } from '../../ui/Section';
import { StateShape } from '../../ui/shapes';
import { itemShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { WORDS } from './strings';
import { ShowButton } from '../../ui/ShowButton';

export type ConnectionSectionProps = { unit: string };

/** What lies between this program and the unit, looked at before anything that can't be undone. */
export function ConnectionSection({ unit }: ConnectionSectionProps) {
  const itemWord = useWords('line');
  const { data: lines, error, isFetching, refetch } = useQuery(doctorQuery(unit));
  return (
    <Section
      title={WORDS.connection}
      aside={
        <ShowButton onClick={() => void refetch()} disabled={isFetching}>
          Look again
        </ShowButton>
      }
    >
      {lines?.map((line) => (
        <Box key={line.text} sx={{ display: 'flex', gap: 1.5, py: 0.5 }}>
          <StateShape kind={itemShape(line.state)} label={itemWord(line.state)} />
          <Typography>{line.text}</Typography>
        </Box>
      ))}
      <Typography variant="body2" color="text.secondary" sx={{ mt: 0.5 }}>
        {WORDS.computerHelp}{' '}
        <PageLink component={Link} to={`/units/${unit}/standing`}>
          {WORDS.computer}
        </PageLink>
      </Typography>
      {error !== null && <ProblemNote error={error} />}
    </Section>
  );
}
