import { counted, countText } from '../../base/figures.ts';
import { distanceTo } from '../lighter/distance.ts';
import { buildBvh } from '../../geometry/bvh/build.ts';
import { windingAt } from '../../geometry/bvh/ray.ts';
import { boxOf, diagonalOf } from '../../geometry/box.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { keepTriangles, shellsOf, together } from '../../geometry/shells.ts';
import type { Engine } from '../../engine/engine.ts';
import { solidOf } from '../join/bodies.ts';
import { frameFor, fromManifold, withSolids } from '../../engine/engine.ts';
import { fullCheck, nearShare, type FullSoundness } from '../soundness/full-check.ts';
import { safeMend, type MendChoice } from './choice.ts';
import { crossingsMended } from '../repair/crossings.ts';
import { heldAgainst, type Held } from '../repair/held.ts';
import { offPlane } from '../repair/holes.ts';
import { seamJoined, seamsOf } from '../repair/seams.ts';
import { finestCell, wrapped } from '../repair/wrap.ts';
import { holesClosed } from '../repair/close.ts';
import { agreeing, edgeCounts, parted, stitched, turnedAround, weldWithin, withoutCollapsed, withoutDoubles, withoutSlivers } from '../repair/steps.ts';
import type { Vec3 } from '../../geometry/vector.ts';

/** No hole wider than this share of the diagonal is closed unasked. */
export const widestShare = 0.5;
/** A hole whose rim lies in a plane (a lid left off) is closed up to this share. */
export const widestFlatShare = 0.85;
/** A seam that gapes by no more than this share of the diagonal is joined unasked; a wider one is proposed. */
export const seamJoinedShare = 5e-4;
/** So near to a plane, as a share of its width, a rim counts as flat. */
export const flatRimShare = 1e-6;

export { safeMend, type MendChoice };

export interface MendStep {
  code: string;
  /** One sentence in the past: what was done. */
  sentence: string;
  count: number;
}

export type MendFigures = Pick<
  FullSoundness,
  | 'triangles'
  | 'shells'
  | 'openEdges'
  | 'nonManifoldEdges'
  | 'flippedEdges'
  | 'degenerateTriangles'
  | 'doubledTriangles'
  | 'selfIntersections'
  | 'lyingOn'
  | 'closed'
> & { holes: number; volume: number; area: number };

export interface MendReport {
  steps: MendStep[];
  before: MendFigures;
  after: MendFigures;
  /** Largest distance of the outer surface before from the surface after, mm: what moved or went. */
  moved: number;
  /** Largest distance of the surface after from the surface before, mm: what came new (a closed hole). */
  added: number;
  /** What could not be mended, one sentence each. */
  left: string[];
  /** A distance that would join open edges which run along each other, mm; null when there are none such. */
  proposedWeld: number | null;
  /** How the result compares with what was there. */
  held: Omit<Held, 'refused'>;
  /** Why nothing was changed: every way to mend it would have changed the part itself. Null when it was mended. */
  refused: string | null;
}

export interface Mended {
  mesh: Mesh;
  report: MendReport;
}

/**
 * Mends a mesh as chosen, in a fixed order: weld, degenerate, doubles, T joints, normals, edges with more than two triangles,
 * holes, sides, self-intersections, crumbs. The work is done in a copy that is shifted to its middle and scaled by a power of
 * two, so that tiny parts are mended like any other. The result is held against the mesh that came (`heldAgainst`); a way that
 * would change the part is not taken: without its riskiest step first, then not at all.
 *
 * @param progress called with 0..1 and what is being done; true gives up.
 * @returns null when given up.
 */
export function mend(mesh: Mesh, choice: MendChoice, engine: Engine, progress: (share: number, what: string) => boolean | void = () => {}): Mended | null {
  const first = fullCheck(mesh, { crossings: true, progress: (s, w) => progress(s * 0.25, w) });
  if (!first) return null;
  if (choice.wrap !== null) return remade(mesh, first, choice.wrap, progress);
  const ways: { choice: MendChoice; without: string }[] = [{ choice, without: '' }];
  if (choice.crossings) ways.push({ choice: { ...choice, crossings: false }, without: 'Self-intersections were left' });
  if (choice.holes !== 'none') ways.push({ choice: { ...choice, crossings: false, holes: 'none' }, without: 'Holes and self-intersections were left' });
  let why = '';
  for (const way of ways) {
    const made = attempt(mesh, first, way.choice, { engine, progress });
    if (!made) return null;
    if (made.report.steps.length === 0 && why === '') return made;
    const held = heldAgainst(mesh, made.mesh, { ...made, weld: choice.weld ?? 0 });
    held.refused ??= madeWorse(made.report.before, made.report.after);
    if (held.refused === null) {
      if (why !== '') made.report.left.unshift(`${way.without}: taking them out would have changed the part. ${why}`);
      const { refused: _, ...figures } = held;
      return { mesh: made.mesh, report: { ...made.report, held: figures } };
    }
    why ||= held.refused;
  }
  const cell = Number((finestCell(mesh) * 3).toPrecision(2));
  const left = [
    `Nothing was changed: every way to mend it would change the part itself. ${why} Its surface can be made anew on a grid instead, of ${cell} mm for instance.`,
  ];
  explain(first, left);
  return { mesh, report: { ...untouched(first, left), refused: why } };
}

/** The surface made anew on a grid; how far it is from the old one is measured both ways. */
function remade(mesh: Mesh, first: FullSoundness, cell: number, progress: (share: number, what: string) => boolean | void): Mended | null {
  const made = wrapped(mesh, cell, (s) => progress(0.25 + s * 0.45, 'making the surface anew'));
  if (!made) return null;
  const last = fullCheck(made, { crossings: true, progress: (s, w) => progress(0.7 + s * 0.15, w) });
  if (!last || progress(0.85, 'measuring') === true) return null;
  const left: string[] = [];
  explain(last, left);
  const { moved, added } = changed(mesh, made, last.closed);
  const { refused, ...held } = heldAgainst(mesh, made);
  if (refused !== null) left.push(`Look closely: ${refused} Take a finer cell if what is thin was lost.`);
  const steps = [
    {
      code: 'wrap',
      count: 1,
      sentence: `Made the surface anew on a grid of ${cell} mm: ${countText(first.triangles)} triangles became ${countText(last.triangles)}.`,
    },
  ];
  return { mesh: made, report: { ...untouched(first, left), steps, after: figures(last), moved, added, held } };
}

/** What a sound way never does: more edges in fours than before, or more places where the part goes through itself. */
function madeWorse(before: MendFigures, after: MendFigures): string | null {
  if (after.nonManifoldEdges > before.nonManifoldEdges) return `${counted(after.nonManifoldEdges, 'edge')} would have more than two triangles.`;
  if (after.selfIntersections > before.selfIntersections)
    return `${counted(after.selfIntersections, 'pair')} of triangles would go through each other, where ${countText(before.selfIntersections)} did.`;
  return null;
}

const untouched = (first: FullSoundness, left: string[]): MendReport => ({
  steps: [],
  before: figures(first),
  after: figures(first),
  moved: 0,
  added: 0,
  left,
  proposedWeld: null,
  held: { volumeChanged: 0, surfaceLost: 0, farthest: 0 },
  refused: null,
});

/** What a result is held against: the part before anything was closed, its fills, and what a person chose to leave out. */
interface Before {
  base: Mesh;
  fills: Mesh[];
  dropped: Mesh | null;
}

/** One way through all steps; null when it was given up. */
function attempt(
  mesh: Mesh,
  first: FullSoundness,
  choice: MendChoice,
  { engine, progress }: { engine: Engine; progress: (share: number, what: string) => boolean | void },
): (Mended & Before) | null {
  const way = new Attempt(mesh, choice);
  const stages: [share: number, what: string, stage: () => void][] = [
    [0.25, 'welding', () => way.sew()],
    [0.35, 'normals', () => way.agree()],
    [0.4, 'holes', () => way.close()],
    [0.55, 'self-intersections', () => way.uncross(engine)],
  ];
  for (const [share, what, stage] of stages) {
    if (progress(share, what) === true) return null;
    stage();
  }
  const { steps, left, proposedWeld, base, fills, dropped } = way;
  if (steps.length === 0) {
    explain(first, left);
    return { mesh, base, fills, dropped, report: { ...untouched(first, left), proposedWeld } };
  }
  const result = way.back(way.now);
  if (progress(0.7, 'checking again') === true) return null;
  const last = fullCheck(result, { crossings: true, progress: (s, w) => progress(0.7 + s * 0.15, w) });
  if (!last) return null;
  explain(last, left);
  if (progress(0.85, 'measuring') === true) return null;
  const { moved, added } = changed(mesh, result, last.closed);
  return { mesh: result, base, fills, dropped, report: { ...untouched(first, left), steps, after: figures(last), moved, added, proposedWeld } };
}

/** A part on its way through the steps, about its middle and about 1024 across. */
class Attempt implements Before {
  now: Mesh;
  readonly steps: MendStep[] = [];
  readonly left: string[] = [];
  /** What a person chose to leave out, mm. */
  dropped: Mesh | null = null;
  readonly fills: Mesh[] = [];
  /** What the part is before anything is closed: triangles agree, edges are in pairs. */
  base: Mesh;
  proposedWeld: number | null = null;
  private readonly choice: MendChoice;
  private readonly scale: number;
  private readonly centre: number[];
  private readonly diagonal: number;
  private readonly tolerance: number;

  constructor(mesh: Mesh, choice: MendChoice) {
    const box = boxOf(mesh.positions);
    const size = diagonalOf(box) || 1;
    this.choice = choice;
    this.scale = 2 ** Math.round(Math.log2(1024 / size));
    this.centre = [0, 1, 2].map((k) => (box.min[k] + box.max[k]) / 2);
    this.diagonal = size * this.scale;
    this.tolerance = choice.weld === null ? this.diagonal * nearShare : choice.weld * this.scale;
    this.now = { positions: mesh.positions.map((v, i) => (v - this.centre[i % 3]) * this.scale), triangles: mesh.triangles };
    this.base = mesh;
  }

  /** In the numbers of the part, mm. */
  back(m: Mesh): Mesh {
    return { positions: m.positions.map((v, i) => v / this.scale + this.centre[i % 3]), triangles: m.triangles };
  }

  private readonly did = (code: string, count: number, sentence: string): void => {
    if (count > 0) this.steps.push({ code, count, sentence });
  };

  /** Without what collapsed and without slivers. */
  private clean(mesh: Mesh): void {
    this.now = withoutSlivers(withoutCollapsed(mesh).mesh).mesh;
  }

  /** Vertices that are one, triangles without area, doubles, cracks. */
  sew(): void {
    const { did, tolerance, scale } = this;
    const welded = weldWithin(this.now, tolerance);
    did('weld', welded.joined, `Joined ${counted(welded.joined, 'vertex', 'vertices')} within ${(tolerance / scale).toPrecision(2)} mm.`);
    const whole = withoutCollapsed(welded.mesh);
    const smooth = withoutSlivers(whole.mesh);
    const again = withoutCollapsed(smooth.mesh);
    this.now = again.mesh;
    const flat = whole.dropped + smooth.turned + smooth.dropped + again.dropped;
    did('degenerate', flat, `Took out ${counted(flat, 'triangle')} without area.`);
    if (this.choice.doubles) {
      const single = withoutDoubles(this.now);
      did('doubles', single.dropped, `Took out ${counted(single.dropped, 'doubled triangle')}.`);
      this.now = single.mesh;
    }
    const sewn = stitched(this.now, Math.max(tolerance, this.diagonal * nearShare * 10));
    did('stitch', sewn.split, `Split edges at ${counted(sewn.split, 'vertex', 'vertices')} that lay on them, which closes cracks.`);
    this.now = withoutSlivers(sewn.mesh).mesh;
  }

  /** Triangles that face one way, edges in pairs. */
  agree(): void {
    if (this.choice.normals) {
      const agreed = agreeing(this.now);
      this.did('normals', agreed.flipped, `Turned ${counted(agreed.flipped, 'triangle')} that faced the other way.`);
      this.now = agreed.mesh;
    }
    const apart = this.diagonal * 2 ** -18;
    const cut = parted(this.now, apart);
    this.did(
      'part-edges',
      cut.edges,
      `Parted ${counted(cut.edges, 'edge')} with more than two triangles into pairs, ${(apart / this.scale).toPrecision(2)} mm apart.`,
    );
    this.now = cut.mesh;
  }

  /** Seams and holes; then which side is out, and what is left out. */
  close(): void {
    const seams = this.joinSeam();
    this.base = this.back(this.now);
    if (seams !== null) {
      this.proposedWeld = (seams.distance / this.scale) * 1.05;
      this.left.push(
        `${counted(seams.edges, 'open edge')} run along each other, ${(seams.distance / this.scale).toPrecision(2)} mm apart at most: a seam that was never joined, not a hole. Type a weld distance of ${this.proposedWeld.toPrecision(2)} mm to join it.`,
      );
    }
    if (this.choice.holes !== 'none') this.closeHoles(this.choice.holes, seams);
    if (this.choice.normals) this.turnShells();
    if (this.choice.largestOnly || this.choice.crumbs) this.leaveOut();
  }

  /** A seam that gapes by a hair is joined; a wider one is given back. */
  private joinSeam(): ReturnType<typeof seamsOf> {
    const seams = seamsOf(this.now);
    if (seams === null || seams.distance > this.diagonal * seamJoinedShare) return seams;
    this.did('seam', seams.edges, `Joined a seam of ${counted(seams.edges, 'edge')}, ${(seams.distance / this.scale).toPrecision(2)} mm apart at most.`);
    this.clean(seamJoined(this.now, seams));
    if (this.choice.normals) this.now = agreeing(this.now).mesh;
    return null;
  }

  private closeHoles(how: Exclude<MendChoice['holes'], 'none'>, seams: ReturnType<typeof seamsOf>): void {
    // A second and third round close what the first left as a smaller rest.
    for (let round = 0; round < 3; round++) {
      const closed = holesClosed(this.now, { how, unitesLater: this.choice.crossings }, (loop) => {
        if (seams !== null && loop.vertices.some((v) => seams.along(v))) return 'it is a seam that a weld joins';
        return this.tooWide(loop.vertices);
      });
      if (closed.closed > 0) this.fills.push(this.back(closed.fill));
      this.did('holes', closed.closed, `Closed ${counted(closed.closed, 'hole')} with ${counted(closed.triangles, 'triangle')}.`);
      this.clean(closed.mesh);
      if (round === 2 || closed.closed === 0 || edgeCounts(this.now).open === 0) {
        for (const { loop, why } of closed.left) this.left.push(`A hole of ${counted(loop.vertices.length, 'edge')} was left open: ${why}.`);
        return;
      }
      if (this.choice.normals) this.now = agreeing(this.now).mesh;
    }
  }

  /** Why a hole is too wide to be closed unasked; null when it is not. */
  private tooWide(vertices: number[]): string | null {
    const wide = widthOf(this.now, vertices);
    const usual = this.diagonal * (flatRim(this.now, vertices, wide) ? widestFlatShare : widestShare);
    const widest = this.choice.widestHole === null ? usual : this.choice.widestHole * this.scale;
    return wide <= widest
      ? null
      : `it is ${(wide / this.scale).toPrecision(3)} mm wide, wider than ${(widest / this.scale).toPrecision(3)} mm; it may be meant. Type a widest hole to close it`;
  }

  private turnShells(): void {
    const check = fullCheck(this.now, { crossings: false })!;
    const wrong = check.roles.map((r) => r.role === 'inside-out' || (r.role === 'crumb' && r.volume < 0));
    const sides = turnedAround(this.now, (s) => wrong[s]);
    this.did('sides', wrong.filter(Boolean).length, `Turned ${counted(wrong.filter(Boolean).length, 'shell')} right side out.`);
    this.now = sides.mesh;
  }

  /** Crumbs, or all but the largest shell, as a person chose. */
  private leaveOut(): void {
    const { largestOnly } = this.choice;
    const check = fullCheck(this.now, { crossings: false })!;
    const best = check.roles.reduce((a, r, i) => (Math.abs(r.volume) > Math.abs(check.roles[a].volume) ? i : a), 0);
    const stays = check.roles.map((r, i) => (largestOnly ? i === best : r.role !== 'crumb'));
    const gone = stays.filter((s) => !s).length;
    const { of } = shellsOf(this.now.triangles, this.now.positions.length / 3);
    if (gone > 0) {
      this.dropped = this.back(keepTriangles(this.now, (tri) => of[tri] >= 0 && !stays[of[tri]]));
      this.now = keepTriangles(this.now, (tri) => of[tri] >= 0 && stays[of[tri]]);
    }
    if (largestOnly) this.did('largest', gone, `Kept the largest shell and left out ${countText(gone)}.`);
    else this.did('crumbs', gone, `Left out ${counted(gone, 'stray crumb')}.`);
  }

  /** Where the part goes through itself, once it is closed. */
  uncross(engine: Engine): void {
    const { open, flipped, nonManifold } = edgeCounts(this.now);
    if (this.choice.crossings && open + flipped + nonManifold === 0) this.now = withoutCrossings(this.now, engine, this.did, this.left);
  }
}

/** How far what was outside moved, and how far what is new lies from what there was. Walls that went inside the solid do not count. */
function changed(before: Mesh, after: Mesh, closed: boolean): { moved: number; added: number } {
  if (before.triangles.length === 0 || after.triangles.length === 0) return { moved: 0, added: 0 };
  const tree = buildBvh(after);
  const outside = closed ? (at: Vec3) => windingAt(tree, at) === 0 : undefined;
  return { moved: distanceTo(before, tree, { counts: outside }).largest, added: distanceTo(after, buildBvh(before)).largest };
}

function widthOf(mesh: Mesh, loop: readonly number[]): number {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (const v of loop)
    for (let k = 0; k < 3; k++) {
      low[k] = Math.min(low[k], mesh.positions[v * 3 + k]);
      high[k] = Math.max(high[k], mesh.positions[v * 3 + k]);
    }
  return Math.hypot(high[0] - low[0], high[1] - low[1], high[2] - low[2]);
}

/** Whether the rim of a hole lies in one plane. */
function flatRim(mesh: Mesh, loop: readonly number[], wide: number): boolean {
  const p = mesh.positions;
  const points = new Float64Array(loop.length * 3);
  loop.forEach((v, i) => points.set(p.subarray(v * 3, v * 3 + 3), i * 3));
  return offPlane(points) <= wide * flatRimShare;
}

/** Shells that run into each other are united; a shell that crosses itself is opened at the crossing and closed again. */
function withoutCrossings(mesh: Mesh, engine: Engine, did: (code: string, count: number, sentence: string) => void, left: string[]): Mesh {
  let now = mesh;
  let check = fullCheck(now, { crossings: true })!;
  if (check.selfIntersections + check.lyingOn + check.inside === 0) return now;
  const shells = shellsOf(now.triangles, now.positions.length / 3);
  const within = (pairs: Uint32Array) => {
    let own = 0;
    for (let i = 0; i < pairs.length; i += 2) if (shells.of[pairs[i]] === shells.of[pairs[i + 1]]) own++;
    return own;
  };
  if (within(check.where.crossing) + within(check.where.lying) > 0) {
    const mended = crossingsMended(now);
    if (mended.mesh && heldAgainst(now, mended.mesh).refused === null) {
      did('crossings', mended.removed, `Opened ${counted(mended.removed, 'triangle')} where the surface went through itself and closed it again.`);
      now = mended.mesh;
      check = fullCheck(now, { crossings: true })!;
    }
  }
  if (check.shells > 1 && (check.selfIntersections > 0 || check.lyingOn > 0 || check.inside > 0)) {
    try {
      const united = unitedShells(now, engine);
      did('unite', check.shells - united.shells, `United shells that ran into each other: ${countText(check.shells)} became ${countText(united.shells)}.`);
      now = united.mesh;
    } catch (thrown) {
      left.push(`Shells that run into each other could not be united: ${(thrown as Error).message}`);
    }
  }
  return now;
}

/** All bodies united; each void stays with the shell around it, and what stands in a void stays there. */
function unitedShells(mesh: Mesh, engine: Engine): { mesh: Mesh; shells: number } {
  const frame = frameFor([mesh]);
  return withSolids((keep) => {
    const out = fromManifold(keep(solidOf(engine, mesh, frame).solid), frame);
    return { mesh: out, shells: shellsOf(out.triangles, out.positions.length / 3).count };
  });
}

function figures(check: FullSoundness): MendFigures {
  const { triangles, shells, openEdges, nonManifoldEdges, flippedEdges, degenerateTriangles, doubledTriangles, selfIntersections, lyingOn, closed } = check;
  return {
    triangles,
    shells,
    openEdges,
    nonManifoldEdges,
    flippedEdges,
    degenerateTriangles,
    doubledTriangles,
    selfIntersections,
    lyingOn,
    closed,
    holes: check.holes.length,
    volume: check.measures.volume,
    area: check.measures.area,
  };
}

function explain(check: FullSoundness, left: string[]): void {
  if (check.triangles - check.degenerateTriangles <= 0) left.push('Nothing was left that bounds a solid.');
  if (check.openEdges > 0 && left.length === 0)
    left.push(`${counted(check.openEdges, 'open edge')} could not be closed: what is around them does not fit together.`);
  if (check.nonManifoldEdges > 0) left.push(`${counted(check.nonManifoldEdges, 'edge')} still have more than two triangles.`);
  if (check.flippedEdges > 0)
    left.push(
      `${counted(check.flippedEdges, 'edge')} still lie between triangles that face opposite ways: the surface has one side only, like a twisted band.`,
    );
  if (check.selfIntersections > 0) left.push(`${counted(check.selfIntersections, 'pair')} of triangles still go through each other.`);
}

/** Several meshes mended as one list of triangles. */
export function mendTogether(meshes: Mesh[], choice: MendChoice, engine: Engine): Mended | null {
  return mend(together(meshes), choice, engine);
}
