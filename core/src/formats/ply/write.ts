import type { Mesh } from '../../geometry/mesh.ts';

/** How a PLY file is written: mm that one number stands for, the unit's name for a comment (the format has none), text or bytes. */
export interface PlyChoice {
  perUnit: number;
  unit: string;
  encoding: 'binary' | 'ascii';
  /** Red, green and blue of each vertex, 0 to 255. */
  colours?: Uint8Array;
  /** Vertices or triangles in each piece of the file. */
  piece?: number;
}

/**
 * A PLY file in pieces: float32 vertices and triangles. Source: Turk, The PLY polygon file format, 1994.
 * @example [...plyFile(mesh, { perUnit: 1, unit: 'mm', encoding: 'binary' })]
 */
export function* plyFile(mesh: Mesh, choice: PlyChoice): Generator<Uint8Array> {
  const { encoding, unit, colours } = choice;
  const format = encoding === 'binary' ? 'binary_little_endian' : 'ascii';
  const vertices = mesh.positions.length / 3;
  const count = mesh.triangles.length / 3;
  yield new TextEncoder().encode(
    `ply\nformat ${format} 1.0\ncomment Tall Kite, numbers are ${unit}\nelement vertex ${vertices}\nproperty float x\nproperty float y\nproperty float z\n${colours ? 'property uchar red\nproperty uchar green\nproperty uchar blue\n' : ''}element face ${count}\nproperty list uchar int vertex_indices\nend_header\n`,
  );
  const { vertices: writeVertices, triangles: writeTriangles } = encoding === 'ascii' ? asText : asBytes;
  for (const range of ranges(vertices, choice.piece)) yield writeVertices(mesh.positions, range, choice);
  for (const range of ranges(count, choice.piece)) yield writeTriangles(mesh.triangles, range);
}

type Range = readonly [from: number, to: number];

function* ranges(count: number, piece = 40_000): Generator<Range> {
  for (let from = 0; from < count; from += piece) yield [from, Math.min(count, from + piece)];
}

interface Encoder {
  vertices: (p: Float64Array, range: Range, choice: PlyChoice) => Uint8Array;
  triangles: (t: Uint32Array, range: Range) => Uint8Array;
}

const asText: Encoder = {
  vertices: (p, [from, to], { perUnit, colours }) => {
    const number = (value: number) => String(Number(Math.fround(value / perUnit).toPrecision(9)));
    let text = '';
    for (let v = from * 3; v < to * 3; v += 3)
      text += `${number(p[v])} ${number(p[v + 1])} ${number(p[v + 2])}${colours ? ` ${colours[v]} ${colours[v + 1]} ${colours[v + 2]}` : ''}\n`;
    return new TextEncoder().encode(text);
  },
  triangles: (t, [from, to]) => {
    let text = '';
    for (let i = from * 3; i < to * 3; i += 3) text += `3 ${t[i]} ${t[i + 1]} ${t[i + 2]}\n`;
    return new TextEncoder().encode(text);
  },
};

const asBytes: Encoder = {
  vertices: (p, [from, to], { perUnit, colours }) => {
    const bytes = colours ? 15 : 12;
    const view = new DataView(new ArrayBuffer((to - from) * bytes));
    for (let v = from, o = 0; v < to; v++, o += bytes) {
      for (let k = 0; k < 3; k++) view.setFloat32(o + 4 * k, p[v * 3 + k] / perUnit, true);
      if (colours) for (let k = 0; k < 3; k++) view.setUint8(o + 12 + k, colours[v * 3 + k]);
    }
    return new Uint8Array(view.buffer);
  },
  triangles: (t, [from, to]) => {
    const view = new DataView(new ArrayBuffer((to - from) * 13));
    for (let i = from, o = 0; i < to; i++, o += 13) {
      view.setUint8(o, 3);
      for (let k = 0; k < 3; k++) view.setUint32(o + 1 + 4 * k, t[i * 3 + k], true);
    }
    return new Uint8Array(view.buffer);
  },
};
