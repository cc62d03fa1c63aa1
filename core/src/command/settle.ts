import { rm } from 'node:fs/promises';
import type { Evidence } from '../prove/evidence.ts';
import { sha256 } from '../base/sha256.ts';
import type { FileFormat } from '../receivers/receivers.ts';

/** A file that was written and proved, as the command line tells of it. */
export interface Settled {
  file: string;
  format: FileFormat;
  part: string;
  bytes: number;
  sha256: string;
  verdict: Evidence['verdict'];
  /** Why the verdict is not clear; null when it is. */
  reason: string | null;
  /** Whether the file was left on the disk: one with the verdict stop is not, unless asked (--even-so). */
  kept: boolean;
  evidence: Evidence['claims'];
  findings: Evidence['findings'];
}

/** Takes a file with the verdict stop away again, so that no machine finds it, unless it was asked for even so. */
export async function settled(
  made: { file: string; format: FileFormat; part: string; bytes: Uint8Array; evidence: Evidence },
  wish: { evenSo: boolean },
): Promise<Settled> {
  const { file, format, part, bytes, evidence } = made;
  const kept = evidence.verdict !== 'stop' || wish.evenSo;
  if (!kept) await rm(file, { force: true });
  const { verdict, claims, findings, reason } = evidence;
  return { file, format, part, bytes: bytes.length, sha256: sha256([bytes]), verdict, reason: reason ?? null, kept, evidence: claims, findings };
}

/** Nine digits of a number: the rest is of computers. */
const plain = (v: number | string): string => (typeof v === 'number' ? String(Number(v.toPrecision(9))) : v);

/** What the command line says of it, in lines. */
export function settledText(row: Settled): string {
  if (row.file === '') return `${row.verdict}: ${row.reason}\n${row.findings.map((f) => `  ${f.severity}: ${f.remedy}\n`).join('')}`;
  const left = row.kept ? '' : ' (not left on the disk; --even-so leaves it)';
  const lines = [`${row.verdict}: ${row.file} (${row.bytes} bytes)${left}`];
  if (row.reason) lines.push(`  because: ${row.reason}`);
  for (const claim of row.evidence)
    lines.push(`  ${claim.verdict}: ${claim.quantity} ${plain(claim.designed)} -> ${plain(claim.received)} ${claim.unit}`.trimEnd());
  for (const finding of row.findings) lines.push(`  ${finding.severity}: ${finding.message} ${finding.remedy}`);
  return `${lines.join('\n')}\n`;
}
