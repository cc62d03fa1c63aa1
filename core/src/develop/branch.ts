import { areaOfContour, contourOf, emptyDrawing, type Contour, type Drawing } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import type { P2, Segment } from '../curves/segment.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { fitted } from '../sheet/pieces.ts';
import { overlaps, type Developed } from './lay.ts';

/** A round branch set onto a round main pipe: its end as it is cut, and the hole in the main. Lengths in mm, angles in degrees. */
export interface Branch {
  kind: 'branch';
  /** Outside diameters. */
  branch: number;
  main: number;
  /** Wall of the branch. */
  thickness: number;
  /** Between the two axes; 90 stands upright. */
  angle: number;
  /** How far the axis of the branch passes beside that of the main. */
  beside: number;
  /** From the axis of the main to the free end, along the axis of the branch. */
  length: number;
  /** Where the seam is, about the branch: 0 looks along the main to where the branch leans. */
  seam: number;
  /** A template wraps round the outside of a pipe; a sheet is rolled to the pipe, and as long as its middle. */
  wrap: 'template' | 'sheet';
  /** The hole lets the bore through, or the whole branch. */
  hole: 'bore' | 'branch' | 'none';
  deviation: number;
}

const degree = Math.PI / 180;
const line = (a: P2, b: P2): Segment => ({ kind: 'line', a, b });
const meant = (meaning: Contour['meaning'], ...segments: Segment[]): Contour => ({ ...contourOf(segments, false), meaning });

/**
 * The end of a branch on a main pipe, unrolled, and the hole in the main, unrolled along its axis and seen from outside. The branch is cut
 * square to its wall where it first touches the main, inside or outside, so that it never reaches into it. Source: intersection of two cylinders, closed form; any handbook of pipe templates.
 * Example: `branchOn({ kind: 'branch', branch: 60.3, main: 114.3, thickness: 2, angle: 60, beside: 0, length: 150, ... })`.
 * @throws Unusable when the branch misses the main, or is too short to reach it.
 */
export function branchOn(p: Branch): Developed {
  const [outer, inner, R] = [p.branch / 2, p.branch / 2 - p.thickness, p.main / 2];
  if (!(inner > 0)) throw new Unusable('no-bore', `A wall of ${p.thickness} mm leaves no bore in a branch of ${p.branch} mm.`, 'Type the outside diameter.');
  if (Math.abs(p.beside) + outer > R + 1e-9) {
    throw new Unusable(
      'misses-main',
      `The branch reaches ${(Math.abs(p.beside) + outer - R).toFixed(2)} mm past the side of the main pipe, where nothing holds it.`,
      'Make the branch narrower or the main wider, or let the axes pass nearer.',
    );
  }
  const [s, c] = [Math.sin(p.angle * degree), Math.cos(p.angle * degree)];
  /** From the axis of the main along the branch to where a wall of that radius touches it. */
  const touch = (r: number, angle: number) => {
    const y = p.beside + r * Math.sin(angle);
    return (Math.sqrt(Math.max(0, R * R - y * y)) + r * Math.cos(angle) * c) / s;
  };
  const first = (angle: number) => Math.max(touch(inner, angle), touch(outer, angle));
  const seam = p.seam * degree;
  const wrapped = p.wrap === 'template' ? outer : outer - p.thickness / 2;
  // Where inside and outside take turns the cut has a kink: curves are fitted from one to the next.
  const kinks = [0, ...turns((x) => touch(inner, seam + x) - touch(outer, seam + x)), 2 * Math.PI];
  const longest = Math.max(...Array.from({ length: 721 }, (_, i) => first(seam + (i * Math.PI) / 360)));
  if (!(p.length > longest + 1)) {
    throw new Unusable(
      'too-short',
      `A branch of ${p.length} mm from the axis of the main ends before it is round: the cut alone reaches ${longest.toFixed(2)} mm.`,
      `Type at least ${Math.ceil(longest + 1)} mm.`,
    );
  }
  let deviation = 0;
  const curve = (at: (t: number) => P2) => {
    const done = fitted(at, p.deviation);
    deviation = Math.max(deviation, done.off);
    return done.segments;
  };
  const whole = 2 * Math.PI * wrapped;
  // A template is read from outside the pipe, a sheet lies with its inside up, to be rolled up.
  const outside = p.wrap === 'template';
  const across = (x: number) => (outside ? whole - wrapped * x : wrapped * x);
  const at = (x: number): P2 => [across(x), p.length - first(seam + x)];
  const top = kinks.slice(1).flatMap((to, i) => curve((t) => at(kinks[i] + (to - kinks[i]) * t)));
  const [from, to] = [at(0), at(2 * Math.PI)];
  const cut: Contour = {
    ...contourOf([line(to, [to[0], 0]), line([to[0], 0], [from[0], 0]), line([from[0], 0], from), ...top], true),
    meaning: 'cut',
  };
  const quarters = [0, 90, 180, 270].map((deg): { x: number; deg: number } => ({ x: ((((deg - p.seam) % 360) + 360) % 360) * degree, deg }));
  const marks = quarters.filter((q) => q.x > 1e-9).map((q) => meant('mark', line([across(q.x), 0], at(q.x))));
  const drawing: Drawing = {
    ...emptyDrawing(),
    labels: true,
    layers: [
      { name: 'CUT', colour: null, lineType: 'CONTINUOUS', contours: [cut] },
      { name: 'MARKS', colour: null, lineType: 'CONTINUOUS', contours: marks },
    ],
    texts: quarters.map((q) => ({
      layer: 'TEXT',
      at: [across(q.x) + (outside && q.x === 0 ? -2 : 5), 3],
      height: Math.min(4, whole / 60),
      angle: Math.PI / 2,
      text: `${q.deg} deg`,
    })),
  };
  drawing.texts.push({ layer: 'TEXT', at: [whole / 8, 3], height: Math.min(4, whole / 60), angle: 0, text: outside ? 'THIS SIDE OUT' : 'THIS SIDE IN' });
  let checked = offMain(cut, wrapped, p, { inner, outer, R, s, c, seam });
  let hole: Contour | null = null;
  if (p.hole !== 'none') {
    const r = p.hole === 'bore' ? inner : outer;
    const place = (angle: number): P2 => {
      const y = p.beside + r * Math.sin(angle);
      const t = touch(r, angle);
      return [r * Math.cos(angle) * s + t * c, R * Math.asin(Math.max(-1, Math.min(1, y / R)))];
    };
    const shift = whole + 10;
    const segments = [0, 1, 2, 3].flatMap((k) => curve((t) => place(((k + t) * Math.PI) / 2)));
    const box = flattened(segments, 0.01).reduce((m, [x, y]) => [Math.min(m[0], x), Math.min(m[1], y)], [Infinity, Infinity]);
    const move = ([x, y]: P2): P2 => [x - box[0] + shift, y - box[1]];
    checked = Math.max(checked, offBranch(segments, r, p, { R, s, c }));
    hole = { ...contourOf(segments.map((g): Segment => (g.kind === 'line' ? line(move(g.a), move(g.b)) : g.kind === 'arc' ? { ...g, centre: move(g.centre) } : g)), true), meaning: 'cut' }; // prettier-ignore
    // Where the axis of the branch comes out of the main.
    const [cx, cy] = move([(Math.sqrt(R * R - p.beside ** 2) * c) / s, R * Math.asin(p.beside / R)]);
    drawing.layers[0].contours.push(hole);
    drawing.layers[1].contours.push(meant('mark', line([cx - 3, cy], [cx + 3, cy])), meant('mark', line([cx, cy - 3], [cx, cy + 3]))); // prettier-ignore
    drawing.texts.push({ layer: 'TEXT', at: [shift, -6], height: 3, angle: 0, text: `hole in the main, ${p.main} outside` });
  }
  const area = Math.abs(areaOfContour(cut));
  const made = { drawing, bends: [], area, areaInSpace: areaByRule(p, wrapped, first), checked, deviation };
  return { ...made, findings: [...overlaps(hole ? [cut, hole] : [cut]), ...touches(made, p)] };
}

/** Angles between 0 and a turn where a function changes its sign, by halving. */
function turns(f: (x: number) => number): number[] {
  const out: number[] = [];
  const n = 720;
  for (let i = 0; i < n; i++) {
    let [a, b] = [(2 * Math.PI * i) / n, (2 * Math.PI * (i + 1)) / n];
    if (f(a) > 0 === f(b) > 0) continue;
    for (let k = 0; k < 50; k++) {
      const m = (a + b) / 2;
      if (f(a) > 0 === f(m) > 0) a = m;
      else b = m;
    }
    if (a > 1e-6 && a < 2 * Math.PI - 1e-6) out.push(a);
  }
  return out;
}

/** The area under the cut by Simpson's rule, mm2: not from the contour. */
function areaByRule(p: Branch, wrapped: number, first: (angle: number) => number): number {
  const n = 7200;
  let sum = 0;
  for (let i = 0; i <= n; i++) sum += (p.length - first((2 * Math.PI * i) / n)) * (i === 0 || i === n ? 1 : i % 2 === 1 ? 4 : 2);
  return (sum / 3) * ((2 * Math.PI) / n) * wrapped;
}

interface Pipes {
  R: number;
  s: number;
  c: number;
}

/**
 * The drawn end rolled up again: how far the wall is from touching the main at each place, measured from the surface of the main, not by the
 * formula that drew it. Inside and outside of the wall both stay out of the main, and one of them lies on it.
 */
function offMain(cut: Contour, wrapped: number, p: Branch, { inner, outer, R, s, c, seam }: Pipes & { inner: number; outer: number; seam: number }): number {
  let most = 0;
  for (const [x, y] of flattened(cut.segments, p.deviation / 10)) {
    // The free end and the seam's foot.
    if (y < 1e-9) continue;
    const angle = seam + (p.wrap === 'template' ? 2 * Math.PI - x / wrapped : x / wrapped);
    const t = p.length - y;
    const clear = [inner, outer].map((r) => {
      const [a, b, u] = [r * Math.cos(angle), p.beside + r * Math.sin(angle), t * s];
      return Math.hypot(b, u - a * c) - R;
    });
    most = Math.max(most, Math.abs(Math.min(...clear)));
  }
  return most;
}

/** The drawn hole rolled up again: how far it is from the wall of the branch. */
function offBranch(hole: readonly Segment[], r: number, p: Branch, { R, s, c }: Pipes): number {
  let most = 0;
  for (const [x, v] of flattened([...hole], p.deviation / 10)) {
    const [y, z] = [R * Math.sin(v / R), R * Math.cos(v / R)];
    // Distance from the axis of the branch: what is left of the way there once the part along it is taken out.
    const along = x * c + z * s;
    most = Math.max(most, Math.abs(Math.hypot(x - along * c, y - p.beside, z - along * s) - r));
  }
  return most;
}

function touches({ checked, deviation, area, areaInSpace }: Pick<Developed, 'checked' | 'deviation' | 'area' | 'areaInSpace'>, p: Branch): Finding[] {
  // A slanted wall meets the main at a flat angle: what is off along the cut is less across it.
  const good = checked <= deviation * 1.1 + 0.002 && Math.abs(area - areaInSpace) <= 1e-4 * areaInSpace;
  return [
    {
      code: 'developed',
      severity: good ? 'clear' : 'stop',
      count: 1,
      message: `Rolled up again, the end lies on the main pipe${p.hole === 'none' ? '' : ' and the hole on the branch'} within ${checked.toPrecision(2)} mm.`,
      remedy: good ? 'Nothing to do.' : 'Tell us with these sizes: this must not be cut.',
    },
  ];
}
