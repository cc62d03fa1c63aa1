import { NotTaken, type Body } from '../body/body.ts';
import { sizeOfBody } from '../body/brep.ts';
import { bodyFigures, openFigures, type BodyFigures } from '../body/figures.ts';
import { openWithin, sewn, turnOver, type LooseFace } from '../body/sew.ts';
import { buildBvh } from '../geometry/bvh/build.ts';
import { windingAt } from '../geometry/bvh/ray.ts';
import { identityRows } from '../geometry/rows.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { ownFacets } from '../kernel/facet-source.ts';
import type { TreeNode } from '../model/design.ts';
import type { ReadChoices } from '../model/choices.ts';
import {
  leftOutFindings,
  looseFindings,
  nameless,
  noSolids,
  rounded,
  sewShares,
  solidsLeftOut,
  type LeftOut,
  type OpenedMesh,
  type OpenedStep,
  type OpenSurface,
  type SolidPart,
} from '../model/opened.ts';
import { colourOfFaces } from './face-colours.ts';
import { curveAt } from '../surfaces/curves.ts';

/** Faces that the file puts together: what they are called. */
export interface Group {
  name: string | null;
}

/** A face of no solid where it stands, mm. */
export interface Loose {
  face: LooseFace;
  colour: string | null;
  group: Group | null;
}

/** What came of loose faces. */
export interface Joined {
  parts: SolidPart[];
  tree: TreeNode[];
  surfaces: OpenSurface[];
  /** How far apart edges were that were sewn, at most, mm. */
  within: number;
  /** Closed shells that are hollows of other ones. */
  hollows: number;
  /** Faces with another colour than what came of them. */
  colours: number;
}

interface SewnBody extends Group {
  body: Body;
  colour: string | null;
  /** What all its faces were put together by; null for none, or several. */
  group: Group | null;
}

/**
 * Sews loose faces to solids and open surfaces: group by group where each group closes so, all together else. Edges are sewn within growing shares of the size
 * until something closes. A closed shell within another one is a hollow of it, unless the file calls the two by different names: two
 * solids can't be in one place.
 * @throws NotTaken where they can't be sewn, or what comes of it does not fit together
 * @example joined(faces).parts.map((part) => part.volume)
 */
export function joined(items: readonly Loose[]): Joined {
  const made = sewnGroups(items);
  const out: Joined = { parts: [], tree: [], surfaces: [], within: made.within, hollows: 0, colours: made.colours };
  for (const { body, name, colour, figures } of withHollows(made.closed.map((one) => ({ ...one, figures: figuresOf(one.body) })))) {
    out.hollows += body.shells.length - 1;
    const called = name ?? nameless;
    const index = out.parts.push({ ...partOf(figures), name: called, path: [called], colour, quantity: 1, places: [identityRows], above: [[]], sewnWithin: made.within }) - 1; // prettier-ignore
    out.tree.push({ name: called, colour, parts: [index], children: [] });
  }
  for (const { body, name } of made.open) out.surfaces.push({ name, ...openFigures(body) });
  return out;
}

/** Loose faces at most, wherever they are shown. */
export const mostLoose = 400_000;

/** What a reader found in a file. */
export interface Found {
  tree: TreeNode[];
  parts: SolidPart[];
  meshes?: OpenedMesh[];
  loose: readonly Loose[];
  /** Solids that were not wanted. */
  solidsLeft: number;
  leftOut: LeftOut;
}

/**
 * What was found as an opened design: loose faces sewn, where surfaces are wanted, and told.
 * @throws NotTaken where there is no shape at all, and as `joined` does
 */
export function openedOf({ tree, parts, meshes = [], loose, solidsLeft, leftOut }: Found, { surfaces: taken }: ReadChoices): OpenedStep {
  if (parts.length + meshes.length + loose.length + solidsLeft === 0) throw new NotTaken('no-solids');
  const made = taken && loose.length > 0 ? joined(loose) : nothing;
  const shapes = [...parts, ...made.parts];
  const findings = [
    ...looseFindings({ faces: loose.length, taken, sewn: made.parts.length, within: made.within, hollows: made.hollows, open: made.surfaces.length }),
    ...solidsLeftOut(solidsLeft),
    ...leftOutFindings({ ...leftOut, colours: (leftOut.colours ?? 0) + made.colours }),
    ...(shapes.length + meshes.length === 0 ? [noSolids(made.surfaces.length > 0)] : []),
  ];
  const nodes = made.tree.map((node) => ({ ...node, parts: node.parts.map((p) => p + parts.length) }));
  return { tree: [...tree, ...nodes], parts: shapes, surfaces: made.surfaces, meshes, findings };
}

const nothing: Joined = { parts: [], tree: [], surfaces: [], within: 0, hollows: 0, colours: 0 };

/** Figures of a solid as a part holds them. */
export const partOf = ({ box, ...figures }: BodyFigures) => {
  const nearest = (corner: readonly number[]) => corner.map(rounded) as [number, number, number];
  return { ...figures, box: { min: nearest(box.min), max: nearest(box.max) } };
};

/** Figures of a closed body whose faces look alike, inwards or outwards. */
function figuresOf(body: Body): BodyFigures {
  try {
    return bodyFigures(body);
  } catch (thrown) {
    if (!(thrown instanceof NotTaken && thrown.why === 'inside-out')) throw thrown;
    for (const face of body.faces) turnOver(face);
    return bodyFigures(body);
  }
}

interface Measured extends SewnBody {
  figures: BodyFigures;
}

/** Bodies at most among which hollows are looked for. */
const mostHollows = 2000;
/** Facets that tell what lies within: a share of the size, and rad. */
const coarse = { deviation: 1e-3, angle: 0.5 };

/** Shells that lie within an odd number of others become hollows of the innermost of those; what lies within a hollow is a solid again. */
function withHollows(bodies: Measured[]): Measured[] {
  if (bodies.length < 2 || bodies.length > mostHollows) return bodies;
  const around = new Map<Measured, Measured[]>(bodies.map((b) => [b, []]));
  for (const outer of bodies) for (const b of heldBy(outer, bodies)) around.get(b)!.push(outer);
  const isHollow = (b: Measured) => around.get(b)!.length % 2 === 1;
  const hollows = new Map<Measured, Measured[]>();
  for (const b of bodies) {
    if (!isHollow(b)) continue;
    const innermost = around.get(b)!.reduce((least, o) => (o.figures.volume < least.figures.volume ? o : least));
    hollows.set(innermost, [...(hollows.get(innermost) ?? []), b]);
  }
  return bodies
    .filter((b) => !isHollow(b))
    .map((outer) => {
      const inner = hollows.get(outer);
      if (!inner) return outer;
      const body = inner.reduce((all, b) => together(all, b.body), outer.body);
      return { ...outer, body, figures: bodyFigures(body) };
    });
}

/** The bodies that lie within one, by its facets; what the file calls by other names are parts of their own. */
function heldBy(outer: Measured, bodies: readonly Measured[]): Measured[] {
  const inner = bodies.filter((b) => b !== outer && (b.group?.name ?? null) === (outer.group?.name ?? null) && boxWithin(b, outer));
  if (inner.length === 0) return [];
  const { min, max } = outer.figures.box;
  const facets = ownFacets(outer.figures.brep, coarse.deviation * Math.hypot(...min.map((x, k) => max[k] - x)), coarse.angle);
  if (!facets) return [];
  const bvh = buildBvh(facets);
  return inner.filter((b) => b.body.points.every((p) => Math.abs(windingAt(bvh, p)) > 0.5));
}

function boxWithin(a: Measured, b: Measured): boolean {
  const [small, large] = [a.figures.box, b.figures.box];
  return [0, 1, 2].every((k) => small.min[k] > large.min[k] && small.max[k] < large.max[k]);
}

/** A body and a hollow of it. */
function together(outer: Body, hollow: Body): Body {
  const [points, edges, faces] = [outer.points.length, outer.edges.length, outer.faces.length];
  for (const face of hollow.faces) turnOver(face);
  return {
    points: [...outer.points, ...hollow.points],
    edges: [...outer.edges, ...hollow.edges.map((e) => ({ ...e, start: e.start + points, end: e.end + points }))],
    faces: [
      ...outer.faces,
      ...hollow.faces.map((f) => ({ ...f, loops: f.loops.map((loop) => loop.map(({ edge, turned }) => ({ edge: edge + edges, turned }))) })),
    ],
    shells: [...outer.shells, ...hollow.shells.map((shell) => shell.map((f) => f + faces))],
    tolerance: Math.max(outer.tolerance, hollow.tolerance),
  };
}

interface SewnBodies {
  closed: SewnBody[];
  open: SewnBody[];
  /** Faces with another colour than what came of them. */
  colours: number;
}

/** Faces sewn group by group as the file puts them; all together where not every group closes so. */
function sewnGroups(items: readonly Loose[]): SewnBodies & { within: number } {
  const size = spanOf(items.map((i) => i.face));
  const groups = new Map<Group | null, Loose[]>();
  for (const item of items) {
    const list = groups.get(item.group);
    if (list) list.push(item);
    else groups.set(item.group, [item]);
  }
  const parted = [...groups.values()];
  const all = [items];
  let open: { parted: readonly (readonly Loose[])[]; within: number } | null = null;
  for (const share of sewShares) {
    const within = share * size;
    const apart = parted.length > 1 ? openEdges(parted, within) : null;
    const one = apart === 0 ? null : openEdges(all, within);
    if (apart === 0 || one === 0) return { ...sewnApart(apart === 0 ? parted : all, within), within };
    // The widest that can be sewn at all, where nothing closes.
    if (one !== null || apart !== null) open = { parted: one === null ? parted : all, within };
  }
  if (!open) throw new NotTaken('not-sewn');
  return { ...sewnApart(open.parted, open.within), within: open.within };
}

/** Edges with one side when groups of faces are sewn each by itself; null where one of them can't be. */
function openEdges(groups: readonly (readonly Loose[])[], within: number): number | null {
  try {
    return groups.reduce((sum, items) => sum + openWithin(items.map((i) => i.face), within), 0); // prettier-ignore
  } catch (thrown) {
    if (!(thrown instanceof NotTaken)) throw thrown;
    return null;
  }
}

/** Groups of faces, each sewn by itself. */
function sewnApart(groups: readonly (readonly Loose[])[], within: number): SewnBodies {
  const out: SewnBodies = { closed: [], open: [], colours: 0 };
  for (const items of groups) {
    const [{ group }] = items;
    const { colour, others } = colourOfFaces(null, items.map((i) => i.colour)); // prettier-ignore
    out.colours += others;
    const made = sewn(items.map((i) => i.face), within); // prettier-ignore
    const common = items.every((i) => i.group === group) ? group : null;
    const alone = made.closed.length + made.open.length === 1;
    const said = { name: (alone && common?.name) || null, colour, group: common };
    out.closed.push(...made.closed.map((body) => ({ body, ...said })));
    out.open.push(...made.open.map((body) => ({ body, ...said })));
  }
  return out;
}

/** Diagonal of the box round the edges of faces, mm. */
function spanOf(faces: readonly LooseFace[]): number {
  const edges = faces.flatMap((f) => f.loops.flat()).map((piece) => ({ ...piece, start: 0, end: 0 }));
  const points = edges.flatMap(({ curve, from, to }): Vec3[] => [curveAt(curve, from, 1).at, curveAt(curve, to, 1).at]);
  return sizeOfBody({ points, edges, faces: [], shells: [], tolerance: 0 });
}
