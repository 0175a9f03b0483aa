import Box from '@mui/material/Box';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useLayoutEffect, useRef, useState, type ReactNode } from 'react';

export type LongListProps<T> = {
  label?: string;
  items: readonly T[];
  keyOf: (item: T) => string;
  /** About how many px one takes, before it was seen. */
  about: number;
  /** One item, told which it is. */
  children: (item: T, index: number) => ReactNode;
  /** Room below it. */
  below?: number;
};

/** From so many on only what is near the view is drawn; below, all is there to be searched and printed. */
const LONG = 200;
const NEAR = 12;

const PLAIN = { listStyle: 'none', m: 0, p: 0 };

/** A numbered list of any length. */
export function LongList<T>(props: LongListProps<T>) {
  const { items, keyOf, label, children, below = 0 } = props;
  if (items.length > LONG) return <DrawnInPart {...props} />;
  return (
    <Box component="ol" aria-label={label} sx={{ ...PLAIN, mb: below }}>
      {items.map((item, index) => (
        <li key={keyOf(item)}>{children(item, index)}</li>
      ))}
    </Box>
  );
}

function DrawnInPart<T>({ items, keyOf, about, label, children, below = 0 }: LongListProps<T>) {
  const list = useRef<HTMLOListElement>(null);
  const [above, setAbove] = useState(0);
  useLayoutEffect(() => {
    const view = list.current?.closest('main');
    if (list.current === null || view == null) return;
    const top = list.current.getBoundingClientRect().top - view.getBoundingClientRect().top;
    setAbove(top + view.scrollTop);
  }, []);
  // eslint-disable-next-line react-hooks/incompatible-library -- nothing here is memoized by a compiler
  const drawn = useVirtualizer({
    count: items.length,
    getScrollElement: () => list.current?.closest('main') ?? null,
    estimateSize: () => about,
    getItemKey: (index) => {
      const item = items[index];
      return item === undefined ? index : keyOf(item);
    },
    overscan: NEAR,
    scrollMargin: above,
  });
  return (
    <Box
      component="ol"
      ref={list}
      aria-label={label}
      sx={{ ...PLAIN, mb: below, position: 'relative', height: drawn.getTotalSize() }}
    >
      {drawn.getVirtualItems().map((at) => {
        const item = items[at.index];
        return item === undefined ? null : (
          <li
            key={at.key}
            data-index={at.index}
            ref={drawn.measureElement}
            aria-setsize={items.length}
            aria-posinset={at.index + 1}
            style={{
              position: 'absolute',
              left: 0,
              right: 0,
              transform: `translateY(${at.start - above}px)`,
            }}
          >
            {children(item, at.index)}
          </li>
        );
      })}
    </Box>
  );
}
