/** Basic shapes and paths of SVG as Debian's librsvg paints them: areas and boxes; what is wrong in them is told as the text of the standard wants it drawn. */
import { execFileSync } from 'node:child_process';
import { describe, expect, test } from 'vitest';
import { areaOfContour, boxOfDrawing } from '../src/curves/drawing.ts';
import { readSvg } from '../src/formats/svg/read.ts';

const svg = (inside: string) =>
  `<svg xmlns="http://www.w3.org/2000/svg" width="100" height="100" viewBox="0 0 100 100"><g fill="black" stroke="none">${inside}</g></svg>`;
const zoom = 8;

/** Dark area and box of what librsvg paints, in the drawing's units, y up. */
function painted(text: string): { area: number; box: number[] } {
  const png = execFileSync('/usr/bin/rsvg-convert', ['-z', String(zoom), '-b', 'white'], { input: text, maxBuffer: 1e9 });
  const script = `
import sys, io, json, numpy
from PIL import Image
a = 255 - numpy.asarray(Image.open(io.BytesIO(sys.stdin.buffer.read())).convert('L'), dtype=float)
ys, xs = numpy.where(a > 127)
print(json.dumps([a.sum() / 255, *([int(xs.min()), int(a.shape[0] - ys.max() - 1), int(xs.max()) + 1, int(a.shape[0] - ys.min())] if len(xs) else [])]))`;
  const [sum, ...box] = JSON.parse(execFileSync('/usr/bin/python3', ['-c', script], { input: png, maxBuffer: 1e9, encoding: 'utf8' })) as number[];
  return { area: sum / zoom ** 2, box: box.map((v) => v / zoom) };
}

/** The same of what is read, and what was left out of it. */
function read(text: string) {
  const { drawing, leftOut } = readSvg(Buffer.from(text));
  const contours = drawing.layers.flatMap((l) => l.contours);
  const area = contours.reduce((sum, c) => sum + Math.abs(areaOfContour(c)), 0);
  return { area, box: contours.length > 0 ? [...boxOfDrawing(drawing)] : [], lost: leftOut.map((l) => l.what), contours };
}

describe('as librsvg paints them', () => {
  const shapes: Record<string, string> = {
    'rectangle with one radius': '<rect x="10" y="20" width="50" height="30" rx="8"/>',
    'rectangle with two radii': '<rect x="10" y="20" width="50" height="30" rx="8" ry="3"/>',
    'rectangle whose other radius leads': '<rect x="10" y="20" width="50" height="30" ry="9"/>',
    'radii beyond half the sides': '<rect x="10" y="20" width="50" height="30" rx="80" ry="20"/>',
    'a radius below nothing follows the other': '<rect x="10" y="20" width="50" height="30" rx="-4" ry="9"/>',
    'radii in per cent': '<rect x="10%" y="20%" width="50%" height="30%" rx="10%" ry="5%"/>',
    ellipse: '<ellipse cx="50" cy="40" rx="30" ry="12"/>',
    'ellipse whose radius is left to itself': '<ellipse cx="50" cy="40" rx="30" ry="auto"/>',
    'polygon with commas and signs run together': '<polygon points="10,10 60+5.5,60,40 10 40"/>',
    'polygon with powers of ten': '<polygon points="1e1,1e1 6E1,10 60,4.0e+1 100e-1,40"/>',
    'polyline, filled as if it were closed': '<path d="M10 10 L60 10 L60 40"/>',
    'numbers that touch': '<path d="M10+5.5.5.5 60 10l0 30-50 0z"/>',
    'a move that goes on as lines': '<path d="m10 10 50 0 0 30 -50 0z m60 0 10 0 0 10 z"/>',
    'smooth curves without one before': '<path d="M10 40 S 40 0 60 40 T 80 60 L10 60z"/>',
    'smooth curves after one of the other kind': '<path d="M10 40 Q 20 0 40 40 S 60 80 70 40 T 90 50 L 90 90 10 90z"/>',
    'smooth curves one after another':
      '<path d="M10 40 C 10 10 30 10 30 40 S 50 70 50 40 S 70 10 70 40 L70 90 L10 90z M5 5 q 5 -5 10 0 t 10 0 t 10 0 v 10 h -30 z"/>',
    'arcs: flags run together': '<path d="M20 50a30 20 15 1160 0z"/>',
    'arcs: radii too small are scaled up': '<path d="M20 50 A 5 10 30 0 1 80 50 z"/>',
    'arcs: radii below nothing count without their sign': '<path d="M20 50 A -30 -20 0 0 1 80 50 z"/>',
    'arcs: a radius of nothing is a line': '<path d="M20 50 A 0 20 0 0 1 80 50 L 50 90 z"/>',
    'arcs: to where they begin are none': '<path d="M20 50 A 30 20 0 0 1 20 50 h 40 v 30 z"/>',
    'after Z the next begins at its start': '<path d="M10 10 h 20 v 20 z l 0 40 l 20 0 z"/>',
    'half a square of a larger size by CSS': '<path style="d:path(\'M10 10 h 50 v 50 z\')"/>',
  };
  for (const [name, shape] of Object.entries(shapes))
    test(name, () => {
      // What CSS says of paths librsvg does not know: it is asked without.
      const asked = svg(shape.replace(/style="d:path\('(.*)'\)"/, 'd="$1"'));
      const wanted = painted(asked);
      const got = read(svg(shape));
      expect(got.area).toBeGreaterThan(0);
      expect(Math.abs(got.area - wanted.area)).toBeLessThan(0.004 * wanted.area + 0.3);
      got.box.forEach((v, k) => expect(Math.abs(v - wanted.box[k])).toBeLessThan(1.5 / zoom));
    });
});

describe('what draws nothing, or not all, is told', () => {
  const first = '<rect width="1" height="1"/>';
  test.each([
    ['<rect x="1" width="0" height="5"/>', 'rect without size'],
    ['<rect x="1" width="5"/>', 'rect without size'],
    ['<circle cx="5" cy="5" r="-1"/>', 'circle without size'],
    ['<circle cx="5" cy="5"/>', 'circle without size'],
    ['<ellipse cx="5" cy="5" rx="3" ry="0"/>', 'ellipse without size'],
    ['<line x1="1" x2="1" stroke="black"/>', 'line without length'],
    ['<polyline points="5,5" stroke="black"/>', 'polyline without size'],
    ['<polygon points=""/>', 'polygon without size'],
    ['<path d="M5 5"/>', 'path without length'],
    ['<polygon points="10,10 60,10 6O,40 10,40"/>', 'rest of a polygon after an error'],
    ['<polygon points="10,10 60,10 60,40 77"/>', 'rest of a polygon after an error'],
    ['<polyline points="10,10 60,10 60" stroke="black"/>', 'rest of a polyline after an error'],
    ['<path d="M10 10 L20 10 20 2O z"/>', 'rest of a path after an error'],
    ['<path d="L10 10 20 20"/>', 'rest of a path after an error'],
    ['<path d="M10 10 h10 v10 z 5 5"/>', 'rest of a path after an error'],
    ['<path d="M10 10 a 5 5 0 2 0 5 5"/>', 'rest of a path after an error'],
    ['<rect width="wide" height="5"/>', 'length "wide"'],
  ])('%s', (shape, what) => {
    expect(read(svg(first + shape)).lost).toContain(what);
    expect(read(svg(first)).lost).toEqual([]);
  });

  test('points are taken up to the first that can not be read (SVG 2, 9.6): no others are made of what comes', () => {
    const { contours } = read(svg('<polygon points="10,10 60,10 60,40 1O,40 10,70"/>'));
    expect(contours).toHaveLength(1);
    expect(contours[0].segments.map((s) => (s.kind === 'line' ? s.a[0] : NaN))).toEqual([10, 60, 60]);
  });

  test('a path that goes beyond any size loses that piece only, and is not closed any more', () => {
    const { contours, lost } = read(svg(`${first}<path d="M10 10 L60 10 L9e11 9e11 L10 40 z" transform="scale(10)" fill="none" stroke="black"/>`));
    expect(lost).toEqual(['piece of a path without usable geometry']);
    expect(contours[1]).toMatchObject({ closed: false });
    expect(contours[1].segments).toHaveLength(2);
  });
});
