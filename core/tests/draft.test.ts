/** Walls that lean: frustums, pyramids and cones by closed forms, letters by shapely's offsets; into faces and out of them; what can't be. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { afterAll, describe, expect, test } from 'vitest';
import { main } from '../src/cli/main.ts';
import { contoursOf, transformedDrawing, type Drawing } from '../src/curves/drawing.ts';
import { areaOf } from '../src/curves/offset.ts';
import type { P2 } from '../src/curves/segment.ts';
import { drafted, mostDraft, volumeBySections } from '../src/drawing/draft.ts';
import { engraved } from '../src/drawing/engrave.ts';
import { raiseDrawing, raiseLayers } from '../src/drawing/raise.ts';
import { withSolids } from '../src/engine/engine.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { sizeOf } from '../src/geometry/box.ts';
import { openLengthOf } from '../src/geometry/edges.ts';
import { lettered } from '../src/text/lettering.ts';
import { nodeLetters } from '../src/text/node-files.ts';
import { usualText } from '../src/text/choice.ts';
import { drawingOf, lines } from './drawing.data.ts';

const engine = await nodeEngine();
const degrees = (d: number): number => (d * Math.PI) / 180;
const here = dirname(fileURLToPath(import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'draft-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const rectangle = (x: number, y: number, w: number, h: number) => lines([[x, y], [x + w, y], [x + w, y + h], [x, y + h]], true); // prettier-ignore
const volume = (drawing: Drawing, height: number, draft: number): number => {
  const mesh = raiseDrawing(engine, drawing, height, { draft, deviation: 0.001 });
  expect(openLengthOf(mesh)).toBe(0);
  return measureMesh(mesh).volume;
};

describe('closed forms', () => {
  test('a frustum of a rectangle: h (A + 4 M + B) / 6, and upright at 0', () => {
    // 12 x 8 at 45 degrees and 3 high: 9 x 5 half way up, 6 x 2 at the top.
    expect(volume(drawingOf(rectangle(0, 0, 12, 8)), 3, degrees(45))).toBeCloseTo((3 / 6) * (96 + 4 * 45 + 12), 5);
    expect(volume(drawingOf(rectangle(0, 0, 12, 8)), 3, 0)).toBeCloseTo(288, 9);
  });
  test('walls that meet below the height end in a ridge or a tip: a roof and a pyramid, no taller than they are', () => {
    // A square of 6 at 45 degrees closes at 3: a pyramid of 36 * 3 / 3, asked for 5 mm.
    const pyramid = raiseDrawing(engine, drawingOf(rectangle(0, 0, 6, 6)), 5, { draft: degrees(45) });
    expect(measureMesh(pyramid).volume).toBeCloseTo(36, 5);
    expect(sizeOf(measureMesh(pyramid).box)[2]).toBeCloseTo(3, 5);
    // A hipped roof of 10 x 6: a prism of 4 along the ridge and a pyramid of its ends.
    expect(volume(drawingOf(rectangle(0, 0, 10, 6)), 5, degrees(45))).toBeCloseTo((6 * 3 * 4) / 2 + 36, 5);
  });
  test('a ring: its hole grows wider upward as its rim grows narrower', () => {
    // 20 square with a hole of 8, 2 high at slope 1/2: at z the rim is 20 - z, the hole 8 + z, with sharp corners.
    const meant = (2 / 6) * (400 - 64 + 4 * (19 ** 2 - 9 ** 2) + 18 ** 2 - 10 ** 2);
    expect(volume(drawingOf(rectangle(0, 0, 20, 20), rectangle(6, 6, 8, 8)), 2, Math.atan(0.5))).toBeCloseTo(meant, 4);
  });
  test('a round: a frustum of a cone, less what its chords are', () => {
    const round = drawingOf({
      segments: [{ kind: 'arc', centre: [3, 2], radius: 10, start: 0, sweep: 2 * Math.PI }],
      closed: true,
      colour: null,
      meaning: null,
    });
    const [big, small] = [10, 8];
    expect(volume(round, 4, Math.atan(0.5)) / (((Math.PI * 4) / 3) * (big ** 2 + big * small + small ** 2))).toBeCloseTo(1, 3);
  });
  test('an inner corner stays sharp: an L is the sum of its sections', () => {
    const l = drawingOf(lines([[0, 0], [10, 0], [10, 4], [4, 4], [4, 10], [0, 10]], true)); // prettier-ignore
    // Inset by z: legs of 4 - 2 z, outer sides of 10 - 2 z; area is linear in both: exact by Simpson's rule.
    const area = (z: number) => 2 * (10 - 2 * z) * (4 - 2 * z) - (4 - 2 * z) ** 2;
    expect(volume(l, 1, degrees(45))).toBeCloseTo((area(0) + 4 * area(0.5) + area(1)) / 6, 5);
  });
});

describe('against shapely', () => {
  test('letters of four families at three angles: sections and volume, and closed', async () => {
    const jobs: { rings: P2[][]; height: number; slope: number; shares: number[] }[] = [];
    const found: { areas: number[]; volume: number; bySections: number; size: number }[] = [];
    for (const [words, font, angle] of [
      ['HOLE 10', 'sans', 3],
      ['Kite & W', 'serif', 12],
      ['O02', 'rounded', 35],
      ['Rim', 'stencil', 50],
    ] as const) {
      const { drawing } = await lettered({ ...usualText, words, font, size: { by: 'cap', mm: 10 } }, nodeLetters);
      const shares = [0.2, 0.55, 0.9];
      withSolids((keep) => {
        const area = keep(areaOf(engine, contoursOf(drawing), 0.02));
        const made = drafted(engine, keep, area, { height: 2, draft: degrees(angle) });
        expect(String(made.status())).toBe('NoError');
        const box = area.bounds();
        found.push({
          areas: shares.map((s) => keep(made.slice(2 * s)).area()),
          volume: made.volume(),
          bySections: volumeBySections(keep, area, { height: 2, draft: degrees(angle) }),
          size: (box.max[0] - box.min[0]) * (box.max[1] - box.min[1]),
        });
        jobs.push({ rings: area.toPolygons() as P2[][], height: 2, slope: Math.tan(degrees(angle)), shares });
      });
    }
    const wanted = JSON.parse(
      execFileSync('/usr/bin/python3', [join(here, 'readers', 'draft_sections.py')], { input: JSON.stringify(jobs), encoding: 'utf8' }),
    ) as { least: number[]; most: number[]; volume: number }[];
    wanted.forEach((w, i) => {
      // Neither H nor 0 has an inner corner of more than 141 degrees: nothing is cut square there.
      const sharp = i % 2 === 1;
      const near = 1e-6 * found[i].size;
      w.least.forEach((a, k) => {
        if (!sharp) return expect(Math.abs(found[i].areas[k] - a)).toBeLessThan(near);
        expect(found[i].areas[k]).toBeGreaterThan(a - near);
        expect(found[i].areas[k]).toBeLessThan(w.most[k] + near);
      });
      if (!sharp) expect(Math.abs(found[i].volume - w.volume)).toBeLessThan(1e-5 * found[i].size);
      expect(Math.abs(found[i].bySections - found[i].volume)).toBeLessThan(1e-3 * w.volume + 1e-6);
    });
  });
  test('random stars (sharp inner corners too) at random angles: the two routes agree or it is refused, never silently wrong', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 1, max: 10, noNaN: true }), { minLength: 5, maxLength: 24 }),
        fc.double({ min: 0.5, max: 59, noNaN: true }),
        fc.double({ min: 0.2, max: 4, noNaN: true }),
        (radii, angle, height) => {
          const ring = radii.map((r, i): P2 => [r * Math.cos((2 * Math.PI * i) / radii.length), r * Math.sin((2 * Math.PI * i) / radii.length)]);
          withSolids((keep) => {
            const area = keep(engine.CrossSection.ofPolygons([ring], 'NonZero'));
            let made;
            try {
              made = drafted(engine, keep, area, { height, draft: degrees(angle) });
            } catch (thrown) {
              expect((thrown as Error & { code: string }).code).toBe('draft-too-steep');
              return;
            }
            const share = 0.37;
            const meant = keep(area.offset(-share * height * Math.tan(degrees(angle)), 'Miter', 3)).area();
            expect(Math.abs(keep(made.slice(share * height)).area() - meant)).toBeLessThan(1e-4 * area.area());
          });
        },
      ),
      { numRuns: 60, seed: 16 },
    );
  });
});

test('far from zero, tiny and huge: the volume is the same share by share, and the part stands where its drawing lies', async () => {
  const { drawing } = await lettered({ ...usualText, words: 'Kite&8', font: 'serif', size: { by: 'cap', mm: 10 } }, nodeLetters);
  const near = measureMesh(raiseDrawing(engine, drawing, 2, { draft: degrees(8) }));
  for (const [scale, shift] of [
    [1e-3, 0],
    [1e-3, 1e5],
    [1, 1e5],
    [1, -4e6],
    [1e4, 1e5],
  ]) {
    // prettier-ignore
    const moved = transformedDrawing(drawing, [scale, 0, 0, scale, shift, -shift]);
    const { volume: found, box } = measureMesh(raiseDrawing(engine, moved, 2 * scale, { draft: degrees(8), deviation: 0.02 * scale }));
    expect(Math.abs(found / scale ** 3 / near.volume - 1)).toBeLessThan(1e-5);
    expect(Math.abs((box.min[0] - shift) / scale - near.box.min[0])).toBeLessThan(1e-3 + Math.abs(shift) * 1e-9 / scale); // prettier-ignore
  }
  // A drawing far from its own zero, into a face: as one at zero.
  const block = withSolids((keep) => {
    const made = keep(engine.Manifold.cube([40, 30, 10])).getMesh();
    return { positions: Float64Array.from(made.vertProperties), triangles: new Uint32Array(made.triVerts) };
  });
  const away = transformedDrawing(drawingOf(rectangle(-5, -4, 10, 8)), [1, 0, 0, 1, 5e5, 3e5]);
  const on = { at: [20 - 5e5, 15 - 3e5, 10] as [number, number, number], normal: [0, 0, 1] as [number, number, number], angle: 0 };
  expect(engraved(engine, block, contoursOf(away), { on, depth: 1, draft: Math.atan(0.5) }).share).toBeCloseTo(1, 4);
});

describe('layers and faces', () => {
  const two: Drawing = {
    layers: [
      { name: 'Outline', colour: null, lineType: '', contours: [rectangle(0, 0, 30, 20)] },
      { name: 'Mark', colour: null, lineType: '', contours: [rectangle(10, 5, 10, 10)] },
    ],
    texts: [],
    points: [],
  };
  const frustum = (w: number, d: number, h: number, slope: number) =>
    (h / 6) * (w * d + 4 * (w - h * slope) * (d - h * slope) + (w - 2 * h * slope) * (d - 2 * h * slope));
  test('on a plate and sunk into it: each narrower away from the plate', () => {
    const slope = 0.25;
    const plate = { thickness: 2, margin: 1 };
    const raised = measureMesh(raiseLayers(engine, two, { layers: { Mark: 2 }, base: plate, draft: Math.atan(slope) })).volume;
    expect(raised).toBeCloseTo(12 * 12 * 2 + frustum(10, 10, 2, slope), 4);
    const sunk = measureMesh(raiseLayers(engine, two, { layers: { Mark: -1 }, base: plate, draft: Math.atan(slope) })).volume;
    expect(sunk).toBeCloseTo(12 * 12 * 2 - frustum(10, 10, 1, slope), 4);
    // Both stand from the bottom on: the mark's walls lean from there, within the outline's.
    const both = measureMesh(raiseLayers(engine, two, { layers: { Outline: 1, Mark: 3 }, base: null, draft: Math.atan(slope) })).volume;
    const above = (2 / 6) * (9.5 ** 2 + 4 * 9 ** 2 + 8.5 ** 2);
    expect(both).toBeCloseTo(frustum(30, 20, 1, slope) + above, 4);
  });
  test('into a face and out of it: the volume that goes or comes is that of the sections, and the share is 1', () => {
    const block = withSolids((keep) => {
      const made = keep(engine.Manifold.cube([40, 30, 10])).getMesh();
      return { positions: Float64Array.from(made.vertProperties), triangles: new Uint32Array(made.triVerts) };
    });
    const draft = Math.atan(0.5);
    for (const depth of [1, -1]) {
      const done = engraved(engine, block, [rectangle(-5, -4, 10, 8)], { on: { at: [20, 15, 10], normal: [0, 0, 1], angle: 0.3 }, depth, draft });
      expect(done.volume).toBeCloseTo(frustum(10, 8, 1, 0.5), 4);
      expect(done.share).toBeCloseTo(1, 4);
    }
    // Half of it beyond the edge of the face: about half is found, and the share says so.
    const past = engraved(engine, block, [rectangle(-5, -4, 10, 8)], { on: { at: [40, 15, 10], normal: [0, 0, 1], angle: 0 }, depth: 1, draft });
    expect(past.share).toBeCloseTo(0.5, 2);
  });
  test('60 degrees are taken, 61 and below 0 are not; strokes that would cut into each other are refused', () => {
    withSolids((keep) => {
      const area = keep(engine.CrossSection.square([10, 10]));
      expect(drafted(engine, keep, area, { height: 1, draft: mostDraft }).volume()).toBeGreaterThan(0);
      expect(() => drafted(engine, keep, area, { height: 1, draft: degrees(61) })).toThrow(/0 to 60 degrees/);
      expect(() => drafted(engine, keep, area, { height: 1, draft: -0.1 })).toThrow(/0 to 60 degrees/);
      // A web of 0.2 beside a block, 0.2 apart, at an inset of 3.4: the web's far wall would cut 3 mm deep into the block.
      const near = keep(engine.CrossSection.ofPolygons([[[0, 0], [0.2, 0], [0.2, 30], [0, 30]], [[0.4, 0], [30, 0], [30, 30], [0.4, 30]]], 'EvenOdd')); // prettier-ignore
      const made = () => drafted(engine, keep, near, { height: 2, draft: mostDraft });
      const inset = 2 * Math.tan(mostDraft) * 0.5;
      const meant = keep(near.offset(-inset, 'Miter', 3)).area();
      let section = NaN;
      try {
        section = keep(made().slice(1)).area();
      } catch (thrown) {
        expect((thrown as Error).message).toMatch(/one would cut into another/);
        return;
      }
      expect(section).toBeCloseTo(meant, 3);
    });
  });
});

test('the command line: raised with a draft, letters with a draft, engraved with one; each file read back', async () => {
  const run = async (...args: string[]) => {
    const said: string[] = [];
    const code = await main([...args, '--json'], (t) => said.push(t), () => {}); // prettier-ignore
    return {
      code,
      json: JSON.parse(said.join('')) as { verdict?: string; volume: number; written?: { verdict: string; file: string }[]; error?: { message: string } },
    };
  };
  const text = await run('text', 'WS', '--cap', '12', '--thickness', '2', '--draft', '5', '--format', 'stl', '--out', folder);
  expect(text.json.written?.[0].verdict).toBe('clear');
  const upright = await run('text', 'WS', '--cap', '12', '--thickness', '2', '--format', 'stl', '--out', join(folder, 'b'));
  expect(readFileSync(text.json.written![0].file).length).toBeGreaterThan(readFileSync(upright.json.written![0].file).length / 2);
  // A rectangle of 12 x 8, 3 high at 45 degrees: the frustum of above, from a file to a file.
  const dxf = join(folder, 'r.svg');
  writeFileSync(dxf, '<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="20mm" viewBox="0 0 20 20"><rect x="2" y="2" width="12" height="8"/></svg>');
  const raised = await run('raise', dxf, '--thickness', '3', '--draft', '45', '--out', join(folder, 'x.stl'));
  expect(raised.json.volume).toBeCloseTo(142.5 + 1.5, 3);
  const told: string[] = [];
  expect(await main(['text', 'WS', '--thickness', '2', '--draft', '61', '--format', 'stl', '--out', folder], () => {}, (t) => told.push(t))).toBe(2); // prettier-ignore
  expect(told.join('')).toMatch(/--draft.*60/);
});
