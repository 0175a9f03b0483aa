import { useCallback, useState } from 'react';

/** The width of an element as it is laid out, kept current; `first` until it is known. */
export function useWidth(
  first: number,
): [(element: HTMLElement | null) => (() => void) | undefined, number] {
  const [width, setWidth] = useState(first);
  const measure = useCallback((element: HTMLElement | null) => {
    if (element === null) return undefined;
    const watch = new ResizeObserver(() => setWidth(element.clientWidth));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  return [measure, width];
}
