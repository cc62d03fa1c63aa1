import type { SolidBuilder, Solid } from 'tall-kite/kernel/build';
import { foldedPart, type WallSpec } from 'tall-kite/kernel/sheet-build';
import { SolidBuilder as Builder } from 'tall-kite/kernel/build';
import { workingKernel } from 'tall-kite/kernel/load';
import type { BendTable } from 'tall-kite/sheet/rules';
import type { DemoFile } from './designs.ts';

type P2 = [number, number];
const rect = (w: number, h: number): P2[] => [
  [0, 0],
  [w, 0],
  [w, h],
  [0, h],
];

/** Mast bracket of folded sheet: a back with two sides and a lip, a pressed dimple that stiffens it, and a welded nut. All sizes are invented. */
export function sheetBracket(b: SolidBuilder): Solid {
  const t = 2;
  const side: WallSpec = {
    outline: [
      [0, 0],
      [70, 0],
      [70, 14],
      [46, 34],
      [0, 34],
    ],
    holes: [{ at: [14, 20], r: 4.1 }],
  };
  const mirrored: WallSpec = {
    outline: [
      [0, 0],
      [70, 0],
      [70, 34],
      [24, 34],
      [0, 14],
    ],
    holes: [{ at: [56, 20], r: 4.1 }],
  };
  const back: WallSpec = {
    outline: [
      [0, 4],
      [4, 4],
      [4, 0],
      [60, 0],
      [60, 4],
      [64, 4],
      [64, 74],
      [0, 74],
    ],
    holes: [
      { at: [14, 58], r: 3.3 },
      { at: [50, 58], r: 3.3 },
      {
        polygon: [
          [22, 12],
          [42, 12],
          [42, 18],
          [22, 18],
        ],
      },
    ],
    flanges: [
      { from: [64, 4], to: [64, 74], angle: 90, radius: 2, up: true, wall: side },
      { from: [0, 74], to: [0, 4], angle: 90, radius: 2, up: true, wall: mirrored },
      { from: [4, 0], to: [60, 0], angle: 60, radius: 3, up: false, wall: { outline: rect(56, 16), holes: [{ at: [28, 9], r: 2.6 }] } },
    ],
  };
  const cap = b.common(b.sphere([32, 58, -8], 12), b.box([16, 42, 0], [32, 32, 20]));
  const hollow = b.common(b.sphere([32, 58, -8], 10), b.box([16, 42, -t], [32, 32, 20]));
  const nut = b.raised(
    [38, 34],
    Array.from({ length: 6 }, (_, i) => ({ to: [32 + 6 * Math.cos(((i + 1) * Math.PI) / 3), 34 + 6 * Math.sin(((i + 1) * Math.PI) / 3)] as P2 })),
    5,
  );
  return foldedPart(b, t, back, { also: [cap, nut], less: [hollow, b.cylinder([32, 34, -t - 1], [0, 0, 1], 2.5, 20)] });
}

/** Enclosure tray: four sides with returns whose corners are mitred, vents in the floor. */
export function enclosureTray(b: SolidBuilder): Solid {
  const t = 1.2;
  const r = 1.5;
  // A gap of 0.8 mm stays open along each mitre.
  const gap = 0.4;
  const wall = (length: number): WallSpec => ({
    outline: rect(length, 32),
    holes: length > 120 ? [{ at: [length / 2, 18], r: 6 }] : [{ at: [length / 2, 18], r: 8 }],
    flanges: [
      {
        from: [length - gap, 32],
        to: [gap, 32],
        angle: 90,
        radius: r,
        up: true,
        wall: {
          outline: [
            [0, 0],
            [length - 2 * gap, 0],
            [length - 2 * gap - 11.5, 11.5],
            [11.5, 11.5],
          ],
          holes: [
            { at: [20, 6], r: 1.7 },
            { at: [length - 20.8, 6], r: 1.7 },
          ],
        },
      },
    ],
  });
  const [w, h] = [160, 100];
  const vents = Array.from({ length: 6 }, (_, i) => ({
    polygon: [
      [40 + i * 14, 30],
      [45 + i * 14, 30],
      [45 + i * 14, 70],
      [40 + i * 14, 70],
    ] as P2[],
  }));
  return foldedPart(b, t, {
    outline: rect(w, h),
    holes: [...[14, w - 14].flatMap((x) => [14, h - 14].map((y) => ({ at: [x, y] as P2, r: 2.2 }))), ...vents],
    flanges: [
      { from: [0, 0], to: [w, 0], angle: 90, radius: r, up: true, wall: wall(w) },
      { from: [w, 0], to: [w, h], angle: 90, radius: r, up: true, wall: wall(h) },
      { from: [w, h], to: [0, h], angle: 90, radius: r, up: true, wall: wall(w) },
      { from: [0, h], to: [0, 0], angle: 90, radius: r, up: true, wall: wall(h) },
    ],
  });
}

/** A closed square tube: it can't be unfolded, and says why. */
export function mastSleeve(b: SolidBuilder): Solid {
  const edges = ([, , z]: readonly number[]) => z > 1 && z < 79;
  return b.cut(
    b.rounded(b.box([0, 0, 0], [40, 40, 80]), 4, edges),
    b.rounded(b.box([2, 2, -1], [36, 36, 82]), 2, ([, , z]) => z > 0 && z < 80),
  );
}

/** The sheet parts of the scenario as STEP files. */
export async function demoSheets(): Promise<DemoFile[]> {
  const b = new Builder(await workingKernel());
  const file = (name: string, fileName: string, shape: Solid): DemoFile => ({
    name: fileName,
    bytes: b.step(name, [{ name, colour: '#8a93a6', shape, places: [[0, 0, 0]] }]),
  });
  return [
    file('Sheet bracket', 'WS-203 sheet bracket.step', sheetBracket(b)),
    file('Enclosure tray', 'WS-204 enclosure tray.step', enclosureTray(b)),
    file('Mast sleeve', 'WS-205 mast sleeve.step', mastSleeve(b)),
  ];
}

/** A bend table of the workshop; figures invented. */
export const demoBendTable: BendTable = {
  name: 'Aluminium 2 mm, V16',
  material: 'aluminium 5754',
  thickness: 2,
  gives: 'k',
  rows: [
    [1.5, 45, 0.4],
    [1.5, 90, 0.38],
    [2, 45, 0.42],
    [2, 60, 0.41],
    [2, 90, 0.4],
    [3, 45, 0.44],
    [3, 60, 0.43],
    [3, 90, 0.42],
  ].map(([radius, angle, value]) => ({ radius, angle, value })),
};
