import { formats } from '../formats/registry.ts';
import { claimsInWords } from '../prove/claims.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { formatNames, type FileFormat } from '../receivers/receivers.ts';
import { commands } from './commands.ts';
import { reference } from './help.ts';

const table = (head: readonly string[], rows: readonly (readonly string[])[]): string =>
  [head, head.map(() => '---'), ...rows].map((row) => `| ${row.join(' | ')} |`).join('\n');

/** The pages of docs/ that are made from the registries, by file name, as Markdown. `npm run docs` writes them. */
export function madePages(): Record<string, string> {
  const written = Object.entries(formatNames) as [FileFormat, string][];
  const opened = formats.map(({ id, endings, bare, unit }) => [
    id,
    endings.map((e) => `.${e}`).join(', '),
    unit === 'stated' ? 'the unit is stated' : bare ? bare.words : 'not stated: a person says it',
  ]);
  return {
    'commands.md': `# Command line

The same core without a server or a database: \`npx tall-kite COMMAND\`. Lengths are mm, areas mm2, volumes mm3, angles degrees. Every command takes
\`--json\`: one JSON document on standard output ([json.md](json.md)). Exit code 0 clear, 1 look, 2 stop or unusable input. This page is made from the
commands themselves (\`npm run docs\`), and a test runs every example on the demo's designs.

${reference(commands)}`,
    'formats.md': `# Formats

Made from the registries (\`npm run docs\`). The kind of a file is told by its bytes, not by its ending.

## Opened

${table(['format', 'endings', 'bare numbers are'], opened)}

Shapes given by their sizes (\`.sizes\`) are opened too: see [sheet.md](sheet.md).

## Written

${table(
  ['format', 'ready receivers that read it'],
  written.map(([id, name]) => [
    name,
    readyReceivers
      .filter((r) => r.formats.includes(id))
      .map((r) => `${r.name} (${r.process})`)
      .join(', '),
  ]),
)}

Assemblies are written as STEP, and as IGES with the solids only.
`,
    'tolerances.md': `# Claims and tolerances

Every claim that evidence can hold, what it is measured on, and how near the two routes must come. What is behind them: [claims.md](claims.md).
Made from the claims themselves (\`npm run docs\`); a test finds every name that the code uses here.

${table(
  ['claim', 'of', 'must come within'],
  claimsInWords.map((c) => [c.names.join(', '), c.of, c.tolerance]),
)}
`,
  };
}
