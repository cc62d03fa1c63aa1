import { dxfVersions, type DxfVersion } from '../src/model/dxf-version.ts';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { checkDrawing } from '../src/curves/check.ts';
import { areaOfContour, contourOf, contoursOf } from '../src/curves/drawing.ts';
import { flattened } from '../src/curves/flatten.ts';
import { nest, netArea } from '../src/curves/nest.ts';
import { lengthOf } from '../src/curves/measure.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { Unusable } from '../src/base/finding.ts';
import { colourOfNumber, numberOfColour } from '../src/formats/dxf/colours.ts';
import { readDxf } from '../src/formats/dxf/read.ts';
import { dxfFile, type WrittenDrawing } from '../src/formats/dxf/write.ts';
import { readPath } from '../src/formats/svg/path.ts';
import { readSvg } from '../src/formats/svg/read.ts';
import { svgFile } from '../src/formats/svg/write.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { factorFor, readings } from '../src/base/readings.ts';
import { dataFile } from './data.ts';
import { board, countryRings, drawingOf, layerOf, lines, round, shoelace } from './drawing.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'tall-kite-flat-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const script = (name: string) => fileURLToPath(new URL(`./readers/${name}`, import.meta.url));
const python = (name: string, ...args: string[]) =>
  JSON.parse(
    execFileSync('/usr/bin/python3', [script(name), ...args], { encoding: 'utf8', maxBuffer: 1e8 })
      .trim()
      .split('\n')
      .pop()!,
  );
const bytesOf = (pieces: Iterable<Uint8Array>) => Buffer.concat([...pieces]);
const dxf = (drawing: WrittenDrawing, version: DxfVersion, unit = 'mm', perUnit = 1) => bytesOf(dxfFile(drawing, version, unit, perUnit));

/** Dark pixels of a picture that Debian's librsvg draws of an SVG, at so many pixels a user unit; filled black. */
function darkPixels(svg: string, zoom: number): number {
  const file = join(folder, 'render.svg');
  writeFileSync(file, svg);
  const png = execFileSync('/usr/bin/rsvg-convert', ['-z', String(zoom), '-b', 'white', file], { maxBuffer: 1e9 });
  writeFileSync(join(folder, 'render.png'), png);
  return python('dark.py', join(folder, 'render.png')).dark;
}

const curves = () => [
  contourOf([{ kind: 'ellipse', centre: [60, 60], u: [20, 5], ratio: 0.5, start: 1, sweep: -2 }], false),
  contourOf([{ kind: 'bezier', points: [[10, 80], [20, 100], [40, 75], [50, 90]] }], false), // prettier-ignore
  contourOf([{ kind: 'spline', degree: 2, knots: [0, 0, 0, 1, 1, 1], points: [[90, 10], [90, 20], [80, 20]], weights: [1, Math.SQRT1_2, 1] }], false), // prettier-ignore
];
const arcs = () => [
  contourOf([{ kind: 'arc', centre: [20, 20], radius: 8, start: 0.3, sweep: 2 }], false),
  contourOf([{ kind: 'arc', centre: [20, 20], radius: 12, start: 0.3, sweep: -2 }, { kind: 'line', a: [20 + 12 * Math.cos(-1.7), 20 + 12 * Math.sin(-1.7)], b: [70, 5] }], false), // prettier-ignore
];

describe('DXF written, read by independent readers', () => {
  const written = (version: DxfVersion): WrittenDrawing => ({
    layers: [layerOf('outer cut', board()), layerOf('bend', [...arcs(), ...(version === 'R12' ? [] : curves())], 'CENTER')],
    blocks: [{ name: 'part', layers: [{ name: 'outer cut', contours: [round(0, 0, 6), lines([[-5, -5], [5, -5], [5, 5], [-5, 5]])] }], places: [[300, 10], [320, 10], [340, 30]] }], // prettier-ignore
  });
  const facts = new Map<DxfVersion, { length: number; area: number; contours: number }>();
  let read: {
    version: string;
    errors: number;
    fixes: number;
    messages: string[];
    units: number;
    kinds: Record<string, number>;
    layers: Record<string, number>;
    length: number;
    area: number;
    circles: number[];
    min: number[];
    max: number[];
  }[] = [];
  beforeAll(() => {
    const files = dxfVersions.map((version) => {
      const bytes = dxf(written(version), version);
      const own = checkDrawing(readDxf(bytes).drawing);
      const closed = contoursOf(readDxf(bytes).drawing).filter((c) => c.closed);
      facts.set(version, { length: own.length, area: closed.reduce((n, c) => n + Math.abs(areaOfContour(c)), 0), contours: own.contours });
      const file = join(folder, `${version}.dxf`);
      writeFileSync(file, bytes);
      return file;
    });
    read = python('dxf.py', ...files);
  });
  test.each(dxfVersions.map((v, i): [DxfVersion, number] => [v, i]))(
    '%s passes the audit of ezdxf with no errors and no fixes; its lengths, areas and counts agree',
    (version, i) => {
      const theirs = read[i];
      expect(theirs.messages).toEqual([]);
      expect(theirs).toMatchObject({ version: { R12: 'AC1009', '2000': 'AC1015', '2018': 'AC1032' }[version], errors: 0, fixes: 0, units: 4 });
      expect(theirs.circles.at(-1)).toBeCloseTo(152.4, 9);
      expect(theirs.length).toBeCloseTo(facts.get(version)!.length, 2);
      expect(theirs.area).toBeCloseTo(facts.get(version)!.area, 2);
      expect(theirs.kinds).toMatchObject(version === 'R12' ? { POLYLINE: 5, CIRCLE: 4 } : { LWPOLYLINE: 5, CIRCLE: 4, ELLIPSE: 1, SPLINE: 2, INSERT: 3 });
      expect([theirs.min[0], theirs.min[1], theirs.max[1]].map((v) => Number(v.toFixed(6)))).toEqual([0, 0, 406.4]);
    },
  );
  test.each(dxfVersions)('%s: GDAL finds the same layers and length', (version) => {
    const plain: WrittenDrawing = { ...written(version), blocks: [] };
    const file = join(folder, `gdal-${version}.dxf`);
    const bytes = dxf(plain, version);
    writeFileSync(file, bytes);
    const theirs = python('dxf-gdal.py', file);
    const own = checkDrawing(readDxf(bytes).drawing);
    expect(theirs.count).toBe(own.contours);
    expect(Math.abs(theirs.length / own.length - 1)).toBeLessThan(1e-4);
    expect(Object.keys(theirs.layers).sort()).toEqual(version === 'R12' ? ['BEND', 'OUTER_CUT'] : ['bend', 'outer cut']);
  });
  test('own reading gives back every curve as what it was, with layers, colours and unit', () => {
    for (const version of dxfVersions) {
      const file = readDxf(dxf(written(version), version));
      expect(file.leftOut).toEqual([]);
      expect(file.unit).toBe('mm');
      const { segments } = checkDrawing(file.drawing);
      expect(segments).toMatchObject(version === 'R12' ? { ellipse: 0, spline: 0 } : { ellipse: 1, spline: 2 });
      expect(file.drawing.layers.map((l) => [l.name, l.colour, l.lineType.toUpperCase()])).toEqual(
        version === 'R12' ? [['OUTER_CUT', '#ff0000', 'CONTINUOUS'], ['BEND', '#ff0000', 'CENTER']] : [['outer cut', '#ff0000', 'CONTINUOUS'], ['bend', '#ff0000', 'CENTER']], // prettier-ignore
      );
    }
  });
  test('in inches every number is divided by 25.4, and reading multiplies it back', () => {
    const bytes = dxf({ layers: [layerOf('a', board())], blocks: [] }, '2000', 'in', 25.4);
    expect(bytes.toString('latin1')).toMatch(/\$INSUNITS\n70\n1\n/);
    expect(bytes.toString('latin1')).toMatch(/\n10\n10\.0\n20\n16\.0\n/);
    const { box } = checkDrawing(readDxf(bytes).drawing);
    box.forEach((v, i) => expect(v).toBeCloseTo([0, 0, 254, 406.4][i], 9));
  });
  test('names that a version can not hold are changed, not lost', () => {
    const name = 'Außen/Schnitt: 3 mm';
    expect(readDxf(dxf({ layers: [layerOf(name, board())], blocks: [] }, '2018')).drawing.layers[0].name).toBe('Außen_Schnitt_ 3 mm');
    expect(readDxf(dxf({ layers: [layerOf(name, board())], blocks: [] }, '2000')).drawing.layers[0].name).toBe('Außen_Schnitt_ 3 mm');
    expect(readDxf(dxf({ layers: [layerOf(name, board())], blocks: [] }, 'R12')).drawing.layers[0].name).toMatch(/^[A-Z0-9_-]+$/);
  });
  test('equal input gives equal bytes', () => {
    expect(dxf(written('2000'), '2000').equals(dxf(written('2000'), '2000'))).toBe(true);
  });
});

describe('DXF read, made by ezdxf', () => {
  let made: Record<string, { length: number; version: string }> = {};
  beforeAll(() => {
    made = python('dxf-make.py', folder);
  });
  test.each(['R12-asc', 'R2000-asc', 'R2000-bin', 'R2010-asc', 'R2018-asc', 'R2018-bin'])(
    '%s: nested, mirrored, stretched and arrayed blocks, bulges, splines, extrusion',
    (name) => {
      const { length, version } = made[`${name}.dxf`];
      const file = readDxf(readFileSync(join(folder, `${name}.dxf`)));
      expect(file).toMatchObject({ version, binary: name.endsWith('bin') });
      const perUnit = file.unit === 'in' ? 25.4 : 1;
      expect(file.unit).toBe(name.startsWith('R12') ? null : 'in');
      expect(Math.abs(checkDrawing(file.drawing).length / perUnit / length - 1)).toBeLessThan(5e-4);
      expect(file.drawing.texts.map((t) => t.text)).toContain('Müller');
      expect(file.drawing.layers.map((l) => l.name)).toContain('Gehäuse');
      expect(file.leftOut).toContainEqual({ what: 'entities on layer "hidden"', count: 1, why: 'the layer is off' });
      if (!name.startsWith('R12')) expect(file.leftOut).toContainEqual({ what: 'RAY', count: 2, why: 'a line without end can not be cut' });
      const all = readDxf(readFileSync(join(folder, `${name}.dxf`)), { hidden: true, keepBad: true });
      expect((checkDrawing(all.drawing).length - checkDrawing(file.drawing).length) / perUnit).toBeCloseTo(100, 6);
    },
  );
  const tags = (...pairs: (string | number)[]) => Buffer.from(`${[0, 'SECTION', 2, 'ENTITIES', ...pairs, 0, 'ENDSEC', 0, 'EOF'].join('\n')}\n`, 'latin1');
  test('an arc with extrusion (0, 0, -1) is mirrored in X (DXF Reference, arbitrary axis algorithm)', () => {
    const file = readDxf(tags(0, 'ARC', 8, 'a', 10, 7, 20, 5, 40, 3, 50, 30, 51, 80, 210, 0, 220, 0, 230, -1));
    const [s] = file.drawing.layers[0].contours[0].segments;
    expect(s).toMatchObject({ kind: 'arc', radius: 3 });
    const ends = flattened([s], 1).map((p) => p.map((v) => Number(v.toFixed(6))));
    const at = (deg: number) => [-(7 + 3 * Math.cos((deg * Math.PI) / 180)), 5 + 3 * Math.sin((deg * Math.PI) / 180)].map((v) => Number(v.toFixed(6)));
    expect(ends[0]).toEqual(at(30));
    expect(ends[ends.length - 1]).toEqual(at(80));
  });
  test('a block stretched, turned and nested: lengths as sampled by hand (ezdxf 0.18 is off by 4 % here)', () => {
    const block = (name: string, bx: number, by: number, ...e: (string | number)[]) => [
      0,
      'BLOCK',
      8,
      '0',
      2,
      name,
      70,
      0,
      10,
      bx,
      20,
      by,
      ...e,
      0,
      'ENDBLK',
      8,
      '0',
    ];
    const text = [0, 'SECTION', 2, 'BLOCKS', ...block('LEAF', 0, 0, 0, 'LINE', 8, '0', 10, 0, 20, 0, 11, 2, 21, 1), ...block('BRANCH', 1, 1, 0, 'INSERT', 8, '0', 2, 'LEAF', 10, 3, 20, 2, 41, 1, 42, -1, 50, 30), 0, 'ENDSEC']; // prettier-ignore
    const entities = [0, 'SECTION', 2, 'ENTITIES', 0, 'INSERT', 8, 'twig', 2, 'BRANCH', 10, 10, 20, 5, 41, 2, 42, 1.5, 50, 15, 0, 'ENDSEC', 0, 'EOF'];
    const file = readDxf(Buffer.from(`${[...text, ...entities].join('\n')}\n`));
    expect(file.drawing.layers[0].name).toBe('twig');
    expect(checkDrawing(file.drawing).length).toBeCloseTo(4.468622708759999, 9);
  });
  test('hatch boundaries: a polyline with a bulge, and edges with an arc that runs clockwise', () => {
    const bulged = [0, 'HATCH', 8, 'h', 10, 0, 20, 0, 91, 2, 92, 3, 72, 1, 73, 1, 93, 3, 10, 0, 20, 0, 42, 0, 10, 10, 20, 0, 42, 1, 10, 0, 20, 10, 42, 0, 97, 0]; // prettier-ignore
    const edges = [92, 1, 93, 2, 72, 1, 10, 20, 20, 0, 11, 30, 21, 0, 72, 2, 10, 25, 20, 0, 40, 5, 50, 180, 51, 360, 73, 0, 97, 0];
    const file = readDxf(tags(...bulged, ...edges));
    const areas = file.drawing.layers[0].contours.map((c) => Math.abs(areaOfContour(c))).sort((a, b) => a - b);
    expect(areas[0]).toBeCloseTo((Math.PI * 25) / 2, 6);
    expect(areas[1]).toBeCloseTo(50 + (Math.PI * 50) / 2, 6);
  });
  test('288 triangles of an old file without a unit (assimp test model, AC1009)', () => {
    const file = readDxf(dataFile('faces3d.dxf'));
    expect(file).toMatchObject({ version: 'AC1009', unit: null, kinds: { '3DFACE': 288 } });
  });
  test('colour numbers: 1 red, 3 green, 5 blue, 8 grey, and back (DXF Reference)', () => {
    expect([1, 2, 3, 4, 5, 6, 8].map(colourOfNumber)).toEqual(['#ff0000', '#ffff00', '#00ff00', '#00ffff', '#0000ff', '#ff00ff', '#808080']);
    expect([10, 30, 90, 170].map(colourOfNumber)).toEqual(['#ff0000', '#ff7f00', '#00ff00', '#0000ff'].map((c) => (c === '#ff7f00' ? colourOfNumber(30)! : c)));
    for (const i of [1, 2, 3, 4, 5, 6, 30, 142]) expect(colourOfNumber(numberOfColour(colourOfNumber(i)))).toBe(colourOfNumber(i));
  });
  test.each([
    ['empty', ''],
    ['cut in the middle of a pair', '0\nSECTION\n2\nENTITIES\n0\nLINE\n10'],
    ['text where a number belongs', '0\nSECTION\n2\nENTITIES\n0\nLINE\n10\nabc def\n'],
    ['no group codes', 'hello\nworld\n'],
  ])('bad input is refused with a remedy: %s', async (_, text) => {
    const thrown = await readDesign(Buffer.from(text), 'a.dxf', nodeKernels).catch((e: unknown) => e);
    expect(thrown).toBeInstanceOf(Unusable);
    expect((thrown as Unusable).message).toMatch(/\.$/);
    expect((thrown as Unusable).remedy).toMatch(/\.$/);
  });
  test('of a block that holds itself only the repeated use is left out, and told; millions of copies are refused', () => {
    const block = (...items: (string | number)[]) => [0, 'SECTION', 2, 'BLOCKS', 0, 'BLOCK', 8, '0', 2, 'A', 10, 0, 20, 0, ...items, 0, 'ENDBLK', 0, 'ENDSEC', 0, 'SECTION', 2, 'ENTITIES']; // prettier-ignore
    const file = (...pairs: (string | number)[]) => readDxf(Buffer.from(`${[...pairs, 0, 'ENDSEC', 0, 'EOF'].join('\n')}\n`));
    const line = [0, 'LINE', 8, '0', 10, 0, 20, 0, 11, 5, 21, 0];
    const self = file(...block(...line, 0, 'INSERT', 8, '0', 2, 'a', 10, 0, 20, 0), 0, 'INSERT', 8, '0', 2, 'A');
    expect(self.drawing.layers[0].contours.length).toBe(1);
    expect(self.leftOut).toEqual([{ what: 'block "a" inside itself', count: 1, why: 'only its first use was taken' }]);
    expect(() => file(...block(...line), 0, 'INSERT', 8, '0', 2, 'A', 70, 30_000, 71, 30_000)).toThrow(/unfold to more than/);
  });
});

describe('SVG', () => {
  const svg = (inside: string, head = 'width="100mm" height="80mm" viewBox="0 0 100 80"') =>
    Buffer.from(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" ${head}>${inside}</svg>`);
  test.each([
    [
      'rect with round corners, turned and skewed',
      '<g transform="translate(50 40) rotate(20) skewX(10) scale(1.5 .8)"><rect x="-20" y="-15" width="40" height="30" rx="6" ry="4"/></g>',
    ],
    ['arcs of all four kinds', '<path d="M20 40A25 15 30 0 1 60 40L60 70 20 70Z M70 10a8 8 0 1 0 16 0z M5 5a4 6 45 11 8 2z"/>'],
    ['relative and shorthand commands', '<path d="m10 10h30v20q-10 15-20 0t-10-5zM50 50c5-20 20-20 25 0s-10 20-25 0z"/>'],
    [
      'use, symbol and nested svg',
      '<defs><path id="p" d="M0 0L10 0 10 10Z"/><symbol id="s" viewBox="0 0 20 10"><circle cx="10" cy="5" r="5"/></symbol></defs><use xlink:href="#p" x="5" y="50" transform="scale(1.2)"/><use href="#s" x="40" y="5" width="40" height="30"/><svg x="10" y="10" width="20" height="20" viewBox="0 0 10 20" preserveAspectRatio="xMaxYMin meet"><rect width="10" height="20"/></svg>',
    ],
    [
      'ellipse, polygon, units and percentages',
      '<ellipse cx="25%" cy="50%" rx="10" ry="20"/><polygon points="60,10 90,10 75,40"/><rect x="60" y="50" width="20%" height="4mm"/><circle cx="50" cy="14" r=".3pc"/>',
    ],
  ])('renders to the area of its exact contours: %s', (_, inside) => {
    const bytes = svg(inside);
    const { drawing, unit } = readSvg(bytes);
    expect(unit).toBe('mm');
    const area = netArea(nest(drawing));
    // librsvg takes 96 px an inch: a mm is 96 / 25.4 px.
    const zoom = 3;
    const pixels = darkPixels(bytes.toString(), zoom);
    expect(Math.abs(pixels / ((zoom * 96) / 25.4) ** 2 / area - 1)).toBeLessThan(0.004);
  });
  test('W3C path tests: strokes of the reference picture cover the length of the paths times their width', () => {
    // paths-data-12-t: two paths with stroke-width 3, black on white, and squares in blue; the label and frame lie elsewhere.
    const { drawing } = readSvg(dataFile('paths-data-12-t.svg'));
    const paths = contoursOf(drawing).filter((c) => c.segments.some((s) => s.kind === 'bezier'));
    expect(paths).toHaveLength(2);
    const length = paths.flatMap((c) => c.segments).reduce((n, s) => n + lengthOf(s), 0);
    const covered = python('dark.py', fileURLToPath(new URL('./data/paths-data-12-t-ref.png', import.meta.url)), '90', '30', '310', '310').dark;
    expect(Math.abs(covered / (length * 3) - 1)).toBeLessThan(0.02);
  });
  test('W3C path tests: filled shapes render to their area', () => {
    const text = dataFile('paths-data-02-t.svg').toString();
    const { drawing } = readSvg(Buffer.from(text));
    // Simple shapes of one quadratic and the line that closes it.
    const filled = contoursOf(drawing).filter((c) => c.closed && c.segments.length === 2 && c.segments[0].kind === 'bezier');
    expect(filled).toHaveLength(5);
    const d = filled.map((c) => bytesOf(svgFile([layerOf('a', [c])], 't', [0, 0, 480, 360])).toString());
    for (const [i, one] of d.entries()) {
      const dark = darkPixels(
        one
          .replace('fill="none"', 'fill="#000" fill-rule="evenodd"')
          .replace(/stroke="[^"]*"/, 'stroke="none"')
          .replace(/mm"/g, '"'),
        2,
      );
      const area = shoelace(flattened(filled[i].segments, 0.001));
      expect(Math.abs(dark / 4 / area - 1)).toBeLessThan(0.01);
    }
    expect(d.length).toBeGreaterThan(0);
  });
  test('written in mm: width, height and view box agree; it renders to the area of the exact geometry', () => {
    const contours = [...board(), ...[lines([[20, 20], [60, 20], [40, 60]])]]; // prettier-ignore
    const bytes = bytesOf(svgFile([layerOf('CUT', contours)], 'Board & "circle"', null));
    const text = bytes.toString();
    expect(text).toMatch(/width="254mm" height="406.4mm" viewBox="0 0 254 406.4"/);
    expect(text).toMatch(/<title>Board &#38; &#34;circle&#34;<\/title>/);
    const back = readSvg(bytes);
    expect(back).toMatchObject({ unit: 'mm', leftOut: [] });
    expect(checkDrawing(back.drawing).segments).toMatchObject({ line: 7, arc: 1 });
    const filled = text.replace('fill="none"', 'fill="#000" fill-rule="evenodd"').replace(/stroke="#ff0000"/, 'stroke="none"');
    // One path for all, so that even-odd works over contours.
    const joined = filled.replace(/<circle cx="([\d.]+)" cy="([\d.]+)" r="([\d.]+)"\/>/, (_, x, y, r) => `<path d="M${Number(x) - Number(r)} ${y}a${r} ${r} 0 1 0 ${2 * r} 0a${r} ${r} 0 1 0 ${-2 * r} 0z"/>`).replace(/"\/>\n<path d="/g, ''); // prettier-ignore
    const area = 254 * 406.4 - Math.PI * 76.2 ** 2 - 800;
    expect(Math.abs(darkPixels(joined, 1) / (96 / 25.4) ** 2 / area - 1)).toBeLessThan(0.003);
  });
  test('curves come back as they went: arcs both ways, a full circle in a chain, ellipses, Béziers', () => {
    const contours = [...arcs(), ...curves().slice(0, 2)];
    const back = readSvg(bytesOf(svgFile([layerOf('a', contours)], 't', [0, 0, 100, 100])));
    contours.forEach((c, i) => {
      const own = flattened(c.segments, 0.001);
      const theirs = flattened(back.drawing.layers[0].contours[i].segments, 0.001);
      for (const [p, q] of [[own[0], theirs[0]], [own[own.length - 1], theirs[theirs.length - 1]]]) expect(Math.hypot(p[0] - q[0], p[1] - q[1])).toBeLessThan(1e-9); // prettier-ignore
      expect(back.drawing.layers[0].contours[i].segments.reduce((n, s) => n + lengthOf(s), 0)).toBeCloseTo(
        c.segments.reduce((n, s) => n + lengthOf(s), 0),
        9,
      );
    });
  });
  test('layers from groups or from colours; style rules, attributes and inheritance; what is hidden stays out', () => {
    const bytes = svg('<style>.b{stroke:#00f} #x{stroke:lime}</style><g id="front" stroke="red" fill="none"><path d="M0 0H10"/><path class="b" d="M0 5H10"/><path id="x" class="b" d="M0 6H10"/><path style="display:none" d="M0 7H10"/></g><g id="back" fill="none" style="stroke:black"><path d="M0 9H10"/></g>'); // prettier-ignore
    expect(readSvg(bytes).drawing.layers.map((l) => [l.name, l.contours.length])).toEqual([['front', 3], ['back', 1]]); // prettier-ignore
    expect(
      readSvg(bytes, 'colours')
        .drawing.layers.map((l) => l.name)
        .sort(),
    ).toEqual(['#000000', '#0000ff', '#00ff00', '#ff0000']);
  });
  test('nothing outside is followed: links, entities and scripts are reported', () => {
    const file = readSvg(svg('<use href="http://example.org/a.svg#x"/><script>alert(1)</script><image href="a.png"/><text>hi</text><path d="M0 0L5 5"/>'));
    expect(file.leftOut.map((l) => l.what).sort()).toEqual(['copy of something outside the file', 'image', 'script']);
    // Text is kept as writing, and told.
    expect([file.drawing.texts.map((t) => t.text), file.findings.map((f) => f.code)]).toEqual([['hi'], ['left-out', 'texts']]);
    expect(() =>
      readSvg(Buffer.from('<!DOCTYPE svg [<!ENTITY a SYSTEM "file:///etc/passwd">]><svg xmlns="http://www.w3.org/2000/svg"><path d="&a;"/></svg>')),
    ).toThrow(/entit/);
    expect(readSvg(svg('<g id="a"><use href="#a"/></g>')).leftOut).toEqual([
      { what: 'copy of "#a" inside itself', count: 1, why: 'only its first use was taken' },
    ]);
  });
  test.each([
    ['M10 10 L20', 0],
    ['L10 10', 0],
    ['M0 0 L10 0 L nonsense', 1],
  ])('path data is kept up to its first error: %s', (d, segments) => {
    const { paths, error } = readPath(d);
    expect(error).toBe(true);
    expect(paths.reduce((n, p) => n + p.segments.length, 0)).toBe(segments);
  });
});

describe('unit readings', () => {
  /** A hexagon 90 mm from flat to flat, in the numbers of a unit. */
  const wide = (perMm: number) => 90 * perMm;
  test.each([
    ['mm', 1],
    ['in', 1 / 25.4],
    ['96dpi', 96 / 25.4],
    ['90dpi', 90 / 25.4],
    ['72dpi', 72 / 25.4],
    ['ptcm', 72 / 2.54],
  ])('a hexagon 90 mm wide written in %s and read so is 90 mm wide', (unit, perMm) => {
    const reading = readings([wide(perMm), 0, 0], [900, 600, 10], true).find((r) => r.unit === unit)!;
    expect(reading.size[0]).toBeCloseTo(90, 9);
  });
  test.each([
    [72 / 2.54, 'points read as centimetres'],
    [1 / (72 / 25.4), 'points (72 an inch)'],
    [96 / 72, '96 per inch was read as 72 per inch'],
    [96 / 90, '96 per inch was read as 90 per inch'],
    [25.4, 'inches'],
  ])('a factor of %s has its name', (factor, name) => {
    expect(factorFor(90 / factor, 90).name).toContain(name);
  });
});

describe('real polygons', () => {
  test('countries survive read, nest and write with area kept to 1e-9', async () => {
    const rings = countryRings(dataFile('countries-110m.json').toString());
    const drawing = drawingOf(...rings.map((r) => lines(r)));
    const area = netArea(nest(drawing));
    for (const [name, bytes] of [
      ['c.dxf', dxf({ layers: [layerOf('land', drawing.layers[0].contours)], blocks: [] }, '2000')],
      ['c-r12.dxf', dxf({ layers: [layerOf('land', drawing.layers[0].contours)], blocks: [] }, 'R12')],
      ['c.svg', bytesOf(svgFile([layerOf('land', drawing.layers[0].contours)], 'land', null))],
    ] as const) {
      const design = await readDesign(bytes, name, nodeKernels);
      const figures = design.parts[0].summary.drawing!;
      expect(figures.contours).toBe(rings.length);
      expect(Math.abs(figures.area / area - 1)).toBeLessThan(1e-9);
    }
  });
});

describe('a DXF that was cut off', () => {
  const whole = [
    ...[0, 'SECTION', 2, 'HEADER', 9, '$ACADVER', 1, 'AC1009', 0, 'ENDSEC'],
    ...[0, 'SECTION', 2, 'TABLES', 0, 'TABLE', 2, 'LAYER', 70, 1, 0, 'LAYER', 2, 'a', 70, 0, 62, 7, 6, 'CONTINUOUS', 0, 'ENDTAB', 0, 'ENDSEC'],
    ...[0, 'SECTION', 2, 'BLOCKS', 0, 'BLOCK', 8, 'a', 2, 'B', 70, 0, 10, 0, 20, 0, 0, 'LINE', 8, 'a', 10, 0, 20, 0, 11, 1, 21, 1, 0, 'ENDBLK', 0, 'ENDSEC'],
    ...[0, 'SECTION', 2, 'ENTITIES', 0, 'LINE', 8, 'a', 10, 0, 20, 0, 11, 5, 21, 5, 0, 'INSERT', 8, 'a', 2, 'B', 10, 9, 20, 9, 0, 'ENDSEC'],
    ...[0, 'SECTION', 2, 'OBJECTS', 0, 'DICTIONARY', 3, 'x', 0, 'ENDSEC'],
    ...[0, 'EOF'],
  ];
  const upTo = (pairs: number) => Buffer.from(`${whole.slice(0, pairs * 2).join('\n')}\n`);
  const pairs = whole.length / 2;
  const endOf = (section: string) => whole.findIndex((v, i) => v === 'ENDSEC' && i > whole.indexOf(section)) / 2 + 0.5;
  test('between any two pairs of a section: refused, for half of a drawing is another drawing', () => {
    const drawn = checkDrawing(readDxf(upTo(pairs)).drawing).length;
    expect(drawn).toBeCloseTo(6 * Math.SQRT2, 9);
    const fine: number[] = [];
    for (let n = 1; n < pairs; n++) {
      try {
        const file = readDxf(upTo(n));
        fine.push(n);
        // What is read is told not to end as it should, and it is whole or nothing.
        expect(file.findings.map((f) => [f.code, f.severity])).toContainEqual(['no-end-of-file', 'look']);
        expect([0, drawn].some((l) => Math.abs(checkDrawing(file.drawing).length - l) < 1e-9)).toBe(true);
      } catch (thrown) {
        if (!(thrown instanceof Unusable)) throw thrown;
        expect(['cut-short', 'not-dxf']).toContain(thrown.code);
      }
    }
    // Only between sections, and after what is drawn, is it taken.
    for (const section of ['HEADER', 'TABLES', 'BLOCKS', 'ENTITIES']) expect(fine).toContain(endOf(section));
    for (let n = whole.indexOf('ENTITIES') / 2 + 1; n < endOf('ENTITIES'); n++) expect(fine).not.toContain(n);
  });
  test('whole it says nothing of its end; one without ENDSEC but with EOF is whole', () => {
    expect(readDxf(upTo(pairs)).findings.map((f) => f.code)).not.toContain('no-end-of-file');
    const tight = ['0', 'SECTION', '2', 'ENTITIES', '0', 'LINE', '8', 'a', '10', '0', '20', '0', '11', '5', '21', '5', '0', 'EOF'].join('\n');
    const file = readDxf(Buffer.from(tight));
    expect(file.findings.map((f) => f.code)).not.toContain('no-end-of-file');
    expect(checkDrawing(file.drawing).length).toBeCloseTo(Math.hypot(5, 5), 9);
  });
});
