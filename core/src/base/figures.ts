/** How figures are written for people, on pages, in reports and on the command line. Files have their own exact ways. */

const whole = new Intl.NumberFormat('en', { maximumFractionDigits: 0 });

/** A whole number with its thousands apart: 12,345. */
export const countText = (count: number): string => whole.format(count);

/** A count with what is counted: "1 hole", "3 holes". @example counted(3, 'hole') */
export const counted = (count: number, one: string, many = `${one}s`): string => `${countText(count)} ${count === 1 ? one : many}`;

/** A length in mm: two decimals under 10, one above, more for the tiny. */
export function lengthText(mm: number): string {
  const a = Math.abs(mm);
  if (a >= 10) return mm.toFixed(1);
  return a >= 0.1 || a === 0 ? mm.toFixed(2) : mm.toPrecision(2);
}

/** Three lengths in mm with as many digits as matter. */
export const threeLengths = (size: readonly number[]): string => size.map((s) => lengthText(s)).join(' × ');

/** Bytes as people read them; MB are millions, as on disks. @example bytesText(63_513_800_000) // '63.5 GB' */
export function bytesText(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  if (bytes < 1e6) return `${(bytes / 1e3).toFixed(1)} kB`;
  return bytes < 1e9 ? `${(bytes / 1e6).toFixed(1)} MB` : `${(bytes / 1e9).toFixed(1)} GB`;
}

/** Seconds of a machine's work as people say them. @example secondsText(119.7) // '2 min 0 s' */
export function secondsText(seconds: number): string {
  const whole = Math.round(seconds);
  return whole < 90 ? `${whole} s` : `${Math.floor(whole / 60)} min ${whole % 60} s`;
}

/** How long something takes, as people say it. @example durationText(340) // '5 h 40 min' */
export function durationText(minutes: number): string {
  const whole = Math.max(1, Math.round(minutes));
  return whole >= 60 ? `${Math.floor(whole / 60)} h ${whole % 60} min` : `${whole} min`;
}
