import { newRequest, ProblemError, type Api } from './client';

/** How far a file is on its way. */
export interface Sending {
  name: string;
  sent: number;
  total: number;
  /** Takes it back: nothing of it is kept. */
  stop: () => void;
}

/**
 * Sends a file to the shelf as it is read from the disk: it is never whole in memory. Gives its digest, or
 * nothing where it was stopped; a refusal is thrown as a `ProblemError`.
 */
export function sendFile(
  file: File,
  told: (sending: Sending) => void,
): Promise<string | undefined> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    const query = new URLSearchParams({ name: file.name, request: newRequest() });
    const stop = () => request.abort();
    request.open('PUT', `/api/shelf/files?${query.toString()}`);
    request.setRequestHeader('content-type', 'application/octet-stream');
    request.responseType = 'json';
    request.upload.onprogress = (event) =>
      told({ name: file.name, sent: event.loaded, total: file.size, stop });
    request.onabort = () => resolve(undefined);
    request.onerror = () => reject(new Error('The server does not answer; nothing was kept.'));
    request.onload = () => {
      const answer = request.response as Api<'FileShelved'> | Api<'Problem'> | null;
      if (request.status < 400 && answer !== null && 'id' in answer && !('detail' in answer)) {
        resolve(answer.id);
      } else if (answer !== null && 'detail' in answer) {
        reject(new ProblemError(answer));
      } else {
        reject(new Error(`The server answered with status ${request.status}.`));
      }
    };
    told({ name: file.name, sent: 0, total: file.size, stop });
    request.send(file);
  });
}
