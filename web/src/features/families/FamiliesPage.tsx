import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { useNavigate, useParams } from 'react-router';

import { familiesQuery } from '../../api/queries';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { FamilyEditor } from './FamilyEditor';
import { FamilyGuide } from './FamilyGuide';
import { FamilyIndex } from './FamilyIndex';
import { WORDS } from './strings';
import { ShowButton } from '../../ui/ShowButton';

/** A field guide of device families; any page can be edited, imported and exported. */
export function FamiliesPage() {
  const { family } = useParams();
  const navigate = useNavigate();
  const query = useQuery(familiesQuery());
  const file = useRef<HTMLInputElement>(null);
  const [draft, setDraft] = useState<string | undefined>();
  return (
    <Page wide>
      <Box sx={{ display: 'flex', alignItems: 'baseline', gap: 2, flexWrap: 'wrap' }}>
        <Typography variant="h1" sx={{ flexGrow: 1 }}>
          {WORDS.title}
        </Typography>
        <input
          ref={file}
          type="file"
          accept=".toml"
          hidden
          aria-label={WORDS.import}
          onChange={(event) => {
            const chosen = event.target.files?.[0];
            if (chosen !== undefined) void chosen.text().then(setDraft);
            event.target.value = '';
          }}
        />
        <ShowButton variant="outlined" onClick={() => file.current?.click()}>
          {WORDS.import}
        </ShowButton>
      </Box>
      <Typography color="text.secondary" sx={{ mb: 2.5, maxWidth: 760 }}>
        {WORDS.help}
      </Typography>
      <Panel query={query}>
        {(families) => {
          const chosen = family ?? families[0]?.codename;
          return (
            <Box
              sx={{
                display: 'grid',
                gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: '230px minmax(0, 1fr)' },
                columnGap: 5,
              }}
            >
              <FamilyIndex families={families} chosen={chosen} />
              {draft !== undefined ? (
                <FamilyEditor
                  start={draft}
                  onClose={() => setDraft(undefined)}
                  onKept={(codename) => {
                    setDraft(undefined);
                    void navigate(`/families/${codename}`);
                  }}
                />
              ) : (
                chosen !== undefined && (
                  <FamilyGuide key={chosen} codename={chosen} onEdit={setDraft} />
                )
              )}
            </Box>
          );
        }}
      </Panel>
    </Page>
  );
}
