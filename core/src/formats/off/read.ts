import { mostTriangles, tooManyTriangles } from '../../geometry/growing.ts';
import { latin } from '../../base/latin.ts';
import { Indices, Numbers } from '../../geometry/growing.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import { identityRows } from '../../geometry/rows.ts';
import { badFaces, coloursLost, decimalComma, hexColour, leftOut, noFaces, type MeshFile } from '../mesh-file.ts';
import { faceTriangles, finiteOnly } from '../obj/read.ts';

const broken = (why: string) => new Unusable('off-broken', `The OFF file is damaged: ${why}.`, 'Copy or export it again; a half of a part is never used.');

const first = /^\s*(?:#[^\n]*\n\s*)*((?:ST)?C?N?4?n?OFF)(?=\s)/;

/** Whether the bytes begin as an OFF file does. */
export function looksLikeOff(bytes: Uint8Array): boolean {
  return first.test(latin(bytes.subarray(0, 1024)));
}

/**
 * Reads an OFF file in text: vertices with or without normals, colours and texture places, faces of any number of corners with
 * or without a colour. Comments stand anywhere.
 * Source: the Object File Format as described with Geomview, "OFF files".
 * @throws Unusable when it is binary, of another dimension, or cut off.
 */
export function readOff(bytes: Uint8Array): MeshFile {
  const head = first.exec(latin(bytes.subarray(0, 1024)));
  if (!head) throw new Unusable('not-off', 'The file is named .off but does not begin as one.', 'Bring it in under its real ending, or export it again.');
  const kind = head[1];
  if (/4|n/.test(kind.replace('OFF', '')))
    throw new Unusable('not-flat-space', 'The OFF file has points of more than three dimensions.', 'Export it in three dimensions.');
  const words = new Lines(bytes, head.index + head[0].length);
  if (/^\s*BINARY\b/.test(latin(bytes.subarray(head[0].length, head[0].length + 32)))) {
    throw new Unusable('binary-off', 'The OFF file is binary, which is not read.', 'Export it as text.');
  }
  const counts = words.next();
  if (!counts || counts.length < 2) throw broken('it does not say how many vertices and faces it has');
  const [vertexCount, faceCount] = counts.map(Number);
  if (!Number.isInteger(vertexCount) || !Number.isInteger(faceCount) || vertexCount < 0 || faceCount < 0) throw broken('its counts are no numbers');
  if (vertexCount * 6 > bytes.length || faceCount * 4 > bytes.length) throw broken('its counts promise more than the file can hold');
  if (faceCount > mostTriangles) throw tooManyTriangles(faceCount);
  const vertices = new Numbers();
  for (let i = 0; i < vertexCount; i++) {
    const row = words.next();
    if (!row) throw broken('it ends among its vertices');
    for (const word of row.slice(0, 3)) decimalComma(word);
    vertices.push3(Number(row[0] ?? NaN), Number(row[1] ?? NaN), Number(row[2] ?? NaN));
  }
  const triangles = new Indices();
  const out = new Map<string, number>();
  const colours = new Set<string>();
  let wrong = 0;
  for (let i = 0; i < faceCount; i++) {
    const row = words.next();
    if (!row) throw broken('it ends among its faces');
    const n = Number(row[0]);
    const corners = row.slice(1, 1 + n).map(Number);
    if (n === 1 || n === 2) out.set(n === 1 ? 'points' : 'lines', (out.get(n === 1 ? 'points' : 'lines') ?? 0) + 1);
    else if (!(n >= 3) || corners.length < n || corners.some((v) => !Number.isInteger(v) || v < 0 || v >= vertexCount)) wrong++;
    else faceTriangles(vertices.values, corners, triangles);
    const colour = row.slice(1 + n, 4 + n);
    if (n >= 3 && colour.length === 3 && colours.size < 2) {
      const scale = colour.some((c) => c.includes('.')) ? 255 : 1;
      colours.add(hexColour(...(colour.map((c) => Number(c) * scale) as [number, number, number])));
    }
  }
  const findings: Finding[] = leftOut(out, 'Export a mesh of faces; nothing else is taken from OFF.');
  if (colours.size > 1) findings.push(coloursLost(1));
  if (wrong > 0) findings.push(badFaces(wrong));
  if (triangles.length === 0) findings.push(noFaces(vertices.length > 0));
  const mesh = finiteOnly(vertices.taken(), triangles.taken(), findings);
  const colour = colours.size === 1 ? [...colours][0] : null;
  const parts = triangles.length === 0 ? [] : [{ name: null, above: [], partNumber: null, colour, mesh, places: [identityRows] }];
  return { version: kind === 'OFF' ? 'text' : `text, ${kind}`, unit: null, parts, findings };
}

/** Lines of words; comments and empty lines are passed over. */
class Lines {
  private readonly bytes: Uint8Array;
  private at: number;
  constructor(bytes: Uint8Array, at: number) {
    this.bytes = bytes;
    this.at = at;
  }
  next(): string[] | null {
    const { bytes } = this;
    while (this.at < bytes.length) {
      let end = bytes.indexOf(10, this.at);
      if (end < 0) end = bytes.length;
      if (end - this.at > 1_000_000) throw broken('it has a line of more than a million characters');
      const line = latin(bytes.subarray(this.at, end)).split('#', 1)[0].trim();
      this.at = end + 1;
      if (line !== '') return line.split(/\s+/);
    }
    return null;
  }
}
