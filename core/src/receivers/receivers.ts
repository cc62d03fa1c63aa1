import { Unusable } from '../base/finding.ts';
import type { Meaning } from '../curves/drawing.ts';
import type { LayerLook } from '../model/drawing-recipe.ts';
import type { DxfVersion } from '../model/dxf-version.ts';

export type FileFormat = 'stl' | '3mf' | 'obj' | 'ply' | 'step' | 'dxf' | 'svg' | 'pdf';

/** Formats of drawings; the others carry solids and meshes. */
export const flatFormats: readonly FileFormat[] = ['dxf', 'svg', 'pdf'];

/** Formats that can come along with a bend table. */
export const benderFormats: readonly FileFormat[] = ['step', 'pdf', 'svg', 'dxf'];

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
  /** Names, colours and line types that it expects of layers; what is not here is named as usual. */
  looks?: Partial<Record<Meaning, LayerLook>>;
}

/** What a die does with a material: it springs back, and the tube gets longer. */
export interface BendRule {
  material: string;
  /** Centre-line radius of the die, mm. */
  radius: number;
  /** The machine bends by angle * ratio + offset (degrees), so that the tube springs back to the angle. */
  ratio: number;
  offset: number;
  /** How much longer the tube gets in one bend, mm. */
  elongation: number;
}

/** What a tube bender can do. Lengths in mm. */
export interface Bender {
  /** Radii of the dies that there are; empty: any radius. */
  dies: number[];
  /** Least straight that the clamp holds, between bends and at the end. */
  clamp: number;
  /** Least radius as a multiple of the outside size; 0: any. */
  leastRadius: number;
  /** Longest tube. */
  longest: number;
  /** Springback and elongation by material and die; what no rule says is left open. */
  rules: BendRule[];
}

/** What a board shop can make. Lengths in mm. */
export interface BoardShop {
  /** Least diameter of a hole, width of a slot, and material left between what is cut out. */
  leastHole: number;
  leastSlot: number;
  leastWeb: number;
  /** Least copper around a plated hole, and gap between copper and edges. */
  leastRing: number;
  leastClearance: number;
  /** Least height of a letter of the legend. */
  leastText: number;
  /** Radius that its smallest routing bit leaves in inner corners. */
  innerRadius: number;
  largest: [number, number];
}

/** A machine's software and its rules. Lengths in mm, angles in degrees. */
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
  /** Set for tube benders: each takes bend tables; `formats` are those that come along with a table. */
  bender?: Bender;
  /** Set for board shops: each takes a zip of Gerber layers and drill files. */
  boardShop?: BoardShop;
}

/** What a machine takes. */
export type Takes = 'solids' | 'drawings' | 'tubes' | 'boards';

/** What a machine takes: bend tables of tubes, boards, drawings, or solids and meshes. */
export const takesOf = ({ bender, boardShop, cutter }: Pick<Receiver, 'bender' | 'boardShop' | 'cutter'>): Takes =>
  bender ? 'tubes' : boardShop ? 'boards' : cutter ? 'drawings' : 'solids';

const everything: FileFormat[] = ['stl', '3mf', 'obj', 'ply', 'step', 'dxf', 'svg', 'pdf'];

/**
 * No machine: reads every format and assumes nothing but what the file states and the unit that was typed for it. For files that go on to
 * people and programs rather than to a machine.
 */
export const noReceiver: Receiver = {
  id: 'none',
  name: 'No machine',
  process: 'no assumptions',
  formats: everything,
  unit: 'mm',
  bed: [1e9, 1e9, 1e9],
  bead: 0,
  mostTriangles: 100_000_000,
  mostBytes: 4_000_000_000,
  smallest: 0,
  overhang: 90,
  up: 'z',
  clearance: 0,
  layer: 0,
  spacing: 0,
  cutter: {
    kind: 'template',
    versions: ['R12', '2000', '2018'],
    curves: true,
    readsUnit: true,
    perInch: null,
    kerf: 0,
    feed: 2400,
    rapid: 30_000,
    pierce: 0,
    pass: 0,
    pocketDepth: 0,
    engraveAngle: 0,
    margin: 0,
  },
};

/** The receiver of a recipe. No machine takes bare numbers for the unit that the file was written in. */
export function receiverFor(recipe: { receiver: Receiver; file: { unit: string } }): Receiver {
  const { receiver } = recipe;
  return receiver.id === noReceiver.id ? { ...receiver, unit: recipe.file.unit } : receiver;
}

/** Machines for solids and meshes, or those for drawings. */
export const receiversFor = (kind: 'solid' | 'mesh' | 'drawing', list: readonly Receiver[]): Receiver[] =>
  list.filter((r) => takesOf(r) === (kind === 'drawing' ? 'drawings' : 'solids'));

/** A receiver that is a tube bender. */
export type BenderReceiver = Receiver & { bender: Bender };
export const isBender = (receiver: Receiver): receiver is BenderReceiver => receiver.bender !== undefined;

/** A receiver that is a board shop. */
export type BoardShopReceiver = Receiver & { boardShop: BoardShop };
export const isBoardShop = (receiver: Receiver): receiver is BoardShopReceiver => receiver.boardShop !== undefined;

/** Whether files of parts themselves go to a machine; benders and board shops get what is made of them. */
export const takesParts = (receiver: Receiver): boolean => !isBender(receiver) && !isBoardShop(receiver);

/** @throws Unusable for a tube bender or a board shop: they take bend tables and zips of layers, and no file of a part itself. */
export function onlyParts(receiver: Receiver): void {
  if (isBoardShop(receiver))
    throw new Unusable(
      'format-refused',
      `${receiver.name} (${receiver.process}) takes zips of Gerber layers and drill files, and no file of the part itself.`,
      'Make a board of the drawing (the page Board, or tall-kite board), or choose another receiver.',
    );
  if (isBender(receiver))
    throw new Unusable(
      'format-refused',
      `${receiver.name} (${receiver.process}) takes bend tables, CSV, and no file of the part itself.`,
      'Look for tubes (the page Tubes, or tall-kite tube), or choose another receiver.',
    );
}

/** The first machine that a kind of part can go to; no machine when there is none. */
export const usualReceiver = (kind: 'solid' | 'mesh' | 'drawing', list: readonly Receiver[]): Receiver => receiversFor(kind, list)[0] ?? noReceiver;

/** The receiver of an id, "none" for no machine. @throws Unusable for one that is not in the list. */
export function receiverIn(list: readonly Receiver[], id: string): Receiver {
  if (id === noReceiver.id) return noReceiver;
  const found = list.find((r) => r.id === id);
  if (!found) throw new Unusable('no-such-receiver', `There is no receiver "${id}".`, `There are ${list.map((r) => r.id).join(', ')}, and none.`);
  return found;
}
