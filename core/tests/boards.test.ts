/**
 * Boards: layers and drill files as an independent reader sees them (gerber_read.py, Python and shapely, written from the published formats), closed forms by hand, and the
 * proof: which wrong zip would it pass, which right one would it stop?
 */
import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { boardOf } from '../src/boards/board.ts';
import { usualBoard, usualPanel, type BoardChoice } from '../src/boards/choice.ts';
import { makeBoard, type BoardMade } from '../src/boards/make.ts';
import { meantForBoard, obroundOf } from '../src/boards/meaning.ts';
import { placesApart, proveBoard } from '../src/boards/prove.ts';
import { rounded } from '../src/boards/round.ts';
import { shopFindings } from '../src/boards/rules.ts';
import { boardView } from '../src/boards/view.ts';
import { websOf } from '../src/boards/webs.ts';
import { main } from '../src/cli/main.ts';
import { contourOf, type Contour, type Drawing } from '../src/curves/drawing.ts';
import { circle, type P2, type Segment } from '../src/curves/segment.ts';
import { dxfFile } from '../src/formats/dxf/write.ts';
import { receiveBoard } from '../src/formats/gerber/pack.ts';
import type { Track } from '../src/formats/gerber/write.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { isBoardShop, receiversFor, type BoardShop } from '../src/receivers/receivers.ts';
import { checkReceiver } from '../src/receivers/rules.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { recipeSchema } from '../src/recipe/schema.ts';
import { checkRelease } from '../src/release/schema.ts';
import { frontPanel, hole, layered, roundBox, slotContour } from './board.data.ts';
import { random as randomly } from './tube.data.ts';
import { some } from './some.ts';

const folder = mkdtempSync(join(tmpdir(), 'tall-kite-boards-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const readers = fileURLToPath(new URL('readers', import.meta.url));

interface Read {
  file: string;
  attr: Record<string, string[]>;
  area: number;
  notes: string[];
  arcEndError?: number;
  outline?: [number, number][];
  tools?: Record<string, number>;
  holes?: number;
  slots?: number;
  error?: string;
}

/** What the independent reader makes of files, its arcs within a ten-millionth of a millimetre. */
function readElsewhere(files: readonly { file: string; bytes: Uint8Array }[], fine = 1e-7): Record<string, Read> {
  const place = mkdtempSync(join(folder, 'read-'));
  for (const f of files) writeFileSync(join(place, f.file), f.bytes);
  const code = `import sys; sys.path.insert(0, ${JSON.stringify(readers)}); import gerber_read as g; g.TOL = ${fine}; src = open(g.__file__).read().split("if __name__")[1]; exec("if __name__" + src, {**vars(g), '__name__': '__main__'})`;
  const out = execFileSync('/usr/bin/python3', ['-c', code, ...files.map((f) => join(place, f.file))], { encoding: 'utf8', maxBuffer: 1e8 });
  return Object.fromEntries(out.trim().split('\n').map((l) => JSON.parse(l) as Read).map((r) => [r.file.split('/').pop()!, r])); // prettier-ignore
}
const layersIn = (made: BoardMade) => made.files.filter((f) => /\.(gbr|drl)$/.test(f.file));
const make = async (drawing: Drawing, choice: Partial<BoardChoice> = {}, shop: BoardShop | null = null) =>
  makeBoard(await nodeTools.engine(), drawing, { choice: { ...usualBoard, ...choice }, shop, name: 'board', told: [] });
const claimOf = (made: Pick<BoardMade, 'evidence'>, quantity: string) => made.evidence.claims.find((c) => c.quantity === quantity)!;
const near = (a: number, b: number, share: number) => expect(Math.abs(a - b)).toBeLessThanOrEqual(share * Math.max(1, Math.abs(b)));

describe('a front panel, read elsewhere', () => {
  let made: BoardMade;
  let read: Record<string, Read>;
  beforeAll(async () => {
    made = await make(frontPanel());
    read = readElsewhere(layersIn(made));
  });
  test('no note, no error; each layer says what it is', () => {
    expect(Object.fromEntries(Object.entries(read).map(([f, r]) => [f.replace('board', ''), [r.attr['.FileFunction'].join(','), r.notes, r.error]]))).toEqual({
      '_profile.gbr': ['Profile,NP', [], undefined],
      '_copper_top.gbr': ['Copper,L1,Top', [], undefined],
      '_copper_bottom.gbr': ['Copper,L2,Bot', [], undefined],
      '_mask_top.gbr': ['Soldermask,Top', [], undefined],
      '_mask_bottom.gbr': ['Soldermask,Bot', [], undefined],
      '_legend_top.gbr': ['Legend,Top', [], undefined],
      '_plated.drl': ['Plated,1,2,PTH', [], undefined],
      '_bare.drl': ['NonPlated,1,2,NPTH', [], undefined],
    });
  });
  test('areas within a millionth of the closed forms', () => {
    const disc = (d: number) => (Math.PI * d * d) / 4;
    const corners = (w: number, h: number, r: number) => w * h - (4 - Math.PI) * r * r;
    // The slot's middle is the line from (40, 10) to (48, 14).
    const slot = (w: number) => Math.hypot(8, 4) * w + disc(w);
    near(read['board_bare.drl'].area, 4 * disc(3.2) + slot(1.5), 1e-6);
    near(read['board_plated.drl'].area, 3 * disc(1), 1e-6);
    near(read['board_mask_bottom.gbr'].area, 4 * disc(3.3) + slot(1.6) + 3 * disc(1.7), 1e-6);
    near(read['board_mask_top.gbr'].area, 4 * disc(3.3) + slot(1.6) + 3 * disc(1.7) + 80, 1e-6);
    // Inset by 0.3: outer corners keep their middle, those of the window go round it.
    const window = corners(30.6, 16.6, 1.3);
    near(read['board_copper_top.gbr'].area, corners(79.4, 49.4, 3.7) - window - 4 * disc(3.8) - slot(2.1) - 60, 1e-6);
    expect(read['board_profile.gbr'].outline!.map(([a]) => a).sort((a, b) => a - b)).toEqual([corners(30, 16, 1), corners(80, 50, 4) - corners(30, 16, 1)].sort((a, b) => a - b).map((v) => expect.closeTo(v, 4))); // prettier-ignore
  });
  test('the proof agrees; its own areas are those too', () => {
    expect(made.evidence.claims.map((c) => c.verdict)).toEqual(made.evidence.claims.map(() => 'clear'));
    expect(made.evidence.findings).toEqual([]);
    for (const [quantity, file] of [['Copper, top', 'copper_top'], ['Openings of the mask, top', 'mask_top'], ['Copper, bottom', 'copper_bottom']]) near(claimOf(made, quantity).received as number, read[`board_${file}.gbr`].area, 2e-6); // prettier-ignore
    expect(claimOf(made, 'Holes').received).toBe('3 x 1 plated; 4 x 3.2 bare');
    expect(claimOf(made, 'Slots').received).toBe('1 x 1.5 bare');
  });
  test('equal inputs, equal bytes; nothing in them says when', async () => {
    const again = await make(frontPanel());
    expect(again.files.map((f) => f.sha256)).toEqual(made.files.map((f) => f.sha256));
    expect(Buffer.from(again.zip).equals(Buffer.from(made.zip))).toBe(true);
    for (const f of made.files) expect(strFromU8(f.bytes)).not.toMatch(/CreationDate|20\d\d-\d\d/);
  });
  test('names by the trade; the job file says size and thickness', async () => {
    const trade = await make(frontPanel(), { names: 'trade', thickness: 0.8 });
    expect(trade.files.map((f) => f.file).sort()).toEqual(['board-NPTH.DRL', 'board-PTH.DRL', 'board.GBL', 'board.GBS', 'board.GKO', 'board.GTL', 'board.GTO', 'board.GTS', 'board.gbrjob', 'readme.txt']); // prettier-ignore
    const job = JSON.parse(strFromU8(trade.files.find((f) => f.file.endsWith('.gbrjob'))!.bytes));
    expect(job.GeneralSpecs).toEqual({ ProjectId: { Name: 'board' }, Size: { X: 80, Y: 50 }, LayerNumber: 2, BoardThickness: 0.8 });
    expect(trade.received.thickness).toBe(0.8);
  });
  test('both sides are drawn from what was read', async () => {
    const view = boardView(await nodeTools.engine(), made.received, made.evidence);
    expect(view.box.map((v) => Number(v.toFixed(6)))).toEqual([0, 0, 80, 50]);
    expect([view.top.legend !== '', view.bottom.legend, view.plated !== '']).toEqual([true, '', true]);
    expect(view.figures.leastWeb).toBeCloseTo(1.54, 6);
  });
});

test('random boards, also as panels: every layer as large elsewhere as here, holes and outline exact', async () => {
  const random = randomly(41);
  const between = (a: number, b: number) => a + (b - a) * random();
  for (let k = 0; k < Number(process.env.BOARDS ?? some(4, 2)); k++) {
    const [w, h] = [between(30, 120), between(20, 80)];
    const shift: P2 = [between(-50, 50), between(-50, 50)];
    const at = (x: number, y: number): P2 => [shift[0] + x * w, shift[1] + y * h];
    const drawing = layered({
      outline: [roundBox([...at(0, 0), ...at(1, 1)], between(0.5, 5))],
      drill: Array.from({ length: 6 }, (_, i) => hole(...at(0.12 + 0.15 * i, between(0.1, 0.3)), between(0.4, 3))),
      plated: Array.from({ length: 5 }, (_, i) => hole(...at(0.15 + 0.17 * i, between(0.42, 0.55)), between(0.4, 2))),
      slot: [slotContour(at(0.2, 0.72), at(between(0.3, 0.5), between(0.68, 0.76)), between(0.8, 2))],
      window: [roundBox([...at(0.6, 0.65), ...at(0.9, 0.88)], between(0, 1.5))],
      copper: [roundBox([...at(0.05, 0.8), ...at(0.15, 0.9)], 0.2)],
      mask: [hole(...at(0.1, 0.85), 1.5)],
      legend: [contourOf([{ kind: 'line', a: at(0.1, 0.6), b: at(0.5, 0.62) }], false)],
    });
    const panel = k % 3 === 0 ? null : { ...usualPanel, columns: 2, rows: 1 + (k % 2), join: k % 3 === 1 ? ('tabs' as const) : ('scored' as const) };
    // A round edge can't be scored.
    const scored = panel?.join === 'scored';
    if (scored) drawing.layers[0].contours = [roundBox([...at(0, 0), ...at(1, 1)], 0)];
    const made = await make(drawing, { copper: (['none', 'top', 'both'] as const)[k % 3], clearance: between(0.15, 0.6), ring: between(0.1, 0.5), panel });
    expect(made.evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
    const read = readElsewhere(layersIn(made), 3e-7);
    for (const [quantity, file] of [['Copper, top', 'copper_top'], ['Copper, bottom', 'copper_bottom'], ['Openings of the mask, top', 'mask_top']]) {
      const claim = claimOf(made, quantity);
      if (claim) for (const area of [claim.received, claim.designed]) near(area as number, read[`board_${file}.gbr`].area, 1e-6);
    } // prettier-ignore
    for (const r of Object.values(read)) expect([r.file, r.notes, r.error, (r.arcEndError ?? 0) < 2e-6]).toEqual([r.file, [], undefined, true]);
    const drills = Object.values(read).filter((r) => r.tools);
    expect(drills.reduce((n, r) => n + r.holes!, 0)).toBe(made.whole.holes.length);
    expect(drills.reduce((n, r) => n + r.slots!, 0)).toBe(made.whole.slots.length);
  }
}, 120_000);

describe('what contours are', () => {
  const meant = (d: Drawing, more: Partial<BoardChoice> = {}) => meantForBoard(d, { ...usualBoard, ...more }).map((c) => c.meaning);
  const box = roundBox([0, 0, 50, 30], 0);
  test('without names: by how they lie and their size, just inside and just outside', () => {
    const inside = [
      hole(10, 10, 6.5),
      hole(25, 10, 6.51),
      slotContour([35, 10], [40, 10], 6.5),
      slotContour([20, 22], [30, 22], 6.6),
      roundBox([38, 18, 45, 25], 0),
    ];
    const open = contourOf([{ kind: 'line', a: [2, 28], b: [8, 28] }], false);
    expect(meant(layered({ '0': [box, ...inside, open] }))).toEqual(['edge', 'bare', 'cut-out', 'slot', 'cut-out', 'cut-out', 'legend']);
  });
  test.each([
    ['NPTH', hole(5, 5, 1), 'bare'],
    ['PTH 0.8', hole(5, 5, 1), 'plated'],
    ['Vias', hole(5, 5, 1), 'plated'],
    ['drill', hole(5, 5, 1), 'bare'],
    ['drill', roundBox([4, 4, 8, 8], 0), 'cut-out'],
    ['plated slots', slotContour([5, 5], [9, 5], 1), 'plated-slot'],
    ['copper bottom', hole(5, 5, 9), 'copper-bottom'],
    ['Mask, back', hole(5, 5, 9), 'mask-bottom'],
    ['silkscreen', hole(5, 5, 9), 'legend'],
    ['text', hole(5, 5, 9), 'legend-filled'],
    ['keepout', hole(5, 5, 9), 'keep-out'],
    ['outline', hole(5, 5, 9), 'cut-out'],
    ['Defpoints', hole(5, 5, 9), 'nothing'],
  ])('layer "%s" with its contour: %#', (name, contour, meaning) => {
    expect(meant(layered({ board: [box], [name]: [contour] }))[1]).toBe(meaning);
  });
  test('colours: what is closed inside in another colour than the edge is legend, holes stay holes; by hand before all but layers', () => {
    const inked = (c: Contour, colour: string): Contour => ({ ...c, colour });
    const d = layered({ '0': [inked(box, '#ff0000'), inked(roundBox([5, 5, 9, 9], 0), '#0000ff'), inked(roundBox([15, 5, 19, 9], 0), '#ff0000'), inked(hole(30, 10, 3), '#0000ff')] }); // prettier-ignore
    expect(meant(d)).toEqual(['edge', 'legend', 'cut-out', 'bare']);
    expect(meant(d, { byColour: { '#0000ff': 'copper' } })).toEqual(['edge', 'copper', 'cut-out', 'copper']);
    expect(meant(d, { byColour: { '#0000ff': 'copper' }, byContour: { '3': 'plated' } })).toEqual(['edge', 'copper', 'cut-out', 'plated']);
    expect(meant(d, { byLayer: { '0': 'edge' }, byColour: { '#0000ff': 'copper' } })).toEqual(['edge', 'edge', 'edge', 'edge']);
  });
  test('typed words: outlines are filled, single lines are lines, their closed letters too', () => {
    const as = (c: Contour): Contour => ({ ...c, meaning: 'engrave' });
    const stroke = as(contourOf([{ kind: 'line', a: [5, 5], b: [5, 9] }], false));
    expect(meant(layered({ board: [box], words: [as(hole(9, 9, 3))] }))[1]).toBe('legend-filled');
    expect(meant(layered({ board: [box], words: [as(hole(9, 9, 3)), stroke] })).slice(1)).toEqual(['legend', 'legend']);
  });
  test('by hand goes first: a contour before its layer', () => {
    const d = layered({ board: [box], x: [hole(5, 5, 1), hole(9, 9, 1)] });
    expect(meant(d, { byLayer: { x: 'plated' }, byContour: { '2': 'nothing' } })).toEqual(['edge', 'plated', 'nothing']);
  });
  test('obrounds: halves in pieces too; other sides, or ends of another radius, are none', () => {
    expect(obroundOf(slotContour([3, 4], [9, 8], 2))).toEqual({ a: expect.anything(), b: expect.anything(), width: expect.closeTo(2, 9) });
    const good = slotContour([0, 0], [10, 0], 2);
    const pieces = good.segments.flatMap((s): Segment[] => (s.kind === 'arc' ? [{ ...s, sweep: s.sweep / 2 }, { ...s, start: s.start + s.sweep / 2, sweep: s.sweep / 2 }] : [s])); // prettier-ignore
    expect(obroundOf({ ...good, segments: pieces })!.width).toBeCloseTo(2, 9);
    expect(obroundOf(roundBox([0, 0, 10, 4], 1))).toBeNull();
    expect(obroundOf(roundBox([0, 0, 10, 4], 2))).toBeNull();
  });
  test('an open edge, and nothing that is an edge, are refused; an open hole is told', () => {
    const open = contourOf([{ kind: 'line', a: [0, 0], b: [10, 0] }], false);
    expect(() => boardOf(layered({ outline: [open] }), usualBoard)).toThrow(/board edge on layer "outline" is open/);
    expect(() => boardOf(layered({ legend: [open] }), usualBoard)).toThrow(/Nothing in this drawing is the edge/);
    expect(boardOf(layered({ board: [box], plated: [open] }), usualBoard).board.findings.map((f) => [f.code, f.severity])).toEqual([['open-contour', 'stop']]);
    expect(boardOf(layered({ board: [box], plated: [roundBox([4, 4, 8, 8], 0)] }), usualBoard).board.findings.map((f) => f.code)).toEqual(['no-circle']);
    expect(boardOf(layered({ board: [box], slot: [roundBox([4, 4, 8, 8], 0), open] }), usualBoard).board.findings.map((f) => f.code)).toEqual([
      'no-slot',
      'slot-width',
    ]);
  });
});

describe('what may be meant otherwise is told', () => {
  const box = roundBox([0, 0, 40, 30], 0);
  const told = (layers: Record<string, Contour[]>) => boardOf(layered(layers), usualBoard).board.findings.map((f) => [f.code, f.severity]);
  const opened = (c: Contour, gap: number): Contour => ({
    ...c,
    closed: false,
    segments: [...c.segments.slice(0, 3), { kind: 'line', a: [0, 30], b: [0, gap] } as Segment],
  });
  test('an outline with a gap is no legend around a hole: a stop; a line that does not go round the board is none', () => {
    expect(told({ '0': [opened(box, 0.05), hole(10, 10, 2)] })).toEqual([['open-around', 'stop']]);
    expect(told({ '0': [roundBox([-1, -1, 41, 31], 0), opened(box, 0.05)] })).toEqual([]);
  });
  test('several boards, and circles in lines of 8 and more', () => {
    const round = (n: number, off = 0) => contourOf(Array.from({ length: n }, (_, k): Segment => { const p = (i: number): P2 => [20 + (2 + (i % n === 0 ? off : 0)) * Math.cos((2 * Math.PI * i) / n), 15 + 2 * Math.sin((2 * Math.PI * i) / n)]; return { kind: 'line', a: p(k), b: p(k + 1) }; }), true); // prettier-ignore
    expect(told({ '0': [box, roundBox([50, 0, 60, 10], 0)] })).toEqual([['several-boards', 'look']]);
    expect([told({ '0': [box, round(8)] }), told({ '0': [box, round(7)] }), told({ '0': [box, round(36, 0.1)] })]).toEqual([
      [['circle-in-lines', 'look']],
      [],
      [],
    ]);
  });
});

describe('inner corners', () => {
  const square: Track[] = roundBox([0, 0, 10, 6], 0).segments as Track[];
  test('rounded by the radius: the area by hand', () => {
    const { tracks, left } = rounded(square, 1, true);
    expect(left).toEqual([]);
    expect(tracks).toHaveLength(8);
    const { board } = boardOf(layered({ outline: [roundBox([-5, -5, 20, 20], 0)], window: [roundBox([0, 0, 10, 6], 0)] }), { ...usualBoard, innerRadius: 1 });
    expect(board.cutOuts[0]).toHaveLength(8);
    expect(board.edges[0]).toHaveLength(4);
  });
  test('just enough room, and just too little, told with its place', () => {
    expect(rounded(square, 3, true).left).toEqual([]);
    expect(rounded(square, 3.001, true).left.length).toBeGreaterThan(0);
  });
});

describe('rules of a shop', () => {
  const loose: BoardShop = {
    leastHole: 0.01,
    leastSlot: 0.01,
    leastWeb: 0,
    leastRing: 0,
    leastClearance: 0,
    leastText: 0,
    innerRadius: 0,
    largest: [500, 500],
  };
  const codes = (shop: Partial<BoardShop>, choice: Partial<BoardChoice> = {}) => {
    const how = { ...usualBoard, ...choice };
    return [...new Set(shopFindings(boardOf(frontPanel(), how).board, how, { ...loose, ...shop }).map((f) => f.code))];
  };
  // Smallest hole 1, slot 1.5, web 1.54 (between plated holes), ring and clearance 0.3, letters 4, corners of the window 1; 80 x 50.
  test.each([
    ['leastHole', 1, 1.001, 'small-hole'],
    ['leastSlot', 1.5, 1.501, 'small-slot'],
    ['leastWeb', 1.539, 1.541, 'thin-web'],
    ['leastRing', 0.3, 0.301, 'thin-ring'],
    ['leastClearance', 0.3, 0.301, 'small-clearance'],
    ['leastText', 2, 2.001, 'small-text'],
    ['innerRadius', 1, 1.001, 'sharp-corner'],
  ] as const)('%s of %s is kept, %s is not', (key, good, bad, code) => {
    expect(codes({ [key]: good })).toEqual([]);
    expect(codes({ [key]: bad })).toEqual([code]);
  });
  test('corners by what a bit of 0.5 mm leaves there: 0.01 mm is let be', () => {
    // r (1 / cos(a / 2) - 1) = 0.01 at a turn of 22.8 degrees: 16 corners turn by 22.5, 15 by 24.
    const round = (n: number) => contourOf(Array.from({ length: n }, (_, k): Segment => { const p = (i: number): P2 => [20 + 5 * Math.cos((2 * Math.PI * i) / n), 15 + 5 * Math.sin((2 * Math.PI * i) / n)]; return { kind: 'line', a: p(k), b: p(k + 1) }; }), true); // prettier-ignore
    const of = (c: Contour) => shopFindings(boardOf(layered({ outline: [roundBox([0, 0, 40, 30], 0)], window: [c] }), usualBoard).board, usualBoard, { ...loose, innerRadius: 0.5 }).map((f) => f.code); // prettier-ignore
    expect([of(round(16)), of(round(15))]).toEqual([[], ['sharp-corner']]);
    // Corners of the edge that stick out are no inner ones; those that go in are.
    const el = contourOf([[0, 0], [40, 0], [40, 10], [10, 10], [10, 30], [0, 30]].map((a, i, all): Segment => ({ kind: 'line', a: a as P2, b: all[(i + 1) % 6] as P2 })), true); // prettier-ignore
    const [found] = shopFindings(boardOf(layered({ outline: [el] }), usualBoard).board, usualBoard, { ...loose, innerRadius: 0.5 });
    expect([found.count, found.message]).toEqual([1, expect.stringContaining('at 10, 10 mm is sharp')]);
  });
  test('the largest board, lying either way', () => {
    expect(codes({ largest: [50, 80] })).toEqual([]);
    expect(codes({ largest: [50, 79.99] })).toEqual(['too-large']);
  });
  test('holes beyond the board, copper nearer to edges than the shop keeps, legend over holes: told; just inside, not', async () => {
    const box = roundBox([0, 0, 40, 30], 0);
    const told = async (more: Record<string, Contour[]>, shop: Partial<BoardShop> = {}) =>
      (await make(layered({ outline: [box], ...more }), { copper: 'none' }, { ...loose, ...shop })).evidence.findings.map((f) => f.code);
    expect(await told({ npth: [hole(50, 10, 2)] })).toEqual(['hole-outside']);
    expect(await told({ npth: [hole(38.99, 10, 2)] })).toEqual([]);
    // A square of copper 0.5 mm from the edge, and 0.5 mm from a bare hole.
    const copper = { copper: [roundBox([0.5, 5, 10, 10], 0)], npth: [hole(11.5, 7, 2)] };
    expect(await told(copper, { leastClearance: 0.5 })).toEqual([]);
    expect(await told(copper, { leastClearance: 0.51 })).toEqual(['copper-near']);
    const line = (y: number) => [contourOf([{ kind: 'line', a: [5, y], b: [35, y] }], false)];
    expect(await told({ npth: [hole(20, 10, 2)], legend: line(11.08) })).toEqual([]);
    expect(await told({ npth: [hole(20, 10, 2)], legend: line(11) })).toEqual(['legend-lost']);
  });
  test('the longest zip that it takes, just inside and just outside', async () => {
    const { zip } = await make(frontPanel());
    const codes = async (mostBytes: number) =>
      (await makeBoard(await nodeTools.engine(), frontPanel(), { choice: usualBoard, shop: loose, mostBytes, name: 'board', told: [] })).evidence.findings.map(
        (f) => f.code,
      );
    expect([await codes(zip.length), await codes(zip.length - 1)]).toEqual([[], ['too-long']]);
  });
  test('what is proved is what was kept: bytes that change on the way are a stop', async () => {
    const kept = async (zip: Uint8Array) => zipSync(Object.fromEntries(Object.entries(unzipSync(zip)).filter(([n]) => !n.includes('mask_top'))));
    const { evidence } = await makeBoard(await nodeTools.engine(), frontPanel(), { choice: usualBoard, shop: null, name: 'board', told: [] }, kept);
    expect(evidence.verdict).toBe('stop');
  });
  test('a shop is a receiver: its rules have limits, it takes zips and no file of a part, and goes into no release', () => {
    const ready = readyReceivers.find(isBoardShop)!;
    expect(checkReceiver(JSON.stringify(ready))).toEqual(ready);
    for (const [wrong, why] of [
      [{ boardShop: { ...ready.boardShop, leastHole: 0 } }, /Least hole/],
      [{ boardShop: { ...ready.boardShop, largest: [100] } }, /Largest board/],
      [{ boardShop: { ...ready.boardShop, innerRadius: undefined } }, /Inner radius/],
      [{ formats: ['dxf'] }, /makes boards.*can't take DXF/],
    ] as const)
      expect(() => checkReceiver({ ...ready, ...wrong })).toThrow(why);
    expect(() => checkReceiver({ ...readyReceivers[0], formats: [] })).toThrow(/at least one/);
    expect(receiversFor('drawing', readyReceivers)).not.toContain(ready);
    expect(() => checkRelease({ lines: [{ receiver: ready.id, format: 'dxf' }] }, readyReceivers)).toThrow(/makes boards/);
    expect(recipeSchema.validate({ ...firstRecipe({ kind: 'drawing', survey: null }, readyReceivers), receiver: ready }).error?.message).toContain(
      'page Board',
    );
  });
  test('webs of many holes: the least, those under the limit, the place in the middle of the material', () => {
    const gone = {
      edges: [],
      cutOuts: [],
      slots: [],
      holes: Array.from({ length: 20_000 }, (_, i) => ({ at: [(i % 200) * 3, Math.floor(i / 200) * 3] as P2, diameter: 2 })),
    };
    expect(websOf(gone, 0.5)).toEqual({ least: expect.closeTo(1, 9), under: [] });
    gone.holes.push({ at: [1.5, 0], diameter: 0.6 });
    const { least, under } = websOf(gone, 0.25);
    expect(least).toBeCloseTo(0.2, 9);
    expect(under.map((u) => u.at.map((v) => Number(v.toFixed(6))))).toEqual([[1.1, 0], [1.9, 0]]); // prettier-ignore
    expect(websOf({ edges: [], cutOuts: [], slots: [], holes: [] }, 1)).toEqual({ least: null, under: [] });
  });
});

describe('the proof', () => {
  let made: BoardMade;
  beforeAll(async () => {
    made = await make(frontPanel());
  });
  /** The zip with some of its files changed or taken out, held against the design. */
  const sabotaged = async (change: (files: Record<string, string | undefined>) => void) => {
    const files: Record<string, string | undefined> = Object.fromEntries(Object.entries(unzipSync(made.zip)).map(([n, b]) => [n, strFromU8(b)]));
    change(files);
    const zip = zipSync(Object.fromEntries(Object.entries(files).flatMap(([n, t]) => (t === undefined ? [] : [[n, strToU8(t)]]))));
    const received = receiveBoard(zip);
    return proveBoard({ engine: await nodeTools.engine(), board: made.whole, choice: usualBoard }, received, []);
  };
  const bad = async (change: Parameters<typeof sabotaged>[0]) => {
    const e = await sabotaged(change);
    return [...e.claims.filter((c) => c.verdict === 'stop').map((c) => c.quantity), ...e.findings.filter((f) => f.severity === 'stop').map((f) => f.code)];
  };
  const edit = (name: string, from: string | RegExp, to: string) => (files: Record<string, string | undefined>) => {
    const before = files[name]!;
    files[name] = before.replace(from, to);
    expect(files[name]).not.toBe(before);
  };
  test('the zip as it was passes; packed otherwise, in a folder, with comments, it does too', async () => {
    expect(await bad(() => {})).toEqual([]);
    const files = Object.fromEntries(Object.entries(unzipSync(made.zip)).map(([n, b]) => [`out/${n}`, b]));
    expect(
      proveBoard({ engine: await nodeTools.engine(), board: made.whole, choice: usualBoard }, receiveBoard(zipSync(files, { level: 0 })), []).verdict,
    ).toBe('clear');
    expect(await bad(edit('board_copper_top.gbr', '%MOMM*%', 'G04 something said*\n%MOMM*%'))).toEqual([]);
    // A pad 0.002 mm aside is in its place.
    expect(await bad(edit('board_mask_top.gbr', 'X5000000Y5000000D03', 'X5002000Y5000000D03'))).toEqual([]);
  });
  test.each([
    ['a layer is missing', (f: Record<string, string | undefined>) => (f['board_mask_top.gbr'] = undefined), ['Layers', 'Openings of the mask, top']],
    ['the profile is missing', (f: Record<string, string | undefined>) => (f['board_profile.gbr'] = undefined), ['no-profile']],
    ['the plated holes are missing', (f: Record<string, string | undefined>) => (f['board_plated.drl'] = undefined), ['Layers', 'Holes', 'Places of holes']],
    ['plated holes are bare', edit('board_plated.drl', /Plated/g, 'NonPlated'), ['Holes']],
    ['a hole is 2 millionths beside its place', edit('board_bare.drl', 'X5.0Y5.0', 'X5.000002Y5.0'), ['Places of holes']],
    ['a hole is larger', edit('board_bare.drl', 'C3.2', 'C3.3'), ['Holes']],
    ['a hole is drilled twice', edit('board_bare.drl', 'X5.0Y5.0', 'X5.0Y5.0\nX5.0Y5.0'), ['Holes', 'Places of holes']],
    ['the drill file states no unit', edit('board_bare.drl', /METRIC\n/, ''), ['bad-drill']],
    ['the drill file is in inches', edit('board_bare.drl', 'METRIC', 'INCH'), ['Unit', 'Holes', 'Places of holes']],
    ['the slot is a chain of holes', edit('board_bare.drl', /G00.*\nM15\nG01(.*)\nM16/, 'G05\n$1'), ['Slots', 'Holes']],
    ['the outline is open', edit('board_profile.gbr', /X\d+Y\d+D01\*/, ''), ['open-profile']],
    ['the outline is drawn twice', (f: Record<string, string | undefined>) => (f['board_profile.gbr'] = f['board_profile.gbr']!.replace('M02*', `${/X[\s\S]*(?=M02)/.exec(f['board_profile.gbr']!.split('D10*')[1])![0]}M02*`)), ['double-profile']], // prettier-ignore
    ['the outline is mirrored', edit('board_profile.gbr', /^X(\d+)Y/gm, 'X-$1Y'), ['Outline to the design']],
    ['the pour keeps less away', edit('board_copper_top.gbr', 'C,0.6*', 'C,0.58*'), ['Copper, top']],
    ['copper is inverted', edit('board_copper_top.gbr', /%LPC\*%/, ''), ['Copper, top']],
    ['an opening of the mask is smaller', edit('board_mask_bottom.gbr', 'C,1.7*', 'C,1.6*'), ['Openings of the mask, bottom']],
    ['a layer in inches', edit('board_copper_top.gbr', '%MOMM*%', '%MOIN*%'), ['Unit', 'Copper, top']],
    ['a layer that says it is another', edit('board_copper_top.gbr', 'Copper,L1,Top', 'Legend,Top'), ['Layers', 'Copper, top', 'two-layers']],
    ['a line of the legend is gone', edit('board_legend_top.gbr', /X62000000Y44000000D01\*/, ''), ['Lines of the legend, top']],
    ['a letter lost its counter', edit('board_legend_top.gbr', '%LPC*%', ''), ['Filled legend, top']],
    ['the copper lies elsewhere, as large', edit('board_copper_bottom.gbr', /^X(\d+)(?=Y)/gm, 'X1$1'), ['Copper, bottom, out of place']],
    [
      'a pad of the mask lies 0.01 mm aside',
      edit('board_mask_top.gbr', 'X5000000Y5000000D03', 'X5010000Y5000000D03'),
      ['Openings of the mask, top, out of place'],
    ],
    ['a letter lies 0.1 mm aside', edit('board_legend_top.gbr', /^X(1[0-4])(\d{6})Y/gm, 'X$1100000Y'), ['Filled legend, top, out of place']],
    ['a line of the legend lies 0.02 mm aside', edit('board_legend_top.gbr', /Y42000000/g, 'Y42020000'), ['Lines of the legend, top, to the design']],
    ['a legend by another pen', edit('board_legend_top.gbr', 'C,0.15*', 'C,0.3*'), ['Pen of the legend, top']],
    ['two holes of two sizes have changed places', edit('board_bare.drl', 'X5.0Y5.0', 'X75.0Y9.0'), ['Places of holes']],
    ['the mask says that it is positive', edit('board_mask_top.gbr', 'Negative', 'Positive'), ['Layers']],
    ['a file is cut off', edit('board_mask_top.gbr', 'M02*', ''), ['gerber-note']],
  ] as [string, (f: Record<string, string | undefined>) => void, string[]][])('%s: a stop', async (_, change, want) => {
    const got = await bad(change).catch((thrown: { code: string }) => [thrown.code]);
    expect(got).toEqual(expect.arrayContaining(want));
  });
  test('places apart: each way, whatever their order', () => {
    const a: P2[] = Array.from({ length: 500 }, (_, i) => [(i * 37) % 101, (i * 53) % 97]);
    expect(placesApart(a, [...a].reverse())).toBe(0);
    expect(placesApart(a, a.map(([x, y], i) => [x, i === 250 ? y + 1e-5 : y]))).toBeCloseTo(1e-5, 9); // prettier-ignore
    expect(placesApart(a, a.slice(1))).toBe(Infinity);
    expect(placesApart([], [])).toBe(0);
  });
});

describe('read as designs', () => {
  test('a zip is a drawing again: outline, holes and slots; of it the same board can be made', async () => {
    const first = await make(frontPanel());
    const design = await readDesign(first.zip, 'bought.zip', nodeKernels);
    const [part] = design.parts;
    expect([design.format, part.geometry.kind]).toEqual(['board zip', 'drawing']);
    expect(part.summary.lost?.[0].message).toMatch(/Copper,L1,Top/);
    const second = await make((part.geometry as { drawing: Drawing }).drawing);
    const cut = (m: BoardMade) =>
      m.files
        .filter((f) => /profile|drl/.test(f.file))
        .map((f) => [
          f.file, // A slot is the same whichever end comes first.
          strFromU8(f.bytes)
            .replace(/^G0[01](?=X)/gm, '')
            .split('\n')
            .sort(),
        ]);
    expect(cut(second)).toEqual(cut(first));
  });
  test('single layers and drill files, by their bytes whatever they are called', async () => {
    const made = await make(frontPanel());
    const read = async (file: string) => (await readDesign(made.files.find((f) => f.file === file)!.bytes, 'x.txt', nodeKernels)).parts[0];
    const kinds = async (file: string) =>
      ((await read(file)).geometry as { drawing: Drawing }).drawing.layers.map((l) => [l.name, l.contours.length, l.contours.every((c) => c.closed)]);
    expect(await kinds('board_profile.gbr')).toEqual([['profile', 2, true]]);
    expect(await kinds('board_bare.drl')).toEqual([['bare holes', 4, true], ['bare slots', 1, true]]); // prettier-ignore
    // The drawing says its size in mm, whatever unit the file is in.
    expect((await read('board_profile.gbr')).summary.box.max.slice(0, 2).map((v) => Number(v.toFixed(6)))).toEqual([80, 50]);
  });
  test('a pen that is not round: its width is told as lost, that of a round one is kept', async () => {
    const read = async (pen: string) =>
      (await readDesign(strToU8(`%FSLAX46Y46*%%MOMM*%%ADD10${pen}*%D10*G01*X0Y0D02*X5000000Y0D01*M02*`), 'a.gbr', nodeKernels)).parts[0];
    const [square, round] = [await read('R,1X1'), await read('C,1')];
    expect(square.summary.lost?.[0].message).toMatch(/pen that is not round/);
    expect([round.summary.lost, (round.geometry as { drawing: Drawing }).drawing.layers[0].contours[0].width]).toEqual([undefined, 1]);
  });
  test('what is no board says why', async () => {
    const zip = (files: Record<string, string>) => zipSync(Object.fromEntries(Object.entries(files).map(([n, t]) => [n, strToU8(t)])));
    await expect(readDesign(zip({ 'a.gbr': '%FSLAX46Y46*%%MOMM*%M02*' }), 'a.zip', nodeKernels)).rejects.toThrow(
      /does not say what it is|no layer with the outline/,
    );
    await expect(readDesign(zip({ 'a.gbr': 'nothing' }), 'a.zip', nodeKernels)).rejects.toThrow(/Nothing in this zip is a Gerber layer/);
    await expect(readDesign(strToU8('M48\nT1C1.0\n%\nT1\nX1.0Y1.0\nM30\n'), 'a.drl', nodeKernels)).rejects.toThrow(/tool is defined before the unit/);
  });
});

describe('the command line', () => {
  const cli = async (...words: string[]) => {
    let out = '';
    const code = await main(words, (t) => (out += t), (t) => (out += t)); // prettier-ignore
    return { code, out };
  };
  const file = join(folder, 'front.dxf');
  const layers = frontPanel().layers.map((l) => ({ ...l, texts: [] }));
  writeFileSync(file, Buffer.concat([...dxfFile({ layers, blocks: [] }, '2000', 'mm', 1)]));
  test('the contract of its JSON; files on the disk are those of the zip; the shop takes it', async () => {
    const [one, two] = [join(folder, 'files'), join(folder, 'zip')];
    const { code, out } = await cli('board', file, '--out', one, '--json');
    const json = JSON.parse(out);
    expect(code).toBe(0);
    expect(json).toMatchObject({ size: [80, 50], outline: { length: expect.any(Number), area: expect.any(Number) }, cutOuts: 1, verdict: 'clear' });
    expect(json.holes).toEqual([{ diameter: 1, plated: true, count: 3 }, { diameter: 3.2, plated: false, count: 4 }]); // prettier-ignore
    expect(json.slots).toEqual([{ width: 1.5, plated: false, count: 1 }]);
    expect(readdirSync(one).sort()).toEqual(json.files.map((f: { file: string }) => f.file).sort());
    await cli('board', file, '--out', two, '--zip');
    expect(Object.keys(unzipSync(readFileSync(join(two, 'front_board.zip')))).sort()).toEqual(readdirSync(one).sort());
    const taken = JSON.parse((await cli('receive', join(two, 'front_board.zip'), '--as', 'board', '--json')).out);
    expect([taken.as, taken.size, taken.findings, taken.layers.length]).toEqual(['board', [80, 50], [], 6]);
    const seen = JSON.parse((await cli('inspect', join(two, 'front_board.zip'), '--json')).out);
    expect([seen.files[0].format, seen.files[0].parts[0].kind]).toEqual(['board zip', 'drawing']);
  }, 60_000);
  test('layers by hand, a panel, another shop; what makes no board is refused with why', async () => {
    const json = async (...more: string[]) => JSON.parse((await cli('board', file, '--json', ...more)).out);
    expect((await json('--meaning', 'plated=bare', '--copper', 'none')).files.map((f: { function: string }) => f.function)).toEqual(['Profile,NP', 'Soldermask,Top', 'Soldermask,Bot', 'Legend,Top', 'NonPlated,1,2,NPTH', 'JobFile', 'Readme']); // prettier-ignore
    // Two boards in their frame: gaps of 2 mm, a bar of 3 between, rims of 7.
    expect((await json('--panel', '2x1')).size).toEqual([2 * 80 + 4 * 2 + 3 + 14, 50 + 4 + 14]);
    const rules = join(folder, 'shop.json');
    const ready = readyReceivers.find(isBoardShop)!;
    writeFileSync(rules, JSON.stringify({ ...ready, id: 'own', name: 'Own', boardShop: { ...ready.boardShop, leastHole: 1.2 } }));
    expect((await json('--receiver', rules)).findings.map((f: { code: string }) => f.code)).toEqual(['small-hole', 'small-hole', 'small-hole']);
    for (const [words, why] of [
      [['--receiver', 'lark'], /makes no boards/],
      [['--panel', '0x2'], /2x3/],
      [['--meaning', 'plated=gold'], /LAYER=/],
      [['--panel', '2x2', '--join', 'scored'], /Only rectangular boards/],
    ] as const)
      expect((await cli('board', file, ...words)).out).toMatch(why);
    mkdirSync(join(folder, 'solid'), { recursive: true });
    writeFileSync(
      join(folder, 'solid', 'a.stl'),
      'solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid a\n',
    );
    expect((await cli('board', join(folder, 'solid', 'a.stl'))).out).toMatch(/no drawing/);
  }, 60_000);
});

test('a circle in two halves, curves as arcs: the edge comes back within a hundred-thousandth', async () => {
  const bezier: Contour = contourOf([{ kind: 'bezier', points: [[0, 0], [30, -20], [60, 20], [80, 0]] }, { kind: 'line', a: [80, 0], b: [80, 30] }, { kind: 'ellipse', centre: [40, 30], u: [40, 0], ratio: 0.3, start: 0, sweep: Math.PI } as Segment], true); // prettier-ignore
  const closed = { ...bezier, segments: [...bezier.segments, { kind: 'line', a: [0, 30], b: [0, 0] } as Segment] };
  const made = await make(layered({ outline: [closed], holes: [contourOf([circle([40, 25], 2)], true)] }));
  expect(claimOf(made, 'Outline to the design').received).toBeLessThanOrEqual(1e-5);
  expect(made.evidence.verdict).toBe('clear');
}, 60_000);
