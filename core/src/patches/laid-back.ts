import { areaOfContour, boxOfContour, type Contour, type Drawing } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { distance, type P2 } from '../curves/segment.ts';
import { edgesOf, openEdge } from '../geometry/edges.ts';
import type { Vec3 } from '../geometry/vector.ts';
import type { Patch, PatchPiece, PatchSeam } from './patch.ts';
import type { Run } from './pieces.ts';
import { closesSmoothly, controls, smoothParts, tangents } from './smooth.ts';

/** Chords of what arrived lie this near to it, mm: lengths are right within a millionth then. */
export const chord = 1e-4;
/** A contour whose box lies farther than this from that of a piece's border is another one, mm. */
const elsewhere = 2;

/** What a received drawing is, laid back onto the surface that it was spread from. */
export interface LaidBack {
  /** Largest distance of a received point, laid back, from the border of the surface, mm. Infinity when a border has not arrived. */
  distance: number;
  /** Largest distance of a point of the flat's border from what arrived, mm. */
  missed: number;
  /** How far smooth ways lie off the chords between points of the border, on the surface and on the flat: what facets leave open, mm. */
  sag: number;
  /** Seams: lengths of both sides as they arrived, and on the surface. */
  seams: { name: string; surface: number; sides: number[] }[];
  /** Stretch along the border, least and largest, by lengths that arrived over lengths on the surface. */
  border: [number, number];
  /** Largest and least principal stretch of the pieces. */
  stated: [number, number];
  /** Area of the pieces on the flat by their facets, and as it arrived; mm2. */
  area: { facets: number; received: number };
  /** Lengths of all borders, and their shortest edge, mm. */
  length: number;
  shortest: number;
}

/** A ring of points with lengths along it. */
interface Ring {
  points: P2[];
  along: Float64Array;
}

function ringOf(contour: Contour): Ring {
  const points = flattened(contour.segments, chord) as P2[];
  const last = points[points.length - 1];
  if (distance(points[0], last) > 1e-9) points.push(points[0]);
  const along = new Float64Array(points.length);
  for (let i = 1; i < points.length; i++) along[i] = along[i - 1] + distance(points[i - 1], points[i]);
  return { points, along };
}

/** The nearest place of a ring: how far, and how far along. `near`: a point index from which it is looked for first. */
function nearestOn({ points, along }: Ring, p: P2): { off: number; at: number } {
  let best = Infinity;
  let where = 0;
  for (let i = 0; i + 1 < points.length; i++) {
    const [a, b] = [points[i], points[i + 1]];
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    const l = dx * dx + dy * dy;
    const t = l > 0 ? Math.max(0, Math.min(1, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / l)) : 0;
    const d = Math.hypot(a[0] + t * dx - p[0], a[1] + t * dy - p[1]);
    if (d < best) {
      best = d;
      where = along[i] + t * Math.sqrt(l);
    }
  }
  return { off: best, at: where };
}

const flatAt = (piece: PatchPiece, v: number): P2 => [piece.flat[2 * v], piece.flat[2 * v + 1]];
const surfaceAt = (piece: PatchPiece, v: number): Vec3 => [piece.surface[3 * v], piece.surface[3 * v + 1], piece.surface[3 * v + 2]];
const verticesOf = (loop: readonly Run[]): number[] => loop.flatMap((r) => r.vertices.slice(0, -1));

/** The closed contour among those that arrived that lies where a border should; null when none does. */
function arrivedFor(
  piece: PatchPiece,
  loop: readonly Run[],
  rings: readonly { box: readonly number[]; ring: Ring; area: number }[],
): { ring: Ring; area: number } | null {
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  const vertices = verticesOf(loop);
  for (const v of vertices) {
    const [x, y] = flatAt(piece, v);
    box[0] = Math.min(box[0], x);
    box[1] = Math.min(box[1], y);
    box[2] = Math.max(box[2], x);
    box[3] = Math.max(box[3], y);
  }
  let found: { ring: Ring; area: number } | null = null;
  let least = Infinity;
  for (const it of rings) {
    if (it.box.some((v, k) => Math.abs(v - box[k]) > elsewhere)) continue;
    // A few points tell which one it is; all are held to it afterwards.
    let off = 0;
    for (let k = 0; k < 12; k++) off = Math.max(off, nearestOn(it.ring, flatAt(piece, vertices[Math.floor((k * vertices.length) / 12)])).off);
    if (off < least) {
      least = off;
      found = it;
    }
  }
  return found;
}

/**
 * Lays every received point of the borders back onto the surface: by the facet beside the nearest edge of the flat's border, whose corners are
 * known on both; and holds it to the smooth way through the border's points on the surface.
 * @param received the drawing as it arrived, where the patch's own drawing lies
 */
export function laidBack(patch: Patch, received: Drawing): LaidBack {
  const rings = received.layers.flatMap((l) =>
    l.contours.filter((c) => c.closed).map((c) => ({ box: boxOfContour(c), ring: ringOf(c), area: Math.abs(areaOfContour(c)) })),
  );
  const out: LaidBack = {
    distance: 0,
    missed: 0,
    sag: 0,
    seams: [],
    border: [Infinity, 0],
    stated: [Infinity, 0],
    area: { facets: 0, received: 0 },
    length: 0,
    shortest: Infinity,
  };
  const found: ({ ring: Ring; area: number } | null)[][] = patch.pieces.map((piece) => piece.loops.map((loop) => arrivedFor(piece, loop, rings)));
  patch.pieces.forEach((piece, p) => {
    const { stretch } = piece;
    out.stated = [Math.min(out.stated[0], stretch.least), Math.max(out.stated[1], stretch.largest)];
    out.area.facets += facetArea(piece);
    const outer = Math.max(...found[p].map((f) => f?.area ?? 0));
    for (const f of found[p]) out.area.received += f ? (f.area === outer ? f.area : -f.area) : 0;
    piece.loops.forEach((loop, l) => {
      const it = found[p][l];
      if (!it) {
        out.distance = out.missed = Infinity;
        return;
      }
      holdBorder(piece, loop, it.ring, out);
    });
  });
  for (const seam of patch.seams) out.seams.push(receivedSeam(seam, patch, found));
  return out;
}

function facetArea({ flat, triangles }: PatchPiece): number {
  let twice = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [triangles[t] * 2, triangles[t + 1] * 2, triangles[t + 2] * 2];
    twice += (flat[b] - flat[a]) * (flat[c + 1] - flat[a + 1]) - (flat[b + 1] - flat[a + 1]) * (flat[c] - flat[a]);
  }
  return twice / 2;
}

/** Edges of a piece's border, each with the corner of its facet that lies across. */
function borderEdges(piece: PatchPiece): Map<number, number> {
  const t = Uint32Array.from(piece.triangles);
  const n = piece.surface.length / 3;
  const { across } = edgesOf(t, n);
  const tips = new Map<number, number>();
  for (let c = 0; c < t.length; c++) if (across[c] === openEdge) tips.set(t[c], t[c % 3 === 0 ? c + 2 : c - 1]);
  return tips;
}

function holdBorder(piece: PatchPiece, loop: readonly Run[], ring: Ring, out: LaidBack): void {
  const vertices = verticesOf(loop);
  const n = vertices.length;
  const flat = vertices.map((v) => flatAt(piece, v));
  const tips = borderEdges(piece);
  out.length += ring.along[ring.along.length - 1];
  const curve3 = smoothPoints(loop, piece, 3);
  const curve2 = smoothPoints(loop, piece, 2);
  out.sag = Math.max(out.sag, curve3.sag, curve2.sag);
  for (const p of flat) out.missed = Math.max(out.missed, nearestOn(ring, p).off);
  for (let i = 0; i < n; i++) {
    const [a, b] = [nearestOn(ring, flat[i]).at, nearestOn(ring, flat[(i + 1) % n]).at];
    const whole = ring.along[ring.along.length - 1];
    const arrived = Math.min(Math.abs(b - a), whole - Math.abs(b - a));
    const s = arrived / curve3.lengths[i];
    out.shortest = Math.min(out.shortest, curve3.lengths[i]);
    out.border = [Math.min(out.border[0], s), Math.max(out.border[1], s)];
  }
  // The ring goes once round: so the nearest edge is looked for round the one before.
  let near = 0;
  const edgeOff = (i: number, q: P2) => {
    const [a, b] = [flat[i], flat[(i + 1) % n]];
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    const l = dx * dx + dy * dy;
    const t = Math.max(0, Math.min(1, ((q[0] - a[0]) * dx + (q[1] - a[1]) * dy) / l));
    return Math.hypot(a[0] + t * dx - q[0], a[1] + t * dy - q[1]);
  };
  const whole = ring.along[ring.along.length - 1];
  const steps = Math.min(20_000, Math.max(3 * n, Math.ceil(whole / 2)));
  let k = 0;
  for (let step = 0; step < steps; step++) {
    const s = (step / steps) * whole;
    while (ring.along[k + 1] < s) k++;
    const t = (s - ring.along[k]) / (ring.along[k + 1] - ring.along[k] || 1);
    const q: P2 = [ring.points[k][0] + t * (ring.points[k + 1][0] - ring.points[k][0]), ring.points[k][1] + t * (ring.points[k + 1][1] - ring.points[k][1])];
    if (step === 0) for (let i = 1; i < n; i++) if (edgeOff(i, q) < edgeOff(near, q)) near = i;
    for (let moved = true, guard = 0; moved && guard < n; guard++) {
      moved = false;
      for (const d of [1, n - 1, 2, n - 2]) {
        const i = (near + d) % n;
        if (edgeOff(i, q) < edgeOff(near, q) - 1e-12) {
          near = i;
          moved = true;
          break;
        }
      }
    }
    const [a, b] = [vertices[near], vertices[(near + 1) % n]];
    const back = byFacet(piece, [a, b, tips.get(a) ?? tips.get(b) ?? a], q);
    out.distance = Math.max(out.distance, offWay(curve3, near, n, back));
  }
}

/** A point of the flat on the surface, by the map of one facet. */
function byFacet(piece: PatchPiece, [a, b, c]: [number, number, number], q: P2): Vec3 {
  const [A, B, C] = [flatAt(piece, a), flatAt(piece, b), flatAt(piece, c)];
  const d = (B[0] - A[0]) * (C[1] - A[1]) - (B[1] - A[1]) * (C[0] - A[0]);
  const u = ((q[0] - A[0]) * (C[1] - A[1]) - (q[1] - A[1]) * (C[0] - A[0])) / d;
  const v = ((B[0] - A[0]) * (q[1] - A[1]) - (B[1] - A[1]) * (q[0] - A[0])) / d;
  const [x, y, z] = [surfaceAt(piece, a), surfaceAt(piece, b), surfaceAt(piece, c)];
  return [0, 1, 2].map((k) => x[k] + u * (y[k] - x[k]) + v * (z[k] - x[k])) as Vec3;
}

/** Smooth ways through a border's points, in short chords: where those of each edge begin, and how far they lie off the edges. */
function smoothPoints(loop: readonly Run[], piece: PatchPiece, d: 2 | 3): { points: number[][]; starts: number[]; lengths: number[]; sag: number } {
  const from = d === 2 ? piece.flat : piece.surface;
  const points: number[][] = [];
  const starts: number[] = [];
  const lengths: number[] = [];
  let sag = 0;
  const chords = 8;
  for (const run of loop) {
    const all = run.vertices.map((v) => from.slice(v * d, v * d + d));
    const parts = smoothParts(all);
    const ring = run.vertices[0] === run.vertices[run.vertices.length - 1] && parts.length === 1 && closesSmoothly(all);
    for (const part of parts) {
      const own = part.map((i) => all[i]);
      const slopes = tangents(own, ring);
      for (let i = 0; i + 1 < own.length; i++) {
        const [p, q] = [own[i], own[i + 1]];
        const [b, c] = controls(own, slopes, i);
        starts.push(points.length);
        let length = 0;
        let before = p;
        for (let k = 0; k <= chords; k++) {
          const t = k / chords;
          const s = 1 - t;
          const at = p.map((v, x) => s * s * s * v + 3 * s * s * t * b[x] + 3 * s * t * t * c[x] + t * t * t * q[x]);
          sag = Math.max(sag, Math.hypot(...at.map((v, x) => v - (p[x] + t * (q[x] - p[x])))));
          length += Math.hypot(...at.map((v, x) => v - before[x]));
          before = at;
          if (k < chords) points.push(at);
        }
        lengths.push(length);
      }
    }
  }
  starts.push(points.length);
  return { points, starts, lengths, sag };
}

/** How far a point lies from the smooth way near one of its edges. */
function offWay({ points, starts }: { points: readonly number[][]; starts: readonly number[] }, edge: number, edges: number, p: Vec3): number {
  let best = Infinity;
  const m = points.length;
  const from = starts[(edge + edges - 1) % edges];
  const count = starts[edge + 1] - starts[edge] + 16;
  for (let k = 0; k < count; k++) {
    const [a, b] = [points[(from + k) % m], points[(from + k + 1) % m]];
    let [l, along] = [0, 0];
    for (let d = 0; d < 3; d++) {
      l += (b[d] - a[d]) ** 2;
      along += (p[d] - a[d]) * (b[d] - a[d]);
    }
    const t = l > 0 ? Math.max(0, Math.min(1, along / l)) : 0;
    best = Math.min(best, Math.hypot(p[0] - a[0] - t * (b[0] - a[0]), p[1] - a[1] - t * (b[1] - a[1]), p[2] - a[2] - t * (b[2] - a[2])));
  }
  return best;
}

/** Both sides of a seam as long as they arrived: between the places nearest to the ends of its run. */
function receivedSeam(seam: PatchSeam, patch: Patch, found: ({ ring: Ring } | null)[][]): LaidBack['seams'][number] {
  const sides = seam.sides.map(({ piece: p, loop: l, run: r }) => {
    const it = found[p][l];
    if (!it) return Infinity;
    const piece = patch.pieces[p];
    const run = piece.loops[l][r];
    const { ring } = it;
    const whole = ring.along[ring.along.length - 1];
    const [first, last] = [run.vertices[0], run.vertices[run.vertices.length - 1]];
    if (first === last) return whole;
    // The middle tells which way round the run goes.
    const [a, m, b] = [first, run.vertices[run.vertices.length >> 1], last].map((v) => nearestOn(ring, flatAt(piece, v)).at);
    const on = (x: number, y: number) => (((y - x) % whole) + whole) % whole;
    const forward = run.vertices.length > 2 ? on(a, m) <= on(a, b) : on(a, b) <= whole / 2;
    return forward ? on(a, b) : on(b, a);
  });
  return { name: seam.name, surface: seam.length, sides };
}
