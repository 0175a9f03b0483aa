import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';

import { sendFile, type Sending } from '../../api/upload';

/** Sends files one after the other; how far each is, and what was refused. */
export function useSending() {
  const queries = useQueryClient();
  const [sending, setSending] = useState<Sending | undefined>();
  const [waiting, setWaiting] = useState(0);
  const [error, setError] = useState<Error | null>(null);
  const send = async (files: File[]) => {
    setError(null);
    for (const [index, file] of files.entries()) {
      setWaiting(files.length - index - 1);
      try {
        await sendFile(file, setSending);
      } catch (failure) {
        setError(failure instanceof Error ? failure : new Error(String(failure)));
      }
      setSending(undefined);
    }
    await queries.invalidateQueries({ queryKey: ['bench'] });
  };
  return { sending, waiting, error, send };
}
