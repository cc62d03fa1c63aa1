import type { Vec3 } from '../geometry/vector.ts';
import { farFrom, rimVertices } from './divide.ts';
import { edgeKey, type CutMesh } from './parting.ts';
import { cutAlong } from './trail.ts';
import type { ExactSnap } from './exact.ts';
import { anglesRound } from './lay.ts';
import { piecesOf, type Piece } from './pieces.ts';
import type { ProposedCut } from '../model/patch.ts';
import { restOf, stretchesOf } from './rest.ts';
import { conformalFlat } from './conformal.ts';
import { rigidFlat } from './rigid.ts';

/** Rounds of a trial: enough to compare cuts, not to finish. */
const trialRounds = 40;
/** A cut is taken when it lessens the mean square of stretch by this share at least. */
const worthwhile = 0.02;

interface Trial {
  piece: Piece;
  /** Mean square of stretch, both ways together. */
  energy: number;
  /** Triangle of the largest stretch by its logarithm. */
  worst: number;
  flat: Float64Array;
}

/** A piece as rigid as possible, for comparing. @param start where it begins; null: a conformal flat */
function tried(piece: Piece, start: Float64Array | null): Trial {
  const made = restOf(piece.mesh);
  if ('without' in made) return { piece, energy: Infinity, worst: 0, flat: new Float64Array(0) };
  const { rest } = made;
  const { triangles } = piece.mesh;
  const { flat } = rigidFlat(piece.mesh, rest, start ?? conformalFlat(piece.mesh, rest), { lambda: Infinity, enough: 1e-3, most: trialRounds });
  const values = stretchesOf(rest, triangles, flat);
  let energy = 0;
  let worst = 0;
  let most = 0;
  for (let k = 0; k < rest.areas.length; k++) {
    const square = (values[2 * k] - 1) ** 2 + (values[2 * k + 1] - 1) ** 2;
    energy += (square * rest.areas[k]) / rest.area;
    if (square > most) {
      most = square;
      worst = k;
    }
  }
  return { piece, energy, worst, flat };
}

/** Where each vertex of the cut surface lies on a trial's flat. */
const flatByOrigin = ({ piece, flat }: Trial): Map<number, [number, number]> =>
  new Map(Array.from(piece.from, (v, i): [number, [number, number]] => [v, [flat[2 * i], flat[2 * i + 1]]]));

const startOf = (piece: Piece, by: ReadonlyMap<number, [number, number]>): Float64Array => Float64Array.from(Array.from(piece.from).flatMap((v) => by.get(v)!));

/** Places from which a cut may run to the border: farthest from it, where the surface is bent most, where it is stretched most. */
function tips({ piece, worst }: Trial): number[] {
  const { mesh } = piece;
  const n = mesh.positions.length / 3;
  const rim = rimVertices(mesh);
  const { far } = farFrom(mesh, rim);
  const angles = anglesRound(mesh.positions, mesh.triangles);
  let deep = -1;
  for (let v = 0; v < n; v++) if (far[v] < Infinity && (deep < 0 || far[v] > far[deep])) deep = v;
  // Bending about each point, in a disc of a third of the greatest depth, so that it does not hang on the facets.
  const bent = new Float64Array(n);
  for (let v = 0; v < n; v++) if (!rim.has(v)) bent[v] = Math.abs(2 * Math.PI - angles[v]);
  let sharp = -1;
  for (let v = 0; v < n; v++) if (!rim.has(v) && far[v] > 0.1 * far[deep] && (sharp < 0 || bent[v] > bent[sharp])) sharp = v;
  const stretched = [0, 1, 2].map((i) => mesh.triangles[worst * 3 + i]).sort((a, b) => far[b] - far[a])[0];
  return [...new Set([deep, sharp, stretched])].filter((v) => v >= 0 && !rim.has(v));
}

/** The way of a cut: from a tip to the nearest border; of a piece with several borders also from one border to another. Vertices of the piece, in order. */
function waysOf(trial: Trial): number[][] {
  const { piece } = trial;
  const { mesh } = piece;
  const way = (start: number, ends: Iterable<number>): number[] => {
    const { far, before } = farFrom(mesh, ends);
    if (!(far[start] < Infinity)) return [];
    const list = [start];
    for (let v = start; before[v] >= 0; v = before[v]) list.push(before[v]);
    return list;
  };
  if (piece.loops.length > 1) {
    // What goes round something opens best where its borders come nearest to each other.
    const rings = piece.loops.map((runs) => runs.flatMap((r) => r.vertices));
    const { far } = farFrom(mesh, rings[0]);
    return rings.slice(1).map((ring) =>
      way(
        ring.reduce((a, b) => (far[b] < far[a] ? b : a)),
        rings[0],
      ),
    );
  }
  const rim = rimVertices(mesh);
  if (rim.size > 0) return tips(trial).map((v) => way(v, rim));
  // A closed piece: from its first vertex to the one farthest off.
  const { far } = farFrom(mesh, [0]);
  let most = 0;
  for (let v = 0; v < far.length; v++) if (far[v] < Infinity && far[v] > far[most]) most = v;
  return [way(most, [0])];
}

/**
 * Relief cuts where the surface is bent and stretched most, one after the other: of the worst piece several are tried, and the one that lessens
 * the stretch most is cut. Each is made straight in the end.
 * Source: Gu, Gortler and Hoppe, Geometry images, 2002, section 3 (cuts to points of extreme stretch by shortest ways), with trials.
 */
export function proposedCuts(it: CutMesh, count: number, snap: ExactSnap | null, going: (share: number) => void): { cut: CutMesh; cuts: ProposedCut[] } {
  const out: ProposedCut[] = [];
  let now = it;
  // Pieces that a cut leaves as they are need no second trial.
  const known = new Map<string, Trial>();
  const trialOf = (piece: Piece): Trial => {
    if (piece.loops.length === 0) return { piece, energy: Infinity, worst: 0, flat: new Float64Array(0) };
    const key = `${piece.face.length} ${piece.from.length} ${piece.from.reduce((sum, v, i) => (sum + v * (i + 1)) % 1e9, 0)}`;
    const found = known.get(key);
    if (found) return { ...found, piece };
    const made = tried(piece, null);
    known.set(key, made);
    return made;
  };
  for (let k = 0; k < count; k++) {
    going(k / count);
    const trials = piecesOf(now).pieces.map(trialOf);
    const weight = (t: Trial) => t.energy * t.piece.face.length;
    const worst = trials.reduce((a, b) => (weight(b) > weight(a) ? b : a));
    if (worst.energy < 1e-12) break;
    let best: { way: number[]; energy: number } | null = null;
    for (const way of waysOf(worst)) {
      if (way.length < 2) continue;
      const cut = new Set(now.cut);
      for (let i = 0; i + 1 < way.length; i++) cut.add(edgeKey(worst.piece.from[way[i]], worst.piece.from[way[i + 1]]));
      const inside = new Set(worst.piece.from);
      const after = piecesOf({ ...now, cut }).pieces.filter((p) => p.from.every((v) => inside.has(v)));
      if (after.some((p) => p.loops.length === 0)) continue;
      // What is cut open begins from where it lay; a ring that is opened begins anew.
      const begun = worst.piece.loops.length === 1 ? flatByOrigin(worst) : null;
      const made = after.map((p) => tried(p, begun && startOf(p, begun)));
      const all = made.reduce((s, t) => s + t.piece.face.length, 0);
      const energy = made.reduce((s, t) => s + (t.energy * t.piece.face.length) / all, 0);
      if (!best || energy < best.energy) best = { way, energy };
    }
    if (!best || best.energy > worst.energy * (1 - worthwhile)) break;
    const way = best.way.map((v) => worst.piece.from[v]);
    const made = cutStraight(now, way, worst.piece, snap);
    now = made.cut;
    const before = Number.isFinite(worst.energy) ? Math.sqrt(worst.energy / 2) : null;
    out.push({ from: made.from, to: made.to, length: made.length, before, after: Math.sqrt(best.energy / 2) });
  }
  return { cut: now, cuts: out };
}

/** Cuts from the first to the last vertex of a way, straight: to the nearest border, or right to the end where two borders are joined or there is none. */
function cutStraight(now: CutMesh, way: readonly number[], piece: Piece, snap: ExactSnap | null): ReturnType<typeof cutAlong> {
  const p = now.mesh.positions;
  const place = (v: number): Vec3 => [p[v * 3], p[v * 3 + 1], p[v * 3 + 2]];
  const rings = piece.loops.length > 1;
  // A cut from one border of a cylinder or cone to the other runs along its straight lines.
  const ruling = rings && snap ? snap.rulingOf(piece.face[0]) : null;
  const whole = rings || piece.loops.length === 0;
  return cutAlong(now, { from: place(way[0]), to: whole ? place(way[way.length - 1]) : null }, snap, ruling);
}
