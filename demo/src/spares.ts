import { SolidBuilder, type NamedPart, type Solid } from 'tall-kite/kernel/build';
import { foldedPart } from 'tall-kite/kernel/sheet-build';
import { workingKernel } from 'tall-kite/kernel/load';
import type { DemoFile } from './designs.ts';
import { demoDrawings } from './drawings.ts';
import { demoReliefs } from './reliefs.ts';

const inks = ['#33548c', '#d1bd94', '#b85433', '#5c7a6a'];

const washer = (b: SolidBuilder, bore: number, outer: number, thick: number): Solid =>
  b.cut(b.cylinder([0, 0, 0], [0, 0, 1], outer / 2, thick), b.cylinder([0, 0, -1], [0, 0, 1], bore / 2, thick + 2));

const peg = (b: SolidBuilder, r: number, length: number): Solid =>
  b.joined(b.cylinder([0, 0, 0], [0, 0, 1], r * 1.8, 3), b.cylinder([0, 0, 2.5], [0, 0, 1], r, length));

const strap = (b: SolidBuilder, length: number, holes: number): Solid =>
  b.cut(
    b.box([0, 0, 0], [length, 16, 3]),
    ...Array.from({ length: holes }, (_, i) => b.cylinder([8 + (i * (length - 16)) / (holes - 1), 8, -1], [0, 0, 1], 2.2, 5)),
  );

const cleat = (b: SolidBuilder, width: number): Solid =>
  foldedPart(b, 1.5, {
    outline: [[0, 0], [40, 0], [40, width], [0, width]], // prettier-ignore
    holes: [{ at: [14, width / 2], r: 2.6 }],
    flanges: [{ from: [40, 0], to: [40, width], angle: 90, radius: 2, up: true, wall: { outline: [[0, 0], [width, 0], [width, 22], [0, 22]] } }], // prettier-ignore
  });

/** Spare parts of the wind station by name, of invented sizes; revision B has a longer strap, a wider cleat, one peg less and one more washer. */
function spareShapes(b: SolidBuilder, revision: 'A' | 'B'): [string, Solid][] {
  const next = revision === 'B';
  return [
    ...[3, 4, 5, 6, 8].map((d): [string, Solid] => [`Washer ${d}`, washer(b, d + 0.4, 2.2 * d, 1.2)]),
    ...(next ? [['Washer 10', washer(b, 10.5, 21, 1.6)] as [string, Solid]] : []),
    ...[6, 8, 10, 12, 16, 20].map((l): [string, Solid] => [`Spacer ${l}`, washer(b, 4.3, 9, l)]),
    ...[12, 18, 24, 30, 36].filter((l) => !next || l !== 36).map((l): [string, Solid] => [`Peg ${l}`, peg(b, 2.5, l)]), // prettier-ignore
    ...[3, 4, 5, 6].map((n): [string, Solid] => [`Strap ${n} holes`, strap(b, 20 * n + (next && n === 5 ? 12 : 0), n)]),
    ...[20, 30, 40].map((w): [string, Solid] => [`Cleat ${w}`, cleat(b, w + (next && w === 30 ? 4 : 0))]),
  ];
}

/** A shelf of small things that are used again: spares, marks, drawings, reliefs. */
export async function demoShelf(): Promise<{ name: string; bytes: Uint8Array; tags: string[] }[]> {
  const b = new SolidBuilder(await workingKernel());
  const solids = spareShapes(b, 'B').map(([name, shape]) => {
    const [kind] = name.toLowerCase().split(' ');
    return { name: `${name.toLowerCase()}.step`, bytes: b.step(name, [{ name, colour: inks[1], shape, places: [[0, 0, 0]] }]), tags: [kind, 'spares'] };
  });
  const drawings = demoDrawings()
    .slice(0, 4)
    .map((d) => ({ name: d.name, bytes: d.bytes, tags: ['drawings'] }));
  const reliefs = demoReliefs().map((d) => ({ name: d.name, bytes: d.bytes, tags: ['reliefs'] }));
  return [...solids, ...drawings, ...reliefs];
}

/** All spare parts as one file. */
export async function demoSpares(revision: 'A' | 'B'): Promise<DemoFile> {
  const b = new SolidBuilder(await workingKernel());
  const list = spareShapes(b, revision);
  const parts: NamedPart[] = list.map(([name, shape], i) => ({ name, colour: inks[i % inks.length], shape, places: [[(i % 6) * 110, Math.floor(i / 6) * 60, 0]] })); // prettier-ignore
  return { name: `station-spares_${revision}.step`, bytes: b.step('Station spares', parts) };
}

/** What the source does not say: part numbers, stock and quantities. */
export const demoPartsList = [
  'part number,name,quantity,material,thickness',
  ...[3, 4, 5, 6, 8].map((d, i) => `SP-1${i + 1},Washer ${d},12,PETG,1.2`),
  ...[6, 8, 10, 12, 16, 20].map((l, i) => `SP-2${i + 1},Spacer ${l},4,PETG,`),
  ...[12, 18, 24, 30, 36].map((l, i) => `SP-3${i + 1},Peg ${l},6,PLA,`),
  ...[3, 4, 5, 6].map((n, i) => `SP-4${i + 1},Strap ${n} holes,2,PETG,3`),
  ...[20, 30, 40].map((w, i) => `SP-5${i + 1},Cleat ${w},2,aluminium 5754,1.5`),
].join('\n');
