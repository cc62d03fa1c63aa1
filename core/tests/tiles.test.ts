/** A drawing on sheets of A4: what is on each, how they are laid together, and what a wrong file shows. */
import { PDFDocument } from 'pdf-lib';
import { describe, expect, test } from 'vitest';
import { areaOfContour, contourOf, lengthOfContour, type Contour } from '../src/curves/drawing.ts';
import { circle, type P2 } from '../src/curves/segment.ts';
import { readPdf } from '../src/formats/pdf/read.ts';
import { crossesOf, tilesFor, tilesSaid, tileWords } from '../src/formats/pdf/tiles.ts';
import { mostTiles, pdfTiles } from '../src/formats/pdf/write.ts';

const ring = (...points: P2[]): Contour => contourOf(points.map((a, i) => ({ kind: 'line' as const, a, b: points[(i + 1) % points.length] })), true); // prettier-ignore
const rect = (x: number, y: number, w: number, h: number) => ring([x, y], [x + w, y], [x + w, y + h], [x, y + h]);
const layer = (contours: Contour[]) => ({ name: 'CUT', colour: '#ff0000', lineType: 'CONTINUOUS', texts: [], contours });
const tiled = (contours: Contour[], width: number, height: number) => pdfTiles([layer(contours)], 'tiles', [0, 0, width, height]);

describe('how many sheets', () => {
  test('frames of 190 by 277 mm that overlap by 10: one more just beyond', () => {
    const count = (w: number, h: number) => [tilesFor(w, h).columns, tilesFor(w, h).rows];
    expect([count(190, 277), count(190.01, 277), count(370, 277.01), count(370.01, 544)]).toEqual([[1, 1], [2, 1], [2, 2], [3, 2]]); // prettier-ignore
    expect(tilesFor(400, 600).list.map((t) => t.name)).toEqual(['A1', 'A2', 'A3', 'B1', 'B2', 'B3', 'C1', 'C2', 'C3']);
  });
  test('crosses of neighbours are one place of the drawing', () => {
    const tiles = tilesFor(400, 600);
    const on = (name: string) => {
      const tile = tiles.list.find((t) => t.name === name)!;
      return crossesOf(tiles, tile).map(([x, y]) => `${x - tiles.rim + tile.from[0]} ${y - tiles.rim + tile.from[1]}`);
    };
    expect(on('A1').filter((c) => on('B2').includes(c))).toEqual(['185 272']);
    expect(on('A1').filter((c) => on('A2').includes(c))).toHaveLength(2);
  });
  test('what the file says of its sheets, and what it can not say', () => {
    const tiles = tilesFor(400, 600);
    expect(tilesSaid(tileWords(tiles))).toEqual(tiles);
    expect([tilesSaid(undefined), tilesSaid('template'), tilesSaid('sheets 2 x 2 step 100 x 100 mm')]).toEqual([null, null, null]);
  });
});

describe('laid together', () => {
  test('contours over several sheets are one each, in place and in size; what lies twice is two', async () => {
    const contours = [rect(5, 5, 380, 500), contourOf([circle([200, 280], 60)], true), rect(20, 30, 40, 40), rect(20, 30, 40, 40)];
    const bytes = await tiled(contours, 390, 510);
    const file = await readPdf(bytes);
    expect(file.tiled).toBe(true);
    const got = file.drawing.layers.flatMap((l) => l.contours);
    expect(got).toHaveLength(4);
    const areas = got.map((c) => Math.abs(areaOfContour(c))).sort((a, b) => a - b);
    expect(areas[0]).toBeCloseTo(1600, 3);
    expect(areas[2] / (Math.PI * 3600)).toBeCloseTo(1, 4);
    expect(areas[3]).toBeCloseTo(190_000, 2);
    expect(Math.max(...got.map(lengthOfContour))).toBeCloseTo(1760, 4);
  });
  test('each sheet is A4 and holds only what lies on it', async () => {
    const document = await PDFDocument.load(await tiled([rect(1, 1, 20, 20), rect(350, 1, 20, 20)], 370, 200));
    expect(document.getPages().map((p) => [p.getWidth(), p.getHeight()].map((v) => Math.round((v * 25.4) / 72)))).toEqual([[210, 297], [210, 297]]); // prettier-ignore
    const one = await readPdf(await tiled([rect(1, 1, 20, 20)], 370, 200));
    expect(one.drawing.layers.flatMap((l) => l.contours)).toHaveLength(1);
  });
  test('a sheet lost, or one in the place of another: told, or more contours than there are', async () => {
    const bytes = await tiled([rect(5, 5, 380, 500)], 390, 510);
    const lost = await PDFDocument.load(bytes);
    lost.removePage(3);
    await expect(readPdf(await lost.save())).rejects.toMatchObject({ code: 'sheets-missing' });
    const swapped = await PDFDocument.load(bytes);
    const [first, second] = await swapped.copyPages(swapped, [1, 0]);
    swapped.removePage(0);
    swapped.removePage(0);
    swapped.insertPage(0, first);
    swapped.insertPage(1, second);
    const { drawing } = await readPdf(await swapped.save());
    expect(drawing.layers.flatMap((l) => l.contours).length).toBeGreaterThan(1);
  });
  test('equal drawings are equal bytes; too many sheets are refused', async () => {
    const make = () => tiled([rect(0, 0, 300, 300)], 300, 300);
    expect(Buffer.from(await make()).equals(Buffer.from(await make()))).toBe(true);
    expect(tilesFor(180 * 20 + 10, 267 * 20 + 10).list).toHaveLength(mostTiles);
    await expect(tiled([rect(0, 0, 9, 9)], 180 * 20 + 11, 267 * 20 + 10)).rejects.toMatchObject({ code: 'too-many-sheets' });
  });
});
