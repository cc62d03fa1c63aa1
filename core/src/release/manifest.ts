import Papa from 'papaparse';
import type { Claim } from '../prove/evidence.ts';
import type { Finding, Severity } from '../base/finding.ts';

/** What is remembered of a part, so that the next revision can be held against it. Lengths in mm. */
export interface PartPrint {
  name: string;
  source: string;
  variant: string;
  kind: string;
  quantity: number;
  /** Of its geometry's own bytes. */
  shape: string;
  size: [number, number, number];
  volume: number;
  area: number;
  faces: number | null;
  holes: number | null;
}

export interface ReleasedFile {
  file: string;
  sha256: string;
  bytes: number;
  /** Name of its part, or title of a file that holds several. */
  part: string;
  /** The parts in it, when it holds several. */
  parts?: string[];
  source: string;
  line: string;
  receiver: string;
  format: string;
  verdict: Severity;
  /** Of everything that the file was made from: when it is the same, so are the bytes. */
  input: string;
  claims: Claim[];
  findings: Finding[];
}

/** A file that was not made: its kind does not suit (a look), or it failed (a stop). */
export interface NotMade {
  part: string;
  source: string;
  line: string;
  receiver: string;
  severity: 'look' | 'stop';
  code: string;
  message: string;
  remedy: string;
}

/** The manifest of a release: no time of the run in it, so that two runs of the same inputs give the same bytes. */
export interface Manifest {
  program: string;
  form: 1;
  job: string;
  variant: string;
  revision: string;
  date: string;
  recipe: string;
  sources: { file: string; sha256: string; bytes: number }[];
  parts: PartPrint[];
  files: ReleasedFile[];
  notMade: NotMade[];
}

/** What became of a part since the last revision; `what` says in words with figures what changed. */
export interface PartChange {
  part: string;
  state: 'same' | 'changed' | 'new' | 'gone';
  what: string[];
}

const figure = (v: number) => String(Number(v.toFixed(3)));

/** Parts of two revisions paired by name, then by shape (renamed): [before or null, after or null], in the order of `after`, then what is gone. */
export function pairedParts<A extends Pick<PartPrint, 'name' | 'variant' | 'shape'>, B extends Pick<PartPrint, 'name' | 'variant' | 'shape'>>(
  before: readonly A[],
  after: readonly B[],
): [A | null, B | null][] {
  const key = (p: { name: string; variant: string }) => `${p.name.toLowerCase()}\n${p.variant.toLowerCase()}`;
  const left = new Map<string, A[]>();
  for (const p of before) left.set(key(p), [...(left.get(key(p)) ?? []), p]);
  const named = after.map((p) => left.get(key(p))?.shift() ?? null);
  const rest = [...left.values()].flat();
  const byShape = new Map<string, A[]>();
  for (const p of rest) byShape.set(p.shape, [...(byShape.get(p.shape) ?? []), p]);
  const pairs = after.map((p, i): [A | null, B] => [named[i] ?? byShape.get(p.shape)?.shift() ?? null, p]);
  const taken = new Set(pairs.map(([a]) => a));
  return [...pairs, ...rest.filter((p) => !taken.has(p)).map((p): [A, null] => [p, null])];
}

/** What became of each part between two revisions. */
export function comparedParts(before: readonly PartPrint[], after: readonly PartPrint[]): PartChange[] {
  return pairedParts(before, after).map(([old, now]) => {
    if (!now) return { part: old!.name, state: 'gone', what: [] };
    if (!old) return { part: now.name, state: 'new', what: [] };
    const what = changesOf(old, now);
    return { part: now.name, state: what.length === 0 ? 'same' : 'changed', what };
  });
}

/** What changed between two states of one part, in words with figures; empty when nothing did. */
export function changesOf(old: PartPrint, now: PartPrint): string[] {
  const what: string[] = [];
  if (old.name.toLowerCase() !== now.name.toLowerCase()) what.push(`named "${old.name}" before`);
  if (old.quantity !== now.quantity) what.push(`quantity ${old.quantity} to ${now.quantity}`);
  if (old.shape === now.shape) return what;
  const sizes = [old.size, now.size].map((s) => s.map(figure).join(' x '));
  if (sizes[0] !== sizes[1]) what.push(`size ${sizes[0]} to ${sizes[1]} mm`);
  if (old.holes !== null && now.holes !== null && old.holes !== now.holes) what.push(`holes ${old.holes} to ${now.holes}`);
  if (old.faces !== null && now.faces !== null && old.faces !== now.faces) what.push(`faces ${old.faces} to ${now.faces}`);
  if (Math.abs(old.volume - now.volume) > 1e-6 * Math.max(1, Math.abs(old.volume))) what.push(`volume ${figure(old.volume)} to ${figure(now.volume)} mm3`);
  else if (Math.abs(old.area - now.area) > 1e-6 * Math.max(1, old.area)) what.push(`area ${figure(old.area)} to ${figure(now.area)} mm2`);
  return what.length > 0 ? what : ['shape, within the same size and volume'];
}

/** The manifest as it is kept: one text for equal manifests. */
export const manifestText = (manifest: Manifest): string => `${JSON.stringify(manifest, null, 1)}\n`;

/** The report as CSV: every file and everything that was not made. */
export function reportCsv(manifest: Manifest, changes: readonly PartChange[], made: ReadonlySet<string>): string {
  const change = new Map(changes.map((c) => [c.part, c.state === 'changed' ? `changed: ${c.what.join('; ')}` : c.state]));
  const rows = [
    ...manifest.files.map((f) => [
      f.part,
      change.get(f.part) ?? '',
      f.source,
      manifest.revision,
      f.line,
      f.receiver,
      f.file,
      made.has(f.file) ? 'made' : 'same as before',
      f.verdict,
      f.bytes,
      f.sha256,
      f.findings.map((x) => x.message).join(' '),
      manifest.recipe,
    ]),
    ...manifest.notMade.map((n) => [
      n.part,
      change.get(n.part) ?? '',
      n.source,
      manifest.revision,
      n.line,
      n.receiver,
      '',
      'not made',
      n.severity,
      '',
      '',
      `${n.message} ${n.remedy}`,
      manifest.recipe,
    ]),
    ...changes
      .filter((c) => c.state === 'gone')
      .map((c) => [c.part, 'gone', '', manifest.revision, '', '', '', 'gone', 'look', '', '', 'The part is not in this revision any more.', manifest.recipe]),
  ];
  const fields = [
    'part',
    'since the last release',
    'source',
    'revision',
    'line',
    'receiver',
    'file',
    'state',
    'verdict',
    'bytes',
    'sha256',
    'findings',
    'recipe',
  ];
  return `${Papa.unparse({ fields, data: rows }, { newline: '\r\n', escapeFormulae: true })}\r\n`;
}
