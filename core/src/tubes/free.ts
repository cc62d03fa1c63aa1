import { circleThrough } from '../geometry/circle.ts';
import { cross, distance, dot, sub, type Vec3 } from '../geometry/vector.ts';
import { surfaceAt, type BsplineSurface } from '../surfaces/surfaces.ts';
import type { Section } from './run.ts';
import { sectionBy } from './sections.ts';
import type { Skin } from './skin.ts';

/** A round tube that was swept along a free curve: its centre line as points. */
export interface FreeSweep {
  points: Vec3[];
  section: Section;
  faces: number[];
  body: number;
}

/** Rings looked at along a surface, and points on each. */
const rings = 97;
const perRing = 13;
/** Circles of one sweep differ in radius by less than this, mm. */
const sameRadius = 5e-3;

interface Found {
  points: Vec3[];
  r: number;
  face: number;
  body: number;
  /** Whether the material is inside. */
  outside: boolean;
}

/** Tubes whose faces are free B-splines of circles of one size. Inside and outside are put together by their ends. */
export function freeSweeps(skin: Skin): FreeSweep[] {
  const found: Found[] = [];
  skin.faces.forEach(({ surface, body, outward }, face) => {
    if (surface.kind !== 'bspline') return;
    const line = centresOf(surface);
    if (line) found.push({ ...line, face, body, outside: line.away === outward });
  });
  const out: FreeSweep[] = [];
  const used = new Set<number>();
  for (const o of found.filter((f) => f.outside).sort((a, b) => b.r - a.r)) {
    if (used.has(o.face)) continue;
    // One tube may come in halves: faces with the same centre line belong together.
    const own = found.filter((f) => f.body === o.body && sameLine(f.points, o.points));
    for (const f of own) used.add(f.face);
    const inner = own.filter((f) => !f.outside).sort((a, b) => b.r - a.r)[0];
    out.push({
      points: o.points,
      section: sectionBy('round', [2 * o.r, 2 * o.r], inner ? o.r - inner.r : null, o.r),
      faces: own.map((f) => f.face),
      body: o.body,
    });
  }
  return out;
}

const sameLine = (a: readonly Vec3[], b: readonly Vec3[]): boolean => {
  const ends = (p: readonly Vec3[], q: readonly Vec3[]) => distance(p[0], q[0]) + distance(p[p.length - 1], q[q.length - 1]);
  return Math.min(ends(a, b), ends([...a].reverse(), b)) < 0.05;
};

/** Centres of the circles of a B-spline, one way or the other; `away`: 1 when du x dv points away from them. */
function centresOf(s: BsplineSurface): { points: Vec3[]; r: number; away: 1 | -1 } | null {
  const [u0, u1] = [s.uKnots[s.uDegree], s.uKnots[s.uCount]];
  const [v0, v1] = [s.vKnots[s.vDegree], s.vKnots[s.vCount]];
  for (const along of ['u', 'v'] as const) {
    const at = (a: number, b: number) =>
      along === 'u' ? surfaceAt(s, u0 + (u1 - u0) * a, v0 + (v1 - v0) * b) : surfaceAt(s, u0 + (u1 - u0) * b, v0 + (v1 - v0) * a);
    const points: Vec3[] = [];
    let r: number | null = null;
    for (let i = 0; i < rings; i++) {
      const ring = Array.from({ length: perRing }, (_, k) => at(i / (rings - 1), k / (perRing - 1)).at);
      const circle = circleThrough(ring[0], ring[(perRing - 1) >> 1], ring[perRing - 2]);
      r ??= circle?.r ?? null;
      if (!circle || r === null || Math.abs(circle.r - r) > sameRadius || ring.some((p) => Math.abs(distance(p, circle.centre) - circle.r) > sameRadius)) break;
      points.push(circle.centre);
    }
    if (r === null || points.length < rings) continue;
    const m = at(0.5, 0.3);
    const away = dot(cross(m.du, m.dv), sub(m.at, points[(rings - 1) >> 1])) > 0 ? 1 : -1;
    return { points, r, away };
  }
  return null;
}
