import type { Rip } from './asked.ts';
import { add, cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { alongRay } from '../geometry/bvh/ray.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { SolidBuilder } from '../kernel/build.ts';
import { across } from './skin.ts';
import { faceText, middleOfFace, normalAt, pointOn, type Topology } from './topology.ts';

type Seam = Extract<Rip, { face: number }>;

/** Width of a seam cut down a wall, mm: enough for weld metal to get through. Common practice, no source. */
export const seamGap = 0.2;

/** How far a seam reaches past the ends of its wall and out of it, mm. */
const past = 0.05;

/** A slot as a box: a corner, three directions, and how long it is along each, mm. */
interface Slot {
  at: Vec3;
  axes: [Vec3, Vec3, Vec3];
  size: [number, number, number];
  long: number;
}

/**
 * Cuts seams down walls, so that a part that closes on itself can be unfolded.
 * @param brep of the part in mm, and its topology.
 * @returns the solid with its slots, and what was done.
 * @throws Unusable when a face is no such wall, or a direction runs along its axis.
 */
export function slitOpen(kernel: Kernel, brep: string, top: Topology, seams: readonly Seam[]): { brep: string; findings: Finding[] } {
  const b = new SolidBuilder(kernel);
  let solid = b.fromBrep(brep);
  const findings: Finding[] = [];
  for (const seam of seams) {
    const { face } = seam;
    if (!top.faces[face]) throw new Unusable('no-such-face', `There is no face ${face + 1} to rip; the part has ${top.faces.length}.`, 'Pick another face.');
    const { at, axes, size, long } = 'middle' in seam ? slotDownFlat(top, face) : slotDownRound(top, face, seam.towards);
    const rows = [0, 1, 2].flatMap((c) => [axes[0][c], axes[1][c], axes[2][c], at[c]]);
    solid = b.cut(solid, b.placed(b.box([0, 0, 0], size), rows));
    findings.push({
      code: 'ripped',
      severity: 'clear',
      count: 1,
      message: `Ripped as asked, where the design is closed: a seam of ${seamGap} mm down ${faceText(top, face)}, ${long.toFixed(1)} mm long. The flat is shorter by it.`,
      remedy: 'Weld or rivet the seam.',
    });
  }
  return { brep: b.brep(solid), findings };
}

/** From the axis outwards, where a round wall looks in a direction. */
function slotDownRound(top: Topology, face: number, towards: Vec3): Slot {
  const { surface, edges } = top.faces[face];
  if (surface.kind !== 'cylinder' && surface.kind !== 'cone')
    throw new Unusable(
      'no-seam',
      `The ${faceText(top, face)} is no round wall.`,
      'Pick the round wall; or name two walls that meet (3/7), or a flat wall (7@middle).',
    );
  const along = unit(surface.frame.z);
  const out = sub(towards, scaled(along, dot(towards, along)));
  if (!(lengthOf(out) > 1e-6 * lengthOf(towards)))
    throw new Unusable('no-seam', `The direction of the seam runs along the axis of ${faceText(top, face)}.`, 'Give a direction that the wall looks in.');
  const points = edges.flatMap((e) => [0, 0.25, 0.5, 0.75, 1].map((t) => sub(pointOn(top.edges[e].course, t), surface.frame.at)));
  const heights = points.map((p) => dot(p, along));
  const [low, high] = [Math.min(...heights) - past, Math.max(...heights) + past];
  const far = Math.max(...points.map((p) => lengthOf(sub(p, scaled(along, dot(p, along)))))) + top.diagonal * 0.05;
  const x = unit(out);
  const y = cross(along, x);
  const at = add(surface.frame.at, add(scaled(along, low), scaled(y, -seamGap / 2)));
  return { at, axes: [x, y, along], size: [far, seamGap, high - low], long: high - low - 2 * past };
}

/** Down the middle of a flat wall, along its longest edge to a bend or another wall, through the sheet. */
function slotDownFlat(top: Topology, face: number): Slot {
  const { surface, edges } = top.faces[face];
  if (surface.kind !== 'plane')
    throw new Unusable('no-seam', `The ${faceText(top, face)} is not flat.`, 'Give a direction that the round wall looks in (5@-y).');
  const ends = (e: number): [Vec3, Vec3] => [pointOn(top.edges[e].course, 0), pointOn(top.edges[e].course, 1)];
  const span = (e: number) => distance(...ends(e));
  const side = top.faces[face].area;
  // Edges of the sheet's cut lead to narrow faces; those to walls and bends to faces of some size.
  const hinges = edges.filter((e) => top.edges[e].straight && across(top.edges[e], face) >= 0);
  if (hinges.length === 0) throw new Unusable('no-seam', `The ${faceText(top, face)} has no straight edge.`, 'Pick a wall that hangs on bends.');
  const rank = (e: number) => (top.faces[across(top.edges[e], face)].surface.kind === 'cylinder' ? 2 : 1) * span(e) + 1e-9 * side;
  const longest = hinges.reduce((best, e) => (rank(e) > rank(best) ? e : best));
  const [p, q] = ends(longest);
  const along = unit(sub(q, p));
  const normal = normalAt(top, face, middleOfFace(top, face));
  const wide = cross(along, normal);
  const corners = edges.flatMap((e) => [0, 0.25, 0.5, 0.75, 1].map((t) => sub(pointOn(top.edges[e].course, t), p)));
  const range = (v: Vec3): [number, number] => [Math.min(...corners.map((c) => dot(c, v))), Math.max(...corners.map((c) => dot(c, v)))];
  const [low, high] = range(along);
  const [left, right] = range(wide);
  const thick = throughAt(top, face, normal);
  const at = add(p, add(add(scaled(along, low - past), scaled(wide, (left + right) / 2 - seamGap / 2)), scaled(normal, -thick - past)));
  return { at, axes: [wide, along, normal], size: [seamGap, high - low + 2 * past, thick + 2 * past], long: high - low };
}

/** How thick the sheet is under a flat face, mm. @throws Unusable when nothing lies behind it. */
function throughAt(top: Topology, face: number, normal: Vec3): number {
  const p = middleOfFace(top, face);
  let least = Infinity;
  alongRay(top.bvh, { from: p, along: scaled(normal, -1), start: top.diagonal * 1e-6, end: top.diagonal * 2 }, (t) => {
    least = Math.min(least, t);
    return Math.min(least, top.diagonal * 2);
  });
  if (!Number.isFinite(least)) throw new Unusable('no-seam', `Nothing lies behind ${faceText(top, face)}.`, 'Pick a wall of the sheet.');
  return least;
}
