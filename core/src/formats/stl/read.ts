import { Unusable, type Finding } from '../../findings/finding.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { VertexWelder } from '../../geometry/weld.ts';
import { readAsciiStl } from './read-ascii.ts';

/** One `solid` block of an ASCII file, or the whole of a binary one. Coordinates as they stand in the file. */
export interface StlBlock {
  name: string | null;
  mesh: Mesh;
}

export interface StlFile {
  encoding: 'binary' | 'ascii';
  blocks: StlBlock[];
  findings: Finding[];
}

/** No STL of more triangles than this is opened (3 x 14 bytes of memory each have to fit). */
export const mostTriangles = 20_000_000;

/** How an STL is encoded, by the length rule first: many binary files begin with the word "solid". */
export function stlEncoding(bytes: Uint8Array): 'binary' | 'ascii' | null {
  if (bytes.length >= 84) {
    const count = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength).getUint32(80, true);
    if (84 + 50 * count === bytes.length) return 'binary';
  }
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

/** Joins equal vertices straight from the bytes. Triangles with a coordinate that is no number are counted and left out. */
function weldBinary(view: DataView, count: number): { mesh: Mesh; unreadable: number } {
  const welder = new VertexWelder(Math.ceil(count * 0.55) + 16);
  let triangles = new Uint32Array(count * 3);
  let at = 0;
  let unreadable = 0;
  // All bits of the exponent set: infinite or not a number (IEEE 754).
  const top = 0x7f800000;
  for (let i = 0, o = 96; i < count; i++, o += 50) {
    const ax = view.getInt32(o, true);
    const ay = view.getInt32(o + 4, true);
    const az = view.getInt32(o + 8, true);
    const bx = view.getInt32(o + 12, true);
    const by = view.getInt32(o + 16, true);
    const bz = view.getInt32(o + 20, true);
    const cx = view.getInt32(o + 24, true);
    const cy = view.getInt32(o + 28, true);
    const cz = view.getInt32(o + 32, true);
    if (
      (ax & top) === top ||
      (ay & top) === top ||
      (az & top) === top ||
      (bx & top) === top ||
      (by & top) === top ||
      (bz & top) === top ||
      (cx & top) === top ||
      (cy & top) === top ||
      (cz & top) === top
    ) {
      unreadable++;
      continue;
    }
    triangles[at] = welder.add(ax, ay, az);
    triangles[at + 1] = welder.add(bx, by, bz);
    triangles[at + 2] = welder.add(cx, cy, cz);
    at += 3;
  }
  if (at < triangles.length) triangles = triangles.slice(0, at);
  return { mesh: { positions: welder.positions(), triangles }, unreadable };
}

/** The finding for a file or block with no triangles. */
export function noTriangles(block?: string | null): Finding {
  return {
    code: 'no-triangles',
    severity: block === undefined ? 'stop' : 'look',
    count: 1,
    message: block === undefined ? 'The file has no triangles.' : `The block ${block ? `"${block}"` : 'without a name'} has no triangles and was left out.`,
    remedy: 'Export it again with the part shown and chosen.',
  };
}

/** The finding for triangles with NaN or infinite coordinates. */
export function notNumbers(count: number): Finding {
  return {
    code: 'not-numbers',
    severity: 'stop',
    count,
    message: `${count.toLocaleString('en')} triangles have coordinates that are not numbers and were left out.`,
    remedy: 'Export the part again; the places they left are open edges now.',
  };
}

/** A name in the 80-byte header, when there is readable text in it. */
function headerName(bytes: Uint8Array): string | null {
  const text = latin(bytes.subarray(0, 80))
    .replace(/\0[\s\S]*$/, '')
    .trim();
  const name = text.replace(/^solid\s*/i, '').trim();
  return name.length > 0 && /^[\x20-\x7e]+$/.test(name) ? name : null;
}

/** Bytes as Latin-1 text. */
export function latin(bytes: Uint8Array): string {
  return new TextDecoder('latin1').decode(bytes);
}
