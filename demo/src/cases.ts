import { SolidBuilder, type NamedPart, type Solid } from 'tall-kite/kernel/build';
import { workingKernel } from 'tall-kite/kernel/load';
import type { DemoFile } from './designs.ts';

type Rows = [number, number, number, number, number, number, number, number, number, number, number, number];
const up = [0, 0, 1] as [number, number, number];
/** Standing on a long edge: what lay along X, Y, Z stands along X, Z, -Y. */
const standing = (x: number, y: number, z: number): Rows => [1, 0, 0, x, 0, 0, -1, y, 0, 1, 0, z];
/** Standing across: along Y, Z, X. */
const across = (x: number, y: number, z: number): Rows => [0, 0, 1, x, 1, 0, 0, y, 0, 1, 0, z];

/** A crate for the station's instruments, 12 mm birch plywood: ends with hand holes, dividers halved into each other, a bottom in grooves. */
export async function instrumentCrate(): Promise<DemoFile> {
  const b = new SolidBuilder(await workingKernel());
  const [l, w, h, t] = [720, 460, 300, 12];
  const side = () => b.cut(b.box([0, 0, 0], [l, h, t]), b.box([-1, 24, t - 4], [l + 2, t + 0.3, 10]), b.box([l / 2 - 6.2, 90, t - 4], [12.4, h, 10]));
  const slot = (from: number) =>
    b.joined(b.box([from, 188, -1], [110, 34, t + 2]), b.joined(b.cylinder([from, 205, -1], up, 17, t + 2), b.cylinder([from + 110, 205, -1], up, 17, t + 2)));
  const end = () => b.cut(b.box([0, 0, 0], [w - 2 * t, h, t]), slot((w - 2 * t) / 2 - 55), b.box([-1, 24, t - 4], [w, t + 0.3, 10]));
  const parts: NamedPart[] = [];
  const add = (name: string, shape: Solid, places: Rows[], colour = '#d1bd94') =>
    parts.push({ name, colour, shape: b.placed(shape, places[0]), places: [[0, 0, 0]] });
  add('Side front', side(), [standing(0, t, 0)]);
  add('Side back', side(), [[-1, 0, 0, l, 0, 0, 1, w - t, 0, 1, 0, 0]]);
  add('End left', end(), [[0, 0, -1, t, 1, 0, 0, t, 0, 1, 0, 0]]);
  add('End right', end(), [across(l - t, t, 0)]);
  add('Bottom', b.box([0, 0, 0], [l - 2 * t + 7, w - 2 * t + 7, t]), [[1, 0, 0, t - 3.5, 0, 1, 0, t - 3.5, 0, 0, 1, 24]]);
  add(
    'Lid',
    b.cut(
      b.box([0, 0, 0], [l, w, t]),
      b.cylinder([60, 60, -1], up, 4, 20),
      b.cylinder([l - 60, 60, -1], up, 4, 20),
      b.cylinder([60, w - 60, -1], up, 4, 20),
      b.cylinder([l - 60, w - 60, -1], up, 4, 20),
    ),
    [[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, h]],
  );
  add('Divider long', b.cut(b.box([0, 0, 0], [l - 2 * t, 180, t]), b.box([(l - 2 * t) / 2 - 6.2, 90, -1], [12.4, 200, 20])), [standing(t, w / 2 + 6, 40)]);
  add('Divider short', b.cut(b.box([0, 0, 0], [w - 2 * t + 7, 180, t]), b.box([(w - 2 * t + 7) / 2 - 6.2, -1, -1], [12.4, 91, 20])), [
    across(l / 2 - 6, t - 3.5, 40),
  ]);
  for (let i = 0; i < 4; i++)
    add(
      `Foot ${i + 1}`,
      b.cut(b.cylinder([0, 0, 0], up, 28, t), b.cylinder([0, 0, -1], up, 2.6, 20)),
      [[1, 0, 0, i % 2 === 0 ? 40 : l - 40, 0, 1, 0, i < 2 ? 40 : w - 40, 0, 0, 1, -t]],
      '#5c7a6a',
    );
  for (let i = 0; i < 2; i++) add(`Runner ${i + 1}`, b.box([0, 0, 0], [w, 30, 30]), [[0, -1, 0, i === 0 ? 150 : l - 120, 1, 0, 0, 0, 0, 0, 1, -42]], '#b85433');
  return { name: 'WS-301 instrument crate.step', bytes: b.step('Instrument crate', parts) };
}

/** A tool chest of 16 mm board with a back of 6 mm: sides with rows of blind holes, which are mirror images, hinge cups in the doors, and dowel holes in edges. */
export async function toolChest(): Promise<DemoFile> {
  const b = new SolidBuilder(await workingKernel());
  const [w, d, h, t] = [640, 380, 720, 16];
  const rows = (left: boolean) =>
    Array.from({ length: 2 * 12 }, (_, i) => b.cylinder([96 + 32 * (i % 12), i < 12 ? 37 : d - 69, left ? t - 12 : -1], up, 2.5, left ? 20 : 13));
  const side = (left: boolean) => b.cut(b.box([0, 0, 0], [h, d, t]), ...rows(left), b.box([-1, d - 16, left ? t - 8 : -1], [h + 2, 6.2, left ? 20 : 9]));
  const dowels = (s: Solid, long: number) =>
    b.cut(s, ...[60, d / 2 - 20, d - 100].flatMap((y) => [b.cylinder([-1, y, t / 2], [1, 0, 0], 4, 25), b.cylinder([long + 1, y, t / 2], [-1, 0, 0], 4, 25)]));
  const parts: NamedPart[] = [];
  const add = (name: string, shape: Solid, rowsAt: Rows, colour = '#c9c2b4') =>
    parts.push({ name, colour, shape: b.placed(shape, rowsAt), places: [[0, 0, 0]] });
  add('Side left', side(true), [0, 0, 1, 0, 0, 1, 0, 0, -1, 0, 0, h]);
  add('Side right', side(false), [0, 0, 1, w - t, 0, 1, 0, 0, -1, 0, 0, h]);
  const inner = w - 2 * t;
  add('Floor', dowels(b.box([0, 0, 0], [inner, d - 16, t]), inner), [1, 0, 0, t, 0, 1, 0, 0, 0, 0, 1, 0]);
  add('Top', dowels(b.box([0, 0, 0], [inner, d - 16, t]), inner), [-1, 0, 0, w - t, 0, -1, 0, d - 16, 0, 0, 1, h - t]);
  for (let i = 0; i < 3; i++) add(`Shelf ${i + 1}`, b.box([0, 0, 0], [inner - 2, d - 40, t]), [1, 0, 0, t + 1, 0, 1, 0, 10, 0, 0, 1, 160 + 140 * i]);
  const door = (left: boolean) =>
    b.cut(b.box([0, 0, 0], [w / 2 - 2, h - 4, t]), ...[100, h - 104].map((y) => b.cylinder([left ? 22.5 : w / 2 - 24.5, y, 3], up, 17.5, 20)));
  add('Door left', door(true), [1, 0, 0, 1, 0, 0, -1, -2, 0, 1, 0, 2], '#33548c');
  add('Door right', door(false), [1, 0, 0, w / 2 + 1, 0, 0, -1, -2, 0, 1, 0, 2], '#33548c');
  add('Back', b.box([0, 0, 0], [w - 2 * t + 14, h - 4, 6]), [1, 0, 0, t - 7, 0, 0, -1, d - 10, 0, 1, 0, 2], '#d1bd94');
  for (let i = 0; i < 2; i++)
    add(
      `Knob ${i + 1}`,
      b.joined(b.cylinder([0, 0, 0], up, 6, 14), b.sphere([0, 0, 24], 14)),
      [1, 0, 0, w / 2 + (i === 0 ? -40 : 40), 0, 0, -1, -18, 0, 1, 0, 400],
      '#b85433',
    );
  return { name: 'WS-302 tool chest.step', bytes: b.step('Tool chest', parts) };
}

/** What the sources do not say: material, grain. Cases are cut from two materials. */
export const demoCasesList = [
  'part number,name,quantity,material,thickness',
  ...['Side front', 'End left', 'Bottom', 'Lid', 'Divider long', 'Divider short', 'Foot 1', 'Side back', 'End right', 'Foot 2', 'Foot 3', 'Foot 4'].map(
    (n, i) => `IC-${String(i + 1).padStart(2, '0')},${n},1,birch plywood,`,
  ),
  ...['Side left', 'Side right', 'Floor', 'Top', 'Shelf 1', 'Shelf 2', 'Shelf 3', 'Door left', 'Door right'].map(
    (n, i) => `TC-${String(i + 1).padStart(2, '0')},${n},1,MDF,`,
  ),
  'TC-20,Back,1,birch plywood,',
].join('\n');

export const demoCases = async (): Promise<DemoFile[]> => [await instrumentCrate(), await toolChest()];
