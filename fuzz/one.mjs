// A process of the fuzz run: cases FROM..TO of a target, told one by one, so that whoever watches knows which one it is at.
// node fuzz/one.mjs TARGET FROM TO; node fuzz/one.mjs TARGET CASE FILE writes that case's bytes.
import { writeFileSync, writeSync } from 'node:fs';
import { dice } from './changes.mjs';

/** A case is slow with so much time at work, ms, and large with so much memory, bytes. */
const slow = 5000;
const large = 1e9;

const { runCase, targets } = await import(process.env.FUZZ_TARGETS ?? './targets.mjs');
const [, , name, first, second] = process.argv;
const target = targets.find((t) => t.name === name);
if (!target) throw new Error(`no target "${name}"; known: ${targets.map((t) => t.name).join(', ')}`);
const sources = await target.sources();
if (sources.length === 0) throw new Error(`no file to begin with for "${name}"`);
const seedOf = (i) => [...name].reduce((sum, c) => Math.imul(sum, 31) + c.charCodeAt(0), i + 1);
const change = (i) => (bytes) => target.change(bytes, dice(seedOf(i)));
const tell = (line) => writeSync(1, `${line}\n`);
const worked = () => (process.cpuUsage().user + process.cpuUsage().system) / 1000;

if (!/^\d+$/.test(second)) writeFileSync(second, change(Number(first))(sources[Number(first) % sources.length]));
else {
  const base = process.memoryUsage.rss();
  for (let i = Number(first); i < Number(second); i++) {
    tell(`at ${i}`);
    const from = worked();
    let word;
    try {
      word = (await runCase(target, sources, i, change(i))).word;
    } catch (thrown) {
      word = `bad ${String(thrown.stack ?? thrown)
        .replaceAll('\n', ' | ')
        .slice(0, 400)}`;
    }
    tell(word);
    const took = worked() - from;
    if (took > slow) tell(`slow ${(took / 1000).toFixed(1)}`);
    if (process.memoryUsage.rss() - base > large) {
      tell(`large ${Math.round((process.memoryUsage.rss() - base) / 1e6)}`);
      // What was let go may still be counted: the next cases have a process of their own.
      tell(`until ${i + 1}`);
      process.exit(0);
    }
  }
}
process.exit(0);
