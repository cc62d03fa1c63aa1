import { latin } from '../../base/latin.ts';
import { mostTriangles } from '../../geometry/growing.ts';
import { noTriangles, notNumbers, type StlFile } from './block.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { VertexWelder } from '../../geometry/weld.ts';
import { readAsciiStl } from './read-ascii.ts';

/** Whether a file is exactly as long as its count of binary triangles says. Source: StereoLithography interface specification, 1989. */
export function fitsLengthRule(bytes: Uint8Array): boolean {
  if (bytes.length < 84) return false;
  return 84 + 50 * new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength).getUint32(80, true) === bytes.length;
}

/** How an STL is encoded, by the length rule first: many binary files begin with the word "solid". */
export function stlEncoding(bytes: Uint8Array): 'binary' | 'ascii' | null {
  if (fitsLengthRule(bytes)) return 'binary';
  const head = latin(bytes.subarray(0, 1024)).toLowerCase();
  const text = !/[\0-\x08\x0e-\x1f]/.test(head);
  if (text && /^\s*solid\b/.test(head)) return 'ascii';
  if (!text && bytes.length >= 84) return 'binary';
  return null;
}

/**
 * Reads an STL file of either encoding; equal vertices are joined.
 * Source: StereoLithography interface specification, 1989; the length rule is common practice.
 * @throws Unusable when the bytes are empty, cut off, or no STL at all.
 */
export function readStl(bytes: Uint8Array): StlFile {
  if (bytes.length === 0) {
    throw new Unusable('empty-file', 'The file is empty (0 bytes).', 'Export it again and check that the disk was not full.');
  }
  const encoding = stlEncoding(bytes);
  if (encoding === 'ascii') return readAsciiStl(bytes);
  if (encoding === 'binary') return readBinaryStl(bytes);
  throw new Unusable(
    'not-stl',
    'The file is named .stl but holds neither binary triangles nor "solid" text.',
    'Open it in the program that made it and export an STL again, or bring in the file under its real ending.',
  );
}

function readBinaryStl(bytes: Uint8Array): StlFile {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const count = view.getUint32(80, true);
  const held = Math.floor((bytes.length - 84) / 50);
  if (count > held) {
    throw new Unusable(
      'cut-off',
      `The file says that it has ${count.toLocaleString('en')} triangles but holds only ${held.toLocaleString('en')}: it is cut off or its count is damaged.`,
      'Copy or export it again; a half of a part is never used.',
    );
  }
  if (count > mostTriangles) {
    throw new Unusable(
      'too-many-triangles',
      `The file has ${count.toLocaleString('en')} triangles; at most ${mostTriangles.toLocaleString('en')} are opened.`,
      'Export it again with a larger deviation.',
    );
  }
  const findings: Finding[] = [];
  const extra = bytes.length - 84 - 50 * count;
  if (extra > 0) {
    findings.push({
      code: 'bytes-after-end',
      severity: 'look',
      count: extra,
      message: `${extra.toLocaleString('en')} bytes follow the last triangle and were left out.`,
      remedy: 'Check that the part is whole; some programs append their own notes.',
    });
  }
  if (count === 0) findings.push(noTriangles());
  const { mesh, unreadable } = weldBinary(view, count);
  if (unreadable > 0) findings.push(notNumbers(unreadable));
  return { encoding: 'binary', blocks: [{ name: headerName(bytes), mesh }], findings };
}

/**
 * Joins equal vertices straight from the bytes. A corner is looked for among the corners of the triangle before first:
 * most files go on from edge to edge, which saves two of three searches. Triangles with a coordinate that is no number
 * are counted and left out.
 */
function weldBinary(view: DataView, count: number): { mesh: Mesh; unreadable: number } {
  const welder = new VertexWelder(Math.ceil(count * 0.502) + 16);
  const triangles = new Uint32Array(count * 3);
  let [px, py, pz, pi] = [0, 0, 0, -1];
  let [qx, qy, qz, qi] = [0, 0, 0, -1];
  let [rx, ry, rz, ri] = [0, 0, 0, -1];
  for (let i = 0, at = 0, o = 96; i < count; i++, o += 50, at += 3) {
    const ax = view.getInt32(o, true);
    const ay = view.getInt32(o + 4, true);
    const az = view.getInt32(o + 8, true);
    const bx = view.getInt32(o + 12, true);
    const by = view.getInt32(o + 16, true);
    const bz = view.getInt32(o + 20, true);
    const cx = view.getInt32(o + 24, true);
    const cy = view.getInt32(o + 28, true);
    const cz = view.getInt32(o + 32, true);
    let a: number;
    if (ax === px && ay === py && az === pz && pi >= 0) a = pi;
    else if (ax === qx && ay === qy && az === qz && qi >= 0) a = qi;
    else if (ax === rx && ay === ry && az === rz && ri >= 0) a = ri;
    else a = welder.add(ax, ay, az);
    let b: number;
    if (bx === px && by === py && bz === pz && pi >= 0) b = pi;
    else if (bx === qx && by === qy && bz === qz && qi >= 0) b = qi;
    else if (bx === rx && by === ry && bz === rz && ri >= 0) b = ri;
    else b = welder.add(bx, by, bz);
    let c: number;
    if (cx === px && cy === py && cz === pz && pi >= 0) c = pi;
    else if (cx === qx && cy === qy && cz === qz && qi >= 0) c = qi;
    else if (cx === rx && cy === ry && cz === rz && ri >= 0) c = ri;
    else c = welder.add(cx, cy, cz);
    triangles[at] = a;
    triangles[at + 1] = b;
    triangles[at + 2] = c;
    px = ax;
    py = ay;
    pz = az;
    pi = a;
    qx = bx;
    qy = by;
    qz = bz;
    qi = b;
    rx = cx;
    ry = cy;
    rz = cz;
    ri = c;
  }
  const positions = welder.positions();
  return welder.unreadable ? withoutUnreadable(positions, triangles) : { mesh: { positions, triangles }, unreadable: 0 };
}

/** Leaves out triangles with a coordinate that is no number, and the vertices that only they had. */
function withoutUnreadable(positions: Float64Array, triangles: Uint32Array): { mesh: Mesh; unreadable: number } {
  const renamed = new Int32Array(positions.length / 3).fill(-1);
  const kept: number[] = [];
  const out: number[] = [];
  let unreadable = 0;
  for (let i = 0; i < triangles.length; i += 3) {
    const corners = [triangles[i], triangles[i + 1], triangles[i + 2]];
    if (corners.some((v) => !Number.isFinite(positions[v * 3] + positions[v * 3 + 1] + positions[v * 3 + 2]))) {
      unreadable++;
      continue;
    }
    for (const v of corners) {
      if (renamed[v] < 0) renamed[v] = kept.push(v) - 1;
      out.push(renamed[v]);
    }
  }
  const left = new Float64Array(kept.length * 3);
  kept.forEach((v, k) => left.set(positions.subarray(v * 3, v * 3 + 3), k * 3));
  return { mesh: { positions: left, triangles: Uint32Array.from(out) }, unreadable };
}

/** A name in the 80-byte header, when there is readable text in it. */
function headerName(bytes: Uint8Array): string | null {
  const text = latin(bytes.subarray(0, 80)).split('\0', 1)[0].trim();
  const name = text.replace(/^solid\s*/i, '').trim();
  return name.length > 0 && /^[\x20-\x7e]+$/.test(name) ? name : null;
}
