import { contourOf, type Contour, type Drawing } from '../src/curves/drawing.ts';
import { circle, type P2, type Segment } from '../src/curves/segment.ts';
import type { WrittenLayer } from '../src/formats/dxf/write.ts';

/** A contour through points. */
export function lines(points: P2[], closed = true): Contour {
  const ends = closed ? points : points.slice(0, -1);
  return contourOf(
    ends.map((a, i): Segment => ({ kind: 'line', a, b: points[(i + 1) % points.length] })),
    closed,
  );
}

export const ring = (centre: P2, radius: number, n: number): P2[] =>
  Array.from({ length: n }, (_, i): P2 => [centre[0] + radius * Math.cos((i * 2 * Math.PI) / n), centre[1] + radius * Math.sin((i * 2 * Math.PI) / n)]);

export const round = (x: number, y: number, d: number): Contour => contourOf([circle([x, y], d / 2)], true);

export const drawingOf = (...contours: Contour[]): Drawing => ({
  layers: [{ name: 'L', colour: null, lineType: 'CONTINUOUS', contours }],
  texts: [],
  points: [],
});

export const layerOf = (name: string, contours: Contour[], lineType = 'CONTINUOUS'): WrittenLayer => ({
  name,
  colour: '#ff0000',
  lineType,
  contours,
  texts: [],
});

/** The 10 by 16 inch board with a 6 inch circle, mm. */
export const board = (): Contour[] => [lines([[0, 0], [254, 0], [254, 406.4], [0, 406.4]]), round(127, 203.2, 152.4)]; // prettier-ignore

interface Topology {
  transform: { scale: P2; translate: P2 };
  arcs: P2[][];
  objects: { countries: { geometries: { type: string; arcs: number[][] | number[][][] }[] } };
}

/** Rings of all countries, decoded from TopoJSON (delta-encoded, quantised arcs). Source of the format: the TopoJSON specification, 2.1.3 and 2.1.4. */
export function countryRings(text: string): P2[][] {
  const topology = JSON.parse(text) as Topology;
  const { scale, translate } = topology.transform;
  const arcs = topology.arcs.map((arc) => {
    let [x, y] = [0, 0];
    return arc.map(([dx, dy]): P2 => {
      x += dx;
      y += dy;
      return [x * scale[0] + translate[0], y * scale[1] + translate[1]];
    });
  });
  const ringOf = (list: number[]) => {
    const points: P2[] = [];
    for (const i of list) {
      const arc = i < 0 ? [...arcs[~i]].reverse() : arcs[i];
      points.push(...(points.length ? arc.slice(1) : arc));
    }
    points.pop();
    return points;
  };
  const rings: P2[][] = [];
  for (const g of topology.objects.countries.geometries) {
    if (g.type === 'Polygon') for (const r of g.arcs as number[][]) rings.push(ringOf(r));
    else if (g.type === 'MultiPolygon') for (const p of g.arcs as unknown as number[][][]) for (const r of p) rings.push(ringOf(r));
  }
  // One ring of this data has three equal points.
  return rings.filter((r) => r.some((p) => p[0] !== r[0][0] || p[1] !== r[0][1]));
}

/** Area of a ring by the shoelace formula, without sign. */
export function shoelace(points: readonly P2[]): number {
  let sum = 0;
  points.forEach((a, i) => {
    const b = points[(i + 1) % points.length];
    sum += (a[0] - points[0][0]) * (b[1] - points[0][1]) - (a[1] - points[0][1]) * (b[0] - points[0][0]);
  });
  return Math.abs(sum) / 2;
}

/** A text DXF as binary, R13 and later: two-byte codes, values by their code. Source: DXF Reference, binary DXF files. */
export function binaryOf(text: string): Buffer {
  const lines = text.split('\n');
  const pieces: Buffer[] = [Buffer.from(`${'x'.repeat(7)} Binary DXF\r\n\x1a\0`, 'latin1')];
  for (let i = 0; i + 1 < lines.length; i += 2) {
    const code = Number(lines[i]);
    const value = lines[i + 1];
    const head = Buffer.alloc(2);
    head.writeInt16LE(code);
    const float = (code >= 10 && code <= 59) || (code >= 110 && code <= 149) || (code >= 210 && code <= 239);
    const long = (code >= 90 && code <= 99) || (code >= 420 && code <= 429);
    const short = (code >= 60 && code <= 79) || (code >= 170 && code <= 179) || (code >= 270 && code <= 289) || (code >= 370 && code <= 389);
    const body = float ? Buffer.alloc(8) : long ? Buffer.alloc(4) : short ? Buffer.alloc(2) : Buffer.from(`${value}\0`, 'latin1');
    if (float) body.writeDoubleLE(Number(value));
    else if (long) body.writeInt32LE(Number(value));
    else if (short) body.writeInt16LE(Number(value));
    pieces.push(head, body);
  }
  return Buffer.concat(pieces);
}
