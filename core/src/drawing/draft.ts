import type { CrossSection, Manifold } from 'manifold-3d';
import { Unusable } from '../base/finding.ts';
import type { P2 } from '../curves/segment.ts';
import type { Engine } from '../engine/engine.ts';

/** Walls lean at most this much, rad. */
export const mostDraft = (60 * Math.PI) / 180;

/** Inner corners stay sharp up to this many offsets away from the corner; beyond, they are cut square at one offset. Common practice. */
const sharpLimit = 3;
/** What a section of the solid may differ from the outline's offset: this share of its reach (single precision of the mesh) along the whole rim. */
const sectionShare = 2e-6;
/** Edges of one drafted area at most: each is a wedge of its own. */
const mostEdges = 20_000;

/** Keeps what has to be freed at the end, and gives it back. */
export type Keep = <T extends { delete(): void }>(it: T) => T;

/**
 * A flat area raised to a height, its walls leaning inward: at height z it is the area less what lies nearer than z * tan(draft) to its edge,
 * inner corners kept sharp. Made as the straight solid less one wedge for each edge; two sections of it are held against the outline
 * offset by the polygon engine, which is another way to the same.
 * @param draft rad from upright, 0 to 60 degrees @throws Unusable when strokes are so thin or so near each other that the walls of one cut into another.
 * @example drafted(engine, keep, letters, { height: 3, draft: (5 * Math.PI) / 180 })
 */
export function drafted(engine: Engine, keep: Keep, area: CrossSection, { height, draft }: { height: number; draft: number }): Manifold {
  if (!(draft >= 0 && draft <= mostDraft))
    throw new Unusable('bad-draft', `Walls lean by 0 to ${Math.round((mostDraft * 180) / Math.PI)} degrees.`, 'Type a smaller angle.');
  const straight = keep(area.extrude(height));
  if (draft === 0) return straight;
  const inset = height * Math.tan(draft);
  if (area.numVert() > mostEdges)
    throw new Unusable(
      'too-many-edges',
      `The outline has ${area.numVert().toLocaleString('en')} edges; walls of at most ${mostEdges.toLocaleString('en')} can lean.`,
      'Raise a part of it, or type a larger deviation.',
    );
  const wedges: Manifold[] = [];
  for (const ring of area.toPolygons()) wedgesOf(ring as P2[], { height, inset }, (points) => wedges.push(keep(engine.Manifold.hull(points))));
  const made = keep(straight.subtract(keep(engine.Manifold.union(wedges))));
  const { min, max } = area.bounds();
  const off = Math.max(max[0] - min[0], max[1] - min[1], ...min.map(Math.abs), ...max.map(Math.abs)) * sectionShare * rimOf(area);
  for (const share of [0.5, 0.96]) {
    const found = keep(made.slice(height * share)).area();
    if (Math.abs(found - sectionOf(keep, area, inset * share)) > off)
      throw new Unusable(
        'draft-too-steep',
        `At ${((draft * 180) / Math.PI).toFixed(1)} degrees the walls lean in by ${inset.toFixed(3)} mm, and some strokes are so thin and so near each other that one would cut into another.`,
        'Choose a smaller angle, a lower height, or bolder letters.',
      );
  }
  return made;
}

/** Area of what is left of an outline at an inset. */
const sectionOf = (keep: Keep, area: CrossSection, inset: number): number => keep(area.offset(-inset, 'Miter', sharpLimit)).area();

/**
 * The volume of a drafted area by its sections, which the polygon engine offsets: another way than the solid's own. Simpson's rule over 32 slabs,
 * right but for where strokes close up between two of them.
 */
export function volumeBySections(keep: Keep, area: CrossSection, { height, draft }: { height: number; draft: number }): number {
  if (draft === 0) return area.area() * height;
  const slabs = 64;
  let sum = 0;
  for (let k = 0; k <= slabs; k++)
    sum += (k === 0 || k === slabs ? 1 : k % 2 === 1 ? 4 : 2) * (k === 0 ? area.area() : sectionOf(keep, area, (height * Math.tan(draft) * k) / slabs));
  return (sum * height) / (3 * slabs);
}

function rimOf(area: CrossSection): number {
  let sum = 0;
  for (const ring of area.toPolygons())
    for (let i = 0, j = ring.length - 1; i < ring.length; j = i++) sum += Math.hypot(ring[i][0] - ring[j][0], ring[i][1] - ring[j][1]);
  return sum;
}

/** What an edge's wedge ends with: how far its inset end reaches on along the edge, and what fills the rest of an inner corner. */
interface Corner {
  on: number;
  fill: P2[] | null;
}

/** The wedges along a ring whose inside lies to the left: convex, each by its corner points. */
function wedgesOf(ring: readonly P2[], { height, inset }: { height: number; inset: number }, take: (points: [number, number, number][]) => void): void {
  const n = ring.length;
  const along: P2[] = ring.map((p, i) => {
    const q = ring[(i + 1) % n];
    const l = Math.hypot(q[0] - p[0], q[1] - p[1]) || 1;
    return [(q[0] - p[0]) / l, (q[1] - p[1]) / l];
  });
  const corners = ring.map((p, i) => cornerOf(p, along[(i + n - 1) % n], along[i], inset));
  for (let i = 0; i < n; i++) {
    const [a, b, u] = [ring[i], ring[(i + 1) % n], along[i]];
    const [from, to] = [corners[i].on, corners[(i + 1) % n].on];
    take([
      [a[0], a[1], 0],
      [b[0], b[1], 0],
      [a[0], a[1], height],
      [b[0], b[1], height],
      [a[0] - u[1] * inset - u[0] * from, a[1] + u[0] * inset - u[1] * from, height],
      [b[0] - u[1] * inset + u[0] * to, b[1] + u[0] * inset + u[1] * to, height],
    ]);
    const { fill } = corners[i];
    if (fill) take([[a[0], a[1], 0], [a[0], a[1], height], ...fill.map((p): [number, number, number] => [p[0], p[1], height])]);
  }
}

/** At an inner corner (a turn to the right) the walls of both edges reach on until they meet. */
function cornerOf([x, y]: P2, u: P2, v: P2, inset: number): Corner {
  const turned = Math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]);
  if (turned >= 0) return { on: 0, fill: null };
  const half = -turned / 2;
  if (1 / Math.cos(half) <= sharpLimit) return { on: inset * Math.tan(half), fill: null };
  // Square: a line across at one offset.
  const on = inset * Math.tan(half / 2);
  const [p, q]: P2[] = [
    [x - u[1] * inset, y + u[0] * inset],
    [x - v[1] * inset, y + v[0] * inset],
  ];
  return { on: 0, fill: [p, [p[0] + u[0] * on, p[1] + u[1] * on], [q[0] - v[0] * on, q[1] - v[1] * on], q] };
}
