import { add, cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../exact/vector.ts';
import { Unusable, type Finding } from '../findings/finding.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { SolidBuilder } from '../kernel/build.ts';
import type { Rip } from './rip.ts';
import { faceText, pointOn, type Topology } from './topology.ts';

type Seam = Extract<Rip, { face: number }>;

/** Width of a seam cut into a closed round wall, mm: enough for weld metal to get through. Common practice, no source. */
export const seamGap = 0.2;

/** How far a seam reaches past the ends of its wall, mm. */
const past = 0.05;

/**
 * Cuts seams down closed round walls, so that they can be laid flat.
 * @param brep of the part in mm, and its topology.
 * @returns the solid with its slots, and what was done.
 * @throws Unusable when a face is not a closed round wall, or a direction runs along its axis.
 */
export function slitOpen(kernel: Kernel, brep: string, top: Topology, seams: readonly Seam[]): { brep: string; findings: Finding[] } {
  const b = new SolidBuilder(kernel);
  let solid = b.fromBrep(brep);
  const findings: Finding[] = [];
  for (const { face, towards } of seams) {
    const round = top.faces[face];
    if (!round) throw new Unusable('no-such-face', `There is no face ${face + 1} to rip; the part has ${top.faces.length}.`, 'Pick another face.');
    const { surface } = round;
    if (surface.kind !== 'cylinder' && surface.kind !== 'cone')
      throw new Unusable('no-seam', `The ${faceText(top, face)} is no round wall.`, 'Pick the round wall, or name two walls that meet (3/7).');
    const along = unit(surface.frame.z);
    const out = sub(towards, scaled(along, dot(towards, along)));
    if (!(lengthOf(out) > 1e-6 * lengthOf(towards)))
      throw new Unusable('no-seam', `The direction of the seam runs along the axis of ${faceText(top, face)}.`, 'Give a direction that the wall looks in.');
    const points = round.edges.flatMap((e) => [0, 0.25, 0.5, 0.75, 1].map((t) => sub(pointOn(top.edges[e].course, t), surface.frame.at)));
    const heights = points.map((p) => dot(p, along));
    const [low, high] = [Math.min(...heights) - past, Math.max(...heights) + past];
    const far = Math.max(...points.map((p) => lengthOf(sub(p, scaled(along, dot(p, along)))))) + top.diagonal * 0.05;
    const x = unit(out);
    const y = cross(along, x);
    const at = add(surface.frame.at, add(scaled(along, low), scaled(y, -seamGap / 2)));
    const rows = [x, y, along, at];
    const slot = b.placed(
      b.box([0, 0, 0], [far, seamGap, high - low]),
      [0, 1, 2].flatMap((c) => rows.map((v: Vec3) => v[c])),
    );
    solid = b.cut(solid, slot);
    findings.push({
      code: 'ripped',
      severity: 'clear',
      count: 1,
      message: `Ripped as asked, where the design is closed: a seam of ${seamGap} mm down ${faceText(top, face)}, ${(high - low - 2 * past).toFixed(1)} mm long. The flat is shorter by it.`,
      remedy: 'Weld or rivet the seam.',
    });
  }
  return { brep: b.brep(solid), findings };
}
