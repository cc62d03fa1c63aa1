import type { SkinContour } from './pieces.ts';
import type { Skin } from './hinges.ts';
import { contourOf, type Contour } from '../curves/drawing.ts';
import type { P2, Segment } from '../curves/segment.ts';
import { add, lengthOf, scaled, sub, type Vec3, cross } from '../geometry/vector.ts';
import type { DesignedEdge, Pattern, PatternPatch } from './pattern.ts';
import { put } from './pieces.ts';
import { heightOver, middleOfFace, normalAt, pointOn, type Topology } from './topology.ts';
import { hingeLine, type Laid, type LaidSheet } from './lay-out.ts';
import { loopContour } from './outline.ts';
import { sharpCorners } from './sharp.ts';

/** Patches as they are folded again: in the order of the tree, sharp bends as patches of their own. */
export function patchesOf(laid: Laid): PatternPatch[] {
  const { top, skin, placed } = laid;
  const out: PatternPatch[] = [];
  const number = new Map<number, number>();
  const corners = sharpCorners(laid);
  for (const i of placed.order) {
    const patch = skin.patches[i];
    const hinge = placed.hinge[i];
    let parent = hinge ? number.get(placed.parent[i])! : -1;
    let line: [P2, P2] | null = null;
    if (hinge) {
      const p = placed.parent[i];
      const { away, ...ends } = hingeLine(laid, hinge, p);
      let { a, b } = ends;
      // The child lies on the left of the way from a to b.
      if (-(b[1] - a[1]) * away[0] + (b[0] - a[0]) * away[1] < 0) [a, b] = [b, a];
      line = [a, b];
      if (hinge.sharp > 0) {
        const g = placed.sharpGroup.get(hinge)!;
        const { zone, up, angle, inner, cutBack } = placed.groups[g];
        // Walls beside a sharp outer corner end before it.
        const begin = (v: P2): P2 => [v[0] - away[0] * cutBack, v[1] - away[1] * cutBack];
        [a, b] = [begin(a), begin(b)];
        line = [a, b];
        const shift: P2 = [away[0] * zone, away[1] * zone];
        const [c, d] = [a, b].map((v): P2 => [v[0] + shift[0], v[1] + shift[1]]);
        const strip = hinge.edges.map((e) => {
          const [u, v] = [0, 1].map((t) => put(placed.place[p], skin.patches[p].develop.at(pointOn(top.edges[e].course, t))));
          return rectangle(begin(u), begin(v), shift);
        });
        out.push({ kind: 'bend', parent, hinge: line, bend: { angle, up, inner, width: zone }, cone: null, region: strip, bendNumber: g, strips: true });
        parent = out.length - 1;
        line = [c, d];
      }
    }
    const region = patch.loops.map((loop) => loopContour(laid, i, loop, corners));
    const g = placed.groupOf[i];
    const group = g >= 0 ? placed.groups[g] : null;
    let cone: PatternPatch['cone'] = null;
    if (patch.kind === 'cone') {
      const { develop } = patch;
      cone = { apex: put(placed.place[i], [0, 0]), half: develop.half, sweep: develop.sweep, up: !develop.convex, slant: develop.slant };
    }
    let own = line;
    if (!line && patch.kind !== 'wall') own = rollHinge(laid, i);
    out.push({
      kind: patch.kind,
      parent,
      hinge: own,
      bend:
        patch.kind === 'bend' && group
          ? { angle: patch.develop.turn, up: group.up, inner: group.inner, width: patch.develop.sweep * patch.develop.perRadian }
          : null,
      cone,
      region,
      bendNumber: g,
      strips: false,
    });
    number.set(i, out.length - 1);
  }
  return out;
}

/** The first ruling of a rolled root, along which it touches its own plane. */
function rollHinge({ top, skin, placed }: Laid, i: number): [P2, P2] {
  const { develop } = skin.patches[i];
  const p = put(placed.place[i], develop.at(firstRuling(top, skin)));
  if (develop.kind === 'cone') {
    const apex = put(placed.place[i], [0, 0]);
    // Further angles lie on the left or the right of the ruling that runs from the apex.
    return develop.convex ? [p, apex] : [apex, p];
  }
  const up: P2 = [p[0], p[1] + 1];
  return develop.convex ? [up, p] : [p, up];
}

const rectangle = (a: P2, b: P2, shift: P2): Contour => {
  const c: P2 = [b[0] + shift[0], b[1] + shift[1]];
  const d: P2 = [a[0] + shift[0], a[1] + shift[1]];
  return contourOf(
    [a, b, c, d].map((p, i, all): Segment => ({ kind: 'line', a: p, b: all[(i + 1) % 4] })),
    true,
  );
};

/** Edges that the folded flat has to find again, as points: the ends of lines, a few points of curves. */
export function designedEdges({ top, thick, skin, placed }: LaidSheet, cuts: SkinContour[]): DesignedEdge[] {
  const number = new Map(placed.order.map((p, i) => [p, i]));
  // Sharp bends add patches of their own before their wall.
  let shift = 0;
  for (const p of placed.order) {
    if ((placed.hinge[p]?.sharp ?? 0) > 0) shift++;
    number.set(p, number.get(p)! + shift);
  }
  const out: DesignedEdge[] = [];
  for (const { pieces: own } of cuts) {
    for (const piece of own) {
      if (piece.edge < 0) continue;
      const straight = piece.segments.length === 1 && piece.segments[0].kind === 'line';
      // Corners of a mesh are its only exact places.
      const corners = piece.course.kind === 'corners' ? piece.course.points.length / 3 - 1 : 0;
      const n = straight ? 1 : corners > 0 ? Math.min(8, corners) : 8;
      const points: number[] = [];
      const flat: number[] = [];
      const thickness: number[] = [];
      const far = skin.patches[piece.patch].faces.flatMap((f) => [...thick.behind[f]]);
      for (let k = 0; k <= n; k++) {
        const p = pointOn(piece.course, corners > 0 ? Math.round((k * corners) / n) / corners : k / n);
        points.push(...p);
        thickness.push(throughAt(top, far, p, thick.value));
        flat.push(...put(placed.place[piece.patch], skin.patches[piece.patch].develop.at(p)));
      }
      out.push({ patch: number.get(piece.patch)!, points, flat, thickness });
    }
  }
  return out;
}

/** Distance from a point of the up side to the other side, mm: of the faces behind it the one that suits; a sharp inside has none. */
function throughAt(top: Topology, far: readonly number[], p: Vec3, expected: number): number {
  const found = far.map((f) => heightOver(top.faces[f], p)).flatMap((h) => (h === null ? [] : [-h]));
  return found.reduce((best, d) => (Number.isNaN(best) || Math.abs(d - expected) < Math.abs(best - expected) ? d : best), NaN);
}

/** The root patch in space: where its own plane's origin and axes are. */
export function rootOf(top: Topology, skin: Skin): Pattern['root'] {
  const patch = skin.patches[0];
  const face = patch.faces[0];
  const middle = middleOfFace(top, face);
  if (patch.kind === 'wall') {
    const normal = normalAt(top, face, middle);
    const { surface } = top.faces[face];
    if (surface.kind !== 'plane') throw new RangeError('a wall is flat');
    const x = surface.frame.x;
    const y: Vec3 = cross(normal, x);
    return { at: surface.frame.at, x, y, normal };
  }
  // A rolled part is held at its first ruling: the plane that touches it there.
  const { develop } = patch;
  const first = firstRuling(top, skin);
  const [u, v] = develop.at(first);
  const normal = normalAt(top, face, first);
  const along = patch.kind === 'bend' ? develop.axis!.along : scaled(sub(first, develop.axis!.at), 1 / lengthOf(sub(first, develop.axis!.at)));
  if (patch.kind === 'bend') {
    const x: Vec3 = cross(along, normal);
    return { at: sub(first, add(scaled(x, u), scaled(along, v))), x, y: along, normal };
  }
  // Cone: the ruling runs along the direction of the sector there.
  const psi = Math.atan2(v, u);
  const side: Vec3 = cross(normal, along);
  const x = add(scaled(along, Math.cos(psi)), scaled(side, -Math.sin(psi)));
  const y = add(scaled(along, Math.sin(psi)), scaled(side, Math.cos(psi)));
  return { at: sub(first, add(scaled(x, u), scaled(y, v))), x, y, normal };
}

/** A point of the first ruling of a rolled root. */
function firstRuling(top: Topology, skin: Skin): Vec3 {
  const patch = skin.patches[0];
  let best: Vec3 | null = null;
  let least = Infinity;
  for (const loop of patch.loops)
    for (const e of loop.edges)
      for (let k = 0; k <= 16; k++) {
        const p = pointOn(top.edges[e].course, k / 16);
        const a = patch.develop.angleOf(p);
        if (a < least) {
          least = a;
          best = p;
        }
      }
  return best!;
}
