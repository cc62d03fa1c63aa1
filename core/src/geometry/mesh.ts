import { boxOf, type Box } from './box.ts';

/**
 * Triangles over shared vertices.
 * `positions`: 3 numbers a vertex, mm. `triangles`: 3 vertex indices a triangle, counter-clockwise from outside.
 */
export interface Mesh {
  positions: Float64Array;
  triangles: Uint32Array;
}

/** What a mesh measures. Volume in mm3 (signed: negative when turned inside out), area in mm2. */
export interface MeshMeasures {
  box: Box;
  volume: number;
  area: number;
  /** Centre of volume, mm; centre of the box when the volume is zero. */
  centre: [number, number, number];
}

/**
 * Volume, area and centre by signed tetrahedra about a point inside the box (so that far-off parts keep their digits).
 * Source: the divergence theorem.
 */
export function measureMesh(mesh: Mesh): MeshMeasures {
  const { positions: p, triangles: t } = mesh;
  const box = boxOf(p);
  if (t.length === 0) {
    return { box, volume: 0, area: 0, centre: [0, 0, 0] };
  }
  const ox = (box.min[0] + box.max[0]) / 2;
  const oy = (box.min[1] + box.max[1]) / 2;
  const oz = (box.min[2] + box.max[2]) / 2;
  let six = 0;
  let twiceArea = 0;
  let mx = 0;
  let my = 0;
  let mz = 0;
  for (let i = 0; i < t.length; i += 3) {
    const a = t[i] * 3;
    const b = t[i + 1] * 3;
    const c = t[i + 2] * 3;
    const ax = p[a] - ox;
    const ay = p[a + 1] - oy;
    const az = p[a + 2] - oz;
    const bx = p[b] - ox;
    const by = p[b + 1] - oy;
    const bz = p[b + 2] - oz;
    const cx = p[c] - ox;
    const cy = p[c + 1] - oy;
    const cz = p[c + 2] - oz;
    const nx = (by - ay) * (cz - az) - (bz - az) * (cy - ay);
    const ny = (bz - az) * (cx - ax) - (bx - ax) * (cz - az);
    const nz = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    const tet = ax * nx + ay * ny + az * nz;
    six += tet;
    mx += tet * (ax + bx + cx);
    my += tet * (ay + by + cy);
    mz += tet * (az + bz + cz);
    twiceArea += Math.sqrt(nx * nx + ny * ny + nz * nz);
  }
  const size = Math.max(box.max[0] - box.min[0], box.max[1] - box.min[1], box.max[2] - box.min[2]);
  const whole = Math.abs(six) > 1e-12 * size * size * size;
  return {
    box,
    volume: six / 6,
    area: twiceArea / 2,
    centre: whole ? [ox + mx / (4 * six), oy + my / (4 * six), oz + mz / (4 * six)] : [ox, oy, oz],
  };
}

/** Bytes of a mesh as one block: "TKM1", vertex count, triangle count, spare, then f64 positions and u32 indices. */
export function packMesh(mesh: Mesh): Uint8Array {
  const vertices = mesh.positions.length / 3;
  const count = mesh.triangles.length / 3;
  const bytes = new Uint8Array(16 + vertices * 24 + count * 12);
  const head = new DataView(bytes.buffer);
  head.setUint32(0, 0x314d4b54, true);
  head.setUint32(4, vertices, true);
  head.setUint32(8, count, true);
  new Float64Array(bytes.buffer, 16, vertices * 3).set(mesh.positions);
  new Uint32Array(bytes.buffer, 16 + vertices * 24, count * 3).set(mesh.triangles);
  return bytes;
}

/** The mesh in a block made by `packMesh`. Throws a RangeError when the block is not one. */
export function unpackMesh(bytes: Uint8Array): Mesh {
  const own = bytes.byteOffset % 8 === 0 ? bytes : bytes.slice();
  const head = new DataView(own.buffer, own.byteOffset, own.byteLength);
  if (own.byteLength < 16 || head.getUint32(0, true) !== 0x314d4b54) throw new RangeError('not a packed mesh');
  const vertices = head.getUint32(4, true);
  const count = head.getUint32(8, true);
  if (own.byteLength !== 16 + vertices * 24 + count * 12) throw new RangeError('packed mesh has another length');
  return {
    positions: new Float64Array(own.buffer, own.byteOffset + 16, vertices * 3),
    triangles: new Uint32Array(own.buffer, own.byteOffset + 16 + vertices * 24, count * 3),
  };
}
