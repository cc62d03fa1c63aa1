import type { DxfVersion } from '../model/dxf-version.ts';

export type FileFormat = 'stl' | '3mf' | 'obj' | 'ply' | 'step' | 'dxf' | 'svg' | 'pdf';

/** Formats of drawings; the others carry solids and meshes. */
export const flatFormats: readonly FileFormat[] = ['dxf', 'svg', 'pdf'];

/** What people call each format that is written. */
export const formatNames: Record<FileFormat, string> = { stl: 'STL', '3mf': '3MF', obj: 'OBJ', ply: 'PLY', step: 'STEP', dxf: 'DXF', svg: 'SVG', pdf: 'PDF' };

/** What a machine that works on sheets takes and does. Lengths in mm, speeds in mm/min, times in s. */
export interface Cutter {
  kind: 'laser' | 'router' | 'template';
  versions: DxfVersion[];
  /** Whether its software takes splines and ellipses, or lines and arcs only. */
  curves: boolean;
  /** Whether it looks at $INSUNITS; if not, numbers are its own unit. */
  readsUnit: boolean;
  /** SVG: numbers are taken at so many per inch whatever width and height say; null obeys them. */
  perInch: number | null;
  /** Width that the tool takes away. */
  kerf: number;
  feed: number;
  rapid: number;
  /** Time to begin each cut. */
  pierce: number;
  /** Depth of one pass; 0 cuts through at once. */
  pass: number;
  /** Depth of a pocket when the drawing gives none. */
  pocketDepth: number;
  /** Angle of the engraving bit, degrees. */
  engraveAngle: number;
  /** Distance between clear paths where it can't go from the rim of the sheet. */
  margin: number;
}

/** A machine's software and its rules. Lengths in mm. */
export interface Receiver {
  id: string;
  name: string;
  process: string;
  /** What it reads. */
  formats: FileFormat[];
  /** What it takes a number without a unit for. */
  unit: string;
  bed: [number, number, number];
  /** Width of one bead or pixel, mm. */
  bead: number;
  mostTriangles: number;
  mostBytes: number;
  /** Longest side under which a thing is taken for one in another unit, mm; 0 for a receiver that guesses no unit. */
  smallest: number;
  /** Overhang that prints without support, degrees from the vertical. */
  overhang: number;
  /** Which axis its software takes for up in formats that do not say. */
  up: 'z' | 'y';
  /** Least gap between parts that are to move against each other, mm. */
  clearance: number;
  /** Height of a layer it is usually run at, mm. */
  layer: number;
  /** Distance kept between parts and from the rim of the bed, mm. */
  spacing: number;
  /** Set for machines that take drawings. */
  cutter?: Cutter;
}

/** Common practice for a laser of some hundred watts in thin sheet; stated assumptions of the stand-in, not of any machine. */
const laser: Cutter = {
  kind: 'laser',
  versions: ['R12', '2000'],
  curves: false,
  readsUnit: false,
  perInch: null,
  kerf: 0.16,
  feed: 2400,
  rapid: 30_000,
  pierce: 0.4,
  pass: 0,
  pocketDepth: 0,
  engraveAngle: 0,
  margin: 5,
};

/** What a machine for sheets has in common with printers: a bed, limits, a name. */
function flatMachine(id: string, name: string, process: string, formats: FileFormat[], bed: [number, number, number]): Omit<Receiver, 'cutter'> {
  return {
    id,
    name,
    process,
    formats,
    unit: 'mm',
    bed,
    bead: 0,
    mostTriangles: 0,
    mostBytes: 50_000_000,
    smallest: 1,
    overhang: 90,
    up: 'z',
    clearance: 0.1,
    layer: 0,
    spacing: 5,
  };
}

/** The machines that ship: two printers, a router whose software takes Y for up, two lasers, a sheet router and a plotter for
 * paper templates. Names invented; beds, bead and limits are common practice. */
export const receivers: Receiver[] = [
  {
    id: 'lark',
    name: 'Lark',
    process: 'filament printer',
    formats: ['stl', '3mf', 'obj', 'ply'],
    unit: 'mm',
    bed: [250, 210, 210],
    bead: 0.4,
    mostTriangles: 500_000,
    mostBytes: 50_000_000,
    smallest: 1,
    overhang: 45,
    up: 'z',
    clearance: 0.2,
    layer: 0.2,
    spacing: 4,
  },
  {
    id: 'wren',
    name: 'Wren',
    process: 'resin printer',
    formats: ['stl', '3mf'],
    unit: 'mm',
    bed: [143, 89, 175],
    bead: 0.05,
    mostTriangles: 2_000_000,
    mostBytes: 200_000_000,
    smallest: 1,
    overhang: 30,
    up: 'z',
    clearance: 0.1,
    layer: 0.05,
    spacing: 2,
  },
  {
    id: 'heron',
    name: 'Heron',
    process: 'carving router, 3D',
    formats: ['obj', 'stl', 'ply', 'step'],
    unit: 'mm',
    bed: [600, 400, 90],
    bead: 3,
    mostTriangles: 2_000_000,
    mostBytes: 200_000_000,
    smallest: 1,
    overhang: 90,
    up: 'y',
    clearance: 0.1,
    layer: 0.5,
    spacing: 10,
  },
  {
    ...flatMachine('swift', 'Swift', 'laser, sheet', ['dxf', 'svg'], [900, 600, 12]),
    cutter: { ...laser, versions: ['R12', '2000'], curves: false, readsUnit: false, perInch: null, kerf: 0.16 },
  },
  {
    ...flatMachine('plover', 'Plover', 'laser, hobby', ['svg', 'dxf'], [400, 300, 6]),
    cutter: { ...laser, versions: ['R12', '2000', '2018'], curves: true, readsUnit: true, perInch: 96, kerf: 0.2, feed: 900 },
  },
  {
    ...flatMachine('martin', 'Martin', 'router, sheet', ['dxf', 'svg'], [2440, 1220, 40]),
    cutter: {
      kind: 'router',
      versions: ['R12', '2000', '2018'],
      curves: true,
      readsUnit: true,
      perInch: null,
      kerf: 6,
      feed: 3000,
      rapid: 10_000,
      pierce: 2,
      pass: 5,
      pocketDepth: 6,
      engraveAngle: 60,
      margin: 10,
    },
  },
  {
    ...flatMachine('pipit', 'Pipit', 'paper templates', ['pdf', 'svg'], [841, 594, 1]),
    cutter: { ...laser, kind: 'template', versions: [], curves: true, readsUnit: true, perInch: null, kerf: 0, margin: 0 },
  },
];

/** Machines for solids and meshes, and machines for drawings. */
export const shapeReceivers = receivers.filter((r) => !r.cutter);
export const sheetReceivers = receivers.filter((r) => r.cutter);

const everything: FileFormat[] = ['stl', '3mf', 'obj', 'ply', 'step', 'dxf', 'svg', 'pdf'];

/**
 * No machine: reads every format and assumes nothing but what the file states and the unit that was typed for it. For files that go on to
 * people and programs rather than to a machine.
 */
export const noReceiver: Receiver = {
  ...flatMachine('none', 'No machine', 'no assumptions', everything, [1e9, 1e9, 1e9]),
  mostTriangles: 100_000_000,
  mostBytes: 4_000_000_000,
  smallest: 0,
  clearance: 0,
  spacing: 0,
  cutter: { ...laser, kind: 'template', versions: ['R12', '2000', '2018'], curves: true, readsUnit: true, perInch: null, kerf: 0, pierce: 0, margin: 0 },
};

/** The receiver of a recipe. No machine takes bare numbers for the unit that the file was written in. */
export function receiverFor(recipe: { receiver: string; file: { unit: string } }): Receiver {
  const receiver = receiverOf(recipe.receiver);
  return receiver.id === 'none' ? { ...receiver, unit: recipe.file.unit } : receiver;
}

/** @throws RangeError for a receiver that is not known. */
export function receiverOf(id: string): Receiver {
  if (id === 'none') return noReceiver;
  const found = receivers.find((r) => r.id === id);
  if (!found) throw new RangeError(`unknown receiver ${id}`);
  return found;
}
