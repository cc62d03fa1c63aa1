/** Bend tables, rules of a shop, templates, the order of bending, and the proof: which wrong table would it pass, which right one would it stop. */
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { copeAt, copeOf } from '../src/bender/cope.ts';
import { betweenSegments, clashesOf, clashFindings, momentsOf, polyline } from '../src/bender/order.ts';
import { proveTable, type DesignedTube } from '../src/bender/prove.ts';
import { receivedRun } from '../src/bender/received.ts';
import { benderFindings, bendRulesCsv, machineTableOf, nearestDie, readBendRules, usualBender } from '../src/bender/rules.ts';
import { bendTableText, readTable } from '../src/bender/table-file.ts';
import { checkLength, copeCurve, templateOf } from '../src/bender/template.ts';
import { LineWords } from '../src/bender/words.ts';
import { main } from '../src/cli/main.ts';
import { SolidBuilder } from '../src/kernel/build.ts';
import { OpenSolid } from '../src/kernel/facets.ts';
import { nodeKernels, workingKernel } from '../src/kernel/load.ts';
import { tubeSolid } from '../src/kernel/tube-build.ts';
import { pointAt } from '../src/curves/segment.ts';
import { boxOfDrawing } from '../src/curves/drawing.ts';
import { nodeLetters } from '../src/text/node-files.ts';
import { stretchesOf } from '../src/tubes/rebuild.ts';
import { receiveTable } from '../src/bender/receive.ts';
import { receiveDrawing } from '../src/processes/cutters.ts';
import { receiveFile } from '../src/processes/receive.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { recipeSchema } from '../src/recipe/schema.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { isBender, receiversFor, type Bender, type BenderReceiver } from '../src/receivers/receivers.ts';
import { checkReceiver } from '../src/receivers/rules.ts';
import { anyAcross, piecesOf, piecesThrough, startOf, tableOf, type Run } from '../src/tubes/run.ts';
import { sectionBy } from '../src/tubes/sections.ts';
import { compared } from '../src/tubes/marks.ts';
import { findTubes } from '../src/bender/source.ts';
import { tubesOf } from '../src/tubes/recognise.ts';
import { addMesh, emptySkin } from '../src/tubes/skin.ts';
import { identityRows } from '../src/geometry/rows.ts';
import type { PartSummary } from '../src/model/design.ts';
import { facetedTube, worked, type P3 } from './tube.data.ts';

const square = { kind: 'square' as const, slant: 0, normal: null };
const runThrough = (points: readonly P3[], radius: number, section = sectionBy('round', [42.4, 42.4], 2.6, 21.2), across?: P3): Run => {
  const { pieces } = piecesThrough(points, radius);
  return { section, pieces, across: across ?? anyAcross(startOf(pieces[0])), ends: [square, square] };
};
const text = (s: string) => new TextEncoder().encode(s);
const run = runThrough(worked, 60);
const set = machineTableOf(run, usualBender);

/** The design as a bender's proof takes it: facets by the kernel of a solid that was built for it. */
async function designed(of: Run): Promise<DesignedTube> {
  const k = await workingKernel();
  const solid = tubeSolid(k, stretchesOf(of));
  const open = new OpenSolid(k, new SolidBuilder(k).brep(solid));
  try {
    const { positions, triangles } = open.facets(0.05, 0.25);
    const mesh = { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) };
    return { run: of, points: mesh.positions, mesh, deviation: 0.05, volume: null, exact: true, fit: 0, moved: 0 };
  } finally {
    open.close();
  }
}

describe('the table as a file', () => {
  test('what is read from its bytes is the table, within a millionth of a millimetre', () => {
    const read = readTable(text(bendTableText(run, set)));
    const [a, b] = [tableOf(run), read.table];
    a.rows.forEach((r, i) => {
      for (const key of ['length', 'rotation', 'angle', 'radius'] as const) expect(Math.abs(r[key] - b.rows[i][key])).toBeLessThan(1e-6);
    });
    expect(b.lastLength).toBeCloseTo(206.2705391, 6);
    expect(read.section).toMatchObject({ shape: 'round', width: 42.4, wall: 2.6 });
  });
  const good = bendTableText(run, set).split('\r\n');
  test.each([
    ['without a column', good.map((l) => l.split(',').slice(0, 4).join(',')).join('\r\n'), /lacks radius_mm/],
    ['without its end', good.filter((l) => !l.startsWith('end')).join('\r\n'), /no row "end"/],
    ['with a figure missing', good.map((l, i) => (i === 1 ? l.replace('240', '') : l)).join('\r\n'), /Line 2 of the bend table: length_mm is missing/],
    ['with a word for a figure', good.map((l, i) => (i === 1 ? l.replace('240', 'long') : l)).join('\r\n'), /length_mm is "long"/],
    ['of an unknown shape', good.join('\r\n').replaceAll('round', 'star'), /shape is "star"/],
    ['with rows after its end', [...good.slice(0, 5), good[1]].join('\r\n'), /after its end/],
  ])('one %s is refused, nothing is guessed', (_, wrong, why) => {
    expect(() => readTable(text(wrong))).toThrow(why);
  });
});

describe('the proof', () => {
  test('the right table is clear; wrong lengths, turns, radii, walls and hands are stops', async () => {
    const design = await designed(run);
    const table = bendTableText(run, set);
    expect(proveTable(design, text(table), []).evidence.verdict).toBe('clear');
    const wrong: [string, string, string][] = [
      ['a straight longer by 0.05 mm', ',240,', ',240.05,'],
      ['a turn of the other hand', '124.28687', '-124.28687'],
      ['both turns mirrored', ',130,90,', ',130,-90,'],
      ['a radius of 60.2', ',90,60,', ',90,60.2,'],
      ['a bend of 90.2 degrees', ',240,0,90,', ',240,0,90.2,'],
    ];
    for (const [what, from, to] of wrong) {
      expect(table, what).toContain(from);
      const { evidence } = proveTable(design, text(table.replace(from, to)), []);
      expect(evidence.verdict, what).toBe('stop');
    }
    const thin = proveTable(design, text(table.replaceAll(',2.6,', ',2,')), []);
    expect(thin.evidence.claims.filter((c) => c.verdict === 'stop').map((c) => c.quantity)).toEqual(['Wall', 'Surface of the design to the tube']);
  }, 60_000);
  test('a table that lies within the tolerance is clear, one beyond it a stop', async () => {
    const design = await designed(run);
    const table = bendTableText(run, set);
    const longer = (by: number) =>
      proveTable(design, text(table.replace('\r\n1,240,', `\r\n1,${240 + by},`)), []).evidence.claims.find((c) => c.quantity === 'Far end to the design')!;
    expect(longer(0.009).verdict).toBe('clear');
    expect(longer(0.011).verdict).toBe('stop');
  }, 60_000);
  test('a mirrored tube goes astray at its second plane, whatever is measured', async () => {
    const design = await designed(run);
    const mirrored = runThrough(
      worked.map((p): P3 => [p[0], p[1], -p[2]]),
      60,
    );
    const { evidence, ends } = proveTable(design, text(bendTableText(mirrored, set)), []);
    expect(evidence.claims.find((c) => c.quantity === 'Turn sense')).toMatchObject({ verdict: 'stop', designed: 'right', received: 'left' });
    expect(ends).toBeGreaterThan(100);
  }, 60_000);
  test('a rectangle bent the other way is another tube: its width stands in the table', async () => {
    const section = sectionBy('rectangular', [40, 20], 2, 3);
    const flat = runThrough(worked.slice(0, 3), 60, section, [0, 1, 0]);
    const design = await designed(flat);
    const table = bendTableText(flat, machineTableOf(flat, usualBender));
    expect(readTable(text(table)).turn).toBeCloseTo(-90, 6);
    expect(proveTable(design, text(table), []).evidence.verdict).toBe('clear');
    expect(proveTable(design, text(table.replaceAll(',-90,', ',0,')), []).evidence.verdict).toBe('stop');
  }, 60_000);
  test('the tube of a table stands where the design stands, by its beginning alone', () => {
    const moved = runThrough(
      worked.map((p): P3 => [p[1] + 7, -p[0] + 3, p[2] - 5]),
      60,
    );
    const { run: received } = receivedRun(readTable(text(bendTableText(run, set))), moved);
    const last = received.pieces.at(-1)!;
    [407, -517, 195].forEach((v, k) => expect(last.to[k]).toBeCloseTo(v, 5));
  });
});

describe('rules of a shop', () => {
  const csv = 'material,radius,ratio,offset,elongation\nsteel,60,1.01,1.5,0.8\n,60,1.02,2,1\n';
  test('springback and elongation stand beside the geometry: angle * ratio + offset, stock less what was lengthened', () => {
    const bender = { ...usualBender, rules: readBendRules(csv), material: 'Steel', allowances: [50, 30] as [number, number] };
    const { bends, cut, developed } = machineTableOf(run, bender);
    expect(bends.map((b) => b.angle)).toEqual([92.4, 92.4, 92.4]);
    // 50 + 240; then straight and bend of 90 degrees at R 60 (94.2478 mm), less 0.8 a bend.
    expect(bends.map((b) => Number(b.stock.toFixed(4)))).toEqual([290, 513.4478, 686.8956]);
    expect(cut).toBeCloseTo(developed + 80 - 3 * 0.8, 9);
    // Another material takes the row that names none.
    expect(machineTableOf(run, { ...bender, material: 'copper' }).bends[0].angle).toBeCloseTo(93.8, 9);
    // A die that is none of these leaves the machine's angle open.
    expect(machineTableOf(runThrough(worked, 62), bender).bends[0].angle).toBeNull();
  });
  test('written, they are read again; with semicolons and commas too', () => {
    const rules = readBendRules(csv);
    expect(readBendRules(bendRulesCsv(rules))).toEqual(rules);
    expect(readBendRules(csv.replaceAll(',', ';').replaceAll('.', ','))).toEqual(rules);
  });
  test.each([
    ['a column is missing', 'material,ratio,offset,elongation\nsteel,1,0,0', /lack the column radius/],
    [
      'a radius is missing',
      'material,radius,ratio,offset,elongation\nsteel,,1,0,0',
      /Line 2 of the rules: the radius, mm, must be a number from 0.1 to 10000; it is missing/,
    ],
    ['a ratio is too large', 'material,radius,ratio,offset,elongation\nsteel,60,1.51,0,0', /ratio, must be a number from 0.8 to 1.5, not 1.51/],
  ])('where %s, a sentence says so', (_, wrong, why) => {
    expect(() => readBendRules(wrong)).toThrow(why);
  });
  test('clamp, dies, least radius and longest tube: just inside nothing is said, just outside it is', () => {
    const codes = (part: Partial<typeof usualBender>) => benderFindings('R1', run, { ...usualBender, ...part }).map((f) => f.code);
    // The shortest straight is 80 mm, between bends 2 and 3.
    expect(codes({ clamp: 80 })).toEqual([]);
    expect(codes({ clamp: 80.1 })).toEqual(['short-straight']);
    expect(codes({ dies: [60.29] })).toEqual([]);
    expect(codes({ dies: [60.31] })).toEqual(['no-die', 'no-die', 'no-die']);
    expect(codes({ leastRadius: 60 / 42.4 })).toEqual([]);
    expect(codes({ leastRadius: 60.1 / 42.4 })).toEqual(['tight-bend', 'tight-bend', 'tight-bend']);
    expect(codes({ longest: 939.02 })).toEqual([]);
    expect(codes({ longest: 939.01 })).toEqual(['too-long']);
    expect(nearestDie([50, 80], 64)).toBe(50);
    expect(nearestDie([50, 80], 66)).toBe(80);
    expect(nearestDie([], 66)).toBeNull();
  });
});

describe('the order of bending', () => {
  test('after the last bend the tube is the tube: all distances between its points, and its hand', () => {
    const last = momentsOf(run).at(-1)!;
    const made: P3[] = [...last.points].reverse();
    const meant = polyline({ pieces: run.pieces });
    // From the leading end to the end of the last bend; the stock behind it is the last straight.
    expect(last.stock).toBeCloseTo(206.2705391, 6);
    const at = (p: P3[], i: number) => p[i];
    const d = (a: P3, b: P3) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
    const [a0, b0] = [made[0], meant[0]];
    expect(d(a0, at(made, made.length - 1))).toBeCloseTo(d(b0, meant[meant.length - 2]), 6);
    const volume = (p: P3, q: P3, r: P3, s: P3) => {
      const [u, v, w] = [q, r, s].map((x) => x.map((c, k) => c - p[k]));
      return u[0] * (v[1] * w[2] - v[2] * w[1]) - u[1] * (v[0] * w[2] - v[2] * w[0]) + u[2] * (v[0] * w[1] - v[1] * w[0]);
    };
    // Corner points of the front: the leading end, both ends of bend 1 and 2.
    const firstStraight = made.findIndex((p) => Math.abs(d(p, a0) - 240) < 1e-6);
    expect(firstStraight).toBeGreaterThan(0);
    const k = meant.findIndex((p) => Math.abs(d(p, b0) - 240) < 1e-6);
    const ends = [made.length - 1, made.length - 5] as const;
    const same = [meant.length - 2, meant.length - 6] as const;
    expect(volume(a0, made[firstStraight], made[ends[0]], made[ends[1]])).toBeCloseTo(volume(b0, meant[k], meant[same[0]], meant[same[1]]), 2);
  });
  test('a tube that comes back on itself hits itself; with more room it does not', () => {
    const around = (gap: number): Run => ({
      ...run,
      section: sectionBy('round', [20, 20], 2, 10),
      pieces: piecesOf({ rows: [0, 1, 2, 3].map((i) => ({ order: i + 1, length: 200, rotation: i === 3 ? gap : 0, angle: 90, radius: 40 })), lastLength: 200 }),
    });
    expect(clashesOf(around(0), { bed: null, backUp: null }).map((c) => c.with)).toContain('itself');
    expect(clashesOf(runThrough(worked, 60), { bed: null, backUp: null })).toEqual([]);
  });
  test('the bed is hit when it is nearer than the tube reaches down', () => {
    // Bend 2 turns 90 degrees: the front of 300 mm swings down or up about the stock.
    const reach = Math.max(...momentsOf(run).flatMap((m) => m.points.map((p) => -p[2])));
    expect(reach).toBeGreaterThan(0);
    expect(clashesOf(run, { bed: reach + 21.3, backUp: null })).toEqual([]);
    expect(clashesOf(run, { bed: reach + 21.1, backUp: null }).map((c) => c.with)).toContain('bed');
  });
  test('up to 60 bends are looked at; beyond it is told', () => {
    const many = (n: number): Run => ({ ...run, section: sectionBy('round', [2, 2], null, 1), pieces: piecesOf({ rows: Array.from({ length: n }, (_, i) => ({ order: i + 1, length: 30, rotation: i % 2 === 0 ? 0 : 180, angle: 20, radius: 10 })), lastLength: 30 }) }); // prettier-ignore
    const free = { bed: null, backUp: null };
    expect(clashFindings('R1', many(60), free)).toEqual([]);
    expect(clashFindings('R1', many(61), free).map((f) => f.code)).toEqual(['clashes-not-looked']);
  });
  test('distance of segments against a plain search', () => {
    const a: [P3, P3] = [[0, 0, 0], [10, 0, 0]]; // prettier-ignore
    const b: [P3, P3] = [[5, 3, 4], [5, 8, 1]]; // prettier-ignore
    let least = Infinity;
    for (let i = 0; i <= 200; i++) for (let j = 0; j <= 200; j++) least = Math.min(least, Math.hypot(i / 20 - 5, 3 + j / 40, 4 - (3 * j) / 200));
    expect(betweenSegments(a, b)).toBeCloseTo(least, 3);
  });
});

describe('ends that lie on another tube', () => {
  test('equal tubes at a right angle: as deep as the radius (derived)', () => {
    const cope = { header: 20, branch: 20, angle: Math.PI / 2, offset: 0 };
    expect(copeAt(cope, 0)).toBeCloseTo(20, 9);
    expect(copeAt(cope, Math.PI / 2)).toBeCloseTo(0, 6);
  });
  test('the template wrapped round the tube lies on the header within 0.01 mm, and its check length is 50 mm', async () => {
    for (const cope of [
      { header: 30.15, branch: 21.2, angle: Math.PI / 3, offset: 8 },
      { header: 30.15, branch: 21.2, angle: Math.PI / 2, offset: 0 },
      { header: 30.15, branch: 16.85, angle: 0.7, offset: -5 },
    ]) {
      const drawing = await templateOf(copeCurve(cope), cope.branch, ['R1, end A'], new LineWords(nodeLetters));
      const outline = drawing.layers[0].contours[0];
      const curve = outline.segments.filter((s) => s.kind === 'bezier');
      // The seam is as wide as the tube is round.
      expect(boxOfDrawing({ ...drawing, layers: [drawing.layers[0]] })[2]).toBeCloseTo(2 * Math.PI * cope.branch, 6);
      const shift = Math.min(...curve.flatMap((s) => [0, 0.25, 0.5, 0.75, 1].map((t) => pointAt(s, t)[1]))) - 20;
      let lowest = Infinity;
      for (let i = 0; i <= 7200; i++) lowest = Math.min(lowest, copeAt(cope, (2 * Math.PI * i) / 7200));
      let worst = 0;
      for (const s of curve)
        for (let i = 0; i <= 20; i++) {
          const [x, y] = pointAt(s, i / 20);
          const phi = x / cope.branch;
          const along = y - shift + lowest - 20;
          // The branch's axis leans by the angle to the header (x axis) and passes it by the offset (y).
          const [c, sn] = [Math.cos(cope.angle), Math.sin(cope.angle)];
          const [u, v] = [cope.branch * Math.cos(phi), cope.offset + cope.branch * Math.sin(phi)];
          const z = along * sn + u * c;
          worst = Math.max(worst, Math.abs(Math.hypot(v, z) - cope.header));
        }
      expect(worst).toBeLessThan(0.01);
      const marks = drawing.layers[1].contours.filter((k) => k.segments.length === 1 && k.segments[0].kind === 'line');
      const lengths = marks.map((k) =>
        k.segments[0].kind === 'line' ? Math.hypot(k.segments[0].b[0] - k.segments[0].a[0], k.segments[0].b[1] - k.segments[0].a[1]) : 0,
      );
      expect(lengths.some((l) => Math.abs(l - checkLength) < 1e-9)).toBe(true);
    }
  });
  test('the header is found by the points of the end, within the tolerance and not beyond it', () => {
    const points = Array.from({ length: 12 }, (_, i): P3 => {
      const phi = (i * Math.PI) / 6;
      return [21.2 * Math.cos(phi), 21.2 * Math.sin(phi), copeAt({ header: 30.15, branch: 21.2, angle: Math.PI / 2, offset: 0 }, phi)];
    });
    const end = { at: [0, 0, 30] as P3, out: [0, 0, -1] as P3, points };
    // At a right angle s is measured from the header's axis, which lies along x.
    const header = (r: number) => [{ at: [0, 0, 0] as P3, along: [1, 0, 0] as P3, r }];
    expect(copeOf(end, 21.2, header(30.169), 0.02)).toMatchObject({ offset: 0 });
    expect(copeOf(end, 21.2, header(30.171), 0.02)).toBeNull();
  });
});

describe('a bender as a receiver', () => {
  const curlew = readyReceivers.find(isBender)!;
  const machine = (bender: Partial<Bender>): BenderReceiver => ({
    ...curlew,
    bender: { dies: [], clamp: 0, leastRadius: 0, longest: 6000, rules: [], ...bender },
  });
  const codes = (bytes: Uint8Array, m: BenderReceiver) => receiveTable(bytes, m, 'R1').findings.map((f) => f.code);
  const table = text(bendTableText(run, set));
  // The worked run: straights 240, 130, 80, 206.2705; radius 60; developed and cut 939.0139.
  test('its limits, just inside and just outside', () => {
    expect(codes(table, machine({}))).toEqual([]);
    expect(codes(table, machine({ clamp: 79.999 }))).toEqual([]);
    expect(codes(table, machine({ clamp: 80.001 }))).toEqual(['short-straight']);
    expect(codes(table, machine({ longest: 939.014 }))).toEqual([]);
    expect(codes(table, machine({ longest: 939.0138 }))).toEqual(['too-long']);
    expect(codes(table, machine({ leastRadius: 60 / 42.4 }))).toEqual([]);
    expect(codes(table, machine({ leastRadius: 60 / 42.4 + 1e-6 }))).toEqual(['tight-bend', 'tight-bend', 'tight-bend']);
    expect(codes(table, machine({ dies: [60.29] }))).toEqual([]);
    expect(codes(table, machine({ dies: [60.31] }))).toEqual(['no-die', 'no-die', 'no-die']);
  });
  test('the longest tube is held against the length that the table says to cut, not against the developed one', () => {
    const long = bendTableText(run, machineTableOf(run, { ...usualBender, allowances: [50, 50] }));
    expect(codes(text(long), machine({ longest: 1039.1 }))).toEqual([]);
    expect(codes(text(long), machine({ longest: 1039 }))).toEqual(['too-long']);
  });
  test('a table set by other rules is a stop; one that leaves the angle open, or has no rule, is not', () => {
    const rule = (ratio: number) => [{ material: 'steel', radius: 60, ratio, offset: 1, elongation: 0 }];
    const by = (ratio: number) => text(bendTableText(run, machineTableOf(run, { ...usualBender, rules: rule(ratio), material: 'steel' })));
    expect(codes(by(1.01), machine({ rules: rule(1.01) }))).toEqual([]);
    expect(codes(by(1.011), machine({ rules: rule(1.01) }))).toEqual(['other-rules']);
    expect(codes(table, machine({ rules: rule(1.01) }))).toEqual([]);
    expect(codes(by(1.011), machine({}))).toEqual([]);
  });
  test('it takes tables and nothing else', async () => {
    expect(() => receiveTable(text('x,y\n1,2\n'), curlew, 'R1')).toThrow(/lacks bend, length_mm/);
    expect(() => receiveTable(text(`${bendTableText(run, set)}`), { ...curlew, mostBytes: 100 }, 'R1')).toThrow(/at most 100 bytes/);
    await expect(receiveFile(text('solid'), 'step', curlew, nodeKernels)).rejects.toThrow(/takes bend tables/);
    await expect(receiveDrawing(text('0'), 'dxf', curlew)).rejects.toThrow(/takes bend tables/);
    expect(recipeSchema.validate({ ...firstRecipe({ kind: 'solid', survey: null }, readyReceivers), receiver: curlew }).error?.message).toContain('page Tubes');
    expect(receiversFor('solid', readyReceivers)).not.toContain(curlew);
    expect(receiversFor('drawing', readyReceivers)).not.toContain(curlew);
  });
  test.each([
    ['a die of 0', { bender: { ...curlew.bender, dies: [0] } }, /Dies|dies/],
    ['the same die twice', { bender: { ...curlew.bender, dies: [60, 60] } }, /duplicate/],
    ['a ratio of 1.6', { bender: { ...curlew.bender, rules: [{ material: '', radius: 60, ratio: 1.6, offset: 0, elongation: 0 }] } }, /Ratio/],
    ['no clamp said', { bender: { ...curlew.bender, clamp: undefined } }, /Least straight/],
    ['a mesh beside the table', { formats: ['stl'] }, /bends tubes.*can't take STL/],
    ['a bender that cuts sheets too', { cutter: readyReceivers.find((r) => r.cutter)!.cutter }, /cutter.*bender|bender.*cutter/],
  ])('rules of a bender: %s is refused', (_, wrong, why) => {
    expect(() => checkReceiver({ ...curlew, ...wrong })).toThrow(why);
    expect(checkReceiver(JSON.stringify(curlew))).toEqual(curlew);
  });
});

describe('the command line', () => {
  const folder = mkdtempSync(join(tmpdir(), 'bender-'));
  const cli = async (...words: string[]) => {
    let out = '';
    const code = await main(words, (t) => (out += t), (t) => (out += t)); // prettier-ignore
    return { code, out };
  };
  const points = join(folder, 'run.csv');
  writeFileSync(points, `x,y,z\n${worked.map((p) => p.join(',')).join('\n')}\n`);
  test('a row of points: the contract of its JSON, and files that are read back', async () => {
    const { code, out } = await cli(
      'tube',
      points,
      '--radius',
      '60',
      '--tube',
      '42.4x2.6',
      '--format',
      'step',
      '--format',
      'svg',
      '--out',
      join(folder, 'out'),
      '--table',
      join(folder, 'first.csv'),
      '--json',
    );
    const json = JSON.parse(out);
    expect(code).toBe(0);
    expect(json.verdict).toBe('clear');
    expect(json.runs).toHaveLength(1);
    expect(json.runs[0]).toMatchObject({ mark: 'R1', quantity: 1, section: { shape: 'round', width: 42.4, height: 42.4 } });
    expect(json.runs[0].section.wall).toBeCloseTo(2.6, 6);
    expect(json.runs[0].bends.map((b: { length: number }) => Number(b.length.toFixed(6)))).toEqual([240, 130, 80]);
    expect(json.runs[0].developed).toBeCloseTo(939.0138779, 6);
    expect(json.runs[0].points).toHaveLength(5);
    expect(json.runs[0].received.distance).toBeLessThan(1e-3);
    expect(json.written.map((w: { format: string; verdict: string | null }) => [w.format, w.verdict])).toEqual([['csv', 'clear'], ['csv', null], ['step', 'clear'], ['svg', null]]); // prettier-ignore
    expect(readFileSync(join(folder, 'first.csv'), 'utf8')).toBe(readFileSync(join(folder, 'out', 'R1_bends.csv'), 'utf8'));
    // The table that was written is a tube again.
    const again = JSON.parse((await cli('tube', join(folder, 'first.csv'), '--json')).out);
    expect(again.runs[0].developed).toBeCloseTo(939.0138779, 6);
  }, 120_000);
  test('a machine from a file sets dies and angles; its stand-in takes the table; a printer bends no tubes', async () => {
    const curlew = readyReceivers.find(isBender)!;
    const own = join(folder, 'own.json');
    const rules = [{ material: 'steel', radius: 60, ratio: 1.01, offset: 1, elongation: 0.5 }];
    writeFileSync(own, JSON.stringify({ ...curlew, id: 'own', name: 'Own', bender: { ...curlew.bender, dies: [60], leastRadius: 0, rules } }));
    const typed = ['tube', points, '--radius', '60', '--tube', '42.4x2.6', '--material', 'steel', '--receiver'];
    const made = JSON.parse((await cli(...typed, own, '--table', join(folder, 'own.csv'), '--json')).out);
    expect(made.runs[0].machine.map((m: { angle: number }) => m.angle)).toEqual([91.9, 91.9, 91.9].map((v) => expect.closeTo(v, 9)));
    expect(made.runs[0].cut).toBeCloseTo(939.0138779 - 1.5, 6);
    const taken = JSON.parse((await cli('receive', join(folder, 'own.csv'), '--receiver', own, '--json')).out);
    expect([taken.as, taken.findings, taken.bends.length]).toEqual(['bender', [], 3]);
    expect(taken.developed).toBeCloseTo(939.0138779, 6);
    // The ready one has no die of 60.
    const ready = await cli('receive', join(folder, 'own.csv'), '--as', 'bender', '--json');
    expect(
      JSON.parse(ready.out)
        .findings.map((f: { code: string }) => f.code)
        .filter((c: string) => c === 'no-die'),
    ).toHaveLength(3);
    const wrong = await cli(...typed, 'lark');
    expect([wrong.code, wrong.out]).toEqual([2, expect.stringContaining('bends no tubes')]);
  }, 120_000);
  test('dies: told when there is none, taken when asked, with how far the centre line moves', async () => {
    const none = JSON.parse((await cli('tube', points, '--radius', '60', '--tube', '42.4x2.6', '--die', '63', '--json')).out);
    expect(none.findings.map((f: { code: string }) => f.code)).toEqual(['no-die', 'no-die', 'no-die']);
    const taken = JSON.parse((await cli('tube', points, '--radius', '60', '--tube', '42.4x2.6', '--die', '63', '--to-die', '--json')).out);
    expect(taken.runs[0].bends.map((b: { radius: number }) => b.radius)).toEqual([63, 63, 63]);
    // The middle of a right-angled arc moves by (sqrt 2 - 1) times what the radius grew: 1.243 mm.
    expect(taken.findings.find((f: { code: string }) => f.code === 'die-taken').message).toContain('1.243 mm');
    expect(taken.verdict).toBe('look');
  }, 120_000);
  test.each([
    ['no size of tube', ['--radius', '60'], /needs the size of the tube/],
    ['a wall of 0', ['--radius', '60', '--tube', '42.4x0'], /more than 0 and less than half/],
    ['no radius', ['--tube', '42.4x2.6'], /Point 2 has no radius/],
    ['bends without room', ['--tube', '42.4x2.6', '--radius', '150'], /need more length than there is/],
    ['bends tighter than the tube', ['--tube', '130x2.6', '--radius', '60'], /tighter than the tube is wide/],
  ])('%s: a sentence with a remedy', async (_, words, why) => {
    const { code, out } = await cli('tube', points, ...words);
    expect(code).toBe(2);
    expect(out).toMatch(why);
  });
  test('a tube that crosses itself is refused', async () => {
    const loop = join(folder, 'loop.csv');
    writeFileSync(loop, 'x,y,z\n0,0,0\n400,0,0\n400,300,0\n200,300,0\n200,-300,0\n');
    const { code, out } = await cli('tube', loop, '--tube', '20x2', '--radius', '50');
    expect(code).toBe(2);
    expect(out).toMatch(/crosses itself/);
  });
});

test('solids and meshes of one job are looked through apart: neither is known less exactly for the other', async () => {
  const k = await workingKernel();
  const b = new SolidBuilder(k);
  const brep = b.brep(tubeSolid(k, stretchesOf(run)));
  const summary = (name: string) => ({ name, volume: 1, places: [identityRows] }) as unknown as PartSummary;
  const mesh = facetedTube({ points: worked.map((p): P3 => [p[0], p[1] + 2000, p[2]]), radius: 60, outer: 21.2, inner: 18.6, facets: 12, around: 24 });
  const found = findTubes([
    { key: 'a', summary: summary('solid'), geometry: { kind: 'solid', brep }, scale: 1 },
    { key: 'b', summary: summary('mesh'), geometry: { kind: 'mesh', mesh }, scale: 1 },
    { key: 'c', summary: summary('open'), geometry: { kind: 'mesh', mesh: { ...mesh, triangles: mesh.triangles.slice(3) } }, scale: 1 },
  ]);
  expect(found.runs.map((r) => [r.skin.exact, tableOf(r.run).rows.length])).toEqual([
    [true, 3],
    [false, 3],
  ]);
  expect(compared(found.runs[0].run, run)).toBe('same');
  // One that can't be looked through is left out with why; the others are not lost.
  expect(found.leftOut.map((l) => l.what)).toEqual(['open']);
  expect(found.leftOut[0].why).toContain('not closed');
});

test('facets are let off what they stand off their arcs, and no more', () => {
  const tube = { points: worked, radius: 60, outer: 21.2, inner: 18.6, facets: 32, around: 48 };
  const skin = emptySkin();
  const mesh = facetedTube(tube);
  addMesh(skin, mesh, 0);
  const found = tubesOf(skin).runs[0].run;
  const design = { run: found, points: mesh.positions, mesh, deviation: 0.05, volume: null, exact: false, fit: 0, moved: 0 };
  const table = bendTableText(found, machineTableOf(found, usualBender));
  const first = tableOf(found).rows[0].length;
  const longer = (by: number) => proveTable(design, text(table.replace(`\r\n1,${Number(first.toFixed(9))},`, `\r\n1,${first + by},`)), []).evidence.claims.find((c) => c.quantity === 'Far end to the design')!; // prettier-ignore
  expect(proveTable(design, text(table), []).evidence.verdict).toBe('clear');
  // 0.05 mm, 0.2 % of 42.4 mm, and (60 + 21.2) (1 / cos(45 / 32 degrees) - 1) = 0.0245 mm.
  expect(longer(0.155).verdict).toBe('clear');
  expect(longer(0.165).verdict).toBe('stop');
});
