import { readBrepText } from 'tall-kite/surfaces/brep-text';
import { kernelFacets } from 'tall-kite/facets/make';
import { objFile } from 'tall-kite/formats/obj/write';
import { binaryStl } from 'tall-kite/formats/stl/write';
import { threeMfFile } from 'tall-kite/formats/threemf/write';
import { identityRows } from 'tall-kite/geometry/rows';
import { together } from 'tall-kite/geometry/shells';
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

/** Mast bracket: an arm on a foot, with a quarter round below the arm that droops when printed standing. */
export function mastBracket(b: SolidBuilder): Solid {
  const k = Math.SQRT1_2;
  const profile = b.raised(
    [0, 0],
    [
      { to: [18, 0] },
      { to: [18, 22] },
      { to: [36, 40], through: [18 + 18 * (1 - k), 22 + 18 * k] },
      { to: [52, 40] },
      { to: [52, 48] },
      { to: [0, 48] },
      { to: [0, 0] },
    ],
    20,
  );
  return b.cut(profile, b.cylinder([44, 60, 10], [0, -1, 0], 3.2, 40), b.cylinder([9, -1, 10], [0, 1, 0], 4.1, 60));
}

/** A relief of waves for the carved sign: an open surface, made with Y up as picture programs do. */
function waves(): Mesh {
  const [nx, ny] = [90, 56];
  const positions = new Float64Array((nx + 1) * (ny + 1) * 3);
  for (let j = 0; j <= ny; j++) {
    for (let i = 0; i <= nx; i++) {
      const [x, y] = [i * 2, j * 2];
      positions.set([x, 6 + 2.4 * Math.sin(x / 9 + 1.3 * Math.sin(y / 17)) + 1.1 * Math.cos(y / 8), -y], (j * (nx + 1) + i) * 3);
    }
  }
  const t: number[] = [];
  for (let j = 0; j < ny; j++) {
    for (let i = 0; i < nx; i++) {
      const a = j * (nx + 1) + i;
      t.push(a, a + 1, a + nx + 2, a, a + nx + 2, a + nx + 1);
    }
  }
  return { positions, triangles: Uint32Array.from(t) };
}

/** A float for the rain gauge as it came from somebody else: two balls and a rod pushed into each other, a crumb, some triangles turned. */
function pushedTogether(meshes: Mesh[]): Mesh {
  const all = together(meshes);
  const t = all.triangles.slice();
  for (let i = 40; i < t.length / 3; i += 331) [t[i * 3], t[i * 3 + 1]] = [t[i * 3 + 1], t[i * 3]];
  return { positions: all.positions, triangles: t };
}

const shiftedBy = (mesh: Mesh, by: readonly number[]): Mesh => ({ positions: mesh.positions.map((v, i) => v + by[i % 3]), triangles: mesh.triangles });

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
    const facets = kernelFacets(open, readBrepText(text), { deviation, angle: 15 });
    open.close();
    return facets;
  };
  const hubMesh = mesh(hub(b), 0.05);
  const guard = mesh(b.cut(b.rounded(b.box([0, 0, 0], [70, 40, 16]), 4), b.cylinder([35, 20, -1], [0, 0, 1], 9, 30)), 0.08);
  const torn = { positions: guard.positions, triangles: guard.triangles.filter((_, i) => Math.floor(i / 3) % 97 !== 11 && Math.floor(i / 3) % 97 !== 12) };
  const ball = mesh(b.sphere([0, 0, 0], 16), 0.1);
  const float = pushedTogether([
    ball,
    shiftedBy(mesh(b.sphere([0, 0, 0], 11), 0.1), [0, 0, 24]),
    mesh(b.cylinder([0, 0, 10], [0, 0, 1], 3, 40), 0.1),
    shiftedBy(mesh(b.box([0, 0, 0], [0.4, 0.4, 0.4]), 0.1), [22, 4, 0]),
  ]);
  const side = mesh(b.cut(b.rounded(b.cylinder([0, 0, 0], [0, 0, 1], 38, 6), 1.5), b.cylinder([0, 0, -1], [0, 0, 1], 6.1, 9)), 0.1);
  const core = mesh(b.cut(b.cylinder([0, 0, 0], [0, 0, 1], 14, 40), b.cylinder([0, 0, -1], [0, 0, 1], 6.1, 50)), 0.1);
  return [
    single('Sensor housing', 'WS-101 sensor housing.step', sensorHousing(b), ink),
    single('Cup', 'WS-104 cup.step', cup(b), rust),
    single('Vane', 'WS-106 vane.step', vane(b), sand),
    { name: 'WS-110 mast clamp.step', bytes: b.step('Mast clamp', mastClamp(b)) },
    single('Mast bracket', 'WS-103 mast bracket.step', mastBracket(b), sand),
    { name: 'WS-112 sign relief.obj', bytes: Buffer.concat([...objFile([{ name: 'Sign relief', mesh: waves() }], 1, 'mm', true)]) },
    { name: 'WS-109 gauge float.stl', bytes: stl(float, 1, 'gauge float') },
    {
      name: 'WS-115 winder.3mf',
      bytes: Buffer.concat([
        ...threeMfFile(
          [
            { name: 'Winder side', partNumber: 'WS-115-1', colour: ink, mesh: side, places: [identityRows, [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 46]] },
            { name: 'Winder core', partNumber: 'WS-115-2', colour: rust, mesh: core, places: [[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 6]] },
          ],
          'mm',
          1,
          'Winder',
        ),
      ]),
    },
    { name: 'WS-105 hub.stl', bytes: stl(hubMesh, 25.4, 'hub') },
    { name: 'WS-108 rain guard.stl', bytes: stl(torn, 1, 'rain guard') },
  ];
}
