import { add, cross, dot, lengthOf, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { lengthOfPiece, layOver, movedPieces, piecesOf, pointOnPiece, tableOf, turned, type Piece, type Run } from '../tubes/run.ts';
import { offBox } from '../tubes/sections.ts';
import type { ReadTable } from './table-file.ts';

/** A tube as a bender makes it from a table alone, standing where the design stands. */
export interface ReceivedRun {
  run: Run;
}

/**
 * The tube that a table makes, laid over the design by its beginning alone: where it begins, its first direction and its first bend's plane. A turn, never a
 * mirror: a tube of the wrong hand goes astray at its second plane.
 */
export function receivedRun({ table, section, turn }: ReadTable, design: Run): ReceivedRun {
  const pieces = piecesOf(table);
  const raw: Pick<Run, 'pieces' | 'across'> = { pieces, across: turned([0, 0, 1], [1, 0, 0], (turn * Math.PI) / 180) };
  const rows = layOver(raw, design);
  const across: Vec3 = [0, 4, 8].map((r) => rows[r] * raw.across[0] + rows[r + 1] * raw.across[1] + rows[r + 2] * raw.across[2]) as Vec3;
  const run: Run = { section, pieces: movedPieces(pieces, rows), across: unit(across), ends: design.ends };
  return { run };
}

/** The largest distance from points along one centre line to another, mm: looked at both ways, every few degrees and at every end of a piece. */
export function centreDistance(a: Run, b: Run): number {
  return Math.max(oneWay(a, b), oneWay(b, a));
}

function oneWay(a: Run, b: Run): number {
  let worst = 0;
  for (const p of a.pieces) {
    const n = p.kind === 'straight' ? 4 : Math.max(4, Math.ceil(p.angle / 0.05));
    for (let i = 0; i <= n; i++) worst = Math.max(worst, offCentre(pointOnPiece(p, (lengthOfPiece(p) * i) / n).at, b));
  }
  return worst;
}

function offCentre(p: Vec3, run: Run): number {
  return run.pieces.reduce((least, piece) => Math.min(least, localOf(p, piece, 0).away), Infinity);
}

/** A point against a piece: how far from its centre line, and where across. `beyond` lets straights go on past their ends, mm. */
function localOf(p: Vec3, piece: Piece, beyond: number): { away: number; s: number; off: Vec3 } {
  if (piece.kind === 'straight') {
    const length = lengthOfPiece(piece);
    const s = Math.min(length + beyond, Math.max(-beyond, dot(sub(p, piece.from), piece.along)));
    const off = sub(p, add(piece.from, scaled(piece.along, s)));
    return { away: lengthOf(off), s, off };
  }
  if (piece.radius === 0) return { away: lengthOf(sub(p, piece.from)), s: 0, off: sub(p, piece.from) };
  const q = sub(p, piece.centre);
  const flat = sub(q, scaled(piece.axis, dot(q, piece.axis)));
  const x = unit(sub(piece.from, piece.centre));
  let angle = Math.atan2(dot(flat, cross(piece.axis, x)), dot(flat, x));
  const middle = piece.angle / 2;
  angle -= 2 * Math.PI * Math.round((angle - middle) / (2 * Math.PI));
  const s = Math.min(piece.angle, Math.max(0, angle)) * piece.radius;
  const off = sub(p, pointOnPiece(piece, s).at);
  return { away: lengthOf(off), s, off };
}

/** How far points lie from the surface of a tube, outside or inside: the largest, and where. mm. */
export function surfaceDistance(points: ArrayLike<number>, run: Run): { distance: number; at: Vec3 | null } {
  const frames: { piece: Piece; across: Vec3 }[] = [];
  let across = run.across;
  for (const piece of run.pieces) {
    frames.push({ piece, across });
    if (piece.kind === 'bend') across = turned(across, piece.axis, piece.angle);
  }
  let [distance, at]: [number, Vec3 | null] = [0, null];
  for (let i = 0; i + 2 < points.length; i += 3) {
    const p: Vec3 = [points[i], points[i + 1], points[i + 2]];
    const off = frames.reduce((least, f) => Math.min(least, offPiece(p, f, run)), Infinity);
    if (off > distance) [distance, at] = [off, p];
  }
  return { distance, at };
}

function offPiece(p: Vec3, { piece, across }: { piece: Piece; across: Vec3 }, { section }: Run): number {
  if (piece.kind === 'bend' && piece.radius === 0) return Infinity;
  const { s, off } = localOf(p, piece, 3 * section.width);
  const along = piece.kind === 'straight' ? piece.along : pointOnPiece(piece, s).along;
  const x = piece.kind === 'straight' ? across : turned(across, piece.axis, s / piece.radius);
  const y = cross(along, x);
  const q: [number, number] = [dot(off, x), dot(off, y)];
  const { width, height, corner, wall } = section;
  const box = { centre: [0, 0] as [number, number], along: [1, 0] as [number, number], width, height, corner };
  const out = Math.abs(offBox(box, q));
  // Past the end of a bend nothing of it goes on.
  const past = piece.kind === 'bend' ? Math.abs(dot(off, along)) : 0;
  if (wall === null) return Math.hypot(out, past);
  const inner = { ...box, width: width - 2 * wall, height: height - 2 * wall, corner: Math.max(0, corner - wall) };
  return Math.hypot(Math.min(out, Math.abs(offBox(inner, q))), past);
}

/** What a piece lacks at its two ends where it is cut slanting, mitred or hollowed: rings there are not whole. */
function shortened({ pieces, ends, section }: Run, k: number): [number, number] {
  const lack = (next: Piece | undefined, end: Run['ends'][0]) => {
    if (!next) return end.kind === 'cope' ? section.width * 1.5 : (section.width / 2) * Math.tan(end.slant);
    return next.kind === 'bend' && next.radius === 0 ? (section.width / 2) * Math.tan(next.angle / 2) : 0;
  };
  return [lack(pieces[k - 1], ends[0]), lack(pieces[k + 1], ends[1])];
}

/** Points on the outside of a tube, ring after ring: about `rings` along it and `around` in each. xyz, mm. */
export function skinPoints(run: Run, rings: number, around: number): Float64Array {
  const total = run.pieces.reduce((sum, p) => sum + lengthOfPiece(p), 0);
  const out: number[] = [];
  let across = run.across;
  const { width, height, corner } = run.section;
  for (const [k, piece] of run.pieces.entries()) {
    const [from, less] = shortened(run, k);
    const length = lengthOfPiece(piece) - from - less;
    const n = Math.max(1, Math.round((rings * length) / total));
    for (let i = 0; i < n && length > 0; i++) {
      const s = from + (length * (i + 0.5)) / n;
      const { at, along } = pointOnPiece(piece, s);
      const x = piece.kind === 'straight' ? across : turned(across, piece.axis, s / piece.radius);
      const y = cross(along, x);
      for (let j = 0; j < around; j++) {
        const a = (2 * Math.PI * (j + 0.5)) / around;
        const [u, v] = outwards([Math.cos(a), Math.sin(a)], width / 2, height / 2, corner);
        out.push(...add(at, add(scaled(x, u), scaled(y, v))));
      }
    }
    if (piece.kind === 'bend') across = turned(across, piece.axis, piece.angle);
  }
  return Float64Array.from(out);
}

/** The point of a rectangle with round corners in a direction. */
function outwards(d: [number, number], w: number, h: number, corner: number): [number, number] {
  let [low, high] = [0, w + h];
  for (let i = 0; i < 60; i++) {
    const m = (low + high) / 2;
    const off = offBox({ centre: [0, 0], along: [1, 0], width: 2 * w, height: 2 * h, corner }, [d[0] * m, d[1] * m]);
    if (off > 0) high = m;
    else low = m;
  }
  return [d[0] * low, d[1] * low];
}

/** Whether two centre lines turn the same way: the sum of their turns out of the plane has the same sign. 0 where neither leaves its plane. */
export function handOf(run: Run): -1 | 0 | 1 {
  const sum = tableOf(run).rows.reduce((s, r) => s + Math.sin((r.rotation * Math.PI) / 180), 0);
  return Math.abs(sum) < 1e-3 ? 0 : sum > 0 ? 1 : -1;
}
