import { cross } from '../../geometry/vector.ts';
import type { Mesh } from '../../geometry/mesh.ts';

/** Bytes of a binary STL of n triangles: 84 + 50 n. Source: StereoLithography interface specification, 1989. */
export function binaryStlLength(triangles: number): number {
  return 84 + 50 * triangles;
}

/**
 * A binary STL in pieces, so that it can be hashed and stored while it is made.
 * @param mesh positions in mm.
 * @param perUnit how many mm one number of the file stands for (25.4 for inches).
 * @param header at most 80 bytes of ASCII; never begins with "solid".
 * @param piece triangles a piece.
 */
export function* binaryStl(mesh: Mesh, perUnit: number, header: string, piece = 40_000): Generator<Uint8Array> {
  const { positions: p, triangles: t } = mesh;
  const count = t.length / 3;
  const head = new Uint8Array(84);
  head.set(
    new TextEncoder().encode(
      header
        .replace(/^solid/i, 'Solid part')
        .replace(/[^\x20-\x7e]/g, '?')
        .slice(0, 80),
    ),
  );
  if (/^solid/i.test(header)) head[0] = 0x2d;
  new DataView(head.buffer).setUint32(80, count, true);
  yield head;
  const scale = 1 / perUnit;
  for (let from = 0; from < count; from += piece) {
    const to = Math.min(count, from + piece);
    const bytes = new Uint8Array((to - from) * 50);
    const view = new DataView(bytes.buffer);
    for (let i = from, o = 0; i < to; i++, o += 50) {
      const a = t[i * 3] * 3;
      const b = t[i * 3 + 1] * 3;
      const c = t[i * 3 + 2] * 3;
      const ax = p[a] * scale;
      const ay = p[a + 1] * scale;
      const az = p[a + 2] * scale;
      const bx = p[b] * scale;
      const by = p[b + 1] * scale;
      const bz = p[b + 2] * scale;
      const cx = p[c] * scale;
      const cy = p[c + 1] * scale;
      const cz = p[c + 2] * scale;
      const nx = (by - ay) * (cz - az) - (bz - az) * (cy - ay);
      const ny = (bz - az) * (cx - ax) - (bx - ax) * (cz - az);
      const nz = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
      const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
      const unit = length > 0 ? 1 / length : 0;
      view.setFloat32(o, nx * unit, true);
      view.setFloat32(o + 4, ny * unit, true);
      view.setFloat32(o + 8, nz * unit, true);
      view.setFloat32(o + 12, ax, true);
      view.setFloat32(o + 16, ay, true);
      view.setFloat32(o + 20, az, true);
      view.setFloat32(o + 24, bx, true);
      view.setFloat32(o + 28, by, true);
      view.setFloat32(o + 32, bz, true);
      view.setFloat32(o + 36, cx, true);
      view.setFloat32(o + 40, cy, true);
      view.setFloat32(o + 44, cz, true);
    }
    yield bytes;
  }
}

/** An ASCII STL in pieces, with as many digits as a float32 holds. Same parameters as `binaryStl`. */
export function* asciiStl(mesh: Mesh, perUnit: number, name: string, piece = 5_000): Generator<Uint8Array> {
  const { positions: p, triangles: t } = mesh;
  const safe = name.replace(/[^\x20-\x7e]/g, '?').trim();
  const encoder = new TextEncoder();
  const number = (value: number) => Math.fround(value / perUnit).toPrecision(9);
  const corner = (v: number) => `      vertex ${number(p[v * 3])} ${number(p[v * 3 + 1])} ${number(p[v * 3 + 2])}\n`;
  yield encoder.encode(`solid ${safe}\n`);
  let text = '';
  const count = t.length / 3;
  for (let i = 0; i < count; i++) {
    const [a, b, c] = [t[i * 3], t[i * 3 + 1], t[i * 3 + 2]];
    const normal = facetNormal(p, a * 3, b * 3, c * 3)
      .map((v) => v.toPrecision(9))
      .join(' ');
    text += `  facet normal ${normal}\n    outer loop\n${corner(a)}${corner(b)}${corner(c)}    endloop\n  endfacet\n`;
    if ((i + 1) % piece === 0) {
      yield encoder.encode(text);
      text = '';
    }
  }
  yield encoder.encode(`${text}endsolid ${safe}\n`);
}

function facetNormal(p: Float64Array, a: number, b: number, c: number): [number, number, number] {
  const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const v = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  const n: [number, number, number] = cross(u, v);
  const length = Math.hypot(...n) || 1;
  return [n[0] / length, n[1] / length, n[2] / length];
}
