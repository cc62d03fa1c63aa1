import { sound } from './sound.ts';

/** How much a finding or a claim matters: `clear` needs nothing, `look` wants a person's eye, `stop` blocks the file. */
export type Severity = 'clear' | 'look' | 'stop';

/** Something measured about geometry or a file, in one sentence for people, with what mends it. */
export interface Finding {
  code: string;
  severity: Severity;
  count: number;
  message: string;
  remedy: string;
}

const rank: Record<Severity, number> = { clear: 0, look: 1, stop: 2 };

/** The worst of some severities; `clear` when there are none. */
export function worst(severities: Iterable<Severity>): Severity {
  let found: Severity = 'clear';
  for (const severity of severities) if (rank[severity] > rank[found]) found = severity;
  return found;
}

/** An input that can't be used at all. Says what is wrong and what a person can do about it. */
export class Unusable extends Error {
  readonly code: string;
  readonly remedy: string;
  constructor(code: string, message: string, remedy: string) {
    // It may quote a file.
    super(sound(message));
    this.name = 'Unusable';
    this.code = code;
    this.remedy = remedy;
  }
}

/** Any thrown thing as an `Unusable`, so that people always get a sentence and a remedy. */
export function asUnusable(thrown: unknown, code = 'unexpected'): Unusable {
  if (thrown instanceof Unusable) return thrown;
  const text = thrown instanceof Error ? thrown.message : String(thrown);
  return new Unusable(
    code,
    `This could not be finished: ${text}.`,
    'Try again; if it happens again, send the file and this sentence to whoever looks after Tall Kite.',
  );
}
