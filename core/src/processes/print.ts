import { countText } from '../base/figures.ts';
import type { CrossSection } from 'manifold-3d';
import type { Finding } from '../base/finding.ts';
import { boxOf } from '../geometry/box.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import { shellsOf } from '../geometry/shells.ts';
import { polygonArea } from '../beds/layout.ts';
import type { Engine } from '../engine/engine.ts';
import { beadsOf } from '../mesh/soundness/thickness.ts';
import { contoursOf, sliceMesh, type Layer } from '../mesh/sections.ts';

/** How the stand-in printer prints. Lengths in mm, infill from 0 to 1, overhang in degrees from the vertical. */
export interface PrintChoice {
  layer: number;
  bead: number;
  walls: number;
  infill: number;
  overhang: number;
  support: boolean;
}

/** What the figures rest on. Filament and speeds: common practice, no source; 1.75 mm and 1.24 g/cm3 as in the evidence list. */
export const assumptions = { filament: 1.75, density: 1.24, speed: 60, change: 1.5, travel: 0.15, solidLayers: 4, supportInfill: 0.15 };

export interface PrintReport {
  layers: number;
  layer: number;
  height: number;
  /** Sum of area times layer height, mm3, and the volume of the mesh for comparison. */
  slicedVolume: number;
  meshVolume: number;
  openLayers: number;
  /** Fewest whole beads side by side anywhere, and most; 0: a wall thinner than one bead. */
  leastBeads: number;
  mostBeads: number;
  /** Material that is left unfilled because it is thinner than one bead, mm2 summed over layers, and how many layers. */
  unfilled: number;
  thinLayers: number;
  /** Layers in which something begins with nothing below it. */
  islands: { z: number; count: number }[];
  /** Area that hangs over further than prints, summed over layers, mm2; volume of support, mm3. */
  hanging: number;
  supportVolume: number;
  bodies: number;
  filamentLength: number;
  filamentMass: number;
  minutes: number;
  findings: Finding[];
}

/** How a receiver prints when nobody says otherwise: two walls, a fifth full, supported. Common practice, no source. */
export const usualPrint = ({ layer, bead, overhang }: { layer: number; bead: number; overhang: number }): PrintChoice => ({
  layer,
  bead,
  overhang,
  walls: 2,
  infill: 0.2,
  support: true,
});

/** What parts of one bed take together. The head goes up once for a layer, however many parts have it. */
export interface BedTime {
  minutes: number;
  grams: number;
}

/**
 * Time and weight of parts that are printed side by side, from the report of each by itself.
 * @example printedTogether([{ report, copies: 4 }]).minutes // less than four times as long
 */
export function printedTogether(parts: readonly { report: Pick<PrintReport, 'layers' | 'minutes' | 'filamentMass'>; copies: number }[]): BedTime {
  const change = (layers: number) => (layers * assumptions.change) / 60;
  const own = parts.reduce((sum, { report, copies }) => sum + (report.minutes - change(report.layers)) * copies, 0);
  return {
    minutes: own + change(parts.reduce((most, { report }) => Math.max(most, report.layers), 0)),
    grams: parts.reduce((sum, { report, copies }) => sum + report.filamentMass * copies, 0),
  };
}

/**
 * Prints a received mesh in the mind: slices it, lays beads, looks for what a careful person would see in a preview.
 * @param bed width and length in mm, to see what lies off it; null when the file is not placed on one.
 * @param progress called with 0..1; true gives up, and null is returned.
 */
export function printReport(
  engine: Engine,
  mesh: Mesh,
  choice: PrintChoice,
  progress: (share: number) => boolean | void = () => {},
): { report: PrintReport; layers: Layer[] } | null {
  const layers = sliceMesh(mesh, choice.layer, (s) => progress(s * 0.3));
  if (!layers) return null;
  const measures = measureMesh(mesh);
  const box = boxOf(mesh.positions);
  const sections: CrossSection[] = [];
  const hanging: CrossSection[] = [];
  const report: PrintReport = {
    layers: layers.length,
    layer: choice.layer,
    height: Math.max(0, box.max[2] - box.min[2]),
    slicedVolume: layers.reduce((sum, l) => sum + l.area * choice.layer, 0),
    meshVolume: measures.volume,
    openLayers: layers.filter((l) => l.closed.some((c) => !c)).length,
    leastBeads: Infinity,
    mostBeads: 0,
    unfilled: 0,
    thinLayers: 0,
    islands: [],
    hanging: 0,
    supportVolume: 0,
    bodies: shellsOf(mesh.triangles, mesh.positions.length / 3).count,
    filamentLength: 0,
    filamentMass: 0,
    minutes: 0,
    findings: [],
  };
  try {
    for (const layer of layers) sections.push(sectionOf(engine, layer));
    let material = 0;
    for (let k = 0; k < layers.length; k++) {
      if (k % 8 === 0 && progress(0.3 + (0.6 * k) / layers.length) === true) return null;
      const here = sections[k];
      const area = here.area();
      if (area <= 0) continue;
      beadsAcross(here, area, choice.bead, report);
      material += laid(here, [sections[k + 1], sections[k - 1]], area, choice);
      if (k > 0) lookBelow(here, sections[k - 1], layers[k].z - box.min[2], { choice, report, hanging });
    }
    if (choice.support && hanging.length > 0) {
      const standing = sections.map((section, k) => ({ section, z: layers[k].z - box.min[2] }));
      report.supportVolume = supportBelow(engine, standing, choice.layer, hanging);
    }
    estimate(report, material + report.supportVolume * assumptions.supportInfill, choice);
  } finally {
    for (const s of [...sections, ...hanging]) s.delete();
  }
  if (!Number.isFinite(report.leastBeads)) report.leastBeads = 0;
  report.findings = findingsOf(report, choice);
  progress(1);
  return { report, layers };
}

/** The filled region of a layer. What several shells cover twice counts once. */
export function sectionOf(engine: Engine, layer: Layer): CrossSection {
  const contours = contoursOf(layer);
  return contours.length === 0 ? engine.CrossSection.square([0, 0]) : new engine.CrossSection(contours, 'Positive');
}

/** Volume of material in a layer (mm3). @param beside the layers above and below, where there are any */
function laid(here: CrossSection, beside: readonly (CrossSection | undefined)[], area: number, { bead, layer, walls, infill }: PrintChoice): number {
  const wide = Math.max(1, walls);
  const inside = here.offset(-bead * wide, 'Miter', 2);
  const inner = inside.area();
  inside.delete();
  // Faces that show above or below are laid solid for a few layers.
  let exposed = 0;
  for (const other of beside) {
    if (!other) {
      exposed += inner;
      continue;
    }
    const bare = here.subtract(other);
    exposed += Math.min(inner, bare.area());
    bare.delete();
  }
  const solid = Math.min(inner * assumptions.solidLayers * 2, exposed * assumptions.solidLayers);
  return (area - inner + inner * infill + solid * (1 - infill)) * layer;
}

/** Opening by half a bead and closing again shows what no bead fits into; opening wider shows how many lie side by side. */
function beadsAcross(here: CrossSection, area: number, bead: number, report: PrintReport): void {
  const small = bead * bead * 0.5;
  const stays = (width: number): number => {
    const worn = here.offset(-width / 2, 'Miter', 2);
    const grown = worn.offset(width / 2, 'Miter', 2);
    const left = here.subtract(grown);
    const lost = left.area();
    const nothing = worn.area() <= 0;
    worn.delete();
    grown.delete();
    left.delete();
    return nothing ? area : lost;
  };
  const lost = stays(bead * 0.95);
  if (lost > small) {
    report.unfilled += lost;
    report.thinLayers++;
    report.leastBeads = Math.min(report.leastBeads, lost > area * 0.5 ? 0 : report.leastBeads);
  }
  // Up to four beads side by side are told apart; thicker walls are filled anyway.
  for (let beads = 1; beads <= 4; beads++) {
    const gone = stays(bead * (beads + 0.95));
    if (gone > Math.max(small, area * 0.02)) {
      report.leastBeads = Math.min(report.leastBeads, beads);
      if (gone >= area * 0.999) {
        report.mostBeads = Math.max(report.mostBeads, beads);
        return;
      }
    }
  }
  report.mostBeads = Math.max(report.mostBeads, 5);
  if (!Number.isFinite(report.leastBeads)) report.leastBeads = 5;
}

interface Looking {
  choice: PrintChoice;
  report: PrintReport;
  hanging: CrossSection[];
}

/** What of a layer has nothing, or too little, below it. */
function lookBelow(here: CrossSection, below: CrossSection, z: number, { choice, report, hanging }: Looking): void {
  const bare = here.subtract(below);
  const area = bare.area();
  if (area <= choice.bead * choice.bead * 0.25) {
    bare.delete();
    return;
  }
  const pieces = here.decompose();
  let count = 0;
  for (const piece of pieces) {
    const on = piece.intersect(below);
    if (on.area() <= 1e-9 && piece.area() > choice.bead * choice.bead * 0.25) count++;
    on.delete();
    piece.delete();
  }
  if (count > 0) report.islands.push({ z, count });
  // One layer may reach out by its height times the tangent of the overhang.
  const reach = choice.layer * Math.tan((Math.min(89, choice.overhang) * Math.PI) / 180);
  const held = below.offset(reach * 1.02, 'Round');
  const over = here.subtract(held);
  const most = over.area();
  held.delete();
  bare.delete();
  if (most > choice.bead * choice.bead * 0.25) {
    report.hanging += most;
    hanging.push(over);
    (over as CrossSection & { z?: number }).z = z;
  } else over.delete();
}

/** Support from each hanging piece down to the part or the bed, layer by layer from the top, mm3. */
function supportBelow(engine: Engine, sections: readonly { section: CrossSection; z: number }[], layer: number, hanging: readonly CrossSection[]): number {
  let column = engine.CrossSection.square([0, 0]);
  let volume = 0;
  for (const { section, z } of [...sections].reverse()) {
    const free = column.subtract(section);
    volume += free.area() * layer;
    column.delete();
    column = free;
    for (const over of hanging as (CrossSection & { z?: number })[]) {
      if (Math.abs((over.z ?? -1) - z) > layer / 4) continue;
      const more = column.add(over);
      column.delete();
      column = more;
    }
  }
  column.delete();
  return volume;
}

function estimate(report: PrintReport, material: number, choice: PrintChoice): void {
  const cross = (Math.PI * assumptions.filament ** 2) / 4;
  report.filamentLength = material / cross;
  report.filamentMass = (material / 1000) * assumptions.density;
  const length = material / (choice.bead * choice.layer);
  report.minutes = ((length / assumptions.speed) * (1 + assumptions.travel) + report.layers * assumptions.change) / 60;
}

function findingsOf(r: PrintReport, choice: PrintChoice): Finding[] {
  const out: Finding[] = [];
  const push = (code: string, severity: Finding['severity'], count: number, [message, remedy]: readonly [message: string, remedy: string]) => {
    if (count > 0) out.push({ code, severity, count, message, remedy });
  };
  push('open-layers', 'stop', r.openLayers, [
    `${countText(r.openLayers)} of ${countText(r.layers)} layers have contours that do not close.`,
    'Mend the mesh on the Soundness step and write it again.',
  ]);
  push('islands', 'look', r.islands.length, [
    `Something begins in the air ${countText(r.islands.length)} times, first at ${r.islands[0]?.z.toFixed(1)} mm.`,
    'Choose another stance, or print with support.',
  ]);
  push('thin-walls', r.unfilled * choice.layer > 0.02 * Math.abs(r.meshVolume) ? 'stop' : 'look', r.thinLayers, [
    `In ${countText(r.thinLayers)} layers a wall is thinner than one bead of ${choice.bead} mm and stays unfilled.`,
    'Make the wall thicker, or choose a receiver with a finer bead.',
  ]);
  push('hanging', 'look', r.hanging > 1 ? 1 : 0, [
    `${countText(r.hanging)} mm² in all hang over further than ${choice.overhang}°.`,
    choice.support ? 'Support is counted in; another stance may need less.' : 'Choose another stance, or print with support.',
  ]);
  push('several-bodies', 'look', r.bodies > 1 ? r.bodies : 0, [`${countText(r.bodies)} separate bodies are in the file.`, 'Join them if one part is meant.']);
  const off = Math.abs(r.slicedVolume - r.meshVolume) / Math.max(1e-9, Math.abs(r.meshVolume));
  push('volume-differs', 'look', off > 0.02 ? 1 : 0, [
    `The layers hold ${(100 * off).toFixed(1)} % more or less than the part.`,
    'Choose a thinner layer, or mend the mesh.',
  ]);
  return out;
}

/** Paths of one layer, to be drawn: walls as closed lines, infill as single ones, support as outlines. xy pairs, mm. */
export interface LayerPaths {
  z: number;
  walls: Float32Array[];
  infill: Float32Array;
  open: Float32Array[];
}

/** Where the beads of a layer lie: walls from outside in, then straight lines that turn by a right angle from layer to layer. */
export function layerPaths(engine: Engine, layer: Layer, index: number, choice: PrintChoice): LayerPaths {
  const here = sectionOf(engine, layer);
  const walls: Float32Array[] = [];
  let inner = here;
  const kept: CrossSection[] = [here];
  for (let w = 0; w < choice.walls; w++) {
    const line = here.offset(-choice.bead * (w + 0.5), 'Miter', 2);
    kept.push(line);
    for (const contour of line.toPolygons()) walls.push(Float32Array.from(contour.flat()));
  }
  inner = here.offset(-choice.bead * choice.walls, 'Miter', 2);
  kept.push(inner);
  const infill = linesIn(inner.toPolygons() as [number, number][][], choice.bead / Math.max(0.01, choice.infill), index % 2 === 0 ? 45 : 135);
  for (const s of kept) s.delete();
  const open: Float32Array[] = [];
  for (let c = 0; c < layer.closed.length; c++) {
    if (!layer.closed[c]) open.push(Float32Array.from(layer.points.subarray(layer.starts[c] * 2, layer.starts[c + 1] * 2)));
  }
  return { z: layer.z, walls, infill: choice.infill > 0 ? infill : new Float32Array(0), open };
}

/** Parallel lines at a pitch inside polygons (even-odd), as segment ends. */
function linesIn(polygons: [number, number][][], pitch: number, degrees: number): Float32Array {
  const c = Math.cos((degrees * Math.PI) / 180);
  const s = Math.sin((degrees * Math.PI) / 180);
  const rows = new Map<number, number[]>();
  for (const polygon of polygons) {
    if (Math.abs(polygonArea(polygon)) < 1e-9) continue;
    for (let i = 0; i < polygon.length; i++) {
      const [ax, ay] = polygon[i];
      const [bx, by] = polygon[(i + 1) % polygon.length];
      const [u0, v0, u1, v1] = [c * ax + s * ay, -s * ax + c * ay, c * bx + s * by, -s * bx + c * by];
      if (v0 === v1) continue;
      const [low, high] = v0 < v1 ? [v0, v1] : [v1, v0];
      for (let row = Math.ceil(low / pitch); row * pitch < high; row++) {
        const at = u0 + ((row * pitch - v0) / (v1 - v0)) * (u1 - u0);
        const list = rows.get(row);
        if (list) list.push(at);
        else rows.set(row, [at]);
      }
    }
  }
  const out: number[] = [];
  for (const [row, list] of rows) {
    list.sort((a, b) => a - b);
    const v = row * pitch;
    for (let i = 0; i + 1 < list.length; i += 2) out.push(c * list[i] - s * v, s * list[i] + c * v, c * list[i + 1] - s * v, s * list[i + 1] + c * v);
  }
  return Float32Array.from(out);
}

/** Beads that a wall of a thickness takes, for those who only want the figure. */
export const wallBeads = beadsOf;
