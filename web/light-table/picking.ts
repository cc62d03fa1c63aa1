import { Vector3, type Matrix4, type Vector2 } from 'three';

/** What was hit under the pointer. `point` in the part's own coordinates. */
export interface Pick {
  point: [number, number, number];
  triangle: number;
  /** The end of an edge, or the edge itself, when one is near on the screen. */
  vertex: boolean;
  edge: [[number, number, number], [number, number, number]] | null;
}

/** How near the pointer has to come, px. */
const reach = 9;
/** Edges of more numbers than this are not looked through at a click. */
const mostEdges = 600_000;

/** An edge is hidden when it lies this much farther back than the surface under the pointer, px: near a rim a surface may slope away steeply. */
export const hiddenBy = 40;

/** The picture that is pointed at. */
interface Picture {
  clientWidth: number;
  clientHeight: number;
  /** Depth, -1 to 1, beyond which an edge is hidden; absent where nothing hides any. */
  behind?: number;
  /** Whether a place of the part is shown: a section cuts others away. */
  shown?: (place: [number, number, number]) => boolean;
}

/**
 * The edge within reach of a point of the screen that can be seen, its end when that is as near.
 * @param edges pairs of points of the part @param matrix from those to the screen, -1 to 1 @param at the pointer, -1 to 1
 */
export function nearEdge(
  edges: Float32Array,
  matrix: Matrix4,
  at: Vector2,
  { clientWidth: w, clientHeight: h, behind = Infinity, shown }: Picture,
): Omit<Pick, 'triangle'> | null {
  if (edges.length > mostEdges) return null;
  const a = new Vector3();
  const b = new Vector3();
  let best: Omit<Pick, 'triangle'> | null = null;
  let nearest = reach;
  let front = Infinity;
  for (let i = 0; i < edges.length; i += 6) {
    a.fromArray(edges, i).applyMatrix4(matrix);
    b.fromArray(edges, i + 3).applyMatrix4(matrix);
    const [ax, ay, bx, by] = [(a.x - at.x) * w * 0.5, (a.y - at.y) * h * 0.5, (b.x - at.x) * w * 0.5, (b.y - at.y) * h * 0.5];
    const [dx, dy] = [bx - ax, by - ay];
    const t = Math.min(1, Math.max(0, -(ax * dx + ay * dy) / Math.max(1e-9, dx * dx + dy * dy)));
    const d = Math.hypot(ax + t * dx, ay + t * dy);
    const z = a.z + t * (b.z - a.z);
    if (z > behind || d > nearest + 0.5 || (d > nearest - 0.5 && z > front)) continue;
    const p = [0, 1, 2].map((k) => edges[i + k]) as [number, number, number];
    const q = [0, 1, 2].map((k) => edges[i + 3 + k]) as [number, number, number];
    const on = [0, 1, 2].map((k) => p[k] + t * (q[k] - p[k])) as [number, number, number];
    if (shown && !shown(on)) continue;
    nearest = d;
    front = z;
    const end = Math.hypot(ax, ay) < reach ? p : Math.hypot(bx, by) < reach ? q : null;
    best = { point: end ?? on, vertex: end !== null, edge: [p, q] };
  }
  return best;
}
