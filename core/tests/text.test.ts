/**
 * Letters: shaped as Debian's hb-shape does, outlines as fontTools and shapely have them, heights as ezdxf has them; single lines point by point
 * as their file says; text as a design, its series, its plates, and what is wrong with it in a sentence.
 */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { zlibSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { main } from '../src/cli/main.ts';
import { areaOfContour, boxOfContour, contoursOf, lengthOfContour, type Contour } from '../src/curves/drawing.ts';
import { boxOfDrawing } from '../src/curves/drawing.ts';
import { areaUnder } from '../src/curves/measure.ts';
import { checkDrawing } from '../src/curves/check.ts';
import { readLineLetters } from '../src/text/single-line.ts';
import { openFace } from '../src/text/face.ts';
import { families, standIns } from '../src/text/fonts.ts';
import { lettered } from '../src/text/lettering.ts';
import { filledIn } from '../src/text/filled.ts';
import { setText } from '../src/text/layout.ts';
import { lettersOf } from '../src/text/letters.ts';
import { mostRuns, writingDrawn } from '../src/text/marks.ts';
import { nodeLetters } from '../src/text/node-files.ts';
import { richText } from '../src/formats/dxf/values.ts';
import { startOf, type P2 } from '../src/curves/segment.ts';
import { runsOf } from '../src/text/runs.ts';
import { unpacked } from '../src/text/unpack.ts';
import { usualPlate, usualText, type TextChoice } from '../src/text/choice.ts';
import { looksLikeText, readTextFile, textFile } from '../src/formats/text/file.ts';
import { usualChoices } from '../src/model/choices.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { readDesign } from '../src/pipeline/read.ts';

const here = dirname(fileURLToPath(import.meta.url));
const python = (args: string[], input?: string): unknown =>
  JSON.parse(
    execFileSync('/usr/bin/python3', [join(here, 'readers', 'letters.py'), ...args], {
      encoding: 'utf8',
      input,
      maxBuffer: 1e8,
      stdio: ['pipe', 'pipe', 'ignore'],
    }),
  );

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'letters-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Where each script's letters come from, and a language whose words are written in it. */
const scripts: [string, string, string, string][] = [
  ['Latin', 'de', '@fontsource-variable/source-sans-3', 'source-sans-3-latin-wght-normal.woff2'],
  ['Greek', 'el', '@fontsource-variable/source-sans-3', 'source-sans-3-greek-wght-normal.woff2'],
  ['Cyrillic', 'ru', '@fontsource-variable/source-sans-3', 'source-sans-3-cyrillic-wght-normal.woff2'],
  ['Arabic', 'ar', '@fontsource-variable/noto-sans-arabic', 'noto-sans-arabic-arabic-wght-normal.woff2'],
  ['Hebrew', 'he', '@fontsource-variable/noto-sans-hebrew', 'noto-sans-hebrew-hebrew-wght-normal.woff2'],
  ['Devanagari', 'hi', '@fontsource-variable/noto-sans-devanagari', 'noto-sans-devanagari-devanagari-wght-normal.woff2'],
  ['Bengali', 'bn', '@fontsource-variable/noto-sans-bengali', 'noto-sans-bengali-bengali-wght-normal.woff2'],
  ['Tamil', 'ta', '@fontsource-variable/noto-sans-tamil', 'noto-sans-tamil-tamil-wght-normal.woff2'],
  ['Thai', 'th', '@fontsource-variable/noto-sans-thai', 'noto-sans-thai-thai-wght-normal.woff2'],
  ['Georgian', 'ka', '@fontsource-variable/noto-sans-georgian', 'noto-sans-georgian-georgian-wght-normal.woff2'],
];

/** Names of countries, languages and currencies, as Unicode's own tables (CLDR) write them in a language. */
function wordsOf(language: string): string[] {
  const out = new Set<string>();
  const letters = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ';
  const regions = new Intl.DisplayNames(language, { type: 'region', fallback: 'none' });
  const languages = new Intl.DisplayNames(language, { type: 'language', fallback: 'none' });
  for (const a of letters)
    for (const b of letters) {
      const [region, tongue] = [regions.of(a + b), languages.of((a + b).toLowerCase())];
      if (region) out.add(region);
      if (tongue) out.add(tongue);
    }
  return [...out].slice(0, 130);
}

describe('shaping', () => {
  test.each(scripts)('%s: over 100 strings glyph by glyph as hb-shape sets them', async (_, language, from, file) => {
    const bytes = await nodeLetters.outlines(from, file);
    const face = await openFace(bytes, { wght: 400 });
    // What hb-shape is asked and what is asked here have only letters of the font, or spaces.
    const strings = wordsOf(language).filter((w) => [...w].every((c) => c === ' ' || face.has(c.codePointAt(0)!)));
    expect(strings.length).toBeGreaterThanOrEqual(100);
    const font = join(folder, `${language}.ttf`);
    writeFileSync(font, bytes);
    const list = join(folder, `${language}.txt`);
    writeFileSync(list, strings.join('\n'));
    const said = execFileSync('hb-shape', [font, `--text-file=${list}`, '--variations=wght=400', '--no-glyph-names', '--output-format=json'], {
      encoding: 'utf8',
      maxBuffer: 1e8,
    });
    const wanted = said.trim().split('\n').map((line) => JSON.parse(line) as { g: number; dx: number; dy: number; ax: number }[]); // prettier-ignore
    const back = ['ar', 'he'].includes(language);
    let same = 0;
    strings.forEach((text, i) => {
      let pen = 0;
      const line = wanted[i].map(({ g, dx, dy, ax }) => {
        const at = [g, pen + dx, dy];
        pen += ax;
        return at;
      });
      const { glyphs, width } = face.shape(text, back);
      if (JSON.stringify(glyphs.map((g) => [g.id, g.x, g.y])) === JSON.stringify(line) && width === pen) same++;
    });
    expect(same).toBe(strings.length);
  });
  test('a line of both directions is seen in the order of the bidirectional algorithm: UAX 9, a number within Hebrew stays left to right', async () => {
    const letters = await lettersOf(usualText, nodeLetters);
    if (letters.kind !== 'outlines') throw new TypeError('outlines');
    const { runs } = await runsOf('ab שלום 12 cd', letters.faces);
    // Logical: ab, Hebrew, 12, cd; seen in a line that begins from the left: ab, 12, Hebrew turned round, cd.
    expect(runs.map((r) => r.text.trim()).filter((t) => t !== '')).toEqual(['ab', '12', 'שלום', 'cd']);
    expect(runs.find((r) => r.text.includes('שלום'))!.back).toBe(true);
  });
  test('letters that the font lacks come of those that stand in, and are told; those that nobody has are told apart', async () => {
    const letters = await lettersOf(usualText, nodeLetters);
    const made = await setText({ ...usualText, words: 'A ש ✈' }, letters);
    expect(made.stoodIn).toEqual(['ש']);
    expect(made.missing).toEqual(['✈']);
    expect(made.letters).toBe(2);
    // A diameter is never lost: the letter that drawings use for it stands for it.
    const [diameter, letter] = [await setText({ ...usualText, words: '⌀12' }, letters), await setText({ ...usualText, words: 'Ø12' }, letters)];
    expect([diameter.missing, diameter.contours]).toEqual([[], letter.contours]);
  });
});

describe('outlines', () => {
  test('areas at 20 places of the weight axis as fontTools has them, within 1e-6', async () => {
    const bytes = await nodeLetters.outlines('@fontsource-variable/source-sans-3', 'source-sans-3-latin-wght-normal.woff2');
    const font = join(folder, 'sans.ttf');
    writeFileSync(font, bytes);
    const areas = python(['areas', font, 'wght']) as Record<string, [number, [number, number]][]>;
    expect(Object.keys(areas).length).toBeGreaterThan(8);
    let worst = 0;
    for (let i = 0; i < 20; i++) {
      const at = Object.values(areas)[0][i][0];
      const face = await openFace(bytes, { wght: at });
      for (const [letter, list] of Object.entries(areas)) {
        const rings = face.outline(face.shape(letter, false).glyphs[0].id).rings;
        const area = rings.flat().reduce((sum, s) => sum + areaUnder(s), 0);
        worst = Math.max(worst, Math.min(...list[i][1].map((wanted) => Math.abs(area - wanted) / wanted)));
      }
    }
    expect(worst).toBeLessThan(1e-6);
  });
  test('size: H, x or the whole line is exactly as asked', async () => {
    const boxOf = async (choice: Partial<TextChoice>, words: string) => {
      const made = await setText({ ...usualText, ...choice, words }, await lettersOf({ ...usualText, ...choice }, nodeLetters));
      return [made.box[2] - made.box[0], made.box[3] - made.box[1]];
    };
    for (const font of ['sans', 'slab', 'line']) {
      expect((await boxOf({ font, size: { by: 'cap', mm: 7.5 } }, 'H'))[1]).toBeCloseTo(7.5, 9);
      expect((await boxOf({ font, size: { by: 'low', mm: 4.2 } }, 'x'))[1]).toBeCloseTo(4.2, 9);
      expect((await boxOf({ font, size: { by: 'width', mm: 61 } }, 'Kite\nwind station'))[0]).toBeCloseTo(61, 9);
      expect((await boxOf({ font, size: { by: 'width', mm: 61 }, spacing: 1.5 }, 'wind station'))[0]).toBeCloseTo(61, 9);
    }
  });
  test('letters of a script that joins are one contour where they overlap; tight Latin letters too', async () => {
    const count = async (words: string, spacing = 0) =>
      (await setText({ ...usualText, words, spacing }, await lettersOf(usualText, nodeLetters))).contours.length;
    // Beh twice: two letters joined by one stroke, and two dots.
    expect(await count('بب')).toBe(3);
    expect(await count('HH')).toBe(2);
    expect(await count('HH', -5)).toBe(1);
    // A tail of one line reaches into the marks of the next: what overlaps is one there too, and nothing crosses.
    const close = await setText({ ...usualText, words: 'gjpq\nÅÄÖÉ', line: 1 }, await lettersOf(usualText, nodeLetters));
    const check = checkDrawing({ layers: [{ name: '', colour: null, lineType: '', contours: close.contours }], texts: [], points: [] });
    expect([check.crossings.length, check.overlaps.length, check.zero.length]).toEqual([0, 0, 0]);
    expect(close.contours.length).toBeLessThan((await count('gjpq')) + (await count('ÅÄÖÉ')));
  });
  test('on a circle: the base line keeps its radius, outside and inside; mirrored text is turned over', async () => {
    const radius = 40;
    for (const inside of [false, true]) {
      const made = await setText({ ...usualText, words: 'HHHHH', path: { kind: 'arc', radius, inside } }, await lettersOf(usualText, nodeLetters));
      const far = made.contours.flatMap((c) => c.segments.flatMap((s) => (s.kind === 'line' ? [Math.hypot(...s.a)] : [])));
      // The feet of H stand on the base line but for the chord of a straight foot; its head is one height farther out, or in.
      const [low, high] = [Math.min(...far), Math.max(...far)];
      expect(inside ? high : low).toBeCloseTo(radius, 0);
      expect(inside ? low : high).toBeCloseTo(inside ? radius - 10 : radius + 10, 0);
      expect(made.box[1] > 0).toBe(!inside);
    }
    const plain = await setText({ ...usualText, words: 'F' }, await lettersOf(usualText, nodeLetters));
    const over = await setText({ ...usualText, words: 'F', mirrored: true }, await lettersOf(usualText, nodeLetters));
    expect(over.box[2]).toBeCloseTo(-plain.box[0], 12);
    expect(areaOfContour(over.contours[0])).toBeCloseTo(areaOfContour(plain.contours[0]), 9);
  });
  test('every family and every stand-in opens and draws', async () => {
    for (const { package: from, files } of families)
      if (from) for (const file of files!) expect((await openFace(await nodeLetters.outlines(from, file))).cap).toBeGreaterThan(0);
    for (const { package: from, file } of standIns) expect((await openFace(await nodeLetters.outlines(from, file))).upem).toBe(1000);
  });
  test('the stencil family has no inside that falls out', async () => {
    for (const font of ['stencil', 'stencil-bold']) {
      const letters = await lettersOf({ font, axes: {} }, nodeLetters);
      const { contours } = await setText({ ...usualText, words: 'ABDOPQRabdegopq0469&' }, letters);
      expect(contours.filter((c) => areaOfContour(c) < 0).length).toBe(0);
    }
  });
});

describe('single lines', () => {
  test.each(families.filter((f) => f.strokes).map((f) => f.strokes!))('%s: every letter has the points of its record, in mm of its height', (name) => {
    const text = readFileSync(join(here, '..', 'letters', `${name}.jhf`), 'latin1');
    const lines = readLineLetters(text);
    expect(lines.cap).toBeGreaterThan(15);
    // Read once more by columns, as the format's description says: 5 for a number, 3 for how many pairs, then pairs.
    const records = text.replace(/\r/g, '').split('\n').filter((r) => r.length > 8); // prettier-ignore
    expect(records.length).toBe(96);
    records.forEach((record, i) => {
      const pairs = Number(record.slice(5, 8));
      const all = Array.from({ length: pairs - 1 }, (_, k) => record.slice(10 + k * 2, 12 + k * 2));
      const letter = lines.letter(String.fromCharCode(32 + i))!;
      const points = letter.ways.flat();
      expect(points.length).toBe(all.filter((p) => p !== ' R').length);
      expect(letter.width).toBe(record.charCodeAt(9) - record.charCodeAt(8));
      if (points.length > 0) expect(points[0]).toEqual([all[0].charCodeAt(0) - record.charCodeAt(8), 9 - (all[0].charCodeAt(1) - 82)]);
    });
  });
  test('signs of measures and letters with marks are there: ° ± × ⌀ Ø ² é Å ñ ç ž; one without parts is told', async () => {
    const letters = await lettersOf({ font: 'line', axes: {} }, nodeLetters);
    const made = await setText({ ...usualText, words: '°±×⌀Ø²éÅñçžß–Æœ' }, letters);
    expect(made.missing).toEqual([]);
    expect(made.contours.length).toBeGreaterThan(20);
    expect((await setText({ ...usualText, words: 'é' }, letters)).box[3]).toBeGreaterThan((await setText({ ...usualText, words: 'e' }, letters)).box[3]);
    expect((await setText({ ...usualText, words: 'aش' }, letters)).missing).toEqual(['ش']);
  });
  test('lines of a letter that go on are drawn in one: L and 4 need one and two', async () => {
    const letters = await lettersOf({ font: 'line', axes: {} }, nodeLetters);
    const count = async (words: string) => (await setText({ ...usualText, words }, letters)).contours.length;
    expect([await count('L'), await count('H')]).toEqual([1, 3]);
  });
});

describe('writing in files', () => {
  const drawn = async (name: string, writing: 'leave' | 'outlines' | 'single-line') =>
    readDesign(readFileSync(join(folder, name)), name, nodeKernels, { ...usualChoices, writing });
  const layer = (contours: Contour[]) => {
    const boxes = contours.map(boxOfContour);
    return [Math.min(...boxes.map((b) => b[0])), Math.min(...boxes.map((b) => b[1])), Math.max(...boxes.map((b) => b[2])), Math.max(...boxes.map((b) => b[3]))];
  };
  test('DXF TEXT: H is as high as the file says and as ezdxf draws it, within 1e-6, as outlines and as single lines', async () => {
    const { heights, measured } = python(['text', folder]) as { heights: number[]; measured: (number | null)[] };
    for (const as of ['outlines', 'single-line'] as const) {
      const { parts, findings } = await drawn('texts.dxf', as);
      if (parts[0].geometry.kind !== 'drawing') throw new TypeError('a drawing');
      const all = parts[0].geometry.drawing.layers.find((l) => l.name === 'engrave')!.contours;
      heights.forEach((h, i) => {
        const own = layer(all.filter((c) => Math.abs(boxOfContour(c)[1] - 40 * i) < 1e-6 && boxOfContour(c)[0] < 90));
        expect(Math.abs(own[3] - own[1] - (measured[i] ?? h))).toBeLessThan(1e-6);
      });
      expect(findings.find((f) => f.code === 'writing-drawn')?.severity).toBe('look');
      expect(findings.map((f) => f.code)).not.toContain('texts');
    }
  });
  test('alignment, fit, turn, paragraphs and their width stand where the DXF Reference puts them', async () => {
    const { parts } = await drawn('texts.dxf', 'outlines');
    if (parts[0].geometry.kind !== 'drawing') throw new TypeError('a drawing');
    const all = parts[0].geometry.drawing.layers.find((l) => l.name === 'engrave')!.contours;
    const within = (l: number, b: number, r: number, t: number) =>
      layer(all.filter((c) => { const k = boxOfContour(c); return k[0] >= l && k[1] >= b && k[2] <= r && k[3] <= t; })); // prettier-ignore
    const middle = within(80, -10, 120, 8);
    expect([(middle[1] + middle[3]) / 2, middle[3] - middle[1]]).toEqual([expect.closeTo(0, 6), expect.closeTo(4, 6)]);
    expect((middle[0] + middle[2]) / 2).toBeCloseTo(100, 0);
    expect(within(80, 10, 101, 30)[3]).toBeCloseTo(20, 6);
    const fit = within(95, 35, 170, 50);
    expect([fit[0], fit[2], fit[3] - fit[1]]).toEqual([expect.closeTo(100, 0), expect.closeTo(160, 0), expect.closeTo(4, 6)]);
    const turned = within(190, -5, 210, 30);
    expect(turned[2] - turned[0]).toBeCloseTo(4, 6);
    const lines = within(95, 80, 140, 101);
    expect([lines[3], lines[3] - lines[1]]).toEqual([expect.closeTo(100, 6), expect.closeTo(5 + (5 * 5) / 3, 6)]);
    const wrapped = within(95, 150, 140, 201);
    expect(wrapped[2] - wrapped[0]).toBeLessThan(30);
    expect(wrapped[3] - wrapped[1]).toBeGreaterThan(5 + 5);
  });
  test('left as writing it is told in every file; SVG text has the size of its em, its anchor and its own places', async () => {
    expect((await drawn('texts.dxf', 'leave').catch((e: Error) => e)) as Error).toMatchObject({ code: 'nothing-drawn' });
    const svg = (inner: string) =>
      `<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="50mm" viewBox="0 0 100 50"><rect width="100" height="50" fill="none" stroke="red"/>${inner}</svg>`;
    writeFileSync(
      join(folder, 'a.svg'),
      svg(
        '<text x="50" y="25" font-size="10" text-anchor="middle">HH</text><g transform="translate(10 40) rotate(-90)"><text font-size="5">H<tspan x="20">H</tspan></text></g>',
      ),
    );
    const left = await drawn('a.svg', 'leave');
    expect(left.parts[0].summary.lost?.map((f) => f.code)).toEqual(['texts']);
    const { parts } = await drawn('a.svg', 'outlines');
    expect(parts[0].summary.lost).toBeUndefined();
    if (parts[0].geometry.kind !== 'drawing') throw new TypeError('a drawing');
    const boxes = parts[0].geometry.drawing.layers.find((l) => l.name === 'engrave')!.contours.map(boxOfContour);
    // How high H is in a thousand of its em, by hb-shape.
    const font = join(folder, 'em.ttf');
    writeFileSync(font, await nodeLetters.outlines('@fontsource-variable/source-sans-3', 'source-sans-3-latin-wght-normal.woff2'));
    const extents = execFileSync('hb-shape', [font, 'H', '--variations=wght=400', '--show-extents', '--no-glyph-names'], { encoding: 'utf8' });
    const high = -Number(/<[-\d]+,[-\d]+,[-\d]+,([-\d]+)>/.exec(extents)![1]) / 1000;
    const [a, b] = boxes.filter((k) => k[1] > 24 && k[3] < 33);
    expect(Math.abs(a[3] - a[1] - 10 * high)).toBeLessThan(0.01);
    expect((a[0] + b[2]) / 2).toBeCloseTo(50, 1);
    const turned = boxes.filter((k) => k[2] < 11);
    expect(turned.length).toBe(2);
    expect(turned[1][1] - turned[0][1]).toBeCloseTo(20, 6);
  });
});

describe('looks within a text, and text along a line', () => {
  const read = async (name: string, text: string) => {
    const design = await readDesign(Buffer.from(text), name, nodeKernels, { ...usualChoices, writing: 'outlines' });
    if (design.parts[0].geometry.kind !== 'drawing') throw new TypeError('a drawing');
    return { design, letters: design.parts[0].geometry.drawing.layers.find((l) => l.name === 'engrave')!.contours };
  };
  const svg = (inner: string) =>
    `<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="100mm" viewBox="0 0 200 100"><path d="M0 99H1" stroke="red"/>${inner}</svg>`;
  const heightOf = (c: Contour) => boxOfContour(c)[3] - boxOfContour(c)[1];
  const widthOf = (c: Contour) => boxOfContour(c)[2] - boxOfContour(c)[0];

  test('MTEXT: height, share of height, width, slant; braces bring back what was; as ezdxf parts it', async () => {
    const content = 'H{\\H0.5x;H}\\W2;H\\W1;\\Q30;H\\Q0;\\PH\\H8;H';
    const { parts, file } = python(['mtext', folder, content]) as { parts: { text: string; height: number; width: number; oblique: number; x: number; y: number }[]; file: string }; // prettier-ignore
    const { letters } = await read('m.dxf', readFileSync(file, 'utf8'));
    expect(letters.length).toBe(parts.length);
    const plain = widthOf(letters[0]);
    parts.forEach((wanted, i) => {
      expect(heightOf(letters[i])).toBeCloseTo(wanted.height, 6);
      // H is as wide as its share of height and of width says, and a slant adds its tangent times the height.
      expect(widthOf(letters[i])).toBeCloseTo((plain * wanted.width * wanted.height) / 4 + Math.tan((wanted.oblique * Math.PI) / 180) * wanted.height, 6);
    });
    // Letters of one line follow each other on one base line; the next line's base line as far under it as ezdxf puts it.
    const lows = letters.map((c) => boxOfContour(c)[1]);
    expect(new Set(lows.slice(0, 4).map((v) => v.toFixed(6))).size).toBe(1);
    expect(lows[3] - lows[4]).toBeCloseTo(parts[3].y - parts[5].y, 2);
    for (let k = 1; k < 4; k++) expect(boxOfContour(letters[k])[0]).toBeGreaterThan(boxOfContour(letters[k - 1])[2] - 1);
  });
  test('codes: each gives the plain text that it always gave, whatever its looks', () => {
    const plain = (t: string) => richText(t, 5).map((r) => r.text).join(''); // prettier-ignore
    for (const [coded, wanted] of [
      ['a\\Pb', 'a\nb'],
      ['{\\fArial|b0;x} \\C1;y', 'x y'],
      ['\\S1^2;', '1/2'],
      ['\\S3#4;mm', '3/4mm'],
      ['\\\\ \\{ \\}', '\\ { }'],
      ['a\\~b\\Lc\\l', 'a bc'],
      ['%%c12 %%d %%P', '⌀12 ° ±'],
      ['\\Hx;a\\H0;b\\Habc;c', 'abc'],
      ['tail \\H2.5', 'tail \\H2.5'],
      ['}}}a{{{b', 'ab'],
      ['C:\\temp\\mast; x', 'C:\\temp x'],
      ['  \\H2x;  ', ''],
    ])
      expect(plain(coded)).toBe(wanted);
    expect(richText('M6 {\\H0.7x;deep} x', 5)).toEqual([{ text: 'M6 ', size: 1 }, { text: 'deep', size: 0.7 }, { text: ' x', size: 1 }]); // prettier-ignore
    expect(richText('\\H10;a', 5)).toEqual([{ text: 'a', size: 2 }]);
    // Many backslashes and no semicolon: as they are, soon.
    const long = '\\q'.repeat(200_000);
    expect(plain(long)).toBe(long);
  });
  test('lines of several looks are broken between words only, within their width', async () => {
    const { file } = python(['mtext', folder, 'one {\\H2x;two} three four {\\H0.5x;five} six', '30']) as { file: string };
    const { letters } = await read('m.dxf', readFileSync(file, 'utf8'));
    const whole = letters.map(boxOfContour);
    const left = Math.min(...whole.map((b) => b[0]));
    expect(Math.max(...whole.map((b) => b[2])) - left).toBeLessThan(30);
    const lows = [...new Set(whole.map((b) => Math.round(b[1] / 4)))];
    expect(lows.length).toBeGreaterThan(1);
  });
  test('a text of 1,000 looks is drawn, of 1,001 it stays writing, which is told', async () => {
    for (const [looks, left] of [
      [mostRuns, 0],
      [mostRuns + 1, 1],
    ]) {
      const runs = Array.from({ length: looks }, (_, i) => ({ text: 'I', size: i % 2 === 0 ? 1 : 0.5 }));
      const mark = { layer: 'L', at: [0, 0] as P2, height: 4, angle: 0, text: 'I'.repeat(looks), runs };
      const { drawing } = await writingDrawn({ layers: [], texts: [mark], points: [] }, 'single-line', nodeLetters);
      expect([drawing.texts.length, contoursOf(drawing).length]).toEqual([left, left === 1 ? 0 : looks]);
    }
  });
  test('SVG: a tspan of another size in a line stands on its base line at its own height', async () => {
    const { letters } = await read('t.svg', svg('<text x="10" y="50" font-size="10">H<tspan font-size="20">H</tspan>H</text>'));
    expect(letters.length).toBe(3);
    expect(heightOf(letters[1]) / heightOf(letters[0])).toBeCloseTo(2, 9);
    expect(heightOf(letters[2]) / heightOf(letters[0])).toBeCloseTo(1, 9);
    for (const c of letters) expect(boxOfContour(c)[1]).toBeCloseTo(50, 6);
  });
  test('SVG: white space between and within tspans is one space, none at the ends', async () => {
    const spaced = await read('t.svg', svg('<text x="10" y="50" font-size="10">  H  <tspan font-size="20">  H </tspan>  </text>'));
    const single = await read('t.svg', svg('<text x="10" y="50" font-size="10">H <tspan font-size="20">H</tspan></text>'));
    expect(spaced.letters.map(boxOfContour)).toEqual(single.letters.map(boxOfContour));
  });
  test('SVG: on a circle letters stand on it, upright to it, begin where it is said and are told when they do not fit', async () => {
    const path = '<defs><path id="w" d="M 20 60 A 60 60 0 0 1 140 60"/></defs>';
    const on = async (attributes: string, words = 'HHH', size = 8) => read('c.svg', svg(`${path}<text font-size="${size}" ${attributes.includes('anchor') ? 'text-anchor="middle"' : ''}><textPath href="#w" ${attributes.replace('anchor', '')}>${words}</textPath></text>`)); // prettier-ignore
    const { letters, design } = await on('anchor startOffset="50%"');
    expect(design.findings.map((f) => f.code)).not.toContain('text-past-contour');
    // The circle's middle is (80, 40) with y up; the base line's middle of each letter lies on it, all feet within the sagitta of half a letter.
    const centre: P2 = [80, 40];
    expect(letters.length).toBe(3);
    for (const c of letters) {
      const radii = c.segments.map((s) => Math.hypot(startOf(s)[0] - centre[0], startOf(s)[1] - centre[1]));
      expect(Math.min(...radii)).toBeGreaterThan(59.99);
      expect(Math.min(...radii)).toBeLessThan(60.2);
    }
    // In the middle: the second letter is upright at the top.
    const [l, b, r] = boxOfContour(letters[1]);
    expect([(l + r) / 2, b]).toEqual([expect.closeTo(80, 1), expect.closeTo(100, 2)]);
    // A quarter of the way along, as a share and as a length.
    const share = await on('startOffset="25%"');
    const length = await on(`startOffset="${15 * Math.PI}"`);
    share.letters.forEach((c, i) => boxOfContour(c).forEach((v, k) => expect(v).toBeCloseTo(boxOfContour(length.letters[i])[k], 6)));
    const long = await on('startOffset="75%"', 'HHHHHHHHHHHH', 14);
    expect(long.design.findings.find((f) => f.code === 'text-past-contour')).toMatchObject({ severity: 'look', count: 1 });
    expect(long.letters.length).toBe(12);
    // On the other side it runs back, within the circle.
    const other = await on('side="right" anchor startOffset="50%"');
    for (const c of other.letters)
      expect(Math.max(...c.segments.map((s) => Math.hypot(startOf(s)[0] - centre[0], startOf(s)[1] - centre[1])))).toBeLessThan(60.2);
  });
  test('SVG: what the line or the text is moved by counts; a line that is not there is told', async () => {
    const moved = await read('c.svg', svg('<defs><path id="w" d="M 0 0 H 100" transform="translate(5 0)"/></defs><g transform="translate(10 60) rotate(-90) scale(2)"><text font-size="5"><textPath href="#w">H</textPath></text></g>')); // prettier-ignore
    // In the line's frame H stands on y = 0 from x = 5 on; turned upward and doubled: its foot on x = 10, at least 10 above y = 40.
    const [l, b, r] = boxOfContour(moved.letters[0]);
    expect(r).toBeCloseTo(10, 6);
    expect(r - l).toBeCloseTo(2 * heightOf((await read('u.svg', svg('<text x="0" y="50" font-size="5">H</text>'))).letters[0]), 6);
    expect(b).toBeGreaterThan(40 + 2 * 5);
    const none = await read('c.svg', svg('<text x="3" y="9" font-size="5">A<textPath href="#nowhere">B</textPath></text>'));
    expect(none.design.leftOut?.map((x) => x.what)).toContain('text along a line');
  });
});

describe('text as a design', () => {
  const made = (choice: Partial<TextChoice>) => lettered({ ...usualText, ...choice }, nodeLetters);
  test('a plate: its outline, its holes and the text in its middle', async () => {
    const { drawing, findings } = await made({ words: 'WS-1', plate: { ...usualPlate, width: 80, height: 30, radius: 4, holes: 2, diameter: 4, inset: 6 } });
    expect(findings).toEqual([]);
    expect(boxOfDrawing(drawing)).toEqual([0, 0, 80, 30]);
    const [plate, holes, text] = ['Plate', 'Holes', 'Text'].map((n) => drawing.layers.find((l) => l.name === n)!.contours);
    // By hand: a rectangle less the corners beyond four quarters of a circle.
    expect(areaOfContour(plate[0])).toBeCloseTo(80 * 30 - (4 - Math.PI) * 16, 9);
    expect(holes.map(boxOfContour)).toEqual([[4, 13, 8, 17], [72, 13, 76, 17]]); // prettier-ignore
    const boxes = text.map(boxOfContour);
    expect((Math.min(...boxes.map((k) => k[0])) + Math.max(...boxes.map((k) => k[2]))) / 2).toBeCloseTo(40, 9);
  });
  test('letters heaped on each other without end are a stop, soon', async () => {
    expect((await made({ words: 'S8&@'.repeat(150), spacing: -6.2 })).findings.map((f) => f.code)).toEqual(['letters-overlap']);
    expect((await made({ words: 'S8&@', spacing: -1 })).findings).toEqual([]);
  });
  test('text just within its plate, and just beyond; into a hole, and just not', async () => {
    const wide = (w: number, plate: Partial<typeof usualPlate>) =>
      made({ words: 'HH', size: { by: 'width', mm: w }, plate: { ...usualPlate, width: 60, height: 60, radius: 0, ...plate } }).then((l) =>
        l.findings.map((f) => f.code),
      );
    expect(await wide(59.9, {})).toEqual([]);
    expect(await wide(60.1, {})).toEqual(['text-beyond-plate']);
    const holes = { holes: 2 as const, diameter: 4, inset: 5 };
    expect(await wide(45.9, holes)).toEqual([]);
    expect(await wide(46.2, holes)).toEqual(['text-at-holes']);
    await expect(wide(10, { holes: 2, diameter: 4, inset: 2 })).rejects.toThrow(/break out/);
    expect(await wide(10, { holes: 2, diameter: 4, inset: 2.1 })).toEqual([]);
    await expect(wide(10, { radius: 30.1 })).rejects.toThrow(/do not fit/);
  });
  test('insides that fall out of a cut plate are told; stencil letters have none', async () => {
    const codes = async (font: string) => (await made({ words: 'BOA', font, meaning: 'cut', plate: usualPlate })).findings.map((f) => f.code);
    expect(await codes('sans')).toEqual(['counters-fall-out']);
    expect(await codes('stencil')).toEqual([]);
  });
  test('as a file: read again it is the same drawing; a series is one part a row, rows without words are told', async () => {
    const choice: TextChoice = { ...usualText, words: '{Rope} {Metres} m' };
    const bytes = new TextEncoder().encode(textFile({ choice, series: { columns: ['Rope', 'Metres'], rows: [['G-1', '12'], ['G-2', '7'], ['G-2', '9']] } })); // prettier-ignore
    expect(looksLikeText(bytes)).toBe(true);
    const told: [number, string][] = [];
    const { parts } = await readDesign(bytes, 'tags.lettering', { ...nodeKernels, progress: (share, what) => told.push([share, what]) });
    expect(told).toEqual([[0, 'drawing 1 of 3'], [1 / 3, 'drawing 2 of 3'], [2 / 3, 'drawing 3 of 3']]); // prettier-ignore
    expect(parts.map((p) => p.summary.name)).toEqual(['G-1', 'G-2', 'G-2 (2)']);
    expect(parts.map((p) => p.summary.lettered!.choice.words)).toEqual(['G-1 12 m', 'G-2 7 m', 'G-2 9 m']);
    const beyond = new TextEncoder().encode(textFile({ choice: { ...choice, words: 'far too wide for it', plate: usualPlate } }));
    const [{ summary, findings }] = (await readDesign(beyond, 'Name plate.lettering', nodeKernels)).parts;
    expect([summary.name, findings.filter((f) => f.severity === 'stop').map((f) => f.code)]).toEqual(['Name plate', ['text-beyond-plate']]);
    const alone = await made({ words: 'G-1 12 m' });
    expect(parts[0].summary.drawing!.length).toBeCloseTo(
      contoursOf(alone.drawing).reduce((n, c) => n + lengthOfContour(c), 0),
      9,
    );
    const some = new TextEncoder().encode(textFile({ choice: { ...choice, words: '{Rope}' }, series: { columns: ['Rope'], rows: [['A'], ['']] } }));
    expect((await readDesign(some, 'a.lettering', nodeKernels)).findings.map((f) => f.code)).toEqual(['rows-empty']);
    expect(filledIn('{A}{B}{A}', { columns: ['A', 'B'], rows: [] }, ['1', '{A}'])).toBe('1{A}1');
  });
  test('what is wrong has a sentence: no words, a letter nobody has, a file cut short', async () => {
    await expect(made({ words: '   ' })).rejects.toThrow(/no letter/);
    await expect(made({ words: '✈' })).rejects.toThrow(/✈/);
    expect((await made({ words: 'A✈' })).findings).toMatchObject([{ code: 'letters-missing', severity: 'stop' }]);
    expect(() => readTextFile(new TextEncoder().encode('{"lettering": {'))).toThrow(/not whole/);
    expect(() => readTextFile(new TextEncoder().encode(textFile({ choice: { ...usualText, words: '' } })))).toThrow(/letter/);
    expect(() => readTextFile(new TextEncoder().encode(textFile({ choice: { ...usualText, words: 'a', line: 0.49 } })))).toThrow(/0.5/);
    expect(readTextFile(new TextEncoder().encode(textFile({ choice: { ...usualText, words: 'a', line: 0.5 } }))).choice.line).toBe(0.5);
  });
  test('fonts of one’s own: damaged, pictures instead of outlines, packed either way', async () => {
    const plain = await nodeLetters.outlines('@fontsource/stardos-stencil', 'stardos-stencil-latin-400-normal.woff2');
    const own = async (bytes: Uint8Array) => made({ words: 'Kite', font: 'own', own: { name: 'mine', data: Buffer.from(bytes).toString('base64') } });
    const usual = await made({ words: 'Kite', font: 'stencil' });
    const area = (l: Awaited<ReturnType<typeof made>>) => contoursOf(l.drawing).reduce((n, c) => n + areaOfContour(c), 0);
    expect(area(await own(plain))).toBe(area(usual));
    // WOFF by hand: each table packed alone. Source: W3C WOFF 1.0.
    expect(Buffer.from(await unpacked(woffOf(plain))).length).toBe(plain.length);
    expect(area(await own(woffOf(plain)))).toBe(area(usual));
    await expect(own(plain.subarray(0, 200))).rejects.toThrow(/can't be read/);
    await expect(own(plain.subarray(0, plain.length - 4000))).rejects.toThrow(/reaches beyond/);
    await expect(own(new TextEncoder().encode('no font at all'))).rejects.toThrow(/first bytes/);
    const noOutlines = Buffer.from(plain);
    const at = noOutlines.indexOf('glyf');
    noOutlines.write('EBDT', at);
    await expect(own(noOutlines)).rejects.toThrow(/no outlines/);
    await expect(unpacked(Buffer.from('wOF2 and nothing after it that could be a font, but long enough'))).rejects.toThrow(/cut off/);
  });
});

/** A font packed table by table. */
function woffOf(plain: Uint8Array): Uint8Array {
  const view = new DataView(plain.buffer, plain.byteOffset);
  const count = view.getUint16(4);
  const tables = Array.from({ length: count }, (_, i) => {
    const at = 12 + i * 16;
    const data = plain.subarray(view.getUint32(at + 8), view.getUint32(at + 8) + view.getUint32(at + 12));
    const packed = zlibSync(data);
    return { tag: view.getUint32(at), sum: view.getUint32(at + 4), data, packed: packed.length < data.length ? packed : data };
  });
  let end = 44 + count * 20;
  const starts = tables.map((t) => { const at = end; end += (t.packed.length + 3) & ~3; return at; }); // prettier-ignore
  const out = new Uint8Array(end);
  const into = new DataView(out.buffer);
  out.set(new TextEncoder().encode('wOFF'));
  into.setUint32(4, view.getUint32(0));
  into.setUint32(8, end);
  into.setUint16(12, count);
  into.setUint32(16, plain.length);
  tables.forEach((t, i) => {
    const at = 44 + i * 20;
    for (const [k, v] of [t.tag, starts[i], t.packed.length, t.data.length, t.sum].entries()) into.setUint32(at + k * 4, v);
    out.set(t.packed, starts[i]);
  });
  return out;
}

describe('the command line', () => {
  const run = async (...args: string[]) => {
    const said: string[] = [];
    const code = await main(args, (t) => said.push(t), () => {}); // prettier-ignore
    return {
      code,
      json: JSON.parse(said.join('') || '{}') as { error: { message: string }; written: { file: string; letters: number; cap: number; verdict: string }[] },
    };
  };
  test('text: outlines, a list, a solid; two sizes and letters that nobody has are refused', async () => {
    const out = join(folder, 'out');
    const one = await run('text', 'Kite 42', '--cap', '8', '--format', 'svg', '--out', out, '--json');
    expect([one.code, one.json.written[0].letters, one.json.written[0].verdict]).toEqual([0, 6, 'clear']);
    expect(one.json.written[0].cap).toBeCloseTo(8, 9);
    const list = join(folder, 'list.csv');
    writeFileSync(list, '\ufeffTag\nA\nB\n');
    expect((await run('text', 'No {Tag}', '--list', list, '--out', join(folder, 'tags'), '--json')).json.written.length).toBe(2);
    expect(readdirSync(join(folder, 'tags')).length).toBe(2);
    const solid = await run('text', 'I', '--thickness', '2', '--format', 'stl', '--font', 'slab', '--out', out, '--json');
    expect(solid.json.written[0].file.endsWith('.stl')).toBe(true);
    expect((await run('text', 'a', '--cap', '3', '--width', '9', '--out', out, '--json')).code).not.toBe(0);
    expect((await run('text', '✈', '--out', out, '--json')).code).not.toBe(0);
  });
  test('a list by several threads gives the same files as by one, in the order of its rows', async () => {
    const rows = Array.from({ length: 61 }, (_, i) => `T${i + 1}`);
    const list = join(folder, 'many.csv');
    writeFileSync(list, `Tag\n${rows.join('\n')}\n`);
    const asked = ['text', '{Tag}', '--list', list, '--format', 'svg', '--json', '--out'];
    const many = (await run(...asked, join(folder, 'many'))).json as { written: { file: string; verdict: string }[] };
    // Lists that are too short for a second thread, into one folder.
    const one: string[] = [];
    for (const share of [rows.slice(0, 30), rows.slice(30)]) {
      writeFileSync(list, `Tag\n${share.join('\n')}\n`);
      one.push(...(await run(...asked, join(folder, 'one'))).json.written.map((w: { file: string }) => basename(w.file)));
    }
    expect(many.written.map((w) => basename(w.file))).toEqual(one);
    expect(many.written.every((w) => w.verdict === 'clear')).toBe(true);
    for (const { file } of many.written) expect(readFileSync(file).equals(readFileSync(join(folder, 'one', basename(file))))).toBe(true);
    // A row that can't be made ends it with its sentence.
    writeFileSync(list, `Tag\n✈\n${rows.join('\n')}\n`);
    expect((await run(...asked, join(folder, 'bad'))).json.error.message).toMatch(/✈/);
  });
  test('a known width names the factor: points that were read as millimetres', async () => {
    writeFileSync(
      join(folder, 'points.svg'),
      `<svg xmlns="http://www.w3.org/2000/svg" width="283.4645mm" height="100mm" viewBox="0 0 283.4645 100"><path d="M0 0H283.4645V50H0Z" fill="none" stroke="red"/></svg>`,
    );
    const said: string[] = [];
    await main(['inspect', join(folder, 'points.svg'), '--known-length', 'width=100', '--json'], (t) => said.push(t), () => {}); // prettier-ignore
    const { files } = JSON.parse(said.join('')) as { files: { knownLength: { factor: number; name: string }[] }[] };
    expect(files[0].knownLength[0].factor).toBeCloseTo(25.4 / 72, 9);
    expect(files[0].knownLength[0].name).toMatch(/points/);
    const out = join(folder, 'sized');
    const done = await run('write', join(folder, 'points.svg'), '--known-length', 'width=100', '--format', 'dxf', '--out', out, '--json');
    const evidence = (done.json.written[0] as unknown as { evidence: { quantity: string; received: number }[] }).evidence;
    expect(evidence.find((c) => c.quantity === 'Width X')!.received).toBeCloseTo(100, 3);
  });
});
