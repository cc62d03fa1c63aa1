/** A machine's software and its rules. Lengths in mm. */
export interface Receiver {
  id: string;
  name: string;
  process: string;
  /** What it reads. */
  formats: string[];
  /** What it takes a number without a unit for. */
  unit: string;
  bed: [number, number, number];
  /** Width of one bead or pixel, mm. */
  bead: number;
  mostTriangles: number;
  mostBytes: number;
  /** Overhang that prints without support, degrees from the vertical. */
  overhang: number;
}

/** The two printers that ship. Names invented; beds, bead and limits are common practice. */
export const receivers: Receiver[] = [
  {
    id: 'lark',
    name: 'Lark',
    process: 'filament printer',
    formats: ['binary STL', 'ASCII STL'],
    unit: 'mm',
    bed: [250, 210, 210],
    bead: 0.4,
    mostTriangles: 500_000,
    mostBytes: 50_000_000,
    overhang: 45,
  },
  {
    id: 'wren',
    name: 'Wren',
    process: 'resin printer',
    formats: ['binary STL', 'ASCII STL'],
    unit: 'mm',
    bed: [143, 89, 175],
    bead: 0.05,
    mostTriangles: 2_000_000,
    mostBytes: 200_000_000,
    overhang: 30,
  },
];

/** @throws RangeError for a receiver that is not known. */
export function receiverOf(id: string): Receiver {
  const found = receivers.find((r) => r.id === id);
  if (!found) throw new RangeError(`unknown receiver ${id}`);
  return found;
}
