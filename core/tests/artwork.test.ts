import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { areaOfContour, contourOf, contoursOf, type Contour, type Drawing } from '../src/curves/drawing.ts';
import { checkDrawing } from '../src/curves/check.ts';
import { circle, type P2 } from '../src/curves/segment.ts';
import { bridged, islandsOf, type BridgeChoice } from '../src/drawing/bridges.ts';
import { raiseLayers } from '../src/drawing/raise.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { decodePicture } from '../src/formats/picture/decode.ts';
import { pictureKind, statedPerInch } from '../src/formats/picture/kinds.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { checkMesh } from '../src/mesh/soundness/check-mesh.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { main } from '../src/cli/main.ts';
import { identityRows } from '../src/geometry/rows.ts';
import { usualChoices } from '../src/model/choices.ts';
import { operate, type OperationRequest } from '../src/operations/registry.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { writeDrawing } from '../src/pipeline/write-drawing.ts';
import { receiveDrawing } from '../src/processes/cutters.ts';
import { proveDrawing } from '../src/prove/prove-drawing.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { usualTrace } from '../src/trace/choice.ts';
import { greyRelief, mostPoints } from '../src/trace/relief.ts';
import { coverage, picture, placed, ring, rounded } from './trace/exact.ts';

const disc = (x: number, y: number, r: number): Contour => contourOf([circle([x, y], r)], true);
const box = (l: number, b: number, r: number, t: number): Contour => {
  const p: P2[] = [
    [l, b],
    [r, b],
    [r, t],
    [l, t],
  ];
  return contourOf(
    p.map((a, i) => ({ kind: 'line', a, b: p[(i + 1) % 4] })),
    true,
  );
};
const layer = (name: string, ...contours: Contour[]) => ({ name, colour: null, lineType: 'CONTINUOUS', contours });
const drawing = (...layers: Drawing['layers']): Drawing => ({ layers, texts: [], points: [] });

describe('raising layers', () => {
  const two = drawing(layer('Outline', box(0, 0, 40, 20)), layer('Mark', disc(10, 10, 5)));
  const volume = async (heights: Parameters<typeof raiseLayers>[2]) => {
    const mesh = raiseLayers(await nodeEngine(), two, heights, 0.0005);
    expect(checkMesh(mesh).openEdges).toBe(0);
    return measureMesh(mesh).volume;
  };
  // Volumes by hand: a box is its sides multiplied, a disc pi r^2.
  test('each to its own height: the higher one stands on the lower', async () => {
    expect(await volume({ layers: { Outline: 2, Mark: 3.5 }, base: null })).toBeCloseTo(40 * 20 * 2 + Math.PI * 25 * 1.5, 0);
  });
  test('onto a plate that reaches beyond, and sunk into it', async () => {
    const plate = (40 + 6) * (20 + 6) * 1.2;
    expect(await volume({ layers: { Outline: 0, Mark: 2 }, base: { thickness: 1.2, margin: 3 } })).toBeCloseTo((10 + 6) * (10 + 6) * 1.2 + Math.PI * 25 * 2, 0);
    expect(await volume({ layers: { Outline: 0.5, Mark: -0.7 }, base: { thickness: 1.2, margin: 3 } })).toBeCloseTo(
      plate + 400 * 2 * 0.5 - Math.PI * 25 * 0,
      -1,
    );
  });
  test('sunk just short of through, and just through', async () => {
    const sunk = (depth: number) => volume({ layers: { Mark: -depth }, base: { thickness: 1.2, margin: 3 } });
    expect(await sunk(1.19)).toBeCloseTo(16 * 16 * 1.2 - Math.PI * 25 * 1.19, 0);
    await expect(sunk(1.2)).rejects.toThrow(/sunk/);
  });
  test('contours of one layer that cross are refused, those of two layers are not', async () => {
    const engine = await nodeEngine();
    const crossing = drawing(layer('A', box(0, 0, 10, 10), box(5, 5, 15, 15)));
    expect(() => raiseLayers(engine, crossing, { layers: { A: 1 }, base: null })).toThrow(/cross at 2 places/);
    const apart = drawing(layer('A', box(0, 0, 10, 10)), layer('B', box(5, 5, 15, 15)));
    const { volume: v } = measureMesh(raiseLayers(engine, apart, { layers: { A: 1, B: 2 }, base: null }));
    expect(v).toBeCloseTo(100 * 2 + 75, 3);
  });
  test('no height and nothing closed say so', async () => {
    const engine = await nodeEngine();
    expect(() => raiseLayers(engine, two, { layers: { Mark: 0 }, base: null })).toThrow(/none has a height/);
  });
});

describe('bridges', () => {
  const ringOf = drawing(layer('Ink', disc(0, 0, 20), disc(0, 0, 10)));
  const choice: BridgeChoice = { count: 3, width: 2, from: 0 };
  /** Area of a strip of width w between two circles about one middle, by the integral of the half chords. */
  const strip = (w: number, outer: number, inner: number) => {
    const half = (r: number) => (w / 2) * Math.sqrt(r * r - (w * w) / 4) + r * r * Math.asin(w / 2 / r);
    return half(outer) - half(inner);
  };
  test('three bridges turn a ring into three pieces, each smaller by its share of the strips, and no island is left', () => {
    const { drawing: made, bridges, islands, left } = bridged(ringOf, choice);
    expect([islands, bridges, left.length]).toEqual([1, 3, 0]);
    const contours = contoursOf(made);
    expect(contours.length).toBe(3);
    expect(islandsOf(made).length).toBe(0);
    expect(contours.reduce((sum, c) => sum + areaOfContour(c), 0)).toBeCloseTo(Math.PI * 300 - 3 * strip(2, 20, 10), 6);
    expect(checkDrawing(made).crossings.length).toBe(0);
    // Arcs stay arcs.
    for (const c of contours) expect(c.segments.map((s) => s.kind).sort()).toEqual(['arc', 'arc', 'line', 'line']);
  });
  test('one bridge leaves one piece, open like a C', () => {
    const { drawing: made } = bridged(ringOf, { ...choice, count: 1 });
    expect(contoursOf(made).length).toBe(1);
    expect(areaOfContour(contoursOf(made)[0])).toBeCloseTo(Math.PI * 300 - strip(2, 20, 10), 6);
  });
  test('two islands in one region are both held; an island in an island too', () => {
    const plate = drawing(layer('Ink', box(0, 0, 60, 30), disc(15, 15, 6), disc(45, 15, 6), disc(45, 15, 2)));
    const { drawing: made, islands, bridges } = bridged(plate, { count: 2, width: 1.5, from: 0 });
    expect([islands, bridges]).toEqual([2, 4]);
    expect(islandsOf(made).length).toBe(0);
    expect(checkDrawing(made).crossings.length).toBe(0);
  });
  test('an island too small for its bridges is told, and stays as it was', () => {
    const { drawing: made, bridges, left } = bridged(drawing(layer('Ink', disc(0, 0, 20), disc(0, 0, 0.6))), choice);
    expect(bridges).toBe(0);
    expect(left[0]).toMatch(/too small/);
    expect(contoursOf(made).length).toBe(2);
  });
});

describe('reliefs of greys', () => {
  const slope = (w: number, h: number) => {
    const data = new Uint8Array(w * h * 4);
    for (let i = 0; i < w * h; i++)
      data.set(
        [0, 0, 0, 255].map((a, k) => (k === 3 ? a : Math.round((255 * (i % w)) / (w - 1)))),
        i * 4,
      );
    return { width: w, height: h, data, perMm: null };
  };
  const choice = { width: 50, low: 1, high: 3, brightHigh: true, blur: 0, pitch: 0.5 };
  test('a slope from black to white is a closed wedge of the mean height', () => {
    const mesh = greyRelief(slope(256, 129), choice);
    const { volume, box: b } = measureMesh(mesh);
    expect(checkMesh(mesh).openEdges).toBe(0);
    expect(b.max[0]).toBeCloseTo(50, 9);
    expect(volume).toBeCloseTo(b.max[0] * b.max[1] * 2, 1);
    expect([b.min[2], b.max[2]]).toEqual([0, 3]);
  });
  test('what is flat takes few triangles: the bottom about as many as its rim has points, whole and facing down, without needles', () => {
    const { positions: p, triangles: t } = greyRelief(slope(256, 129), choice);
    // 101 points across and 51 along.
    const rim = 2 * (101 + 51) - 4;
    const at = (v: number) => [p[v * 3], p[v * 3 + 1], p[v * 3 + 2]] as const;
    let [count, area, thinnest] = [0, 0, Infinity];
    for (let i = 0; i < t.length; i += 3) {
      const [a, b, c] = [at(t[i]), at(t[i + 1]), at(t[i + 2])];
      if (a[2] + b[2] + c[2] > 0) continue;
      const twice = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
      const longest = Math.max(Math.hypot(b[0] - a[0], b[1] - a[1]), Math.hypot(c[0] - b[0], c[1] - b[1]), Math.hypot(a[0] - c[0], a[1] - c[1]));
      count++;
      area += twice / 2;
      thinnest = Math.min(thinnest, -twice / longest ** 2);
    }
    expect(count).toBeGreaterThan(rim - 3);
    expect(count).toBeLessThan(4 * rim);
    expect(area).toBeCloseTo(-50 * Math.max(...p.filter((_, i) => i % 3 === 1)), 6);
    expect(thinnest).toBeGreaterThan(0.05);
  });
  test('turned round, bright is low; a blur keeps the mean', () => {
    const at = (more: object) => measureMesh(greyRelief(slope(256, 129), { ...choice, ...more }));
    expect(at({ brightHigh: false }).volume).toBeCloseTo(at({}).volume, 3);
    expect(at({ brightHigh: false }).centre[0]).toBeLessThan(at({}).centre[0]);
    expect(at({ blur: 6 }).volume).toBeCloseTo(at({}).volume, 0);
  });
  test('as many points as are made, and one row more', () => {
    const pitch = 50 / (Math.floor(Math.sqrt(mostPoints)) - 1);
    const square = slope(64, 64);
    expect(() => greyRelief(square, { ...choice, pitch })).not.toThrow();
    expect(() => greyRelief(square, { ...choice, pitch: pitch * 0.995 })).toThrow(/points/);
    expect(() => greyRelief(square, { ...choice, low: 3 })).toThrow(/above/);
  });
});

describe('picture files', () => {
  let folder: string;
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), 'pictures-'));
  });
  afterAll(() => rmSync(folder, { recursive: true, force: true }));
  const [w, h] = [90, 70];
  const shape = picture(coverage([placed(rounded(60, 40, 0), 0.1, [45, 35])], w, h), w, h);
  const raw = () => sharp(shape.data, { raw: { width: w, height: h, channels: 4 } }).removeAlpha();
  /** A BMP of 24 bits by hand: rows from the bottom, padded to four bytes. Source: the BITMAPINFOHEADER layout. */
  const bmp = () => {
    const row = Math.ceil((w * 3) / 4) * 4;
    const out = Buffer.alloc(54 + row * h);
    out.write('BM');
    out.writeUInt32LE(out.length, 2);
    out.writeUInt32LE(54, 10);
    out.writeUInt32LE(40, 14);
    out.writeInt32LE(w, 18);
    out.writeInt32LE(h, 22);
    out.writeUInt16LE(1, 26);
    out.writeUInt16LE(24, 28);
    out.writeInt32LE(11811, 38);
    for (let y = 0; y < h; y++)
      for (let x = 0; x < w; x++) for (let k = 0; k < 3; k++) out[54 + (h - 1 - y) * row + x * 3 + k] = shape.data[(y * w + x) * 4 + 2 - k];
    return out;
  };
  const files: [string, () => Promise<Buffer> | Buffer][] = [
    ['png', () => raw().png().toBuffer()],
    ['jpg', () => raw().jpeg({ quality: 95 }).toBuffer()],
    ['progressive.jpg', () => raw().jpeg({ quality: 95, progressive: true }).toBuffer()],
    ['webp', () => raw().webp({ lossless: true }).toBuffer()],
    ['gif', () => raw().gif().toBuffer()],
    ['tif', () => raw().tiff().toBuffer()],
    ['bmp', bmp],
    ['16.png', () => raw().toColourspace('rgb16').png().toBuffer()],
    ['grey.png', () => raw().toColourspace('b-w').png().toBuffer()],
  ];
  test.each(files)('%s: four lines of the sides that were drawn', async (ending, make) => {
    const design = await readDesign(new Uint8Array(await make()), `mark.${ending}`, nodeKernels);
    const { geometry } = design.parts[0];
    if (geometry.kind !== 'drawing') throw new TypeError('a drawing');
    const [contour] = contoursOf(geometry.drawing);
    const per = geometry.drawing.picture!.perNumber;
    expect(contour.segments.map((s) => s.kind)).toEqual(['line', 'line', 'line', 'line']);
    const sides = contour.segments.map((s) => (s.kind === 'line' ? Math.hypot(s.a[0] - s.b[0], s.a[1] - s.b[1]) * per : 0)).sort((a, b) => a - b);
    for (const [i, want] of [40, 40, 60, 60].entries()) expect(Math.abs(sides[i] - want)).toBeLessThan(0.1);
  });
  describe('BMP of every depth', () => {
    const place = mkdtempSync(join(tmpdir(), 'bmp-'));
    afterAll(() => rmSync(place, { recursive: true, force: true }));
    const script = `
import json, random, sys
from PIL import Image
dice = random.Random(5)
out = {}
for w in (40, 37, 33, 5, 1):
    whole = Image.new('RGB', (w, 9))
    whole.putdata([tuple(dice.randrange(256) for _ in range(3)) for _ in range(w * 9)])
    for mode in ('1', 'L', 'P', 'RGB', 'RGBA'):
        name = f'{mode} {w}.bmp'
        whole.convert(mode).save(sys.argv[1] + '/' + name)
        out[name] = list(Image.open(sys.argv[1] + '/' + name).convert('RGB').tobytes())
print(json.dumps(out))`;
    const made = JSON.parse(execFileSync('/usr/bin/python3', ['-c', script, place], { encoding: 'utf8', maxBuffer: 1e8 })) as Record<string, number[]>;
    test.each(Object.keys(made))('%s, made by Pillow: the pixels that it reads', async (name) => {
      const { width, height, data } = await decodePicture(new Uint8Array(readFileSync(join(place, name))));
      const colours = Array.from({ length: width * height }, (_, i) => [...data.subarray(i * 4, i * 4 + 3)]).flat();
      expect(colours).toEqual(made[name]);
      expect(Array.from({ length: width * height }, (_, i) => data[i * 4 + 3]).every((v) => v === 255)).toBe(true);
    });
    /** Rows from the bottom, with a palette or masks. Source: the BITMAPINFOHEADER layout. */
    const by = (width: number, bits: number, compression: number, words: number[], rows: number[]) => {
      const out = Buffer.alloc(54 + words.length * 4 + rows.length);
      out.write('BM');
      [[2, out.length], [10, 54 + words.length * 4], [14, 40], [18, width], [22, 1], [30, compression], [34, rows.length], [46, compression === 3 ? 0 : words.length]].forEach(([at, v]) => out.writeUInt32LE(v, at));
      out.writeUInt16LE(1, 26);
      out.writeUInt16LE(bits, 28);
      words.forEach((v, i) => out.writeUInt32LE(v, 54 + i * 4));
      out.set(rows, 54 + words.length * 4);
      return new Uint8Array(out);
    }; // prettier-ignore
    const colours = async (bytes: Uint8Array) => {
      const { width, data } = await decodePicture(bytes);
      return Array.from({ length: width }, (_, i) => [...data.subarray(i * 4, i * 4 + 3)]);
    };
    const [red, green, blue, grey] = [0xff0000, 0xff00, 0xff, 0x808080];
    test('four bits a pixel, sixteen by five and by masks, by hand', async () => {
      expect(await colours(by(4, 4, 0, [red, green, blue, grey], [0x01, 0x23, 0, 0]))).toEqual([[255, 0, 0], [0, 255, 0], [0, 0, 255], [128, 128, 128]]); // prettier-ignore
      expect(await colours(by(2, 16, 0, [], [0, 0x7c, 0x1f, 0]))).toEqual([[248, 0, 0], [0, 0, 248]]); // prettier-ignore
      expect(await colours(by(2, 16, 3, [0xf800, 0x7e0, 0x1f], [0, 0xf8, 0xe0, 0x07]))).toEqual([[248, 0, 0], [0, 252, 0]]); // prettier-ignore
    });
    test('what would come wrong is refused: run lengths, four bits in rows of odd width', async () => {
      await expect(decodePicture(by(3, 4, 0, [red, green, blue], [0x01, 0x20, 0, 0]))).rejects.toThrow('four bits a pixel and rows of an odd width');
      for (const [bits, compression] of [
        [8, 1],
        [4, 2],
      ] as const)
        // prettier-ignore
        await expect(decodePicture(by(2, bits, compression, [red, green], [2, 1, 0, 1]))).rejects.toThrow('compressed within');
    });
  });
  test.each(['tif', 'gif', 'webp'])('a %s of three pictures: the first is taken, the others are told; one of one says nothing', async (ending) => {
    const place = mkdtempSync(join(tmpdir(), 'pages-'));
    const script = `
import sys
from PIL import Image, ImageDraw
def page(size):
    im = Image.new('RGB', (90, 70), (255, 255, 255))
    ImageDraw.Draw(im).rectangle((10, 10, 10 + size, 10 + size), fill=(0, 0, 0))
    return im
page(40).save(sys.argv[1], save_all=True, append_images=[page(30), page(20)])
page(40).save(sys.argv[2])`;
    const [three, one] = ['three', 'one'].map((name) => join(place, `${name}.${ending}`));
    execFileSync('/usr/bin/python3', ['-c', script, three, one]);
    const read = async (file: string) => readDesign(new Uint8Array(readFileSync(file)), file, nodeKernels);
    const told = async (file: string) => (await read(file)).findings.filter((f) => f.code === 'further-pictures').map((f) => [f.severity, f.count]);
    expect(await told(three)).toEqual([['look', 2]]);
    expect(await told(one)).toEqual([]);
    const { min, max } = (await read(three)).parts[0].summary.box;
    // 41 pixels at 96 an inch are 10.8 mm, 31 would be 8.2.
    expect(max[0] - min[0]).toBeGreaterThan(10);
    rmSync(place, { recursive: true, force: true });
  });
  test('a picture that is said to be held sideways is turned: EXIF orientation 6', async () => {
    const turned = await decodePicture(new Uint8Array(await raw().withMetadata({ orientation: 6 }).jpeg({ quality: 95 }).toBuffer()));
    expect([turned.width, turned.height]).toEqual([h, w]);
  });
  test('what is clear counts as white paper', async () => {
    const alpha = Buffer.alloc(w * h * 4);
    for (let i = 0; i < w * h; i++) alpha[i * 4 + 3] = 255 - shape.data[i * 4];
    const bytes = await sharp(alpha, { raw: { width: w, height: h, channels: 4 } })
      .png()
      .toBuffer();
    const design = await readDesign(new Uint8Array(bytes), 'mark.png', nodeKernels);
    expect(design.parts[0].summary.drawing!.contours).toBe(1);
  });
  test('a stated resolution is the size, 72 is doubted, none is asked for', async () => {
    const at = async (density: number) => readDesign(new Uint8Array(await raw().withMetadata({ density }).png().toBuffer()), 'mark.png', nodeKernels);
    const fine = await at(254);
    expect(fine.unit).toBe('mm');
    expect(fine.parts[0].summary.traced!.perNumber).toBeCloseTo(10, 3);
    expect(fine.findings.map((f) => f.code)).not.toContain('filler-resolution');
    expect((await at(72)).findings.map((f) => f.code)).toContain('filler-resolution');
    expect((await readDesign(new Uint8Array(await raw().webp({ lossless: true }).toBuffer()), 'mark.webp', nodeKernels)).unit).toBeNull();
  });
  test('damaged, printing inks, far too large: a sentence, and nothing decoded', async () => {
    const png = await raw().png().toBuffer();
    await expect(decodePicture(png.subarray(0, png.length / 2))).rejects.toThrow(/can't be decoded/);
    await expect(decodePicture(await raw().toColourspace('cmyk').jpeg().toBuffer())).rejects.toThrow(/CMYK/);
    // The header alone says 30,000 x 30,000: IHDR's width and height, its CRC left as it was would be told too.
    const huge = Buffer.from(png);
    huge.writeUInt32BE(30_000, 16);
    huge.writeUInt32BE(30_000, 20);
    await expect(decodePicture(huge)).rejects.toThrow(/30,000 x 30,000|can't be decoded/);
    const wide = bmp();
    wide.writeInt32LE(30_000, 18);
    wide.writeInt32LE(30_000, 22);
    await expect(decodePicture(wide)).rejects.toThrow(/30,000 x 30,000/);
    await expect(decodePicture(bmp().subarray(0, 200))).rejects.toThrow(/can't be decoded/);
    expect(pictureKind(Buffer.from('BMW is no picture, but a text that begins so'))).toBeNull();
    expect(statedPerInch(png.subarray(0, 20), 'PNG')).toBeNull();
  });
  test('trace on the command line: written, read back, held against the picture; two sizes are refused', async () => {
    const file = join(folder, 'mark.png');
    writeFileSync(file, await raw().png().toBuffer());
    const said: string[] = [];
    const code = await main(
      ['trace', file, '--width', '45', '--format', 'dxf', '--out', join(folder, 'out'), '--json'],
      (t) => said.push(t),
      () => {},
    );
    expect(code).toBe(0);
    const json = JSON.parse(said.join('')) as {
      contours: number;
      pieces: number;
      distance: { mean: number };
      evidence: { quantity: string; verdict: string }[];
      written: { file: string }[];
    };
    expect([json.contours, json.pieces]).toEqual([1, 4]);
    expect(json.evidence.find((c) => c.quantity === 'Distance to the picture')?.verdict).toBe('clear');
    expect(readFileSync(json.written[0].file, 'utf8')).toContain('LWPOLYLINE');
    const two = await main(
      ['trace', file, '--width', '45', '--per-inch', '300', '--out', folder, '--json'],
      () => {},
      () => {},
    );
    expect(two).not.toBe(0);
  });
  test('a contour in the file that is not the picture’s is found out by the picture', async () => {
    const round = picture(coverage([ring(45, 35, 25)], w, h), w, h);
    const bytes = await sharp(round.data, { raw: { width: w, height: h, channels: 4 } })
      .withMetadata({ density: 25.4 })
      .png()
      .toBuffer();
    const [part] = (await readDesign(new Uint8Array(bytes), 'disc.png', nodeKernels)).parts;
    if (part.geometry.kind !== 'drawing') throw new TypeError('a drawing');
    const recipe = firstRecipe(part.summary, readyReceivers);
    recipe.file.format = 'dxf';
    const made = await writeDrawing(part.summary, part.geometry.drawing, recipe, await nodeEngine());
    const received = await receiveDrawing(Buffer.concat([...made.pieces]), 'dxf', recipe.receiver);
    const claim = (d: typeof made.designed) => proveDrawing(d, received).claims.find((c) => c.quantity === 'Distance to the picture')!;
    expect(claim(made.designed).verdict).toBe('clear');
    // The same file against a picture whose disc is a fifth of a millimetre larger.
    const edge = made.designed.traced!.edge;
    const [x, y] = [0, 1].map((k) => edge.filter((_, i) => i % 2 === k).reduce((a, b) => a + b, 0) / (edge.length / 2));
    const larger = edge.map((v, i) => (i % 2 === 0 ? x + (v - x) * (25.2 / 25) : y + (v - y) * (25.2 / 25)));
    expect(claim({ ...made.designed, traced: { ...made.designed.traced!, edge: larger } }).verdict).toBe('stop');
  });
  test('what was left out of a picture is told by its parts, and no more after it was traced with nothing left out', async () => {
    const two = picture(coverage([ring(30, 35, 20), ring(75, 15, 5)], w, h), w, h);
    const bytes = await sharp(two.data, { raw: { width: w, height: h, channels: 4 } })
      .withMetadata({ density: 25.4 })
      .png()
      .toBuffer();
    const choice = { ...usualTrace, leave: [[75, 15]] as P2[] };
    const [part] = (await readDesign(new Uint8Array(bytes), 'two.png', nodeKernels, { ...usualChoices, trace: choice })).parts;
    expect(part.summary.lost!.map((f) => f.message)).toEqual(['Left out: 1 region or hole clicked away, with what lies within.']);
    const given = {
      id: '1',
      ...part,
      recipe: firstRecipe(part.summary, readyReceivers),
      place: identityRows,
      source: () => Promise.resolve(new Uint8Array(bytes)),
    };
    const asked = async (request: OperationRequest) => {
      const { made } = await operate({
        request,
        parts: [given],
        tools: nodeTools,
        progress: () => false,
        keep: (_, pieces) => Promise.resolve(Buffer.concat([...pieces])),
      });
      return made[0].part().summary.lost?.length ?? 0;
    };
    expect(await asked({ kind: 'trace', part: '1', choice: { ...choice, leave: [] } })).toBe(0);
    expect(await asked({ kind: 'trace', part: '1', choice })).toBe(1);
    // Everything else that is made of the part lacks it too.
    expect(await asked({ kind: 'raise', part: '1', thickness: 2 })).toBe(1);
  });
});
