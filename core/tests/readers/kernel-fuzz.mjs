// One process of the kernels' fuzz run: reads mutated copies of a file, one after the other, and tells after each which it was.
// node kernel-fuzz.mjs SOURCE ENDING SEED FROM TO
import { readFileSync } from 'node:fs';
import { usualChoices } from '../../dist/model/choices.js';
import { readDesign } from '../../dist/pipeline/read.js';
import { nodeKernels } from '../../dist/kernel/load.js';

const [, , file, ending, seedText, fromText, toText] = process.argv;
const source = readFileSync(file, 'latin1');

/** A repeatable stream of numbers below n (minimal standard generator: Park and Miller, 1988), begun anew for each file. */
function dice(seed) {
  let state = seed;
  return (n) => (state = (state * 16807) % 2147483647) % n;
}

/** A changed copy of a text: pieces cut, numbers and references put elsewhere, signs thrown in. */
function mutated(random) {
  let s = source;
  for (let j = 0; j <= random(4); j++) {
    const at = random(s.length);
    const what = random(5);
    if (what === 0) s = s.slice(0, at) + s.slice(at + random(30));
    else if (what === 1) s = s.slice(0, at) + String(random(99)) + s.slice(at);
    else if (what === 2) {
      const mark = s.indexOf('#', at);
      if (mark > 0) s = `${s.slice(0, mark + 1)}${random(400)}${s.slice(mark + 3)}`;
    } else if (what === 3) s = s.slice(0, at) + ['$', '*', '1E400', '-', '(', ')', "'", ',', ';'][random(9)] + s.slice(at + 1);
    else if (random(4) === 0) s = s.slice(0, at);
  }
  return s;
}

for (let i = Number(fromText); i < Number(toText); i++) {
  const random = dice(Number(seedText) * 100_003 + i + 1);
  for (let k = 0; k < 5; k++) random(7);
  const bytes = Buffer.from(mutated(random), 'latin1');
  process.stdout.write(`at ${i}\n`);
  let word = 'read';
  try {
    const design = await readDesign(bytes, `fuzz.${ending}`, nodeKernels, { ...usualChoices, bad: ['keep', 'leave', 'stop'][i % 3] });
    if (!design.parts.every((p) => Number.isFinite(p.summary.volume)) || !design.findings.every((f) => f.message.endsWith('.'))) word = 'wrong';
  } catch (thrown) {
    word = thrown.name === 'Unusable' ? 'refused' : `crash ${String(thrown.stack).replaceAll('\n', ' ').slice(0, 300)}`;
  }
  process.stdout.write(`${word} ${i} ${Math.round(process.memoryUsage().rss / 1e6)}\n`);
}
process.exit(0);
