import { branchesWith, underBranch } from '../model/branches.ts';
import type { Design, DesignPart, PartSummary } from '../model/design.ts';
import { usualChoices } from '../model/choices.ts';
import { readDesign } from './read.ts';
import type { Kernels } from './kernels.ts';
import { atMost, evidenceOf, same, within, type Evidence } from '../prove/evidence.ts';
import { Unusable } from '../base/finding.ts';
import { lostOf } from '../base/loss.ts';
import { readBrepText } from '../surfaces/brep-text.ts';
import { curveAt } from '../surfaces/curves.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { withStatedFigures, type FiguresToState } from '../formats/step/stated.ts';
import { stepOfTree, type StepNode, type StepPart } from '../formats/step/write.ts';
import { NotTaken } from '../body/body.ts';
import { joinedBytes } from '../base/bytes.ts';
import { identityRows, type Rows } from '../geometry/rows.ts';
import { plainColour, SolidBuilder } from '../kernel/build.ts';
import { igesFile } from '../kernel/write-iges.ts';

/** A solid part with where its copies stand, each under the names above it. */
interface Placed {
  part: DesignPart;
  places: { rows: Rows; above: string[] }[];
}

export interface AssemblyFile {
  bytes: Uint8Array;
  evidence: Evidence;
}

/** Solids of designs, of one branch of the tree where one is named. @throws Unusable when there are none, or places were not kept. */
function placedSolids(designs: readonly Design[], branch: string | null, title: string): Placed[] {
  const out: Placed[] = [];
  for (const { parts } of designs)
    for (const part of parts) {
      if (part.geometry.kind !== 'solid') continue;
      const summary = branch === null ? part.summary : underBranch(part.summary, branch);
      if (!summary) continue;
      const places = summary.places ?? [identityRows];
      if (places.length < summary.quantity) {
        throw new Unusable(
          'places-missing',
          `${summary.name} occurs ${summary.quantity.toLocaleString('en')} times; only ${places.length.toLocaleString('en')} of its places are kept.`,
          'Assemble a branch of the design at a time.',
        );
      }
      const all = branchesWith(part.summary);
      const of = part.summary.placeBranches;
      const taken = part.summary.places ?? [identityRows];
      const above = (rows: Rows) => {
        const at = taken.indexOf(rows);
        return insideOf(of && at >= 0 ? all[of[at]].above : part.summary.path.slice(0, -1), branch, title);
      };
      out.push({ part, places: places.map((rows) => ({ rows, above: above(rows) })) });
    }
  if (out.length === 0) throw new Unusable('no-solids', 'There is no exact solid to assemble.', 'Bring STEP or IGES files; check the name of the branch.');
  return out;
}

/** The names above a part inside what is assembled: below the branch, or below the file's own top where all hangs in it. */
function insideOf(above: string[], branch: string | null, title: string): string[] {
  if (branch === null) return above[0] === title ? above.slice(1) : above;
  const last = branch.split(' / ').at(-1)!.toLowerCase();
  return above.slice(above.findIndex((name) => name.toLowerCase() === last) + 1);
}

/**
 * Whole designs as one STEP file: tree, names, colours and every copy at its place; exact surfaces. Written by ourselves, by the kernel where a solid holds what we
 * do not write. The bytes are read back: names, quantities, volumes and where every copy's middle and corners lie are held against what was meant.
 *
 * @param title name of the assembly.
 * @throws Unusable when nothing can be assembled.
 */
export async function assembled(designs: readonly Design[], branch: string | null, title: string, kernels: Kernels): Promise<AssemblyFile> {
  const list = placedSolids(designs, branch, title);
  const root: StepNode = { name: title, children: [], parts: [] };
  list.forEach(({ places }, index) => {
    for (const { rows, above } of places) {
      let node = root;
      for (const name of above) {
        let next = node.children.find((c) => c.name === name);
        if (!next) node.children.push((next = { name, children: [], parts: [] }));
        node = next;
      }
      node.parts.push({ index, rows });
    }
  });
  const parts: StepPart[] = list.map(({ part }) => {
    if (part.geometry.kind !== 'solid') throw new RangeError('only solids are assembled');
    const { name, partNumber, colour } = part.summary;
    return { name, partNumber, colour, brep: part.geometry.brep };
  });
  const bytes = withStatedFigures(ownTree(root, parts) ?? (await kernelTree(root, parts, kernels)), figuresOf(list, title));
  const back = await readDesign(bytes, 'assembly.step', kernels, usualChoices);
  return { bytes, evidence: held(list, back) };
}

/** By ourselves; null where that can not be. */
function ownTree(root: StepNode, parts: readonly StepPart[]): Uint8Array | null {
  try {
    return joinedBytes(stepOfTree(root, parts));
  } catch (thrown) {
    if (thrown instanceof NotTaken) return null;
    throw thrown;
  }
}

async function kernelTree(root: StepNode, parts: readonly StepPart[], kernels: Kernels): Promise<Uint8Array> {
  const b = new SolidBuilder(await kernels.working());
  return b.assembly(
    root,
    parts.map(({ name, colour, brep }) => ({ name, colour: colour ?? plainColour, shape: b.fromBrep(brep) })),
  );
}

/** What was measured of each part, and of all copies together. */
function figuresOf(list: readonly Placed[], title: string): FiguresToState[] {
  const own = list.map(({ part: { summary: s } }) => ({ product: s.name, volume: s.volume, area: s.area, centre: s.centre }));
  let volume = 0;
  const moment: [number, number, number] = [0, 0, 0];
  for (const { part, places } of list)
    for (const { rows } of places) {
      volume += part.summary.volume;
      middleOf(part.summary.centre, rows).forEach((v, k) => (moment[k] += v * part.summary.volume));
    }
  const whole = { product: title, volume, area: null, centre: moment.map((v) => v / volume) as [number, number, number] };
  return volume > 0 ? [...own, whole] : own;
}

/** Where the middle of a copy lies, mm. */
const middleOf = (centre: readonly number[], m: Rows): number[] =>
  [0, 1, 2].map((r) => m[r * 4] * centre[0] + m[r * 4 + 1] * centre[1] + m[r * 4 + 2] * centre[2] + m[r * 4 + 3]);

/** Corners of a solid's faces at all its places, mm. */
function cornersOf({ geometry }: DesignPart, places: readonly Rows[]): number[][] {
  if (geometry.kind !== 'solid') return [];
  const corners = new Map<number, Vec3>();
  for (const { edges } of readBrepText(geometry.brep).faces)
    for (const { curve, from, to, ends } of edges) if (curve) [from, to].forEach((t, k) => corners.set(ends[k], curveAt(curve, t, 1).at));
  return places.flatMap((rows) => [...corners.values()].map((p) => middleOf(p, rows)));
}

/**
 * Places that tell how a copy stands: its middle, and three of its own box across the middle of its width, so that one turned about its middle is another. A part
 * that was mirrored in its width and stands mirrored has the same ones.
 */
function marksOf({ centre, box: { min, max } }: PartSummary, m: Rows): number[] {
  const x = (min[0] + max[0]) / 2;
  return [centre, [x, min[1], min[2]], [x, max[1], min[2]], [x, min[1], max[2]]].flatMap((p) => middleOf(p, m));
}

/** Corners of the faces of all copies, as they were meant and as they were received. */
const cornersHeld = (list: readonly Placed[], back: readonly DesignPart[]): [number[][], number[][]] => [
  list.flatMap(({ part, places }) =>
    cornersOf(
      part,
      places.map((p) => p.rows),
    ),
  ),
  back.flatMap((part) => cornersOf(part, part.summary.places ?? [identityRows])),
];

function held(list: readonly Placed[], back: Design): Evidence {
  const meantNames = list.map(({ part, places }) => `${places.length} x ${part.summary.name}`);
  const gotNames = back.parts.map(({ summary }) => `${summary.quantity} x ${summary.name}`);
  const wrong = [...meantNames].sort().findIndex((name, i) => name !== [...gotNames].sort()[i]);
  const volume = (parts: { v: number; n: number }[]) => parts.reduce((sum, { v, n }) => sum + v * n, 0);
  const meantVolume = volume(list.map(({ part, places }) => ({ v: part.summary.volume, n: places.length })));
  const gotVolume = volume(back.parts.map(({ summary }) => ({ v: summary.volume, n: summary.quantity })));
  const meant = list.flatMap(({ part, places }) => places.map(({ rows }) => marksOf(part.summary, rows)));
  const got = back.parts.flatMap(({ summary }) => (summary.places ?? [identityRows]).map((rows) => marksOf(summary, rows)));
  const reach = Math.max(1, ...meant.flat().map(Math.abs));
  const colours = (parts: readonly DesignPart[]) => [...new Set(parts.map(({ summary }) => summary.colour ?? plainColour))].sort().slice(0, 30).join(', ');
  return evidenceOf(
    [
      same('Parts', list.length, back.parts.length),
      same('Names and quantities', wrong < 0 ? 'all' : [...meantNames].sort()[wrong], wrong < 0 ? 'all' : ([...gotNames].sort()[wrong] ?? 'none')),
      within('Volume of all', 'mm3', [meantVolume, gotVolume], Math.abs(meantVolume) * 1e-7 + 1e-6),
      same('Places', meant.length, got.length),
      atMost('Place of each copy', 'mm', reach * 1e-8 + 4e-6, farthestPair(meant, got)),
      atMost('Corners of the faces', 'mm', reach * 1e-8 + 4e-6, farthestPair(...cornersHeld(list, back.parts))),
      same('Colours', colours(list.map((l) => l.part)), colours(back.parts)),
      same(
        'Branches',
        branchCount(list.flatMap((l) => l.places.map((p) => p.above))),
        branchCount(back.parts.flatMap((p) => branchesWith(p.summary).map((x) => x.above.slice(1)))),
      ),
    ],
    [...lostOf(list.map((l) => l.part.summary)), ...back.findings.filter((f) => f.severity !== 'clear')],
  );
}

/** How many different sub-assemblies hold a part. */
const branchCount = (above: string[][]): number => new Set(above.flatMap((names) => names.map((_, i) => names.slice(0, i + 1).join(' / ')))).size;

/** Every place meant has one of its own among those received; the largest distance of such pairs. O(n log n) for places that lie apart. */
function farthestPair(a: number[][], b: number[][]): number {
  if (a.length !== b.length) return Infinity;
  const key = (p: number[]) =>
    p
      .slice(0, 3)
      .map((v) => Math.round(v * 1e4))
      .join(' ');
  const cells = new Map<string, number[][]>();
  for (const p of b) {
    const list = cells.get(key(p));
    if (list) list.push(p);
    else cells.set(key(p), [p]);
  }
  let most = 0;
  for (const p of a) {
    // Rounding may put one of a pair into the next cell.
    let best: { list: number[][]; at: number; d: number } | null = null;
    for (let i = -1; i <= 1; i++)
      for (let j = -1; j <= 1; j++)
        for (let k = -1; k <= 1; k++) {
          const list = cells.get(key([p[0] + i * 1e-4, p[1] + j * 1e-4, p[2] + k * 1e-4])) ?? [];
          list.forEach((q, at) => {
            const d = Math.max(...p.map((v, c) => Math.abs(v - q[c])));
            if (!best || d < best.d) best = { list, at, d };
          });
        }
    const found = best as { list: number[][]; at: number; d: number } | null;
    if (!found) return Infinity;
    found.list.splice(found.at, 1);
    most = Math.max(most, found.d);
  }
  return most;
}

/**
 * Whole designs as one IGES file: exact solids, every copy at its place. IGES holds no tree here, and one name for all: that is told.
 * The bytes are read back, by our own reader where it takes them and not by the kernel that wrote them: how many solids, their volumes, where their middles and
 * all corners of their faces lie, so that a copy turned about its middle is another one.
 *
 * @throws Unusable when nothing can be assembled.
 */
export async function assembledIges(designs: readonly Design[], branch: string | null, title: string, kernels: Kernels): Promise<AssemblyFile> {
  const list = placedSolids(designs, branch, title);
  const opening = await kernels.opening();
  const solids = list.flatMap(({ part, places }) => places.map(({ rows }) => ({ brep: part.geometry.kind === 'solid' ? part.geometry.brep : '', rows })));
  const bytes = igesFile(opening, solids);
  const back = await readDesign(bytes, 'assembly.igs', kernels, usualChoices);
  return { bytes, evidence: heldIges(list, back) };
}

function heldIges(list: readonly Placed[], back: Design): Evidence {
  const read = back.parts.filter((p) => p.geometry.kind === 'solid');
  const copies = read.flatMap(({ summary }) => (summary.places ?? [identityRows]).map((rows) => ({ summary, rows })));
  const meantVolume = list.reduce((sum, { part, places }) => sum + part.summary.volume * places.length, 0);
  const gotVolume = copies.reduce((sum, { summary }) => sum + summary.volume, 0);
  const meant = list.flatMap(({ part, places }) => places.map(({ rows }) => middleOf(part.summary.centre, rows)));
  const got = copies.map(({ summary, rows }) => middleOf(summary.centre, rows));
  const reach = Math.max(1, ...meant.flat().map(Math.abs));
  return evidenceOf(
    [
      same('Solids', meant.length, got.length),
      same('Open surfaces', 0, back.parts.length - read.length),
      within('Volume of all', 'mm3', [meantVolume, gotVolume], Math.abs(meantVolume) * 1e-6 + 1e-6),
      atMost('Place of each copy', 'mm', reach * 1e-7 + 1e-5, farthestPair(meant, got)),
      atMost('Corners of the faces', 'mm', reach * 1e-7 + 1e-5, farthestPair(...cornersHeld(list, read))),
    ],
    [
      ...lostOf(list.map((l) => l.part.summary)),
      {
        code: 'names-lost',
        severity: 'look',
        count: list.length,
        message: 'IGES holds no assembly tree here, and no names and colours of parts.',
        remedy: 'Write STEP where the receiver takes it.',
      },
    ],
  );
}

/** What is proved of an IGES file that is there already. @param back the file as it was read */
export const provedIges = (designs: readonly Design[], title: string, back: Design): Evidence => heldIges(placedSolids(designs, null, title), back);

/** Likewise of a STEP file. @param back the file as it was read */
export const provedStep = (designs: readonly Design[], title: string, back: Design): Evidence => held(placedSolids(designs, null, title), back);
