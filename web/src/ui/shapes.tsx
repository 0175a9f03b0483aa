import Box from '@mui/material/Box';

/** Every state has a shape of its own; colour comes second. */
export type ShapeKind =
  'met' | 'missing' | 'unknown' | 'refused' | 'waiting' | 'half' | 'open' | 'away';

export type StateShapeProps = {
  kind: ShapeKind;
  /** Words for those who don't see it; without them the words beside it say the same. */
  label?: string;
  size?: number;
};

const COLOURS: Record<ShapeKind, string> = {
  met: 'primary.main',
  missing: 'care',
  unknown: 'text.secondary',
  refused: 'noReturn',
  waiting: 'care',
  half: 'care',
  open: 'primary.main',
  away: 'text.secondary',
};

function drawing(kind: ShapeKind) {
  switch (kind) {
    case 'met':
      return (
        <>
          <circle cx="12" cy="12" r="10" fill="currentColor" />
          <path d="M7.4 12.4l3.1 3.2 6-6.8" className="cut" />
        </>
      );
    case 'missing':
      return <path d="M12 2.5l9.5 9.5-9.5 9.5L2.5 12z" className="line" />;
    case 'unknown':
      return <circle cx="12" cy="12" r="9.2" className="line" strokeDasharray="4.2 3.6" />;
    case 'refused':
      return (
        <>
          <rect x="3" y="3" width="18" height="18" className="line" />
          <path d="M7 12h10" className="line" />
        </>
      );
    case 'waiting':
      return (
        <>
          <path d="M5 3h14L12 12 5 3zM5 21h14l-7-9-7 9z" className="line" />
        </>
      );
    case 'half':
      return (
        <>
          <circle cx="12" cy="12" r="9.2" className="line" />
          <path d="M12 2.8a9.2 9.2 0 0 0 0 18.4z" fill="currentColor" />
        </>
      );
    case 'open':
      return (
        <>
          <path d="M12 2.8a9.2 9.2 0 0 0 0 18.4" className="line" />
          <path d="M15 3.4a9.2 9.2 0 0 1 0 17.2" className="line" transform="translate(2.4 0)" />
        </>
      );
    case 'away':
      return <path d="M3 12h4m3 0h4m3 0h4" className="line" />;
  }
}

export function StateShape({ kind, label, size = 22 }: StateShapeProps) {
  const named =
    label === undefined ? { 'aria-hidden': true } : { role: 'img', 'aria-label': label };
  return (
    <Box
      component="svg"
      viewBox="0 0 24 24"
      {...named}
      sx={{
        width: size,
        height: size,
        flexShrink: 0,
        color: COLOURS[kind],
        '& .line': { fill: 'none', stroke: 'currentColor', strokeWidth: 2.2 },
        '& .cut': {
          fill: 'none',
          stroke: 'var(--mui-palette-background-default)',
          strokeWidth: 2.4,
        },
      }}
    >
      {drawing(kind)}
    </Box>
  );
}
