import { Inverse } from '../body/inverse.ts';
import { lengthOf } from '../geometry/vector.ts';
import { surfaceAt, type Surface } from '../surfaces/surfaces.ts';
import type { Bend } from '../surfaces/bend.ts';
import { PlacesOver, type FarOf } from '../surfaces/places-over.ts';
import type { Corner } from './corner.ts';

/** Steps towards the foot of a perpendicular at most. */
const mostSteps = 6;
/** A foot that is off by this share of the shortest edge, squared, is one: the height is off by less than a hundredth of a hundredth of what it is over that edge. */
const footShare = 1e-4;
/** A tangent of this share of the other one is gone. */
const shrunk = 1e-9;
/** From this share of the farthest place found on a place that is foretold to be farther is looked at. */
const foretold = 0.98;
/** Largest value of l1 l2 (l1 - l2). */
const mostUneven = 0.0963;
/** Heights that differ by this share of the farthest from what was foretold are not foretold well. */
const poorly = 0.1;
/** Weights of the first two corners at further places, where heights are not foretold well. */
const looks = [0.75, 0.25, 0.25, 0.75, 0, 0.75, 0, 0.25, 0.75, 0, 0.25, 0, 0.5, 0.25, 0.25, 0.5, 0.25, 0.25];
const stepsA = [1, -1, 0, 0, 1, -1];
const stepsB = [0, 0, 1, -1, -1, 1];

/**
 * How far a facet lies off a surface without a closed form. Heights over the middles of its edges and its own middle, with the slopes that the normals of its corners
 * give, foretell all others as a cubic. The place where that is farthest off is looked at then; and many more where a height was
 * not as foretold. Source: the distance from a surface changes by the part of a step along its normal (Gilbarg and Trudinger, 14.6); Hermite's cubic.
 */
export class Heights {
  private readonly surface: Surface;
  private readonly bend: Bend;
  private readonly range: readonly number[];
  /** Which of these ends are a single point. */
  private readonly points: readonly boolean[];
  private readonly place = new Float64Array(3);
  /** Heights over the middles of the edges from each corner to the next, and what is not even about each. */
  private readonly middle = new Float64Array(3);
  private readonly uneven = new Float64Array(3);
  private corners: readonly Corner[] = [];
  private foot = 0;
  /** Places in every span of a spline: what stands between the places that are looked at on a facet has one. */
  private readonly places: PlacesOver | null;
  private readonly uv = new Float64Array(6);
  /** Whether the place that is farthest off is one of those: it may stand alone, and is the one to be kept. */
  alone = false;
  /** What the middle of the facet lies higher than the edges foretell. */
  private bubble = 0;
  /** The place that is foretold to be farthest off: how far, weights. */
  private told = 0;
  private readonly toldAt = new Float64Array(3);

  constructor(surface: Surface, bend: Bend) {
    this.surface = surface;
    this.bend = bend;
    const closes = 'frame' in surface || surface.kind === 'other' ? null : new Inverse(surface);
    this.range = endsOf(surface, closes);
    this.places = closes && PlacesOver.of(surface, [closes.uPeriod, closes.vPeriod]);
    this.points = pointsAt(surface, this.range);
  }

  /** @param doubtful from this distance on the place that is farthest off is looked for more closely, mm; @param where takes its weights */
  of(corners: readonly Corner[], doubtful: number, where: Float64Array): number {
    this.corners = corners;
    this.foot = footShare * shortest(corners);
    this.told = 0;
    const seen = this.inSpans(doubtful, where);
    const most = this.lookedAt(seen, doubtful, where);
    this.alone = seen > 0 && most === seen;
    return most;
  }

  /** Looks at the facet itself, and where it is foretold to be farthest off. @param least what is known already, mm */
  private lookedAt(least: number, doubtful: number, where: Float64Array): number {
    const { corners } = this;
    let most = this.ofCorners(least, where);
    let poor = false;
    for (let i = 0; i < 3; i++) {
      const j = i === 2 ? 0 : i + 1;
      const h = this.heightAt(i === 2 ? 0.5 : i === 0 ? 0.5 : 0, i === 2 ? 0 : 0.5);
      this.middle[i] = h - (corners[i].off + corners[j].off) / 2;
      if (Math.abs(h) > most) {
        most = Math.abs(h);
        where.fill(0);
        where[i] = where[j] = 0.5;
      }
      poor = this.along(i, j, this.middle[i]) || poor;
    }
    const centre = this.heightAt(1 / 3, 1 / 3);
    if (Math.abs(centre) > most) {
      most = Math.abs(centre);
      where.fill(1 / 3);
    }
    if (!poor && this.bound(centre) < doubtful) return most;
    this.peak(where);
    if (this.told > foretold * most) {
      const d = Math.abs(this.heightAt(this.toldAt[0], this.toldAt[1]));
      if (Math.abs(d - this.told) > poorly * this.told) poor = true;
      if (d > most) {
        most = d;
        where.set(this.toldAt);
      }
    }
    return poor ? this.searched(most, where) : most;
  }

  /** How high the surface stands over the facet where it was looked for in every span that the facet lies over; 0 where that is nowhere more than `least`, mm. */
  private inSpans(least: number, where: Float64Array): number {
    if (!this.places) return 0;
    const { uv, corners } = this;
    const [a, b, c] = corners;
    for (let k = 0; k < 3; k++) {
      uv[2 * k] = corners[k].u;
      uv[2 * k + 1] = corners[k].v;
    }
    const [ux, uy, uz] = [b.p[0] - a.p[0], b.p[1] - a.p[1], b.p[2] - a.p[2]];
    const [vx, vy, vz] = [c.p[0] - a.p[0], c.p[1] - a.p[1], c.p[2] - a.p[2]];
    const [nx, ny, nz] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const size = Math.sqrt(nx * nx + ny * ny + nz * nz);
    if (!(size > 0)) return 0;
    const n = [nx / size, ny / size, nz / size] as const;
    let most = 0;
    let floor = least;
    const d = n[0] * a.p[0] + n[1] * a.p[1] + n[2] * a.p[2];
    const high: FarOf = (point, k) => Math.abs(n[0] * point[k] + n[1] * point[k + 1] + n[2] * point[k + 2] - d);
    this.places.over(uv, high, least, (place, wa, wb, height) => {
      const [x, y, z] = [place[0] - a.p[0], place[1] - a.p[1], place[2] - a.p[2]];
      // What lies over another facet, however its parameters run, is that one's.
      const wc = (n[0] * (uy * z - uz * y) + n[1] * (uz * x - ux * z) + n[2] * (ux * y - uy * x)) / size;
      const wv = (n[0] * (y * vz - z * vy) + n[1] * (z * vx - x * vz) + n[2] * (x * vy - y * vx)) / size;
      if (wc < 0 || wv < 0 || wc + wv > 1) return floor;
      most = floor = height;
      where[0] = wa;
      where[1] = wb;
      where[2] = 1 - wa - wb;
      return floor;
    });
    return most;
  }

  /** How far the corners themselves stand off. */
  private ofCorners(least: number, where: Float64Array): number {
    let most = least;
    for (let i = 0; i < 3; i++) {
      const d = Math.abs(this.corners[i].off);
      if (d <= most) continue;
      most = d;
      where.fill(0);
      where[i] = 1;
    }
    return most;
  }

  /** What is foretold of an edge beside what its ends stand off: t (1 - t) (4 m + k (1 - 2 t)), m the height over its middle, k by the slopes at its ends. @returns whether these do not fit */
  private along(i: number, j: number, h: number): boolean {
    const a = this.corners[i];
    const b = this.corners[j];
    let begin = 0;
    let end = 0;
    let known = true;
    for (const { n } of [a, b]) known = known && (n[0] !== 0 || n[1] !== 0 || n[2] !== 0);
    for (let k = 0; k < 3; k++) {
      const e = b.p[k] - a.p[k];
      begin += a.n[k] * e;
      end += b.n[k] * e;
    }
    this.uneven[i] = known ? (begin + end) / 2 - (b.off - a.off) : 0;
    if (!known) return true;
    return Math.abs((begin - end) / 8 - h) > poorly * (Math.abs(h) + Math.abs(this.uneven[i]) / 10);
  }

  /** No height that is foretold is above this. */
  private bound(centre: number): number {
    const { middle: m, uneven: k } = this;
    const a = Math.abs(m[0]);
    const b = Math.abs(m[1]);
    const c = Math.abs(m[2]);
    const [p, q, r] = this.corners;
    this.bubble = centre - (p.off + q.off + r.off) / 3 - (4 / 9) * (m[0] + m[1] + m[2]);
    const high = Math.max(Math.abs(p.off), Math.abs(q.off), Math.abs(r.off));
    // The quadratic and the cubics by their largest values over the facet: 4/3 of the largest middle, and 1 / (6 sqrt(3)) of what is uneven.
    return high + (4 / 3) * Math.max(a, b, c) + mostUneven * (Math.abs(k[0]) + Math.abs(k[1]) + Math.abs(k[2])) + Math.abs(this.bubble);
  }

  /** The height that is foretold: the cubic of these edges and this middle. */
  private model(l1: number, l2: number): number {
    const { middle: m, uneven: k } = this;
    const l3 = 1 - l1 - l2;
    const ab = l1 * l2 * (4 * m[0] + k[0] * (l1 - l2));
    const bc = l2 * l3 * (4 * m[1] + k[1] * (l2 - l3));
    const ca = l3 * l1 * (4 * m[2] + k[2] * (l3 - l1));
    const [p, q, r] = this.corners;
    return Math.abs(l1 * p.off + l2 * q.off + l3 * r.off + ab + bc + ca + 27 * this.bubble * l1 * l2 * l3);
  }

  /** Where the foretold height is largest: steps from the farthest place that was looked at, or from one of a few others. */
  private peak(where: Float64Array): void {
    let a = where[0];
    let b = where[1];
    let best = this.model(a, b);
    for (let k = 0; k < looks.length; k += 2) {
      const h = this.model(looks[k], looks[k + 1]);
      if (h <= best) continue;
      best = h;
      a = looks[k];
      b = looks[k + 1];
    }
    for (let step = 0.12; step > 0.02;) {
      let moved = false;
      for (let k = 0; k < 6; k++) {
        const na = a + step * stepsA[k];
        const nb = b + step * stepsB[k];
        if (na < 0 || nb < 0 || na + nb > 1) continue;
        const h = this.model(na, nb);
        if (h <= best) continue;
        best = h;
        a = na;
        b = nb;
        moved = true;
        break;
      }
      if (!moved) step /= 2;
    }
    this.told = best;
    this.toldAt[0] = a;
    this.toldAt[1] = b;
    this.toldAt[2] = 1 - a - b;
  }

  /** Looks at many places, and steps from the farthest to those beside it while they are farther. */
  private searched(least: number, where: Float64Array): number {
    let most = least;
    for (let k = 0; k < looks.length; k += 2) most = this.tried(looks[k], looks[k + 1], most, where);
    for (let step = 0.14; step > 0.04; step /= 2) {
      for (let again = true; again;) {
        again = false;
        const wa = where[0];
        const wb = where[1];
        for (let k = 0; k < 6; k++) {
          const na = wa + step * stepsA[k];
          const nb = wb + step * stepsB[k];
          if (na < 0 || nb < 0 || na + nb > 1) continue;
          const d = this.tried(na, nb, most, where);
          if (d > most) {
            most = d;
            again = true;
          }
        }
      }
    }
    return most;
  }

  private tried(wa: number, wb: number, most: number, where: Float64Array): number {
    const d = Math.abs(this.heightAt(wa, wb));
    if (d <= most) return most;
    where[0] = wa;
    where[1] = wb;
    where[2] = 1 - wa - wb;
    return d;
  }

  /** Height of a place of the facet over the surface, along its normal. @param wa weight of the first corner; @param wb of the second */
  private heightAt(wa: number, wb: number): number {
    const { place, corners } = this;
    const a = corners[0];
    const b = corners[1];
    const c = corners[2];
    const wc = 1 - wa - wb;
    for (let k = 0; k < 3; k++) place[k] = wa * a.p[k] + wb * b.p[k] + wc * c.p[k];
    if (this.surface.kind === 'torus') return this.fromRing(this.surface);
    return this.bySteps(wa * a.u + wb * b.u + wc * c.u, wa * a.v + wb * b.v + wc * c.v);
  }

  /** Distance from a ring, above 0 outside; one whose tube reaches over the axis has a far side there. */
  private fromRing({ frame, major, minor }: Extract<Surface, { kind: 'torus' }>): number {
    const { at, z } = frame;
    const dx = this.place[0] - at[0];
    const dy = this.place[1] - at[1];
    const dz = this.place[2] - at[2];
    const h = dx * z[0] + dy * z[1] + dz * z[2];
    const rho = Math.sqrt(Math.max(0, dx * dx + dy * dy + dz * dz - h * h));
    const near = Math.sqrt((rho - major) * (rho - major) + h * h) - minor;
    if (!(minor > major)) return near;
    const far = Math.sqrt((rho + major) * (rho + major) + h * h) - minor;
    return Math.abs(far) < Math.abs(near) ? far : near;
  }

  /** By steps towards the foot of the perpendicular from parameters. */
  private bySteps(u: number, v: number): number {
    const { bend, place } = this;
    const { at, du, dv } = bend;
    let least = Infinity;
    let height = 0;
    for (let step = 0; step < mostSteps; step++) {
      bend.point(u, v);
      const rx = place[0] - at[0];
      const ry = place[1] - at[1];
      const rz = place[2] - at[2];
      const far = Math.sqrt(rx * rx + ry * ry + rz * rz);
      if (!(far < least)) return height;
      least = far;
      const e = du[0] * du[0] + du[1] * du[1] + du[2] * du[2];
      const f = du[0] * dv[0] + du[1] * dv[1] + du[2] * dv[2];
      const g = dv[0] * dv[0] + dv[1] * dv[1] + dv[2] * dv[2];
      const p = du[0] * rx + du[1] * ry + du[2] * rz;
      const q = dv[0] * rx + dv[1] * ry + dv[2] * rz;
      const det = e * g - f * f;
      if (!(det > 1e-12 * e * g)) return far;
      const su = (p * g - q * f) / det;
      const sv = (e * q - f * p) / det;
      const nx = du[1] * dv[2] - du[2] * dv[1];
      const ny = du[2] * dv[0] - du[0] * dv[2];
      const nz = du[0] * dv[1] - du[1] * dv[0];
      const across = (nx * rx + ny * ry + nz * rz) / Math.sqrt(det);
      const aside = su * p + sv * q;
      const nu = this.held(u + su, 0);
      const nv = this.held(v + sv, 2);
      // Beyond an end there is no foot: then all of the distance counts. A point has no beyond: what lies over it lies over another side of it.
      const beyond = (nu !== u + su && !this.isPoint(su, 0)) || (nv !== v + sv && !this.isPoint(sv, 2));
      height = !beyond ? across : across < 0 ? -far : far;
      if (aside <= this.foot) return height;
      u = nu;
      v = nv;
    }
    return height;
  }

  /** Whether the end of a parameter that a step goes towards is a single point. @param k 0 for u, 2 for v */
  private isPoint(step: number, k: 0 | 2): boolean {
    return this.points[step < 0 ? k : k + 1];
  }

  /** A parameter within the surface, where it has ends. */
  private held(x: number, k: 0 | 2): number {
    const { range } = this;
    return x < range[k] ? range[k] : x > range[k + 1] ? range[k + 1] : x;
  }
}

/** Which ends of u and v a surface has shrunk to a point at: there its tangent along them is gone. */
function pointsAt(s: Surface, range: readonly number[]): boolean[] {
  const inner = (k: number) => (Number.isFinite(range[k] + range[k + 1]) ? 0.37 * range[k] + 0.63 * range[k + 1] : 0.37);
  return range.map((end, k) => {
    if (!Number.isFinite(end)) return false;
    const there = k < 2 ? surfaceAt(s, end, inner(2)) : surfaceAt(s, inner(0), end);
    const [gone, left] = k < 2 ? [there.dv, there.du] : [there.du, there.dv];
    return lengthOf(gone) < shrunk * lengthOf(left);
  });
}

/** Squared length of the shortest edge that has one, mm². */
function shortest(corners: readonly Corner[]): number {
  let least = Infinity;
  for (let i = 0; i < 3; i++) {
    const a = corners[i].p;
    const b = corners[i === 2 ? 0 : i + 1].p;
    const x = a[0] - b[0];
    const y = a[1] - b[1];
    const z = a[2] - b[2];
    const d = x * x + y * y + z * z;
    if (d > 0 && d < least) least = d;
  }
  return least === Infinity ? 0 : least;
}

/** Ends of u and of v, for splines that do not close. */
function endsOf(s: Surface, closes: Inverse | null): number[] {
  const whole = [-Infinity, Infinity, -Infinity, Infinity];
  if (s.kind !== 'bspline' || !closes) return whole;
  const { range, uPeriod, vPeriod } = closes;
  return [uPeriod > 0 ? whole.slice(0, 2) : range.slice(0, 2), vPeriod > 0 ? whole.slice(2) : range.slice(2)].flat();
}
