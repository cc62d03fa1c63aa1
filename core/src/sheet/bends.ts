import type { Hinge, Skin } from './hinges.ts';
import type { Bend } from '../model/flat.ts';
import { areaOfContour } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { distance, type P2 } from '../curves/segment.ts';
import { cross, dot, lengthOf, scaled, sub, type Vec3 } from '../geometry/vector.ts';
import { Unusable } from '../base/finding.ts';
import type { FlattenChoice, PatternPatch } from './pattern.ts';
import { allowanceFor, deductionOf, setbackOf } from './rules.ts';
import { isParallel, sameWithin } from './skin.ts';
import type { Thickness } from './thickness.ts';
import { middleOfFace, normalAt, pointOn, type Topology } from './topology.ts';

/** All patches (or sharp hinges) that are one bend: on one axis, of one radius, through one angle. */
export interface BendGroup {
  bend: Bend;
  up: boolean;
  /** rad; mm. */
  angle: number;
  inner: number;
  zone: number;
  doubt: string | null;
  /** How far the walls are cut back from a corner drawn sharp outside, mm; 0 for round ones. */
  cutBack: number;
  /** Drawn with a sharp outer corner, which sheet can't have. */
  drawnSharp: boolean;
}

/** Inside radius, as a multiple of the thickness, from which a bend counts as rolled or bumped. Common practice, no source. */
const rolledFrom = 20;
const degrees = 180 / Math.PI;

interface Axis {
  at: Vec3;
  along: Vec3;
}

/** Groups the bends of a skin, counts each by the rule, and sets how long their patches are on the flat. */
export function bendsOf(
  top: Topology,
  skin: Skin,
  choice: FlattenChoice,
  thick: Thickness,
): { groups: BendGroup[]; groupOf: Int32Array; sharpGroup: Map<Hinge, number> } {
  const within = Math.max(sameWithin(top), 1e-4);
  const groupOf = new Int32Array(skin.patches.length).fill(-1);
  const kinds: { axis: Axis; radius: number; convex: boolean; sweep: number; patches: number[] }[] = [];
  skin.patches.forEach((patch, i) => {
    if (patch.kind === 'wall') return;
    patch.develop.turn = betweenWalls(top, skin, i) ?? patch.develop.sweep;
    const { axis, convex, turn: sweep } = patch.develop;
    const radius = patch.kind === 'cone' ? meanRadius(top, skin, i) : patch.develop.radiusAt([0, 0, 0]);
    const found = kinds.findIndex(
      (k) =>
        k.convex === convex &&
        patch.kind !== 'cone' &&
        Math.abs(k.radius - radius) < within &&
        isParallel(k.axis.along, axis!.along) &&
        offLine(axis!.at, k.axis) < within &&
        (Math.abs(k.sweep - sweep) < 1e-6 || hingesOf(skin, i) < 2),
    );
    if (found < 0) kinds.push({ axis: axis!, radius, convex, sweep, patches: [i] });
    else {
      kinds[found].patches.push(i);
      kinds[found].sweep = Math.max(kinds[found].sweep, sweep);
    }
    groupOf[i] = found < 0 ? kinds.length - 1 : found;
  });
  const groups = kinds.map(({ radius, convex, sweep, patches }): BendGroup => {
    const inner = convex ? radius - thick.value : radius;
    const cone = skin.patches[patches[0]].kind === 'cone';
    const between = patches.some((i) => hingesOf(skin, i) >= 2);
    const what = { rolled: !between || inner > rolledFrom * thick.value, cone };
    return groupFor({ angle: sweep, inner: Math.abs(inner) < within ? 0 : inner, up: !convex, what }, thick.value, choice);
  });
  kinds.forEach(({ patches, convex }, g) => {
    const { zone, angle, bend } = groups[g];
    for (const i of patches) {
      const { develop } = skin.patches[i];
      if (develop.kind === 'bend') develop.perRadian = ((zone / angle) * develop.turn) / develop.sweep;
      else develop.slant = ((convex ? bend.k - 1 : bend.k) * thick.value) / Math.tan(develop.half);
    }
  });
  const sharpGroup = new Map<Hinge, number>();
  const sharp: { axis: Axis; angle: number; up: boolean; group: number }[] = [];
  for (const hinge of skin.hinges) {
    if (hinge.sharp === 0) continue;
    const edge = top.edges[hinge.edges[0]];
    const [a, b] = [pointOn(edge.course, 0), pointOn(edge.course, 1)];
    const axis = { at: a, along: scaled(sub(b, a), 1 / lengthOf(sub(b, a))) };
    const up = risesBeyond(top, skin, hinge);
    const known = sharp.find(
      (k) => k.up === up && Math.abs(k.angle - hinge.sharp) < 1e-6 && isParallel(k.axis.along, axis.along) && offLine(a, k.axis) < within,
    );
    if (known) sharpGroup.set(hinge, known.group);
    else {
      const group = groupFor({ angle: hinge.sharp, inner: 0, up, what: { rolled: false, cone: false } }, thick.value, choice);
      // Falling, the corner on this side is the outer one.
      if (!up) group.cutBack = thick.value * Math.tan(hinge.sharp / 2);
      group.drawnSharp = !up || sharpBehind(top, thick, edge.faces);
      groups.push(group);
      sharp.push({ axis, angle: hinge.sharp, up, group: groups.length - 1 });
      sharpGroup.set(hinge, groups.length - 1);
    }
  }
  return { groups, groupOf, sharpGroup };
}

/** An arc whose sweep is off the angle of its walls by more than this is no bend between them, rad. */
export const sameTurn = (2 * Math.PI) / 180;

/** The angle between the two flat walls that a bend joins, rad: exact where the arc itself is a little out of round. */
function betweenWalls(top: Topology, skin: Skin, i: number): number | null {
  const { sweep, kind } = skin.patches[i].develop;
  if (kind !== 'bend') return null;
  const beside = [...new Set(skin.hinges.flatMap((h) => (h.sharp > 0 ? [] : h.a === i ? [h.b] : h.b === i ? [h.a] : [])))];
  if (beside.length !== 2 || beside.some((p) => skin.patches[p].kind !== 'wall')) return null;
  const [n, m] = beside.map((p) => normalAt(top, skin.patches[p].faces[0], middleOfFace(top, skin.patches[p].faces[0])));
  const between = Math.atan2(lengthOf(cross(n, m)), dot(n, m));
  const nearest = Math.abs(between - sweep) < Math.abs(2 * Math.PI - between - sweep) ? between : 2 * Math.PI - between;
  return Math.abs(nearest - sweep) < sameTurn ? nearest : null;
}

/** How far out of round the bends of a source are, mm: what their arcs turn more or less than their walls do, at their outside. */
export function outOfRound(skin: Skin, thickness: number): number {
  let most = 0;
  for (const { develop } of skin.patches)
    if (develop.kind === 'bend')
      most = Math.max(most, Math.abs(develop.turn - develop.sweep) * (develop.radiusAt([0, 0, 0]) + (develop.convex ? 0 : thickness)));
  return most;
}

const hingesOf = (skin: Skin, patch: number): number => skin.hinges.filter((h) => h.a === patch || h.b === patch).length;

const offLine = (p: Vec3, axis: Axis): number => lengthOf(cross(sub(p, axis.at), axis.along));

function meanRadius(top: Topology, skin: Skin, i: number): number {
  const { develop, loops } = skin.patches[i];
  const radii = loops.flatMap((l) => l.edges.flatMap((e) => [0, 0.5, 1].map((t) => develop.radiusAt(pointOn(top.edges[e].course, t)))));
  return (Math.min(...radii) + Math.max(...radii)) / 2;
}

/** A bend as it is drawn: rad and mm. */
interface DrawnBend {
  angle: number;
  inner: number;
  up: boolean;
  what: { rolled: boolean; cone: boolean };
}

function groupFor({ angle, inner, up, what }: DrawnBend, thickness: number, choice: FlattenChoice): BendGroup {
  const through = angle * degrees;
  if (inner < 0) throw new Unusable('bad-bend', `A bend has an inside radius of ${inner.toFixed(3)} mm.`, 'Heal the solid first.');
  const tool = what.rolled ? inner : (choice.radius ?? inner);
  const { length, words, doubt } = allowanceFor(choice.rule, through, tool, thickness);
  const wide = 2 * (setbackOf(through, inner, thickness) - setbackOf(through, tool, thickness)) + length;
  // A sharp bend whose neutral fibre lies on its inside has no length; it keeps a sliver, so that it can still be folded.
  const zone = Math.max(wide, 1e-6 * thickness);
  if (wide < -1e-9)
    throw new Unusable(
      'tool-too-large',
      `With an inside radius of ${tool} mm nothing is left of the bend through ${through.toFixed(1)}°.`,
      'Choose a smaller radius for the tool.',
    );
  return {
    up,
    angle,
    inner,
    zone,
    doubt,
    cutBack: 0,
    drawnSharp: false,
    bend: {
      order: 0,
      angle: through,
      radius: inner,
      tool,
      direction: up ? 'up' : 'down',
      length: 0,
      allowance: length,
      deduction: deductionOf(through, tool, thickness, length),
      k: (length / angle - tool) / thickness,
      zone,
      rule: words,
      ...what,
      lines: [],
    },
  };
}

/** Whether the other sides of two walls meet in an edge too, with no round between them. */
function sharpBehind(top: Topology, thick: Thickness, faces: readonly number[]): boolean {
  const [a, b] = faces.map((f) => thick.behind[f]);
  return [...a].some((f) => top.faces[f].edges.some((e) => top.edges[e].faces.some((g) => g !== f && b.has(g))));
}

/** Whether the wall beyond a sharp edge rises over the near one. */
function risesBeyond(top: Topology, skin: Skin, hinge: Hinge): boolean {
  const edge = top.edges[hinge.edges[0]];
  const near = edge.faces.find((f) => skin.patchOf[f] === hinge.a)!;
  const far = edge.faces.find((f) => f !== near)!;
  const mid = pointOn(edge.course, 0.5);
  const { positions, triangles } = top.mesh;
  const s = top.faces[near].surface;
  if (s.kind !== 'plane') return false;
  const n = scaled(cross(s.frame.x, s.frame.y), top.faces[near].sign);
  let best = Infinity;
  let rise = 0;
  for (const t of top.faces[far].triangles) {
    const corners = [0, 1, 2].map((k) => {
      const v = triangles[t * 3 + k] * 3;
      return [positions[v], positions[v + 1], positions[v + 2]] as Vec3;
    });
    const away = Math.min(
      ...corners.map((c) => lengthOf(sub(c, mid))),
      lengthOf(sub(scaled([0, 1, 2].map((k) => corners[0][k] + corners[1][k] + corners[2][k]) as Vec3, 1 / 3), mid)),
    );
    const up = corners.map((c) => dot(n, sub(c, mid))).reduce((w, v) => (Math.abs(v) > Math.abs(w) ? v : w), 0);
    if (away < best) {
      best = away;
      rise = up;
    }
  }
  return rise > 0;
}

/** Draws the bend lines where there is material, sums their lengths, and numbers the bends: hems first, then from the outside in. Common practice. */
export function finishBends(groups: BendGroup[], patches: PatternPatch[]): void {
  const depth = new Array<number>(groups.length).fill(0);
  patches.forEach((patch) => {
    const g = patch.bendNumber;
    if (g < 0) return;
    let d = 0;
    for (let p = patch.parent; p >= 0; p = patches[p].parent) d++;
    depth[g] = Math.max(depth[g], d);
    const { bend } = groups[g];
    const lines = patch.hinge ? middleLines(patch) : [];
    const length = lines.reduce((n, [a, b]) => n + distance(a, b), 0);
    if (!bend.rolled) bend.lines.push(...lines);
    bend.length += length;
  });
  const hem = (g: number) => (groups[g].bend.angle > 150 ? 0 : 1);
  const order = groups.map((_, g) => g).sort((a, b) => hem(a) - hem(b) || depth[b] - depth[a] || groups[a].bend.length - groups[b].bend.length || a - b);
  order.forEach((g, i) => (groups[g].bend.order = i + 1));
}

/** The middle ruling of a bend zone, where material is. */
function middleLines(patch: PatternPatch): [P2, P2][] {
  const [a, b] = patch.hinge!;
  let from: P2 = a;
  let along: P2;
  if (patch.cone) {
    const { apex, sweep, half } = patch.cone;
    const other = distance(apex, a) > distance(apex, b) ? a : b;
    const start = Math.atan2(other[1] - apex[1], other[0] - apex[0]);
    // The patch lies on the left of a to b: counter-clockwise when that leads away from the apex.
    const turn = other === b ? 1 : -1;
    const middle = start + (turn * sweep * Math.sin(half)) / 2;
    from = apex;
    along = [Math.cos(middle), Math.sin(middle)];
  } else {
    const size = distance(a, b);
    along = [(b[0] - a[0]) / size, (b[1] - a[1]) / size];
    const { width } = patch.bend!;
    from = [a[0] - (along[1] * width) / 2, a[1] + (along[0] * width) / 2];
  }
  // Where the line crosses the borders, sorted: inside between odd and even crossings.
  const crossings: number[] = [];
  for (const c of patch.region) {
    if (Math.abs(areaOfContour(c)) === 0) continue;
    const points = flattened(c.segments, 0.001);
    for (let i = 0; i < points.length; i++) {
      const [p, q] = [points[i], points[(i + 1) % points.length]];
      const [s, t] = [p, q].map((v) => along[0] * (v[1] - from[1]) - along[1] * (v[0] - from[0]));
      if (s > 0 === t > 0) continue;
      const k = s / (s - t);
      const [x, y] = [p[0] + (q[0] - p[0]) * k - from[0], p[1] + (q[1] - p[1]) * k - from[1]];
      crossings.push(x * along[0] + y * along[1]);
    }
  }
  crossings.sort((m, n) => m - n);
  const lines: [P2, P2][] = [];
  for (let i = 0; i + 1 < crossings.length; i += 2) {
    if (crossings[i + 1] - crossings[i] < 1e-6) continue;
    const at = (d: number): P2 => [from[0] + along[0] * d, from[1] + along[1] * d];
    lines.push([at(crossings[i]), at(crossings[i + 1])]);
  }
  return lines;
}
