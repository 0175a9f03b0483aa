import createClient from 'openapi-fetch';

import { hearClock } from './clock';
import type { components, paths } from './schema.gen';

type Schemas = components['schemas'];
/** A type of the API, by its name there. */
export type Api<Name extends keyof Schemas> = Schemas[Name];

/** A refusal or failure of the server, as its problem document says. */
export class ProblemError extends Error {
  readonly problem: Api<'Problem'>;

  constructor(problem: Api<'Problem'>) {
    super(problem.detail);
    this.name = 'ProblemError';
    this.problem = problem;
  }
}

export const client = createClient<paths>({ baseUrl: '' });
client.use(hearClock);

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

function isProblem(value: unknown): value is Api<'Problem'> {
  return typeof value === 'object' && value !== null && 'detail' in value && 'code' in value;
}

/** The data of an answer; a refusal is thrown as a `ProblemError`. */
export async function unwrap<T>(asked: Promise<Answer<T>>): Promise<T> {
  const answer = await asked;
  if (answer.response.ok) return answer.data as T;
  if (isProblem(answer.error)) throw new ProblemError(answer.error);
  throw new Error(`The server answered with status ${answer.response.status}.`);
}

/** A new id for a request that changes something; the same id twice is done once. */
export function newRequest(): string {
  return crypto.randomUUID();
}

/** Sends a file as it is; a refusal is thrown as a `ProblemError`. */
export async function sendBytes(path: string, file: Blob): Promise<void> {
  const response = await fetch(path, {
    method: 'PUT',
    headers: { 'content-type': 'application/octet-stream' },
    body: file,
  });
  if (response.ok) return;
  const error: unknown = await response.json().catch(() => undefined);
  if (isProblem(error)) throw new ProblemError(error);
  throw new Error(`The server answered with status ${response.status}.`);
}
