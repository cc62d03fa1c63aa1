import { transfer } from 'comlink';
import type { PartSummary } from 'tall-kite/model/design';
import { checkDrawing } from 'tall-kite/curves/check';
import { boxOfDrawing, transformedDrawing, unpackDrawing, type Contour, type Drawing, type Meaning } from 'tall-kite/curves/drawing';
import { flattened } from 'tall-kite/curves/flatten';
import { nodesOf } from 'tall-kite/drawing/nodes';
import { unreachedBy } from 'tall-kite/curves/offset';
import { cutThrough, meantContours } from 'tall-kite/drawing/meaning';
import { pointAt, type P2 } from 'tall-kite/curves/segment';
import { applied, type Affine } from 'tall-kite/curves/affine';
import { Unusable, type Finding } from 'tall-kite/base/finding';
import type { Engine } from 'tall-kite/engine/engine';
import { testPieceFile } from 'tall-kite/pipeline/test-piece';
import { placeOf, readyDrawing } from 'tall-kite/pipeline/ready-drawing';
import { invertedPlane, planeOf, throughPlane, timesPlane } from 'tall-kite/trace/plane';
import { carve, type CarveChoice, type Carved } from 'tall-kite/processes/carve';
import { receiveDrawing, type CutStep } from 'tall-kite/processes/cutters';
import type { FileFormat, Receiver } from 'tall-kite/receivers/receivers';
import { foldedPositions, foldMesh, type FoldMesh } from 'tall-kite/sheet/fold-mesh';
import { scaleOf, type Recipe } from 'tall-kite/recipe/recipe';

/** A contour to be drawn: its points lie in one array with those of all others. Lengths in mm at the machine. */
export interface FlatLine {
  /** First point and the point after the last. */
  from: number;
  to: number;
  closed: boolean;
  meaning: Meaning;
  why: string;
  layer: string;
  colour: string | null;
  /** Place in the drawing: layer and contour by number; -1 where kerf or tabs made it. */
  number: number;
  /** mm2 of closed contours, and nesting depth. */
  area: number;
  depth: number;
}

export interface FlatView {
  points: Float32Array;
  lines: FlatLine[];
  /** Contours before kerf, tabs and reliefs, when these changed something. */
  edges: { points: Float32Array; starts: number[] } | null;
  box: [number, number, number, number];
  findings: Finding[];
  fitted: number;
  milliseconds: number;
  /** Pixels of the picture that it was made of to the machine, 3 x 3; null when there is none. */
  picture: number[] | null;
}

/** A place that is shown, mm at the machine. */
export interface FlatSpot {
  x: number;
  y: number;
  size: number;
}

export interface FlatFound {
  gaps: { a: P2; b: P2; distance: number }[];
  doubles: FlatSpot[];
  overlaps: FlatSpot[];
  crossings: FlatSpot[];
  touches: FlatSpot[];
  zero: FlatSpot[];
  tiny: FlatSpot[];
  nearlyFull: FlatSpot[];
  splinters: FlatSpot[];
  points: FlatSpot[];
  counts: Record<string, number>;
  milliseconds: number;
}

export interface FlatReceived {
  points: Float32Array;
  starts: number[];
  closed: boolean[];
  box: [number, number, number, number];
  order: CutStep[];
  cut: number;
  travel: number;
  time: number;
  taken: string;
  version: string;
}

/** A node of a contour in the drawing, and where it is at the machine. */
interface FlatNodes {
  layer: number;
  contour: number;
  nodes: P2[];
  /** Middle of each segment. */
  middles: P2[];
}

const most = 3000;

let drawing: Drawing | null = null;
/** Flat patterns that can be folded, by where they came from; the oldest goes when there are many. */
const folds = new Map<string, { drawing: Drawing; mesh: FoldMesh }>();

function held(): Drawing {
  if (!drawing) throw new Unusable('not-open', 'The drawing is not open yet.', 'Wait a moment.');
  return drawing;
}

const mapOf = (summary: PartSummary, recipe: Recipe): Affine => placeOf(held(), scaleOf(summary, recipe), recipe.drawing!);

/** Points of many contours in one array. */
function pointsOf(contours: readonly Contour[], fine: number): { points: Float32Array; starts: number[] } {
  const starts: number[] = [0];
  const flat: number[] = [];
  for (const c of contours) {
    for (const p of flattened(c.segments, fine)) flat.push(p[0], p[1]);
    starts.push(flat.length / 2);
  }
  return { points: Float32Array.from(flat), starts };
}

/** The drawing that is open: as the recipe makes it, its nodes, what is wrong with it, what is proposed for it. */
const drawingWork = (engine: () => Promise<Engine>) => ({
  /** Opens a drawing from its bytes in the store; the one before is given up. */
  flatOpen(bytes: ArrayBuffer): void {
    drawing = unpackDrawing(new Uint8Array(bytes));
  },
  /** The drawing as the recipe makes it. */
  async flatView(summary: PartSummary, recipe: Recipe): Promise<FlatView> {
    const begun = performance.now();
    const ready = readyDrawing(summary, held(), recipe, await engine());
    const whole: Drawing = { layers: [{ name: '', colour: null, lineType: '', contours: ready.meant.map((m) => m.contour) }], texts: [], points: [] };
    const box = boxOfDrawing(whole);
    const fine = Math.max(1e-6, Math.max(box[2] - box[0], box[3] - box[1]) / 20_000);
    const { points, starts } = pointsOf(whole.layers[0].contours, fine);
    const how = recipe.drawing!;
    const changed = how.kerf > 0 || how.tabs !== null || how.relief !== null;
    const edges = changed ? pointsOf(ready.edges, fine) : null;
    const lines = ready.meant.map(({ contour, meaning, why, layer, colour, number, area, depth }, i): FlatLine => ({
      from: starts[i],
      to: starts[i + 1],
      closed: contour.closed,
      meaning,
      why,
      layer,
      colour,
      number,
      area,
      depth,
    }));
    const { picture } = held();
    const seen = picture ? timesPlane(planeOf(mapOf(summary, recipe)), picture.map) : null;
    return transfer({ points, lines, edges, box, findings: ready.findings, fitted: ready.fitted, milliseconds: performance.now() - begun, picture: seen }, [
      points.buffer,
      ...(edges ? [edges.points.buffer] : []),
    ]);
  },
  /** Where a bit of a diameter does not reach: polygons, their area and how many contours have such places. */
  async flatReach(
    summary: PartSummary,
    recipe: Recipe,
    diameter: number,
  ): Promise<{ points: Float32Array; starts: number[]; area: number; contours: number; smallest: number }> {
    const placed = transformedDrawing(held(), mapOf(summary, recipe));
    const left: Contour[] = [];
    let area = 0;
    let contours = 0;
    let smallest = Infinity;
    for (const m of meantContours(placed, recipe.drawing!)) {
      if (!m.contour.closed || !(cutThrough.has(m.meaning) || m.meaning === 'pocket')) continue;
      const found = unreachedBy(await engine(), m.contour, diameter, m.depth % 2 === 1 || m.meaning === 'pocket');
      smallest = Math.min(smallest, found.smallestRadius);
      if (found.contours.length === 0) continue;
      contours++;
      area += found.area;
      left.push(...found.contours);
    }
    return { ...pointsOf(left, 0.01), area, contours, smallest };
  },
  /** A drawing that an operation proposes, as lines: placed like the part that it would change, or as it is. */
  flatLines(
    bytes: ArrayBuffer,
    place: { summary: PartSummary; recipe: Recipe } | null,
  ): { points: Float32Array; starts: number[]; closed: boolean[]; layers: number[]; dashed: boolean[]; box: [number, number, number, number] } {
    const own = unpackDrawing(new Uint8Array(bytes));
    // Made of the same picture, perhaps at another size: laid over it where the picture is shown.
    const onPicture =
      place && own.picture && drawing?.picture
        ? timesPlane(timesPlane(planeOf(mapOf(place.summary, place.recipe)), drawing.picture.map), invertedPlane(own.picture.map))
        : null;
    const d = place && !onPicture ? transformedDrawing(own, placeOf(own, scaleOf(place.summary, place.recipe), place.recipe.drawing!)) : own;
    const box = boxOfDrawing(d);
    const contours = d.layers.flatMap((l) => l.contours);
    const layers = d.layers.flatMap((l, i) => l.contours.map(() => i));
    const dashed = d.layers.flatMap((l) => l.contours.map(() => l.lineType !== 'CONTINUOUS'));
    const lines = pointsOf(contours, Math.max(1e-6, Math.max(box[2] - box[0], box[3] - box[1]) / 4000));
    if (onPicture) for (let i = 0; i < lines.points.length; i += 2) lines.points.set(throughPlane(onPicture, lines.points[i], lines.points[i + 1]), i);
    return {
      ...lines,
      closed: contours.map((c) => c.closed),
      layers,
      dashed,
      box,
    };
  },
});

/** What is wrong with the drawing that is open, and where. */
const checkWork = {
  /** What is wrong with it and where, as placed. */
  flatCheck(summary: PartSummary, recipe: Recipe): FlatFound {
    const begun = performance.now();
    const map = mapOf(summary, recipe);
    const c = checkDrawing(transformedDrawing(held(), map));
    const spots = (list: { at: P2; size: number }[]): FlatSpot[] => list.slice(0, most).map((s) => ({ x: s.at[0], y: s.at[1], size: s.size }));
    return {
      gaps: c.gaps.slice(0, most).map((g) => ({ a: g.a.at, b: g.b.at, distance: g.distance })),
      doubles: spots(c.doubles),
      overlaps: spots(c.overlaps),
      crossings: spots(c.crossings),
      touches: spots(c.touches),
      zero: spots(c.zero),
      tiny: spots(c.tiny),
      nearlyFull: spots(c.nearlyFull),
      splinters: spots(c.splinters),
      points: held()
        .points.slice(0, most)
        .map((p) => {
          const [x, y] = applied(map, p.at);
          return { x, y, size: 0 };
        }),
      counts: {
        gaps: c.gaps.length,
        doubles: c.doubles.length,
        overlaps: c.overlaps.length,
        crossings: c.crossings.length,
        touches: c.touches.length,
        zero: c.zero.length,
        tiny: c.tiny.length,
        nearlyFull: c.nearlyFull.length,
        splinters: c.splinters.length,
        points: c.points,
      },
      milliseconds: performance.now() - begun,
    };
  },
  /** The nodes of the contour with a number, as placed; null when there is none. */
  flatNodes(summary: PartSummary, recipe: Recipe, number: number): FlatNodes | null {
    const map = mapOf(summary, recipe);
    let at = number;
    for (const [layer, l] of held().layers.entries()) {
      if (at < l.contours.length) {
        const contour = l.contours[at];
        return { layer, contour: at, nodes: nodesOf(contour).map((p) => applied(map, p)), middles: contour.segments.map((s) => applied(map, pointAt(s, 0.5))) };
      }
      at -= l.contours.length;
    }
    return null;
  },
  /** A place at the machine in the drawing's own numbers. */
  flatBack(summary: PartSummary, recipe: Recipe, at: P2): P2 {
    const [a, b, c, d, e, f] = mapOf(summary, recipe);
    const n = a * d - b * c;
    const [x, y] = [at[0] - e, at[1] - f];
    return [(d * x - c * y) / n, (a * y - b * x) / n];
  },
};

/** Flat patterns that are folded. */
const foldWork = (engine: () => Promise<Engine>) => ({
  /** Takes a flat pattern to be folded; gives its triangles. */
  async foldOpen(bytes: ArrayBuffer, key: string): Promise<{ triangles: Uint32Array }> {
    const flat = unpackDrawing(new Uint8Array(bytes));
    const mesh = foldMesh(await engine(), flat);
    folds.set(key, { drawing: flat, mesh });
    if (folds.size > 4) folds.delete(folds.keys().next().value!);
    return { triangles: mesh.triangles };
  },
  /** The flat folded to a share, and its borders as pairs of points; null when it was given up meanwhile. */
  foldAt(key: string, share: number, scale: number): { positions: Float32Array; edges: Float32Array } | null {
    const fold = folds.get(key);
    if (!fold) return null;
    const positions = foldedPositions(fold.mesh, fold.drawing, share, scale);
    const edges = new Float32Array(fold.mesh.edges.length * 3);
    fold.mesh.edges.forEach((v, i) => edges.set(positions.subarray(v * 3, v * 3 + 3), i * 3));
    return transfer({ positions, edges }, [positions.buffer, edges.buffer]);
  },
});

/** What machines make of written files. */
const machineWork = (engine: () => Promise<Engine>) => ({
  /** What a machine understands from the bytes of a written file. */
  async flatReceived(bytes: ArrayBuffer, format: FileFormat, receiver: Receiver): Promise<FlatReceived> {
    const got = await receiveDrawing(new Uint8Array(bytes), format, receiver);
    const contours = got.meant.map((m) => m.contour);
    const box = boxOfDrawing(got.drawing);
    const fine = Math.max(1e-6, Math.max(box[2] - box[0], box[3] - box[1]) / 20_000);
    const { points, starts } = pointsOf(contours, fine);
    return transfer(
      {
        points,
        starts,
        closed: contours.map((c) => c.closed),
        box,
        order: got.order,
        cut: got.cut,
        travel: got.travel,
        time: got.time,
        taken: got.taken,
        version: got.version,
      },
      [points.buffer],
    );
  },
  /** The sheet that a router leaves, from the bytes of a written file alone. */
  async flatCarve(bytes: ArrayBuffer, format: FileFormat, receiver: Receiver, choice: CarveChoice): Promise<Carved> {
    const machine = receiver;
    const got = await receiveDrawing(new Uint8Array(bytes), format, machine);
    const made = carve(await engine(), got.meant, machine.cutter!, choice);
    return transfer(made, [made.depths.buffer]);
  },
  /** The sheet as a router would leave it of the drawing as the recipe makes it, before anything is written. */
  async flatCarveDesigned(summary: PartSummary, recipe: Recipe, choice: CarveChoice): Promise<Carved> {
    const ready = readyDrawing(summary, held(), recipe, await engine());
    const made = carve(await engine(), ready.meant, recipe.receiver.cutter!, choice);
    return transfer(made, [made.depths.buffer]);
  },
  /** The test piece of a machine, proved; why it can't be used when it is stopped. */
  async testPiece(receiver: Receiver): Promise<{ fileName: string; bytes: Uint8Array; stopped: string | null }> {
    const none = () => Promise.reject(new Unusable('no-kernel', 'This file needs exact surfaces.', 'Choose a mesh format for the machine.'));
    const { fileName, bytes, evidence } = await testPieceFile(receiver, { engine, working: none, kernels: { opening: none, working: none } });
    return transfer({ fileName, bytes, stopped: evidence.verdict === 'stop' ? (evidence.reason ?? 'It is stopped.') : null }, [bytes.buffer]);
  },
});

/** What the page asks of a drawing. All heavy work on drawings is here, off the page's own thread. */
export const flatWork = (engine: () => Promise<Engine>) => ({ ...drawingWork(engine), ...checkWork, ...foldWork(engine), ...machineWork(engine) });
