import { misfit, type Skip } from './misfit.ts';
import { layOut, type Laid, type LayItem } from '../beds/layout.ts';
import { orderedText } from '../base/ordered.ts';
import { sha256 } from '../base/sha256.ts';
import { Unusable } from '../base/finding.ts';
import { boxCorners } from '../geometry/box.ts';
import { placed } from '../geometry/placement.ts';
import { safeFileName, scaleOf } from '../recipe/recipe.ts';
import type { Receiver } from '../receivers/receivers.ts';
import { placementOf } from '../stance/stance.ts';
import type { Manifest, PartPrint } from './manifest.ts';
import { composed, settledNames, type Clash, type NameFigures } from './names.ts';
import { takenBy, comesAsZip, type PlanPart, type ReleaseLine, type ReleaseRecipe } from './recipe.ts';

/** Changes of the program that change bytes raise this, so that old files are made again. */
export const makerVersion = 4;

/** Where a copy of a part stands on its bed: turn (degrees) and where the middle of its box lies (mm). */
export interface OnBed {
  key: string;
  turn: number;
  x: number;
  y: number;
}

/** One file to be made. */
export interface ReleaseRow {
  /** Tells it from the other rows of its recipe: what is in it, and which line takes it. */
  key: string;
  parts: PlanPart[];
  line: ReleaseLine;
  /** Title of a file that holds several parts; empty for one each. */
  title: string;
  /** Set for a bed: which copies stand where. */
  bed: OnBed[] | null;
  /** Name with folder. */
  name: string;
  /** Of everything that it is made from: equal inputs give equal bytes. */
  input: string;
  /** Known before the run: why this can't be made. */
  skip: Skip | null;
}

/** A file that a release starts from. */
export interface SourceFile {
  file: string;
  sha256: string;
  bytes: number;
}

export interface Plan {
  rows: ReleaseRow[];
  clashes: Clash[];
  prints: PartPrint[];
  manifest: Omit<Manifest, 'files' | 'notMade'>;
}

type Draft = Omit<ReleaseRow, 'key' | 'name' | 'input'> & { figures: NameFigures };

const hashed = (v: unknown) => sha256([new TextEncoder().encode(orderedText(v))]);
const thicknessText = (t: number | null) => (t === null ? '' : `${Number(t.toFixed(3))}mm`);

/** What is remembered of a part for the next revision. */
export function printOf(part: PlanPart): PartPrint {
  const { summary, shape, source, quantity } = part;
  const scale = scaleOf(summary, part.recipe);
  return {
    name: summary.name,
    source,
    variant: part.variant,
    kind: summary.kind,
    quantity,
    shape,
    size: [0, 1, 2].map((k) => (summary.box.max[k] - summary.box.min[k]) * scale) as [number, number, number],
    volume: summary.volume * scale ** 3,
    area: summary.area * scale ** 2,
    faces: summary.faces,
    holes: summary.drawing?.holes ?? null,
  };
}

/**
 * Lays a release out: which part goes where under which name. Clashes are found before anything is made.
 * @throws Unusable when nothing is chosen; or, unless `preview`, when names clash and the recipe says stop.
 */
export function planned(
  parts: readonly PlanPart[],
  sources: readonly SourceFile[],
  recipe: ReleaseRecipe,
  { program, preview = false }: { program: string; preview?: boolean },
): Plan {
  // One each: by part, then by line, so that files of one part stand together. Groups follow.
  const drafts = parts.flatMap((part) =>
    recipe.lines.filter((l) => l.group === 'each').flatMap((line) => takenBy(line.choose, [part]).map((taken) => alone(taken, line, recipe))),
  );
  for (const line of recipe.lines) if (line.group !== 'each') drafts.push(...grouped(takenBy(line.choose, parts), line, recipe)); // prettier-ignore
  if (drafts.length === 0)
    throw new Unusable(
      'nothing-chosen',
      'The release takes no part: nothing matches its lines.',
      'Look at "choose" in the recipe; an empty one takes every part.',
    );
  const keys = drafts.map(({ title, parts: members, line }) => `${title || members[0].key} ${recipe.lines.indexOf(line) + 1}`);
  const wanted = drafts.map(({ figures, line }, i) => {
    const own = recipe.naming.own[keys[i]];
    return {
      folder: composed(recipe.naming.folder, figures),
      name: own ? safeFileName(own) : composed(recipe.naming.file, figures),
      ending: comesAsZip(line.group) ? 'zip' : line.format,
    };
  });
  // What can't be made takes no name from what can.
  const live = drafts.map((d, i) => (d.skip ? -1 : i)).filter((i) => i >= 0);
  const { names, clashes } = settledNames(
    live.map((i) => wanted[i]),
    recipe.naming,
  );
  if (!preview && recipe.naming.clash === 'stop' && clashes.length > 0) {
    throw new Unusable(
      'names-clash',
      `${clashes.length} ${clashes.length === 1 ? 'name' : 'names'} would be given to several files, first "${clashes[0].name}" to ${clashes[0].rows.length}.`,
      'Add a piece that tells them apart (body, receiver), or let them be numbered.',
    );
  }
  const nameOf = new Map(live.map((row, i) => [row, names[i]]));
  const { job, variant, revision, date } = recipe;
  const prints = parts.map(printOf);
  return {
    rows: drafts.map(({ figures: _, ...draft }, i) => ({ ...draft, key: keys[i], name: nameOf.get(i) ?? '', input: inputOf(draft) })),
    clashes: clashes.map((c) => ({ ...c, rows: c.rows.map((i) => live[i]) })),
    prints,
    manifest: { program, form: 1, job, variant, revision, date, recipe: hashed(recipe), sources: [...sources], parts: prints },
  };
}

function inputOf({ parts, line, title, bed }: Pick<ReleaseRow, 'parts' | 'line' | 'title' | 'bed'>): string {
  const made = parts.map(({ shape, recipe, summary, quantity, place, number, material, thickness }) => {
    const { size, stance, facets, file, drawing } = recipe;
    const how = { size, stance, facets, file: { encoding: file.encoding, quads: file.quads }, drawing };
    const group =
      line.group === 'each' ? null : { quantity, place, places: line.group === 'all' || line.group === 'tubes' ? (summary.places ?? []).slice(1) : [] };
    // What a cut list says of a part beside its shape.
    const stock = line.group === 'nested' ? { stock: { material, thickness } } : {};
    return { shape, how, name: summary.name, number, group, ...stock };
  });
  return hashed({ makerVersion, parts: made, line: { ...line, name: '', choose: null }, title, bed });
}

function figuresOf(part: PlanPart | null, line: ReleaseLine, recipe: ReleaseRecipe, more: Partial<NameFigures>): NameFigures {
  return {
    job: recipe.job,
    part: part?.summary.name ?? '',
    number: part?.number ?? '',
    variant: part?.variant || recipe.variant,
    body: part && part.body > 0 ? String(part.body) : '',
    material: part?.material ?? '',
    thickness: thicknessText(part?.thickness ?? null),
    quantity: part ? `${part.quantity}x` : '',
    revision: recipe.revision,
    receiver: line.receiver.name,
    unit: line.unit,
    date: recipe.date,
    ...more,
  };
}

function alone(part: PlanPart, line: ReleaseLine, recipe: ReleaseRecipe): Draft {
  return { parts: [part], line, title: '', bed: null, skip: misfit(part, line), figures: figuresOf(part, line, recipe, {}) };
}

/** Whether a part goes into the file of a line; a nest lists what is no panel, with why. */
const suits = (part: PlanPart, line: ReleaseLine): boolean => line.group === 'nested' || misfit(part, line) === null;

/** Several parts to one file; parts whose kind does not suit come as rows of their own that say why. */
function grouped(parts: readonly PlanPart[], line: ReleaseLine, recipe: ReleaseRecipe): Draft[] {
  const out: Draft[] = [];
  const fit: PlanPart[] = [];
  for (const part of parts)
    if (suits(part, line)) fit.push(part);
    else out.push(alone(part, line, recipe));
  if (fit.length === 0) return out;
  const file = (members: PlanPart[], title: string, more: Partial<NameFigures>, bed: OnBed[] | null = null) =>
    out.push({ parts: members, line, title, bed, skip: null, figures: figuresOf(null, line, recipe, { part: title, ...more }) });
  const label = line.name || recipe.job || 'parts';
  const bedFiles = () => {
    const { beds, off } = onBeds(fit, line.receiver);
    for (const { part, skip } of off) out.push({ ...alone(part, line, recipe), skip });
    beds.forEach((laid, i) => {
      const keys = new Set(laid.map((l) => l.key));
      const bed = `bed ${i + 1}`;
      file(
        fit.filter((p) => keys.has(p.key)),
        `${label} ${bed}`,
        { body: String(i + 1) },
        laid,
      );
    });
  };
  if (comesAsZip(line.group)) file(fit, label, { quantity: `${fit.length}parts` });
  if (line.group === 'all') file(fit, label, { quantity: `${fit.length}parts` });
  if (line.group === 'stock') {
    const stocks = new Map<string, PlanPart[]>();
    for (const p of fit) {
      const key = [p.material || 'any material', p.thickness === null ? 'any thickness' : `${Number(p.thickness.toFixed(3))} mm`].join(' ');
      stocks.set(key, [...(stocks.get(key) ?? []), p]);
    }
    for (const [title, members] of [...stocks].sort(([a], [b]) => (a < b ? -1 : 1))) {
      const [{ material, thickness }] = members;
      file(members, title, { material, thickness: thicknessText(thickness), quantity: `${members.length}parts` });
    }
  }
  if (line.group === 'bed') bedFiles();
  return out;
}

/** Beds laid out by the boxes of the parts as they stand: known before any facet is made, and never too small. */
function onBeds(parts: readonly PlanPart[], receiver: Receiver): { beds: OnBed[][]; off: { part: PlanPart; skip: Skip }[] } {
  const items: LayItem[] = parts.map((part) => {
    const at = placed(boxCorners(part.summary.box), placementOf(part.recipe.stance, scaleOf(part.summary, part.recipe), []));
    const side = (k: number) => {
      const all = Array.from({ length: 8 }, (_, i) => at[3 * i + k]);
      return Math.max(...all) - Math.min(...all);
    };
    const [w, h] = [side(0) / 2, side(1) / 2];
    // prettier-ignore
    return { id: part.key, name: part.summary.name, outline: [[-w, -h], [w, -h], [w, h], [-w, h]], height: side(2), copies: part.quantity };
  });
  const [width, length, height] = receiver.bed;
  const layout = layOut(items, { width, length, height, spacing: receiver.spacing, margin: receiver.spacing });
  const beds: OnBed[][] = Array.from({ length: layout.beds }, () => []);
  layout.laid.forEach(({ id, bed, turn, x, y }: Laid) => beds[bed].push({ key: id, turn, x, y }));
  const off = layout.misfits.map((m) => ({
    part: parts.find((p) => p.key === m.id)!,
    skip: {
      code: 'does-not-fit',
      message: `It is ${m.over.toFixed(1)} mm too long in its ${m.along} for the bed of ${receiver.name} (${receiver.bed.join(' × ')} mm).`,
      remedy: 'Choose another stance, a larger receiver, or divide the part.',
    },
  }));
  return { beds: beds.filter((b) => b.length > 0), off };
}
