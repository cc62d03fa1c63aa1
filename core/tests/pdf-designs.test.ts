/** PDF as a design: 30 pages of two makers against what was drawn, named inks, clips, pictures, turned pages, letters, locks and layers. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { cmyk, degrees, PDFDocument, PDFName, PDFString, rgb, StandardFonts, type PDFPage } from 'pdf-lib';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { main } from '../src/cli/main.ts';
import { areaOfContour, boxOfContour, contoursOf, type Drawing } from '../src/curves/drawing.ts';
import { pictureOnPage } from '../src/formats/pdf/pictures.ts';
import { pictureOfPdf } from '../src/formats/pdf/reader.ts';
import { spotOf } from '../src/formats/pdf/spots.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { usualChoices, type ReadChoices } from '../src/model/choices.ts';
import { readDesign } from '../src/pipeline/read.ts';

const mm = 25.4 / 72;
const here = dirname(fileURLToPath(import.meta.url));
let folder: string;
let cairo: { pages: [number, number, number, number, number][][]; high: number | null };
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'pdf-'));
  cairo = JSON.parse(execFileSync('/usr/bin/python3', [join(here, 'readers', 'pdf-make.py'), folder], { encoding: 'utf8' })) as typeof cairo;
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const read = (bytes: Uint8Array, more: Partial<ReadChoices> = {}) => readDesign(bytes, 'page.pdf', nodeKernels, { ...usualChoices, ...more });
async function drawn(bytes: Uint8Array, more: Partial<ReadChoices> = {}): Promise<Drawing> {
  const { geometry } = (await read(bytes, more)).parts[0];
  if (geometry.kind !== 'drawing') throw new TypeError('a drawing');
  return geometry.drawing;
}
/** Area and box of each contour, mm2 and mm, smallest first. */
const figures = (drawing: Drawing) =>
  contoursOf(drawing)
    .map((c) => [Math.abs(areaOfContour(c)), ...boxOfContour(c)])
    .sort((a, b) => a[0] - b[0]);
const close = (found: number[][], wanted: number[][], share = 1e-6) => {
  expect(found.length).toBe(wanted.length);
  [...wanted]
    .sort((a, b) => a[0] - b[0])
    .forEach((w, i) => w.forEach((v, k) => expect(Math.abs(found[i][k] - v)).toBeLessThanOrEqual(share * Math.max(1, Math.abs(v)))));
};

/** A page of pdf-lib with a stream of its own. */
async function page(stream: string, how: { width?: number; height?: number; with?: (document: PDFDocument, page: PDFPage) => void } = {}): Promise<Uint8Array> {
  const document = await PDFDocument.create();
  const one = document.addPage([how.width ?? 400, how.height ?? 300]);
  how.with?.(document, one);
  if (stream) one.node.addContentStream(document.context.register(document.context.stream(stream)));
  return document.save();
}

describe('thirty pages', () => {
  test.each(Array.from({ length: 15 }, (_, n) => n))('cairo, page %i: every area and box as it was drawn, within 1e-6', async (n) => {
    close(figures(await drawn(readFileSync(join(folder, `cairo-${n}.pdf`)))), cairo.pages[n]);
  });
  test.each(Array.from({ length: 15 }, (_, n) => n))('pdf-lib, page %i: rectangles and rounds under maps, within 1e-6', async (n) => {
    const [a, b, turn, scale] = [20 + 3 * n, 11 + 2 * n, (n * Math.PI) / 11, 1 + n / 7];
    const [c, s] = [Math.cos(turn) * scale, Math.sin(turn) * scale];
    const k = 0.5522847498;
    const r = 5 + n;
    const stream = `q ${[c, s, -s, c, 150, 90].join(' ')} cm 0 0 ${a} ${b} re S Q
      q 1 0 0 1 60 60 cm ${r} 0 m ${r} ${k * r} ${k * r} ${r} 0 ${r} c ${-k * r} ${r} ${-r} ${k * r} ${-r} 0 c ${-r} ${-k * r} ${-k * r} ${-r} 0 ${-r} c ${k * r} ${-r} ${r} ${-k * r} ${r} 0 c h f Q`;
    const corners = [[0, 0], [a, 0], [a, b], [0, b]].map(([x, y]) => [c * x - s * y + 150, s * x + c * y + 90]); // prettier-ignore
    const box = [0, 1].map((i) => [Math.min(...corners.map((p) => p[i])), Math.max(...corners.map((p) => p[i]))]);
    const found = figures(await drawn(await page(stream)));
    const rect = found.find((f) => Math.abs(f[0] - a * b * scale * scale * mm * mm) < 1e-6 * f[0])!;
    expect(rect.slice(1)).toEqual([box[0][0], box[1][0], box[0][1], box[1][1]].map((v) => expect.closeTo(v * mm, 6)));
    const round = found.find((f) => f !== rect)!;
    expect(round.slice(1)).toEqual([60 - r, 60 - r, 60 + r, 60 + r].map((v) => expect.closeTo(v * mm, 6)));
    // The usual cubic for a quarter is 2.7e-4 off a circle at most, so its area is within 6e-4 of pi r2, and larger.
    expect(round[0] / (Math.PI * r * r * mm * mm)).toBeGreaterThan(1);
    expect(round[0] / (Math.PI * r * r * mm * mm)).toBeLessThan(1.0006);
  });
});

describe('what artwork holds', () => {
  test('a named ink is a layer by its name, in full and in tints; other colours are not', async () => {
    const bytes = await page('/S cs 1 scn 10 10 50 50 re f 0.4 scn 70 10 50 50 re f 1 0 0 rg 130 10 50 50 re f', {
      with: (document, one) => {
        const tint = document.context.obj({ FunctionType: 2, Domain: [0, 1], C0: [0, 0, 0, 0], C1: [0, 1, 1, 0], N: 1 });
        one.node
          .Resources()!
          .set(PDFName.of('ColorSpace'), document.context.obj({ S: [PDFName.of('Separation'), PDFName.of('Cut Contour'), PDFName.of('DeviceCMYK'), tint] }));
      },
    });
    const drawing = await drawn(bytes);
    expect(drawing.layers.map((l) => [l.name, l.contours.length])).toEqual([['Cut Contour', 2], ['Drawing', 1]]); // prettier-ignore
    expect(drawing.layers[1].colour).toBe('#ff0000');
    const spots = [{ name: 'a', fall: [239, 3, 245] as [number, number, number] }];
    expect([spotOf('#10fc0a', spots)?.name, spotOf('#88fe85', spots)?.name, spotOf('#88f085', spots)?.name]).toEqual(['a', 'a', undefined]);
  });
  test('a clip cuts filled areas where it runs; a stroke that it crosses stays whole, and is told', async () => {
    const cut = await read(await page('q 0 0 50 300 re W n 20 20 100 100 re f Q'));
    if (cut.parts[0].geometry.kind !== 'drawing') throw new TypeError('a drawing');
    close(figures(cut.parts[0].geometry.drawing), [[30 * 100 * mm * mm, 20 * mm, 20 * mm, 50 * mm, 120 * mm]]);
    expect(cut.findings.map((f) => f.code)).toEqual([]);
    const stroked = await read(await page('q 0 0 50 300 re W n 20 20 100 100 re S Q'));
    expect(stroked.parts[0].summary.lost?.[0].message).toMatch(/clip/);
    // Two clips, one within the other; and one outside of which nothing is left.
    close(figures(await drawn(await page('q 0 0 50 300 re W n 0 0 400 60 re W n 20 20 100 100 re f Q'))), [
      [30 * 40 * mm * mm, 20 * mm, 20 * mm, 50 * mm, 60 * mm],
    ]);
    await expect(read(await page('q 0 0 5 5 re W n 20 20 100 100 re f Q'))).rejects.toThrow(/no contour/);
  });
  test('a turned page and a box that does not begin at zero are seen as a reader shows them', async () => {
    for (const [turn, left, low] of [
      [0, 30, 20],
      [90, 20, 400 - 30 - 100],
      [180, 400 - 30 - 100, 300 - 20 - 50],
      [270, 300 - 20 - 50, 30],
    ]) {
      const bytes = await page('130 220 100 50 re S', {
        with: (_, one) => {
          one.setMediaBox(100, 200, 400, 300);
          one.setRotation(degrees(turn));
        },
      });
      const [, l, b, r, t] = figures(await drawn(bytes))[0];
      expect([l, b]).toEqual([expect.closeTo(left * mm, 6), expect.closeTo(low * mm, 6)]);
      expect([r - l, t - b]).toEqual((turn % 180 === 0 ? [100, 50] : [50, 100]).map((v) => expect.closeTo(v * mm, 6)));
    }
  });
  test('letters of a font in the file are its outlines: H as high as fontTools says', async () => {
    const drawing = await drawn(readFileSync(join(folder, 'letters.pdf')));
    const boxes = contoursOf(drawing).map(boxOfContour);
    // H, O with its inside, i with its dot.
    expect(boxes.length).toBe(5);
    const h = boxes.reduce((a, b) => (a[0] < b[0] ? a : b));
    if (cairo.high !== null) expect(h[3] - h[1]).toBeCloseTo(cairo.high, 4);
    expect(contoursOf(drawing).filter((c) => areaOfContour(c) < 0).length).toBe(1);
  });
  test('fonts that a file need not hold are drawn by letters that stand in, and told', async () => {
    const document = await PDFDocument.create();
    document.addPage([200, 100]).drawText('HO', { x: 20, y: 30, size: 40, font: await document.embedFont(StandardFonts.Helvetica) });
    const design = await read(await document.save());
    expect(design.parts[0].summary.drawing!.contours).toBe(3);
    expect(design.findings.map((f) => f.code)).toEqual(['letters-stand-in']);
    // Helvetica's cap height is 718 thousandths (its published font metrics); those that stand in are as wide, and within a few hundredths as high.
    expect(Math.abs(boxOfContour(contoursOf(await drawn(await document.save()))[0])[3] - (30 + 0.718 * 40) * mm)).toBeLessThan(0.6);
  });
  test('a picture is traced at the size that it has on its page, however it is turned there', async () => {
    // The disc's middle at (50.3, 42.7) of 120 x 80 pixels, 30 in radius, two points a pixel: y up, turned by quarters as the page shows it.
    const point = 2 * mm;
    const middles = [[50.3, 80 - 42.7], [80 - 42.7, 120 - 50.3], [120 - 50.3, 42.7], [42.7, 50.3]]; // prettier-ignore
    for (const [file, [x, y]] of [
      ...[0, 1, 2, 3].map((k): [string, number[]] => [`disc-${k}`, middles[k]]),
      ['disc-flipped', [50.3, 42.7]] as [string, number[]],
    ]) {
      const design = await read(readFileSync(join(folder, `${file}.pdf`)));
      expect(design.parts.map((p) => [p.summary.name, p.summary.unit])).toEqual([['page', 'mm']]);
      const drawing = await drawn(readFileSync(join(folder, `${file}.pdf`)));
      const [[area, l, b, r, t], ...more] = figures(drawing);
      expect(more).toEqual([]);
      expect(Math.abs(area / (Math.PI * (30 * point) ** 2) - 1)).toBeLessThan(2e-4);
      for (const [found, wanted] of [[(l + r) / 2, x], [(b + t) / 2, y], [(r - l) / 2, 30], [(t - b) / 2, 30]]) expect(Math.abs(found / point - wanted)).toBeLessThan(0.01); // prettier-ignore
      expect(drawing.picture?.within).toEqual({ page: 1, picture: 1 });
    }
  });
  test('a picture that leans or is stretched is told and traced upright', async () => {
    const odd = await read(readFileSync(join(folder, 'disc-odd.pdf')));
    expect(odd.parts[0].findings.map((f) => f.code)).toEqual(expect.arrayContaining(['picture-leans', 'picture-stretched']));
    const [[area]] = figures(await drawn(readFileSync(join(folder, 'disc-odd.pdf'))));
    expect(Math.abs(area / (Math.PI * (30 * 2 * mm) ** 2) - 1)).toBeLessThan(2e-4);
  });
  test('contours and pictures of one page are parts of their own; the page tells that its pictures are not in it', async () => {
    const bytes = readFileSync(join(folder, 'disc-mixed.pdf'));
    const { parts } = await read(bytes);
    expect(parts.map((p) => p.summary.name)).toEqual(['page', 'page, picture 1', 'page, picture 2']);
    expect(parts[0].summary.lost?.map((f) => f.code)).toEqual(['pictures-apart']);
    const area = (k: number) => parts[k].summary.area;
    expect(area(0)).toBeCloseTo(300 * 200 * mm * mm, 6);
    expect(Math.abs(area(1) / (Math.PI * (30 * mm) ** 2) - 1)).toBeLessThan(2e-4);
    // A stencil of one bit a pixel, a point each.
    expect(Math.abs(area(2) / (32 * 16 * mm * mm) - 1)).toBeLessThan(0.01);
    // The same picture painted thrice is traced once; made of it anew it is the same picture.
    const again = await pictureOfPdf(bytes, { page: 1, picture: 1 });
    expect([again.width, again.height, again.perMm]).toEqual([120, 80, expect.closeTo(1 / mm, 6)]);
    const stencil = await pictureOfPdf(bytes, { page: 1, picture: 2 });
    const dark = Array.from(stencil.data).filter((v, i) => i % 4 === 0 && v === 0).length;
    expect(dark).toBe(32 * 16);
    await expect(pictureOfPdf(bytes, { page: 1, picture: 3 })).rejects.toThrow(/no picture 3/);
    await expect(pictureOfPdf(bytes, { page: 2, picture: 1 })).rejects.toThrow();
  });
  test('a picture too small to trace, and one that shows nothing, are told as left out', async () => {
    await expect(read(readFileSync(join(folder, 'picture.pdf')))).rejects.toThrow(/picture/);
    const png = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64');
    const document = await PDFDocument.create();
    const one = document.addPage([200, 200]);
    one.drawRectangle({ x: 10, y: 10, width: 30, height: 30, borderWidth: 1, borderColor: cmyk(1, 0, 0, 0) });
    one.drawImage(await document.embedPng(png), { x: 60, y: 60, width: 40, height: 40 });
    const blank = new Uint8Array(await sharp({ create: { width: 40, height: 40, channels: 3, background: '#ffffff' } }).png().toBuffer()); // prettier-ignore
    one.drawImage(await document.embedPng(blank), { x: 100, y: 100, width: 40, height: 40 });
    const design = await read(await document.save());
    expect(design.parts.length).toBe(1);
    expect(design.parts[0].summary.lost?.[0].message).toMatch(/picture \(under 12 pixels on a side\).*picture \(Nothing in the picture stands out/s);
  });
  test('a picture of more pixels than are decoded is told, beside contours and alone; stencils, inverted values, opacity, inks and forms are seen as painted', async () => {
    const painted = (picture: object, bytes: Uint8Array, more = '') =>
      page(`q 200 0 0 160 50 50 cm /I Do Q ${more}`, {
        with: (document, one) => one.node.setXObject(PDFName.of('I'), document.context.register(document.context.stream(bytes, { Type: 'XObject', Subtype: 'Image', BitsPerComponent: 8, ColorSpace: 'DeviceGray', Width: 20, Height: 16, ...picture }))), // prettier-ignore
      });
    const huge = { Width: 8001, Height: 8000 };
    await expect(read(await painted(huge, new Uint8Array(9)))).rejects.toThrow(/64 million pixels/);
    const beside = await read(await painted(huge, new Uint8Array(9), '10 10 20 20 re S'));
    expect(beside.parts[0].summary.lost?.[0].message).toMatch(/64 million pixels/);
    // A dark box of 10 x 8 pixels of ten points each, said in six ways.
    const dark = (x: number, y: number) => x >= 5 && x < 15 && y >= 4 && y < 12;
    const grey = Uint8Array.from({ length: 320 }, (_, i) => (dark(i % 20, Math.floor(i / 20)) ? 0 : 255));
    const inks = Uint8Array.from({ length: 1280 }, (_, i) => (i % 4 === 3 && grey[i >> 2] === 0 ? 255 : 0));
    const bits = (set: number) => Array.from({ length: 16 }, (_, y) => Array.from({ length: 24 }, (_, x) => (x < 20 && dark(x, y) ? set : 1 - set)).reduce((n, b) => n * 2 + b, 0).toString(16).padStart(6, '0')).join(''); // prettier-ignore
    const inline = (head: string, data: string) => page(`q 0 g 200 0 0 160 50 50 cm BI /W 20 /H 16 ${head} /F /AHx ID ${data}> EI Q`);
    const ways = [
      await painted({}, grey),
      await painted({ Decode: [1, 0] }, grey.map((v) => 255 - v)), // prettier-ignore
      await painted({ ColorSpace: 'DeviceCMYK' }, inks),
      await inline('/CS /G /BPC 8', Buffer.from(grey).toString('hex')),
      await inline('/IM true', bits(0)),
      await inline('/IM true /D [1 0]', bits(1)),
    ];
    for (const bytes of ways) {
      const [[area], ...more] = figures(await drawn(bytes));
      expect([more.length, area / (100 * 80 * mm * mm)]).toEqual([0, expect.closeTo(1, 6)]);
    }
  });
  test('sides of 12 pixels are traced, of 11 not; as JPEG too', async () => {
    for (const side of [11, 12]) {
      const grey = Buffer.alloc(side * side, 255);
      for (let y = 3; y < side - 3; y++) grey.fill(0, y * side + 3, y * side + side - 3);
      const jpeg = new Uint8Array(await sharp(grey, { raw: { width: side, height: side, channels: 1 } }).jpeg({ quality: 100 }).toBuffer()); // prettier-ignore
      const document = await PDFDocument.create();
      document.addPage([200, 200]).drawImage(await document.embedJpg(jpeg), { x: 10, y: 10, width: side * 10, height: side * 10 });
      const bytes = await document.save();
      if (side === 11) await expect(read(bytes)).rejects.toThrow(/under 12 pixels/);
      else {
        const [[area]] = figures(await drawn(bytes));
        expect(Math.abs(Math.sqrt(area) - (side - 6) * 10 * mm)).toBeLessThan(0.1 * 10 * mm);
      }
    }
  });
  test('layers of the file: shown ones by their names, hidden ones not taken', async () => {
    const bytes = await page('/OC /A BDC 10 10 20 20 re S EMC /OC /B BDC 40 10 20 20 re S EMC', {
      with: (document, one) => {
        const group = (name: string) => document.context.register(document.context.obj({ Type: 'OCG', Name: PDFString.of(name) }));
        const [shown, hidden] = [group('Outline'), group('Notes')];
        one.node.Resources()!.set(PDFName.of('Properties'), document.context.obj({ A: shown, B: hidden }));
        document.catalog.set(PDFName.of('OCProperties'), document.context.obj({ OCGs: [shown, hidden], D: { OFF: [hidden], Order: [shown, hidden] } }));
      },
    });
    const design = await read(bytes);
    if (design.parts[0].geometry.kind !== 'drawing') throw new TypeError('a drawing');
    expect(design.parts[0].geometry.drawing.layers.map((l) => [l.name, l.contours.length])).toEqual([['Outline', 1]]);
    expect(design.findings.map((f) => f.code)).toContain('not-shown');
    expect((await drawn(bytes, { layersFrom: 'colours' })).layers[0].name).toBe('#000000');
  });
  test('several pages are a part each, one can be chosen, one that is not there is refused', async () => {
    const document = await PDFDocument.create();
    for (const size of [10, 20, 30])
      document.addPage([100, 100]).drawRectangle({ x: 5, y: 5, width: size, height: size, borderWidth: 1, borderColor: rgb(0, 0, 0) });
    const bytes = await document.save();
    expect((await read(bytes)).parts.map((p) => p.summary.name)).toEqual(['page, page 1', 'page, page 2', 'page, page 3']);
    expect(figures(await drawn(bytes, { page: 2 }))[0][0]).toBeCloseTo(400 * mm * mm, 6);
    await expect(read(bytes, { page: 4 })).rejects.toThrow(/page 4/);
    for (let i = 3; i < 11; i++) document.addPage([100, 100]).drawRectangle({ x: 5, y: 5, width: 9, height: 9 });
    const many = await read(await document.save());
    expect([many.parts.length, many.findings.find((f) => f.code === 'pages-left-out')?.count]).toEqual([10, 1]);
  });
});

test('locked, damaged and empty: a sentence each; PostScript says what to save instead', async () => {
  await expect(readDesign(Buffer.from('%!PS-3.0 EPSF-3.0\n'), 'mark.eps', nodeKernels)).rejects.toThrow(/PostScript/);
  await expect(read(readFileSync(join(folder, 'locked.pdf')))).rejects.toThrow(/password/);
  await expect(read(Buffer.from('%PDF-1.4\nnothing more'))).rejects.toThrow(/can not be read|no contour/);
  await expect(read(await page(''))).rejects.toThrow(/no contour/);
});

test('on the command line: a page of a PDF to DXF, proved', async () => {
  writeFileSync(join(folder, 'a.pdf'), await page('10 10 100 50 re S'));
  const said: string[] = [];
  const code = await main(['write', join(folder, 'a.pdf'), '--page', '1', '--format', 'dxf', '--out', join(folder, 'out'), '--json'], (t) => said.push(t), () => {}); // prettier-ignore
  expect(code).toBe(0);
  const { written } = JSON.parse(said.join('')) as { written: { evidence: { quantity: string; received: number }[] }[] };
  expect(written[0].evidence.find((c) => c.quantity === 'Width X')!.received).toBeCloseTo(100 * mm, 6);
});

test('a picture has a size on its page: just within and just beyond what a page may have; squeezed to a line it has none', () => {
  const raw = { width: 4, height: 4, kind: 2, data: new Uint8Array(48) };
  const on = (map: [number, number, number, number]) => () => pictureOnPage(raw, { picture: 'a', mask: false, map: [...map, 0, 0], clipped: false });
  expect(on([40, 0, 0, 40])().picture.perMm).toBeCloseTo(0.1, 12);
  for (const side of [0.00101, 999_000]) expect(on([side, 0, 0, side])().picture.perMm).toBeCloseTo(4 / side, 9);
  for (const side of [0.00099, 1_000_001, NaN, Infinity]) expect(on([side, 0, 0, 40])).toThrow('no size on its page');
  expect(on([40, 30, 40.0001, 30])).not.toThrow();
  expect(on([40, 30, 80, 60])).toThrow('no size on its page');
});
