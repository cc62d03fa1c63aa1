import { SolidBuilder, type NamedPart } from 'tall-kite/kernel/build';
import { workingKernel } from 'tall-kite/kernel/load';
import { tubeSolid } from 'tall-kite/kernel/tube-build';
import { stretchesOf } from 'tall-kite/tubes/rebuild';
import { anyAcross, piecesThrough, startOf, type Run } from 'tall-kite/tubes/run';
import { sectionBy } from 'tall-kite/tubes/sections';
import type { DemoFile } from './designs.ts';

type P3 = [number, number, number];
const square = { kind: 'square' as const, slant: 0, normal: null };
const round = (diameter: number, wall: number | null) => sectionBy('round', [diameter, diameter], wall, diameter / 2);

function runThrough(points: P3[], radius: number, section: Run['section']): Run {
  const { pieces } = piecesThrough(points, radius);
  return { section, pieces, across: anyAcross(startOf(pieces[0])), ends: [square, square] };
}

/** Handle of the winder: 16 mm steel tube, four bends in two planes. */
export async function winderHandle(): Promise<DemoFile> {
  const k = await workingKernel();
  const b = new SolidBuilder(k);
  const run = runThrough([[0, 0, 0], [0, 0, 120], [90, 0, 170], [90, 110, 170], [0, 160, 120], [0, 160, 0]], 32, round(16, 1.5)); // prettier-ignore
  const handle = { name: 'Winder handle', colour: '#8a94a6', shape: tubeSolid(k, stretchesOf(run)), places: [[0, 0, 0] as P3] };
  return { name: 'WS-410 winder handle.step', bytes: b.step('Winder handle', [handle]) };
}

/** The frame that a kite is launched from: two sides that are mirror images, three equal bars that lie on them, a brace, foot plates, and a ring that has no end. */
export async function launchingFrame(): Promise<DemoFile> {
  const k = await workingKernel();
  const b = new SolidBuilder(k);
  const tube = round(42.4, 2.6);
  const side: P3[] = [[0, 0, 0], [0, 0, 700], [380, 120, 1050], [900, 120, 1050], [1180, 0, 620], [1180, 0, 0]]; // prettier-ignore
  const wide = 620;
  const mirrored = side.map(([x, y, z]): P3 => [x, wide - y, z]);
  const parts: NamedPart[] = [];
  const add = (name: string, shape: NamedPart['shape'], places: P3[] = [[0, 0, 0]], colour = '#8a94a6') => parts.push({ name, colour, shape, places });
  add('Side left', tubeSolid(k, stretchesOf(runThrough(side, 120, tube))));
  add('Side right', tubeSolid(k, stretchesOf(runThrough(mirrored, 120, tube))));
  // A bar between two uprights, hollowed so that it lies on both.
  const pipe = (r: number, wall: number, from: P3, length: number) =>
    b.cut(b.cylinder(from, [0, 1, 0], r, length), b.cylinder(from, [0, 1, 0], r - wall, length));
  const upright = (x: number, y: number) => b.cylinder([x, y, -200], [0, 0, 1], 21.2, 900);
  add('Cross bar', b.cut(pipe(16.85, 2.6, [0, 0, 300], wide), upright(0, 0), upright(0, wide)), [[0, 0, 0], [1180, 0, 0], [0, 0, 200]]); // prettier-ignore
  add('Foot plate', b.cut(b.box([-60, -60, -8], [120, 120, 8]), b.cylinder([42, 42, -9], [0, 0, 1], 5.5, 10), b.cylinder([-42, -42, -9], [0, 0, 1], 5.5, 10)), [[0, 0, 0], [1180, 0, 0], [0, wide, 0], [1180, wide, 0]], '#5c7a6a'); // prettier-ignore
  add('Line ring', b.torus([640, wide / 2, 1050], [0, 0, 1], 60, 6), [[0, 0, 0]], '#b85433');
  return { name: 'WS-420 launching frame.step', bytes: b.step('Launching frame', parts) };
}

/** A hoop of the mast as a mesh: its bends came as twelve facets each. */
export function mastHoop(): DemoFile {
  const [r, wall, around, facets] = [14, 2, 24, 12];
  const path: { at: P3; along: P3 }[] = [{ at: [0, 0, 0], along: [0, 0, 1] }];
  const [reach, radius, high] = [260, 70, 180];
  for (let i = 0; i <= facets; i++) {
    const a = (Math.PI / 2) * (i / facets);
    path.push({ at: [radius * (1 - Math.cos(a)), 0, high + radius * Math.sin(a)], along: [Math.sin(a), 0, Math.cos(a)] });
  }
  for (let i = 0; i <= facets; i++) {
    const a = (Math.PI / 2) * (i / facets);
    path.push({ at: [reach + radius * Math.sin(a), 0, high + radius * Math.cos(a)], along: [Math.cos(a), 0, -Math.sin(a)] });
  }
  path.push({ at: [reach + radius, 0, 0], along: [0, 0, -1] });
  const ring = (radiusOf: number) =>
    path.map(({ at, along }) =>
      Array.from({ length: around }, (_, k): P3 => {
        const a = (2 * Math.PI * k) / around;
        // Across the plane of the hoop, and in it.
        const [u, v] = [radiusOf * Math.cos(a), radiusOf * Math.sin(a)];
        return [at[0] + v * along[2], at[1] + u, at[2] - v * along[0]];
      }),
    );
  const [outer, inner] = [ring(r), ring(r - wall)];
  const triangles: [P3, P3, P3][] = [];
  const quad = (a: P3, b: P3, c: P3, d: P3) => triangles.push([a, b, c], [a, c, d]);
  for (let i = 0; i + 1 < path.length; i++)
    for (let k = 0; k < around; k++) {
      const j = (k + 1) % around;
      quad(outer[i][k], outer[i + 1][k], outer[i + 1][j], outer[i][j]);
      quad(inner[i][k], inner[i][j], inner[i + 1][j], inner[i + 1][k]);
    }
  for (let k = 0; k < around; k++) {
    const j = (k + 1) % around;
    const last = path.length - 1;
    quad(outer[0][k], outer[0][j], inner[0][j], inner[0][k]);
    quad(outer[last][k], inner[last][k], inner[last][j], outer[last][j]);
  }
  const bytes = new Uint8Array(84 + 50 * triangles.length);
  const view = new DataView(bytes.buffer);
  view.setUint32(80, triangles.length, true);
  triangles.forEach((t, i) => t.flat().forEach((v, k) => view.setFloat32(84 + 50 * i + 12 + 4 * k, v, true)));
  return { name: 'WS-415 mast hoop_mm.stl', bytes };
}

/** Rules of the station's shop for two dies. */
export const demoBendRules = 'material,radius,ratio,offset,elongation\nsteel,32,1.012,1.4,0.6\nsteel,70,1.008,1.1,0.9\nsteel,120,1.006,0.9,1.2\n';

export const demoTubes = async (): Promise<DemoFile[]> => [await winderHandle(), await launchingFrame(), mastHoop()];
