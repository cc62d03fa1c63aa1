// STEP: opened by ourselves beside the exact-geometry kernel (opencascade.js), which opens the same bytes in the same run: parts, faces and volumes are compared.
import { readFileSync } from 'node:fs';
import { openOwnStep } from '../core/dist/formats/step/open.js';
import { SolidBuilder } from '../core/dist/kernel/build.js';
import { openingKernel, workingKernel } from '../core/dist/kernel/load.js';
import { openStep } from '../core/dist/kernel/open-step.js';

/** Rounded plates with four holes, each of its own length: 30 faces a plate. */
function plates(b, n) {
  const corners = [[10, 10], [50, 10], [10, 30], [50, 30]]; // prettier-ignore
  const parts = Array.from({ length: n }, (_, i) => {
    const plate = b.rounded(b.box([0, 0, 0], [60 + i * 0.1, 40, 6]), 1.5);
    const shape = b.cut(plate, ...corners.map(([x, y]) => b.cylinder([x, y, -1], [0, 0, 1], 2 + i * 0.005, 10)));
    return { name: `Plate ${i + 1}`, colour: '#808080', shape, places: [[i * 70, 0, 0]] };
  });
  return b.step('Plates', parts);
}

/** Boxes of different sizes. */
const boxes = (b, n) => b.step('Boxes', Array.from({ length: n }, (_, i) => ({ name: `Box ${i + 1}`, colour: '#808080', shape: b.box([0, 0, 0], [10 + i * 0.01, 20, 30]), places: [[i * 20, 0, 0]] }))); // prettier-ignore

/** What a piece of work gives, and how long it took, ms. */
const timed = (work) => {
  const from = performance.now();
  return [work(), performance.now() - from];
};

export async function benchStep({ row, ms }) {
  const b = new SolidBuilder(await workingKernel());
  const kernel = await openingKernel();
  const as1 = new Uint8Array(readFileSync(new URL('../core/tests/data/as1-oc-214.stp', import.meta.url)));
  const files = [
    ['as1-oc-214.stp', as1, 0.25],
    ['60 rounded plates with holes', plates(b, 60), 0.1],
    ['500 boxes', boxes(b, 500), 0.1],
  ];
  // Both have run before they are timed.
  for (const open of [(bytes) => openOwnStep(bytes, 1e-5), (bytes) => openStep(kernel, bytes)]) for (let i = 0; i < 2; i++) open(as1.slice());
  for (const [name, bytes, wanted] of files) {
    const [own, mine] = timed(() => openOwnStep(bytes.slice(), 1e-5));
    const [theirs, peer] = timed(() => openStep(kernel, bytes));
    const apart = Math.max(...own.parts.map((p, i) => Math.abs(p.volume / theirs.parts[i].volume - 1)));
    const same = own.parts.length === theirs.parts.length && own.parts.every((p, i) => p.faces === theirs.parts[i].faces && p.name === theirs.parts[i].name);
    const size = `${(bytes.length / 1e6).toFixed(1)} MB`;
    const figure = `${ms(mine)}${same ? '' : ', OTHER PARTS'}`;
    row(
      `STEP opened: ${name} (${size})`,
      figure,
      `the kernel, ${ms(peer)}; volumes within ${apart.toExponential(0)}`,
      mine / peer,
      `<= ${wanted}`,
      same && mine / peer <= wanted,
    );
  }
}
