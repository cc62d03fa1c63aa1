import type { Finding } from '../base/finding.ts';
import { areaOfContour, boxOfContour, contourOf, type Contour, type Drawing, type Layer, type Meaning } from '../curves/drawing.ts';
import { transformed } from '../curves/affine.ts';
import { circleThrough } from '../curves/check.ts';
import { fitContour } from '../curves/fit.ts';
import { flattened } from '../curves/flatten.ts';
import { distance, turn, type P2, type Segment } from '../curves/segment.ts';
import type { Engine } from '../engine/engine.ts';
import { edgesOf, nextCorner } from '../geometry/edges.ts';
import { lettered } from '../text/lettering.ts';
import { usualText } from '../text/choice.ts';
import type { LetterFiles } from '../text/letters.ts';
import type { SpreadChoice } from './choice.ts';
import { farFrom, rimVertices } from './divide.ts';
import { linesOn } from './drawn-lines.ts';
import { placesOf, type Laid } from './lay.ts';
import { boxOfFlat, drawnLayer, type Patch, type PatchPiece } from './patch.ts';
import { edgeKey } from './parting.ts';
import type { Run } from './pieces.ts';
import { closesSmoothly, controls, smoothLengths, smoothParts, tangents } from './smooth.ts';
import type { Spread } from './spread.ts';

/** Between pieces on the drawing, beside their allowances, mm. */
const gap = 10;
/** Notches are so long where there is no allowance, mm. */
const notch = 5;
/** Points of an exact flat lie on one line or circle within this share of the piece's size. */
const sameCurve = 1e-9;
/** A mitre goes no farther from its corner than this many allowances. Common practice: SVG and DXF plotters take 4. */
const mitre = 4;

export const layerNames = { cut: 'CUT', hole: 'HOLES', sew: 'SEW', notch: 'NOTCHES', inner: 'FACES', drawn: drawnLayer, writing: 'NAMES' } as const;

/** A run of the border as exact segments: straight ones, arcs, and smooth curves between corners. */
export function runSegments(points: readonly P2[], ring: boolean, exact: number): Segment[] {
  const out: Segment[] = [];
  const parts = smoothParts(points);
  const round = ring && parts.length === 1 && closesSmoothly(points);
  for (const part of parts) {
    const own = part.map((i) => points[i]);
    const plain = straightOrRound(own, exact);
    if (plain) {
      out.push(...plain);
      continue;
    }
    const slopes = tangents(own, round);
    for (let i = 0; i + 1 < own.length; i++) {
      const [b, c] = controls(own, slopes, i) as [P2, P2];
      out.push({ kind: 'bezier', points: [own[i], b, c, own[i + 1]] });
    }
  }
  return out;
}

/** One line or arc when all points lie on it. */
function straightOrRound(own: readonly P2[], exact: number): Segment[] | null {
  const [a, b] = [own[0], own[own.length - 1]];
  const long = distance(a, b);
  if (own.length === 2) return [{ kind: 'line', a, b }];
  const off = (p: P2) => Math.abs((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])) / long;
  if (long > exact && own.every((p) => off(p) <= exact)) return [{ kind: 'line', a, b }];
  if (own.length < 4) return null;
  const closed = long <= exact;
  const third = own[Math.floor(own.length / 3)];
  const centre = circleThrough(a, third, closed ? own[Math.floor((2 * own.length) / 3)] : b);
  if (!centre) return null;
  const radius = distance(centre, a);
  if (!own.every((p) => Math.abs(distance(p, centre) - radius) <= exact)) return null;
  const angle = (p: P2) => Math.atan2(p[1] - centre[1], p[0] - centre[0]);
  let sweep = 0;
  for (let i = 0; i + 1 < own.length; i++) {
    const step = angle(own[i + 1]) - angle(own[i]);
    sweep += step - turn * Math.round(step / turn);
  }
  return [{ kind: 'arc', centre, radius, start: angle(a), sweep: closed ? Math.sign(sweep) * turn : sweep }];
}

const ringRun = (run: Run): boolean => run.vertices[0] === run.vertices[run.vertices.length - 1];

/** A loop of a piece's border on the flat. */
function loopContour(loop: readonly Run[], flat: Float64Array, exact: number): Contour {
  return contourOf(
    loop.flatMap((run) => runSegments(placesOf(run, flat, 2) as P2[], ringRun(run) && loop.length === 1, exact)),
    true,
  );
}

/** Letters for the names of pieces: A to Z, then AA. */
export const nameOf = (i: number): string => (i < 26 ? String.fromCharCode(65 + i) : nameOf(Math.floor(i / 26) - 1) + nameOf(i % 26));

/** What a contour looks like before and after lines and arcs were fitted, with how far they lie apart. */
interface Fitted {
  contour: Contour;
  measured: number;
}

const fit = (contour: Contour, deviation: number): Fitted => {
  const { result, measured } = fitContour(contour, deviation);
  return { contour: result, measured };
};

/**
 * The drawing of a spread: each piece with its line to cut, its line to sew where there is an allowance, notches and names, set out in rows.
 * @returns the drawing, which knows the surface that it came from
 */
export async function drawnSpread(spread: Spread, engine: Engine, letters: LetterFiles): Promise<Drawing & { patch: Patch }> {
  const { choice, laid } = spread;
  const placed = setOut(laid, choice);
  const layers = new Map<string, { meaning: Meaning; contours: Contour[] }>();
  const put = (name: string, meaning: Meaning, contours: readonly Contour[]) => {
    const layer = layers.get(name) ?? { meaning, contours: [] };
    layer.contours.push(...contours.map((c) => ({ ...c, meaning })));
    layers.set(name, layer);
  };
  let deviation = 0;
  let closedUp = 0;
  const pieces: PatchPiece[] = [];
  for (const [i, it] of laid.entries()) {
    const flat = placed[i];
    const size = Math.hypot(...sides(flat));
    const outlines = it.piece.loops.map((loop) => loopContour(loop, flat, (it.exact ? sameCurve : 1e-12) * size));
    const own = outlines.map((c) => fit(c, choice.deviation));
    deviation = Math.max(deviation, ...own.map((f) => f.measured));
    const allowed = choice.allowance.seam > 0 || choice.allowance.border > 0;
    const cut = allowed ? withAllowance(it, flat, choice, engine) : own.map((f) => f.contour);
    const outer = cut.reduce((x, y) => (acrossOf(y) > acrossOf(x) ? y : x));
    closedUp += Math.max(0, own.length - cut.length);
    put(layerNames.cut, 'cut', [outer]);
    put(
      layerNames.hole,
      'hole',
      cut.filter((c) => c !== outer),
    );
    if (allowed)
      put(
        layerNames.sew,
        'score',
        own.map((f) => f.contour),
      );
    if (choice.inner)
      put(
        layerNames.inner,
        'score',
        innerLines(it, flat).map((c) => fit(c, choice.deviation).contour),
      );
    if (spread.drawn.size > 0) {
      const lines = drawnLines(it, flat, spread.drawn);
      put(
        layerNames.drawn,
        'engrave',
        lines.map((c) => fit(c, choice.deviation).contour),
      );
    }
    const at = middleOn(it, flat);
    const drawn = outlines.map((c) => Math.abs(areaOfContour(c))).sort((a, b) => b - a);
    const contoured = drawn.slice(1).reduce((n, v) => n - v, drawn[0]);
    pieces.push({
      name: nameOf(i),
      surface: Array.from(it.piece.mesh.positions),
      flat: Array.from(flat),
      triangles: Array.from(it.piece.mesh.triangles),
      loops: it.piece.loops,
      exact: it.exact,
      stretch: spread.stretches[i],
      // What unrolls exactly is as large as its outline, not as its facets.
      area: it.exact ? contoured : it.rest.area,
      flatArea: it.exact ? contoured : it.stretch.flatArea,
      at: at.place,
    });
    if (choice.writing) put(layerNames.writing, 'engrave', await named(nameOf(i), at, choice, letters));
  }
  const marks = await notches(spread, placed, letters);
  put(layerNames.notch, 'mark', marks.ticks);
  if (choice.writing) put(layerNames.writing, 'engrave', marks.names);
  const { seams, cuts, kept, facets, findings } = spread;
  const patch: Patch = {
    pieces,
    seams: seams.map(({ sides, length, flat }, i) => ({ name: String(i + 1), length, flat, sides })),
    cuts,
    ...(kept.length > 0 ? { kept } : {}),
    facets,
    choice,
    deviation,
    findings: closedUp > 0 ? [...findings, holesClosed(closedUp)] : findings,
  };
  return {
    layers: [...layers]
      .filter(([, l]) => l.contours.length > 0)
      .map(([name, l]): Layer => ({ name, colour: null, lineType: 'CONTINUOUS', contours: l.contours })),
    texts: [],
    points: [],
    patch,
  };
}

const holesClosed = (count: number): Finding => ({
  code: 'holes-closed',
  severity: 'look',
  count,
  message: `${count === 1 ? 'A hole is' : `${count} holes are`} smaller than the allowance along ${count === 1 ? 'its' : 'their'} border: ${count === 1 ? 'it is' : 'they are'} not cut, only drawn.`,
  remedy: 'Take a smaller allowance along the border, or cut them by the line to sew.',
});

/** How large a contour's box is across. */
function acrossOf(contour: Contour): number {
  const [l, b, r, t] = boxOfContour(contour);
  return Math.hypot(r - l, t - b);
}

const sides = (flat: ArrayLike<number>): [number, number] => {
  const [l, b, r, t] = boxOfFlat(flat);
  return [r - l, t - b];
};

/** The flats beside each other in rows, with room for their allowances; the first one's corner at zero. */
function setOut(laid: readonly Laid[], { allowance }: SpreadChoice): Float64Array[] {
  const room = 2 * mitreRoom(allowance) + gap;
  const boxes = laid.map((l) => boxOfFlat(l.flat));
  const whole = boxes.reduce((n, [l, b, r, t]) => n + (r - l + room) * (t - b + room), 0);
  const width = Math.max(...boxes.map(([l, , r]) => r - l + room), Math.sqrt(whole) * 1.4);
  let [x, y, high] = [0, 0, 0];
  return laid.map((l, i) => {
    const [left, bottom, right, top] = boxes[i];
    if (x > 0 && x + right - left > width) {
      y += high + room;
      [x, high] = [0, 0];
    }
    const out = l.flat.map((v, k) => (k % 2 === 0 ? v - left + x : v - bottom + y));
    x += right - left + room;
    high = Math.max(high, top - bottom);
    return out;
  });
}

const mitreRoom = ({ seam, border }: SpreadChoice['allowance']): number => Math.max(seam, border) * 1.5;

/** Lines to cut with the allowance of each run outside the line to sew, corners mitred. */
function withAllowance({ piece }: Laid, flat: Float64Array, { allowance, deviation }: SpreadChoice, engine: Engine): Contour[] {
  const rings: P2[][] = [];
  const solid: P2[][] = [];
  for (const loop of piece.loops) {
    const points: P2[] = [];
    const by: number[] = [];
    for (const run of loop) {
      const segments = runSegments(placesOf(run, flat, 2) as P2[], ringRun(run) && loop.length === 1, 1e-9);
      const own = flattened(segments, deviation / 4);
      for (let i = 0; i + 1 < own.length; i++) {
        points.push(own[i] as P2);
        by.push(run.seam >= 0 ? allowance.seam : allowance.border);
      }
    }
    rings.push(points);
    solid.push(...strips(points, by));
  }
  const base = engine.CrossSection.ofPolygons(rings, 'EvenOdd');
  const grown = engine.CrossSection.ofPolygons(solid, 'NonZero');
  const whole = base.add(grown);
  const out = whole.toPolygons().map((polygon) => {
    const points = polygon.map((p): P2 => [p[0], p[1]]);
    return fit(
      contourOf(
        points.map((a, i): Segment => ({ kind: 'line', a, b: points[(i + 1) % points.length] })),
        true,
      ),
      deviation,
    ).contour;
  });
  for (const area of [base, grown, whole]) area.delete();
  return out;
}

/** What lies outside each side of a ring, as wide as its allowance, and the corners between two sides. */
function strips(points: readonly P2[], by: readonly number[]): P2[][] {
  const n = points.length;
  const out: P2[][] = [];
  // The piece lies to the left, so outside is to the right.
  const normal = (i: number): P2 => {
    const [a, b] = [points[i], points[(i + 1) % n]];
    const l = distance(a, b);
    return [(b[1] - a[1]) / l, -(b[0] - a[0]) / l];
  };
  for (let i = 0; i < n; i++) {
    const [a, b] = [points[i], points[(i + 1) % n]];
    const m = normal(i);
    if (by[i] > 0) out.push([[a[0] + m[0] * by[i], a[1] + m[1] * by[i]], [b[0] + m[0] * by[i], b[1] + m[1] * by[i]], b, a]); // prettier-ignore
    const [k, next] = [(i + 1) % n, normal((i + 1) % n)];
    const [w, v] = [by[i], by[k]];
    const across = m[0] * next[1] - m[1] * next[0];
    if (across <= 1e-12 || (w === 0 && v === 0)) continue;
    const [p, q]: [P2, P2] = [
      [b[0] + m[0] * w, b[1] + m[1] * w],
      [b[0] + next[0] * v, b[1] + next[1] * v],
    ];
    // Where the two outer lines meet: x . m = w and x . next = v.
    const tip: P2 = [b[0] + (w * next[1] - v * m[1]) / across, b[1] + (v * m[0] - w * next[0]) / across];
    out.push(distance(tip, b) <= mitre * Math.max(w, v) ? [b, p, tip, q] : [b, p, q]);
  }
  return out;
}

/** Edges between faces that lie inside a piece. */
function innerLines(it: Laid, flat: Float64Array): Contour[] {
  const { mesh, face } = it.piece;
  const { across } = edgesOf(mesh.triangles, mesh.positions.length / 3);
  return linesOn(it, flat, (c) => across[c] >= 0 && face[(c / 3) | 0] !== face[(across[c] / 3) | 0]);
}

/** Lines that somebody drew on the surface. */
function drawnLines(it: Laid, flat: Float64Array, drawn: ReadonlySet<number>): Contour[] {
  const { mesh, from } = it.piece;
  const t = mesh.triangles;
  return linesOn(it, flat, (c) => drawn.has(edgeKey(from[t[c]], from[t[nextCorner(c)]])));
}

/** The place of a piece farthest from its border, and how far that is on the flat, mm. */
function middleOn({ piece: { mesh } }: Laid, flat: Float64Array): { place: P2; room: number } {
  const rim = rimVertices(mesh);
  const { far } = farFrom(mesh, rim);
  let best = 0;
  for (let v = 0; v < far.length; v++) if (far[v] < Infinity && far[v] > far[best]) best = v;
  const place: P2 = [flat[2 * best], flat[2 * best + 1]];
  let room = Infinity;
  for (const v of rim) room = Math.min(room, Math.hypot(flat[2 * v] - place[0], flat[2 * v + 1] - place[1]));
  if (room > 0) return { place, room };
  // A piece of one row of triangles: the middle of its largest one.
  const mid: P2 = [0, 0];
  for (let i = 0; i < 3; i++) for (const d of [0, 1]) mid[d] += flat[2 * mesh.triangles[i] + d] / 3;
  return { place: mid, room: Math.min(...sides(flat)) / 4 };
}

/** A word in single lines about a place, its letters so high, mm. */
async function word(words: string, at: P2, cap: number, letters: LetterFiles): Promise<Contour[]> {
  const { drawing } = await lettered({ ...usualText, words, font: 'line', size: { by: 'cap', mm: cap } }, letters);
  const contours = drawing.layers.flatMap((l) => l.contours);
  return contours.map((c) => ({ ...c, segments: c.segments.map((s) => transformed(s, [1, 0, 0, 1, at[0], at[1] - cap / 2])) }));
}

/** The name of a piece with an arrow along the grain below it. */
async function named(name: string, { place, room }: { place: P2; room: number }, { grain }: SpreadChoice, letters: LetterFiles): Promise<Contour[]> {
  const cap = Math.max(1.5, Math.min(15, room * 0.35));
  const half = Math.max(2, room * 0.7);
  const [x, y] = [place[0], place[1] - (grain === 'x' ? cap * 0.9 : 0)];
  const along: P2 = grain === 'x' ? [1, 0] : [0, 1];
  // An arrow up the grain stands beside the name.
  const [ox, oy] = grain === 'x' ? [x, y] : [x - cap, y];
  const point = (a: number, b: number): P2 => [ox + along[0] * a - along[1] * b, oy + along[1] * a + along[0] * b];
  const head = Math.min(cap * 0.5, half * 0.4);
  const line = (a: P2, b: P2): Segment => ({ kind: 'line', a, b });
  const arrow = [
    contourOf([line(point(-half, 0), point(half, 0))], false),
    contourOf([line(point(half - head, head / 2), point(half, 0)), line(point(half, 0), point(half - head, -head / 2))], false),
  ];
  return [...(await word(name, [place[0], place[1] + (grain === 'x' ? cap * 0.4 : 0)], cap, letters)), ...arrow];
}

/** Notches along both sides of each seam at the same lengths, the first one from the seam's start double, and the seam's number beside its middle. */
async function notches(
  { seams, laid, choice }: Spread,
  placed: readonly Float64Array[],
  letters: LetterFiles,
): Promise<{ ticks: Contour[]; names: Contour[] }> {
  const ticks: Contour[] = [];
  const names: Contour[] = [];
  const long = choice.allowance.seam > 0 ? choice.allowance.seam : notch;
  for (const [number, seam] of seams.entries()) {
    const shares = choice.notches === null ? [] : notchShares(seam.length, choice.notches);
    for (const side of seam.sides) {
      const { piece } = laid[side.piece];
      const run = piece.loops[side.loop][side.run];
      const points = placesOf(run, placed[side.piece], 2) as P2[];
      const lengths = smoothLengths(placesOf(run, piece.mesh.positions, 3), ringRun(run));
      const start = ringRun(run) ? Math.max(0, run.vertices.findIndex((v) => piece.from[v] === seam.way[0])) : 0; // prettier-ignore
      const along = alongRun(points, lengths, start, run.back);
      const inward = choice.allowance.seam > 0 ? -1 : 1;
      for (const [k, share] of shares.entries()) {
        for (const more of k === 0 ? [0, Math.min(3, seam.length * 0.02)] : [0]) {
          const { at, left } = along(share * seam.length + more);
          ticks.push(contourOf([{ kind: 'line', a: at, b: [at[0] + left[0] * long * inward, at[1] + left[1] * long * inward] }], false));
        }
      }
      if (!choice.writing) continue;
      const cap = Math.max(1.5, Math.min(6, seam.length / 30));
      const { at, left } = along(seam.length * 0.5);
      names.push(...(await word(String(number + 1), [at[0] + left[0] * cap * 1.8, at[1] + left[1] * cap * 1.8], cap, letters)));
    }
  }
  return { ticks, names };
}

/** Where notches are along a seam, as shares: at most `apart` mm from each other, none in the middle of a turned-round seam alone. */
function notchShares(length: number, apart: number): number[] {
  const n = Math.max(2, Math.ceil(length / apart));
  return Array.from({ length: n - 1 }, (_, i) => (i + 1) / n);
}

/** The place after a length of a seam on one of its sides, and the direction to the left of the run, where the piece lies. */
function alongRun(points: readonly P2[], lengths: Float64Array, start: number, back: boolean): (s: number) => { at: P2; left: P2 } {
  const n = lengths.length;
  // Edges in the order of the seam.
  const order = Array.from({ length: n }, (_, i) => (back ? (start + n - 1 - i) % n : (start + i) % n));
  return (s) => {
    let rest = s;
    for (const [k, e] of order.entries()) {
      if (rest > lengths[e] && k < n - 1) {
        rest -= lengths[e];
        continue;
      }
      const share = Math.min(1, rest / lengths[e]);
      const f = back ? 1 - share : share;
      const [a, b] = [points[e], points[e + 1]];
      const l = distance(a, b);
      return { at: [a[0] + (b[0] - a[0]) * f, a[1] + (b[1] - a[1]) * f], left: [-(b[1] - a[1]) / l, (b[0] - a[0]) / l] };
    }
    throw new RangeError('a seam without edges');
  };
}
