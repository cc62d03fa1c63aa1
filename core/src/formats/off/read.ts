import { mostTriangles, tooManyTriangles } from '../../geometry/growing.ts';
import { latin } from '../../base/latin.ts';
import { Indices, Numbers } from '../../geometry/growing.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import { identityRows } from '../../geometry/rows.ts';
import { badFaces, coloursLost, decimalComma, goesOn, hexColour, leftOut, noFaces, type MeshFile } from '../mesh-file.ts';
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
  if (/^\s*BINARY\b/.test(latin(bytes.subarray(head[0].length, head[0].length + 32)))) {
    throw new Unusable('binary-off', 'The OFF file is binary, which is not read.', 'Export it as text.');
  }
  const lines = new Lines(bytes, head.index + head[0].length);
  const [vertexCount, faceCount] = countsOf(lines, bytes.length);
  const vertices = verticesOf(lines, vertexCount);
  const { triangles, colours, out, wrong } = facesOf(lines, faceCount, vertices);
  const findings: Finding[] = leftOut(out, 'Export a mesh of faces; nothing else is taken from OFF.');
  if (lines.next()) findings.push(goesOn('faces'));
  if (colours.size > 1) findings.push(coloursLost(1));
  if (wrong > 0) findings.push(badFaces(wrong));
  if (triangles.length === 0) findings.push(noFaces(vertices.length > 0));
  const mesh = finiteOnly(vertices.taken(), triangles.taken(), findings);
  const colour = colours.size === 1 ? [...colours][0] : null;
  const parts = triangles.length === 0 ? [] : [{ name: null, above: [], partNumber: null, colour, mesh, places: [identityRows] }];
  return { version: kind === 'OFF' ? 'text' : `text, ${kind}`, unit: null, parts, findings };
}

/** How many vertices and faces there are, as far as the file can hold them. */
function countsOf(lines: Lines, bytes: number): [number, number] {
  const counts = lines.next();
  if (!counts || counts.length < 2) throw broken('it does not say how many vertices and faces it has');
  const [vertices, faces] = counts.map(Number);
  if (![vertices, faces].every((n) => Number.isInteger(n) && n >= 0)) throw broken('its counts are no numbers');
  if (vertices * 6 > bytes || faces * 4 > bytes) throw broken('its counts promise more than the file can hold');
  if (faces > mostTriangles) throw tooManyTriangles(faces);
  return [vertices, faces];
}

function verticesOf(lines: Lines, count: number): Numbers {
  const vertices = new Numbers();
  for (let i = 0; i < count; i++) {
    const row = lines.next();
    if (!row) throw broken('it ends among its vertices');
    for (const word of row.slice(0, 3)) decimalComma(word);
    vertices.push3(Number(row[0] ?? NaN), Number(row[1] ?? NaN), Number(row[2] ?? NaN));
  }
  return vertices;
}

/** Faces of three and more corners as triangles; single points and lines are counted, as are faces that name what is not there. */
function facesOf(lines: Lines, count: number, vertices: Numbers): { triangles: Indices; colours: Set<string>; out: Map<string, number>; wrong: number } {
  const triangles = new Indices();
  const out = new Map<string, number>();
  const colours = new Set<string>();
  const most = vertices.length / 3;
  let wrong = 0;
  for (let i = 0; i < count; i++) {
    const row = lines.next();
    if (!row) throw broken('it ends among its faces');
    const n = Number(row[0]);
    if (n === 1 || n === 2) {
      const what = n === 1 ? 'points' : 'lines';
      out.set(what, (out.get(what) ?? 0) + 1);
      continue;
    }
    const corners = row.slice(1, 1 + n).map(Number);
    if (!(n >= 3) || corners.length < n || corners.some((v) => !Number.isInteger(v) || v < 0 || v >= most)) wrong++;
    else faceTriangles(vertices.values, corners, triangles);
    const colour = colours.size < 2 ? colourIn(row.slice(1 + n, 4 + n)) : null;
    if (colour) colours.add(colour);
  }
  return { triangles, colours, out, wrong };
}

/** Three channels from 0 to 1 where one has a point, else to 255. */
function colourIn(words: string[]): string | null {
  if (words.length !== 3) return null;
  const scale = words.some((c) => c.includes('.')) ? 255 : 1;
  const [r, g, b] = words.map((c) => Number(c) * scale);
  return hexColour(r, g, b);
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
