import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';

import { settingsQuery } from '../../api/queries';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { Section } from '../../ui/Section';
import { ImportForm } from './ImportForm';
import { PlaceForm } from './PlaceForm';
import { PlaceRow } from './PlaceRow';
import { PolicyForm } from './PolicyForm';
import { WORDS } from './strings';

/** What the owner of the bench decides: policy and places. */
export function SettingsPage() {
  const query = useQuery(settingsQuery());
  return (
    <Page>
      <Typography variant="h1" sx={{ mb: 3 }}>
        Settings
      </Typography>
      <Panel query={query}>
        {(settings) => (
          <>
            <Section title="Policy">
              <PolicyForm key={JSON.stringify(settings.policy)} policy={settings.policy} />
            </Section>
            <Section title="Places">
              <Typography color="text.secondary" sx={{ mb: 1 }}>
                {WORDS.placesHelp}
              </Typography>
              <Box component="ul" sx={{ listStyle: 'none', m: 0, p: 0, mb: 2 }}>
                {settings.places.map((place) => (
                  <PlaceRow key={place.id} place={place} />
                ))}
              </Box>
              <PlaceForm />
            </Section>
            <Section title="Exports">
              <ImportForm />
            </Section>
          </>
        )}
      </Panel>
    </Page>
  );
}
