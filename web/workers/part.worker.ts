import { expose, transfer } from 'comlink';
import { readBrepText, type ExactSolid } from 'tall-kite/surfaces/brep-text';
import { curveStep, facetsWithin, makeFacets, type CurveStep, type Facets } from 'tall-kite/facets/make';
import { anyAngle, type FacetChoice } from 'tall-kite/surfaces/presets';
import { differencesOf, type Differences } from 'tall-kite/surfaces/difference';
import { leastTriangles } from 'tall-kite/surfaces/survey';
import { Unusable } from 'tall-kite/base/finding';
import { weldEqual } from 'tall-kite/geometry/weld';
import { hull2 } from 'tall-kite/geometry/hull';
import { measureMesh } from 'tall-kite/geometry/mesh';
import { FacetSource } from 'tall-kite/kernel/facet-source';
import type { Kernel } from 'tall-kite/kernel/kernel';
import { isMeshFormat, receiveMeshFile } from 'tall-kite/processes/receive';
import type { FileFormat, Receiver } from 'tall-kite/receivers/receivers';
import type { Layer } from 'tall-kite/mesh/sections';
import { layerPaths, printReport, usualPrint, type LayerPaths, type PrintChoice, type PrintReport } from 'tall-kite/processes/print';
import { droopingRounds, overhangAngles, type DroopingRound } from 'tall-kite/stance/overhang';
import { placementOf, stand, standingOf, type Stance, type Standing } from 'tall-kite/stance/stance';
import { between, type Between } from 'tall-kite/view/between';
import { Measure, type Place } from 'tall-kite/view/measure';
import { heavyAbove, lightOf } from 'tall-kite/view/light';
import type { Measured } from 'tall-kite/view/shape';
import { meshView, unpackView, type View } from 'tall-kite/view/view';
import { flatWork } from './flat.ts';
import { engine } from './engine.ts';

/** The kernel stays a separate, replaceable file that is fetched when the first solid needs it. */
let kernel: Promise<Kernel> | null = null;
function workingKernel(): Promise<Kernel> {
  return (kernel ??= (async () => {
    const script = new URL('./replicad_single.js', self.location.href).href;
    const { default: start } = await import(/* @vite-ignore */ script);
    return start({ locateFile: () => new URL('./replicad_single.wasm', self.location.href).href, print: () => {}, printErr: () => {} });
  })());
}

/** So much past the limit a triangle is still taken for one at it, degrees: its corners are 32 bit numbers. */
const shadedBeyond = 0.01;

let sliced: { layers: Layer[]; choice: PrintChoice } | null = null;

export interface SlicedView {
  report: PrintReport;
  segments: Float32Array;
  /** First point of each layer, and the number of points at the end. */
  starts: Uint32Array;
  heights: number[];
  areas: number[];
}

interface Held {
  open: FacetSource;
  exact: ExactSolid;
  hint: number;
  fine: Facets | null;
}
let held: Held | null = null;

/** The part that was asked about last, as it is drawn. */
let laid: { name: string; view: Promise<View> } | null = null;

async function viewAt(path: string): Promise<View> {
  const response = await fetch(path);
  if (!response.ok) throw new Error(`The server answered ${response.status}.`);
  return unpackView(await response.arrayBuffer());
}

function viewNamed(name: string, path: string): Promise<View> {
  if (laid?.name !== name) {
    const view = viewAt(path);
    laid = { name, view };
    // What could not be fetched is fetched anew the next time.
    view.catch(() => (laid = laid?.view === view ? null : laid));
  }
  return laid.view;
}

/** A surface to be looked at. */
export interface Picture {
  positions: Float32Array;
  triangles: Uint32Array;
}

const lightened = (picture: Picture): Picture | null => (picture.triangles.length > 3 * heavyAbove ? lightOf(picture) : null);

/** How a part stands on a receiver's bed, and where it hangs over. */
export interface Stood {
  standing: Standing;
  /** Corners of the triangles that hang over more than the limit, and of those that hang over far more. */
  over: [Uint32Array, Uint32Array] | null;
  rounds: DroopingRound[];
}

/** A part by its place on the server, its name changing with its shape. Degrees from the vertical. */
export interface StoodAsked {
  name: string;
  path: string;
  stance: Stance;
  scale: number;
  limit: number;
  far: number;
}

/** The part whose picks are measured. */
let toMeasure: { name: string; measure: Measure } | null = null;

/** What picks say, and what lies between two of them. */
export interface MeasuredPicks {
  picks: Measured[];
  between: Between | null;
}

export interface Preview {
  positions: Float32Array;
  triangles: Uint32Array;
  step: CurveStep;
  kept: boolean;
  /** Where the deviation is largest, mm, and on which kind of surface. */
  at: [number, number, number];
  surface: string;
  least: number;
  milliseconds: number;
}

export interface ReceivedView {
  positions: Float32Array;
  triangles: Uint32Array;
  edges: Float32Array;
  /** What is drawn of a heavy one while the camera moves. */
  light: Picture | null;
  volume: number;
}

/** A part as it is drawn, a file of it, and how it stands in that. */
export interface DifferenceAsked {
  view: ArrayBuffer;
  /** Its exact shape as text; null for a mesh. */
  brep: ArrayBuffer | null;
  bytes: ArrayBuffer;
  format: FileFormat;
  receiver: Receiver;
  stance: Stance;
  scale: number;
}

/** The least triangles possible: of balanced facets those of twice the deviation, for they may lie that deep from out to in. */
const leastOf = (exact: ExactSolid, facets: Facets): number => leastTriangles(exact, facets, facets.promised * (facets.balanced ? 2 : 1));

function preview(facets: Facets, holder: Held, begun: number): Preview {
  const { measured } = facets;
  return {
    positions: new Float32Array(facets.positions),
    triangles: facets.triangles,
    step: curveStep(facets),
    kept: facets.kept,
    at: measured.at,
    surface: holder.exact.faces[measured.face]?.surface.kind ?? 'plane',
    least: leastOf(holder.exact, facets),
    milliseconds: performance.now() - begun,
  };
}

const worker = {
  ...flatWork(engine),
  /** Opens a solid from its BREP text; the one before is given back. */
  open(brep: string): void {
    held?.open.close();
    held = { open: new FacetSource(brep, workingKernel), exact: readBrepText(brep), hint: 1, fine: null };
  },
  /** Facets for a choice, measured. */
  async facets(choice: FacetChoice): Promise<Preview> {
    if (!held) throw new Unusable('not-open', 'The solid is not open yet.', 'Wait a moment.');
    const begun = performance.now();
    const holder = held;
    const facets = await makeFacets(holder.open, holder.exact, choice, holder.hint);
    if (facets.kept) holder.hint = Math.min(1, facets.asked / choice.deviation);
    return preview(facets, holder, begun);
  },
  /** The finest facets within a budget of triangles. */
  async within(budget: number, balanced = false): Promise<Preview | null> {
    if (!held) return null;
    const begun = performance.now();
    const holder = held;
    const facets = await facetsWithin(holder.open, holder.exact, budget, { angle: anyAngle, balanced, bounds: [0.004, 5] });
    return facets && preview(facets, holder, begun);
  },
  /** One point of the curve of triangles against deviation, with the least possible. */
  async curvePoint(choice: FacetChoice): Promise<{ step: CurveStep; least: number } | null> {
    if (!held) return null;
    const holder = held;
    const facets = await makeFacets(holder.open, holder.exact, choice, holder.hint);
    return { step: curveStep(facets), least: leastOf(holder.exact, facets) };
  },
  /** What a receiver sees in the bytes of a written file, under its own assumptions; null for exact formats. */
  received(bytes: ArrayBuffer, format: FileFormat, receiver: Receiver): ReceivedView | null {
    if (format === 'step' || !isMeshFormat(format)) return null;
    const { mesh } = receiveMeshFile(new Uint8Array(bytes), format, receiver);
    const view = meshView(mesh);
    return { positions: view.positions, triangles: view.triangles, edges: view.edges, light: lightened(view), volume: measureMesh(mesh).volume };
  },
  /** How far what a receiver sees in a file lies off the design, and the design off it; the design as it is drawn, with its exact surfaces. */
  difference(asked: DifferenceAsked): Differences {
    const { format, stance, scale } = asked;
    if (!isMeshFormat(format)) throw new Unusable('no-triangles', 'The file has no triangles to be coloured.', 'Lay both prints over each other.');
    const { positions, triangles, starts } = unpackView(asked.view);
    const exact = asked.brep && readBrepText(new TextDecoder().decode(asked.brep));
    const { mesh } = receiveMeshFile(new Uint8Array(asked.bytes), format, asked.receiver);
    const found = differencesOf({ positions, triangles, starts, exact }, mesh, placementOf(stance, scale, positions));
    return transfer(found, [found.received.buffer, found.designed.buffer]);
  },
  /** Opens a part to be measured by picks; the one before is given back. */
  openToMeasure({ name, view, brep }: { name: string; view: ArrayBuffer; brep: ArrayBuffer | null }): void {
    const { positions, triangles, starts, edges } = unpackView(view);
    const exact = brep && readBrepText(new TextDecoder().decode(brep));
    toMeasure = { name, measure: new Measure({ positions, triangles, starts, edges, exact }) };
  },
  /** What one or two picks of the part that is open say; null when another was opened since. */
  measure(name: string, places: Place[]): MeasuredPicks | null {
    if (toMeasure?.name !== name) return null;
    const { measure } = toMeasure;
    const picks = places.map((p) => measure.pick(p));
    return { picks, between: picks.length === 2 ? between(picks[0], picks[1]) : null };
  },
  /** What is drawn of a part while the camera moves; null for one that is not heavy. */
  async light(name: string, path: string): Promise<Picture | null> {
    return lightened(await viewNamed(name, path));
  },
  /** How a part stands. @param shaded the triangles that hang over are wanted, too */
  async stands({ name, path, stance, scale, limit, far }: StoodAsked, shaded: boolean): Promise<Stood> {
    const { positions, triangles: t } = await viewNamed(name, path);
    const mesh = { positions: Float64Array.from(positions), triangles: t };
    const standing = stand(mesh, placementOf(stance, scale, mesh.positions));
    const figures = standingOf(standing, limit);
    if (!shaded) return { standing: figures, over: null, rounds: [] };
    const angles = overhangAngles(standing);
    const corners = (wanted: (angle: number) => boolean): Uint32Array => {
      const out = new Uint32Array(angles.reduce((n, a) => n + (wanted(a) ? 3 : 0), 0));
      for (let i = 0, k = 0; i < angles.length; i++) if (wanted(angles[i])) for (let c = 0; c < 3; c++) out[k++] = t[i * 3 + c];
      return out;
    };
    const over: [Uint32Array, Uint32Array] = [corners((a) => a > limit + shadedBeyond && a <= far), corners((a) => a > far)];
    return transfer({ standing: figures, over, rounds: droopingRounds(standing, limit) }, [over[0].buffer, over[1].buffer]);
  },
  /** Outline of a part from above (its hull, mm) and its height, as it stands. */
  async outline(path: string, stance: Stance, scale: number): Promise<{ outline: [number, number][]; height: number }> {
    const view = await viewAt(path);
    const { rows: m } = placementOf({ ...stance, drop: true }, scale, view.positions);
    const points: [number, number][] = [];
    let [low, high] = [Infinity, -Infinity];
    for (let i = 0; i < view.positions.length; i += 3) {
      const [x, y, z] = [view.positions[i], view.positions[i + 1], view.positions[i + 2]];
      points.push([m[0] * x + m[1] * y + m[2] * z, m[3] * x + m[4] * y + m[5] * z]);
      const h = m[6] * x + m[7] * y + m[8] * z;
      low = Math.min(low, h);
      high = Math.max(high, h);
    }
    return { outline: hull2(points), height: high - low };
  },
  /** What a part as it is drawn would take to print, as it stands. */
  async printed(path: string, stance: Stance, scale: number, receiver: Receiver): Promise<PrintReport> {
    const { positions, triangles } = await viewAt(path);
    const mesh = stand(weldEqual(positions, triangles), placementOf({ ...stance, drop: true }, scale, positions));
    return printReport(await engine(), mesh, usualPrint(receiver))!.report;
  },
  /** Prints the bytes of a file in the mind: the report, and every layer's contours as segment ends (xyz) with where each begins. */
  async slice(bytes: ArrayBuffer, format: FileFormat, receiver: Receiver, choice: PrintChoice): Promise<SlicedView> {
    if (!isMeshFormat(format)) throw new Unusable('no-layers', 'A printer gets a mesh.', 'Write STL or 3MF for it.');
    const { mesh } = receiveMeshFile(new Uint8Array(bytes), format, receiver);
    const made = printReport(await engine(), mesh, choice)!;
    sliced = { layers: made.layers, choice };
    const starts = new Uint32Array(made.layers.length + 1);
    let length = 0;
    made.layers.forEach((l, i) => {
      starts[i] = length / 3;
      length += l.points.length * 3;
    });
    starts[made.layers.length] = length / 3;
    const segments = new Float32Array(length);
    let at = 0;
    for (const l of made.layers) {
      for (let c = 0; c < l.closed.length; c++) {
        const [from, to] = [l.starts[c], l.starts[c + 1]];
        for (let i = from; i < to; i++) {
          // An open contour ends in a segment of no length.
          const j = i + 1 < to ? i + 1 : l.closed[c] ? from : i;
          segments.set([l.points[i * 2], l.points[i * 2 + 1], l.z, l.points[j * 2], l.points[j * 2 + 1], l.z], at);
          at += 6;
        }
      }
    }
    return transfer({ report: made.report, segments, starts, heights: made.layers.map((l) => l.z), areas: made.layers.map((l) => l.area) }, [
      segments.buffer,
      starts.buffer,
    ]);
  },
  /** Where the beads of one layer lie. */
  async paths(index: number): Promise<LayerPaths | null> {
    const layer = sliced?.layers[index];
    return layer ? layerPaths(await engine(), layer, index, sliced!.choice) : null;
  },
};

export type PartWorker = typeof worker;
expose(worker);
