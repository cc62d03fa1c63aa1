import type { CrossSection, Manifold } from 'manifold-3d';
import { Unusable } from '../base/finding.ts';
import { transformed } from '../curves/affine.ts';
import { boxOfDrawing, type Contour, type Drawing } from '../curves/drawing.ts';
import { nest, netArea } from '../curves/nest.ts';
import { areaOf } from '../curves/offset.ts';
import { awayFromZero, withSolids, type Engine, type Keep } from '../engine/engine.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { drafted, volumeBySections } from './draft.ts';
import { combine } from '../mesh/join/booleans.ts';

type P3 = [number, number, number];

/** Where a drawing lies on a part: its zero, which way its face looks, and how it is turned about that. mm of the part, rad. */
export interface OnFace {
  at: P3;
  /** Outward. */
  normal: P3;
  angle: number;
}

export interface Engraved {
  mesh: Mesh;
  /** Area of the drawing, and the volume that was taken away or added, mm2 and mm3. */
  area: number;
  volume: number;
  /** Share of area times depth (less what the draft takes) that was found; under 1 when letters reach past the face, or the face is not flat there. */
  share: number;
  told: string[];
}

/** Facets of rounds lie within this share of the drawing's size of the true line. */
const roundShare = 2e-5;
/** How far a cutter reaches above the face, and a raised letter into it, as a share of its depth: faces that lie on each other leave hairs. */
const through = 0.25;

/**
 * Closed contours sunk into a part's face (depth above 0) or raised from it (below 0). A flat floor; walls upright, or leaning by a draft (rad) so that it is widest at the face.
 * What came of it is measured by volumes of both solids, and held against area times depth.
 * @throws Unusable when nothing is closed, or nothing was met. @example engraved(engine, plate, letters, { on: { at: [20, 10, 3], normal: [0, 0, 1], angle: 0 }, depth: 0.4 })
 */
export function engraved(
  engine: Engine,
  mesh: Mesh,
  contours: readonly Contour[],
  { on, depth, draft = 0 }: { on: OnFace; depth: number; draft?: number },
): Engraved {
  const closed = contours.filter((c) => c.closed);
  if (closed.length === 0)
    throw new Unusable(
      'nothing-closed',
      'Nothing of it is closed: single lines have no width to engrave.',
      'Choose letters with outlines, or give the strokes a width.',
    );
  const deep = Math.abs(depth);
  const above = Math.max(deep * through, 1e-3);
  // By the exact contours, not by the polygons that cut: where contours overlap, or the cut lost something, both differ.
  const drawn: Drawing = { layers: [{ name: '', colour: null, lineType: '', contours: closed }], texts: [], points: [] };
  const [fx, fy] = awayFromZero(boxOfDrawing(drawn));
  const area = netArea(nest(drawn));
  const { tool, meant } = withSolids((keep) => {
    const near = closed.map((c) => ({ ...c, segments: c.segments.map((s) => transformed(s, [1, 0, 0, 1, -fx, -fy])) }));
    const flat = keep(areaOf(engine, near, Math.max(1e-4, sizeOf(closed) * roundShare)));
    const out = toolOf(engine, keep, flat, { depth, above, draft }).getMesh();
    const [right, up, normal] = frameOf(on);
    const positions = new Float64Array(out.vertProperties.length);
    for (let i = 0; i < positions.length; i += 3) {
      const [x, y, z] = [out.vertProperties[i] + fx, out.vertProperties[i + 1] + fy, out.vertProperties[i + 2]];
      for (let k = 0; k < 3; k++) positions[i + k] = on.at[k] + right[k] * x + up[k] * y + normal[k] * z;
    }
    // What the polygons lack of the exact contours counts as lost.
    const sections = volumeBySections(keep, flat, { height: deep, draft }) + (area - flat.area()) * deep;
    return { tool: { positions, triangles: new Uint32Array(out.triVerts) }, meant: sections };
  });
  const { mesh: result, told } = combine(engine, depth > 0 ? 'subtract' : 'join', [mesh, tool]);
  const volume = Math.abs(measureMesh(result).volume - measureMesh(mesh).volume);
  const share = volume / meant;
  if (share < 1e-6) throw new Unusable('nothing-met', 'The letters do not meet the part there.', 'Pick a place on one of its faces.');
  return { mesh: result, area, volume, share, told };
}

/** What is taken away or put on, with its zero in the face: from there inward or outward, and a little beyond it on the other side. */
function toolOf(engine: Engine, keep: Keep, flat: CrossSection, { depth, above, draft }: { depth: number; above: number; draft: number }): Manifold {
  const deep = Math.abs(depth);
  if (draft === 0) return keep(keep(flat.extrude(deep + above)).translate([0, 0, depth > 0 ? -deep : -above]));
  const leaning = drafted(engine, keep, flat, { height: deep, draft, below: above });
  return depth > 0 ? keep(leaning.mirror([0, 0, 1])) : leaning;
}

function sizeOf(contours: readonly Contour[]): number {
  let [low, high] = [Infinity, -Infinity];
  for (const c of contours)
    for (const s of c.segments)
      for (const p of s.kind === 'line' ? [s.a, s.b] : s.kind === 'bezier' ? s.points : 'centre' in s ? [s.centre] : s.points)
        for (const v of p) {
          low = Math.min(low, v);
          high = Math.max(high, v);
        }
  return high - low;
}

/** Right, up and outward on a face: up is as near to the part's Z as can be, on level faces its Y. */
export function frameOf({ normal: n, angle }: OnFace): [P3, P3, P3] {
  const size = Math.hypot(...n);
  if (!(size > 0)) throw new Unusable('no-face', 'The face looks nowhere.', 'Pick a place on one of its faces.');
  const normal = n.map((v) => v / size) as P3;
  const wanted: P3 = Math.abs(normal[2]) > 0.9 ? [0, 1, 0] : [0, 0, 1];
  const right = unit(cross(wanted, normal));
  const up = cross(normal, right);
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  return [right.map((v, k) => c * v + s * up[k]) as P3, right.map((v, k) => -s * v + c * up[k]) as P3, normal];
}

const cross = (a: P3, b: P3): P3 => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const unit = (a: P3): P3 => a.map((v) => v / Math.hypot(...a)) as P3;
