import { parseArgs } from 'node:util';
import { Unusable } from '../base/finding.ts';
import { endingOf, type Asked, type Command } from './command.ts';
import { typedName, type Options } from './option.ts';

/** What was typed: a command with its checked values, or that help is wanted (of one command, or of all). */
export type Typed = { help: true; of: Command | null; json: boolean } | { help: false; command: Command; asked: Asked<Options>; json: boolean };

/**
 * Reads what was typed after the program's name.
 * @throws Unusable with a sentence when something can't be used.
 * @example parse(commands, ['mend', 'hub.stl', '--out', 'mended.stl', '--weld', '0.01'])
 */
export function parse(commands: readonly Command[], argv: readonly string[]): Typed {
  const word = firstWord(commands, argv);
  const named = commands.find((c) => c.word === word) ?? null;
  const known = named ? [named] : commands;
  const { values, positionals } = split(known, argv, named, commands);
  const json = values.json === true;
  if (word === undefined || word === 'help') return { help: true, of: helpOf(commands, word === 'help' ? positionals[1] : undefined), json };
  if (values.help === true) return { help: true, of: named, json };
  if (!named) throw noSuchCommand(word);
  const files = positionals.slice(1);
  checkFiles(named, files);
  const out = (values.out as string | undefined) ?? '';
  checkOut(named, out);
  const asked: Record<string, unknown> = { files, out };
  for (const [key, option] of Object.entries(named.options)) asked[key] = option.read(typedName(key), wordsOf(values[typedName(key)]));
  return { help: false, command: named, asked: asked as Asked<Options>, json };
}

/** What stands after an option, each time that it was typed; an empty word for one that takes none. */
function wordsOf(typed: string | boolean | (string | boolean)[] | undefined): string[] {
  if (typed === undefined || typed === false) return [];
  return [typed].flat().map((one) => (typeof one === 'string' ? one : ''));
}

/** The command that help is wanted of; null for all. */
function helpOf(commands: readonly Command[], about: string | undefined): Command | null {
  if (about === undefined) return null;
  const found = commands.find((c) => c.word === about);
  if (!found) throw noSuchCommand(about);
  return found;
}

/** The first word that is no option and no option's value. */
function firstWord(commands: readonly Command[], argv: readonly string[]): string | undefined {
  const kinds = kindsOf(commands);
  return parseArgs({ args: withNegatives(argv, kinds), options: kinds, allowPositionals: true, strict: false }).positionals[0];
}

const noSuchCommand = (word: string) => new Unusable('bad-command', `There is no command "${word}".`, 'See "tall-kite --help".');

type Kinds = Record<string, { type: 'string' | 'boolean'; multiple?: boolean; short?: string }>;

/** What the options of some commands take. */
function kindsOf(commands: readonly Command[]): Kinds {
  const kinds: Kinds = { json: { type: 'boolean' }, help: { type: 'boolean', short: 'h' } };
  for (const c of commands) {
    if (c.out) kinds.out = { type: 'string' };
    for (const [key, o] of Object.entries(c.options)) kinds[typedName(key)] = { type: o.hint === null ? 'boolean' : 'string', multiple: o.many };
  }
  return kinds;
}

/** The words and options of what was typed. */
function split(known: readonly Command[], argv: readonly string[], named: Command | null, all: readonly Command[]) {
  const kinds = kindsOf(known);
  try {
    return parseArgs({ args: withNegatives(argv, kinds), options: kinds, allowPositionals: true });
  } catch (thrown) {
    const foreign = named && strange(argv, kinds);
    if (foreign && foreign in kindsOf(all)) {
      const takes = Object.keys(kinds).filter((k) => k !== 'help');
      throw new Unusable('bad-option', `"${named.word}" takes no --${foreign}.`, `It takes ${takes.map((k) => `--${k}`).join(', ')}.`);
    }
    const help = named ? `tall-kite ${named.word} --help` : 'tall-kite --help';
    throw new Unusable('bad-option', `${(thrown as Error).message.split('. ')[0].replace(/\.$/, '')}.`, `See "${help}".`);
  }
}

/** The first option that is not among those known. */
const strange = (argv: readonly string[], kinds: Kinds): string | undefined =>
  argv.map((a) => /^--([a-z-]+)/.exec(a)?.[1]).find((name) => name !== undefined && !(name in kinds));

/** "--axis -z" and "--base -5" are taken as they are meant, not as options of one letter. */
function withNegatives(argv: readonly string[], kinds: Kinds): string[] {
  const out: string[] = [];
  for (let i = 0; i < argv.length; i++) {
    const name = argv[i].startsWith('--') ? argv[i].slice(2) : '';
    const takes = Object.hasOwn(kinds, name) && kinds[name].type === 'string';
    if (takes && /^-([\d.]|[xyz]$)/i.test(argv[i + 1] ?? '')) out.push(`${argv[i]}=${argv[++i]}`);
    else out.push(argv[i]);
  }
  return out;
}

function checkFiles({ word, least, most, nothing }: Command, files: string[]): void {
  if (files.length === 0 && least > 0) throw nothing ?? new Unusable('no-file', `"${word}" needs a file.`, 'Name one: tall-kite inspect part.stl');
  if (files.length < least)
    throw new Unusable('more-files', `"${word}" needs ${least} files.`, `Name them one after another: tall-kite ${word} a.stl b.stl --out c.stl`);
  if (files.length > most)
    throw new Unusable('one-file', `"${word}" takes ${most === 1 ? 'one file' : `${most} files`} at a time.`, 'Call it once for each file.');
}

function checkOut({ word, out }: Command, typed: string): void {
  if (!out) return;
  const endings = out.endings.filter((e) => e !== 'stp' && e !== 'iges').map((e) => `.${e}`);
  const inWords = endings.length > 1 ? `${endings.slice(0, -1).join(', ')} or ${endings[endings.length - 1]}` : endings[0];
  if (typed === '') {
    if (!out.needed) return;
    throw new Unusable(
      'no-out',
      `"${word}" needs a ${out.kind} to write to.`,
      out.kind === 'folder' ? 'Add --out DIR.' : `Add --out FILE, ending in ${inWords}.`,
    );
  }
  if (out.kind === 'file' && !out.endings.includes(endingOf(typed)))
    throw new Unusable('bad-format', `"${typed}" ends in no format that is written.`, `Let --out end in ${inWords}.`);
}
