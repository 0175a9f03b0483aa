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

/** `just now`, `12 min ago`, `3 h ago`, then the day. */
export function ago(counted: string, now: number): string {
  const seconds = Math.max(0, Math.round((now - Date.parse(counted)) / 1000));
  if (seconds < 60) return 'just now';
  const minutes = Math.floor(seconds / 60);
  if (minutes < 60) return `${minutes} min ago`;
  const hours = Math.floor(minutes / 60);
  if (hours < 48) return `${hours} h ago`;
  return dayOf(onWall(counted));
}

/** `45 s`, `2 min 30 s`, `1 h 5 min`. */
export function duration(seconds: number): string {
  if (seconds < 60) return `${Math.round(seconds)} s`;
  const minutes = Math.floor(seconds / 60);
  const rest = Math.round(seconds % 60);
  if (minutes < 60) return rest === 0 ? `${minutes} min` : `${minutes} min ${rest} s`;
  const hours = Math.floor(minutes / 60);
  return minutes % 60 === 0 ? `${hours} h` : `${hours} h ${minutes % 60} min`;
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
  const minutes = Math.max(0, Math.ceil((Date.parse(counted) - now) / 60_000));
  const hours = Math.floor(minutes / 60);
  return hours === 0 ? `${minutes} min` : `${hours} h ${minutes % 60} min`;
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
