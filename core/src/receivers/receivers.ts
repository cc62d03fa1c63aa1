export type FileFormat = 'stl' | '3mf' | 'obj' | 'ply' | 'step';

/** What people call each format that is written. */
export const formatNames: Record<FileFormat, string> = { stl: 'STL', '3mf': '3MF', obj: 'OBJ', ply: 'PLY', step: 'STEP' };

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
}

/** The machines that ship: two printers and a router whose software takes Y for up. Names invented; beds, bead and limits are common practice. */
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
    overhang: 90,
    up: 'y',
    clearance: 0.1,
    layer: 0.5,
    spacing: 10,
  },
];

/** @throws RangeError for a receiver that is not known. */
export function receiverOf(id: string): Receiver {
  const found = receivers.find((r) => r.id === id);
  if (!found) throw new RangeError(`unknown receiver ${id}`);
  return found;
}
