import { asUnusable, Unusable, worst, type Severity } from '../findings/finding.ts';
import { inspectFiles } from './inspect.ts';
import { parseArguments, type Given } from './arguments.ts';
import { writeFiles } from './write.ts';

const help = `tall-kite: reads designs, writes files for machines, and proves them from their own bytes.

  tall-kite inspect FILE... [--json]
      What is in the files: parts, sizes, soundness, findings.
  tall-kite write FILE --format stl --out DIR [--deviation MM] [--angle DEGREES] [--ascii]
            [--unit mm|cm|m|in|ft] [--from-unit mm|cm|m|in|ft] [--part NAME] [--receiver lark|wren] [--json]
      Writes each part, reads the bytes back and holds them against the design.

Lengths are mm, areas mm2, volumes mm3. Exit code: 0 clear, 1 look, 2 stop or unusable input.
`;

const exitCodes: Record<Severity, number> = { clear: 0, look: 1, stop: 2 };

/** The command line. Returns the exit code; with --json only one JSON document goes to standard output. */
export async function main(argv: string[], out: (text: string) => void, err: (text: string) => void): Promise<number> {
  let given: Given;
  try {
    given = parseArguments(argv);
  } catch (thrown) {
    const unusable = asUnusable(thrown);
    err(`${unusable.message} ${unusable.remedy}\n`);
    return 2;
  }
  if (given.command === 'help') {
    out(help);
    return 0;
  }
  try {
    const report = given.command === 'inspect' ? await inspectFiles(given) : await writeFiles(given);
    out(given.json ? `${JSON.stringify(report.json)}\n` : report.text);
    return exitCodes[worst(report.severities)];
  } catch (thrown) {
    const unusable = thrown instanceof Unusable ? thrown : asUnusable(thrown);
    if (given.json) out(`${JSON.stringify({ error: { code: unusable.code, message: unusable.message, remedy: unusable.remedy } })}\n`);
    else err(`${unusable.message} ${unusable.remedy}\n`);
    return 2;
  }
}
