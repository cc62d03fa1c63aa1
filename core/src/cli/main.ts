import { asUnusable, worst, type Severity } from '../base/finding.ts';
import { parse, type Typed } from '../command/parse.ts';
import { commands } from './commands.ts';
import { helpOf, helpOfAll } from './help.ts';

const exitCodes: Record<Severity, number> = { clear: 0, look: 1, stop: 2 };

/** The command line. Returns the exit code; with --json only one JSON document goes to standard output. */
export async function main(argv: string[], out: (text: string) => void, err: (text: string) => void): Promise<number> {
  let typed: Typed;
  try {
    typed = parse(commands, argv);
  } catch (thrown) {
    const unusable = asUnusable(thrown);
    err(`${unusable.message} ${unusable.remedy}\n`);
    return 2;
  }
  if (typed.help) {
    out(typed.of ? helpOf(typed.of) : helpOfAll(commands));
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
