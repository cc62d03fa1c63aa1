import { parseArgs } from 'node:util';
import { Unusable } from '../findings/finding.ts';
import { choiceLimits } from '../facets/presets.ts';
import { receivers } from '../receivers/receivers.ts';
import { lengthUnits } from '../size/readings.ts';

/** What a person typed, checked. Lengths in mm, angle in degrees. */
export interface Given {
  command: 'inspect' | 'write' | 'help';
  files: string[];
  json: boolean;
  deviation: number | null;
  angle: number | null;
  unit: string;
  fromUnit: string | null;
  part: string | null;
  out: string;
  receiver: string;
  ascii: boolean;
}

const options = {
  json: { type: 'boolean' },
  help: { type: 'boolean', short: 'h' },
  format: { type: 'string' },
  deviation: { type: 'string' },
  angle: { type: 'string' },
  unit: { type: 'string' },
  'from-unit': { type: 'string' },
  part: { type: 'string' },
  out: { type: 'string' },
  receiver: { type: 'string' },
  ascii: { type: 'boolean' },
} as const;

/** @throws Unusable with a sentence when something typed can't be used. */
export function parseArguments(argv: string[]): Given {
  let parsed;
  try {
    parsed = parseArgs({ args: argv, options, allowPositionals: true });
  } catch (thrown) {
    throw new Unusable('bad-option', `${(thrown as Error).message}.`, 'See "tall-kite --help".');
  }
  const { values, positionals } = parsed;
  const [command, ...files] = positionals;
  const blank: Given = {
    command: 'help',
    files,
    json: values.json ?? false,
    deviation: null,
    angle: null,
    unit: 'mm',
    fromUnit: null,
    part: null,
    out: '.',
    receiver: 'lark',
    ascii: values.ascii ?? false,
  };
  if (values.help || command === undefined || command === 'help') return blank;
  if (command !== 'inspect' && command !== 'write') throw new Unusable('bad-command', `There is no command "${command}".`, 'See "tall-kite --help".');
  if (files.length === 0) throw new Unusable('no-file', `"${command}" needs a file.`, 'Name one: tall-kite inspect part.stl');
  if (command === 'write') {
    if (files.length > 1) throw new Unusable('one-file', '"write" takes one file at a time.', 'Call it once for each file.');
    if ((values.format ?? 'stl') !== 'stl') throw new Unusable('bad-format', `The format "${values.format}" is not written yet.`, 'Use --format stl.');
    if (!values.out) throw new Unusable('no-out', '"write" needs a folder to write to.', 'Add --out DIR.');
  }
  return {
    ...blank,
    command,
    deviation: limited('deviation', values.deviation, choiceLimits.deviation, 'mm'),
    angle: limited('angle', values.angle, choiceLimits.angle, 'degrees'),
    unit: oneOf(
      'unit',
      values.unit ?? 'mm',
      lengthUnits.map((u) => u.id),
    ),
    fromUnit:
      values['from-unit'] === undefined
        ? null
        : oneOf(
            'from-unit',
            values['from-unit'],
            lengthUnits.map((u) => u.id),
          ),
    part: values.part ?? null,
    out: values.out ?? '.',
    receiver: oneOf(
      'receiver',
      values.receiver ?? 'lark',
      receivers.map((r) => r.id),
    ),
  };
}

function limited(name: string, text: string | undefined, [low, high]: readonly [number, number], unit: string): number | null {
  if (text === undefined) return null;
  const value = Number(text);
  if (text.trim() === '' || !(value >= low && value <= high)) {
    throw new Unusable('bad-number', `--${name} must be a number from ${low} to ${high} ${unit}, not "${text}".`, 'Type it without a unit.');
  }
  return value;
}

function oneOf(name: string, value: string, allowed: string[]): string {
  if (!allowed.includes(value)) throw new Unusable('bad-choice', `--${name} must be one of ${allowed.join(', ')}, not "${value}".`, 'Choose one of them.');
  return value;
}
