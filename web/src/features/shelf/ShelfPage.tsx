import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, newRequest, unwrap } from '../../api/client';
import { shelfQuery } from '../../api/queries';
import { toShelf } from '../../api/upload';
import { DropBox } from '../../ui/DropBox';
import { counted } from '../../ui/format';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { FileRow } from './FileRow';
import { WORDS } from './strings';

/** Files at hand for all units. */
export function ShelfPage() {
  const query = useQuery(shelfQuery());
  const [open, setOpen] = useState<string | undefined>();
  return (
    <Page wide>
      <Typography variant="h1">Shelf</Typography>
      <Typography color="text.secondary" sx={{ mb: 2.5, maxWidth: 760 }}>
        {WORDS.help}
      </Typography>
      <Panel query={query}>
        {(shelf) => (
          <>
            <DropBox
              put={shelf.put}
              freeBytes={shelf.free_bytes}
              sendOne={toShelf}
              takePath={(path) =>
                unwrap(client.POST('/api/shelf/path', { body: { path, request: newRequest() } }))
              }
              words={WORDS}
            />
            {shelf.files.length === 0 ? (
              <Typography sx={{ maxWidth: 640 }}>{WORDS.empty}</Typography>
            ) : (
              <>
                <Typography variant="h2" sx={{ borderTop: 2, pt: 1.25, mb: 1 }}>
                  {counted(shelf.files.length, 'file', 'files')}
                </Typography>
                <Box component="ul" sx={{ listStyle: 'none', m: 0, p: 0 }}>
                  {shelf.files.map((file) => (
                    <FileRow
                      key={file.id}
                      file={file}
                      others={shelf.files}
                      put={shelf.put}
                      isOpen={open === file.id}
                      onToggle={() => setOpen(open === file.id ? undefined : file.id)}
                    />
                  ))}
                </Box>
              </>
            )}
          </>
        )}
      </Panel>
    </Page>
  );
}
