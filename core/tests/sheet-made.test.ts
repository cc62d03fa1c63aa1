import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, test } from 'vitest';
import { run } from './cli.data.ts';
import { XMLParser } from 'fast-xml-parser';
import type { Drawing } from '../src/curves/drawing.ts';
import { nodeEngine } from '../src/engine/load.ts';
import type { Solid } from '../src/kernel/build.ts';
import { foldedPart, type WallSpec } from '../src/kernel/sheet-build.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { proveDrawing } from '../src/prove/prove-drawing.ts';
import { writeDrawing } from '../src/pipeline/write-drawing.ts';
import { firstDrawingRecipe, type DrawingRecipe } from '../src/model/drawing-recipe.ts';
import { firstRecipe, type Recipe } from '../src/recipe/recipe.ts';
import { receiveDrawing } from '../src/processes/cutters.ts';
import { type FileFormat, receiverIn } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { foldBackOf, Folded } from '../src/sheet/fold.ts';
import { foldedPositions, foldMesh } from '../src/sheet/fold-mesh.ts';
import { partOfPattern } from '../src/sheet/part.ts';
import type { Pattern } from '../src/sheet/pattern.ts';
import { bendCsv, brakePicture } from '../src/sheet/report.ts';
import { builder as b, flatHere, flatOf, flatOfMesh, meshOf, randomPart, rect, roundHoles, strip, type P2 } from './sheet.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'tall-kite-sheet-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const k5 = { rule: { kind: 'k' as const, k: 0.5 } };
const t = 2;
const wall: WallSpec = {
  outline: rect(80, 50),
  holes: [{ at: [15, 25], r: 4 }],
  flanges: [{ from: [80, 0], to: [80, 50], angle: 90, radius: 3, up: true, wall: { outline: rect(50, 30), holes: [{ at: [25, 12], r: 3 }] } }],
};
const plain = flatHere(foldedPart(b, t, wall), k5);
const box = (at: [number, number, number], size: [number, number, number]) => b.box(at, size);
/** A hexagon standing on the plate with a bore through both. */
const nut = () => b.raised([56, 25], Array.from({ length: 6 }, (_, i) => ({ to: [50 + 6 * Math.cos(((i + 1) * Math.PI) / 3), 25 + 6 * Math.sin(((i + 1) * Math.PI) / 3)] as P2 })), 5); // prettier-ignore
const bore = (r: number) => b.cylinder([50, 25, -t - 1], [0, 0, 1], r, 20);
/** Cap and hollow of a dimple pressed upwards. */
const cap = () => b.common(b.sphere([50, 25, -6], 10), box([35, 10, 0], [30, 30, 20]));
const hollow = () => b.common(b.sphere([50, 25, -6], 8), box([35, 10, -t], [30, 30, 20]));

describe('formed and fastened features', () => {
  test('a bracket with a dimple and a welded nut becomes the clean bracket: area, outline and holes', async () => {
    const nutAt = b.moved(nut(), [-18, 12, 0]);
    const drill = b.moved(bore(2.5), [-18, 12, 0]);
    const flat = await flatOf(foldedPart(b, t, wall, { also: [cap(), nutAt], less: [hollow(), drill] }), k5);
    expect(flat.features.map((f) => [f.kind, f.side]).sort()).toEqual([['boss', 'up'], ['dimple', 'up']]); // prettier-ignore
    // The hole under the nut stays; nothing else differs from the plain bracket.
    expect(flat.area).toBeCloseTo(plain.area - Math.PI * 2.5 ** 2, 6);
    expect(roundHoles(flat.drawing).map((h) => h.r).sort()).toEqual([2.5, 3, 4].map((v) => expect.closeTo(v, 9))); // prettier-ignore
    expect(flat.box).toEqual(plain.box.map((v) => expect.closeTo(v, 9)));
    const dimple = flat.features.find((f) => f.kind === 'dimple')!;
    // Cap of radius 10 whose middle lies 6 under the side: radius of its foot 8, height 4.
    expect(dimple.size).toEqual([16, 16].map((v) => expect.closeTo(v, 6)));
    expect(dimple.height).toBeCloseTo(4, 3);
    expect(flat.findings.find((f) => f.code === 'features-left-out')!.message).toContain('1 × dimple');
    // The mark of the dimple crosses at its middle; the nut's own hole is its mark.
    const marks = flat.drawing.layers.find((l) => l.name === 'MARKS')!.contours;
    expect(marks).toHaveLength(2);
  });
  const kinds: [string, () => Solid, string, string, number][] = [
    ['stud on the up side', () => foldedPart(b, t, wall, { also: [b.cylinder([50, 25, 0], [0, 0, 1], 3, 12)] }), 'boss', 'up', 0],
    ['stud on the down side', () => foldedPart(b, t, wall, { also: [b.cylinder([50, 25, -t], [0, 0, -1], 3, 12)] }), 'boss', 'down', 0],
    ['dimple', () => foldedPart(b, t, wall, { also: [cap()], less: [hollow()] }), 'dimple', 'up', 0],
    ['engraved pocket', () => foldedPart(b, t, wall, { also: [], less: [box([40, 20, -0.5], [12, 8, 5])] }), 'pocket', 'down', 0],
    ['extruded hole', () => foldedPart(b, t, wall, { also: [b.cylinder([50, 25, 0], [0, 0, 1], 5, 4)], less: [bore(3.5)] }), 'extruded hole', 'up', 0],
    [
      'welded nut below',
      () => foldedPart(b, t, wall, { also: [b.moved(nut(), [0, 0, -5 - t])], less: [b.cylinder([50, 25, -20], [0, 0, 1], 2, 40)] }),
      'boss',
      'down',
      2,
    ],
  ];
  test.each(kinds)('%s is found, listed and healed', (_, make, kind, side, hole) => {
    for (const leaves of ['nothing', 'centre', 'outline'] as const) {
      const flat = flatHere(make(), { ...k5, leaves });
      expect(flat.features).toHaveLength(1);
      expect(flat.features[0]).toMatchObject({ kind, side, hole: hole > 0 ? expect.closeTo(hole * 2, 6) : null });
      expect(flat.area).toBeCloseTo(plain.area - Math.PI * hole * hole, 6);
      const marks = flat.drawing.layers.find((l) => l.name === 'MARKS')?.contours ?? [];
      expect(marks.length).toBe(leaves === 'nothing' || hole > 0 ? 0 : leaves === 'centre' ? 2 : 1);
    }
    expect(() => flatHere(make(), { ...k5, leaveOut: [] })).toThrow('not left out');
  });
  test('a louvre, open along one side, is healed; a lanced tab is no feature but a bend', () => {
    // A wedge raised over a slot: closed at three sides, open at the fourth.
    const outer = b.placed(b.raised([0, 0], [{ to: [10, 0] }, { to: [10, 5] }, { to: [0, 0] }], 24), [1, 0, 0, 40, 0, 0, 1, 12, 0, 1, 0, 0]);
    const inner = b.placed(
      b.raised([0, -t], [{ to: [11, -t] }, { to: [11, 3.2] }, { to: [4, 0] }, { to: [0, -t] }], 20),
      [1, 0, 0, 40, 0, 0, 1, 14, 0, 1, 0, 0],
    );
    const flat = flatHere(foldedPart(b, t, wall, { also: [outer], less: [inner] }), k5);
    expect(flat.features.length).toBeGreaterThan(0);
    expect(flat.area).toBeCloseTo(plain.area, 4);
    // A tab cut free on three sides and bent up out of a window.
    const window: P2[] = [[30, 15], [55, 15], [55, 35], [30, 35]]; // prettier-ignore
    const tabbed: WallSpec = { ...wall, holes: [...wall.holes!, { polygon: window }], flanges: [...wall.flanges!, { from: [30, 18], to: [30, 32], angle: 60, radius: 2, up: true, wall: { outline: rect(14, 8) } }] }; // prettier-ignore
    const tab = flatHere(foldedPart(b, t, tabbed), k5);
    expect(tab.features).toHaveLength(0);
    expect(tab.bends).toHaveLength(2);
    expect(tab.area).toBeCloseTo(plain.area - 25 * 20 + 14 * ((Math.PI / 3) * 3) + 14 * 8, 6);
  });
  test('a countersink is taken at the side that lies up, or at the narrowest, and said', () => {
    const sink = b.moved(
      b.revolved([0, -t - 1], [{ to: [2, -t - 1] }, { to: [2, -t + 0.5] }, { to: [4, 0.5] }, { to: [0, 0.5] }, { to: [0, -t - 1] }]),
      [50, 25, 0],
    );
    const make = () => foldedPart(b, t, wall, { also: [], less: [sink] });
    const wide = flatHere(make(), { ...k5, countersinks: 'cut-side' });
    const holes = (f: Pattern) => roundHoles(f.drawing).map((h) => h.r).sort((p, q) => p - q); // prettier-ignore
    // The cone runs from 2 to 4 over 2 mm and ends 0.5 mm above: 3.5 where it meets the up side.
    expect(holes(wide)).toEqual([3, 3.5, 4].map((v) => expect.closeTo(v, 6)));
    expect(wide.findings.find((f) => f.code === 'countersink')).toMatchObject({ severity: 'look' });
    // Unless asked otherwise, what goes through is cut.
    const through = flatHere(make(), k5);
    expect(holes(through)).toEqual([2, 3, 4].map((v) => expect.closeTo(v, 6)));
    expect(through.findings.find((f) => f.code === 'countersink')).toMatchObject({ severity: 'clear' });
  });
  test('other bodies are told and left out', () => {
    const two = b.joined(foldedPart(b, t, wall), b.cylinder([40, 25, 10], [0, 0, 1], 4, 20));
    const flat = flatHere(two, k5);
    expect(flat.area).toBeCloseTo(plain.area, 6);
    expect(flat.findings.find((f) => f.code === 'other-bodies')).toMatchObject({ count: 1 });
  });
});

describe('what can’t be unfolded says why and where', () => {
  const refused = (make: () => Pattern) => {
    try {
      make();
    } catch (thrown) {
      return thrown as { code: string; message: string; remedy: string };
    }
    throw new Error('it was unfolded');
  };
  test('walls of varying thickness', () => {
    const wedge = b.raised([0, 0], [{ to: [60, 0] }, { to: [60, 3] }, { to: [0, 2] }, { to: [0, 0] }], 40);
    expect(refused(() => flatHere(wedge))).toMatchObject({
      code: 'not-constant',
      message: expect.stringMatching(/face \d+ \(flat\) is 2\.\d+ to 2\.\d+ mm thick.*X .* mm/),
    });
    // One wall tapers, the other does not.
    const wing = b.placed(b.raised([0, 0], [{ to: [40, 0] }, { to: [40, -3] }, { to: [0, -2] }, { to: [0, 0] }], 40), [-1, 0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0]);
    const found = refused(() => flatHere(b.joined(foldedPart(b, 2, { outline: rect(60, 40) }), wing)));
    expect(['not-constant', 'edge-formed']).toContain(found.code);
  });
  test('a round and a square tube without a seam', () => {
    const round = b.cut(b.cylinder([0, 0, 0], [0, 0, 1], 20, 50), b.cylinder([0, 0, -1], [0, 0, 1], 18, 60));
    expect(refused(() => flatHere(round))).toMatchObject({ code: 'closed-tube', message: expect.stringContaining('closes on itself') });
    const edges = (high: number) => ([, , z]: readonly number[]) => z > 0 && z < high; // prettier-ignore
    const square = b.cut(b.rounded(box([0, 0, 0], [40, 40, 60]), 4, edges(60)), b.rounded(box([2, 2, -1], [36, 36, 62]), 2, edges(60)));
    const found = refused(() => flatHere(square));
    expect(found).toMatchObject({ code: 'closes-on-itself' });
    expect(found.message).toMatch(/face \d+ .* and face \d+ .* meet at X .* mm, but on the flat they come to lie \d+\.\d\d mm apart/);
  });
  test('a drawn tray with rounded corners: the face that is curved both ways is named', () => {
    const drawn = b.cut(
      b.rounded(box([0, 0, 0], [80, 60, 30]), 6, ([, , z]) => z < 29),
      b.rounded(box([2, 2, 2], [76, 56, 40]), 4, ([, , z]) => z < 39),
    );
    const found = refused(() => flatHere(drawn));
    expect(['edge-formed', 'closes-on-itself']).toContain(found.code);
  });
  test('a ball, a mesh that is not closed, a face that is no wall', () => {
    expect(refused(() => flatHere(b.sphere([0, 0, 0], 20))).code).toBe('no-sheet');
    const mesh = meshOf(foldedPart(b, t, wall));
    expect(refused(() => flatOfMesh({ ...mesh, triangles: mesh.triangles.slice(3) })).code).toBe('not-closed');
    expect(refused(() => flatHere(foldedPart(b, t, wall), { face: 9999 })).code).toBe('no-such-face');
  });
  test('meshes that are no folded part are refused before minutes are spent', () => {
    const grid = (n: number, height: (i: number, j: number) => number) => {
      // A closed skin over a grid: top, and a flat bottom joined at the rim by sharing its corners.
      const positions = new Float64Array(2 * (n + 1) ** 2 * 3);
      const triangles: number[] = [];
      const at = (i: number, j: number, low: number) => low * (n + 1) ** 2 + i * (n + 1) + j;
      for (let i = 0; i <= n; i++) for (let j = 0; j <= n; j++) for (const low of [0, 1]) positions.set([i, j, low ? -5 : height(i, j)], at(i, j, low) * 3);
      const quad = (a: number, b: number, c: number, d: number) => triangles.push(a, b, c, a, c, d);
      for (let i = 0; i < n; i++)
        for (let j = 0; j < n; j++) {
          quad(at(i, j, 0), at(i + 1, j, 0), at(i + 1, j + 1, 0), at(i, j + 1, 0));
          quad(at(i, j, 1), at(i, j + 1, 1), at(i + 1, j + 1, 1), at(i + 1, j, 1));
        }
      for (let k = 0; k < n; k++) {
        quad(at(k, 0, 1), at(k + 1, 0, 1), at(k + 1, 0, 0), at(k, 0, 0));
        quad(at(k + 1, n, 1), at(k, n, 1), at(k, n, 0), at(k + 1, n, 0));
        quad(at(0, k + 1, 1), at(0, k, 1), at(0, k, 0), at(0, k + 1, 0));
        quad(at(n, k, 1), at(n, k + 1, 1), at(n, k + 1, 0), at(n, k, 0));
      }
      return { positions, triangles: Uint32Array.from(triangles) };
    };
    expect(refused(() => flatOfMesh(grid(120, (i, j) => Math.sin(i * 1.3) + Math.cos(j * 1.7)))).code).toBe('no-sheet');
    expect(refused(() => flatOfMesh(grid(330, () => 1))).code).toBe('too-many-triangles');
  });
  test('a plate is flat already and gives its outline', () => {
    const flat = flatHere(b.cut(box([0, 0, 0], [50, 30, 3]), b.cylinder([10, 10, -1], [0, 0, 1], 3, 10)));
    expect(flat).toMatchObject({ flatAlready: true, thickness: 3, bends: [] });
    expect(flat.area).toBeCloseTo(1500 - 9 * Math.PI, 9);
  });
});

/** A pattern as a part, written for a machine and received from the bytes. */
async function written(
  pattern: Pattern,
  format: FileFormat,
  change: Partial<DrawingRecipe> = {},
  receiver = 'martin',
  tamper: (text: string) => string = (x) => x,
) {
  const part = partOfPattern(pattern, { name: 'bracket', path: ['bracket'], quantity: 1, unit: 'mm', format: 'made here' });
  const { drawing } = part.geometry as { drawing: Drawing };
  const recipe: Recipe = {
    ...firstRecipe(part.summary, readyReceivers),
    receiver: receiverIn(readyReceivers, receiver),
    drawing: { ...firstDrawingRecipe(), ...change },
  };
  recipe.file = { ...recipe.file, format };
  const file = await writeDrawing(part.summary, drawing, recipe, await nodeEngine());
  let bytes: Uint8Array = Buffer.concat([...file.pieces]);
  const text = Buffer.from(bytes).toString('latin1');
  if (tamper(text) !== text) bytes = Buffer.from(tamper(text), 'latin1');
  const received = await receiveDrawing(bytes, format, receiverIn(readyReceivers, receiver));
  return { bytes, evidence: proveDrawing(file.designed, received), part, drawing, findings: file.findings };
}
const claim = (e: Awaited<ReturnType<typeof written>>['evidence'], quantity: string) => e.claims.find((c) => c.quantity === quantity);

describe('fold-back', () => {
  const pattern = flatHere(randomPart(5, 0.42).solid, { rule: { kind: 'k', k: 0.42 } });
  test('from the bytes of DXF (each version), SVG and PDF; placed, turned and seen from the back', async () => {
    for (const [format, change, receiver] of [
      ['dxf', { version: 'R12' }, 'martin'],
      ['dxf', { version: '2000' }, 'martin'],
      ['dxf', { version: '2018', place: { turn: 33, mirror: true, datum: 'corner', point: [0, 0], at: [12, 7] } }, 'martin'],
      ['svg', {}, 'swift'],
      ['pdf', {}, 'pipit'],
    ] as const) {
      const { evidence } = await written(pattern, format, change as Partial<DrawingRecipe>, receiver);
      expect(evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
      const fold = claim(evidence, 'Fold-back')!;
      expect(fold.received).toBeLessThan(format === 'pdf' ? 0.012 : 0.001);
      expect(claim(evidence, 'Volume, folded')!.verdict).toBe('clear');
      expect(claim(evidence, 'Thickness, folded')!.verdict).toBe('clear');
    }
  });
  test('a hole moved by 0.05 mm in the file is found, and so is a file without one hole', async () => {
    const moved = await written(pattern, 'dxf', {}, 'martin', (text) => {
      const at = text.indexOf('\nCIRCLE\n');
      return `${text.slice(0, at)}${text.slice(at).replace(/\n10\n([\d.]+)\n/, (_, x: string) => `\n10\n${Number(x) + 0.05}\n`)}`;
    });
    const fold = claim(moved.evidence, 'Fold-back')!;
    expect(fold.verdict).toBe('stop');
    expect(fold.received as number).toBeCloseTo(0.05, 3);
    const short = await written(pattern, 'dxf', {}, 'martin', (text) => text.replace(/\n0\nCIRCLE\n[\s\S]*?(?=\n0\n)/, ''));
    expect(claim(short.evidence, 'Fold-back')!.verdict).toBe('stop');
  });
  test('a flat that left a dimple out is held against the clean bracket by volume, and a hole that the file lost is a stop', async () => {
    const healed = flatHere(foldedPart(b, t, wall, { also: [cap()], less: [hollow()] }), k5);
    const good = claim((await written(healed, 'dxf')).evidence, 'Volume, less features')!;
    expect(good.verdict).toBe('clear');
    // By hand: plate less its hole, a quarter of a tube of radii 3 and 5 along 50, flange less its hole.
    const byHand = (80 * 50 - 16 * Math.PI) * t + (Math.PI / 4) * (5 ** 2 - 3 ** 2) * 50 + (50 * 30 - 9 * Math.PI) * t;
    expect(good.designed as number).toBeCloseTo(byHand, 6);
    const short = await written(healed, 'dxf', {}, 'martin', (text) => text.replace(/\n0\nCIRCLE\n[\s\S]*?(?=\n0\n)/, ''));
    const bad = claim(short.evidence, 'Volume, less features')!;
    expect(bad.verdict).toBe('stop');
    const lost = (bad.received as number) - (bad.designed as number);
    expect(Math.min(...[4, 3].map((r) => Math.abs(lost - Math.PI * r ** 2 * t)))).toBeLessThan(0.01);
  });
  test.each([
    ['svg', 'swift', 1],
    ['pdf', 'pipit', 1],
    ['dxf', 'martin', 0],
  ] as const)('bend labels that %s goes out without are told', async (format, receiver, told) => {
    const labels = (await written(plain, format, {}, receiver)).findings.filter((f) => f.code === 'labels');
    expect(labels.map((f) => [f.severity, f.count])).toEqual(told ? [['clear', plain.drawing.texts.length]] : []);
  });
  test('with kerf the outline is another, and no fold-back is claimed', async () => {
    const { evidence } = await written(pattern, 'dxf', { kerf: 0.2 });
    expect(claim(evidence, 'Fold-back')).toBeUndefined();
  });
  test('a wrong angle, radius or direction in the bend table shows at once', () => {
    const contours = pattern.drawing.layers.filter((l) => ['CUT', 'HOLES'].includes(l.name)).flatMap((l) => l.contours);
    const off = (change: (bend: { angle: number; inner: number; up: boolean }) => void) => {
      const patches = structuredClone(pattern.patches);
      for (const p of patches) if (p.bend) change(p.bend);
      return foldBackOf({ ...pattern, patches }, pattern.drawing, contours).distance;
    };
    expect(off(() => {})).toBeLessThan(1e-4);
    expect(off((bend) => (bend.angle *= 1.01))).toBeGreaterThan(0.05);
    expect(off((bend) => (bend.inner += 0.1))).toBeGreaterThan(0.05);
    expect(off((bend) => (bend.up = !bend.up))).toBeGreaterThan(5);
    // A sheet said to be thicker than the design is, measured through the design itself.
    expect(foldBackOf(pattern, pattern.drawing, contours).thickness).toBeLessThan(1e-9);
    expect(foldBackOf({ ...pattern, thickness: pattern.thickness + 0.07 }, pattern.drawing, contours).thickness).toBeCloseTo(0.07, 9);
  });
  test('the fold slider: flat at 0, the design at 1, the same volume all the way for K 0.5', async () => {
    const { drawing } = await written(plain, 'dxf');
    const mesh = foldMesh(await nodeEngine(), drawing);
    const volume = (share: number) => measureMesh({ positions: Float64Array.from(foldedPositions(mesh, drawing, share)), triangles: mesh.triangles });
    const flat = volume(0);
    expect(flat.box.max.map((v, i) => v - flat.box.min[i]).sort((p, q) => p - q)[0]).toBeCloseTo(t, 4);
    expect(flat.volume).toBeCloseTo(plain.area * t, -1);
    const folded = volume(1);
    // Outer sizes of the bracket: 80 + 3 + 2 by 50 by 30 + 3 + 2.
    expect(folded.box.max.map((v, i) => v - folded.box.min[i]).sort((p, q) => p - q)).toEqual([35, 50, 85].map((v) => expect.closeTo(v, 3)));
    for (const share of [0.2, 0.5, 0.8, 1]) expect(Math.abs(volume(share).volume - flat.volume)).toBeLessThan(0.004 * flat.volume);
  });
  test('halfway every wall has turned by half of its bend', () => {
    const half = new Folded(plain, 0.5);
    const [p, q] = [plain.patches.findIndex((x) => x.parent < 0), plain.patches.length - 1];
    const n = half.normal(p, [0, 0]);
    const m = half.normal(q, plain.patches[q].hinge![0]);
    expect(Math.acos(n[0] * m[0] + n[1] * m[1] + n[2] * m[2])).toBeCloseTo(Math.PI / 4, 9);
  });
});

describe('files', () => {
  test('DXF of each version passes an independent audit; lengths, area and layers agree (python3-ezdxf)', async () => {
    const solid = foldedPart(b, t, {
      ...wall,
      flanges: [...wall.flanges!, { from: [0, 50], to: [0, 0], angle: 45, radius: 2, up: false, wall: { outline: rect(50, 15) } }],
    });
    const flat = flatHere(solid, k5);
    const files: string[] = [];
    for (const version of ['R12', '2000', '2018'] as const) {
      const file = join(folder, `${version}.dxf`);
      writeFileSync(file, (await written(flat, 'dxf', { version })).bytes);
      files.push(file);
    }
    const script = fileURLToPath(new URL('./readers/dxf.py', import.meta.url));
    const read = JSON.parse(execFileSync('/usr/bin/python3', [script, ...files], { encoding: 'utf8' }));
    const bendLength = flat.bends.reduce((n, x) => n + x.length, 0);
    for (const r of read) {
      expect(r).toMatchObject({ errors: 0, fixes: 0, messages: [], units: 4 });
      expect(r.layers).toMatchObject({ CUT: 1, HOLES: 2, BEND_UP: 1, BEND_DOWN: 1, TEXT: 2 });
      expect(r.length).toBeCloseTo(flat.length + bendLength, 2);
      expect(r.max[0] - r.min[0]).toBeCloseTo(flat.box[2] - flat.box[0], 6);
    }
  });
  test('the bend table as CSV and the picture for the press brake hold every bend', async () => {
    const { part, drawing } = await written(plain, 'dxf');
    const rows = bendCsv(part.summary.flat!).trim().split('\r\n');
    expect(rows).toHaveLength(1 + plain.bends.length);
    expect(rows[1].split(',').slice(0, 4)).toEqual(['1', 'up', '90', '3']);
    const svg = brakePicture('bracket & co', part.summary.flat!, drawing);
    const read = new XMLParser({ ignoreAttributes: false }).parse(svg);
    const texts: string[] = read.svg.text.map((x: { '#text': unknown }) => String(x['#text']));
    expect(texts).toContain('bracket & co');
    expect(texts).toContain('up 90°');
    // Sizes of the flat stand in it to a hundredth.
    for (const v of [plain.box[2] - plain.box[0], plain.box[3] - plain.box[1]]) expect(texts).toContain(String(Number(v.toFixed(2))));
  });
});

describe('tall-kite flatten', () => {
  const step = (name: string, solid: Solid) => {
    const file = join(folder, name);
    writeFileSync(file, b.step('part', [{ name: 'part', colour: '#808080', shape: solid, places: [[0, 0, 0]] }]));
    return file;
  };
  test('one JSON document with the contract, files beside it; K, table and handbook give their lengths', () => {
    const file = step('angle.step', strip(2, 40, [30, 20], [{ angle: 90, radius: 3 }]));
    const out = join(folder, 'out');
    const { status, stdout, stderr } = run(
      'flatten',
      file,
      '--k',
      '0.44',
      '--format',
      'dxf',
      '--out',
      out,
      '--material',
      'steel',
      '--density',
      '7.85',
      '--json',
    );
    expect(stderr).toBe('');
    expect(status).toBe(0);
    const json = JSON.parse(stdout);
    expect(json).toMatchObject({ thickness: expect.closeTo(2, 9), leftOut: [], verdict: 'clear', foldBack: { distance: expect.any(Number) } });
    expect(json.bends).toEqual([
      expect.objectContaining({ angle: expect.closeTo(90, 9), radius: expect.closeTo(3, 9), direction: 'up', length: expect.closeTo(40, 6), rule: 'K 0.44' }),
    ]);
    expect(json.bends[0].allowance).toBeCloseTo((Math.PI / 2) * 3.88, 9);
    expect(json.flat).toMatchObject({
      holes: 0,
      area: expect.closeTo(40 * (50 + (Math.PI / 2) * 3.88), 6),
      weight: expect.closeTo((40 * (50 + (Math.PI / 2) * 3.88) * 2 * 7.85) / 1000, 6),
    });
    expect(json.written.map((w: { format: string }) => w.format)).toEqual(['dxf', 'csv', 'svg']);
    expect(readFileSync(json.written[0].file, 'latin1')).toContain('BEND_UP');
    const table = join(folder, 'shop.csv');
    writeFileSync(table, 'radius,angle,deduction\n3,90,4\n');
    const byTable = JSON.parse(run('flatten', file, '--table', table, '--format', 'svg', '--out', out, '--json').stdout);
    expect(byTable.flat.area).toBeCloseTo(40 * (50 + 10 - 4), 6);
    const byBook = JSON.parse(run('flatten', file, '--rule', 'handbook-hard', '--format', 'dxf', '--out', out, '--json').stdout);
    expect(byBook.bends[0].allowance).toBeCloseTo(0.71 * 2 + 1.57 * 3, 9);
  });
  test('exit 2 with the reason when it can’t be unfolded; 1 when features were left out; a bad option is told', () => {
    const tube = step('tube.step', b.cut(b.cylinder([0, 0, 0], [0, 0, 1], 20, 50), b.cylinder([0, 0, -1], [0, 0, 1], 18, 60)));
    const bad = run('flatten', tube, '--format', 'dxf', '--out', folder, '--json');
    expect(bad.status).toBe(2);
    expect(JSON.parse(bad.stdout).error).toMatchObject({ code: 'closed-tube', message: expect.stringContaining('closes on itself') });
    const studded = step('stud.step', foldedPart(b, t, wall, { also: [b.cylinder([50, 25, 0], [0, 0, 1], 3, 12)] }));
    expect(run('flatten', studded, '--format', 'dxf', '--out', folder).status).toBe(1);
    expect(run('flatten', studded, '--format', 'dxf', '--leave-out', 'none', '--out', folder).status).toBe(2);
    expect(run('flatten', studded, '--k', '0.4', '--rule', 'din6935', '--out', folder)).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('one of --k, --rule'),
    });
    expect(run('flatten', studded, '--format', 'stl', '--out', folder)).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('must be one of dxf, svg, pdf'),
    });
  });
});
