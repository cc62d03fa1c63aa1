/** What clips let through, in PDF pages and SVG drawings: areas as poppler and librsvg (Debian) paint them. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, test } from 'vitest';
import { areaOfContour, boxOfDrawing, contoursOf, type Drawing } from '../src/curves/drawing.ts';
import type { Segment } from '../src/curves/segment.ts';
import { unionOf, type Stroke } from '../src/curves/union.ts';
import { clipOf, throughClip } from '../src/formats/clip.ts';
import { readSvg } from '../src/formats/svg/read.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { pdf } from './pdf.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'clips-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const dark = fileURLToPath(new URL('./readers/dark.py', import.meta.url));

/** Pixels of a picture in which something dark is seen, as an area of so many pixels a unit. */
const darkArea = (png: string, perUnit: number): number =>
  (JSON.parse(execFileSync('/usr/bin/python3', [dark, png], { encoding: 'utf8' }).trim().split('\n').pop()!) as { dark: number }).dark / perUnit ** 2;

const form = (words: string, content: string) => `<< /Type /XObject /Subtype /Form ${words} /Length ${content.length} >>\nstream\n${content}\nendstream`;
const point = 25.4 / 72;
const onPage = '/XObject << /F 5 0 R >>';
const group = '/Group << /S /Transparency /I true >>';

/** Filled areas of a drawing in units, holes taken off by their direction. */
const areaOf = (d: Drawing, unit: number): number => Math.abs(contoursOf(d).reduce((n, c) => n + areaOfContour(c), 0)) / unit ** 2;

describe('pages, as poppler paints them', () => {
  const cases: [string, Buffer][] = [
    ['a form in a frame of its own', pdf('/F Do', onPage, [form('/BBox [0 0 50 50] /Matrix [1 0 0 1 100 0]', '10 10 20 20 re f')])],
    ['a form that reaches beyond its box', pdf('/F Do', onPage, [form('/BBox [0 0 50 50] /Matrix [1 0 0 1 100 0]', '10 10 80 20 re f')])],
    ['a transparency group in a frame of its own', pdf('/F Do', onPage, [form(`/BBox [0 0 50 50] /Matrix [1 0 0 1 100 0] ${group}`, '10 10 20 20 re f')])],
    ['a group that reaches beyond its box', pdf('/F Do', onPage, [form(`/BBox [0 0 50 50] /Matrix [1 0 0 1 100 0] ${group}`, '10 10 80 20 re f')])],
    ['a group turned and in a larger frame', pdf('2 0 0 2 10 10 cm /F Do', onPage, [form(`/BBox [0 0 50 50] /Matrix [0 1 -1 0 50 0] ${group}`, '0 0 20 10 re f')])],
    ['a group in a group', pdf('/F Do', onPage, [form(`/BBox [0 0 90 90] /Matrix [1 0 0 1 20 20] ${group} /Resources << /XObject << /F 6 0 R >> >>`, '/F Do'), form(`/BBox [0 0 40 40] /Matrix [1 0 0 1 30 0] ${group}`, '10 10 80 20 re f')])],
    ['what comes after a group is where it was', pdf('q /F Do Q 5 5 10 10 re f', onPage, [form(`/BBox [0 0 50 50] /Matrix [1 0 0 1 100 0] ${group}`, '10 10 20 20 re f')])],
    ['a clip', pdf('20 20 40 40 re W n 0 0 30 200 re f')],
    ['a clip by two rules: even-odd has a hole', pdf('20 20 100 100 re 40 40 20 20 re W* n 0 0 50 200 re f')],
    ['the same by non-zero has none', pdf('20 20 100 100 re 40 40 20 20 re W n 0 0 50 200 re f')],
    ['by non-zero with the inner way turned round it has one', pdf('20 20 100 100 re 40 40 m 40 60 l 60 60 l 60 40 l h W n 0 0 50 200 re f')],
    ['a shape within the hole of a clip shows nothing', pdf('20 20 100 100 re 40 40 40 40 re W* n 50 50 10 10 re f 25 25 10 10 re f')],
    ['a shape round the hole of a clip has it too', pdf('20 20 100 100 re 40 40 40 40 re W* n 30 30 70 70 re f')],
    ['two clips, one after the other', pdf('20 20 60 60 re W n 50 50 60 60 re W n 0 0 200 200 re f')],
    ['a clip ends with its state', pdf('q 20 20 10 10 re W n 0 0 25 200 re f Q 100 100 30 30 re f')],
    ['crossing ways by even-odd', pdf('20 20 60 60 re 50 50 60 60 re W* n 0 0 200 200 re f')],
    ['crossing ways by non-zero', pdf('20 20 60 60 re 50 50 60 60 re W n 0 0 200 200 re f')],
  ]; // prettier-ignore
  test.each(cases)('%s', async (name, bytes) => {
    const file = join(folder, 'page.pdf');
    writeFileSync(file, bytes);
    execFileSync('pdftoppm', ['-r', '288', '-png', '-singlefile', '-aa', 'no', '-aaVector', 'no', file, join(folder, 'page')]);
    const seen = darkArea(join(folder, 'page.png'), 4);
    const design = await readDesign(bytes, 'page.pdf', nodeKernels);
    const [{ geometry }] = design.parts;
    if (geometry.kind !== 'drawing') throw new Error(name);
    expect(seen).toBeGreaterThan(50);
    // Pixels on both sides of each edge are painted or not: less than a quarter of a point all round.
    expect(Math.abs(areaOf(geometry.drawing, point) - seen)).toBeLessThan(0.02 * seen + 10);
    expect(design.findings.concat(design.parts[0].findings).filter((f) => f.code === 'left-out')).toEqual([]);
  });
  test('a page whose file does not say where it ends is told; one that does, within its last kilobyte, is not', async () => {
    // Its trailer stands first, as in files for slow lines: the reader finds the page all the same.
    const whole = pdf('10 10 20 20 re f').toString('latin1');
    const first = whole.replace(
      '%PDF-1.7\n',
      '%PDF-1.7\ntrailer\n<< /Size 5 /Root 1 0 R >>\nstartxref\n0\n%%EOF\n% a comment, so that what was cut off is told from what comes first\n'.padEnd(2000),
    );
    const told = async (text: string) =>
      (await readDesign(Buffer.from(text, 'latin1'), 'a.pdf', nodeKernels)).parts[0].findings
        .concat((await readDesign(Buffer.from(text, 'latin1'), 'a.pdf', nodeKernels)).findings)
        .map((f) => f.code);
    expect(await told(whole)).not.toContain('no-end-of-file');
    expect(await told(`${whole}${'\n'.repeat(1000)}`)).not.toContain('no-end-of-file');
    expect(await told(first.slice(0, first.lastIndexOf('xref')))).toContain('no-end-of-file');
    expect(await told(`${whole}${'\n'.repeat(1030)}`)).toContain('no-end-of-file');
  });
  test('a form of a group is where its matrix puts it', async () => {
    const { parts } = await readDesign(cases[2][1], 'page.pdf', nodeKernels);
    const box = boxOfDrawing((parts[0].geometry as { drawing: Drawing }).drawing);
    expect(Array.from(box, (v) => v / point)).toEqual([110, 10, 130, 30].map((v) => expect.closeTo(v, 9)));
  });
  test('the shapes of a soft mask are not drawn, and the mask is told', async () => {
    const mask = form('/BBox [0 0 200 200] /Group << /S /Transparency /CS /DeviceGray >>', '1 g 0 0 100 200 re f');
    const bytes = pdf('/G gs 10 10 20 20 re f', '/ExtGState << /G << /SMask << /S /Luminosity /G 5 0 R >> >> >>', [mask]);
    const { parts, findings } = await readDesign(bytes, 'page.pdf', nodeKernels);
    expect(areaOf((parts[0].geometry as { drawing: Drawing }).drawing, point)).toBeCloseTo(400, 6);
    expect([...findings, ...parts[0].findings].map((f) => f.message).join(' ')).toContain('soft mask (what it hides is still there)');
  });
  test('only the line of a shape round a clip is outside: nothing of it is seen', async () => {
    const { parts } = await readDesign(pdf('50 50 20 20 re W n 10 10 150 150 re S 55 55 10 10 re f'), 'page.pdf', nodeKernels);
    const { drawing } = parts[0].geometry as { drawing: Drawing };
    expect(contoursOf(drawing)).toHaveLength(1);
    expect(areaOf(drawing, point)).toBeCloseTo(100, 6);
  });
});

describe('drawings, as librsvg paints them', () => {
  const svg = (inner: string) => `<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="200mm" viewBox="0 0 200 200">${inner}</svg>`;
  const seen = (text: string): number => {
    const png = execFileSync('/usr/bin/rsvg-convert', ['-w', '800', '-b', 'white'], { input: text, maxBuffer: 1e9 });
    writeFileSync(join(folder, 'svg.png'), png);
    return darkArea(join(folder, 'svg.png'), 4);
  };
  const ring = 'M20 20H120V120H20ZM40 40H80V80H40Z';
  const turned = 'M20 20H120V120H20ZM40 40V80H80V40Z';
  /** A clip path, and the shapes that it shows whole or not at all. */
  const cases: [string, string, string][] = [
    ['a ring by even-odd: in its hole nothing shows', `<clipPath id="c"><path clip-rule="evenodd" d="${ring}"/></clipPath>`, '<rect x="50" y="50" width="10" height="10"/><rect x="25" y="25" width="10" height="10"/>'],
    ['a ring by non-zero: it has no hole', `<clipPath id="c"><path d="${ring}"/></clipPath>`, '<rect x="50" y="50" width="10" height="10"/><rect x="25" y="25" width="10" height="10"/>'],
    ['a ring whose inner way is turned round', `<clipPath id="c"><path d="${turned}"/></clipPath>`, '<rect x="50" y="50" width="10" height="10"/><rect x="25" y="25" width="10" height="10"/>'],
    ['the rule by a style sheet', `<style>path{clip-rule:evenodd}</style><clipPath id="c"><path d="${ring}"/></clipPath>`, '<rect x="50" y="50" width="10" height="10"/><rect x="25" y="25" width="10" height="10"/>'],
    ['the rule of what is round it', `<g clip-rule="evenodd"><clipPath id="c"><path d="${ring}"/></clipPath></g>`, '<rect x="50" y="50" width="10" height="10"/><rect x="25" y="25" width="10" height="10"/>'],
    ['two shapes that overlap are one', '<clipPath id="c"><rect x="10" y="10" width="50" height="50"/><rect x="40" y="40" width="50" height="50"/></clipPath>', '<rect x="42" y="42" width="10" height="10"/><rect x="100" y="100" width="10" height="10"/>'],
    ['a copy at a place of its own', '<defs><rect id="r" x="0" y="0" width="30" height="30"/></defs><clipPath id="c"><use href="#r" x="100" y="50"/></clipPath>', '<rect x="105" y="55" width="10" height="10"/><rect x="5" y="5" width="10" height="10"/>'],
    ['a copy of a shape that is moved itself', '<defs><rect id="r" width="30" height="30" transform="translate(20 90)"/></defs><clipPath id="c"><use href="#r" x="100" y="0" transform="translate(0 5)"/></clipPath>', '<rect x="125" y="100" width="10" height="10"/><rect x="105" y="8" width="10" height="10"/>'],
    ['moved', '<clipPath id="c" transform="translate(100 0)"><rect x="0" y="0" width="60" height="60"/></clipPath>', '<rect x="110" y="10" width="10" height="10"/><rect x="10" y="10" width="10" height="10"/>'],
    ['of nothing: nothing shows but what is not clipped', '<clipPath id="c"/>', '<rect x="10" y="10" width="10" height="10"/>'],
    ['of a shape that is not displayed', '<clipPath id="c"><rect width="200" height="200" display="none"/><rect x="50" width="50" height="50"/></clipPath>', '<rect x="60" y="10" width="10" height="10"/><rect x="10" y="100" width="10" height="10"/>'],
  ]; // prettier-ignore
  test.each(cases)('%s', (_, clip, shapes) => {
    const text = svg(`${clip}<g clip-path="url(#c)">${shapes}</g><rect x="180" y="180" width="5" height="5"/>`);
    const { drawing, leftOut } = readSvg(Buffer.from(text));
    expect(areaOf(drawing, 1)).toBeCloseTo(seen(text), 0);
    expect(leftOut.filter((l) => l.what === 'clip path')).toEqual([]);
  });
  test('a clip path that is clipped itself lets through what both do (CSS Masking 1, 5.1; librsvg does not ask the other)', () => {
    const clips = '<clipPath id="d"><rect x="0" y="0" width="60" height="200"/></clipPath><clipPath id="c" clip-path="url(#d)"><rect x="0" y="0" width="200" height="60"/></clipPath>';
    const shapes = '<rect x="10" y="10" width="10" height="10"/><rect x="100" y="10" width="20" height="10"/><rect x="10" y="100" width="30" height="10"/>';
    expect(areaOf(readSvg(Buffer.from(svg(`${clips}<g clip-path="url(#c)">${shapes}</g>`))).drawing, 1)).toBeCloseTo(100, 9);
  }); // prettier-ignore
  test.each([
    ['text', '<clipPath id="c"><text x="10" y="50" font-size="50">A</text></clipPath>'],
    ['a shape that is clipped itself', '<clipPath id="d"><rect width="9" height="9"/></clipPath><clipPath id="c"><rect width="200" height="200" clip-path="url(#d)"/></clipPath>'],
    ['a copy of what is not there', '<clipPath id="c"><use href="#none"/></clipPath>'],
    ['itself', '<clipPath id="c" clip-path="url(#c)"><rect width="200" height="200"/></clipPath>'],
    ['nothing of that name', ''],
  ])('a clip path with %s: what it might cut away is still there, and that is told', (_, clip) => {
    const { drawing, leftOut } = readSvg(Buffer.from(svg(`${clip}<rect x="10" y="10" width="10" height="10" clip-path="url(#c)"/>`)));
    expect(areaOf(drawing, 1)).toBeCloseTo(100, 9);
    expect(leftOut).toContainEqual({ what: 'clip path', count: expect.any(Number), why: 'what it cuts away is still there' });
  }); // prettier-ignore
});

describe('by hand', () => {
  type P = [number, number];
  const rect = (x: number, y: number, w: number, h: number): Segment[] => {
    const p: P[] = [[x, y], [x + w, y], [x + w, y + h], [x, y + h]]; // prettier-ignore
    return p.map((a, i) => ({ kind: 'line', a, b: p[(i + 1) % 4] }));
  };
  const budget = () => ({ left: 1e6 });
  const frame = clipOf([{ chains: [rect(0, 0, 100, 100), rect(40, 40, 20, 20)], rule: 'evenodd' }]);
  test.each([
    ['beside the hole', rect(10, 10, 20, 20), 'all'],
    ['in the hole', rect(45, 45, 10, 10), 'nothing'],
    ['round the hole', rect(30, 30, 40, 40), 'part'],
    ['across the rim of the hole', rect(30, 45, 20, 10), 'part'],
    ['on the rim of the hole, outside', rect(20, 40, 20, 20), 'all'],
    ['on the rim of the hole, inside', rect(40, 40, 20, 20), 'all'],
    ['beyond', rect(120, 0, 10, 10), 'nothing'],
    ['with sides that cross the hole away from their middles', rect(5, 45, 60, 10), 'part'],
    ['over it all', rect(-10, -10, 120, 120), 'part'],
    ['as large as the clip', rect(0, 0, 100, 100), 'part'],
  ] as const)('a filled square %s: %s', (_, chain, what) => {
    expect(throughClip(frame, chain as Segment[], true, budget())).toBe(what);
  });
  test('of a line only its own way counts: round the hole all of it shows, round the clip nothing', () => {
    expect(throughClip(frame, rect(30, 30, 40, 40), false, budget())).toBe('all');
    expect(throughClip(frame, rect(-10, -10, 120, 120), false, budget())).toBe('nothing');
  });
  test('a budget that does not reach says so', () => expect(throughClip(frame, rect(10, 10, 20, 20), true, { left: 10 })).toBe('unasked'));
  test('two squares by both rules: overlaps count once, or are holes; areas by hand', () => {
    const rings = [rect(0, 0, 10, 10), rect(5, 5, 10, 10)] as Stroke[][];
    const area = (list: Stroke[][] | null) => list!.reduce((n, ring) => n + ring.reduce((m, s) => m + (s.kind === 'line' ? (s.a[0] * s.b[1] - s.b[0] * s.a[1]) / 2 : NaN), 0), 0); // prettier-ignore
    expect(area(unionOf(rings))).toBeCloseTo(175, 9);
    expect(area(unionOf(rings, 'evenodd'))).toBeCloseTo(150, 9);
    // Inside is on the left by both rules, whichever way the rings were drawn.
    const back = rings.map((ring) => [...ring].reverse().map((s) => ({ ...s, a: (s as { b: P }).b, b: (s as { a: P }).a }) as Stroke));
    expect(area(unionOf(back, 'evenodd'))).toBeCloseTo(150, 9);
    expect(area(unionOf([rings[0], rings[0]], 'evenodd'))).toBe(0);
  });
});
