import { Unusable } from '../base/finding.ts';
import type { Solid, SolidBuilder } from './build.ts';

type P2 = readonly [number, number];
type P3 = [number, number, number];

/** A flat wall of a folded part while it is built. Outline counter-clockwise, seen from the up side; lengths in mm. */
export interface WallSpec {
  outline: P2[];
  /** Round holes and polygons cut out of it. */
  holes?: ({ at: P2; r: number } | { polygon: P2[] })[];
  flanges?: FlangeSpec[];
}

/** A wall bent up or down from an edge of another; `angle` bent through in degrees, `radius` inside. Its own wall has x along the edge (towards `from`), y away from it. */
export interface FlangeSpec {
  from: P2;
  to: P2;
  angle: number;
  radius: number;
  up: boolean;
  wall: WallSpec;
}

interface Frame {
  at: P3;
  x: P3;
  y: P3;
  z: P3;
}

const sum = (o: P3, ...terms: [P3, number][]): P3 => terms.reduce((s, [v, k]) => [s[0] + v[0] * k, s[1] + v[1] * k, s[2] + v[2] * k] as P3, o);

/**
 * Builds a folded sheet part wall by wall and bend by bend, for demo designs and for checks against flats that are known beforehand.
 * @param also further solids to be joined to it (bosses) before `less` is cut away (drilled holes).
 * @throws Unusable when the kernel can't join the pieces.
 */
export function foldedPart(b: SolidBuilder, thickness: number, wall: WallSpec, { also = [], less = [] }: { also?: Solid[]; less?: Solid[] } = {}): Solid {
  const pieces: Solid[] = [];
  addWall({ b, t: thickness, pieces }, wall, { at: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] });
  const whole = [...pieces, ...also].reduce((all, piece) => b.joined(all, piece));
  return less.length > 0 ? b.cut(whole, ...less) : whole;
}

const rowsOf = ({ at, x, y, z }: Frame): number[] => [x[0], y[0], z[0], at[0], x[1], y[1], z[1], at[1], x[2], y[2], z[2], at[2]];

function polygon(b: SolidBuilder, points: readonly P2[], height: number, z: number): Solid {
  return b.raised(
    points[0],
    [...points.slice(1), points[0]].map((to) => ({ to })),
    height,
    z,
  );
}

/** What walls and flanges are built with, and where they go. */
interface Building {
  b: SolidBuilder;
  /** Thickness, mm. */
  t: number;
  pieces: Solid[];
}

function addWall(building: Building, wall: WallSpec, frame: Frame): void {
  const { b, t, pieces } = building;
  const plate = polygon(b, wall.outline, t, -t);
  const holes = (wall.holes ?? []).map((h) =>
    'r' in h ? b.cylinder([h.at[0], h.at[1], -t - 1], [0, 0, 1], h.r, t + 2) : polygon(b, h.polygon, t + 2, -t - 1),
  );
  pieces.push(b.placed(holes.length > 0 ? b.cut(plate, ...holes) : plate, rowsOf(frame)));
  for (const flange of wall.flanges ?? []) addFlange(building, flange, frame);
}

function addFlange(building: Building, f: FlangeSpec, frame: Frame): void {
  const { b, t, pieces } = building;
  const [ux, uy] = [f.from[0] - f.to[0], f.from[1] - f.to[1]];
  const length = Math.hypot(ux, uy);
  if (!(length > 0)) throw new Unusable('build-failed', 'A flange has no edge.', 'Give two different points.');
  const along = sum([0, 0, 0], [frame.x, ux / length], [frame.y, uy / length]);
  const away = sum([0, 0, 0], [frame.x, -uy / length], [frame.y, ux / length]);
  const at = sum(frame.at, [frame.x, f.to[0]], [frame.y, f.to[1]]);
  const a = (f.angle * Math.PI) / 180;
  const [s, c] = [Math.sin(a), Math.cos(a)];
  // The profile of the bend in the plane of `away` and the wall's normal, raised along the edge.
  const sign = f.up ? 1 : -1;
  const centre = f.up ? f.radius : -(f.radius + t);
  const point = (r: number, angle: number): P2 => [r * Math.sin(angle), centre - sign * r * Math.cos(angle)];
  const [upper, lower] = f.up ? [f.radius, f.radius + t] : [f.radius + t, f.radius];
  const from = point(lower, 0);
  const steps: { to: P2; through?: P2 }[] = [];
  const step = (to: P2, through?: P2) => {
    const last = steps[steps.length - 1]?.to ?? from;
    if (Math.hypot(to[0] - last[0], to[1] - last[1]) > 1e-9) steps.push(through ? { to, through } : { to });
  };
  step(point(lower, a), point(lower, a / 2));
  step(point(upper, a));
  step(point(upper, 0), point(upper, a / 2));
  step(from);
  const ring = b.raised(from, steps, length);
  pieces.push(b.placed(ring, rowsOf({ at, x: away, y: frame.z, z: along })));
  const end = point(upper, a);
  const next: Frame = {
    at: sum(at, [away, end[0]], [frame.z, end[1]]),
    x: along,
    y: sum([0, 0, 0], [away, c], [frame.z, sign * s]),
    z: sum([0, 0, 0], [frame.z, c], [away, -sign * s]),
  };
  addWall(building, f.wall, next);
}
