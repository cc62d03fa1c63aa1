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
 * Joins equal vertices straight from the bytes. Triangles with a coordinate that is no number are counted and left out.
 */
function weldBinary(view: DataView, count: number): { mesh: Mesh; unreadable: number } {
  const welder = new VertexWelder(Math.ceil(count * 0.502) + 16);
  const corners = new Corners(welder);
  const triangles = new Uint32Array(count * 3);
  for (let i = 0, at = 0, o = 96; i < count; i++, o += 50, at += 3) {
    for (let k = 0, c = o; k < 3; k++, c += 12)
      triangles[at + k] = corners.take(k, view.getInt32(c, true), view.getInt32(c + 4, true), view.getInt32(c + 8, true));
    corners.next();
  }
  const positions = welder.positions();
  return welder.unreadable ? withoutUnreadable(positions, triangles) : { mesh: { positions, triangles }, unreadable: 0 };
}

/**
 * Finds the vertex of a corner: among the corners of the triangle before first, since most files go on from edge to edge, which saves two of
 * three searches.
 */
class Corners {
  private readonly welder: VertexWelder;
  /** Bits of x, y, z and the vertex, of the three corners of the triangle before and of this one. */
  private before = new Int32Array(12).fill(-1);
  private now = new Int32Array(12).fill(-1);

  constructor(welder: VertexWelder) {
    this.welder = welder;
  }

  /** The vertex of corner k, by the bits of its coordinates. */
  take(k: number, x: number, y: number, z: number): number {
    const { now } = this;
    let vertex = this.known(x, y, z);
    if (vertex < 0) vertex = this.welder.add(x, y, z);
    const at = 4 * k;
    now[at] = x;
    now[at + 1] = y;
    now[at + 2] = z;
    now[at + 3] = vertex;
    return vertex;
  }

  private known(x: number, y: number, z: number): number {
    const b = this.before;
    if (b[0] === x && b[1] === y && b[2] === z) return b[3];
    if (b[4] === x && b[5] === y && b[6] === z) return b[7];
    if (b[8] === x && b[9] === y && b[10] === z) return b[11];
    return -1;
  }

  /** Goes on to the next triangle. */
  next(): void {
    const { before } = this;
    this.before = this.now;
    this.now = before;
  }
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
