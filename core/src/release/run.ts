import type { Design, DesignPart } from '../model/design.ts';
import { packGeometry } from '../model/pack.ts';
import type { Evidence } from '../prove/evidence.ts';
import { sha256 } from '../base/sha256.ts';
import { asUnusable } from '../base/finding.ts';
import { identityRows } from '../geometry/rows.ts';
import type { Keep, Tools } from '../pipeline/one-file.ts';
import { firstRecipe } from '../recipe/recipe.ts';
import type { Receiver } from '../receivers/receivers.ts';
import { makeFile, Skipped, type GeometryOf, type MadeFile } from './make.ts';
import type { Manifest, NotMade, ReleasedFile } from './manifest.ts';
import { rowFinder, type PartsRow } from './parts-list.ts';
import type { Plan, ReleaseRow, SourceFile } from './plan.ts';
import type { PlanPart } from './recipe.ts';

/** One source of a release: a file and what was read from it. */
export interface Source extends SourceFile {
  design: Design;
}

/** What a run tells while it goes on. */
export type Told = (done: number, of: number, what: string) => void;

/** Parts of read files as a release sees them, with what a parts list adds; and the way back to their geometry. */
export function partsOf(sources: readonly Source[], list: readonly PartsRow[], receivers: readonly Receiver[]): { parts: PlanPart[]; geometryOf: GeometryOf } {
  const held = new Map<string, DesignPart>();
  const rowOf = rowFinder(list);
  const ordered = [...sources].sort((a, b) => (a.file < b.file ? -1 : 1));
  const parts = ordered.flatMap((source) =>
    source.design.parts.map((part, index): PlanPart => {
      const { summary } = part;
      const row = rowOf(summary);
      const key = `${source.file}#${index + 1}`;
      held.set(key, part);
      return {
        key,
        source: source.file,
        body: source.design.parts.length > 1 ? index + 1 : 0,
        summary,
        recipe: firstRecipe(summary, receivers),
        shape: sha256([packGeometry(part.geometry)]),
        place: summary.places?.[0] ?? identityRows,
        quantity: row?.quantity ?? summary.quantity,
        number: summary.partNumber ?? row?.number ?? '',
        variant: '',
        material: row?.material ?? '',
        thickness: row?.thickness ?? summary.flat?.thickness ?? null,
      };
    }),
  );
  return { parts, geometryOf: async ({ key }) => held.get(key)! };
}

/** What stands in manifest and report about a row, whatever came of it. */
export function aboutRow({ parts, line, title }: Pick<ReleaseRow, 'parts' | 'line' | 'title'>) {
  const sources = [...new Set(parts.map((p) => p.source))];
  return {
    part: title || parts[0].summary.name,
    ...(title ? { parts: parts.map((p) => p.summary.name) } : {}),
    source: sources.join(', '),
    line: line.name,
    receiver: line.receiver.name,
  };
}

/** A made row as it stands in the manifest. */
export function releasedFile(row: ReleaseRow, { sha256: sum, bytes, evidence }: MadeFile): ReleasedFile {
  const { name, line, input } = row;
  const { verdict, claims, findings } = evidence;
  return { file: name, sha256: sum, bytes, ...aboutRow(row), format: line.format, verdict, input, claims, findings };
}

/** Why a file with the verdict stop is not among what is released; null when it is, since it is fit or was asked for even so. */
export function heldBack(evidence: Evidence, evenSo: boolean): { code: string; message: string; remedy: string } | null {
  if (evidence.verdict !== 'stop' || evenSo) return null;
  return { code: 'held-back', message: `Held back, since its verdict is stop. ${evidence.reason ?? ''}`.trim(), remedy: 'Mend it, or release it even so.' };
}

/** What a release is run with. */
export interface Running {
  tools: Tools;
  geometryOf: GeometryOf;
  /** Stores a file under its name and gives its bytes back. */
  keep: Keep;
  /** The hash of what stands under a name, or null. */
  there: (name: string) => Promise<string | null>;
  told?: Told;
  /** Whether files whose verdict is stop are left; otherwise `drop` takes each away again. */
  evenSo?: boolean;
  drop?: (name: string) => Promise<void>;
}

/** What came of a release: its manifest, and the names of files that were made, and of those that were made and taken away again. */
export interface Done {
  manifest: Manifest;
  made: Set<string>;
  held: Set<string>;
}

/**
 * Runs a release. Files whose inputs are those of `before`, and whose bytes are still there, are not made again; one whose verdict was stop
 * counts only when such files are asked for even so this time too.
 * @example await run(plan, null, { tools: nodeTools, geometryOf, keep, there: async () => null })
 */
export async function run(plan: Plan, before: Manifest | null, running: Running): Promise<Done> {
  const { tools, geometryOf, keep, there, told = () => {}, evenSo = true, drop = async () => {} } = running;
  const files: ReleasedFile[] = [];
  const notMade: NotMade[] = [];
  const made = new Set<string>();
  const held = new Set<string>();
  const old = new Map(before?.files.map((f) => [f.file, f]));
  const goesOn = async ({ name, input }: ReleaseRow): Promise<ReleasedFile | null> => {
    const known = old.get(name);
    if (known?.input !== input || (known.verdict === 'stop' && !evenSo)) return null;
    return (await there(name)) === known.sha256 ? known : null;
  };
  for (const [i, row] of plan.rows.entries()) {
    told(i, plan.rows.length, row.name);
    const known = await goesOn(row);
    if (known) {
      files.push({ ...known, ...aboutRow(row) });
      continue;
    }
    const { parts: _, ...about } = aboutRow(row);
    try {
      const file = await makeFile(row, geometryOf, tools, keep);
      const why = heldBack(file.evidence, evenSo);
      if (why) {
        await drop(row.name);
        held.add(row.name);
        notMade.push({ ...about, severity: 'stop', ...why });
        continue;
      }
      files.push(releasedFile(row, file));
      made.add(row.name);
    } catch (thrown) {
      const { code, message, remedy } = asUnusable(thrown);
      notMade.push({ ...about, severity: thrown instanceof Skipped ? 'look' : 'stop', code, message, remedy });
    }
  }
  told(plan.rows.length, plan.rows.length, '');
  return { manifest: { ...plan.manifest, files, notMade }, made, held };
}
