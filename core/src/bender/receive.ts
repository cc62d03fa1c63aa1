import type { Finding } from '../base/finding.ts';
import { Unusable } from '../base/finding.ts';
import type { BenderReceiver } from '../receivers/receivers.ts';
import { sayRun } from '../tubes/say.ts';
import { developedOf, tableOf, type Run } from '../tubes/run.ts';
import { clashFindings, usualSpace } from './order.ts';
import { benderFindings, ruleFor, usualBender } from './rules.ts';
import { readTable, type ReadTable } from './table-file.ts';
import { runOfTable } from './typed.ts';

/** What a tube bender understands from a table's bytes. Lengths in mm. */
export interface ReceivedTable {
  run: Run;
  /** "tube 42.4 x 2.6, 3 bends". */
  name: string;
  developed: number;
  /** Length to cut, as the table states it; null when it does not. */
  cut: number | null;
  bends: number;
  findings: Finding[];
}

/** How far a stated angle may lie from what the machine's own rule gives, degrees. */
const angleSlack = 1e-6;

/**
 * The stand-in of a tube bender: reads a bend table and nothing else, bends the tube that it says, and checks it by the machine's own rules.
 * @param name of the table, for its sentences
 * @throws Unusable when the bytes are no bend table, or longer than the machine takes
 * @example receiveTable(bytes, curlew, 'R1').findings
 */
export function receiveTable(bytes: Uint8Array, receiver: BenderReceiver, name: string): ReceivedTable {
  if (bytes.length > receiver.mostBytes)
    throw new Unusable('too-large', `${receiver.name} takes files of at most ${receiver.mostBytes.toLocaleString('en')} bytes.`, 'Check the file.');
  const read = readTable(bytes);
  const run = runOfTable(read);
  const findings = [
    ...benderFindings(name, run, { ...usualBender, ...receiver.bender, rules: [] }, read.cut),
    ...clashFindings(name, run, usualSpace(run.section.width)),
    ...angleFindings(name, run, read, receiver),
  ];
  return { run, name: sayRun(run), developed: developedOf(run), cut: read.cut, bends: read.table.rows.length, findings };
}

/** Angles that the table sets and the machine's rules would set otherwise: it was made by other rules. */
function angleFindings(name: string, run: Run, { set, material }: ReadTable, { bender: { rules }, name: machine }: BenderReceiver): Finding[] {
  const other = tableOf(run).rows.flatMap(({ radius, angle }, i) => {
    const rule = rules.length > 0 && radius > 0 ? ruleFor(rules, material, radius) : null;
    return rule && set[i] !== null && Math.abs(set[i] - (angle * rule.ratio + rule.offset)) > angleSlack ? [i + 1] : [];
  });
  if (other.length === 0) return [];
  return [
    {
      code: 'other-rules',
      severity: 'stop',
      count: other.length,
      message: `${name}: the machine angle of bend ${other[0]} is not what the rules of ${machine} give for ${material || 'this die'}${other.length > 1 ? `; so are ${other.length - 1} more` : ''}.`,
      remedy: 'Write the table again for this machine.',
    },
  ];
}
