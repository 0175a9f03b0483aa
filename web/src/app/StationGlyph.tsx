import Box from '@mui/material/Box';

export type StationGlyphProps = {
  place:
    | 'bench'
    | 'standing'
    | 'recovery'
    | 'backups'
    | 'run'
    | 'log'
    | 'shelf'
    | 'families'
    | 'settings'
    | 'keys'
    | 'scheme';
};

const PATHS: Record<StationGlyphProps['place'], string> = {
  bench: 'M2 9h20M4.5 9v11M19.5 9v11M8 5h8v4H8z',
  standing: 'M12 3v17M6 21h12M4 7h16M4 7l-2.5 6h5zM20 7l-2.5 6h5z',
  recovery: 'M4 12c3-6 6-8 8-8s5 2 8 8c-3 6-6 8-8 8s-5-2-8-8zM12 8v8M8.5 12h7',
  shelf: 'M3 20h18M3 11h18M6 4v7M10 4v7M14.5 4.5l3 6.5M7 13v7M12 13v7M16 13v7',
  backups: 'M4 4h16v4H4zM4 10h10v4H4zM4 16h16v4H4z',
  families: 'M12 5c-2-1.6-5-2-9-2v16c4 0 7 .4 9 2 2-1.6 5-2 9-2V3c-4 0-7 .4-9 2zM12 5v16',
  settings: 'M4 7h9M17 7h3M13 4v6M4 17h3M11 17h9M7 14v6',
  run: 'M3 5h9M3 12h12M3 19h9M16 7l5 5-5 5',
  log: 'M5 3h14v18H5zM8.5 8h7M8.5 12h7M8.5 16h4',
  keys: 'M3 6h18v12H3zM7 10h1M11.5 10h1M16 10h1M8 14.5h8',
  scheme: 'M12 3a9 9 0 1 0 0 18zM12 3a9 9 0 0 1 0 18',
};

/** Line drawings for the rail. */
export function StationGlyph({ place }: StationGlyphProps) {
  return (
    <Box
      component="svg"
      viewBox="0 0 24 24"
      aria-hidden
      sx={{
        width: 24,
        height: 24,
        flexShrink: 0,
        fill: place === 'scheme' ? 'currentColor' : 'none',
        stroke: 'currentColor',
        strokeWidth: 1.9,
        strokeLinejoin: 'round',
        strokeLinecap: 'round',
      }}
    >
      <path d={PATHS[place]} fillOpacity={place === 'scheme' ? 0.25 : 1} />
    </Box>
  );
}
