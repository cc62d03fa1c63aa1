import { readBrepText } from 'tall-kite/exact/brep-text';
import { makeFacets } from 'tall-kite/facets/make';
import { binaryStl } from 'tall-kite/formats/stl/write';
import type { Mesh } from 'tall-kite/geometry/mesh';
import { SolidBuilder, type NamedPart, type Solid } from 'tall-kite/kernel/build';
import { OpenSolid } from 'tall-kite/kernel/facets';
import { workingKernel } from 'tall-kite/kernel/load';

/** A file of the scenario, as a person would drop it in. All names and sizes are invented. */
export interface DemoFile {
  name: string;
  bytes: Uint8Array;
}

const ink = '#33548c';
const sand = '#d1bd94';
const rust = '#b85433';

/** Sensor housing: a rounded box, hollow, open below, with three cable holes in its lid. */
export function sensorHousing(b: SolidBuilder): Solid {
  const outside = b.rounded(b.box([0, 0, 0], [96, 64, 42]), 9, ([, , z]) => z > 1);
  const hollow = b.cut(outside, b.rounded(b.box([2.4, 2.4, -10], [91.2, 59.2, 49.6]), 6.6));
  return b.cut(hollow, ...[28, 48, 68].map((x) => b.cylinder([x, 32, 30], [0, 0, 1], 4.5, 20)));
}

/** Anemometer cup: a half ball with a thin wall and a rolled rim. */
export function cup(b: SolidBuilder): Solid {
  const r = 29;
  const wall = 1.6;
  const k = Math.SQRT1_2;
  return b.revolved(
    [r, 0],
    [
      { to: [0, r], through: [r * k, r * k] },
      { to: [0, r - wall] },
      { to: [r - wall, 0], through: [(r - wall) * k, (r - wall) * k] },
      { to: [r, 0], through: [r - wall / 2, -wall / 2] },
    ],
  );
}

/** Vane: a swept tail of B-spline faces on a boss. */
export function vane(b: SolidBuilder): Solid {
  const ring = (z: number, length: number, thick: number): [number, number, number][] =>
    [
      [0, -thick],
      [length * 0.4, -thick * 1.3],
      [length, -0.8],
      [length, 0.8],
      [length * 0.4, thick * 1.3],
      [0, thick],
    ].map(([x, y]) => [x, y, z]);
  const tail = b.lofted([ring(0, 60, 2.2), ring(30, 74, 2), ring(58, 52, 1.6)]);
  const boss = b.cut(b.cylinder([0, 0, 0], [0, 0, 1], 9, 22), b.cylinder([0, 0, -1], [0, 0, 1], 4.1, 30));
  return b.cut(b.joined(boss, tail), b.cylinder([0, 0, -1], [0, 0, 1], 4.1, 80));
}

/** Hub: carries three cup arms; bore for an 8 mm mast. */
export function hub(b: SolidBuilder): Solid {
  const body = b.rounded(b.cylinder([0, 0, 0], [0, 0, 1], 11, 14), 2, ([, , z]) => z > 13);
  const arms = [0, 1, 2].map((i) => b.cylinder([0, 0, 7], [Math.cos((i * 2 * Math.PI) / 3), Math.sin((i * 2 * Math.PI) / 3), 0], 2.1, 20));
  return b.cut(body, b.cylinder([0, 0, -1], [0, 0, 1], 4.1, 20), ...arms);
}

/** Mast clamp: an assembly of named and coloured parts, one of them four times. */
function mastClamp(b: SolidBuilder): NamedPart[] {
  const half = b.cut(
    b.rounded(b.box([-24, 0, 0], [48, 18, 30]), 3, ([x, y]) => Math.abs(x) > 20 && y > 17),
    b.cylinder([0, 0, -1], [0, 0, 1], 11, 40),
  );
  const drilled = b.cut(
    half,
    ...[
      [-18, 8],
      [-18, 22],
      [18, 8],
      [18, 22],
    ].map(([x, z]) => b.cylinder([x, -1, z], [0, 1, 0], 1.7, 30)),
  );
  const bolt = b.joined(b.cylinder([0, 0, 0], [0, 1, 0], 1.5, 24), b.cylinder([0, 24, 0], [0, 1, 0], 2.75, 3));
  const mast = b.cylinder([0, 0, -40], [0, 0, 1], 10.8, 120);
  return [
    { name: 'Mast', colour: sand, shape: mast, places: [[0, 0, 0]] },
    { name: 'Clamp half', colour: ink, shape: drilled, places: [[0, 0, 0]] },
    {
      name: 'Clamp bolt',
      colour: rust,
      shape: bolt,
      places: [
        [-18, 0, 8],
        [-18, 0, 22],
        [18, 0, 8],
        [18, 0, 22],
      ],
    },
  ];
}

function stl(mesh: Mesh, perUnit: number, header: string): Uint8Array {
  return Buffer.concat([...binaryStl(mesh, perUnit, header)]);
}

/** The scenario's files, made anew each time with the core. */
export async function demoFiles(): Promise<DemoFile[]> {
  const kernel = await workingKernel();
  const b = new SolidBuilder(kernel);
  const single = (name: string, file: string, shape: Solid, colour: string): DemoFile => ({
    name: file,
    bytes: b.step(name, [{ name, colour, shape, places: [[0, 0, 0]] }]),
  });
  const mesh = (solid: Solid, deviation: number): Mesh => {
    const text = b.brep(solid);
    const open = new OpenSolid(kernel, text);
    const facets = makeFacets(open, readBrepText(text), { deviation, angle: 15 });
    open.close();
    return facets;
  };
  const hubMesh = mesh(hub(b), 0.05);
  const guard = mesh(b.cut(b.rounded(b.box([0, 0, 0], [70, 40, 16]), 4), b.cylinder([35, 20, -1], [0, 0, 1], 9, 30)), 0.08);
  const torn = { positions: guard.positions, triangles: guard.triangles.filter((_, i) => Math.floor(i / 3) % 97 !== 11 && Math.floor(i / 3) % 97 !== 12) };
  return [
    single('Sensor housing', 'WS-101 sensor housing.step', sensorHousing(b), ink),
    single('Cup', 'WS-104 cup.step', cup(b), rust),
    single('Vane', 'WS-106 vane.step', vane(b), sand),
    { name: 'WS-110 mast clamp.step', bytes: b.step('Mast clamp', mastClamp(b)) },
    { name: 'WS-105 hub.stl', bytes: stl(hubMesh, 25.4, 'hub') },
    { name: 'WS-108 rain guard.stl', bytes: stl(torn, 1, 'rain guard') },
  ];
}
