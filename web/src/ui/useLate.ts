import { useEffect, useState } from 'react';

/** Whether something has lasted for `ms`: what is over sooner is not worth a sign. */
export function useLate(isGoingOn: boolean, ms: number): boolean {
  const [since, setSince] = useState<boolean>(false);
  if (!isGoingOn && since) setSince(false);
  useEffect(() => {
    if (!isGoingOn) return;
    const timer = setTimeout(() => setSince(true), ms);
    return () => clearTimeout(timer);
  }, [isGoingOn, ms]);
  return isGoingOn && since;
}
