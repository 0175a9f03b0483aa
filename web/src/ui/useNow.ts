import { useEffect, useState } from 'react';

import { benchNow } from '../api/clock';

/** What the bench has counted, renewed every `everyMs`. */
export function useNow(everyMs: number): number {
  const [now, setNow] = useState(benchNow);
  useEffect(() => {
    const timer = setInterval(() => setNow(benchNow()), everyMs);
    return () => clearInterval(timer);
  }, [everyMs]);
  return now;
}
