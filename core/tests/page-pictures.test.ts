/** Pictures as a page decodes them, against what the server's decoder (libvips) has of the same bytes: the pixels are equal. */
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import sharp from 'sharp';
import { beforeAll, describe, expect, test } from 'vitest';
import { Unusable } from '../src/base/finding.ts';
import { decodePicture, pictureForPage } from '../src/formats/picture/decode.ts';
import { decodeInPage, type PageDecoders } from '../src/formats/picture/page.ts';
import { pageDecodes, statedOf } from '../src/formats/picture/stated.ts';
import { usualTrace, type TraceChoice } from '../src/trace/choice.ts';
import { mostSide, type Picture } from '../src/trace/picture.ts';
import { throughPlane } from '../src/trace/plane.ts';
import { blockOf, quickPixels, smaller, traceQuickly } from '../src/trace/smaller.ts';
import { trace } from '../src/trace/trace.ts';
import { contoursOf } from '../src/curves/drawing.ts';
import { coverage, picture, ring } from './trace/exact.ts';

const require = createRequire(import.meta.url);
const compiled = (name: string) => async () => WebAssembly.compile(readFileSync(require.resolve(name)));
const decoders: PageDecoders = {
  jpeg: compiled('@jsquash/jpeg/codec/dec/mozjpeg_dec.wasm'),
  png: compiled('@jsquash/png/codec/pkg/squoosh_png_bg.wasm'),
  webp: compiled('@jsquash/webp/codec/dec/webp_dec.wasm'),
};

beforeAll(() => {
  // What a page has and Node has not.
  (globalThis as { ImageData?: unknown }).ImageData ??= class {
    data: Uint8ClampedArray;
    width: number;
    height: number;
    constructor(data: Uint8ClampedArray, width: number, height: number) {
      [this.data, this.width, this.height] = [data, width, height];
    }
  };
});

const [width, height] = [61, 47];
const raw = Uint8Array.from({ length: width * height * 3 }, (_, i) => {
  const p = Math.floor(i / 3);
  const [x, y] = [p % width, Math.floor(p / width)];
  return Math.min(255, Math.max(0, 128 + 90 * Math.sin(x / 5 + (i % 3)) + 60 * Math.cos(y / 7) + ((i * 7919) % 23)));
});
const source = () => sharp(raw, { raw: { width, height, channels: 3 } });
const deep = () => {
  const values = Uint16Array.from(raw, (v, i) => Math.min(65535, v * 257 + (i % 200)));
  return sharp(values, { raw: { width, height, channels: 3 } }).toColourspace('rgb16');
};

/** A JPEG with an EXIF block that says how it was held, and its pixels an inch. */
function held(jpeg: Buffer, orientation: number, perInch: number): Buffer {
  const tiff = Buffer.alloc(8 + 2 + 3 * 12 + 4 + 8);
  tiff.write('II*\0', 0, 'latin1');
  tiff.writeUInt32LE(8, 4);
  tiff.writeUInt16LE(3, 8);
  const entry = (k: number, tag: number, type: number, value: number) => {
    tiff.writeUInt16LE(tag, 10 + k * 12);
    tiff.writeUInt16LE(type, 12 + k * 12);
    tiff.writeUInt32LE(1, 14 + k * 12);
    tiff.writeUInt32LE(value, 18 + k * 12);
  };
  entry(0, 0x112, 3, orientation);
  entry(1, 0x11a, 5, 50);
  entry(2, 0x128, 3, 2);
  tiff.writeUInt32LE(perInch, 50);
  tiff.writeUInt32LE(1, 54);
  const block = Buffer.concat([Buffer.from('Exif\0\0', 'latin1'), tiff]);
  const head = Buffer.from([0xff, 0xe1, 0, 0]);
  head.writeUInt16BE(block.length + 2, 2);
  // After the JFIF block where there is one; its own density says nothing here (a proportion).
  return Buffer.concat([jpeg.subarray(0, 2), head, block, jpeg.subarray(2)]);
}

const files: [string, () => Promise<Buffer>][] = [
  ['JPEG 4:4:4', () => source().jpeg({ quality: 90, chromaSubsampling: '4:4:4' }).toBuffer()],
  ['JPEG 4:2:0', () => source().jpeg({ quality: 80 }).toBuffer()],
  ['JPEG in passes', () => source().jpeg({ progressive: true }).toBuffer()],
  ['JPEG in greys', () => source().greyscale().jpeg().toBuffer()],
  ...Array.from({ length: 8 }, (_, k): [string, () => Promise<Buffer>] => [
    `JPEG held way ${k + 1}`,
    async () => held(await source().jpeg().toBuffer(), k + 1, 240),
  ]),
  ['PNG', () => source().png().toBuffer()],
  ['PNG in passes', () => source().png({ progressive: true }).toBuffer()],
  ['PNG with a palette', () => source().png({ palette: true, colours: 16 }).toBuffer()],
  ['PNG of two colours', () => source().png({ palette: true, colours: 2 }).toBuffer()],
  ['PNG in greys', () => source().greyscale().toColourspace('b-w').png().toBuffer()],
  ['PNG that lets through', () => source().ensureAlpha(0.4).png().toBuffer()],
  ['PNG of 16 bits', () => deep().png().toBuffer()],
  ['PNG of 16 bits that lets through', () => deep().ensureAlpha(0.3).png().toBuffer()],
  ['PNG of 16 bits in greys', () => deep().toColourspace('grey16').png().toBuffer()],
  ['WebP', () => source().webp().toBuffer()],
  ['WebP without loss', () => source().webp({ lossless: true }).toBuffer()],
  ['WebP that lets through', () => source().ensureAlpha(0.4).webp().toBuffer()],
];

describe('the same pixels in a page and on the server', () => {
  test.each(files)('%s', async (_, make) => {
    const bytes = await make();
    expect(pageDecodes(bytes)).toBe(true);
    const [page, server] = [await decodeInPage(bytes, decoders), await decodePicture(bytes)];
    expect([page.width, page.height, page.perMm, page.data.constructor.name]).toEqual([
      server.width,
      server.height,
      server.perMm,
      server.data.constructor.name,
    ]);
    expect(
      Buffer.compare(
        Buffer.from(page.data.buffer, page.data.byteOffset, page.data.byteLength),
        Buffer.from(server.data.buffer, server.data.byteOffset, server.data.byteLength),
      ),
    ).toBe(0);
    const stated = statedOf(bytes)!;
    expect([stated.width, stated.height].sort()).toEqual([server.width, server.height].sort());
  });

  test('turned by a quarter, and as large as it says', async () => {
    const bytes = held(await source().jpeg().toBuffer(), 6, 240);
    const page = await decodeInPage(bytes, decoders);
    expect([page.width, page.height]).toEqual([height, width]);
    expect(page.perMm).toBeCloseTo(240 / 25.4, 12);
  });

  test.each<[string, () => Promise<Buffer>]>([
    ['a profile', () => source().withIccProfile('p3').jpeg().toBuffer()],
    ['a profile in a PNG', () => source().withIccProfile('p3').png().toBuffer()],
    ['a profile in a WebP', () => source().withIccProfile('p3').webp().toBuffer()],
    ['printing inks', () => source().toColourspace('cmyk').jpeg().toBuffer()],
    ['GIF', () => source().gif().toBuffer()],
    ['TIFF', () => source().tiff().toBuffer()],
    [
      'pictures that move',
      () =>
        sharp(raw, { raw: { width, height, channels: 3, pageHeight: 1 } as never })
          .webp({ delay: [100] })
          .toBuffer(),
    ],
  ])('%s: left to the server', async (_, make) => {
    expect(pageDecodes(await make())).toBe(false);
  });

  test('what the server sends instead has all pixels, 8 and 16 bits', async () => {
    for (const [bytes, kind] of [
      [await source().withIccProfile('p3').jpeg().toBuffer(), 'Uint8Array'],
      [await deep().ensureAlpha(0.3).png().toBuffer(), 'Uint16Array'],
      [await source().gif().toBuffer(), 'Uint8Array'],
    ] as const) {
      const server = await decodePicture(bytes);
      const sent = await pictureForPage(server);
      expect(pageDecodes(sent)).toBe(true);
      const page = await decodeInPage(sent, decoders);
      expect(page.data.constructor.name).toBe(kind);
      expect(page.data).toEqual(server.data);
    }
  });

  test('damaged, too large, of another kind: a sentence each', async () => {
    const png = await source().png().toBuffer();
    const large = Buffer.from(png);
    large.writeUInt32BE(mostSide + 1, 16);
    const said = async (bytes: Uint8Array) => {
      const thrown: unknown = await decodeInPage(bytes, decoders).catch((e: unknown) => e);
      expect(thrown).toBeInstanceOf(Unusable);
      return (thrown as Unusable).message;
    };
    expect(await said(large)).toContain('at most 20,000 a side');
    expect(await said(Buffer.from('no picture at all'))).toContain('no PNG');
    for (const [name, make] of files.filter(([n]) => ['PNG', 'PNG of 16 bits', 'WebP'].includes(n))) {
      const bytes = await make();
      expect(await said(bytes.subarray(0, Math.floor(bytes.length / 3))), name).toMatch(/can't be decoded|no PNG/);
    }
    // Every end of a head: never anything but a sentence or nothing.
    for (const [, make] of files) {
      const bytes = await make();
      for (let n = 0; n < Math.min(bytes.length, 120); n++) statedOf(bytes.subarray(0, n));
    }
  });
});

describe('several pixels as one while a person still chooses', () => {
  const drawn = (): Picture => picture(coverage([ring(80.3, 75.2, 61.37)], 160, 150), 160, 150);
  test('means by opacity', () => {
    const p: Picture = { width: 7, height: 6, data: new Uint8Array(7 * 6 * 4), perMm: 4 };
    // Two of the four in the first block are clear: what they would have as colour says nothing.
    p.data.set([100, 0, 0, 255, 9, 9, 9, 0], 0);
    p.data.set([200, 40, 0, 255, 7, 7, 7, 0], 7 * 4);
    const found = smaller(p, 2);
    expect([found.width, found.height, found.perMm]).toEqual([3, 3, 2]);
    expect([...found.data.slice(0, 4)]).toEqual([150, 20, 0, 128]);
    expect(smaller(p, 1)).toBe(p);
    expect(() => smaller(p, 3)).toThrow(RangeError);
    expect(() => smaller(p, 1.5)).toThrow('whole numbers');
  });
  test('as many as are needed, and no more', () => {
    expect(blockOf({ width: 2000, height: 1500 }, quickPixels)).toBe(1);
    expect(blockOf({ width: 2000, height: 1501 }, quickPixels)).toBe(2);
    expect(blockOf({ width: 4000, height: 3000 }, quickPixels)).toBe(2);
    expect(blockOf({ width: 8000, height: 8000 }, quickPixels)).toBe(5);
  });
  test.each<[string, Partial<TraceChoice>]>([
    ['pixels an inch', { size: { kind: 'per inch', value: 254 } }],
    ['a width', { size: { kind: 'width', mm: 16 } }],
    ['two points', { size: { kind: 'points', a: [10, 10], b: [110, 10], mm: 10 } }],
    ['four corners', { size: { kind: 'rectangle', corners: [[2, 2], [158, 2], [158, 148], [2, 148]], width: 15.6, height: 14.6 } }], // prettier-ignore
    ['a part of it', { size: { kind: 'per inch', value: 254 }, crop: [8, 8, 152, 144] }],
  ])('the same size and place within a pixel, by %s', (_, how) => {
    const choice = { ...usualTrace, ...how };
    const [full, quick] = [trace(drawn(), choice), traceQuickly(drawn(), choice, 8000)];
    expect(quick.block).toBe(2);
    expect(quick.contours).toBe(full.contours);
    const [a, b] = [full, quick].map(({ drawing }) => {
      const [c] = contoursOf(drawing);
      const s = c.segments[0];
      if (s.kind !== 'arc') throw new Error('no circle');
      return { ...s, middle: throughPlane(drawing.picture.map, 80.3, 75.2) };
    });
    // Ten pixels a millimetre; a tenth of a pixel of the smaller picture is 0.02 mm.
    expect(Math.abs(a.radius - b.radius)).toBeLessThan(0.02);
    for (const c of [a, b]) expect(Math.hypot(c.centre[0] - c.middle[0], c.centre[1] - c.middle[1])).toBeLessThan(0.02);
    expect(quick.drawing.picture.perNumber).toBeCloseTo(full.drawing.picture.perNumber, 6);
    expect([quick.drawing.picture.width, quick.drawing.picture.height]).toEqual([160, 150]);
  });
});
