import { Unusable } from '../base/finding.ts';

/** One option of a command: what stands after it, what it does, and how its text becomes a value. */
export interface Option<T> {
  /** What stands after it in the help, like "MM"; null for one that takes no value. */
  hint: string | null;
  /** What it does, in a few words, for the help and the command reference. */
  about: string;
  /** Whether it may stand several times. */
  many: boolean;
  /** @param typed the texts that were typed, none when it was left away. @throws Unusable when one can't be used. */
  read(name: string, typed: readonly string[]): T;
}

/** Options of a command by their names as properties: `fromUnit` is typed as `--from-unit`. */
export type Options = Readonly<Record<string, Option<unknown>>>;
export type Values<O extends Options> = { [K in keyof O]: O[K] extends Option<infer T> ? T : never };

/** "fromUnit" is typed as "--from-unit". */
export const typedName = (key: string): string => key.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`);

/** An option that takes no value. */
export const flag = (about: string): Option<boolean> => ({ hint: null, about, many: false, read: (_, typed) => typed.length > 0 });

/** Any text; null when left away. */
export const text = (hint: string, about: string): Option<string | null> => ({ hint, about, many: false, read: (_, typed) => typed[0] ?? null });

/** A text that is read in its own way; null when left away. */
export const parsed = <T>(hint: string, about: string, parse: (name: string, typed: string) => T): Option<T | null> => ({
  hint,
  about,
  many: false,
  read: (name, [typed]) => (typed === undefined ? null : parse(name, typed)),
});

/** As `parsed`, as often as it is typed. */
export const each = <T>(hint: string, about: string, parse: (name: string, typed: string) => T): Option<T[]> => ({
  hint,
  about,
  many: true,
  read: (name, typed) => typed.map((one) => parse(name, one)),
});

/** One word of a list. */
export const choice = <const T extends string>(words: readonly T[], usual: T, about: string): Option<T> => ({
  hint: words.join('|'),
  about: `${about} Usually ${usual}.`,
  many: false,
  read: (name, [typed]) => (typed === undefined ? usual : oneOf(name, typed, words)),
});

/** One word of a list; null when left away. */
export const choiceOrNone = <const T extends string>(words: readonly T[], about: string, hint = words.join('|')): Option<T | null> => ({
  hint,
  about,
  many: false,
  read: (name, [typed]) => (typed === undefined ? null : oneOf(name, typed, words)),
});

/** A number within limits; null when left away. `unit` ends the sentence about a wrong one. */
export const number = (hint: string, limits: readonly [number, number], unit: string, about: string): Option<number | null> => ({
  hint,
  about,
  many: false,
  read: (name, [typed]) => (typed === undefined ? null : within(name, typed, limits, unit)),
});

/** A length in mm within limits; null when left away. */
export const millimetres = (limits: readonly [number, number], about: string) => number('MM', limits, 'mm', about);

/** @throws Unusable when the text is no number within the limits. */
export function within(name: string, typed: string, [low, high]: readonly [number, number], unit: string): number {
  const value = Number(typed);
  if (typed.trim() === '' || !(value >= low && value <= high)) {
    throw new Unusable('bad-number', `--${name} must be a number from ${low} to ${high} ${unit}, not "${typed}".`, 'Type it without a unit.');
  }
  return value;
}

function oneOf<T extends string>(name: string, value: string, words: readonly T[]): T {
  const found = words.find((word) => word === value);
  if (found === undefined) throw new Unusable('bad-choice', `--${name} must be one of ${words.join(', ')}, not "${value}".`, 'Choose one of them.');
  return found;
}

/** The refusal of a text that is not like the one shown. */
export const badText = (name: string, typed: string, like: string) =>
  new Unusable('bad-number', `--${name} must be like ${like}, not "${typed}".`, 'Lengths are mm, angles degrees; type no units.');

/** Tabs as "3x1.5": how many, and how wide in mm. */
export function tabsTyped(_: string, typed: string): { count: number; width: number } {
  const found = /^(\d{1,2})x(\d+(?:\.\d+)?)$/.exec(typed.trim());
  const [count, width] = [Number(found?.[1]), Number(found?.[2])];
  if (!found || !(count >= 1 && count <= 50) || !(width >= 0.1 && width <= 50))
    throw new Unusable('bad-number', `--tabs must be like 3x1.5 (3 tabs of 1.5 mm), not "${typed}".`, 'At most 50 tabs, 0.1 to 50 mm wide.');
  return { count, width };
}
