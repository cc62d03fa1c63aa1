import { checkDrawing } from '../curves/check.ts';
import { boxOfContour, boxOfDrawing, transformedDrawing, type Contour, type Drawing } from '../curves/drawing.ts';
import type { Affine } from '../curves/affine.ts';
import { nest, netArea, pointInside, type Nested } from '../curves/nest.ts';
import { flattened } from '../curves/flatten.ts';
import { isFull, pointAt } from '../curves/segment.ts';
import { cutThrough, meantContours, type Meant } from '../drawing/meaning.ts';
import { NeedsKernel, withoutKernel, type Kernel } from '../kernel/kernel.ts';
import type { Geometry, PartSummary } from '../model/design.ts';
import { marksOf, likeness, roughly, type Marks } from '../panels/equal.ts';
import type { Panel, PanelHole } from '../panels/panel.ts';
import { recognisePanel } from '../panels/recognise.ts';
import { firstDrawingRecipe } from '../model/drawing-recipe.ts';
import { scaleOf, type Recipe } from '../recipe/recipe.ts';
import { faceted, scaledBrep } from '../sheet/flatten.ts';
import { topologyOfMesh } from '../sheet/from-mesh.ts';
import type { Topology } from '../sheet/topology.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { asUnusable, Unusable, type Finding } from '../base/finding.ts';
import { noBands, weighed, type CutLayer, type CutRow } from './row.ts';

/** A part as it comes to the list: its shape in its own numbers, and what is known of it. */
export interface ListPart {
  key: string;
  summary: PartSummary;
  recipe: Recipe;
  geometry: Geometry;
  quantity: number;
  number: string;
  material: string;
  /** Typed; a solid's own is measured. */
  thickness: number | null;
}

export type ListProgress = (share: number, what: string) => boolean;

/** Parts to be looked at in one list. */
const mostParts = 5000;

/** The same as cutListOf; the kernel is asked for only when a part needs it (its solid is not taken by our mesher, or not in mm). */
export function cutListWith(parts: readonly ListPart[], working: () => Promise<Kernel>, progress?: ListProgress): Promise<CutRow[] | null> {
  return withoutKernel((kernel) => cutListOf(parts, kernel, progress), working);
}

/**
 * The cut list of some parts: panels recognised, equal ones brought into one row, the rest named with why they are none. Mirror images keep rows of their
 * own and say so. @param progress true when the person gave up: null comes of it
 * @throws Unusable when there are too many parts
 */
export function cutListOf(parts: readonly ListPart[], kernel: Kernel | null, progress: ListProgress = () => false): CutRow[] | null {
  if (parts.length > mostParts) throw new Unusable('too-many-parts', `${parts.length.toLocaleString('en')} parts are too many for one list; at most ${mostParts.toLocaleString('en')}.`, 'Choose a branch of the design.'); // prettier-ignore
  const rows: CutRow[] = [];
  const groups = new Map<string, { row: CutRow; marks: Marks }[]>();
  for (const [i, part] of parts.entries()) {
    if (progress(i / parts.length, part.summary.name)) return null;
    if (part.geometry.kind === 'drawing') {
      rows.push(...rowsOfDrawing(part));
      continue;
    }
    const { row, marks } = rowOf(part, kernel);
    if (!marks) {
      rows.push(row);
      continue;
    }
    const key = `${row.kind} ${row.material} ${roughly(marks)}`;
    const group = groups.get(key) ?? [];
    groups.set(key, group);
    let equal: CutRow | null = null;
    for (const other of group) {
      const like = likeness(marks, other.marks);
      if (like === 'equal') equal = other.row;
      else if (like === 'mirrored') row.mirrorOf ??= other.row.key;
      if (equal) break;
    }
    if (equal) {
      equal.quantity += row.quantity;
      equal.members.push(...row.members);
      continue;
    }
    group.push({ row, marks });
    rows.push(row);
  }
  progress(1, '');
  return rows;
}

/** A row that says nothing yet but what is known of its part. */
function baseOf({ summary, key, quantity, number, material, thickness }: ListPart): CutRow {
  return {
    key,
    members: [{ key, name: summary.name, quantity }],
    kind: 'other',
    number,
    name: summary.name,
    quantity,
    material,
    thickness,
    length: 0,
    width: 0,
    grain: 'none',
    bands: noBands,
    holes: [],
    pockets: [],
    edgeHoles: [],
    mitres: [],
    notes: '',
    area: 0,
    volume: null,
    weight: null,
    why: null,
    mirrorOf: null,
    layers: [],
    findings: [...(summary.lost ?? [])],
  };
}

function rowOf(part: ListPart, kernel: Kernel | null): { row: CutRow; marks: Marks | null } {
  const { summary } = part;
  const base = baseOf(part);
  const scale = scaleOf(summary, part.recipe);
  const size = [0, 1, 2].map((k) => (summary.box.max[k] - summary.box.min[k]) * scale).sort((a, b) => b - a);
  const bought = { ...base, length: size[0], width: size[1], thickness: size[2] };
  let top: Topology;
  let volume: number;
  try {
    ({ top, volume } = topologyFor(part, scale, kernel));
  } catch (thrown) {
    if (thrown instanceof NeedsKernel) throw thrown;
    return { row: { ...bought, why: asUnusable(thrown).message }, marks: null };
  }
  const area = top.faces.reduce((sum, f) => sum + f.area, 0);
  const found = recognisePanel(top, volume);
  const marks = marksOf(top, volume, area);
  if ('why' in found) return { row: weighed({ ...bought, volume, why: found.why }), marks };
  return { row: weighed({ ...base, ...ofPanel(found), volume, findings: [...base.findings, ...found.findings] }), marks };
}

function topologyFor({ geometry, summary }: ListPart, scale: number, kernel: Kernel | null): { top: Topology; volume: number } {
  if (geometry.kind === 'mesh') {
    const mesh = scale === 1 ? geometry.mesh : { positions: geometry.mesh.positions.map((v) => v * scale), triangles: geometry.mesh.triangles };
    return { top: topologyOfMesh(mesh), volume: measureMesh(mesh).volume };
  }
  if (geometry.kind !== 'solid') throw new RangeError('neither a solid nor a mesh');
  const { top } = faceted(kernel, scaledBrep(kernel, geometry.brep, scale));
  return { top, volume: summary.volume * scale ** 3 };
}

/** What a panel says of itself in the list. */
function ofPanel(panel: Panel): Partial<CutRow> {
  const layers: CutLayer[] = [{ meaning: 'cut', depth: null, back: false, contours: panel.outline.map((c) => ({ ...c, meaning: 'cut' as const })) }];
  for (const { depth, contours } of panel.front) layers.push({ meaning: 'pocket', depth, back: false, contours });
  for (const { depth, contours } of panel.back) layers.push({ meaning: 'mark', depth, back: true, contours });
  for (const { side, contours } of panel.sunk) layers.push({ meaning: 'mark', depth: null, back: side === 'back', contours });
  const { thickness, length, width, holes, countersinks, pockets, edgeHoles, mitres, area } = panel;
  return { kind: 'panel', thickness, length, width, holes, countersinks, pockets, edgeHoles, mitres, area, layers, grain: 'none' };
}

const asDrawing = (contours: Contour[]): Drawing => ({ layers: [{ name: 'cut', colour: null, lineType: 'CONTINUOUS', contours }], texts: [], points: [] });

/** A drawing with its outlines closed counts as a panel of the thickness that was typed, each outline as one of its own. */
function rowsOfDrawing(part: ListPart): CutRow[] {
  const base = baseOf(part);
  const { drawing } = part.geometry as { drawing: Drawing };
  const scale = scaleOf(part.summary, part.recipe);
  const recipe = part.recipe.drawing ?? firstDrawingRecipe();
  const meant = meantContours(transformedDrawing(drawing, [scale, 0, 0, scale, 0, 0]), recipe);
  const cut = meant.filter((m) => cutThrough.has(m.meaning) && m.contour.closed);
  if (cut.length === 0) return [{ ...base, why: 'It is a drawing without a closed outline to be cut.' }];
  const loose = openAround(meant, cut);
  if (loose > 0)
    return [
      {
        ...base,
        why: `Its outline is open: ${loose === 1 ? 'a line that does not close lies' : `${loose} lines that do not close lie`} around what is closed. Mend it on the Soundness step first.`,
      },
    ];
  const thickness = part.thickness ?? recipe.stock?.thickness ?? part.summary.flat?.thickness ?? null;
  const material = base.material || recipe.stock?.material || '';
  const groups = byOutline(meant, cut);
  return groups.map((own, i): CutRow => {
    const name = groups.length > 1 ? `${base.name} ${i + 1}` : base.name;
    const key = i === 0 ? base.key : `${base.key}#${i + 1}`;
    const lone = ofOutline(own);
    const members = [{ key, name, quantity: base.quantity }];
    return weighed({ ...base, key, name, members, kind: 'panel', material, thickness, ...lone, findings: [...base.findings, ...crossingOf(name, own)] });
  });
}

/** Open lines to be cut or of no known use that reach around the largest closed outline: an outline with a gap, whose holes are no panels. */
function openAround(meant: readonly Meant[], cut: readonly Meant[]): number {
  const size = (m: Meant) => {
    const [l, b, r, t] = boxOfContour(m.contour);
    return (r - l) * (t - b);
  };
  const largest = Math.max(...cut.map(size));
  return meant.filter((m) => !m.contour.closed && (cutThrough.has(m.meaning) || m.why === 'open') && size(m) > largest).length;
}

/** Contours by the outermost outline that they lie in; what lies in none goes with the first. */
function byOutline(meant: readonly Meant[], cut: readonly Meant[]): Meant[][] {
  const nested = nest(asDrawing(cut.map((m) => m.contour)));
  const roots: number[] = [];
  const rootOf = new Map<Meant, number>();
  nested.forEach((n) => {
    let k = n;
    while (k.around >= 0) k = nested[k.around];
    const root = nested.indexOf(k);
    if (!roots.includes(root)) roots.push(root);
    rootOf.set(cut[n.contour], roots.indexOf(root));
  });
  const boxes = roots.map((r) => flattened(cut[nested[r].contour].contour.segments, 0.05).flat());
  const groups: Meant[][] = roots.map(() => []);
  for (const m of meant) {
    if (m.contour.segments.length === 0) continue;
    const [x, y] = pointAt(m.contour.segments[0], 0.5);
    const at = rootOf.get(m) ?? Math.max(0, boxes.findIndex((ring) => pointInside(ring, x, y))); // prettier-ignore
    groups[at].push(m);
  }
  return groups;
}

/** One outline with what lies in it: as it was drawn, its longer side along X. */
function ofOutline(meant: readonly Meant[]) {
  const cut = meant.filter((m) => cutThrough.has(m.meaning) && m.contour.closed).map((m) => m.contour);
  const [left, low, right, high] = boxOfDrawing(asDrawing(cut));
  const upright = high - low > right - left + 1e-9;
  const lie: Affine = upright ? [0, -1, 1, 0, -low, right] : [1, 0, 0, 1, -left, -low];
  const layers = layersOf(meant).map((l) => ({ ...l, contours: transformedDrawing(asDrawing(l.contours), lie).layers[0].contours }));
  const outline = layers.find((l) => l.meaning === 'cut')!.contours;
  const nested = nest(asDrawing(outline));
  const area = netArea(nested);
  const [length, width] = upright ? [high - low, right - left] : [right - left, high - low];
  return { length, width, holes: roundHoles(outline, nested), area, layers };
}

/** Contours of a drawing by what they are for and how deep. */
function layersOf(meant: readonly Meant[]): CutLayer[] {
  const by = new Map<string, CutLayer>();
  for (const m of meant) {
    const through = cutThrough.has(m.meaning);
    const depth = through ? null : (m.contour.depth ?? null);
    const key = `${through ? 'cut' : m.meaning} ${depth}`;
    const layer = by.get(key) ?? { meaning: through ? 'cut' : m.meaning, depth, back: false, contours: [] };
    by.set(key, layer);
    layer.contours.push({ ...m.contour, meaning: layer.meaning });
  }
  return [...by.values()];
}

/** Circles inside an outline, by diameter. */
function roundHoles(outline: readonly Contour[], nested: readonly Nested[]): PanelHole[] {
  const holes: PanelHole[] = [];
  for (const n of nested) {
    const { segments } = outline[n.contour];
    const [s] = segments;
    if (n.depth % 2 === 0 || segments.length !== 1 || s.kind !== 'arc' || !isFull(s)) continue;
    const same = holes.find((h) => Math.abs(h.diameter - 2 * s.radius) < 1e-3);
    if (same) same.count++;
    else holes.push({ diameter: Number((2 * s.radius).toFixed(6)), depth: null, side: 'front', count: 1 });
  }
  return holes;
}

function crossingOf(name: string, meant: readonly Meant[]): Finding[] {
  const { crossings } = checkDrawing(asDrawing(meant.filter((m) => cutThrough.has(m.meaning) && m.contour.closed).map((m) => m.contour)));
  if (crossings.length === 0) return [];
  return [{ code: 'crossing', severity: 'stop', count: crossings.length, message: `${name}: its cut lines cross ${crossings.length} times.`, remedy: 'Mend the drawing on the Soundness step first.' }]; // prettier-ignore
}
