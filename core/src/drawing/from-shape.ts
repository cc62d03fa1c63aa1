import Flatbush from 'flatbush';
import type { CrossSection } from 'manifold-3d';
import type { Geometry } from '../model/design.ts';
import { Unusable } from '../base/finding.ts';
import { boxOf, diagonalOf } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Placement } from '../geometry/placement.ts';
import { placed } from '../geometry/placement.ts';
import { frameFor, toManifold, withSolids, type Engine } from '../engine/engine.ts';
import { SolidBuilder } from '../kernel/build.ts';
import { solidFacets } from '../kernel/facet-source.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { faceOutline, kernelCurve, normalOf, sectionOutline, viewOutline, type Frame, type Outline } from '../kernel/outline.ts';
import { chained } from '../curves/chain.ts';
import { contourOf, emptyDrawing, type Contour, type Drawing, type Layer, type Meaning } from '../curves/drawing.ts';
import { fitContour, mergedContour } from '../curves/fit.ts';
import { withoutDoubles } from '../curves/doubles.ts';
import { ordered } from '../curves/mend.ts';
import { isFull, pointAt, startOf, type P2, type Segment } from '../curves/segment.ts';
import { lengthOf } from '../curves/measure.ts';
import { snappedTo } from '../curves/snap.ts';

export type ViewName = 'top' | 'bottom' | 'front' | 'back' | 'left' | 'right';

/** What is drawn of a solid or mesh. Lengths in mm, after size and stance. */
export type ShapeView =
  | { kind: 'view'; view: ViewName; edges: 'silhouette' | 'visible' | 'hidden' }
  | { kind: 'section'; height: number; axis: 'x' | 'y' | 'z' }
  | { kind: 'stack'; pitch: number }
  | { kind: 'face'; face: number };

/** The frames of the six views: X to the right and Y up as one looks at that side. Source: ISO 128-3, views. */
export const viewFrames: Record<ViewName, Frame> = {
  top: { origin: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0] },
  bottom: { origin: [0, 0, 0], x: [1, 0, 0], y: [0, -1, 0] },
  front: { origin: [0, 0, 0], x: [1, 0, 0], y: [0, 0, 1] },
  back: { origin: [0, 0, 0], x: [-1, 0, 0], y: [0, 0, 1] },
  right: { origin: [0, 0, 0], x: [0, 1, 0], y: [0, 0, 1] },
  left: { origin: [0, 0, 0], x: [0, -1, 0], y: [0, 0, 1] },
};

const sectionFrames: Record<'x' | 'y' | 'z', (h: number) => Frame> = {
  z: (h) => ({ ...viewFrames.top, origin: [0, 0, h] }),
  y: (h) => ({ ...viewFrames.front, origin: [0, h, 0] }),
  x: (h) => ({ ...viewFrames.right, origin: [h, 0, 0] }),
};

export interface Drawn {
  drawing: Drawing;
  /** Deviation of arcs and lines that were fitted to facets, measured, mm; 0 when all is exact. */
  deviation: number;
  /** In words, for the person. */
  said: string[];
}

/** Facets that stand for a solid while its silhouette is followed, mm; the result is put back onto exact edges. */
const silhouetteFacets = 0.01;
/** How far arcs that are fitted to a mesh may be off, mm, when nothing else is asked. */
export const meshFit = 0.05;
const mostSections = 500;

/** What a shape is drawn with: the kernel for solids only; arcs are fitted to a mesh within `fit` mm, null for none. */
export interface DrawingTools {
  engine: Engine;
  kernel: Kernel | null;
  fit?: number | null;
}

/**
 * Draws a solid or mesh. Solids give exact lines, arcs and splines from the kernel; meshes give their facets' outline with arcs fitted
 * within `fit` mm (null: none).
 * @throws Unusable when a view is empty, a face not flat, or a mesh not closed.
 */
export function drawShape(geometry: Geometry, placement: Placement, view: ShapeView, { engine, kernel, fit = meshFit }: DrawingTools): Drawn {
  if (geometry.kind === 'drawing') throw new Unusable('already-flat', 'The part is a drawing already.', 'Use it as it is.');
  const drawn =
    geometry.kind === 'solid'
      ? ofSolid(kernel, placedBrep(kernel, geometry.brep, placement), view, engine)
      : ofMesh({ positions: placed(geometry.mesh.positions, placement), triangles: geometry.mesh.triangles }, view, engine, fit);
  if (drawn.drawing.layers.every((l) => l.contours.length === 0)) {
    throw new Unusable('nothing-there', 'There is nothing to draw: the plane or view misses the part.', 'Choose another height or view.');
  }
  return drawn;
}

function placedBrep(kernel: Kernel, brep: string, { rows: m, shift }: Placement): string {
  const identity = m[0] === 1 && m[4] === 1 && m[8] === 1 && shift.every((s) => s === 0);
  if (identity) return brep;
  const b = new SolidBuilder(kernel);
  return b.brep(b.placed(b.fromBrep(brep), [m[0], m[1], m[2], shift[0], m[3], m[4], m[5], shift[1], m[6], m[7], m[8], shift[2]]));
}

const layerOf = (name: string, contours: Contour[], lineType = 'CONTINUOUS', colour: string | null = null): Layer => ({ name, colour, lineType, contours });
/** Edges inside an outline are drawn, not cut. */
const meaning = (layer: Layer, as: Meaning): Layer => ({ ...layer, contours: layer.contours.map((c) => ({ ...c, meaning: as })) });
const drawingOf = (layers: Layer[]): Drawing => ({ ...emptyDrawing(), layers });

/** Single edges as chains: joined where they meet, neighbours in line made one. */
function tidied(contours: Contour[], name: string, tolerance: number): Layer {
  const real = contours.filter((c) => c.segments.some((s) => lengthOf(s) > tolerance * 10));
  const { drawing } = chained(withoutDoubles(drawingOf([layerOf(name, real)]), tolerance).drawing, tolerance * 10);
  return { ...drawing.layers[0], contours: (drawing.layers[0]?.contours ?? []).map((c) => mergedContour(c, kernelCurve)) };
}

const edgeTolerance = 1e-6;

function ofSolid(k: Kernel, brep: string, view: ShapeView, engine: Engine): Drawn {
  const said: string[] = [];
  let near = 0;
  const note = (o: Outline) => {
    if (o.sampled > 0) said.push(`${o.sampled} curves have no exact form and came as short lines.`);
    if (o.near > 0) near = kernelCurve;
  };
  if (view.kind === 'section') {
    const o = sectionOutline(k, brep, sectionFrames[view.axis](view.height));
    note(o);
    return { drawing: ordered(drawingOf([tidied(o.visible, 'section', edgeTolerance)])).drawing, deviation: near, said };
  }
  if (view.kind === 'face') {
    const { outline } = faceOutline(k, brep, view.face);
    note(outline);
    return { drawing: ordered(drawingOf([tidied(outline.visible, 'face', edgeTolerance)])).drawing, deviation: near, said };
  }
  const mesh = solidFacets(brep, silhouetteFacets, 0.1, k);
  if (view.kind === 'stack') {
    const layers = heightsOf(mesh, view.pitch).map((z) => {
      const o = sectionOutline(k, brep, sectionFrames.z(z));
      note(o);
      const layer = tidied(o.visible, `z ${z.toFixed(3)} mm`, edgeTolerance);
      return { ...layer, contours: layer.contours.map((c) => ({ ...c, depth: z })) };
    });
    return { drawing: drawingOf(layers.filter((l) => l.contours.length > 0)), deviation: near, said };
  }
  const o = viewOutline(k, brep, viewFrames[view.view], view.edges === 'hidden');
  note(o);
  const exact = o.visible.flatMap((c) => c.segments);
  const rough = silhouette(engine, mesh, viewFrames[view.view], silhouetteFacets * 2);
  const silhouettes = rough.contours.map((c) => snappedTo(c, exact, silhouetteFacets * 4));
  const drawn = silhouettes.map((c) => c.contour);
  const outer = ordered(drawingOf([layerOf('outline', drawn)])).drawing.layers[0];
  const loose = silhouettes.flatMap((c) => (c.rough === null ? [] : [c.rough]));
  const off = loose.length > 0 ? rough.deviation + silhouetteFacets + Math.max(...loose) : near;
  if (off > near) said.push('Parts of the silhouette have no exact edge; they are within the stated deviation.');
  if (view.edges === 'silhouette') return { drawing: drawingOf([outer]), deviation: off, said };
  // A line is on one layer once: what lies on the outline is the outline, what lies on a seen edge is seen.
  const near2 = Math.max(1e-4, off * 2);
  const inner = notOn(o.visible, outer.contours, near2);
  const layers = [outer, meaning(tidied(inner, 'edges', edgeTolerance), 'score')];
  if (view.edges === 'hidden') {
    const behind = notOn(o.hidden, [...outer.contours, ...layers[1].contours], near2);
    layers.push({ ...meaning(tidied(behind, 'hidden', edgeTolerance), 'label'), lineType: 'DASHED' });
  }
  return { drawing: drawingOf(layers.filter((l) => l.contours.length > 0)), deviation: off, said };
}

/** Places of an edge that are looked at for whether it lies on others. */
const lookedAt = 9;

/** Edges that do not lie on other contours within a tolerance (mm), all along. */
function notOn(edges: readonly Contour[], others: readonly Contour[], tolerance: number): Contour[] {
  const chords: number[] = [];
  for (const c of others)
    for (const s of c.segments) {
      const n = s.kind === 'line' ? 1 : 256;
      let last = startOf(s);
      for (let i = 1; i <= n; i++) {
        const at = pointAt(s, i / n);
        chords.push(last[0], last[1], at[0], at[1]);
        last = at;
      }
    }
  if (chords.length === 0) return [...edges];
  const boxes = new Flatbush(chords.length / 4);
  for (let i = 0; i < chords.length; i += 4)
    boxes.add(
      Math.min(chords[i], chords[i + 2]),
      Math.min(chords[i + 1], chords[i + 3]),
      Math.max(chords[i], chords[i + 2]),
      Math.max(chords[i + 1], chords[i + 3]),
    );
  boxes.finish();
  // Chords of a round lie inside it, by less than a 250th of their length.
  const on = ([x, y]: P2) =>
    boxes.search(x - tolerance * 20, y - tolerance * 20, x + tolerance * 20, y + tolerance * 20).some((k) => {
      const [ax, ay, bx, by] = chords.slice(k * 4, k * 4 + 4);
      const [dx, dy] = [bx - ax, by - ay];
      const long = dx * dx + dy * dy;
      const t = long > 0 ? Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / long)) : 0;
      return Math.hypot(x - ax - t * dx, y - ay - t * dy) <= tolerance + Math.sqrt(long) * 0.004;
    });
  return edges.filter((c) => !c.segments.every((s) => Array.from({ length: lookedAt }, (_, i) => pointAt(s, (i + 0.5) / lookedAt)).every(on)));
}

/** Heights of sections in the middle of each layer of a stack. */
function heightsOf(mesh: Mesh, pitch: number): number[] {
  const box = boxOf(mesh.positions);
  const n = Math.max(1, Math.ceil((box.max[2] - box.min[2]) / pitch - 1e-9));
  if (n > mostSections) throw new Unusable('too-many-sections', `${n} sections are too many; at most ${mostSections} are made.`, 'Choose a larger pitch.');
  return Array.from({ length: n }, (_, i) => Math.min(box.min[2] + (i + 0.5) * pitch, box.max[2] - 1e-6));
}

/** A mesh turned so that a frame's X, Y and Z become the axes. */
function inFrame(mesh: Mesh, frame: Frame): Mesh {
  const n = normalOf(frame);
  const o = frame.origin;
  const rows = Float64Array.from([...frame.x, ...frame.y, ...n]);
  const shift = [frame.x, frame.y, n].map((r) => -(r[0] * o[0] + r[1] * o[1] + r[2] * o[2])) as [number, number, number];
  return { positions: placed(mesh.positions, { rows, shift }), triangles: mesh.triangles };
}

function silhouette(engine: Engine, mesh: Mesh, frame: Frame, fit: number | null): { contours: Contour[]; deviation: number } {
  return outlinesOf(engine, inFrame(mesh, frame), (solid) => solid.project(), fit);
}

type ManifoldSolid = ReturnType<typeof toManifold>;

/** Runs work on a mesh as the library's solid and gives the outlines of the area it makes, in mm, with lines and arcs fitted. */
function outlinesOf(
  engine: Engine,
  mesh: Mesh,
  work: (solid: ManifoldSolid, scale: number, shift: readonly number[]) => CrossSection,
  fit: number | null,
): { contours: Contour[]; deviation: number } {
  return withSolids((keep) => {
    const frame = frameFor([mesh]);
    const area = keep(work(keep(toManifold(engine, mesh, frame)), frame.scale, frame.shift));
    // Numbers of the library are float32: corners nearer than that to a line are on it.
    const grain = diagonalOf(boxOf(mesh.positions)) * 2 ** -21;
    let deviation = 0;
    const contours = area.toPolygons().map((polygon): Contour => {
      const points = polygon.map((p): P2 => [p[0] / frame.scale + frame.shift[0], p[1] / frame.scale + frame.shift[1]]);
      const lines = contourOf(
        points.map((a, i): Segment => ({ kind: 'line', a, b: points[(i + 1) % points.length] })),
        true,
      );
      const done = fitContour(mergedContour(lines, grain), Math.max(fit ?? 0, grain * 2));
      deviation = Math.max(deviation, done.measured);
      return fit === null ? mergedContour(lines, grain) : done.result;
    });
    return {
      contours: contours.filter((c) => c.segments.length > 2 || c.segments.some((s) => s.kind === 'arc' && (isFull(s) || c.segments.length > 1))),
      deviation,
    };
  });
}

function ofMesh(mesh: Mesh, view: ShapeView, engine: Engine, fit: number | null): Drawn {
  const said = fit === null ? [] : [`Arcs and lines were fitted to the facets within ${fit} mm.`];
  if (view.kind === 'face') throw new Unusable('no-faces', 'A mesh has no faces to pick, only triangles.', 'Take a view or a section instead.');
  if (view.kind === 'view') {
    if (view.edges !== 'silhouette') said.push('A mesh has no exact edges: only its silhouette is drawn.');
    const made = silhouette(engine, mesh, viewFrames[view.view], fit);
    return { drawing: ordered(drawingOf([layerOf('outline', made.contours)])).drawing, deviation: made.deviation, said };
  }
  const cut = (frame: Frame) => outlinesOf(engine, inFrame(mesh, frame), (solid, scale, shift) => solid.slice((0 - shift[2]) * scale), fit);
  if (view.kind === 'section') {
    const made = cut(sectionFrames[view.axis](view.height));
    return { drawing: ordered(drawingOf([layerOf('section', made.contours)])).drawing, deviation: made.deviation, said };
  }
  let deviation = 0;
  const layers = heightsOf(mesh, view.pitch).map((z) => {
    const made = cut(sectionFrames.z(z));
    deviation = Math.max(deviation, made.deviation);
    return layerOf(
      `z ${z.toFixed(3)} mm`,
      made.contours.map((c) => ({ ...c, depth: z })),
    );
  });
  return { drawing: drawingOf(layers.filter((l) => l.contours.length > 0)), deviation, said };
}
