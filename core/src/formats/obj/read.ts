import { farthest } from '../finite.ts';
import { notNumbers } from '../stl/block.ts';
import { Indices, Numbers } from '../../geometry/growing.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import type { Mesh } from '../../geometry/mesh.ts';
import { identityRows } from '../../geometry/rows.ts';
import { weldEqual } from '../../geometry/weld.ts';
import { leastArea } from '../../mesh/repair/holes.ts';
import { checkMesh } from '../../mesh/soundness/check-mesh.ts';
import { coloursLost, decimalComma, leftOut, textOf, type MeshFile, type MeshFilePart } from '../mesh-file.ts';

/** Words of lines that hold geometry which is not read here, with what people call it. */
const passedOver: Record<string, string> = {
  l: 'lines',
  p: 'points',
  curv: 'curves',
  curv2: 'curves',
  surf: 'free-form surfaces',
  bmat: 'free-form surfaces',
};

interface Piece {
  /** Which "o" line it stands under (from 1; 0 before the first): two objects of one name stay two parts. */
  count: number;
  object: string | null;
  group: string | null;
  from: number;
  to: number;
}

/** A face of more corners than this is refused; no program writes such. */
const mostCorners = 100_000;

/**
 * Reads an OBJ file: vertices (perhaps with colours), polygons with any indices (also negative ones), objects and groups.
 * An object is a part; without objects, groups are parts when each is closed by itself. Equal vertices are joined.
 * Source: the format's public description (version 3.0), as common practice has it.
 * @throws Unusable when nothing can be read.
 */
export function readObj(bytes: Uint8Array): MeshFile {
  const reader = new Reader();
  forEachLine(bytes, (line, number) => reader.take(line, number));
  reader.finish();
  const { vertices, triangles, colours } = reader;
  if (vertices.length === 0 && triangles.length === 0) {
    throw new Unusable('not-obj', 'The file is named .obj but holds no vertices ("v" lines).', 'Open it in the program that made it and export an OBJ again.');
  }
  const findings = reader.findings();
  if (colours.length > 0 && colours.length === vertices.length && oneColour(colours, vertices.length) === null) findings.push(coloursLost(1));
  const parts = partsOf(reader, findings);
  if (parts.length === 0) {
    findings.push({
      code: 'no-triangles',
      severity: 'stop',
      count: 1,
      message: 'The file has no faces.',
      remedy: 'Export it again with the part shown and chosen.',
    });
  }
  return { version: 'text', unit: null, parts, findings };
}

/** Takes the lines of a file one after another. */
class Reader {
  readonly vertices = new Numbers();
  readonly colours = new Numbers();
  readonly triangles = new Indices();
  readonly pieces: Piece[] = [];
  private readonly out = new Map<string, number>();
  private readonly wrong = { faces: 0, first: 0 };
  private count = 0;
  private object: string | null = null;
  private group: string | null = null;
  private from = 0;
  private materials = false;

  take(line: string, number: number): void {
    const space = line.search(/\s/);
    const word = space < 0 ? line : line.slice(0, space);
    const name = () => (space < 0 ? null : line.slice(space + 1).trim() || null);
    switch (word) {
      case 'v':
        return this.vertex(line);
      case 'f':
        return this.face(line, number);
      case 'o':
        this.finish();
        this.count++;
        this.object = name();
        return;
      case 'g':
        this.finish();
        this.group = name();
        return;
      case 'mtllib':
        this.materials = true;
        return;
      default:
        if (Object.hasOwn(passedOver, word)) this.out.set(passedOver[word], (this.out.get(passedOver[word]) ?? 0) + 1);
    }
  }

  /** Ends the piece under way. */
  finish(): void {
    const { count, object, group, from, triangles } = this;
    if (triangles.length > from) this.pieces.push({ count, object, group, from, to: triangles.length });
    this.from = triangles.length;
  }

  /** A vertex whose place is no number is kept, so that those after it have their numbers; what uses it is told. */
  private vertex(line: string): void {
    const v = numbersOf(line, 1);
    if (v.length < 3 || !v.slice(0, 3).every(Number.isFinite)) this.vertices.push3(NaN, NaN, NaN);
    else this.vertices.push3(v[0], v[1], v[2]);
    if (v.length >= 6) this.colours.push3(v[3], v[4], v[5]);
  }

  private face(line: string, number: number): void {
    const known = this.vertices.length / 3;
    const corners = cornersOf(line, known);
    if (corners && corners.length >= 3 && corners.every((v) => v >= 0 && v < known)) return faceTriangles(this.vertices.values, corners, this.triangles);
    this.wrong.faces++;
    this.wrong.first ||= number;
  }

  findings(): Finding[] {
    const findings: Finding[] = leftOut(this.out, 'Export meshes; lines, points and free-form surfaces are not taken from OBJ.');
    const { faces, first } = this.wrong;
    if (faces > 0) {
      findings.push({
        code: 'bad-faces',
        severity: 'stop',
        count: faces,
        message: `${faces.toLocaleString('en')} faces name vertices that are not there (first on line ${first.toLocaleString('en')}) and were left out.`,
        remedy: 'Export the part again; the places they left are open edges now.',
      });
    }
    if (this.materials) {
      findings.push({
        code: 'materials-elsewhere',
        severity: 'clear',
        count: 1,
        message: 'The colours of this OBJ are in another file (.mtl), which was not brought in.',
        remedy: 'Nothing to do for a machine file; colours change nothing in the shape.',
      });
    }
    return findings;
  }
}

const isBlank = (byte: number) => byte === 32 || byte === 9 || byte === 13;

/** Where a line begins and ends without the blanks round it. */
function trimmed(bytes: Uint8Array, first: number, last: number): [number, number] {
  while (first < last && isBlank(bytes[first])) first++;
  while (last > first && isBlank(bytes[last - 1])) last--;
  return [first, last];
}

/** Calls `take` for every line, joined where a backslash ends it; comments and blank lines are passed over. */
function forEachLine(bytes: Uint8Array, take: (line: string, number: number) => void): void {
  const decoder = new TextDecoder('latin1');
  let from = 0;
  let number = 0;
  let held = '';
  while (from < bytes.length) {
    let end = bytes.indexOf(10, from);
    if (end < 0) end = bytes.length;
    number++;
    const [first, last] = trimmed(bytes, from, end);
    from = end + 1;
    if (first === last && held === '') continue;
    if (bytes[first] === 35) continue;
    const named = (bytes[first] === 111 || bytes[first] === 103) && isBlank(bytes[first + 1]);
    const piece = named ? textOf(bytes.subarray(first, last)) : decoder.decode(bytes.subarray(first, last));
    if (piece.endsWith('\\') && held.length < 1_000_000) {
      held += `${piece.slice(0, -1)} `;
      continue;
    }
    take(held === '' ? piece : held + piece, number);
    held = '';
  }
  if (held !== '') take(held, number);
}

function numbersOf(line: string, from: number): number[] {
  const out: number[] = [];
  for (const piece of line.slice(from).split(/\s+/)) {
    if (piece === '') continue;
    const value = Number(piece);
    if (Number.isNaN(value)) decimalComma(piece);
    out.push(value);
  }
  return out;
}

/** Vertex numbers (from 0) of a face; texture and normal numbers are passed over. Null when one is no number. */
function cornersOf(line: string, count: number): number[] | null {
  const out: number[] = [];
  for (const piece of line.slice(1).split(/\s+/)) {
    if (piece === '') continue;
    const n = Number.parseInt(piece, 10);
    if (!Number.isInteger(n) || n === 0) return null;
    out.push(n > 0 ? n - 1 : count + n);
    if (out.length > mostCorners) return null;
  }
  return out;
}

/** A polygon as triangles: fans for three and four convex corners, the least area for the rest. */
export function faceTriangles(p: Float64Array, corners: number[], into: Indices): void {
  if (corners.length === 3) return into.push3(corners[0], corners[1], corners[2]);
  const points = new Float64Array(corners.length * 3);
  corners.forEach((v, i) => {
    for (let k = 0; k < 3; k++) points[i * 3 + k] = p[v * 3 + k];
  });
  if (!points.every(Number.isFinite)) {
    for (let i = 1; i + 1 < corners.length; i++) into.push3(corners[0], corners[i], corners[i + 1]);
    return;
  }
  const t = leastArea(points);
  for (let i = 0; i < t.length; i += 3) into.push3(corners[t[i]], corners[t[i + 1]], corners[t[i + 2]]);
}

function partsOf({ pieces, vertices, triangles, colours }: Reader, findings: Finding[]): MeshFilePart[] {
  const positions = vertices.taken();
  const renamed = new Int32Array(positions.length / 3).fill(-1);
  const meshOf = (list: Piece[], into = findings): Mesh => {
    const length = list.reduce((n, p) => n + p.to - p.from, 0);
    const t = new Uint32Array(length);
    let at = 0;
    for (const p of list) {
      t.set(triangles.values.subarray(p.from, p.to), at);
      at += p.to - p.from;
    }
    return finiteOnly(positions, t, into, renamed);
  };
  const by = (key: (p: Piece) => string | number | null) => {
    const map = new Map<string | number | null, Piece[]>();
    for (const p of pieces) {
      const list = map.get(key(p));
      if (list) list.push(p);
      else map.set(key(p), [p]);
    }
    return [...map.values()];
  };
  let split = by((p) => p.count);
  let named: 'object' | 'group' = 'object';
  if (split.length <= 1) {
    const groups = by((p) => p.group);
    if (groups.length > 1 && groups.length <= 2000 && groups.every((list) => checkMesh(meshOf(list, []), 0).openEdges === 0)) {
      split = groups;
      named = 'group';
    }
  }
  const colour = oneColour(colours, positions.length);
  return split.map((list) => ({ name: list[0][named], above: [], partNumber: null, colour, mesh: meshOf(list), places: [identityRows] }));
}

/** The colour of all vertices when they share one (0 to 1 a channel); null otherwise. */
function oneColour(colours: Numbers, positions: number): string | null {
  if (colours.length === 0 || colours.length !== positions) return null;
  for (let i = 3; i < colours.length; i++) if (colours.values[i] !== colours.values[i % 3]) return null;
  const [r, g, b] = Array.from(colours.values.slice(0, 3), (c) => Math.round(Math.min(1, Math.max(0, c)) * 255));
  return `#${[r, g, b].map((c) => c.toString(16).padStart(2, '0')).join('')}`;
}

/**
 * Equal vertices joined; triangles with a coordinate that is no number left out and counted.
 * `renamed` (-1 for every vertex) is scratch room, so that many parts of one list of vertices cost no more than one.
 */
export function finiteOnly(positions: Float64Array, t: Uint32Array, findings: Finding[], renamed = new Int32Array(positions.length / 3).fill(-1)): Mesh {
  let bad = 0;
  const near = (i: number) => Math.abs(positions[i]) <= farthest;
  const finite = (v: number) => near(v * 3) && near(v * 3 + 1) && near(v * 3 + 2);
  const kept = new Uint32Array(t.length);
  let at = 0;
  for (let i = 0; i < t.length; i += 3) {
    if (!finite(t[i]) || !finite(t[i + 1]) || !finite(t[i + 2])) {
      bad++;
      continue;
    }
    kept[at++] = t[i];
    kept[at++] = t[i + 1];
    kept[at++] = t[i + 2];
  }
  if (bad > 0) findings.push(notNumbers(bad));
  return weldEqual(...used(positions, kept.slice(0, at), renamed));
}

/** Only the vertices that triangles use, in the order of their first use; `renamed` is left as it came. */
function used(positions: Float64Array, t: Uint32Array, renamed: Int32Array): [Float64Array, Uint32Array] {
  const out = new Float64Array(Math.min(t.length, renamed.length) * 3);
  const triangles = new Uint32Array(t.length);
  let n = 0;
  for (let i = 0; i < t.length; i++) {
    const v = t[i];
    if (renamed[v] < 0) {
      for (let k = 0; k < 3; k++) out[n * 3 + k] = positions[v * 3 + k];
      renamed[v] = n++;
    }
    triangles[i] = renamed[v];
  }
  for (const v of t) renamed[v] = -1;
  return [out.slice(0, n * 3), triangles];
}
