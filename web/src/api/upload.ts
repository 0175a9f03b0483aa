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
 * Sends a file as it is read from the disk: it is never whole in memory. Tells whether it came whole or was
 * stopped; a refusal is thrown as a `ProblemError`.
 */
function put(
  path: string,
  about: Record<string, string>,
  file: File,
  name: string,
  told: (sending: Sending) => void,
): Promise<boolean> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    const query = new URLSearchParams({ ...about, name, request: newRequest() });
    const stop = () => request.abort();
    request.open('PUT', `${path}?${query.toString()}`);
    request.setRequestHeader('content-type', 'application/octet-stream');
    request.responseType = 'json';
    request.upload.onprogress = (event) =>
      told({ name, sent: event.loaded, total: file.size, stop });
    request.onabort = () => resolve(false);
    request.onerror = () => reject(new Error('The server does not answer; nothing was kept.'));
    request.onload = () => {
      const answer = request.response as Api<'Problem'> | object | null;
      if (request.status < 400) {
        resolve(true);
      } else if (answer !== null && 'detail' in answer) {
        reject(new ProblemError(answer));
      } else {
        reject(new Error(`The server answered with status ${request.status}.`));
      }
    };
    told({ name, sent: 0, total: file.size, stop });
    request.send(file);
  });
}

/** How one file is sent. */
export type SendOne = (
  file: File,
  name: string,
  told: (sending: Sending) => void,
) => Promise<boolean>;

/** Sends a file to the shelf. */
export const toShelf: SendOne = (file, name, told) => put('/api/shelf/files', {}, file, name, told);

/** Hands a dump of a unit in, with the moment at which it was written. */
export const toDumps =
  (unit: string): SendOne =>
  (file, name, told) =>
    put(
      `/api/units/${unit}/dumps`,
      { written: new Date(file.lastModified).toISOString() },
      file,
      name,
      told,
    );
