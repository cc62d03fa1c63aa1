import type { CrossSection, Manifold } from 'manifold-3d';
import { Unusable } from '../base/finding.ts';
import type { P2 } from '../curves/segment.ts';
import type { Engine, Keep } from '../engine/engine.ts';

/** Walls lean at most this much, rad. */
export const mostDraft = (60 * Math.PI) / 180;

/** Inner corners stay sharp up to this many offsets away from the corner; beyond, they are cut square at one offset. Common practice. */
const sharpLimit = 3;
/** What a section of the solid may differ from the outline's offset: this share of its reach (single precision of the mesh) along the whole rim. */
const sectionShare = 2e-6;
/** How far wedges reach above and below, as a share of the height. */
const overShare = 0.01;
/** Nearer to the walls than this share of the reach, places are the same in single precision. */
const leastOut = 4e-6;
/** Pieces of less than this share of the volume are crumbs: a thousandth of a letter's serif is more. */
const crumbShare = 1e-8;
/** Places of single precision are apart by at least about this share of the reach. */
export const samePlace = 1e-6;
/** Edges of one drafted area at most: each is a wedge of its own. */
const mostEdges = 20_000;

type P3 = [number, number, number];

/**
 * A flat area raised to a height, its walls leaning inward: at height z it is the area less what lies nearer than z * tan(draft) to its edge,
 * inner corners kept sharp. Made as the straight solid less one wedge for each edge; two sections of it are held against the outline
 * offset by the polygon engine, which is another way to the same.
 * @param how.draft rad from upright, 0 to 60 degrees @param how.below how far it goes on upright below z = 0
 * @throws Unusable when strokes are so thin or so near each other that the walls of one cut into another.
 * @example drafted(engine, keep, letters, { height: 3, draft: (5 * Math.PI) / 180 })
 */
export function drafted(
  engine: Engine,
  keep: Keep,
  area: CrossSection,
  { height, draft, below = 0 }: { height: number; draft: number; below?: number },
): Manifold {
  if (!(draft >= 0 && draft <= mostDraft))
    throw new Unusable('bad-draft', `Walls lean by 0 to ${Math.round((mostDraft * 180) / Math.PI)} degrees.`, 'Type a smaller angle.');
  const straight = below > 0 ? keep(keep(area.extrude(height + below)).translate([0, 0, -below])) : keep(area.extrude(height));
  if (draft === 0) return straight;
  const inset = height * Math.tan(draft);
  if (area.numVert() > mostEdges)
    throw new Unusable(
      'too-many-edges',
      `The outline has ${area.numVert().toLocaleString('en')} edges; walls of at most ${mostEdges.toLocaleString('en')} can lean.`,
      'Raise a part of it, or type a larger deviation.',
    );
  const { min, max } = area.bounds();
  const reach = Math.max(max[0] - min[0], max[1] - min[1], ...min.map(Math.abs), ...max.map(Math.abs));
  const slope = Math.tan(draft);
  const how: Wedging = { height, slope, over: Math.max(height * overShare, (leastOut * reach) / slope) };
  const wedges: Manifold[] = [];
  for (const ring of area.toPolygons()) wedgesOf(ring as P2[], how, (points) => wedges.push(keep(engine.Manifold.hull(points))));
  // Files hold single precision: what is nearer than that is one place, or facets would turn over there.
  const cut = keep(keep(straight.subtract(keep(engine.Manifold.union(wedges)))).simplify(reach * samePlace));
  const made = withoutCrumbs(engine, keep, cut);
  const off = reach * sectionShare * rimOf(area);
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

/** Without the hair-thin pieces and pores that rounding leaves where walls of strokes meet that closed up. */
function withoutCrumbs(engine: Engine, keep: Keep, solid: Manifold): Manifold {
  const pieces = solid.decompose().map((piece) => keep(piece));
  const least = crumbShare * solid.volume();
  const whole = pieces.filter((piece) => Math.abs(piece.volume()) > least);
  return whole.length === pieces.length ? solid : keep(engine.Manifold.compose(whole));
}

/** Area of what is left of an outline at an inset. */
const sectionOf = (keep: Keep, area: CrossSection, inset: number): number => keep(area.offset(-inset, 'Miter', sharpLimit)).area();

/**
 * The volume of a drafted area by its sections, which the polygon engine offsets: another way than the solid's own. Simpson's rule over 64 slabs,
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

/** How wedges reach beyond the straight solid, so that none of their faces lies in one of its own: above it, below it, and outward (and on past outer corners). */
interface Wedging {
  height: number;
  /** Inward for each mm of height. */
  slope: number;
  over: number;
}

/** In a section a wedge is a triangle: outside at the top, where the leaning wall ends at the top, and outside at the bottom, where that wall begins. */
const sectionOfWedge = ({ height, slope, over }: Wedging): [inward: number, z: number][] => [
  [-over * slope, height + over],
  [(height + over) * slope, height + over],
  [-over * slope, -over],
];

/** The wedges along a ring whose inside lies to the left: convex, each by its corner points. */
function wedgesOf(ring: readonly P2[], how: Wedging, take: (points: P3[]) => void): void {
  const n = ring.length;
  const along: P2[] = ring.map((p, i) => {
    const q = ring[(i + 1) % n];
    const l = Math.hypot(q[0] - p[0], q[1] - p[1]) || 1;
    return [(q[0] - p[0]) / l, (q[1] - p[1]) / l];
  });
  const section = sectionOfWedge(how);
  const corners = ring.map((p, i) => cornerOf(p, along[(i + n - 1) % n], along[i], section));
  for (let i = 0; i < n; i++) {
    take([...corners[i].next, ...corners[(i + 1) % n].last]);
    if (corners[i].sharp) take(squareFill(ring[i], along[(i + n - 1) % n], along[i], how));
  }
}

/** Ends of the wedges at a corner: of the edge that comes there and of the one that leaves. */
interface Corner {
  last: P3[];
  next: P3[];
  sharp: boolean;
}

/** At an inner corner (a turn to the right) both walls reach on until they meet, in one and the same triangle; at an outer one they overlap. */
function cornerOf([x, y]: P2, u: P2, v: P2, section: readonly [inward: number, z: number][]): Corner {
  const turned = turnOf(u, v);
  const half = Math.max(0, -turned / 2);
  if (turned < 0 && 1 / Math.cos(half) <= sharpLimit) {
    const on = Math.tan(half);
    const both = section.map(([inward, z]): P3 => [x + (u[0] * on - u[1]) * inward, y + (u[1] * on + u[0]) * inward, z]);
    return { last: both, next: both, sharp: false };
  }
  const past = turned < 0 ? 0 : -section[0][0];
  return {
    last: section.map(([inward, z]) => [x - u[1] * inward + u[0] * past, y + u[0] * inward + u[1] * past, z]),
    next: section.map(([inward, z]) => [x - v[1] * inward - v[0] * past, y + v[0] * inward - v[1] * past, z]),
    sharp: turned < 0,
  };
}

const turnOf = (u: P2, v: P2): number => Math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]);

/** A sharp inner corner cut square, across at one offset; a little of both edges is taken along, so that it overlaps their wedges. */
function squareFill([x, y]: P2, u: P2, v: P2, { height, slope, over }: Wedging): P3[] {
  const out = over * slope;
  const top = height + over;
  const inward = top * slope;
  const on = inward * Math.tan(-turnOf(u, v) / 4);
  const [p, q]: P2[] = [
    [x - u[1] * inward, y + u[0] * inward],
    [x - v[1] * inward, y + v[0] * inward],
  ];
  const back: P2 = [x - u[0] * out, y - u[1] * out];
  const ahead: P2 = [x + v[0] * out, y + v[1] * out];
  return [
    [x, y, 0], [...back, 0], [...ahead, 0], [...back, top], [...ahead, top],
    [p[0] - u[0] * out, p[1] - u[1] * out, top], [p[0] + u[0] * on, p[1] + u[1] * on, top],
    [q[0] - v[0] * on, q[1] - v[1] * on, top], [q[0] + v[0] * out, q[1] + v[1] * out, top],
  ]; // prettier-ignore
}
