import { useQueryClient, type QueryKey } from '@tanstack/react-query';
import { useState } from 'react';

import type { Sending, SendOne } from '../api/upload';

/** A file with the folders that it was dropped in. */
export interface Dropped {
  file: File;
  name: string;
}

/** Sends files one after the other; how far each is, and what was refused. What `noun` names is read anew after it. */
export function useSending(sendOne: SendOne, noun: QueryKey) {
  const queries = useQueryClient();
  const [sending, setSending] = useState<Sending | undefined>();
  const [waiting, setWaiting] = useState(0);
  const [error, setError] = useState<Error | null>(null);
  const send = async (files: Dropped[]) => {
    setError(null);
    for (const [index, { file, name }] of files.entries()) {
      setWaiting(files.length - index - 1);
      try {
        const isWhole = await sendOne(file, name, setSending);
        // Who stops one wants none of those behind it.
        if (!isWhole) break;
      } catch (failure) {
        setError(failure instanceof Error ? failure : new Error(String(failure)));
      }
      setSending(undefined);
    }
    setSending(undefined);
    await queries.invalidateQueries({ queryKey: noun });
  };
  return { sending, waiting, error, send };
}
