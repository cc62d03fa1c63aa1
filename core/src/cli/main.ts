import { readFile } from 'node:fs/promises';
import { asUnusable, worst, type Severity } from '../base/finding.ts';
import { parse, type Typed } from '../command/parse.ts';
import { helpOf, helpOfAll } from './help.ts';
import { modules } from './words.ts';

const exitCodes: Record<Severity, number> = { clear: 0, look: 1, stop: 2 };

/** The command line. Returns the exit code; with --json only one JSON document goes to standard output. */
export async function main(argv: string[], out: (text: string) => void, err: (text: string) => void): Promise<number> {
  const written = await writtenHelp(argv);
  if (written !== null) {
    out(written);
    return 0;
  }
  let typed: Typed;
  try {
    typed = await typedOf(argv);
  } catch (thrown) {
    const unusable = asUnusable(thrown);
    err(`${unusable.message} ${unusable.remedy}\n`);
    return 2;
  }
  if (typed.help) {
    out(typed.of ? helpOf(typed.of) : helpOfAll((await import('./commands.ts')).commands));
    return 0;
  }
  try {
    const report = await typed.command.run(typed.asked);
    out(typed.json ? `${JSON.stringify(report.json)}\n` : report.text);
    return exitCodes[worst(report.severities)];
  } catch (thrown) {
    const { code, message, remedy } = asUnusable(thrown);
    if (typed.json) out(`${JSON.stringify({ error: { code, message, remedy } })}\n`);
    else err(`${message} ${remedy}\n`);
    return 2;
  }
}

/** Help of all commands by "" and of each by its word, as "npm run docs" wrote it: nothing has to be loaded for it. */
export const helpFile = new URL('../../help.json', import.meta.url);

/** The help that was asked for in one of the plain ways; null for everything else, and where it was not written. */
async function writtenHelp(argv: readonly string[]): Promise<string | null> {
  const asks = (word: string | undefined) => word === '--help' || word === '-h';
  const about = argv.length === 0 || (argv.length === 1 && (asks(argv[0]) || argv[0] === 'help')) ? '' : argv.length === 2 && asks(argv[1]) ? argv[0] : argv.length === 2 && argv[0] === 'help' ? argv[1] : null; // prettier-ignore
  if (about === null) return null;
  try {
    const all = JSON.parse(await readFile(helpFile, 'utf8')) as Record<string, unknown>;
    return Object.hasOwn(all, about) && typeof all[about] === 'string' ? all[about] : null;
  } catch {
    return null;
  }
}

/** What was typed. Where a command's word stands first only that one is loaded; what it does not know is told by all of them. */
async function typedOf(argv: string[]): Promise<Typed> {
  const [word] = argv;
  if (word !== undefined && Object.hasOwn(modules, word)) {
    try {
      return parse([await modules[word]()], argv);
    } catch (thrown) {
      if (asUnusable(thrown).code !== 'bad-option') throw thrown;
    }
  }
  return parse((await import('./commands.ts')).commands, argv);
}
