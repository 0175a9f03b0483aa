import { useQuery } from '@tanstack/react-query';

import type { Api } from '../api/client';
import { benchQuery, unitQuery } from '../api/queries';

/** Whether things may be said of a unit and decided for it. */
export function useMayNote(unit: string): Api<'Permission'> | undefined {
  return useQuery(unitQuery(unit)).data?.note;
}

/** Whether anything of the bench's own may be changed. */
export function useMayNoteOnBench(): Api<'Permission'> | undefined {
  return useQuery(benchQuery()).data?.note;
}
