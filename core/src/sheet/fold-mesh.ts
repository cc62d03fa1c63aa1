import type { CrossSection } from 'manifold-3d';
import { areaOfContour, contoursOf, type Contour, type Drawing } from '../curves/drawing.ts';
import { areaOf } from '../curves/offset.ts';
import { distance, type P2 } from '../curves/segment.ts';
import type { Engine } from '../engine/engine.ts';
import { Folded } from './fold.ts';
import type { PatternPatch } from './pattern.ts';

/** A flat pattern cut into pieces that can be folded to any share. Lengths in mm. */
export interface FoldMesh {
  /** Where each vertex lies on the flat, xy, how high over the up side, and on which patch. */
  flat: Float64Array;
  heights: Float64Array;
  patch: Uint32Array;
  triangles: Uint32Array;
  /** Pairs of vertices: the border on both sides, and the bend zone edges. */
  edges: Uint32Array;
}

/** A bend is drawn in strips of this angle, rad. */
const step = Math.PI / 18;
const fine = 0.03;

/** Cuts a flat into walls and strips of bends, with both sides and the cut edges. @throws RangeError when the drawing is no flat pattern. */
export function foldMesh(engine: Engine, drawing: Drawing): FoldMesh {
  const { pattern } = drawing;
  if (!pattern) throw new RangeError('the drawing is no flat pattern');
  const flat: number[] = [];
  const heights: number[] = [];
  const patch: number[] = [];
  const triangles: number[] = [];
  const sides = new Map<string, { a: number; b: number; down: number; count: number }>();
  const cut = areaOf(
    engine,
    contoursOf(drawing).filter((c) => c.meaning === 'cut' || c.meaning === 'hole'),
    fine,
  );
  const add = (polygons: P2[][], index: number) => {
    if (polygons.length === 0) return;
    const first = heights.length;
    const count = polygons.reduce((n, p) => n + p.length, 0);
    for (const height of [0, -pattern.thickness])
      for (const polygon of polygons)
        for (const [x, y] of polygon) {
          flat.push(x, y);
          heights.push(height);
          patch.push(index);
        }
    for (const [a, b, c] of engine.triangulate(polygons, 1e-9)) {
      triangles.push(first + a, first + b, first + c, first + count + a, first + count + c, first + count + b);
    }
    let at = first;
    for (const polygon of polygons) {
      polygon.forEach((p, i) => {
        const q = polygon[(i + 1) % polygon.length];
        const keys = [p, q].map((v) => `${v[0].toFixed(4)} ${v[1].toFixed(4)}`).sort();
        const key = keys.join('/');
        const known = sides.get(key);
        if (known) known.count++;
        else sides.set(key, { a: at + i, b: at + ((i + 1) % polygon.length), down: count, count: 1 });
      });
      at += polygon.length;
    }
  };
  try {
    pattern.patches.forEach((p, i) => {
      for (const outline of outlinesOf(p)) {
        const area = areaOf(engine, [outline], fine);
        const own = area.intersect(cut);
        for (const piece of stripsOf(engine, own, p)) add(piece, i);
        area.delete();
        own.delete();
      }
    });
  } finally {
    cut.delete();
  }
  const edges: number[] = [];
  for (const side of sides.values()) {
    // What two pieces share is no border.
    if (side.count > 1) continue;
    const { a, b, down } = side;
    triangles.push(a, a + down, b, b, a + down, b + down);
    edges.push(a, b, a + down, b + down);
  }
  return {
    flat: Float64Array.from(flat),
    heights: Float64Array.from(heights),
    patch: Uint32Array.from(patch),
    triangles: Uint32Array.from(triangles),
    edges: Uint32Array.from(edges),
  };
}

/** Borders without what lies inside them: holes come from the flat itself, features that were healed are whole. */
function outlinesOf(p: PatternPatch): Contour[] {
  if (p.strips) return p.region;
  const widest = p.region.reduce((a, b) => (Math.abs(areaOfContour(b)) > Math.abs(areaOfContour(a)) ? b : a));
  return [widest];
}

function stripsOf(engine: Engine, own: CrossSection, p: PatternPatch): P2[][][] {
  if (p.kind === 'wall' || !p.hinge) return [own.toPolygons() as P2[][]];
  const out: P2[][][] = [];
  const take = (polygon: P2[]) => {
    const strip = engine.CrossSection.ofPolygons([polygon], 'NonZero');
    const piece = own.intersect(strip);
    const polygons = piece.toPolygons() as P2[][];
    if (polygons.length > 0) out.push(polygons);
    strip.delete();
    piece.delete();
  };
  const [a, b] = p.hinge;
  const size = distance(a, b);
  const e: P2 = [(b[0] - a[0]) / size, (b[1] - a[1]) / size];
  const box = own.bounds();
  const reach = Math.hypot(box.max[0] - box.min[0], box.max[1] - box.min[1]) + size;
  if (p.cone) {
    const { apex, sweep, half } = p.cone;
    const far = distance(apex, b) > distance(apex, a) ? b : a;
    const start = Math.atan2(far[1] - apex[1], far[0] - apex[0]);
    const turn = (far === b ? 1 : -1) * sweep * Math.sin(half);
    const n = Math.max(1, Math.ceil(sweep / step));
    const long = (reach + distance(apex, far)) * 2;
    for (let i = 0; i < n; i++) {
      const [u, v] = [i, i + 1].map((k): P2 => {
        const angle = start + (turn * k) / n;
        return [apex[0] + long * Math.cos(angle), apex[1] + long * Math.sin(angle)];
      });
      take(turn > 0 ? [apex, u, v] : [apex, v, u]);
    }
    return out;
  }
  const { angle, width } = p.bend!;
  const n = Math.max(1, Math.ceil(angle / step));
  const place = (along: number, away: number): P2 => [a[0] + e[0] * along - e[1] * away, a[1] + e[1] * along + e[0] * away];
  for (let i = 0; i < n; i++) {
    // The first and last strip reach a little over, so that rounding leaves nothing out.
    const low = i === 0 ? -1e-6 : (i * width) / n;
    const high = i === n - 1 ? width + 1e-6 : ((i + 1) * width) / n;
    take([place(-reach, low), place(reach + size, low), place(reach + size, high), place(-reach, high)]);
  }
  return out;
}

/** Positions (xyz) of a fold mesh, folded to a share from 0 (flat) to 1, in the design's place; `scale` divides them. */
export function foldedPositions(mesh: FoldMesh, drawing: Drawing, share: number, scale = 1): Float32Array {
  const folded = new Folded(drawing.pattern!, Math.max(0, Math.min(1, share)));
  const out = new Float32Array(mesh.heights.length * 3);
  for (let i = 0; i < mesh.heights.length; i++) {
    const p = folded.at(mesh.patch[i], [mesh.flat[i * 2], mesh.flat[i * 2 + 1]], mesh.heights[i]);
    out[i * 3] = p[0] / scale;
    out[i * 3 + 1] = p[1] / scale;
    out[i * 3 + 2] = p[2] / scale;
  }
  return out;
}
