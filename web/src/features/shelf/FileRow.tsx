import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { mib } from '../../ui/format';
import { StateShape, type ShapeKind } from '../../ui/shapes';
import { ShowButton } from '../../ui/ShowButton';
import { FileDetails } from './FileDetails';

export type FileRowProps = {
  file: Api<'ShelfLine'>;
  others: Api<'ShelfLine'>[];
  put: Api<'Permission'>;
  isOpen: boolean;
  onToggle: () => void;
};

/** What its digests and its soundness come to, as a picture. */
function shapeOf(file: Api<'ShelfLine'>): { kind: ShapeKind; label: string } {
  const fits = file.published.map((one) => one.fit);
  if (file.troubles.length > 0 || fits.includes('stops')) {
    return { kind: 'refused', label: 'Damaged, or not what its publisher gives' };
  }
  if (fits.includes('fits')) return { kind: 'met', label: 'As its publisher gives it' };
  if (fits.includes('doubtful')) return { kind: 'missing', label: 'A weak digest only' };
  return { kind: 'unknown', label: 'No digest of its publisher' };
}

/** A file: its name, what it really is, whether it is as published. */
export function FileRow({ file, others, put, isOpen, onToggle }: FileRowProps) {
  const { kind, label } = shapeOf(file);
  const forWhat = file.says
    .filter((one) => ['device', 'model', 'build'].includes(one.about))
    .map((one) => one.value);
  return (
    <Box component="li" sx={{ borderTop: 1, borderColor: 'rule', py: 1.25 }}>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: '30px minmax(0, 1fr) auto auto',
          columnGap: 1.5,
          alignItems: 'center',
        }}
      >
        <StateShape kind={kind} label={label} />
        <Box>
          <Typography sx={{ fontWeight: 650, overflowWrap: 'anywhere' }}>
            {file.alias ?? file.name}
            {file.alias != null && (
              <Typography component="span" color="text.secondary">
                {' '}
                ({file.name})
              </Typography>
            )}
          </Typography>
          <Typography color="text.secondary">
            {file.what}
            {forWhat.length > 0 && `. For ${[...new Set(forWhat)].join(', ')}`}
            {file.age != null && `; ${file.age}`}
          </Typography>
          {file.troubles[0] !== undefined && (
            <Typography sx={{ color: 'noReturn' }}>{file.troubles[0]}</Typography>
          )}
        </Box>
        <Typography sx={{ whiteSpace: 'nowrap' }}>{mib(file.bytes)}</Typography>
        <ShowButton
          aria-expanded={isOpen}
          aria-label={`${isOpen ? 'Close' : 'Open'} ${file.name}`}
          onClick={onToggle}
        >
          {isOpen ? 'Close' : 'Open'}
        </ShowButton>
      </Box>
      {isOpen && <FileDetails file={file} others={others} put={put} />}
    </Box>
  );
}
