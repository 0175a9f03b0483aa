/**
 * The bench's clock, as the server last told it. Times that the bench counts are compared with this one,
 * never with the browser's: that one may be set.
 */
import type { Middleware } from 'openapi-fetch';

import type { Api } from './client';

let heard = { counted: Date.now(), ahead: 0, at: performance.now() };

/** Every answer tells what the bench has counted and what the clock on its wall says. */
export const hearClock: Middleware = {
  onResponse({ response }) {
    const told = response.headers.get('bench-clock');
    if (told === null) return;
    const stamp = JSON.parse(told) as Api<'Stamp'>;
    const counted = Date.parse(stamp.bench);
    heard = { counted, ahead: Date.parse(stamp.wall) - counted, at: performance.now() };
  },
};

/** What the bench has counted by now, in milliseconds: to be compared with what it counted before. */
export const benchNow = () => heard.counted + performance.now() - heard.at;

/** What the clock on the bench's wall would have told then. */
export const onWall = (counted: string | number) =>
  new Date((typeof counted === 'number' ? counted : Date.parse(counted)) + heard.ahead);
