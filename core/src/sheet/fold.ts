import type { FoldBack } from '../model/flat.ts';
import { areaOfContour, contoursOf, type Contour, type Drawing } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { distance, pointAt, type P2 } from '../curves/segment.ts';
import { add, cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { Finder } from './finder.ts';
import { inRelief } from './reliefs.ts';
import type { Pattern, PatternPatch } from './pattern.ts';

/** Where a patch hangs in space: a point of its hinge, along the hinge, away from the parent, and out of the up side. */
interface Hung {
  at: Vec3;
  along: Vec3;
  away: Vec3;
  normal: Vec3;
  /** Hinge on the flat: its first point and direction. */
  from: P2;
  dir: P2;
}

/**
 * A flat pattern folded by its own figures alone: hinges, angles, radii and widths on the flat. Nothing of the design's bends is used but
 * where the fixed wall stands. In between (share below 1) each bend keeps the length of its neutral fibre.
 */
export class Folded {
  private readonly pattern: Pick<Pattern, 'patches' | 'root' | 'thickness'>;
  private readonly share: (patch: PatternPatch) => number;
  private readonly hung: Hung[] = [];

  /** @param share 0 flat, 1 folded; or of each bend. */
  constructor(pattern: Pick<Pattern, 'patches' | 'root' | 'thickness'>, share: number | ((patch: PatternPatch) => number) = 1) {
    this.pattern = pattern;
    this.share = typeof share === 'number' ? () => share : share;
    pattern.patches.forEach((patch) => this.hung.push(this.hang(patch)));
  }

  private hang(patch: PatternPatch): Hung {
    const { root } = this.pattern;
    if (!patch.hinge) return { at: root.at, along: root.x, away: root.y, normal: root.normal, from: [0, 0], dir: [1, 0] };
    const [a, b] = patch.hinge;
    const size = distance(a, b);
    const dir: P2 = [(b[0] - a[0]) / size, (b[1] - a[1]) / size];
    const place = (p: P2): { at: Vec3; normal: Vec3 } =>
      patch.parent >= 0
        ? { at: this.at(patch.parent, p, 0), normal: this.normal(patch.parent, p) }
        : { at: add(root.at, add(scaled(root.x, p[0]), scaled(root.y, p[1]))), normal: root.normal };
    const start = place(a);
    const along = unit(sub(place(b).at, start.at));
    return { at: start.at, along, away: cross(start.normal, along), normal: start.normal, from: a, dir };
  }

  /** Point in space of a point of the flat that lies on a patch, `height` mm above the up side. */
  at(index: number, p: P2, height: number): Vec3 {
    const patch = this.pattern.patches[index];
    const h = this.hung[index];
    const d: P2 = [p[0] - h.from[0], p[1] - h.from[1]];
    const v = d[0] * h.dir[0] + d[1] * h.dir[1];
    const u = -d[0] * h.dir[1] + d[1] * h.dir[0];
    if (patch.kind === 'cone' && patch.cone && this.share(patch) > 0) return this.onCone(patch, h, p, height).at;
    if (patch.kind !== 'bend' || !patch.bend || this.share(patch) === 0) return from(h, v, u, height);
    const { angle, up, width } = patch.bend;
    const turned = (u / width) * angle * this.share(patch);
    const r = this.radius(patch.bend, this.share(patch));
    const s = Math.sin(turned);
    const c = Math.cos(turned);
    // Rising: the axis lies above the up side. Falling: below it.
    return up ? from(h, v, (r - height) * s, r - (r - height) * c) : from(h, v, (r + height) * s, (r + height) * c - r);
  }

  /** How a patch hangs on its parent: a point of its hinge, along the hinge, away from the parent, and out of the up side. */
  hinge(index: number): { at: Vec3; along: Vec3; away: Vec3; normal: Vec3 } {
    return this.hung[index];
  }

  /** Outward normal of the up side at a point of the flat. */
  normal(index: number, p: P2): Vec3 {
    const patch = this.pattern.patches[index];
    const h = this.hung[index];
    if (patch.kind === 'wall' || this.share(patch) === 0) return h.normal;
    if (patch.kind === 'cone') return this.onCone(patch, h, p, 0).normal;
    const { angle, up, width } = patch.bend!;
    const u = -(p[0] - h.from[0]) * h.dir[1] + (p[1] - h.from[1]) * h.dir[0];
    const turned = (u / width) * angle * this.share(patch);
    return add(scaled(h.normal, Math.cos(turned)), scaled(h.away, Math.sin(turned) * (up ? -1 : 1)));
  }

  /** Radius of the up side: that of the neutral fibre, less or more what lies between them. */
  private radius({ angle, up, inner, width }: NonNullable<PatternPatch['bend']>, share: number): number {
    const neutral = width / angle;
    const here = neutral / share;
    return up ? here - (neutral - inner) : here + (inner + this.pattern.thickness - neutral);
  }

  private onCone(patch: PatternPatch, h: Hung, p: P2, height: number): { at: Vec3; normal: Vec3 } {
    const { apex, half, up, slant } = patch.cone!;
    const k = this.share(patch);
    const alpha = half + (1 - k) * (Math.PI / 2 - half);
    const flatApex = (apex[0] - h.from[0]) * h.dir[0] + (apex[1] - h.from[1]) * h.dir[1];
    // From the apex along the hinge: whichever end is farther off.
    const [a, b] = patch.hinge!;
    const g = distance(apex, b) > distance(apex, a) ? 1 : -1;
    const ruling = scaled(h.along, g);
    const d: P2 = [p[0] - apex[0], p[1] - apex[1]];
    const rho = Math.hypot(...d);
    const [gx, gy] = [h.dir[0] * g, h.dir[1] * g];
    const psi = Math.abs(Math.atan2(gx * d[1] - gy * d[0], gx * d[0] + gy * d[1]));
    const shift = slant * k;
    const tip = add(h.at, scaled(h.along, flatApex + g * shift));
    const inward = up ? h.normal : scaled(h.normal, -1);
    const axis = add(scaled(ruling, Math.cos(alpha)), scaled(inward, Math.sin(alpha)));
    const turn = (dot(cross(inward, ruling), h.away) > 0 ? 1 : -1) * (psi / Math.sin(alpha));
    const at = add(tip, spun(scaled(ruling, rho - shift), axis, turn));
    const normal = spun(h.normal, axis, turn);
    return { at: add(at, scaled(normal, height)), normal };
  }
}

/** From where a patch hangs: so far along its hinge, away from its parent, and out of the up side, mm. */
const from = ({ at, along, away, normal }: Hung, x: number, y: number, z: number): Vec3 => [
  at[0] + along[0] * x + away[0] * y + normal[0] * z,
  at[1] + along[1] * x + away[1] * y + normal[1] * z,
  at[2] + along[2] * x + away[2] * y + normal[2] * z,
];

/** Turned about an axis through the origin. Source: Rodrigues' rotation formula. */
function spun(p: Vec3, axis: Vec3, angle: number): Vec3 {
  const c = Math.cos(angle);
  return add(add(scaled(p, c), scaled(cross(axis, p), Math.sin(angle))), scaled(axis, dot(axis, p) * (1 - c)));
}

/** Volume of the folded sheet, mm3: walls as they are, bends as sectors of a ring. */
export function foldedVolume(pattern: Pick<Pattern, 'patches' | 'thickness' | 'area'>): number {
  const t = pattern.thickness;
  let left = pattern.area;
  let volume = 0;
  for (const patch of pattern.patches) {
    if (patch.kind === 'wall') continue;
    // Strips of a sharp bend lie side by side; other borders lie inside the first.
    const flat = patch.strips ? patch.region.reduce((n, c) => n + Math.abs(areaOfContour(c)), 0) : netArea(patch.region);
    left -= flat;
    if (patch.bend) {
      const { angle, inner, width } = patch.bend;
      volume += ((flat * angle) / width) * (inner * t + (t * t) / 2);
    } else if (patch.cone) volume += coneVolume(patch, t);
  }
  return volume + left * t;
}

const netArea = (region: Contour[]): number => {
  const areas = region.map((c) => Math.abs(areaOfContour(c))).sort((a, b) => b - a);
  return areas.length === 0 ? 0 : areas.slice(1).reduce((n, a) => n - a, areas[0]);
};

/** By Green's theorem round the border: over each bit of angle the slants from the apex, in closed form, by Gauss's rule along it. */
function coneVolume(patch: PatternPatch, t: number): number {
  const { apex, half, up, slant } = patch.cone!;
  const [s, c] = [Math.sin(half), Math.cos(half)];
  // Through the sheet the radius grows or shrinks: mean radius at slant x is x s plus or minus t c / 2.
  const mean = ((up ? 1 : -1) * t * c) / 2;
  const inner = (rho: number) => {
    const x = rho - slant;
    return t * ((s * x * x) / 2 + mean * x);
  };
  const loops = patch.region.map((contour) => {
    const points = flattened(contour.segments, 1e-4);
    let sum = 0;
    for (let i = 0; i < points.length; i++) {
      const [p, q] = [points[i], points[(i + 1) % points.length]].map((v): P2 => [v[0] - apex[0], v[1] - apex[1]]);
      const turn = Math.atan2(p[0] * q[1] - p[1] * q[0], p[0] * q[0] + p[1] * q[1]);
      for (const [x, w] of gauss) {
        const angle = turn * x;
        // Where the chord lies at that angle.
        const base = Math.atan2(p[1], p[0]) + angle;
        const e = [q[0] - p[0], q[1] - p[1]];
        const den = Math.cos(base) * e[1] - Math.sin(base) * e[0];
        const rho = Math.abs(den) < 1e-14 ? Math.hypot(...p) : (p[0] * e[1] - p[1] * e[0]) / den;
        sum += (w * turn * inner(rho)) / s;
      }
    }
    return Math.abs(sum);
  });
  loops.sort((a, b) => b - a);
  return loops.slice(1).reduce((n, v) => n - v, loops[0]);
}

const gauss = [
  [0.06943184420297371, 0.17392742256872692],
  [0.33000947820757187, 0.32607257743127307],
  [0.6699905217924281, 0.32607257743127307],
  [0.9305681557970262, 0.17392742256872692],
];

/** Largest distance of a folded flat from the design, mm: a hundredth, and what curves and a mesh were fitted by. */
export const foldBackLimit = (pattern: Pick<Pattern, 'deviation' | 'fit'>): number => 0.01 + pattern.deviation + pattern.fit * 4;

/**
 * Folds a flat and lays it over the design: how far every designed point is from where its own place on the contours comes to lie.
 * @param drawing the flat as it is meant.
 * @param contours of the flat as they arrived, in the flat's own coordinates, mm.
 */
export function foldBackOf(pattern: Pattern, drawing: Drawing, contours: readonly Contour[]): FoldBack {
  const folded = new Folded(pattern);
  const near = new Finder(contours);
  let back = 0;
  let sheet = 0;
  for (const edge of pattern.edges) {
    for (let i = 0; i < edge.flat.length / 2; i++) {
      const own: P2 = [edge.flat[i * 2], edge.flat[i * 2 + 1]];
      // Reliefs that were asked for take the design's own corners away.
      if (pattern.reliefs && inRelief(pattern.reliefs, own)) continue;
      const q = near.nearest(own);
      const designed: Vec3 = [edge.points[i * 3], edge.points[i * 3 + 1], edge.points[i * 3 + 2]];
      back = Math.max(back, lengthOf(sub(folded.at(edge.patch, q, 0), designed)));
      // No other side behind the inside of a sharp bend.
      if (Number.isFinite(edge.thickness[i])) sheet = Math.max(sheet, Math.abs(pattern.thickness - edge.thickness[i]));
    }
  }
  // The other way: every point that arrived against the flat as meant.
  const meant = new Finder(contoursOf(drawing).filter((c) => c.meaning === 'cut' || c.meaning === 'hole'));
  let there = 0;
  for (const c of contours)
    for (const s of c.segments)
      for (let k = 0; k <= 8; k++) {
        const p = pointAt(s, k / 8);
        there = Math.max(there, distance(p, meant.nearest(p)));
      }
  const volume = foldedVolume(pattern);
  return { there, back, distance: Math.max(there, back), thickness: sheet, volume, designed: pattern.volume };
}
