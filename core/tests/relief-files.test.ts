/** Heights as pictures, blocks as files, small pictures: what is written, read from its own bytes. */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { inflateSync } from 'node:zlib';
import sharp from 'sharp';
import { afterAll, describe, expect, test } from 'vitest';
import { main } from '../src/cli/main.ts';
import { Unusable } from '../src/base/finding.ts';
import { heightPicture, heightsFromPicture } from '../src/formats/picture/heights.ts';
import { facesOf, objFile } from '../src/formats/obj/write.ts';
import { binaryStl } from '../src/formats/stl/write.ts';
import { edgesOf } from '../src/geometry/edges.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { twoSidedDistance } from '../src/mesh/lighter/distance.ts';
import { usualChoices } from '../src/model/choices.ts';
import { heightMap, scaleName } from '../src/pipeline/heights.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { usualStanding, usualStock } from '../src/reliefs/choice.ts';
import { lostOfBlock, reliefOnStock } from '../src/reliefs/part.ts';
import { shaded, usualLook } from '../src/view/shade.ts';
import { asField, ball, hills, surface } from './relief.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'relief-files-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const refused = async (work: () => Promise<unknown>, code: string) => {
  const thrown = await work().then(
    () => null,
    (e: unknown) => e,
  );
  expect(thrown).toBeInstanceOf(Unusable);
  expect((thrown as Unusable).code).toBe(code);
};

describe('heights as a picture', () => {
  test('16 bits of grey by the bytes of the file itself, white high, the top row the greatest Y', async () => {
    const field = asField((x, y) => x + 100 * y, 3, 1);
    field.heights[5] = NaN;
    const { png, scale } = await heightPicture(field, 'h.png');
    // PNG, third edition (W3C), 11.2.1: width, height, bit depth, colour type.
    const head = Buffer.from(png);
    expect([head.readUInt32BE(16), head.readUInt32BE(20), head[24], head[25]]).toEqual([4, 4, 16, 0]);
    const data: Buffer[] = [];
    for (let at = 8; at < head.length; at += 12 + head.readUInt32BE(at))
      if (head.toString('latin1', at + 4, at + 8) === 'IDAT') data.push(head.subarray(at + 8, at + 8 + head.readUInt32BE(at)));
    const raw = inflateSync(Buffer.concat(data));
    const rows: number[][] = [];
    const before = Buffer.alloc(8);
    for (let r = 0; r < 4; r++) {
      const line = raw.subarray(r * 9, r * 9 + 9);
      const out = Buffer.alloc(8);
      // 9.2: none, sub, up, average, Paeth, over bytes two apart.
      for (let i = 0; i < 8; i++) {
        const [a, b, c] = [i >= 2 ? out[i - 2] : 0, before[i], i >= 2 ? before[i - 2] : 0];
        const p = a + b - c;
        const [pa, pb, pc] = [Math.abs(p - a), Math.abs(p - b), Math.abs(p - c)];
        const paeth = pa <= pb && pa <= pc ? a : pb <= pc ? b : c;
        out[i] = line[i + 1] + [0, a, b, (a + b) >> 1, paeth][line[0]];
      }
      out.copy(before);
      rows.push([0, 2, 4, 6].map((i) => out.readUInt16BE(i)));
    }
    const grey = (h: number) => 1 + Math.round((h / 303) * 65_534);
    expect(rows[0]).toEqual([300, 301, 302, 303].map(grey));
    expect(rows[2]).toEqual([grey(100), 0, grey(102), grey(103)]);
    expect(rows[3][0]).toBe(1);
    expect(scale).toMatchObject({ grey1: 0, highest: 303, columns: 4, rows: 4, pixel: [1, 1] });
  });

  test('come back from both files within half a grey, holes and all', async () => {
    const field = asField(hills, 20, 0.5);
    for (let k = 0; k < 40; k++) field.heights[k * 37] = NaN;
    const { png, scale } = await heightPicture(field, 'h.png');
    const back = await heightsFromPicture(png, JSON.stringify(scale));
    for (let k = 0; k < field.heights.length; k++) {
      expect(Number.isNaN(back.heights[k])).toBe(Number.isNaN(field.heights[k]));
      if (!Number.isNaN(field.heights[k])) expect(Math.abs(back.heights[k] - field.heights[k])).toBeLessThanOrEqual(scale.perGrey * 0.500001);
    }
  });

  test('a scale of another picture, one in 8 bits and one that says nothing are refused', async () => {
    const field = asField(hills, 20, 0.5);
    const a = await heightPicture(field, 'a.png');
    field.heights[3] += 1;
    const b = await heightPicture(field, 'b.png');
    await refused(() => heightsFromPicture(a.png, JSON.stringify(b.scale)), 'other-picture');
    const eight = new Uint8Array(await sharp(a.png).toColourspace('b-w').png().toBuffer());
    const { createHash } = await import('node:crypto');
    const said = { ...a.scale, sha256: createHash('sha256').update(eight).digest('hex') };
    await refused(() => heightsFromPicture(eight, JSON.stringify(said)), 'no-height-map');
    for (const text of ['', '{}', '[1', JSON.stringify({ ...a.scale, perGrey: -1 }), JSON.stringify({ ...a.scale, unit: 'in' })])
      await refused(() => heightsFromPicture(a.png, text), 'bad-scale');
    field.heights.fill(NaN);
    await refused(() => heightPicture(field, 'c.png'), 'no-heights');
  });

  test('evidence stops a picture whose greys were changed, though its sum was mended', async () => {
    const mesh = surface(hills, [0, 0, 40, 40], 60);
    const made = await heightMap(mesh, 0.5, 'h.png', []);
    expect((await made.provedFiles(made.png, made.scaleText)).verdict).toBe('clear');
    // Mirrored, as if the rows ran upwards: the same greys in the same number.
    const flipped = new Uint8Array(await sharp(made.png).flip().toColourspace('grey16').png().toBuffer());
    const { createHash } = await import('node:crypto');
    const scale = { ...made.scale, sha256: createHash('sha256').update(flipped).digest('hex') };
    expect((await made.provedFiles(flipped, JSON.stringify(scale))).verdict).toBe('stop');
    const wrong = { ...made.scale, perGrey: made.scale.perGrey * 1.01 };
    expect((await made.provedFiles(made.png, JSON.stringify(wrong))).verdict).toBe('stop');
    const shifted = { ...made.scale, at: [made.scale.at[0] + 0.5, made.scale.at[1]] };
    expect((await made.provedFiles(made.png, JSON.stringify(shifted))).verdict).toBe('stop');
    const told = await heightMap(ball(10, [0, 0, 0]), 0.5, 'h.png', []);
    expect((await told.proved(told.zip())).findings.map((f) => f.code)).toEqual(['undercut']);
  });
});

describe('faces with four corners of a bent surface', () => {
  const mesh = surface(hills, [0, 0, 40, 40], 40);
  const read = async (bytes: Uint8Array) => (await readDesign(bytes, 'a.obj', nodeKernels, usualChoices)).parts[0].geometry as { mesh: Mesh };

  test('as fans they are the triangles of the mesh, each once', () => {
    const sorted = (list: number[][]) => list.map((t) => [...t].sort((a, b) => a - b).join()).sort(); // prettier-ignore
    const fans = facesOf(mesh, true).flatMap((f) => f.slice(2).map((_, i) => [f[0], f[i + 1], f[i + 2]]));
    const own = Array.from({ length: mesh.triangles.length / 3 }, (_, i) => [...mesh.triangles.subarray(i * 3, i * 3 + 3)]);
    expect(sorted(fans)).toEqual(sorted(own));
    expect(facesOf(mesh, true).filter((f) => f.length === 4).length).toBeGreaterThan(150);
    // Without leave to bend only what is flat is paired.
    expect(facesOf(mesh).filter((f) => f.length === 4).length).toBe(0);
  });

  test('who parts them by least area finds the same surface: no farther off than float32 says', async () => {
    const { composed, mesh: block } = reliefOnStock([{ name: 'hills', mesh }], { ...usualStock, stock: [120, 120, 20], cell: 1, reliefs: [usualStanding] });
    void composed;
    const bytes = Buffer.concat([...objFile([{ name: 'block', mesh: block }], 1, 'mm', 'bent')]);
    const four = bytes.toString().split('\n').filter((l) => l.startsWith('f ') && l.split(' ').length === 5).length; // prettier-ignore
    expect(four).toBeGreaterThan(2000);
    const back = await read(bytes);
    expect(twoSidedDistance(block, back.mesh).largest).toBeLessThan(120 * 2 ** -19);
  });
});

test('surfaces that were parted otherwise are compared in no time: two flats with other diagonals, and a cube and its halves', () => {
  const flat = surface(() => 1, [0, 0, 300, 200], 120);
  const other = { ...flat, triangles: flat.triangles.slice() };
  for (let q = 0; q < other.triangles.length; q += 6) {
    const [a, b, d, , , e] = flat.triangles.subarray(q, q + 6);
    other.triangles.set([a, b, e, b, d, e], q);
  }
  // Lifted by less than anybody asks for, as rounding does: the pieces between the diagonals are never equal.
  other.positions = flat.positions.map((v, i) => v + (i % 3 === 2 ? 1e-6 * Math.sin(i) : 0));
  expect(twoSidedDistance(flat, other).largest).toBeCloseTo(1e-6, 7);
  // By quartering alone this takes hours: the test would not end.
  const bump = { ...other, positions: other.positions.slice() };
  bump.positions[3 * 7000 + 2] += 0.25;
  expect(twoSidedDistance(flat, bump).largest).toBeCloseTo(0.25, 5);
  expect(twoSidedDistance(bump, flat).largest).toBeCloseTo(0.25, 5);
});

describe('small pictures', () => {
  const side = 128;
  const look = { ...usualLook, width: side, height: side };
  const at = (data: Uint8ClampedArray, x: number, y: number) => [...data.subarray((y * side + x) * 4, (y * side + x) * 4 + 4)];

  test('a ball covers its disc, is lightest up and to the left, and looks the same 300 m away', () => {
    const near = shaded(ball(20, [0, 0, 0]), look);
    let covered = 0;
    for (let k = 3; k < near.length; k += 4) covered += near[k] / 255;
    // 92 % of the picture wide: pi / 4 of that square.
    expect(covered / ((Math.PI / 4) * (side * 0.92) ** 2)).toBeCloseTo(1, 1);
    expect(at(near, 2, 2)).toEqual([0, 0, 0, 0]);
    const light = (x: number, y: number) => at(near, x, y)[1];
    expect(light(44, 38)).toBeGreaterThan(light(64, 64) - 20);
    expect(light(44, 38)).toBeGreaterThan(light(84, 90) + 20);
    const far = shaded(ball(20, [300_000, -300_000, 100]), look);
    let off = 0;
    for (let k = 0; k < near.length; k++) off = Math.max(off, Math.abs(near[k] - far[k]));
    expect(off).toBeLessThan(90);
    let sum = 0;
    for (let k = 0; k < near.length; k++) sum += Math.abs(near[k] - far[k]);
    expect(sum / near.length).toBeLessThan(0.5);
  });

  test('a ball is lit alike from facets finer than the picture and from wide ones with their corners rounded', () => {
    // 42 mm over 118 of 128 pixels and two samples a pixel: 3 samples are 0.5 mm, which 48 parts of a turn are wider than and 800 are not.
    const [wide, fine] = [48, 800].map((parts) => shaded(ball(20, [0, 0, 0], parts), look));
    let [sum, most, seen] = [0, 0, 0];
    for (let y = 0; y < side; y++)
      for (let x = 0; x < side; x++) {
        if (Math.hypot(x - 63.5, y - 63.5) > 50) continue;
        const off = Math.abs(at(wide, x, y)[0] - at(fine, x, y)[0]);
        sum += off;
        most = Math.max(most, off);
        seen++;
      }
    expect(seen).toBeGreaterThan(7000);
    expect(most).toBeLessThan(12);
    expect(sum / seen).toBeLessThan(1.5);
  });

  test('a ball has no facets in it, a cube has three flat sides', () => {
    const tones = (data: Uint8ClampedArray) => {
      const seen = new Map<number, number>();
      for (let y = 20; y < 108; y++)
        for (let x = 20; x < 108; x++) {
          const [r, , , a] = at(data, x, y);
          if (a === 255) seen.set(r, (seen.get(r) ?? 0) + 1);
        }
      return [...seen.values()].filter((n) => n > 40).length;
    };
    const box: Mesh = {
      positions: Float64Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0, 0, 1, 1, 0, 1, 1, 1, 1, 0, 1, 1),
      triangles: Uint32Array.of(0, 2, 1, 0, 3, 2, 4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7),
    };
    expect(tones(shaded(box, look))).toBe(3);
    expect(tones(shaded(ball(20, [0, 0, 0]), look))).toBeGreaterThan(20);
  });

  test('what is nearer hides what is behind it; nothing gives nothing', () => {
    const low = surface(() => 0, [0, 0, 10, 10], 2);
    const high = surface(() => 5, [2, 2, 8, 8], 2);
    const both = {
      positions: Float64Array.from([...low.positions, ...high.positions]),
      triangles: Uint32Array.from([...low.triangles, ...high.triangles.map((v) => v + low.positions.length / 3)]),
    };
    const share = new Float32Array(both.triangles.length / 3).fill(0);
    share.fill(1, low.triangles.length / 3);
    const data = shaded(both, { ...look, turn: 0, above: 90, ink: [0, 0, 200], second: { ink: [200, 0, 0], share } });
    const [r, , b] = at(data, 64, 64);
    expect(r).toBeGreaterThan(b);
    const [r2, , b2] = at(data, 12, 64);
    expect(b2).toBeGreaterThan(r2);
    expect(shaded({ positions: new Float64Array(0), triangles: new Uint32Array(0) }, look).every((v) => v === 0)).toBe(true);
    expect(shaded({ positions: Float64Array.of(NaN, 0, 0, 1, 0, 0, 0, 1, 0), triangles: Uint32Array.of(0, 1, 2) }, look).length).toBe(side * side * 4);
  });
});

describe('the commands', () => {
  const run = async (...args: string[]) => {
    let text = '';
    const exit = await main([...args, '--json'], (t) => (text += t), (t) => (text += t)); // prettier-ignore
    return { exit, text, json: text.startsWith('{') ? JSON.parse(text) : null };
  };
  const file = join(folder, 'hills.stl');
  writeFileSync(file, Buffer.concat([...binaryStl(surface(hills, [0, 0, 60, 40], 50), 1, 'hills')]));

  test('relief --stock: sizes of the request in the bytes of the file, by another reader of them', async () => {
    const out = join(folder, 'block.stl');
    const { json, exit } = await run(
      'relief',
      file,
      '--stock',
      '120,90,15',
      '--margin',
      '5',
      '--base',
      '4',
      '--zero',
      '1',
      '--cell',
      '1',
      '--bit',
      '3',
      '--out',
      out,
    );
    expect(exit).toBeLessThan(2);
    expect(json.size.map((v: number) => Math.round(v * 1000) / 1000).slice(0, 2)).toEqual([120, 90]);
    // STL by hand: 84 bytes of head, 50 a triangle, three float32 a corner.
    const bytes = readFileSync(out);
    const [low, high] = [[9, 9, 9].map(() => Infinity), [9, 9, 9].map(() => -Infinity)];
    for (let t = 0; t < bytes.readUInt32LE(80); t++)
      for (let c = 0; c < 3; c++)
        for (let k = 0; k < 3; k++) {
          const v = bytes.readFloatLE(84 + t * 50 + 12 + c * 12 + k * 4);
          low[k] = Math.min(low[k], v);
          high[k] = Math.max(high[k], v);
        }
    expect(low.map((v) => Math.round(v * 1e3) / 1e3)).toEqual([0, 0, 0]);
    expect(high[0]).toBeCloseTo(120, 4);
    // The relief is 110 wide: 60 to 110 is 11/6; its height over the zero plane stands on the base.
    const own = measureMesh(surface(hills, [0, 0, 60, 40], 50)).box;
    // Tops lie between heights 1 mm apart: up to an eighth of a curvature is lost.
    expect(Math.abs(high[2] - (4 + ((own.max[2] - own.min[2]) * 11) / 6 - 1))).toBeLessThan(0.15);
    expect(json.relief.plan.left.most).toBeGreaterThan(0);
    expect(json.written[0].sha256).toMatch(/^[0-9a-f]{64}$/);
  });

  test('what can not be is said with a remedy: no stock, no sense, through the base, no bit', async () => {
    const out = join(folder, 'no.stl');
    for (const [code, ...args] of [
      ['which-relief'],
      ['which-relief', '--stock', '100,80,10', '--thicken', '2'],
      ['above-the-stock', '--stock', '100,80,10', '--size', '90,,30'],
      ['through-the-base', '--stock', '200,200,60', '--fit', 'own', '--zero', '4', '--below', 'keep'],
      ['no-bit', '--stock', '100,80,10', '--coarse', '6'],
      ['no-draft', '--stock', '100,80,10', '--outline', 'own', '--draft', '5'],
    ]) {
      const { json, exit } = await run('relief', file, ...args, '--out', out);
      expect([code, json.error.code, exit > 0]).toEqual([code, code, true]);
      expect(json.error.remedy).not.toBe('');
    }
  });

  test('several reliefs on one round stock, written as OBJ with faces of four corners', async () => {
    const out = join(folder, 'two.obj');
    const { json, exit } = await run(
      'relief',
      file,
      file,
      '--stock',
      '160,160,20',
      '--size',
      '60,,',
      '--at',
      '-35,0',
      '--at',
      '35,10',
      '--outline',
      'round',
      '--draft',
      '6',
      '--cell',
      '1.2',
      '--quads',
      '--out',
      out,
    );
    // Its ripples are finer than the heights: told, and nothing else.
    expect(json.findings.map((f: { code: string }) => f.code)).toEqual(['heights-apart']);
    expect([json.written[0].verdict, exit]).toEqual(['clear', 1]);
    expect(json.relief.reliefs).toHaveLength(2);
    const back = (await readDesign(readFileSync(out), 'two.obj', nodeKernels, usualChoices)).parts[0].geometry as { mesh: Mesh };
    const { open, nonManifold } = edgesOf(back.mesh.triangles, back.mesh.positions.length / 3);
    expect([open, nonManifold]).toEqual([0, 0]);
    expect(measureMesh(back.mesh).volume / json.volume).toBeCloseTo(1, 5);
  });

  test('heights: the picture and its scale beside it, proved', async () => {
    const out = join(folder, 'hills.png');
    const { json, exit } = await run('heights', file, '--cell', '0.5', '--out', out);
    expect([json.verdict, exit, json.columns, json.rows]).toEqual(['clear', 0, 121, 81]);
    const back = await heightsFromPicture(readFileSync(out), readFileSync(scaleName(out), 'utf8'));
    expect(back.heights[40 * 121 + 60]).toBeCloseTo(hills(30, 20), 1);
  });

  test('thumb: a WebP of the size that was asked for', async () => {
    const out = join(folder, 'hills.webp');
    const { json } = await run('thumb', file, '--side', '96', '--out', out);
    expect(json.side).toBe(96);
    expect(await sharp(readFileSync(out)).metadata()).toMatchObject({ format: 'webp', width: 96, height: 96, hasAlpha: true });
    expect((await run('thumb', file, '--part', 'nobody', '--out', out)).json.error.code).toBe('no-such-part');
    expect((await run('thumb', file, '--side', '9', '--out', out)).exit).toBeGreaterThan(0);
  });

  test('what a block lost of its relief goes into the evidence of its files', () => {
    const { findings } = reliefOnStock([{ name: 'ball', mesh: ball(10, [0, 0, 0]) }], {
      ...usualStock,
      stock: [60, 60, 30],
      reliefs: [{ ...usualStanding, fit: 'own', zero: 2 }],
    });
    expect(lostOfBlock(findings).map((f) => f.code).sort()).toEqual(['cut-at-zero', 'undercut']); // prettier-ignore
  });
});
