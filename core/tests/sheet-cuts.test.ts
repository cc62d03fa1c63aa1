/** Cuts that two parts share, and tabs: held against what shapely makes of the lines of each file, and the proof against files that were spoilt on purpose. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { areaOfContour, contourOf, lengthOfContour, type Contour, type Drawing } from '../src/curves/drawing.ts';
import type { P2, Segment } from '../src/curves/segment.ts';
import { badTogether, usualNest, type NestChoice } from '../src/cutlist/how.ts';
import { largestFree, type Box } from '../src/cutlist/left-over.ts';
import { nestRows } from '../src/cutlist/nest-rows.ts';
import { partedBy } from '../src/cutlist/network.ts';
import type { Nest } from '../src/cutlist/nested.ts';
import { sheetClaims } from '../src/cutlist/prove-sheet.ts';
import { noBands, type CutRow } from '../src/cutlist/row.ts';
import { nestFiles } from '../src/cutlist/run.ts';
import { nestSchema } from '../src/cutlist/schema.ts';
import { sharedCuts, sharedWithin } from '../src/cutlist/shared.ts';
import { sheetDrawing } from '../src/cutlist/sheet-drawing.ts';
import { tabbed, withoutTabs } from '../src/cutlist/tabs.ts';
import { partOfDrawing } from '../src/drawing/part.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { firstDrawingRecipe } from '../src/model/drawing-recipe.ts';
import { collide } from '../src/nesting/collide.ts';
import { pushedTogether } from '../src/nesting/push.ts';
import { randomFrom } from '../src/nesting/random.ts';
import { grid, variantOf } from '../src/nesting/shape.ts';
import type { SheetItem } from '../src/nesting/sheets.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { writeDrawing } from '../src/pipeline/write-drawing.ts';
import { receiveDrawing } from '../src/processes/cutters.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { nodeLetters } from '../src/text/node-files.ts';
import { some } from './some.ts';

const here = dirname(fileURLToPath(import.meta.url));
const martin = readyReceivers.find((r) => r.id === 'martin')!;
let folder = '';
beforeAll(() => void (folder = mkdtempSync(join(tmpdir(), 'sheet-cuts-'))));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const lines = (ring: P2[]): Contour => contourOf(ring.map((a, i): Segment => ({ kind: 'line', a, b: ring[(i + 1) % ring.length] })), true); // prettier-ignore
const box = (x: number, y: number, w: number, h: number): Contour => lines([[x, y], [x + w, y], [x + w, y + h], [x, y + h]]); // prettier-ignore
const round = (x: number, y: number, radius: number): Contour => contourOf([{ kind: 'arc', centre: [x, y], radius, start: 0, sweep: 2 * Math.PI }], true);

function row(key: string, contours: Contour[], quantity: number): CutRow {
  const area = Math.abs(areaOfContour(contours[0])) - contours.slice(1).reduce((n, c) => n + Math.abs(areaOfContour(c)), 0);
  const xs = contours[0].segments.flatMap((s) => (s.kind === 'line' ? [s.a[0]] : s.kind === 'arc' ? [s.centre[0] - s.radius, s.centre[0] + s.radius] : []));
  const ys = contours[0].segments.flatMap((s) => (s.kind === 'line' ? [s.a[1]] : s.kind === 'arc' ? [s.centre[1] - s.radius, s.centre[1] + s.radius] : []));
  return {
    key, members: [], kind: 'panel', number: '', name: key, quantity, material: 'acrylic', thickness: 3, length: Math.max(...xs) - Math.min(...xs),
    width: Math.max(...ys) - Math.min(...ys), grain: 'none', bands: noBands, holes: [], pockets: [], edgeHoles: [], mitres: [], notes: '', area, volume: null,
    weight: null, why: null, mirrorOf: null, layers: [{ meaning: 'cut', depth: null, back: false, contours }], findings: [],
  }; // prettier-ignore
}
const choice: NestChoice = { ...usualNest, sheets: [{ ...usualNest.sheets[0], width: 600, height: 400 }], rounds: 4, labelHeight: 0, spacing: 0, kerf: 0.2, smallArea: 0, shared: true }; // prettier-ignore

/** A spoilt or sound sheet as written, read back, with what is claimed of it. */
async function proved(list: CutRow[], how: NestChoice, of: Nest, spoil: (d: Drawing) => Drawing = (d) => d, tool = how): Promise<Record<string, string>> {
  const engine = await nodeEngine();
  const { drawing } = await sheetDrawing(of, 0, { rows: list, choice: how }, { engine, letters: nodeLetters });
  const part = partOfDrawing(spoil(drawing), { name: 'sheet', path: ['sheet'], quantity: 1, unit: 'mm', format: 'made here' });
  const first = firstRecipe({ survey: null, kind: 'drawing' }, [martin]);
  const usual = firstDrawingRecipe();
  const recipe = { ...first, receiver: martin, file: { ...first.file, format: 'dxf' as const }, drawing: { ...usual, place: { ...usual.place, datum: 'drawn' as const }, keepLayers: true } }; // prettier-ignore
  const { pieces } = await writeDrawing(part.summary, (part.geometry as { drawing: Drawing }).drawing, recipe, engine);
  const received = await receiveDrawing(Buffer.concat([...pieces]), 'dxf', martin);
  const { claims } = sheetClaims(of.sheets[0], { rows: list, choice: tool, engine }, received);
  return Object.fromEntries(claims.map((c) => [c.quantity, c.verdict]));
}
const stops = (claims: Record<string, string>): string[] => Object.keys(claims).filter((k) => claims[k] !== 'clear');
const onLayer = (d: Drawing, name: string, change: (contours: Contour[]) => Contour[]): Drawing => ({ ...d, layers: d.layers.map((l) => (l.name === name ? { ...l, contours: change(l.contours) } : l)) }); // prettier-ignore
const lie = (parts: [string, number, number][]): Nest => ({
  sheets: [{ kind: 0, name: 'sheet', width: 600, height: 400, outline: null, stock: 'acrylic, 3 mm', density: 0.5, cuts: [], parts: parts.map(([key, x, y], copy) => ({ row: key, copy, turn: 0, mirrored: false, x, y })) }],
  notPlaced: [],
  remnants: [],
  density: 0.5,
}); // prettier-ignore

describe('edges in common', () => {
  const total = (list: readonly { contour: Contour }[]) => list.reduce((n, l) => n + lengthOfContour(l.contour), 0);
  test('four squares in a block: the way round it and two lines across, a third less to cut', () => {
    const done = sharedCuts([box(0, 0, 10, 10), box(10, 0, 10, 10), box(0, 10, 10, 10), box(10, 10, 10, 10)]);
    expect([done.loops.length, done.loops[0].contour.segments.length, total(done.loops)]).toEqual([1, 4, 80]);
    expect(done.lines.map((l) => lengthOfContour(l.contour))).toEqual([20, 20]);
    expect([done.saved, done.alone]).toEqual([40, []]);
    expect(done.lines[0].parts.sort()).toEqual([0, 1, 2, 3]);
  });
  test('sides of other heights share what they have in common, from a corner to the middle of the other', () => {
    const done = sharedCuts([box(0, 0, 10, 30), box(10, 5, 10, 7), box(10, 12, 10, 7)]);
    expect(done.lines.map((l) => lengthOfContour(l.contour)).sort((a, b) => a - b)).toEqual([10, 14]);
    expect([done.loops.length, done.saved]).toEqual([1, 24]);
  });
  test('just near enough is shared, just beyond it and what meets at a corner only is not; rounds never are', () => {
    const apart = (gap: number) => sharedCuts([box(0, 0, 10, 10), box(10 + gap, 0, 10, 10)]).lines.length;
    expect([apart(0.9 * sharedWithin), apart(1.1 * sharedWithin)]).toEqual([1, 0]);
    expect(sharedCuts([box(0, 0, 10, 10), box(10, 10, 10, 10)]).alone).toEqual([0, 1]);
    expect(sharedCuts([round(0, 0, 5), round(10, 0, 5)]).alone).toEqual([0, 1]);
    // Both to the left of their border: they lie on each other, and nothing is shared.
    expect(sharedCuts([box(0, 0, 10, 10), box(0, 0, 10, 4)]).lines).toEqual([]);
  });
  test('scrap that parts enclose has a border of its own', () => {
    // Four bars round a hole of 10 x 10, as a windmill.
    const done = sharedCuts([box(0, 0, 20, 10), box(20, 0, 10, 20), box(10, 20, 20, 10), box(0, 10, 10, 20)]);
    expect(done.loops.map((l) => lengthOfContour(l.contour)).sort((a, b) => a - b)).toEqual([40, 120]);
    const { faces, loose, twice } = partedBy([...done.loops, ...done.lines].map((l) => l.contour));
    expect([faces.map((f) => Math.round(areaOfContour(f.contour))).sort((a, b) => a - b), loose, twice]).toEqual([[100, 200, 200, 200, 200], 0, 0]);
  });
});

describe('pieces that lines part a sheet into', () => {
  test('lines that run through each other, end on others, lead nowhere or are there twice', () => {
    const cut = (a: P2, b: P2) => contourOf([{ kind: 'line', a, b }], false);
    const cross = partedBy([box(0, 0, 20, 20), cut([0, 10], [20, 10]), cut([10, 0], [10, 20])]);
    expect([cross.faces.map((f) => areaOfContour(f.contour)), cross.loose]).toEqual([[100, 100, 100, 100], 0]);
    expect(cross.faces.every((f) => f.beside.includes(-1) && f.contour.segments.length === 4)).toBe(true);
    const dead = partedBy([box(0, 0, 20, 20), cut([10, 0], [10, 12])]);
    expect([dead.faces.length, dead.loose]).toEqual([1, 1]);
    expect(partedBy([box(0, 0, 20, 20), cut([0, 0], [20, 0])]).twice).toBe(1);
    // A thousandth short of the line still parts it, three do not.
    expect(partedBy([box(0, 0, 20, 20), cut([10, 0], [10, 19.999])]).faces.length).toBe(2);
    expect(partedBy([box(0, 0, 20, 20), cut([10, 0], [10, 19.997])]).faces.length).toBe(1);
    const moon = partedBy([round(0, 0, 10), contourOf([{ kind: 'arc', centre: [0, 0], radius: 5, start: 0, sweep: Math.PI }, { kind: 'line', a: [-5, 0], b: [5, 0] }], true)]); // prettier-ignore
    expect(moon.faces.map((f) => areaOfContour(f.contour)).sort((a, b) => a - b)).toEqual([
      expect.closeTo(12.5 * Math.PI, 9),
      expect.closeTo(100 * Math.PI, 9),
    ]);
  });
});

test('pushed together: nothing overlaps, nothing could go a step further left or down; locked parts stay', () => {
  for (const seed of [1, 2, 3]) {
    const random = randomFrom(seed);
    const of = (w: number, h: number) => variantOf({ rings: [Float64Array.from([0, 0, w, 0, w, h * 0.6, w * 0.7, h, 0, h])] }, 0, false);
    const items: SheetItem[] = Array.from({ length: 20 }, () => ({ variants: [of(10 + Math.round(random() * 30), 10 + Math.round(random() * 30))], copies: 1, kinds: null, priority: 0, locked: [] })); // prettier-ignore
    const kinds = [{ width: 400, height: 300, copies: null, price: 1, remnant: false, closed: [] }];
    const parts = items.map((_, i) => ({ item: i, copy: 0, variant: 0, x: 20 + (i % 5) * 60, y: 20 + Math.floor(i / 5) * 60, locked: i === 7 }));
    const [{ parts: after }] = pushedTogether({ items, kinds }, { sheets: [{ kind: 0, parts }], notPlaced: [] }).sheets;
    const meets = (i: number, dx: number, dy: number) => after.some((o, k) => k !== i && collide(items[i].variants[0], items[k].variants[0], o.x - after[i].x - dx, o.y - after[i].y - dy)); // prettier-ignore
    for (const [i, p] of after.entries()) {
      expect(meets(i, 0, 0)).toBe(false);
      if (p.locked) expect([p.x, p.y]).toEqual([parts[i].x, parts[i].y]);
      else for (const [dx, dy, at] of [[-2 * grid, 0, p.x], [0, -2 * grid, p.y]]) expect(at < 2 * grid || meets(i, dx, dy)).toBe(true); // prettier-ignore
    }
  }
});

test('the largest rectangle left over: as trying all pairs of edges finds, and 20,000 boxes in no time to speak of', () => {
  for (let seed = 1; seed <= 60; seed++) {
    const random = randomFrom(seed);
    const boxes = Array.from({ length: 1 + Math.floor(random() * 9) }, (): Box => {
      const [l, b] = [Math.floor(random() * 90) - 5, Math.floor(random() * 50) - 5];
      return [l, b, l + 1 + Math.floor(random() * 30), b + 1 + Math.floor(random() * 20)];
    });
    const found = largestFree(100, 60, boxes);
    expect(found ? (found[2] - found[0]) * (found[3] - found[1]) : 0, `seed ${seed}`).toBe(byAllPairs(100, 60, boxes));
    if (found) expect(boxes.some((o) => o[0] < found[2] && o[2] > found[0] && o[1] < found[3] && o[3] > found[1])).toBe(false);
  }
  expect(largestFree(100, 60, [[0, 0, 100, 60]])).toBeNull();
  expect(largestFree(100, 60, [])).toEqual([0, 0, 100, 60]);
  const many = Array.from({ length: 20_000 }, (_, i): Box => [(i % 200) * 10, Math.floor(i / 200) * 10, (i % 200) * 10 + 9, Math.floor(i / 200) * 10 + 9]);
  expect(largestFree(2100, 1000, many)).toEqual([1999, 0, 2100, 1000]);
});

/** Area of the largest free rectangle on an edge, by all pairs of edges of the boxes. */
function byAllPairs(width: number, height: number, boxes: readonly Box[]): number {
  const xs = [0, width, ...boxes.flatMap((b) => [b[0], b[2]])].filter((x) => x >= 0 && x <= width);
  const ys = [0, height, ...boxes.flatMap((b) => [b[1], b[3]])].filter((y) => y >= 0 && y <= height);
  let best = 0;
  for (const l of xs)
    for (const r of xs)
      for (const b of ys)
        for (const t of ys) {
          if (r <= l || t <= b || (l > 0 && b > 0 && r < width && t < height)) continue;
          if (boxes.some((o) => o[0] < r && o[2] > l && o[1] < t && o[3] > b)) continue;
          best = Math.max(best, (r - l) * (t - b));
        }
  return best;
}

describe('sheets whose cuts are shared', () => {
  const house = lines([[0, 0], [50, 0], [50, 30], [25, 50], [0, 30]]); // prettier-ignore
  const ell = lines([[0, 0], [60, 0], [60, 20], [20, 20], [20, 50], [0, 50]]); // prettier-ignore
  test('random sets: shapely finds exactly the listed areas between the lines, and no stretch that is cut twice', async () => {
    const engine = await nodeEngine();
    for (let seed = 1; seed <= some(15, 3); seed++) {
      const random = randomFrom(seed);
      const upTo = (most: number) => 1 + Math.floor(random() * most);
      const list = [
        row('plate', [box(0, 0, 60 + upTo(40), 40 + upTo(20)), round(20, 20, 5)], upTo(5)),
        row('tile', [box(0, 0, 40, 40)], upTo(8)),
        row('house', [house], upTo(3)),
        row('ell', [ell], upTo(3)),
        ...(seed % 2 === 1 ? [row('sail', [lines([[0, 0], [80, 0], [0, 60]])], upTo(4)), row('octa', [lines([[10, 0], [90, 0], [100, 10], [100, 50], [90, 60], [10, 60], [0, 50], [0, 10]])], upTo(2))] : []), // prettier-ignore
        ...(seed % 3 === 0 ? [row('disc', [round(20, 20, 20)], upTo(3))] : []),
      ];
      const how = {
        ...choice,
        kerf: [0.15, 0.4, 3][seed % 3],
        turns: seed % 2 === 0 ? ('quarters' as const) : ('free' as const),
        mirror: seed % 3 === 1,
        seed,
      };
      const nest = nestRows(list, how, engine);
      expect(nest.notPlaced).toEqual([]);
      const keep = async (name: string, pieces: Iterable<Uint8Array>) => {
        const bytes = Buffer.concat([...pieces]);
        writeFileSync(join(folder, name), bytes);
        return bytes;
      };
      const done = (await nestFiles({ rows: list, nest, choice: how }, { receiver: martin, format: 'dxf', name: `s${seed}`, csv: { comma: false, mark: false } }, { tools: nodeTools, letters: nodeLetters, keep }))!; // prettier-ignore
      const file = done.files.find((f) => f.sheet === 0)!;
      expect(file.evidence!.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
      expect(done.evidence.verdict).toBe('clear');
      expect(file.evidence!.findings.map((f) => f.code).filter((c) => c !== 'smaller-than-bit')).toEqual(['middle-of-cut']);
      const out = execFileSync('/usr/bin/python3', [join(here, 'readers', 'parted.py'), join(folder, file.name), String(how.kerf), 'CUT_LARGE', 'CUT_SMALL']);
      const { areas, length, once } = JSON.parse(out.toString()) as { areas: number[]; length: number; once: number };
      const left = [...areas];
      for (const r of list)
        for (let c = 0; c < r.quantity; c++) {
          const meant = Math.abs(areaOfContour(r.layers[0].contours[0]));
          const at = left.findIndex((a) => Math.abs(a - meant) < 0.003 * Math.sqrt(meant) + 0.05);
          expect(at, `${r.name} of seed ${seed}`).toBeGreaterThanOrEqual(0);
          left.splice(at, 1);
        }
      expect(Math.abs(length - once)).toBeLessThan(0.05);
      // Without sharing all that would be cut round by itself.
      // Sharp corners reach farther out.
      const alone = list.reduce((n, r) => n + r.quantity * lengthOfContour(r.layers[0].contours[0]), 0);
      expect(length).toBeLessThan(0.93 * alone + 8 * how.kerf * 30);
    }
  });

  const two = [row('plate', [box(0, 0, 100, 60), round(30, 30, 8), box(60, 20, 20, 20)], 2), row('strip', [box(0, 0, 40, 60)], 1)];
  const block = lie([['plate', 20, 20], ['plate', 120.2, 20], ['strip', 220.4, 20]]); // prettier-ignore
  test('each spoilt file is stopped by the claim that it belongs to; the sound one is clear', async () => {
    expect(stops(await proved(two, choice, block))).toEqual([]);
    const open = (c: Contour) => !c.closed;
    const without = await proved(two, choice, block, (d) => onLayer(d, 'CUT_LARGE', (c) => c.filter((k) => !open(k) || k !== c.find(open))));
    expect(stops(without)).toContain('Parts found by shape');
    const beside = await proved(two, choice, block, (d) => onLayer(d, 'CUT_LARGE', (c) => c.map((k) => (k === c.find(open) ? { ...k, segments: [{ kind: 'line', a: [120.5, 19.9], b: [120.5, 80.1] } as Segment] } : k)))); // prettier-ignore
    expect(stops(beside)).toContain('Outlines of no listed part');
    const twice = await proved(two, choice, block, (d) => onLayer(d, 'CUT_LARGE', (c) => [...c, c.find(open)!]));
    expect(stops(twice)).toEqual(['Stretches cut twice']);
    const short = await proved(two, choice, block, (d) => onLayer(d, 'CUT_LARGE', (c) => c.map((k) => (k === c.find(open) ? { ...k, segments: [{ kind: 'line', a: [120.1, 19.9], b: [120.1, 79] } as Segment] } : k)))); // prettier-ignore
    expect(stops(short)).toContain('Loose ends of shared cuts');
    const hung = await proved(two, choice, block, (d) => onLayer(d, 'CUT_LARGE', (c) => [...c, contourOf([{ kind: 'line', a: [260.5, 30], b: [300, 30] }, { kind: 'line', a: [300, 30], b: [300, 50] }, { kind: 'line', a: [300, 50], b: [260.5, 50] }], false)])); // prettier-ignore
    expect(stops(hung)).toContain('Outlines of no listed part');
    const hole = await proved(two, choice, block, (d) => onLayer(d, 'HOLES_D16', (c) => c.slice(1)));
    expect(stops(hole)).toEqual(['Openings and pockets missing']);
  });
  test('a file made for another width of the cut leaves every part too small, or too large, and is stopped', async () => {
    for (const kerf of [0.1, 0.3]) {
      const wrong = stops(await proved(two, choice, block, (d) => d, { ...choice, kerf }));
      expect(wrong).toContain('Parts found by shape');
      expect(wrong).toContain('Outlines of no listed part');
    }
  });
  test('openings are cut before the lines that free their part: told when a line comes first', async () => {
    const engine = await nodeEngine();
    const { drawing } = await sheetDrawing(block, 0, { rows: two, choice }, { engine, letters: nodeLetters });
    const part = partOfDrawing(drawing, { name: 'sheet', path: ['sheet'], quantity: 1, unit: 'mm', format: 'made here' });
    const first = firstRecipe({ survey: null, kind: 'drawing' }, [martin]);
    const recipe = { ...first, receiver: martin, file: { ...first.file, format: 'dxf' as const }, drawing: { ...firstDrawingRecipe(), keepLayers: true } };
    const { pieces } = await writeDrawing(part.summary, drawing, recipe, engine);
    const received = await receiveDrawing(Buffer.concat([...pieces]), 'dxf', martin);
    const verdict = (order: typeof received.order) => sheetClaims(block.sheets[0], { rows: two, choice, engine }, { ...received, order }).claims.find((c) => c.quantity === 'Openings cut after their outline')!.verdict; // prettier-ignore
    expect([verdict(received.order), verdict([...received.order].reverse())]).toEqual(['clear', 'stop']);
  });
});

describe('tabs', () => {
  const how: NestChoice = { ...choice, shared: false, kerf: 0.2, spacing: 6, smallArea: 3000, tabs: { count: 3, width: 2 } };
  const oval = contourOf([{ kind: 'ellipse', centre: [30, 18], u: [30, 0], ratio: 0.6, start: 0, sweep: 2 * Math.PI }], true);
  test('gaps are a tab and a cut wide, on lines, rounds and other curves; bridged again they are what they were', () => {
    for (const outline of [box(0, 0, 40, 20), round(20, 20, 20), oval]) {
      const pieces = tabbed(outline, how)!;
      expect([pieces.length, pieces.every((p) => !p.closed)]).toEqual([3, true]);
      expect(lengthOfContour(outline) - pieces.reduce((n, p) => n + lengthOfContour(p), 0)).toBeCloseTo(3 * 2.2, 2);
      const { drawing, gaps, loose } = withoutTabs({ layers: [{ name: 'CUT_SMALL', colour: null, lineType: 'CONTINUOUS', contours: pieces }], texts: [], points: [] }, how); // prettier-ignore
      expect(gaps.map((g) => g.toFixed(2))).toEqual(['2.20', '2.20', '2.20']);
      expect([loose, drawing.layers[0].contours.length, drawing.layers[0].contours[0].closed]).toEqual([0, 1, true]);
      expect(Math.abs(areaOfContour(drawing.layers[0].contours[0]))).toBeCloseTo(Math.abs(areaOfContour(outline)), 0);
    }
    expect(tabbed(round(0, 0, 1), how)).toBeNull();
    // Half of the outline is the most that tabs may take: 2 x 2.2 of 8.8 and a hair more.
    expect([tabbed(box(0, 0, 2.2, 2.21), how)?.length, tabbed(box(0, 0, 2.2, 2.19), how)]).toEqual([2, null]);
  });
  const list = [
    row('tag', [box(0, 0, 30, 18), round(5, 9, 2)], 2),
    row('coin', [round(12, 12, 12)], 1),
    row('oval', [oval], 1),
    row('plate', [box(0, 0, 100, 60)], 1),
  ];
  const laid = lie([['tag', 20, 20], ['tag', 20, 60], ['coin', 70, 20], ['oval', 70, 60], ['plate', 150, 20]]); // prettier-ignore
  const fuller = list.map((r) => (r.key === 'oval' ? { ...r, length: 60, width: 36 } : r));
  test('small parts have them, large ones none; what is spoilt is stopped', async () => {
    expect(stops(await proved(fuller, how, laid))).toEqual([]);
    const narrow = await proved(fuller, { ...how, tabs: { count: 3, width: 2.3 } }, laid, (d) => d);
    expect(stops(narrow)).toEqual([]);
    const closed = await proved(fuller, how, laid, (d) => onLayer(d, 'CUT_SMALL', (c) => [box(20, 20, 30, 18), ...c.slice(3)]));
    expect(stops(closed)).toContain('Tabs on small parts');
    const thin = await proved(fuller, how, laid, (d) => onLayer(d, 'CUT_SMALL', (c) => c.map((k) => grownEnds(k, 0.3))));
    expect(stops(thin)).toEqual(['Narrowest tab and its cut']);
    const gone = await proved(fuller, how, laid, (d) => onLayer(d, 'CUT_SMALL', (c) => c.slice(1)));
    expect(stops(gone)).toContain('Parts found by shape');
  });
  test('what does not go together is refused in a sentence', () => {
    const plain = { ...usualNest };
    const saw = { stages: 3 as const, trim: 10 };
    expect(badTogether({ ...plain, kerf: 0.2, shared: true })).toBeNull();
    expect([0.0099, 0.01].map((kerf) => badTogether({ ...plain, kerf, shared: true }) === null)).toEqual([false, true]);
    expect(badTogether({ ...plain, kerf: 4, saw, shared: true })).toContain('panel saw');
    expect(badTogether({ ...plain, saw, tabs: { count: 2, width: 3 } })).toContain('no tabs');
    expect(badTogether({ ...plain, kerf: 0.2, shared: true, skin: 0.4 })).toContain('held by each other');
    expect(badTogether({ ...plain, tabs: { count: 2, width: 3 }, skin: 0.4 })).toContain('choose one');
    expect(nestSchema.validate({ ...plain, shared: true }).error?.message).toContain('width of the cut');
    expect(nestSchema.validate({ ...plain, kerf: 0.2, shared: true }).error).toBeUndefined();
  });
});

/** Both ends of an open contour of lines and arcs made longer. */
function grownEnds(c: Contour, by: number): Contour {
  if (c.closed) return c;
  const longer = (s: Segment, atEnd: boolean): Segment => {
    if (s.kind === 'arc') {
      const more = (Math.sign(s.sweep) * by) / s.radius;
      return atEnd ? { ...s, sweep: s.sweep + more } : { ...s, start: s.start - more, sweep: s.sweep + more };
    }
    if (s.kind !== 'line') return s;
    const long = Math.hypot(s.b[0] - s.a[0], s.b[1] - s.a[1]);
    const [ux, uy] = [(s.b[0] - s.a[0]) / long, (s.b[1] - s.a[1]) / long];
    return atEnd ? { ...s, b: [s.b[0] + ux * by, s.b[1] + uy * by] } : { ...s, a: [s.a[0] - ux * by, s.a[1] - uy * by] };
  };
  const last = c.segments.length - 1;
  return { ...c, segments: c.segments.map((s, i) => (i === last ? longer(i === 0 ? longer(s, false) : s, true) : i === 0 ? longer(s, false) : s)) };
}
