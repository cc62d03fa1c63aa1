import type { Section } from './run.ts';

export type Point = [number, number];

/** A piece of a section's outline: a line, or an arc about a centre through a middle point. mm. */
export interface LoopPiece {
  from: Point;
  to: Point;
  arc: { centre: Point; r: number; middle: Point } | null;
}

/** A rectangle with round corners: every section that is known is one. A round is as wide as high with corners of half that. */
export interface RoundedBox {
  centre: Point;
  /** Direction of the width (unit). */
  along: Point;
  width: number;
  height: number;
  corner: number;
  /** mm2. */
  area: number;
  facets: number;
}

/** Rounds made of facets have at least so many. */
const leastFacets = 8;

/** Points of an outline: its corners, and each arc's middle. */
const pointsOf = (loop: readonly LoopPiece[]): Point[] => loop.flatMap((p) => (p.arc ? [p.from, p.arc.middle] : [p.from]));

/** Area and centroid of an outline of lines and arcs, mm2 and mm. Source: Green's theorem; of a segment of a circle: any handbook. */
export function middleOf(loop: readonly LoopPiece[]): { area: number; centre: Point } {
  let [area, mx, my] = [0, 0, 0];
  const [ox, oy] = loop[0].from;
  for (const { from, to, arc } of loop) {
    const [ax, ay, bx, by] = [from[0] - ox, from[1] - oy, to[0] - ox, to[1] - oy];
    const c = ax * by - ay * bx;
    area += c / 2;
    mx += (c * (ax + bx)) / 6;
    my += (c * (ay + by)) / 6;
    if (!arc) continue;
    // The segment between the arc and its chord.
    const [cx, cy] = [arc.centre[0] - ox, arc.centre[1] - oy];
    const turn = sweepOf(from, to, arc);
    const part = ((turn - Math.sin(turn)) / 2) * arc.r ** 2;
    const away = Math.abs(part) > 0 ? (arc.r ** 3 * 4 * Math.sin(Math.abs(turn) / 2) ** 3) / 6 / Math.abs(part) : 0;
    const [dx, dy] = [(arc.middle[0] - arc.centre[0]) / arc.r, (arc.middle[1] - arc.centre[1]) / arc.r];
    area += part;
    mx += part * (cx + dx * away);
    my += part * (cy + dy * away);
  }
  return { area, centre: area === 0 ? loop[0].from : [ox + mx / area, oy + my / area] };
}

/** Angle of an arc from its beginning through its middle to its end, rad; positive counter-clockwise; a closed one is a full turn. */
export function sweepOf(from: Point, to: Point, { centre, middle }: NonNullable<LoopPiece['arc']>): number {
  const angle = (p: Point) => Math.atan2(p[1] - centre[1], p[0] - centre[0]);
  const positive = (a: number) => (a < 1e-12 ? a + 2 * Math.PI : a);
  const a = angle(from);
  const full = positive(angle(to) - a);
  const half = positive(angle(middle) - a);
  return half <= full + 1e-9 ? full : full - 2 * Math.PI;
}

/**
 * The rectangle with round corners that an outline is; null when it is none within the tolerance.
 * @param near mm by which points may lie off it
 */
export function roundedBox(loop: readonly LoopPiece[], near: number): RoundedBox | null {
  if (loop.length === 0) return null;
  const { area: signed, centre } = middleOf(loop);
  const area = Math.abs(signed);
  if (!(area > near * near)) return null;
  const points = pointsOf(loop);
  const round = asCircle(loop, { points, centre, area }, near);
  if (round) return round;
  return asBox(loop, points, area, near);
}

function asCircle(loop: readonly LoopPiece[], { points, centre, area }: { points: Point[]; centre: Point; area: number }, near: number): RoundedBox | null {
  const arcs = loop.filter((p) => p.arc);
  const base = { along: [1, 0] as Point, area };
  if (arcs.length === loop.length) {
    const { centre: c, r } = arcs[0].arc!;
    if (arcs.some(({ arc }) => Math.hypot(arc!.centre[0] - c[0], arc!.centre[1] - c[1]) > near || Math.abs(arc!.r - r) > near)) return null;
    return { ...base, centre: c, width: 2 * r, height: 2 * r, corner: r, facets: 0 };
  }
  if (arcs.length > 0 || points.length < leastFacets) return null;
  const away = points.map((p) => Math.hypot(p[0] - centre[0], p[1] - centre[1]));
  const r = Math.max(...away);
  // Facets stand inside the round that they stand for, with their corners on it.
  if (r - Math.min(...away) > Math.max(near, r * 1e-4)) return null;
  return { ...base, centre, width: 2 * r, height: 2 * r, corner: r, facets: points.length };
}

function asBox(loop: readonly LoopPiece[], points: Point[], area: number, near: number): RoundedBox | null {
  const lines = loop.filter((p) => !p.arc).map((p) => ({ p, length: Math.hypot(p.to[0] - p.from[0], p.to[1] - p.from[1]) }));
  if (lines.length < 2) return null;
  const longest = lines.reduce((a, b) => (b.length > a.length ? b : a));
  let along: Point = [(longest.p.to[0] - longest.p.from[0]) / longest.length, (longest.p.to[1] - longest.p.from[1]) / longest.length];
  const spread = (d: Point) => {
    const all = points.map((p) => p[0] * d[0] + p[1] * d[1]);
    return [Math.min(...all), Math.max(...all)];
  };
  // Round ends bulge beyond their corners: the middle of each arc is among the points.
  const [x0, x1] = spread(along);
  const [y0, y1] = spread([-along[1], along[0]]);
  let [width, height] = [x1 - x0, y1 - y0];
  const [mx, my] = [(x0 + x1) / 2, (y0 + y1) / 2];
  const centre: Point = [mx * along[0] - my * along[1], mx * along[1] + my * along[0]];
  if (width < height) [width, height, along] = [height, width, [-along[1], along[0]]];
  const arcs = loop.filter((p) => p.arc);
  const facets = arcs.length === 0 && lines.length > 8 ? lines.length : 0;
  const missing = Math.max(0, width * height - area);
  const corner =
    arcs.length > 0
      ? Math.max(...arcs.map((p) => p.arc!.r))
      : lines.length === 4
        ? 0
        : facets > 0
          ? cornerOf(points, { centre, along, width, height }, near)
          : Math.sqrt(missing / (4 - Math.PI));
  if (corner > height / 2 + near) return null;
  const box = { centre, along, width, height, corner, area, facets };
  return points.every((p) => Math.abs(offBox(box, p)) <= Math.max(near, facets ? height * 5e-3 : 0)) ? box : null;
}

/** Radius of corners made of facets: where the straight sides end. */
function cornerOf(points: Point[], { centre, along, width, height }: Pick<RoundedBox, 'centre' | 'along' | 'width' | 'height'>, near: number): number {
  let straight = 0;
  for (const p of points) {
    const [x, y] = inBox(p, centre, along);
    if (Math.abs(Math.abs(y) - height / 2) <= near * 4) straight = Math.max(straight, Math.abs(x));
  }
  return Math.min(height / 2, Math.max(0, width / 2 - straight));
}

const inBox = (p: Point, c: Point, d: Point): Point => [(p[0] - c[0]) * d[0] + (p[1] - c[1]) * d[1], -(p[0] - c[0]) * d[1] + (p[1] - c[1]) * d[0]];

/** How far a point lies outside (positive) or inside a rectangle with round corners, mm. */
export function offBox({ centre, along, width, height, corner }: Omit<RoundedBox, 'area' | 'facets'>, p: Point): number {
  const [x, y] = inBox(p, centre, along);
  const [dx, dy] = [Math.abs(x) - width / 2 + corner, Math.abs(y) - height / 2 + corner];
  return Math.hypot(Math.max(dx, 0), Math.max(dy, 0)) + Math.min(Math.max(dx, dy), 0) - corner;
}

const areaOfBox = (b: { width: number; height: number; corner: number }) => b.width * b.height - (4 - Math.PI) * b.corner ** 2;

/**
 * A section from its outside and its inside.
 * @param inner null for a full bar
 * @param near mm by which walls may differ
 * @returns the section, why it is none though it looks like a tube, or null for a block with a hole
 */
export function sectionOf(outer: RoundedBox, inner: RoundedBox | null, near: number): Section | string | null {
  const round = Math.abs(outer.width - outer.height) <= near && Math.abs(outer.corner - outer.width / 2) <= near;
  const { width, height, corner, facets } = outer;
  const shape = round ? 'round' : Math.abs(corner - height / 2) <= near * 4 ? 'oval' : Math.abs(width - height) <= near ? 'square' : 'rectangular';
  let wall: number | null = null;
  if (inner) {
    const off = Math.hypot(inner.centre[0] - outer.centre[0], inner.centre[1] - outer.centre[1]);
    const walls = [(width - inner.width) / 2, (height - inner.height) / 2];
    // A hole in a block leaves more than a tube's wall on all sides.
    const least = Math.min(...walls) - off;
    if (least > 0.25 * height || off > 0.25 * height) return null;
    const slack = Math.max(near, inner.facets || facets ? width * 2e-3 : 0);
    if (off > slack) return `its hole is ${off.toFixed(3)} mm out of the middle`;
    if (Math.abs(walls[0] - walls[1]) > slack) return `its wall is ${walls[0].toFixed(3)} mm one way and ${walls[1].toFixed(3)} mm the other`;
    if (!(walls[0] > near)) return 'it has no wall';
    wall = (walls[0] + walls[1]) / 2;
  }
  return { ...sectionBy(shape, [width, height], wall, round ? width / 2 : corner), facets };
}

/**
 * A section by its sizes, mm.
 * @param corner outside radius of its corners; of the hole it is that less the wall, at least 0
 * @example sectionBy('round', [42.4, 42.4], 2.6, 21.2)
 */
export function sectionBy(shape: Section['shape'], [width, height]: readonly [number, number], wall: number | null, corner: number): Section {
  const outside = areaOfBox({ width, height, corner });
  const inside = wall === null ? 0 : areaOfBox({ width: width - 2 * wall, height: height - 2 * wall, corner: Math.max(0, corner - wall) });
  return { shape, width, height, wall, corner, area: outside - inside, around: 2 * (width + height) - (8 - 2 * Math.PI) * corner, facets: 0 };
}

/** How a section is called, with sizes in mm: "tube 42.4 x 2.6", "square tube 30 x 30 x 2", "bar 12". */
export function nameOfSection({ shape, width, height, wall }: Pick<Section, 'shape' | 'width' | 'height' | 'wall'>): string {
  const f = (v: number) => String(Number(v.toFixed(3)));
  const kind = wall === null ? 'bar' : 'tube';
  const size = shape === 'round' ? f(width) : `${f(width)} x ${f(height)}`;
  return `${shape === 'round' || shape === 'other' ? '' : `${shape === 'oval' ? 'flat-oval' : shape} `}${kind} ${size}${wall === null ? '' : ` x ${f(wall)}`}`;
}
