import type { Mesh } from '../../geometry/mesh.ts';

/**
 * A PLY file in pieces: float32 vertices and triangles. Source: Turk, The PLY polygon file format, 1994.
 * @param perUnit how many mm one number of the file stands for.
 * @param unit named in a comment; the format itself has no unit.
 * @param more.colours red, green and blue of each vertex, 0 to 255.
 */
export function* plyFile(
  mesh: Mesh,
  perUnit: number,
  unit: string,
  encoding: 'binary' | 'ascii',
  more: { colours?: Uint8Array; piece?: number } = {},
): Generator<Uint8Array> {
  const { colours = null, piece = 40_000 } = more;
  const { positions: p, triangles: t } = mesh;
  const vertices = p.length / 3;
  const count = t.length / 3;
  const encoder = new TextEncoder();
  const format = encoding === 'binary' ? 'binary_little_endian' : 'ascii';
  yield encoder.encode(
    `ply\nformat ${format} 1.0\ncomment Tall Kite, numbers are ${unit}\nelement vertex ${vertices}\nproperty float x\nproperty float y\nproperty float z\n${colours ? 'property uchar red\nproperty uchar green\nproperty uchar blue\n' : ''}element face ${count}\nproperty list uchar int vertex_indices\nend_header\n`,
  );
  if (encoding === 'ascii') {
    const number = (value: number) => String(Number(Math.fround(value / perUnit).toPrecision(9)));
    for (let from = 0; from < vertices; from += piece) {
      let text = '';
      for (let v = from; v < Math.min(vertices, from + piece); v++)
        text += `${number(p[v * 3])} ${number(p[v * 3 + 1])} ${number(p[v * 3 + 2])}${colours ? ` ${colours[v * 3]} ${colours[v * 3 + 1]} ${colours[v * 3 + 2]}` : ''}\n`;
      yield encoder.encode(text);
    }
    for (let from = 0; from < count; from += piece) {
      let text = '';
      for (let i = from; i < Math.min(count, from + piece); i++) text += `3 ${t[i * 3]} ${t[i * 3 + 1]} ${t[i * 3 + 2]}\n`;
      yield encoder.encode(text);
    }
    return;
  }
  for (let from = 0; from < vertices; from += piece) {
    const to = Math.min(vertices, from + piece);
    const bytes = colours ? 15 : 12;
    const view = new DataView(new ArrayBuffer((to - from) * bytes));
    for (let v = from, o = 0; v < to; v++, o += bytes) {
      for (let k = 0; k < 3; k++) view.setFloat32(o + 4 * k, p[v * 3 + k] / perUnit, true);
      if (colours) for (let k = 0; k < 3; k++) view.setUint8(o + 12 + k, colours[v * 3 + k]);
    }
    yield new Uint8Array(view.buffer);
  }
  for (let from = 0; from < count; from += piece) {
    const to = Math.min(count, from + piece);
    const view = new DataView(new ArrayBuffer((to - from) * 13));
    for (let i = from, o = 0; i < to; i++, o += 13) {
      view.setUint8(o, 3);
      for (let k = 0; k < 3; k++) view.setUint32(o + 1 + 4 * k, t[i * 3 + k], true);
    }
    yield new Uint8Array(view.buffer);
  }
}
