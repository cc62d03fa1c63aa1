import fc from 'fast-check';
import { beforeAll, describe, expect, test } from 'vitest';
import { checkDrawing } from '../src/curves/check.ts';
import { offsetContour } from '../src/curves/offset.ts';
import { boxOfContour } from '../src/curves/drawing.ts';
import type { Engine } from '../src/engine/engine.ts';
import { boxOf } from '../src/geometry/box.ts';
import { checkMesh } from '../src/mesh/soundness/check-mesh.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { testPieceFile } from '../src/pipeline/test-piece.ts';
import { kerfOf, kerfStrips, kerfTest, printTest, testGaps, testWalls, withMeasured } from '../src/processes/test-pieces.ts';
import { takesParts } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { checkReceiver } from '../src/receivers/rules.ts';
import { sectionOf } from '../src/view/section.ts';

let engine: Engine;
beforeAll(async () => {
  engine = await nodeTools.engine();
});

describe('strips for the kerf', () => {
  test('ten closed strips, none touches another', () => {
    const check = checkDrawing(kerfTest());
    expect(check).toMatchObject({ contours: 10, open: 0, holes: 0 });
    expect([check.crossings.length, check.doubles.length, check.touches.length]).toEqual([0, 0, 0]);
  });
  test('cut on the line with a kerf and pushed together, they give that kerf back', () => {
    for (const kerf of [0.05, 0.16, 0.9, 3]) {
      // Half the kerf goes from every edge: the strips as a beam of that width leaves them.
      const left = kerfTest().layers[0].contours.map((c) => boxOfContour(offsetContour(engine, c, -kerf / 2).contours[0]));
      const together = left.reduce((n, b) => n + b[2] - b[0], 0);
      expect(kerfOf(together)).toBeCloseTo(kerf, 3);
    }
  });
  test('a length that no kerf gives is none: longer than drawn, half of it, nothing', () => {
    const whole = kerfStrips.count * kerfStrips.width;
    expect([kerfOf(whole), kerfOf(whole + 0.01), kerfOf(whole / 2 + 0.01), kerfOf(whole / 2), kerfOf(0), kerfOf(NaN)]).toEqual([
      0,
      null,
      4.999,
      null,
      null,
      null,
    ]);
    fc.assert(fc.property(fc.double({ min: 0, max: 4.9, noNaN: true }), (kerf) => void expect(kerfOf(whole - 10 * kerf)!).toBeCloseTo(kerf, 3)));
  });
});

describe('the printed test', () => {
  test('is closed, stands on Z 0, and its pins are pieces of their own', () => {
    const mesh = printTest(engine);
    const sound = checkMesh(mesh);
    expect(sound).toMatchObject({ closed: true, shells: 1 + testGaps.length, openEdges: 0 });
    expect(boxOf(mesh.positions).min[2]).toBe(0);
  });
  test('walls are as thick and gaps as wide as they say: areas of sections through them', () => {
    const mesh = printTest(engine);
    const walls = sectionOf(mesh, { normal: [0, 0, 1], offset: 10 }, 1);
    expect(walls.area).toBeCloseTo(
      testWalls.reduce((n, t) => n + t * 12, 0),
      4,
    );
    // In the plate: its rectangle less the rings between pins and holes, as polygons of 96 sides.
    const polygon = (d: number) => (96 / 8) * d * d * Math.sin((2 * Math.PI) / 96);
    const box = boxOf(mesh.positions);
    const plate = (box.max[0] - box.min[0]) * (box.max[1] - box.min[1]);
    const gaps = testGaps.reduce((n, g) => n + polygon(7 + 2 * g) - polygon(7), 0);
    expect(sectionOf(mesh, { normal: [0, 0, 1], offset: 2 }, 1).area).toBeCloseTo(plate - gaps, 2);
  });
  test('fits the smallest ready printer', () => {
    const box = boxOf(printTest(engine).positions);
    const wren = readyReceivers.find((r) => r.id === 'wren')!;
    for (const k of [0, 1, 2]) expect(box.max[k] - box.min[k]).toBeLessThan(wren.bed[k]);
  });
});

describe('what was measured becomes a rule', () => {
  test('kerf of a cutter, bead and clearance of a printer; nothing else changes, and the rules still hold', () => {
    const [lark, swift] = ['lark', 'swift'].map((id) => readyReceivers.find((r) => r.id === id)!);
    expect(checkReceiver(withMeasured(swift, { kerf: 0.21 })).cutter!.kerf).toBe(0.21);
    expect(checkReceiver(withMeasured(lark, { bead: 0.6, clearance: 0.15 }))).toEqual({ ...lark, bead: 0.6, clearance: 0.15 });
    expect(withMeasured(lark, { kerf: 0.2 })).toEqual(lark);
  });
});

test.each(readyReceivers.filter(takesParts).map((r) => [r.id, r] as const))(
  'the file for %s: proved, in a format that it reads, as large as it says by its own reading',
  async (_, receiver) => {
    // Without a kernel: a browser makes it.
    const none = () => Promise.reject(new Error('no kernel here'));
    const { fileName, bytes, evidence } = await testPieceFile(receiver, {
      engine: nodeTools.engine,
      working: none,
      kernels: { opening: none, working: none },
    });
    expect(receiver.formats).toContain(fileName.split('.').pop());
    expect(bytes.length).toBeGreaterThan(500);
    expect(evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
    // Ten strips of 10 mm, 5 mm apart; six pins 12 mm apart and a rim.
    const across = evidence.claims.find((c) => c.quantity === (receiver.cutter ? 'Width X' : 'Length X'))!;
    expect(across.received).toBeCloseTo(receiver.cutter ? 145 : 78, 2);
  },
);
