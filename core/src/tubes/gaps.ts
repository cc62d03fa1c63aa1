import { cross, distance, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import type { Member } from './members.ts';
import { bendAbout, type Bend } from './run.ts';
import type { Skin } from './skin.ts';

/** More free ends than these are not paired. */
const mostEnds = 2000;

/**
 * Bends of a mesh whose facets are no flat strips: between two straights of one section that end square, the arc that touches both.
 * It counts only when the mesh's points there lie on its ring.
 */
export function gapsClosed(members: readonly Member[], skin: Skin): Member[] {
  const free = members
    .flatMap((m) => (m.sweep.kind === 'straight' ? ([0, 1] as const).map((side) => ({ m, side })) : []))
    .filter(({ m, side }) => m.ends[side].cut.kind === 'square' && !followed(members, m, side));
  if (free.length > mostEnds) return [...members];
  const added: Member[] = [];
  const points = pointsByBody(skin);
  for (let i = 0; i < free.length; i++) {
    for (let j = i + 1; j < free.length; j++) {
      const [a, b] = [free[i], free[j]];
      if (a.m === b.m || a.m.body !== b.m.body || Math.abs(a.m.section.width - b.m.section.width) > a.m.section.width * 0.01) continue;
      const bend = arcBetween(a.m.ends[a.side], b.m.ends[b.side], a.m.section.width);
      const facets = bend ? facetsOnRing(points.get(a.m.body) ?? [], bend, a.m) : 0;
      if (bend && facets > 0) added.push({ ...memberOf(bend, a.m), facets });
    }
  }
  return [...members, ...added];
}

/** Whether another piece begins where this one ends: facets of a bend that were found. */
function followed(members: readonly Member[], m: Member, side: 0 | 1): boolean {
  const { at } = m.ends[side];
  return members.some((o) => o !== m && o.body === m.body && o.ends.some((e) => distance(e.at, at) < m.section.width * 0.01));
}

function pointsByBody(skin: Skin): Map<number, Vec3[]> {
  const out = new Map<number, Vec3[]>();
  for (const e of skin.edges) {
    const { body } = skin.faces[e.faces[0]];
    const list = out.get(body);
    if (list) list.push(...e.points);
    else out.set(body, [...e.points]);
  }
  return out;
}

/** The arc that leaves one end and comes in at another; null when none touches both. */
function arcBetween(p: { at: Vec3; out: Vec3 }, q: { at: Vec3; out: Vec3 }, width: number): Bend | null {
  const [u, v] = [p.out, scaled(q.out, -1)];
  const w = sub(q.at, p.at);
  if (lengthOf(w) < width * 0.2) return null;
  const n = cross(u, v);
  const s = lengthOf(n);
  const slack = 5e-3;
  if (s < 0.02) {
    // Half a turn: the ends look the same way, side by side.
    if (dot(u, v) > 0 || Math.abs(dot(w, u)) > slack * lengthOf(w)) return null;
    const axis = unit(cross(u, w));
    return bendAbout({ from: p.at, before: u, axis, angle: Math.PI }, lengthOf(w) / 2);
  }
  const axis = scaled(n, 1 / s);
  if (Math.abs(dot(w, axis)) > slack * lengthOf(w)) return null;
  const angle = Math.atan2(s, dot(u, v));
  // Corner p + T1 u = q - T2 v.
  const t1 = dot(cross(w, v), axis) / s;
  const t2 = dot(cross(u, w), axis) / s;
  if (!(t1 > 0) || Math.abs(t1 - t2) > slack * Math.max(t1, Math.abs(t2))) return null;
  const bend = bendAbout({ from: p.at, before: u, axis, angle }, (t1 + t2) / 2 / Math.tan(angle / 2));
  return distance(bend.to, q.at) <= slack * lengthOf(w) ? bend : null;
}

/** How many facets stand for the arc, when the points about it lie on its ring: enough of them, none off it; 0 otherwise. */
function facetsOnRing(points: readonly Vec3[], bend: Bend, { section }: Member): number {
  const rings = new Set<number>();
  const x = unit(sub(bend.from, bend.centre));
  const y = cross(bend.axis, x);
  const slack = section.width * 0.02;
  let on = 0;
  for (const p of points) {
    const q = sub(p, bend.centre);
    const h = dot(q, bend.axis);
    if (Math.abs(h) > section.width) continue;
    const angle = Math.atan2(dot(q, y), dot(q, x));
    if (angle <= 1e-3 || angle >= bend.angle - 1e-3) continue;
    const away = Math.hypot(Math.hypot(dot(q, x), dot(q, y)) - bend.radius, h);
    if (away > section.width * 0.75) continue;
    const wall = section.wall ?? 0;
    const off = Math.min(Math.abs(away - section.width / 2), wall > 0 ? Math.abs(away - section.width / 2 + wall) : Infinity);
    if (section.shape === 'round' && off > slack) return 0;
    on++;
    rings.add(Math.round(angle * 500));
  }
  return on >= 6 ? rings.size + 1 : 0;
}

function memberOf(bend: Bend, m: Member): Member {
  const x = unit(sub(bend.from, bend.centre));
  const sweep = {
    ...m.sweep,
    kind: 'bend' as const,
    at: bend.centre,
    along: bend.axis,
    x,
    y: cross(bend.axis, x),
    loop: [],
    faces: [],
    edges: [],
    bounds: [[], []] as [Vec3[], Vec3[]],
  };
  const square = (out: Vec3) => ({ kind: 'square' as const, slant: 0, normal: out });
  const [out0, out1] = [scaled(bend.before, -1), unit(cross(bend.axis, sub(bend.to, bend.centre)))];
  return {
    sweep,
    section: m.section,
    middle: [bend.radius, 0],
    width: [1, 0],
    ends: [
      { at: bend.from, out: out0, t: 0, cut: square(out0) },
      { at: bend.to, out: out1, t: bend.angle, cut: square(out1) },
    ],
    faces: [],
    body: m.body,
  };
}
