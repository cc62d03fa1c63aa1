// Nesting: figures of the literature in a minute each, and how long a plan takes. Corners and known bests from memory (docs/cutlist.md).
import { budgetOf } from '../core/dist/nesting/budget.js';
import { randomFrom } from '../core/dist/nesting/random.js';
import { fillExactly } from '../core/dist/nesting/saw-exact.js';
import { leavesOf } from '../core/dist/nesting/saw-fill.js';
import { sawn } from '../core/dist/nesting/saw.js';
import { areaOfShape, variantOf } from '../core/dist/nesting/shape.js';
import { startPlaces } from '../core/dist/nesting/start.js';
import { largestFirst, shortened, stripStart } from '../core/dist/nesting/strip.js';

const shape = (...rings) => ({ rings: rings.map((r) => Float64Array.from(r)) });
const blaz = ['0 0 2 -1 4 0 4 3 2 4 0 3', '0 0 3 0 2 2 3 4 3 5 1 5 -1 3 -1 1', '0 0 2 0 3 1 3 3 2 4 0 4 -1 3 -1 1', '0 0 2 1 4 0 3 2 4 5 2 4 0 5 1 3', '0 0 5 0 5 5 4 5 3 3 2 2 0 1', '0 0 2 3 -2 3', '0 0 2 0 2 2 0 2'].map((t) => shape(t.split(' ').map(Number))); // prettier-ignore

function strip(shapes, turns, height, seconds) {
  const pieces = shapes.map((s) => ({ variants: turns.map((t) => variantOf(s, t, false)), rooms: null }));
  const area = shapes.reduce((sum, s) => sum + areaOfShape(s), 0);
  const from = performance.now();
  const first = startPlaces(pieces, largestFirst(pieces), { rooms: [{ width: 2 ** 20, height }], fixed: [] });
  const soon = performance.now() - from;
  const random = randomFrom(3);
  const of = { pieces, height, fixed: [] };
  const start = stripStart(of, random, () => performance.now() - from > 2000);
  const done = shortened(of, start.places, area / height, { random, budget: budgetOf({ seconds }) });
  const low = Math.max(...first.map((p, i) => p.x + pieces[i].variants[p.variant].width));
  return { density: area / height / done.length, start: area / height / low, soon };
}

const percent = (v) => `${(v * 100).toFixed(2)} %`;

export async function benchNesting({ row, ms }) {
  const copies = blaz.flatMap((s) => [s, s, s, s]);
  const found = strip(copies, [0, 180], 15, 60);
  row(
    'blaz, 28 parts, 60 s of search',
    percent(found.density),
    `bottom-left start ${percent(found.start)}`,
    found.start / found.density,
    '>= 80.0 %',
    found.density >= 0.8,
  );
  row('blaz, first answer', ms(found.soon), '', null, '<= 2 s', found.soon <= 2000);
  const cw1 = [[8, 4, 66, 2], [3, 7, 35, 1], [8, 2, 24, 3], [3, 4, 17, 5], [3, 3, 11, 2], [3, 2, 8, 2], [2, 1, 2, 1]].map(([width, height, value, most]) => ({ width, height, value, most, turns: false })); // prettier-ignore
  const from = performance.now();
  const exact = fillExactly(cw1, 15, 10, 0);
  row('CW1, exact', `${exact.value} in ${ms(performance.now() - from)}`, 'known best 244', exact.value / 244, '244', exact.value === 244 && exact.proved);
  for (const seed of [1, 2, 3]) {
    const random = randomFrom(seed);
    const items = Array.from({ length: 25 }, () => ({ width: Math.round(150 + random() * 900), height: Math.round(100 + random() * 600), copies: 4, turns: random() < 0.5 })); // prettier-ignore
    const bound = items.reduce((sum, i) => sum + i.width * i.height * i.copies, 0) / (2800 * 2070);
    const begun = performance.now();
    const { sheets } = sawn({ items, kinds: [{ width: 2800, height: 2070, copies: null, price: 1, remnant: false }] }, { trim: 10, kerf: 4.4, stages: null }, seed, budgetOf({ rounds: 1500 })); // prettier-ignore
    const left = Math.max(...sheets.flatMap((s) => leavesOf(s.root).filter((l) => !l.part).map((l) => l.width * l.height))) / (2800 * 2070); // prettier-ignore
    const used = sheets.length - left;
    row(`panel saw, 100 parts, seed ${seed}`, `${used.toFixed(2)} sheets in ${ms(performance.now() - begun)}`, `area alone ${bound.toFixed(2)}`, used / bound, '<= 1.10', used / bound <= 1.1); // prettier-ignore
  }
}
