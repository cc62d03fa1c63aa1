import { objFile } from 'tall-kite/formats/obj/write';
import { binaryStl } from 'tall-kite/formats/stl/write';
import type { Mesh } from 'tall-kite/geometry/mesh';
import type { DemoFile } from './designs.ts';

/** A surface z = f(x, y) over a rectangle as a regular grid of triangles. */
function overGrid(f: (x: number, y: number) => number, [x0, y0, x1, y1]: readonly number[], [nx, ny]: readonly number[]): Mesh {
  const positions = new Float64Array((nx + 1) * (ny + 1) * 3);
  for (let j = 0, k = 0; j <= ny; j++)
    for (let i = 0; i <= nx; i++, k += 3) {
      const [x, y] = [x0 + ((x1 - x0) * i) / nx, y0 + ((y1 - y0) * j) / ny];
      positions.set([x, y, f(x, y)], k);
    }
  const t: number[] = [];
  for (let j = 0; j < ny; j++)
    for (let i = 0; i < nx; i++) {
      const a = j * (nx + 1) + i;
      t.push(a, a + 1, a + nx + 2, a, a + nx + 2, a + nx + 1);
    }
  return { positions, triangles: Uint32Array.from(t) };
}

/** The wave sign as a relief program leaves it: 210 by 140, heights of up to 15, waves that roll over a rising ground. */
export const waveSign = (): Mesh =>
  overGrid(
    (x, y) => {
      const crest = Math.sin(x / 13 + 1.6 * Math.sin(y / 21));
      return 5 + 0.018 * y + 3.2 * crest * Math.abs(crest) ** 0.4 + 1.4 * Math.cos(y / 9 + x / 40);
    },
    [0, 0, 210, 140],
    [140, 94],
  );

/** The kite field as a survey gives it: metres, far from zero, no unit said. A hill, a brook, the mound of the wind station. */
export const kiteField = (): Mesh =>
  overGrid(
    (x, y) => {
      const [u, v] = [(x - 412_300) / 400, (y - 310_200) / 300];
      const hill = 26 * Math.exp(-((u - 0.68) ** 2 / 0.05 + (v - 0.62) ** 2 / 0.07));
      const brook = -7 * Math.exp(-((v - 0.3 - 0.12 * Math.sin(5 * u)) ** 2) / 0.002);
      const mound = 6 * Math.exp(-((u - 0.25) ** 2 + (v - 0.72) ** 2) / 0.003);
      return 182 + 9 * u + hill + brook + mound + 0.8 * Math.sin(31 * u) * Math.sin(23 * v);
    },
    [412_300, 310_200, 412_700, 310_500],
    [120, 90],
  );

/** A round mark with a raised sail, to be laid over the sign. */
export const roundMark = (): Mesh =>
  overGrid(
    (x, y) => {
      const r = Math.hypot(x, y) / 30;
      const sail = Math.max(0, 1 - Math.abs(x) / 16 - Math.abs(y) / 24);
      return r < 1 ? 1.2 + 1.6 * Math.sqrt(1 - r * r) + 4 * Math.min(0.35, sail) : 0;
    },
    [-32, -32, 32, 32],
    [96, 96],
  );

/** Reliefs and a terrain, to be set into stock. */
export function demoReliefs(): DemoFile[] {
  return [
    { name: 'WS-600 wave sign.stl', bytes: Buffer.concat([...binaryStl(waveSign(), 1, 'Wave sign, mm')]) },
    { name: 'WS-604 kite field.obj', bytes: Buffer.concat([...objFile([{ name: 'Kite field', mesh: kiteField() }], 1, 'mm', false)]) },
    { name: 'WS-606 round mark.stl', bytes: Buffer.concat([...binaryStl(roundMark(), 1, 'Round mark, mm')]) },
  ];
}
