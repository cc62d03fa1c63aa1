import { binaryStl } from 'tall-kite/formats/stl/write';
import type { Mesh } from 'tall-kite/geometry/mesh';
import { SolidBuilder, type Solid } from 'tall-kite/kernel/build';
import { workingKernel } from 'tall-kite/kernel/load';
import type { DemoFile } from './designs.ts';

/** Rings and spokes of the sail's mesh. */
const [rings, spokes] = [22, 72];

/** The dome sail of the kite: a shell as an egg's end, its rim drawn in between six lines. mm. */
export function domeSail(): Mesh {
  const positions: number[] = [0, 0, 420];
  const triangles: number[] = [];
  const at = (ring: number, spoke: number) => 1 + (ring - 1) * spokes + (spoke % spokes);
  for (let k = 1; k <= rings; k++)
    for (let i = 0; i < spokes; i++) {
      const turn = (2 * Math.PI * i) / spokes;
      const rim = 800 * (1 + 0.05 * Math.cos(6 * turn));
      const share = k / rings;
      const r = rim * share;
      positions.push(r * Math.cos(turn), 0.86 * r * Math.sin(turn), 420 * (1 - 0.62 * share ** 2 - 0.38 * share ** 4));
    }
  for (let i = 0; i < spokes; i++) {
    triangles.push(0, at(1, i), at(1, i + 1));
    for (let k = 1; k < rings; k++) triangles.push(at(k, i), at(k + 1, i), at(k + 1, i + 1), at(k, i), at(k + 1, i + 1), at(k, i + 1));
  }
  return { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) };
}

/** The seat pad of the winder's bench: a block with a dished top. mm. */
export function seatPad(b: SolidBuilder): Solid {
  const block = b.rounded(b.box([0, 0, 0], [420, 380, 75]), 60, ([, , z]) => z > 30 && z < 45);
  return b.cut(block, b.sphere([210, 190, 75 + 900 - 50], 900));
}

/** The cover of the anemometer's post: a cone that unrolls exactly. mm. */
export function postCover(b: SolidBuilder): Solid {
  return b.revolved([20, 0], [{ to: [90, 0] }, { to: [20, 150] }, { to: [20, 0] }]);
}

/** Surfaces that become cloth, leather and sheet. */
export async function demoPatches(): Promise<DemoFile[]> {
  const b = new SolidBuilder(await workingKernel());
  return [
    { name: 'WS-520 dome sail.stl', bytes: Buffer.concat([...binaryStl(domeSail(), 1, 'Dome sail, mm')]) },
    { name: 'WS-524 seat pad.step', bytes: b.step('Bench', [{ name: 'Seat pad', colour: '#9c7a4d', shape: seatPad(b), places: [[0, 0, 0]] }]) },
    { name: 'WS-526 post cover.step', bytes: b.step('Post', [{ name: 'Post cover', colour: '#7a8794', shape: postCover(b), places: [[0, 0, 0]] }]) },
  ];
}
