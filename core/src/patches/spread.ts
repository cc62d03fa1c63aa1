import { Unusable, type Finding } from '../base/finding.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { dot, lengthOf, sub, type Vec3 } from '../geometry/vector.ts';
import type { Kernel } from '../kernel/kernel.ts';
import type { Shape } from '../model/design.ts';
import { scaledBrep } from '../sheet/flatten.ts';
import type { ExactSolid } from '../surfaces/brep-text.ts';
import { drawnPlaces, keptFindings, keptLength, keptWays, offSurface, placesOfArea } from './by-hand.ts';
import type { SpreadChoice } from './choice.ts';
import { areaOf, finestFor } from './area.ts';
import { divided } from './divide.ts';
import type { CutMesh } from './parting.ts';
import { withLines } from './drawn-lines.ts';
import { cutAlong } from './trail.ts';
import { ExactSnap } from './exact.ts';
import { layPiece, middleOf, placesOf, type Laid } from './lay.ts';
import { handlesOf, piecesOf, type Piece, type Seam } from './pieces.ts';
import { proposedCuts } from './propose.ts';
import { closedAll, regionOfMesh, regionOfSolid, type Region } from './region.ts';
import { refined } from './refine.ts';
import type { FacetFigures, KeptEdge, PatchStretch, ProposedCut } from '../model/patch.ts';
import { seamSlack, type SeamSide } from './patch.ts';
import { matrixOf } from './rest.ts';
import { percent, saidStretch } from './said.ts';
import { smoothLengths } from './smooth.ts';

/** Facets that are made when nobody says how fine. */
export const usualFacets = 3000;
/** Of an equilateral triangle of side 1. */
const equilateral = Math.sqrt(3) / 4;
/** More facets than this are not made. */
export const mostFacets = 200_000;
/** Stretch from which a flat wants a look when no limits of a material are given. Common practice, no source. */
const muchStretch = 0.1;

/** Told of each step with its share; throws when the person gave up. */
export type SpreadProgress = (share: number, what: string) => void;

/** A surface laid flat, before it is drawn. */
export interface Spread {
  laid: Laid[];
  stretches: PatchStretch[];
  seams: (Seam & { sides: SeamSide[]; length: number; flat: number[] })[];
  cuts: ProposedCut[];
  /** Edges of the cut surface (see `edgeKey`) that are drawn on the flat. */
  drawn: Set<number>;
  /** Edges of the border that were to keep their length, on the surface and on the flat, mm. */
  kept: KeptEdge[];
  facets: FacetFigures;
  region: Region;
  choice: SpreadChoice;
  findings: Finding[];
}

/**
 * Spreads faces of a solid or a region of a mesh flat, in one piece or several.
 * @param kernel only for solids that our own mesher does not take, or that are not in mm
 * @throws NeedsKernel where it is needed and not there
 * @param scale mm in one number of the shape
 * @throws Unusable in a sentence when it can't be spread
 * @example spreadShape(null, { shape: { kind: 'mesh', mesh }, scale: 1 }, usualSpread).stretches[0].largest
 */
export function spreadShape(
  kernel: Kernel | null,
  { shape, scale }: { shape: Shape; scale: number },
  choice: SpreadChoice,
  progress: SpreadProgress = () => {},
): Spread {
  progress(0.01, 'reading the surface');
  const region = regionFor(kernel, shape, scale, choice);
  const { findings } = region;
  const snap = region.exact ? new ExactSnap(region.exact) : null;
  const area = choice.area ?? null;
  const size = Math.min(facetSize(choice, measureMesh(region.mesh).area), finestFor(area));
  progress(0.05, 'making facets');
  const faceted = region.exact && unrollsByKind(region.exact, region.taken, choice) ? region : refined(region, { size, most: mostFacets, snap });
  if (faceted.face.length >= mostFacets) findings.push(tooFine(size));
  const fine = area ? areaOf(faceted, area, snap) : faceted;
  const deviation = region.exact && snap ? facetDeviation(fine, snap) : 0;
  findings.push(...offSurface(faceted.mesh, placesOfArea(area), size), ...offSurface(fine.mesh, drawnPlaces(choice), size));
  const { it: whole, drawn, cuts } = allCuts(fine, choice, snap, progress);
  const { pieces, seams } = piecesOf(whole);
  const kept = keptWays(whole, choice.keep ?? []);
  for (const piece of pieces) heldFlat(piece);
  const begin = choice.cuts > 0 ? 0.4 : 0.12;
  const weights = pieces.map((p) => p.face.length / whole.face.length);
  let done = 0;
  const laid = pieces.map((piece, i) => {
    const made = layPiece({ ...piece, kept: new Set(kept.flatMap((k) => [...k])) }, choice, region.exact, (share) => progress(begin + (0.95 - begin) * (done + weights[i] * share), `laying piece ${i + 1} of ${pieces.length}`)); // prettier-ignore
    done += weights[i];
    made.flat = turnedToGrain(made, choice.grain);
    return made;
  });
  const sewn = seams.map((seam, i) => measuredSeam(seam, i, laid, whole.mesh));
  const stretches = laid.map((l) => patchStretch(l, choice.grain));
  const edges = kept.map((keys) => keptLength(laid, keys));
  findings.push(...laidFindings(laid, stretches, choice), ...seamFindings(sewn), ...keptFindings(edges));
  return { laid, stretches, seams: sewn, cuts, drawn, kept: edges, facets: { size, count: whole.face.length, deviation }, region, choice, findings };
}

/** The surface with all its cuts, and the edges that are drawn. */
function allCuts(
  fine: Pick<Region, 'mesh' | 'face'>,
  choice: SpreadChoice,
  snap: ExactSnap | null,
  progress: SpreadProgress,
): { it: CutMesh; drawn: Set<number>; cuts: ProposedCut[] } {
  progress(0.1, 'cutting');
  let cut = divided(fine, choice.divide, snap);
  for (const line of choice.lines) cut = cutAlong(cut, line, snap).cut;
  heldOpen(cut, choice);
  let cuts: ProposedCut[] = [];
  if (choice.cuts > 0) ({ cut, cuts } = proposedCuts(cut, choice.cuts, snap, (share) => progress(0.1 + 0.3 * share, 'looking for relief cuts')));
  return { ...withLines(cut, choice.drawn ?? [], snap), cuts };
}

function regionFor(kernel: Kernel | null, shape: Shape, scale: number, choice: SpreadChoice): Region {
  if (shape.kind === 'mesh') {
    const { positions, triangles } = shape.mesh;
    return regionOfMesh({ positions: scale === 1 ? positions : positions.map((v) => v * scale), triangles }, choice);
  }
  const brep = scaledBrep(kernel, shape.brep, scale);
  return regionOfSolid(kernel, brep, choice, (exact, taken, area) =>
    unrollsByKind(exact, taken, choice) ? unrolledFacets : { deflection: facetSize(choice, area) / 40, angle: 0.35 },
  );
}

/** Longest side of a facet: what was asked, or what makes the usual number of them; mm. */
const facetSize = ({ facet }: SpreadChoice, area: number): number => facet ?? Math.sqrt(area / usualFacets / equilateral);

/** Facets of faces that unroll exactly: only the points on their borders count. */
const unrolledFacets = { deflection: 0.002, angle: 0.1 };

/** Faces that unroll by what they are, and are not cut: their flat is not made of facets. */
function unrollsByKind(exact: ExactSolid, taken: Iterable<number>, { divide, cuts, lines, area, drawn = [] }: SpreadChoice): boolean {
  if (divide.by !== 'none' || cuts > 0 || lines.length + drawn.length > 0 || area) return false;
  return [...taken].every((f) => ['plane', 'cylinder', 'cone'].includes(exact.faces[f].surface.kind));
}

const tooFine = (size: number): Finding => ({
  code: 'facets-coarser',
  severity: 'look',
  count: 1,
  message: `Facets of ${Number(size.toPrecision(3))} mm would be more than ${mostFacets.toLocaleString('en')}; they stay coarser.`,
  remedy: 'Ask for larger facets, or take fewer faces.',
});

/** How far middles of triangles lie off their exact faces, mm. */
function facetDeviation({ mesh, face }: Pick<Region, 'mesh' | 'face'>, snap: ExactSnap): number {
  let most = 0;
  for (let k = 0; k < face.length; k++) {
    const middle: Vec3 = [0, 0, 0];
    for (let i = 0; i < 3; i++) for (let d = 0; d < 3; d++) middle[d] += mesh.positions[mesh.triangles[k * 3 + i] * 3 + d] / 3;
    most = Math.max(most, lengthOf(sub(snap.toFace(face[k], middle), middle)));
  }
  return most;
}

/** A surface without any border is laid flat by nobody. */
function heldOpen({ mesh, cut }: CutMesh, choice: SpreadChoice): void {
  if (!closedAll(mesh) || cut.size > 0 || choice.cuts > 0) return;
  throw new Unusable(
    'closed-surface',
    'The surface is closed all round: without a cut it can not be laid flat.',
    'Take some of its faces (--faces), or divide it: --gores 6 or --panels 2.',
  );
}

function heldFlat(piece: Piece): void {
  if (piece.loops.length === 0)
    throw new Unusable(
      'closed-surface',
      'A piece is closed all round: without a cut it can not be laid flat.',
      'Divide it into gores or panels, or draw a cut.',
    );
  const handles = handlesOf(piece);
  if (handles > 0)
    throw new Unusable(
      'handles',
      `The surface has ${handles === 1 ? 'a handle, as a ring has' : `${handles} handles, as rings have`}: it can not be laid flat as it is.`,
      'Divide it into gores or panels, or cut it through each handle.',
    );
}

/** The flat turned so that what stands up on the surface (or runs along X, where it lies level) points along the grain. */
function turnedToGrain({ piece, rest, flat }: Laid, grain: 'x' | 'y'): Float64Array {
  const along = directionOn({ piece, rest, flat });
  const turn = (grain === 'y' ? Math.PI / 2 : 0) - Math.atan2(along[1], along[0]);
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  const out = new Float64Array(flat.length);
  for (let i = 0; i < flat.length; i += 2) {
    out[i] = c * flat[i] - s * flat[i + 1];
    out[i + 1] = s * flat[i] + c * flat[i + 1];
  }
  return out;
}

/** Where Z of the surface points on the flat, as the mean over its area; X for surfaces that lie level. */
function directionOn({ piece: { mesh }, rest, flat }: Pick<Laid, 'piece' | 'rest' | 'flat'>): [number, number] {
  const { positions: p, triangles: t } = mesh;
  const f = new Float64Array(4);
  for (const way of [
    [0, 0, 1],
    [1, 0, 0],
    [0, 1, 0],
  ] as Vec3[]) {
    const sum: [number, number] = [0, 0];
    for (let k = 0; k < rest.areas.length; k++) {
      const at = (i: number): Vec3 => [p[t[k * 3 + i] * 3], p[t[k * 3 + i] * 3 + 1], p[t[k * 3 + i] * 3 + 2]];
      const a = at(0);
      const u = sub(at(1), a);
      const v = sub(at(2), a);
      const x = u.map((q) => q / lengthOf(u)) as Vec3;
      const high = v.map((q, i) => q - dot(v, x) * x[i]) as Vec3;
      const y = high.map((q) => q / lengthOf(high)) as Vec3;
      const [lx, ly] = [dot(way, x), dot(way, y)];
      matrixOf({ rest, triangles: t, flat }, k, f);
      sum[0] += rest.areas[k] * (f[0] * lx + f[1] * ly);
      sum[1] += rest.areas[k] * (f[2] * lx + f[3] * ly);
    }
    if (Math.hypot(...sum) > 0.2 * rest.area) return sum;
  }
  return [1, 0];
}

/** Principal stretches with their places, and what cloth cut so does when it is laid onto the surface. */
function patchStretch(it: Laid, grain: 'x' | 'y'): PatchStretch {
  const { stretch, rest, flat, piece, bound } = it;
  const f = new Float64Array(4);
  let [along, across, shear] = [0, 0, 0];
  for (let k = 0; k < rest.areas.length; k++) {
    matrixOf({ rest, triangles: piece.mesh.triangles, flat }, k, f);
    // From the flat to the surface: the inverse. Its columns are where the flat's X and Y go.
    const d = f[0] * f[3] - f[1] * f[2];
    const [x, y] = [
      [f[3] / d, -f[2] / d],
      [-f[1] / d, f[0] / d],
    ];
    const [lx, ly] = [Math.hypot(...x), Math.hypot(...y)];
    along = Math.max(along, (grain === 'x' ? lx : ly) - 1);
    across = Math.max(across, (grain === 'x' ? ly : lx) - 1);
    shear = Math.max(shear, Math.abs(Math.asin(Math.max(-1, Math.min(1, (x[0] * y[0] + x[1] * y[1]) / (lx * ly))))) * (180 / Math.PI));
  }
  const { largest, least, areaLargest, areaLeast } = stretch;
  // Facets of what unrolls exactly are chords: what they seem to do is nothing.
  if (it.exact) [along, across, shear] = [0, 0, 0];
  return {
    largest,
    least,
    largestAt: middleOf(it, stretch.largestAt),
    leastAt: middleOf(it, stretch.leastAt),
    areaLargest,
    areaLeast,
    bound,
    along,
    across,
    shear,
  };
}

/** A seam with its sides and its lengths. */
function measuredSeam(seam: Seam, number: number, laid: readonly Laid[], mesh: Mesh): Spread['seams'][number] {
  const sides: SeamSide[] = [];
  const flat: number[] = [];
  laid.forEach(({ piece, flat: on }, p) =>
    piece.loops.forEach((loop, l) =>
      loop.forEach((run, r) => {
        if (run.seam !== number) return;
        sides.push({ piece: p, loop: l, run: r });
        flat.push(sum(smoothLengths(placesOf(run, on, 2), run.vertices[0] === run.vertices[run.vertices.length - 1])));
      }),
    ),
  );
  const way = seam.way.map((v) => Array.from(mesh.positions.subarray(v * 3, v * 3 + 3)));
  return { ...seam, sides, flat, length: sum(smoothLengths(way, seam.ring)) };
}

const sum = (list: ArrayLike<number>): number => Array.from(list).reduce((a, b) => a + b, 0);
function laidFindings(laid: readonly Laid[], stretches: readonly PatchStretch[], choice: SpreadChoice): Finding[] {
  const out: Finding[] = [];
  const flipped = laid.reduce((n, l) => n + l.stretch.flipped, 0);
  if (flipped > 0)
    out.push({
      code: 'turned-on-flat',
      severity: 'stop',
      count: flipped,
      message: `${flipped} ${flipped === 1 ? 'facet is' : 'facets are'} turned over on the flat.`,
      remedy: 'Cut the surface there (relief cuts, gores, panels), or mend its needles first.',
    });
  const over = laid.filter(closesOver).length;
  if (over > 0)
    out.push({
      code: 'cut-closes-over',
      severity: 'stop',
      count: over,
      message: `A cut or hole of ${over === 1 ? 'a piece' : `${over} pieces`} closes over itself on the flat: its sides lie on each other.`,
      remedy: 'Let the cut run to the border, or leave it out.',
    });
  const worst = stretches.reduce((a, b) => (Math.log(b.largest / b.least) > Math.log(a.largest / a.least) ? b : a));
  const much = Math.max(worst.largest - 1, 1 - worst.least);
  if (choice.limits) out.push(...limitFindings(stretches, choice.limits));
  else if (much > muchStretch)
    out.push({
      code: 'much-stretch',
      severity: 'look',
      count: 1,
      message: `${saidStretch(worst)} Few materials follow that.`,
      remedy: laid.some((l) => l.piece.loops.length > 1)
        ? 'It goes round like a tube or has a hole: let one relief cut be looked for (--cuts 1), or divide it.'
        : 'Divide it into gores or panels, let relief cuts be looked for, or type what the material bears.',
    });
  const left = laid.filter((l) => l.unfinished).length;
  if (left > 0)
    out.push({
      code: 'not-least',
      severity: 'look',
      count: left,
      message: `${left === 1 ? 'A piece has' : `${left} pieces have`} too many facets, or ${left === 1 ? 'is' : 'are'} bent too much, for the last steps: its worst stretch may be well above the least.`,
      remedy: 'Ask for larger facets, or cut the surface into pieces.',
    });
  return out;
}

/** Whether an inner border of a piece runs the wrong way round on the flat: what should be open lies double. */
function closesOver({ piece, flat }: Laid): boolean {
  const areas = piece.loops.map((loop) => {
    const ring = loop.flatMap((r) => r.vertices.slice(0, -1));
    return ring.reduce((sum, v, i) => {
      const w = ring[(i + 1) % ring.length];
      return sum + (flat[2 * v] * flat[2 * w + 1] - flat[2 * v + 1] * flat[2 * w]) / 2;
    }, 0);
  });
  const outer = Math.max(...areas);
  return areas.some((a) => a !== outer && a > 1e-9 * outer);
}

/** What the material bears against what it would have to do. */
function limitFindings(stretches: readonly PatchStretch[], limits: NonNullable<SpreadChoice['limits']>): Finding[] {
  const most = (key: 'along' | 'across' | 'shear') => Math.max(...stretches.map((s) => s[key]));
  const over = [
    ...(most('along') > limits.along ? [`along the grain by ${percent(most('along'))} where it bears ${percent(limits.along)}`] : []),
    ...(most('across') > limits.across ? [`across the grain by ${percent(most('across'))} where it bears ${percent(limits.across)}`] : []),
  ];
  const sheared = most('shear') > limits.shear ? [`sheared by ${most('shear').toFixed(1)} degrees where it bears ${limits.shear}`] : [];
  if (over.length + sheared.length === 0) return [];
  const words = [...(over.length > 0 ? [`stretched ${over.join(', ')}`] : []), ...sheared].join(' and ');
  return [
    {
      code: 'beyond-material',
      severity: 'look',
      count: 1,
      message: `The material would be ${words}.`,
      remedy: 'Divide it into more pieces, let relief cuts be looked for, or take another material.',
    },
  ];
}

function seamFindings(seams: readonly { flat: number[]; length: number }[]): Finding[] {
  const off = seams.filter(({ flat }) => flat.length === 2 && Math.abs(flat[0] - flat[1]) > seamSlack).length;
  if (off === 0) return [];
  return [
    {
      code: 'seams-differ',
      severity: 'stop',
      count: off,
      message: `The two sides of ${off === 1 ? 'a seam differ' : `${off} seams differ`} by more than ${seamSlack} mm.`,
      remedy: 'Ask for smaller facets, or divide the surface otherwise.',
    },
  ];
}
