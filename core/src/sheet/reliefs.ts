import type { ReliefCuts } from './asked.ts';
import { areaOfContour, contourOf, contoursOf, type Contour, type Drawing } from '../curves/drawing.ts';
import { crossOf, distance, type LineSegment, type P2, type Segment } from '../curves/segment.ts';
import type { Finding } from '../base/finding.ts';
import type { Pattern } from './pattern.ts';

/** How near to the end of a bend zone a corner of the outline must be, mm. */
const same = 1e-4;
/** What is left of an edge beside a relief, at least, mm. */
const leastLeft = 0.01;

/** What was cut, on the flat: the points of each relief, in order. */
export interface PutReliefs {
  contour: Contour;
  bends: number;
  corners: number;
  /** Places that wanted one and had no room. */
  left: number;
  areas: P2[][];
}

interface End {
  at: P2;
  /** Along the bend line, out of the bend. */
  out: P2;
}

/** Ends of all bend zones beside their walls, on the flat. */
function endsOf(patches: Pattern['patches']): End[] {
  const out: End[] = [];
  for (const patch of patches) {
    if (!patch.hinge) continue;
    const own = patch.kind === 'bend' ? patch : null;
    const parent = patch.parent >= 0 ? patches[patch.parent] : null;
    // Only lines between a wall and a bend: a wall's own hinge, or a bend's.
    if (!own && parent?.kind !== 'bend') continue;
    const [a, b] = patch.hinge;
    const long = distance(a, b);
    const u: P2 = [(b[0] - a[0]) / long, (b[1] - a[1]) / long];
    out.push({ at: a, out: [-u[0], -u[1]] }, { at: b, out: u });
  }
  return out;
}

/**
 * Cuts reliefs into the outline of a flat. Each changes one corner of it: between straight edges long enough to hold it, where the sheet
 * would tear (beside one bend) or gather (between two).
 * @param contour the outer border; material on its left or its right.
 */
export function putReliefs(contour: Contour, patches: Pattern['patches'], cuts: ReliefCuts): PutReliefs {
  const ends = endsOf(patches);
  const turn = areaOfContour(contour) < 0 ? -1 : 1;
  const { segments } = contour;
  const n = segments.length;
  const made: Segment[] = [];
  const put: PutReliefs = { contour, bends: 0, corners: 0, left: 0, areas: [] };
  /** What each line still has at its start and its end. */
  const from = segments.map((s) => (s.kind === 'line' ? s.a : null));
  const to = segments.map((s) => (s.kind === 'line' ? s.b : null));
  const between: Segment[][] = segments.map(() => []);
  for (let i = 0; i < n; i++) {
    const k = (i + 1) % n;
    const [s, t] = [segments[i], segments[k]];
    if (s.kind !== 'line' || t.kind !== 'line') continue;
    const corner = s.b;
    const [d, e] = [directionOf(s), directionOf(t)];
    // Only inner corners: the material goes three quarters round.
    if (turn * crossOf(d, e) > -0.1) continue;
    const here = ends.filter((x) => distance(x.at, corner) < same);
    if (here.length === 0) continue;
    const two = here.some((x) => Math.abs(crossOf(x.out, here[0].out)) > 0.1);
    const path = pathAt({ c: corner, d, e }, two ? { turn } : here[0], cuts);
    if (!path) continue;
    const { steps, before, after } = path;
    if (distance(from[i]!, corner) < before + leastLeft || distance(corner, to[k]!) < after + leastLeft) {
      put.left++;
      continue;
    }
    to[i] = [corner[0] - d[0] * before, corner[1] - d[1] * before];
    from[k] = [corner[0] + e[0] * after, corner[1] + e[1] * after];
    between[i] = steps;
    put.areas.push([corner, ...steps.flatMap((x) => [startPoint(x), endPoint(x)])]);
    if (two) put.corners++;
    else put.bends++;
  }
  segments.forEach((s, i) => {
    if (s.kind !== 'line') made.push(s);
    else if (distance(from[i]!, to[i]!) > 0) made.push({ kind: 'line', a: from[i]!, b: to[i]! });
    made.push(...between[i]);
  });
  return { ...put, contour: { ...contourOf(made, true), meaning: contour.meaning, colour: contour.colour } };
}

const directionOf = ({ a, b }: LineSegment): P2 => {
  const long = distance(a, b);
  return [(b[0] - a[0]) / long, (b[1] - a[1]) / long];
};
const startPoint = (s: Segment): P2 => (s.kind === 'line' ? s.a : arcEnd(s, 0));
const endPoint = (s: Segment): P2 => (s.kind === 'line' ? s.b : arcEnd(s, 1));
const arcEnd = (s: Segment, t: 0 | 1): P2 => {
  if (s.kind !== 'arc') throw new RangeError('reliefs are lines and arcs');
  const a = s.start + s.sweep * t;
  return [s.centre[0] + s.radius * Math.cos(a), s.centre[1] + s.radius * Math.sin(a)];
};
const line = (a: P2, b: P2): Segment => ({ kind: 'line', a, b });

/** A corner of the border: its place, and the directions of the edges that come to it and leave it. */
interface BorderCorner {
  c: P2;
  d: P2;
  e: P2;
}

/** What the border does there instead, and how much of the edges before and after is gone, mm. */
interface ReliefPath {
  steps: Segment[];
  before: number;
  after: number;
}

/** Where two bends meet the corner is opened, beside one bend a slot is cut; null where that is not asked, or has no place. */
function pathAt(corner: BorderCorner, beside: End | { turn: number }, { bends, corners }: ReliefCuts): ReliefPath | null {
  if ('turn' in beside) return corners && cornerPath(corner, beside.turn, corners);
  return bends && bendPath(corner, beside, bends);
}

/** A slot into the wall beside a bend: one of the two edges runs on along the bend line, the other up the flange. */
function bendPath({ c, d, e }: BorderCorner, end: End, { kind, width, depth }: NonNullable<ReliefCuts['bends']>): ReliefPath | null {
  const along = (v: P2) => v[0] * end.out[0] + v[1] * end.out[1];
  // Leaving along the edge that goes on, or coming along it.
  const leaving = along(e) > 0.99;
  const coming = along([-d[0], -d[1]]) > 0.99;
  if (leaving === coming) return null;
  const u = end.out;
  // Into the wall: away from the flange, whose side the other edge runs along.
  const flange = leaving ? ([-d[0], -d[1]] as P2) : e;
  let v: P2 = [-u[1], u[0]];
  if (v[0] * flange[0] + v[1] * flange[1] > 0) v = [u[1], -u[0]];
  const at = (x: number, y: number): P2 => [c[0] + u[0] * x + v[0] * y, c[1] + u[1] * x + v[1] * y];
  const r = width / 2;
  const straight = kind === 'obround' ? Math.max(0, depth - r) : depth;
  const round = (p: P2): Segment => {
    const centre = at(r, straight);
    const start = Math.atan2(p[1] - centre[1], p[0] - centre[0]);
    const middle = at(r, straight + r);
    const sign = crossOf([p[0] - centre[0], p[1] - centre[1]], [middle[0] - centre[0], middle[1] - centre[1]]) > 0 ? 1 : -1;
    return { kind: 'arc', centre, radius: r, start, sweep: sign * Math.PI };
  };
  const corners: P2[] = [at(0, 0), at(0, straight), at(width, straight), at(width, 0)];
  const [p0, p1, p2, p3] = leaving ? corners : [...corners].reverse();
  const steps = [line(p0, p1), kind === 'obround' ? round(p1) : line(p1, p2), line(p2, p3)].filter((s) => s.kind !== 'line' || distance(s.a, s.b) > 0);
  return { steps, before: leaving ? 0 : width, after: leaving ? width : 0 };
}

/** A round or square opening about an inner corner, through the material on its far side. */
function cornerPath({ c, d, e }: BorderCorner, turn: number, { kind, size }: NonNullable<ReliefCuts['corners']>): ReliefPath | null {
  const r = size / 2;
  const [p, q]: P2[] = [
    [c[0] - d[0] * r, c[1] - d[1] * r],
    [c[0] + e[0] * r, c[1] + e[1] * r],
  ];
  const start = Math.atan2(p[1] - c[1], p[0] - c[0]);
  let sweep = Math.atan2(q[1] - c[1], q[0] - c[0]) - start;
  // Through the material, which is on the left of a border that turns to the left: the long way, to the right.
  sweep = turn > 0 ? sweep - (sweep > 0 ? 2 * Math.PI : 0) : sweep + (sweep < 0 ? 2 * Math.PI : 0);
  if (kind === 'round') return { steps: [{ kind: 'arc', centre: c, radius: r, start, sweep }], before: r, after: r };
  // A square with its sides along the two edges.
  if (Math.abs(d[0] * e[0] + d[1] * e[1]) > 1e-3) return null;
  const at = (x: number, y: number): P2 => [c[0] + d[0] * x + e[0] * y, c[1] + d[1] * x + e[1] * y];
  const points = [at(-r, 0), at(-r, -r), at(r, -r), at(r, r), at(0, r)];
  return { steps: points.slice(1).map((b, i) => line(points[i], b)), before: r, after: r };
}

/** Whether a point of the flat lies in one of the reliefs or on its border. */
export function inRelief(areas: readonly P2[][], [x, y]: P2): boolean {
  return areas.some((area) => {
    const xs = area.map((p) => p[0]);
    const ys = area.map((p) => p[1]);
    return x >= Math.min(...xs) - same && x <= Math.max(...xs) + same && y >= Math.min(...ys) - same && y <= Math.max(...ys) + same;
  });
}

/** Puts reliefs on a flat: its outline, its area and length, and what is told of it. */
export function withReliefs(pattern: Pattern, cuts: ReliefCuts): Pattern {
  if (!cuts.bends && !cuts.corners) return pattern;
  const outer = contoursOf(pattern.drawing).find((c) => c.meaning === 'cut');
  if (!outer) return pattern;
  const put = putReliefs(outer, pattern.patches, cuts);
  const drawing: Drawing = {
    ...pattern.drawing,
    layers: pattern.drawing.layers.map((l) => ({ ...l, contours: l.contours.map((c) => (c === outer ? put.contour : c)) })),
  };
  const less = Math.abs(areaOfContour(outer)) - Math.abs(areaOfContour(put.contour));
  return {
    ...pattern,
    drawing,
    area: pattern.area - less,
    reliefs: put.areas,
    findings: [...pattern.findings.filter((f) => f.code !== 'no-relief' || put.bends < f.count), ...reliefSaid(put, cuts, less)],
  };
}

function reliefSaid(put: PutReliefs, cuts: ReliefCuts, less: number): Finding[] {
  const what = [
    cuts.bends ? `${put.bends} beside bends (${cuts.bends.kind}, ${cuts.bends.width} × ${cuts.bends.depth} mm)` : '',
    cuts.corners ? `${put.corners} in corners (${cuts.corners.kind}, ${cuts.corners.size} mm)` : '',
  ].filter((s) => s !== '');
  const out: Finding[] = [
    {
      code: 'reliefs-put',
      severity: 'clear',
      count: put.bends + put.corners,
      message: `Reliefs that the design does not have were cut, as asked: ${what.join(', ')}; together ${less.toFixed(1)} mm².`,
      remedy: 'Nothing to do.',
    },
  ];
  if (put.left > 0)
    out.push({
      code: 'no-room-for-relief',
      severity: 'look',
      count: put.left,
      message: `${put.left} ${put.left === 1 ? 'relief' : 'reliefs'} had no room: the edges beside are too short.`,
      remedy: 'Make the reliefs smaller.',
    });
  return out;
}
