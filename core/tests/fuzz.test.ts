import { describe, expect, test } from 'vitest';
import { commands } from '../src/cli/commands.ts';
import { parse } from '../src/command/parse.ts';
import { readBrepText } from '../src/surfaces/brep-text.ts';
import { readStepHeader } from '../src/formats/step/header.ts';
import { readStl } from '../src/formats/stl/read.ts';
import { VertexWelder, weldEqual } from '../src/geometry/weld.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { receiveStl } from '../src/processes/printer.ts';
import { safeFileName } from '../src/recipe/recipe.ts';
import { Unusable } from '../src/base/finding.ts';
import { SolidBuilder } from '../src/kernel/build.ts';
import { workingKernel } from '../src/kernel/load.ts';
import { boxMesh, busy, dataFile, handMadeStl } from './data.ts';

/** A repeatable stream of numbers below n (minimal standard generator: Park and Miller, 1988). */
function dice(seed: number) {
  return (n: number) => (seed = (seed * 16807) % 2147483647) % n;
}

describe('readers under mutated input: a result or a typed refusal, in bounded time', () => {
  test('STEP header: lines dropped, doubled, cut and garbled', () => {
    const text = dataFile('cube-mm.step').toString('latin1');
    const random = dice(4711);
    const from = busy();
    for (let i = 0; i < 400; i++) {
      const lines = text.split('\n');
      for (let k = 0; k <= random(5); k++) {
        const at = random(lines.length);
        const what = random(4);
        if (what === 0) lines.splice(at, 1);
        else if (what === 1) lines.splice(at, 0, lines[random(lines.length)]);
        else if (what === 2) lines[at] = lines[at].slice(0, random(lines[at].length + 1));
        else lines[at] = lines[at].replace(/\d/g, () => String(random(10)));
      }
      try {
        const header = readStepHeader(Buffer.from(lines.join('\n'), 'latin1'));
        expect(typeof header.protocol).toBe('string');
        for (const finding of header.findings) expect(finding.message).toMatch(/\.$/);
      } catch (thrown) {
        expect(thrown).toBeInstanceOf(Unusable);
      }
    }
    expect(busy() - from).toBeLessThan(60_000);
  });
  test('the stand-in printer, on files whose bytes were changed anywhere', () => {
    const source = handMadeStl(Array.from({ length: 12 }, (_, i) => boxCorners(i)));
    const random = dice(99);
    let refused = 0;
    for (let i = 0; i < 4000; i++) {
      const bytes = Buffer.from(source);
      for (let k = 0; k <= random(8); k++) bytes[random(bytes.length)] = random(256);
      try {
        const received = receiveStl(bytes.subarray(0, random(5) === 0 ? random(bytes.length) : bytes.length), readyReceivers[i % readyReceivers.length]);
        expect(Number.isNaN(received.measures.volume)).toBe(false);
        expect(received.soundness.triangles * 3).toBe(received.mesh.triangles.length);
      } catch (thrown) {
        expect(thrown).toBeInstanceOf(Unusable);
        refused++;
      }
    }
    expect(refused).toBeGreaterThan(100);
  });
  test('BREP text with tokens changed is read or refused, and never hangs', async () => {
    const b = new SolidBuilder(await workingKernel());
    const text = b.brep(b.rounded(b.box([0, 0, 0], [9, 8, 7]), 1));
    const random = dice(5);
    const tokens = text.split(' ');
    const from = busy();
    for (let i = 0; i < 300; i++) {
      const changed = [...tokens];
      for (let k = 0; k <= random(3); k++) changed[random(changed.length)] = ['0', '-1', '999', 'x', '1e9', ''][random(6)];
      try {
        readBrepText(changed.join(' '));
      } catch (thrown) {
        expect(thrown).toBeInstanceOf(Error);
      }
    }
    expect(busy() - from).toBeLessThan(60_000);
  });
});

function boxCorners(i: number): number[] {
  const box = boxMesh(10, 20, 30);
  return [0, 1, 2].flatMap((k) => Array.from(box.positions.slice(box.triangles[i * 3 + k] * 3, box.triangles[i * 3 + k] * 3 + 3)));
}

describe('joining equal vertices', () => {
  test('against a plain map of texts, on many random vertices with repeats', () => {
    const random = dice(31);
    const welder = new VertexWelder(4);
    const bits = new Int32Array(3);
    const floats = new Float32Array(bits.buffer);
    const known = new Map<string, number>();
    for (let i = 0; i < 60_000; i++) {
      floats.set([random(40) / 7, random(40) / 7, random(40) / 7]);
      const key = floats.join();
      const index = welder.add(bits[0], bits[1], bits[2]);
      if (!known.has(key)) known.set(key, known.size);
      expect(index).toBe(known.get(key));
    }
    expect(welder.count).toBe(known.size);
    expect(welder.positions()).toHaveLength(known.size * 3);
  });
  test('minus zero is zero; the smallest difference of a float32 is a difference', () => {
    const next = new Float32Array(Uint32Array.of(0x3f800001).buffer)[0];
    const { positions, triangles } = weldEqual([0, 0, 1, -0, 0, 1, 0, -0, next], [0, 1, 2]);
    expect(Array.from(triangles)).toEqual([0, 0, 1]);
    expect(positions).toHaveLength(6);
  });
  test('a reader joins corners the same whatever the order of the triangles', () => {
    const random = dice(8);
    const corners = Array.from({ length: 12 }, (_, i) => boxCorners(i));
    for (let round = 0; round < 50; round++) {
      const shuffled = corners.map((c) => ({ c, r: random(1000) })).sort((a, b) => a.r - b.r).map(({ c }) => c); // prettier-ignore
      const [block] = readStl(handMadeStl(shuffled)).blocks;
      expect(block.mesh.positions).toHaveLength(24);
      expect(new Set(block.mesh.triangles).size).toBe(8);
    }
  });
});

describe('what people type', () => {
  test('file names of random characters are always safe, and the same name gives the same file', () => {
    const random = dice(17);
    for (let i = 0; i < 2000; i++) {
      const name = Array.from({ length: random(160) }, () => String.fromCharCode(random(2) ? random(128) : random(0x3000))).join('');
      const safe = safeFileName(name);
      expect(safe).toBe(safeFileName(name));
      expect(safe.length).toBeGreaterThan(0);
      expect(safe.length).toBeLessThanOrEqual(125);

      expect(safe).not.toMatch(/[\0-\x1f<>:"/\\|?*\x7f]|^\./);
    }
  });
  test('options of the command line: limits in their sentence', () => {
    const refusal = (...args: string[]) => {
      try {
        parse(commands, args);
        return 'taken';
      } catch (thrown) {
        return (thrown as Unusable).message;
      }
    };
    expect(refusal('write', 'a.step', '--out', 'x', '--deviation', '0')).toBe('--deviation must be a number from 0.001 to 5 mm, not "0".');
    expect(refusal('write', 'a.step', '--out', 'x', '--angle', '90.1')).toContain('from 1 to 90 degrees');
    expect(refusal('write', 'a.step', '--out', 'x', '--angle', '90')).toBe('taken');
    expect(refusal('write', 'a.step', '--out', 'x', '--unit', 'yard')).toContain('must be one of mm, cm, m, in, ft');
    expect(refusal('write', 'a.step', '--out', 'x', '--format', 'doc')).toContain('must be one of stl, 3mf, obj, ply, step');
    expect(refusal('write', 'a.step', 'b.step', '--out', 'x')).toContain('one file at a time');
    expect(refusal('write', 'a.step')).toContain('needs a folder');
    expect(refusal('inspect', '--nonsense')).toMatch(/\.$/);
    const typed = parse(commands, ['write', 'a.step', '--out', 'x']);
    expect(!typed.help && typed.command.word).toBe('write');
    expect(!typed.help && typed.asked).toMatchObject({
      deviation: null,
      angle: null,
      unit: 'mm',
      fromUnit: null,
      part: null,
    });
    expect(parse(commands, [])).toEqual({ help: true, of: null, json: false });
  });
});
