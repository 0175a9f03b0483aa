/**
 * The one place that turns numbers and times into words. What the world's clocks told is a `Date` or its
 * text; what the bench counted is turned by `onWall` first, or compared with what it has counted by now.
 */

import { onWall } from '../api/clock';

const clock = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });
const clockSeconds = new Intl.DateTimeFormat('en-GB', {
  hour: '2-digit',
  minute: '2-digit',
  second: '2-digit',
});
const day = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', year: 'numeric' });
const exact = new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'medium' });
const number = new Intl.NumberFormat('en-GB', { maximumFractionDigits: 1 });

export const clockOf = (moment: string | number | Date) => clock.format(new Date(moment));
export const clockSecondsOf = (moment: string | Date) => clockSeconds.format(new Date(moment));
export const dayOf = (moment: string | Date) => day.format(new Date(moment));
export const exactOf = (moment: string | Date) => exact.format(new Date(moment));

const relative = new Intl.RelativeTimeFormat('en-GB', { style: 'short', numeric: 'auto' });
/** With the symbols of the SI, as the server writes them too; in English they would be words. */
const amount = (unit: 'second' | 'minute' | 'hour') =>
  new Intl.NumberFormat('fr', { style: 'unit', unit, unitDisplay: 'short' });
/** What stands between a number and its symbol there. */
const NARROW = /[\u00a0\u202f]/g;
const seconds = amount('second');
const minutes = amount('minute');
const hours = amount('hour');

/** `now`, `12 min ago`, `3 hr ago`, then the day. */
export function ago(counted: string, now: number): string {
  const past = Math.max(0, Math.round((now - Date.parse(counted)) / 1000));
  if (past < 60) return relative.format(0, 'second');
  if (past < 3600) return relative.format(-Math.floor(past / 60), 'minute');
  if (past < 48 * 3600) return relative.format(-Math.floor(past / 3600), 'hour');
  return dayOf(onWall(counted));
}

/** `45 s`, `2 min 30 s`, `1 h 5 min`. */
export function duration(length: number): string {
  const whole = Math.round(length);
  const [h, m, s] = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60];
  const parts = [
    h > 0 && hours.format(h),
    m > 0 && minutes.format(m),
    (whole === 0 || (h === 0 && s > 0)) && seconds.format(s),
  ];
  return parts
    .filter((part) => part !== false)
    .join(' ')
    .replaceAll(NARROW, ' ');
}

/** `1:07`, for running times. */
export function running(seconds: number): string {
  const whole = Math.max(0, Math.floor(seconds));
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, '0')}`;
}

export const mib = (bytes: number) => `${number.format(bytes / 1_048_576)} MiB`;
export const percent = (value: number) => `${number.format(value)} %`;
export const permille = (value: number) => `${number.format(value / 10)} %`;
export const hex = (bytes: number) => `0x${bytes.toString(16).padStart(9, '0')}`;

/** `1 step`, `4 steps`. */
export const counted = (count: number, one: string, many: string) =>
  `${count} ${count === 1 ? one : many}`;

/** `107 h 12 min`, `12 min`; what is left until a moment, rounded up to whole minutes. */
export function left(counted: string, now: number): string {
  const whole = Math.max(0, Math.ceil((Date.parse(counted) - now) / 60_000));
  return whole === 0 ? minutes.format(0) : duration(whole * 60);
}

const weekday = new Intl.DateTimeFormat('en-GB', {
  weekday: 'long',
  day: 'numeric',
  month: 'long',
  hour: '2-digit',
  minute: '2-digit',
});

/** `Sunday 29 November at 20:02`. */
export const untilOf = (moment: string | Date) => weekday.format(new Date(moment));
