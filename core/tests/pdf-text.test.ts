/** Where letters of a page stand: words by poppler (Debian), with Helvetica, whose widths every reader has (ISO 32000-1, 9.6.2.2). */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from 'vitest';
import { boxOfContour, contoursOf, type Drawing } from '../src/curves/drawing.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { pdf } from './pdf.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'pages-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const point = 25.4 / 72;
const font = '/Font << /F << /Type /Font /Subtype /Type1 /BaseFont /Helvetica >> >>';

/** Boxes of the letters that are drawn, in points from the page's low left corner; and what is told. */
async function drawn(content: string): Promise<{ boxes: number[][]; told: string }> {
  const { parts, findings } = await readDesign(pdf(content, font), 'page.pdf', nodeKernels);
  const drawing: Drawing | null = parts[0]?.geometry.kind === 'drawing' ? parts[0].geometry.drawing : null;
  const boxes = drawing ? contoursOf(drawing).map((c) => Array.from(boxOfContour(c), (v) => v / point)) : [];
  return { boxes, told: [...findings, ...parts.flatMap((p) => p.findings)].map((f) => f.message).join(' ') };
}

/** Words with the place of their pen and their end along the line, and their base line, by poppler. */
function words(content: string): { text: string; from: number; to: number; base: number }[] {
  const file = join(folder, 'page.pdf');
  writeFileSync(file, pdf(content, font));
  const html = execFileSync('pdftotext', ['-bbox', file, '-'], { encoding: 'utf8' });
  return [...html.matchAll(/<word xMin="([\d.]+)" yMin="([\d.]+)" xMax="([\d.]+)" yMax="([\d.]+)">([^<]*)</g)].map(([, l, t, r, b, text]) => {
    // Helvetica reaches 0.718 of its height above the base line and 0.207 below it.
    const [top, bottom] = [Number(t), Number(b)];
    return { text, from: Number(l), to: Number(r), base: 200 - (bottom - ((bottom - top) * 0.207) / 0.925) };
  });
}

describe('words of H and I', () => {
  const line = (s: string) => `BT /F 12 Tf 14 TL 20 180 Td ${s} ET`;
  test.each([
    ['one after the other', '(IHI) Tj (H) Tj'],
    ['on the next line, by the leading', '(IHI) Tj T* (HI) Tj T* (I) Tj'],
    ['moved, which sets the leading', '(HH) Tj 30 -20 TD (IH) Tj T* (HI) Tj'],
    ['moved, which does not', '(HH) Tj 30 -20 Td (IH) Tj T* (HI) Tj'],
    ['by the sign that goes to the next line', "(HH) Tj (HIH) ' (H) '"],
    ['by the sign that sets spaces, too', '(HH) Tj 9 2 (H IH) " (I H) Tj'],
    ['with spaces between', '(HH I) Tj 3 Tw (H I) Tj 0 Tw 2 Tc (HI) Tj'],
    ['narrower and wider', '50 Tz (HH) Tj 150 Tz (H) Tj T* (I) Tj'],
    ['raised', '(H) Tj 0 -20 Td 5 Ts (H) Tj 0 -20 Td -3 Ts (H) Tj'],
    ['moved between letters', '[(H) -1500 (I) 300 (HH)] TJ (I) Tj'],
    ['in a frame of their own', '1 0 0 1 60 90 Tm (HI) Tj T* (H) Tj 2 0 0 2 100 40 Tm (H) Tj T* (I) Tj'],
    ['in a frame of the page', 'ET q 1.5 0 0 1.5 10 -100 cm BT /F 10 Tf 30 150 Td (HI H) Tj ET Q BT /F 12 Tf 90 20 Td (I) Tj'],
    ['of another size', '/F 20 Tf (HI) Tj /F 6 Tf (HI) Tj'],
  ])('%s: each letter stands within its word, on its line', async (_, s) => {
    const { boxes, told } = await drawn(line(s));
    const list = words(line(s));
    const letters = list.map((w) => w.text.length).reduce((a, b) => a + b, 0);
    expect(boxes).toHaveLength(letters);
    for (const [left, bottom, right] of boxes) {
      const own = list.filter((w) => left > w.from - 0.01 && right < w.to + 0.01 && Math.abs(bottom - w.base) < 0.2);
      expect(own.length, `a letter from ${left} to ${right} at ${bottom}`).toBeGreaterThan(0);
    }
    // The first letter of each word begins a side bearing after its pen, the last ends one before its end.
    for (const w of list) expect(boxes.some(([l, b]) => l - w.from < 0.12 * 30 && l >= w.from && Math.abs(b - w.base) < 0.2)).toBe(true);
    expect(told).not.toContain('Left out');
  });
  test('turned by a quarter they stand upright on the line', async () => {
    const { boxes } = await drawn('BT /F 12 Tf 0 1 -1 0 150 50 Tm (HI) Tj ET');
    const [[left, bottom, right, top]] = boxes;
    expect([right, bottom > 50, top < 50 + 8.664, left]).toEqual([expect.closeTo(150, 6), true, true, expect.closeTo(150 - 8.26, 1)]);
  });
});

describe('what is not drawn', () => {
  test('a space is nothing, and no box for a missing letter', async () => {
    expect((await drawn('BT /F 12 Tf 20 180 Td (I I) Tj ET')).boxes).toHaveLength(2);
    expect((await drawn('BT /F 12 Tf 20 180 Td (   ) Tj (I) Tj ET')).boxes).toHaveLength(1);
  });
  test.each([
    [0, 1, false], [1, 1, false], [2, 1, false], [3, 0, false],
    [4, 1, true], [5, 1, true], [6, 1, true], [7, 0, true],
  ])('mode %d: %d letters, and whether letters clip what comes after is told: %s', async (mode, count, clips) => {
    const { boxes, told } = await drawn(`BT /F 12 Tf ${mode} Tr 20 180 Td (I) Tj ET 100 100 10 10 re f`);
    expect(boxes).toHaveLength(count + 1);
    expect(told.includes('clip by letters (what it cuts away is still there)')).toBe(clips);
  }); // prettier-ignore
});
