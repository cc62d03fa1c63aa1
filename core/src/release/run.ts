import type { Design, DesignPart } from '../design/design.ts';
import { packDrawing } from '../drawing/drawing.ts';
import { sha256 } from '../files/sha256.ts';
import { asUnusable, Unusable } from '../findings/finding.ts';
import { packMesh } from '../geometry/mesh.ts';
import { firstRecipe, scaleOf } from '../recipe/recipe.ts';
import { receiverOf } from '../receivers/receivers.ts';
import { makeFile, Skipped, type MadeFile, type Tools } from './make.ts';
import type { Manifest, NotMade, PartPrint, ReleasedFile } from './manifest.ts';
import { composed, settledNames, type NameFigures } from './names.ts';
import { rowFor, type PartsRow } from './parts-list.ts';
import { chosen, type ReleaseLine, type ReleaseRecipe } from './recipe.ts';

/** Changes of the program that change bytes raise this, so that old files are made again. */
export const makerVersion = 1;

/** One source of a release: a file and what was read from it. */
export interface Source {
  file: string;
  sha256: string;
  bytes: number;
  design: Design;
}

/** One file to be made. */
export interface ReleaseRow {
  source: string;
  part: DesignPart;
  line: ReleaseLine;
  /** Name with folder, as far as it is known before making. */
  name: string;
  input: string;
}

export interface Plan {
  rows: ReleaseRow[];
  prints: PartPrint[];
  manifest: Omit<Manifest, 'files' | 'notMade'>;
}

/** What a run tells while it goes on. */
export type Told = (done: number, of: number, what: string) => void;

const bytesOf = (part: DesignPart): Uint8Array =>
  part.geometry.kind === 'solid'
    ? new TextEncoder().encode(part.geometry.brep)
    : part.geometry.kind === 'mesh'
      ? packMesh(part.geometry.mesh)
      : packDrawing(part.geometry.drawing);

/**
 * Lays a release out: which part goes where under which name. Clashes are found before anything is made.
 * @throws Unusable when names clash and the recipe says stop, or nothing is chosen.
 */
export function planned(sources: readonly Source[], recipe: ReleaseRecipe, list: readonly PartsRow[], program: string): Plan {
  const ordered = [...sources].sort((a, b) => (a.file < b.file ? -1 : 1));
  const rows: Omit<ReleaseRow, 'name'>[] = [];
  const wanted: { folder: string; name: string; ending: string }[] = [];
  const prints: PartPrint[] = [];
  for (const source of ordered) {
    source.design.parts.forEach((part, index) => {
      const { summary } = part;
      const row = rowFor(list, summary);
      const scale = scaleOf(summary, firstRecipe(summary));
      const shape = sha256([bytesOf(part)]);
      const quantity = row?.quantity ?? summary.quantity;
      prints.push({
        name: summary.name,
        source: source.file,
        kind: summary.kind,
        quantity,
        shape,
        size: [0, 1, 2].map((k) => (summary.box.max[k] - summary.box.min[k]) * scale) as [number, number, number],
        volume: summary.volume * scale ** 3,
        area: summary.area * scale ** 2,
        faces: summary.faces,
        holes: summary.drawing?.holes ?? null,
      });
      for (const line of recipe.lines) {
        if (!chosen(line.choose, summary, row)) continue;
        const thickness = row?.thickness ?? summary.flat?.thickness ?? null;
        const figures: NameFigures = {
          job: recipe.job,
          part: summary.name,
          number: summary.partNumber ?? row?.number ?? '',
          variant: recipe.variant,
          body: source.design.parts.length > 1 ? String(index + 1) : '',
          material: row?.material ?? '',
          thickness: thickness === null ? '' : `${Number(thickness.toFixed(3))}mm`,
          quantity: `${quantity}x`,
          revision: recipe.revision,
          receiver: receiverOf(line.receiver).name,
          unit: line.unit,
          date: recipe.date,
        };
        wanted.push({ folder: composed(recipe.naming.folder, figures), name: composed(recipe.naming.file, figures), ending: line.format });
        rows.push({
          source: source.file,
          part,
          line,
          input: sha256([new TextEncoder().encode(JSON.stringify({ makerVersion, shape, scale, line: { ...line, name: '', choose: null } }))]),
        });
      }
    });
  }
  if (rows.length === 0)
    throw new Unusable(
      'nothing-chosen',
      'The release takes no part: nothing matches its lines.',
      'Look at "choose" in the recipe; an empty one takes every part.',
    );
  const { names, clashes } = settledNames(wanted, recipe.naming);
  if (recipe.naming.clash === 'stop' && clashes.length > 0) {
    throw new Unusable(
      'names-clash',
      `${clashes.length} ${clashes.length === 1 ? 'name' : 'names'} would be given to several files, first "${clashes[0].name}" to ${clashes[0].rows.length}.`,
      'Add a piece that tells them apart (body, receiver), or let them be numbered.',
    );
  }
  const { job, variant, revision, date } = recipe;
  return {
    rows: rows.map((r, i) => ({ ...r, name: names[i] })),
    prints,
    manifest: {
      program,
      form: 1,
      job,
      variant,
      revision,
      date,
      recipe: sha256([new TextEncoder().encode(JSON.stringify(recipe))]),
      sources: ordered.map(({ file, sha256: sum, bytes }) => ({ file, sha256: sum, bytes })),
      parts: prints,
    },
  };
}

/**
 * Runs a release. Files whose inputs are those of `before`, and whose bytes are still there, are not made again.
 * @param keep stores a file under its name. @param there gives the hash of what stands under a name, or null.
 */
export async function run(
  plan: Plan,
  before: Manifest | null,
  tools: Tools,
  keep: (name: string, bytes: Uint8Array) => Promise<void>,
  there: (name: string) => Promise<string | null>,
  told: Told = () => {},
): Promise<{ manifest: Manifest; made: Set<string> }> {
  const files: ReleasedFile[] = [];
  const notMade: NotMade[] = [];
  const made = new Set<string>();
  const old = new Map(before?.files.map((f) => [f.file, f]));
  for (const [i, row] of plan.rows.entries()) {
    told(i, plan.rows.length, row.name);
    const { part, line, source, name, input } = row;
    const about = { part: part.summary.name, source, line: line.name, receiver: receiverOf(line.receiver).name };
    const known = old.get(name);
    if (known && known.input === input && (await there(name)) === known.sha256) {
      files.push({ ...known, ...about });
      continue;
    }
    let file: MadeFile;
    try {
      file = await makeFile(part, line, tools);
    } catch (thrown) {
      const { code, message, remedy } = thrown instanceof Unusable ? thrown : asUnusable(thrown);
      notMade.push({ ...about, severity: thrown instanceof Skipped ? 'look' : 'stop', code, message, remedy });
      continue;
    }
    await keep(name, file.bytes);
    made.add(name);
    const { evidence, findings, verdict, bytes } = file;
    files.push({
      file: name,
      sha256: sha256([bytes]),
      bytes: bytes.length,
      ...about,
      format: line.format,
      verdict,
      input,
      claims: evidence.claims,
      findings: [...findings, ...evidence.findings],
    });
  }
  told(plan.rows.length, plan.rows.length, '');
  return { manifest: { ...plan.manifest, files, notMade }, made };
}
