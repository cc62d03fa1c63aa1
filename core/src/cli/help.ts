import type { Command } from '../command/command.ts';
import { typedName } from '../command/option.ts';

/** Longest line of the help. */
const width = 120;

/** Words after one another, in lines no longer than the help is wide. */
function wrapped(words: readonly string[], first: string, indent: string): string {
  const lines = [first];
  for (const word of words) {
    const longer = `${lines[lines.length - 1]} ${word}`;
    if (longer.length <= width) lines[lines.length - 1] = longer;
    else lines.push(`${indent}${word}`);
  }
  return lines.join('\n');
}

/** "--weld MM" and the like for each option of a command. */
const optionsOf = ({ options }: Command): { typed: string; about: string }[] =>
  Object.entries(options).map(([key, { hint, about, many }]) => ({
    typed: `--${typedName(key)}${hint === null ? '' : ` ${hint}`}${many ? ' ...' : ''}`,
    about,
  }));

/** "tall-kite mend IN --out FILE". */
function synopsis({ word, takes, out }: Command): string {
  const to = out ? ` --out ${out.kind === 'folder' ? 'DIR' : 'FILE'}` : '';
  return `tall-kite ${word} ${takes}${out?.needed ? to : out ? ` [${to.trim()}]` : ''}`;
}

const common = `Every command takes --json: one JSON document on standard output. Lengths are mm, areas mm2, volumes mm3, angles degrees.
Exit code: 0 clear, 1 look, 2 stop or unusable input. A written file is read back from its own bytes and held against what was meant.
`;

/** The help of all commands: what each does. */
export function helpOfAll(commands: readonly Command[]): string {
  const lines = commands.map((c) => `  ${synopsis(c)}\n${wrapped(c.does.split(' '), '     ', '      ')}`);
  return `tall-kite: reads designs, writes files for machines, and proves them from their own bytes.\n\n${lines.join('\n')}\n\n"tall-kite COMMAND --help" says what options it takes.\n${common}`;
}

/** The help of one command: what it does, what each option does, an example. */
export function helpOf(command: Command): string {
  const options = optionsOf(command);
  const lines = options.map((o) => `${wrapped(o.about.split(' '), `  ${o.typed}\n     `, '      ')}\n`);
  return `${wrapped(
    options.map((o) => `[${o.typed}]`),
    synopsis(command),
    '    ',
  )}\n\n${wrapped(command.does.split(' '), ' ', '  ')}\n\n${lines.join('')}\nFor instance:\n  tall-kite ${command.example}\n\n${common}`;
}

/** All of it by the word of the command, "" for the help of all. */
export const helpByWord = (commands: readonly Command[]): Record<string, string> => ({
  '': helpOfAll(commands),
  ...Object.fromEntries(commands.map((c) => [c.word, helpOf(c)])),
});

/** The command reference, as Markdown. */
export function reference(commands: readonly Command[]): string {
  const cell = (text: string) => text.replace(/\|/g, '\\|');
  const sections = commands.map((c) => {
    const rows = optionsOf(c).map((o) => `| \`${cell(o.typed)}\` | ${cell(o.about)} |`);
    const table = rows.length > 0 ? `\n| option | what it does |\n| --- | --- |\n${rows.join('\n')}\n` : '';
    return `## ${c.word}\n\n\`${synopsis(c)}\`\n\n${c.does}\n${table}\n\`\`\`sh\ntall-kite ${c.example}\n\`\`\`\n`;
  });
  return sections.join('\n');
}
