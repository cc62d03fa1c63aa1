import { mostTriangles, tooManyTriangles } from '../../geometry/growing.ts';
import { Indices, Numbers } from '../../geometry/growing.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import { identityRows } from '../../geometry/rows.ts';
import { badFaces, coloursLost, decimalComma, goesOn, hexColour, leftOut, noFaces, textOf, type MeshFile } from '../mesh-file.ts';
import { faceTriangles, finiteOnly } from '../obj/read.ts';

type Kind = 'i8' | 'u8' | 'i16' | 'u16' | 'i32' | 'u32' | 'f32' | 'f64';
const kinds: Record<string, Kind> = {
  char: 'i8', int8: 'i8', uchar: 'u8', uint8: 'u8', short: 'i16', int16: 'i16', ushort: 'u16', uint16: 'u16',
  int: 'i32', int32: 'i32', uint: 'u32', uint32: 'u32', float: 'f32', float32: 'f32', double: 'f64', float64: 'f64',
}; // prettier-ignore
const bytesOf: Record<Kind, number> = { i8: 1, u8: 1, i16: 2, u16: 2, i32: 4, u32: 4, f32: 4, f64: 8 };

interface Property {
  name: string;
  kind: Kind;
  /** Kind of the count when the property is a list. */
  list: Kind | null;
}
interface Element {
  name: string;
  count: number;
  properties: Property[];
}

const broken = (why: string) => new Unusable('ply-broken', `The PLY file is damaged: ${why}.`, 'Copy or export it again; a half of a part is never used.');

/**
 * Reads a PLY file: ASCII, little and big endian. Elements other than vertices and faces are counted and left out.
 * Source: Turk, The PLY polygon file format, 1994.
 * @throws Unusable when the header or the data can't be read.
 */
export function readPly(bytes: Uint8Array): MeshFile {
  const { format, elements, start } = headerOf(bytes);
  const vertices = new Numbers();
  const triangles = new Indices();
  const out = new Map<string, number>();
  const findings: Finding[] = [];
  const colour = { first: null as string | null, one: true };
  const source: Source = format === 'ascii' ? new Words(bytes, start) : new Cells(bytes, start, format === 'binary_little_endian');
  let wrong = 0;
  for (const element of elements) {
    checkCount(element, format, bytes.length - start);
    if (element.name === 'vertex') readVertices(element, source, vertices, colour);
    else if (element.name === 'face') wrong += readFaces(element, source, vertices, triangles);
    else {
      for (let i = 0; i < element.count; i++) skip(element, source);
      if (element.count > 0) out.set(`of "${element.name}"`, element.count);
    }
  }
  if (source.more()) findings.push(goesOn('elements'));
  if (colour.first !== null && !colour.one) findings.push(coloursLost(1));
  findings.push(...leftOut(out, 'Export a mesh of faces; nothing else is taken from PLY.'));
  if (wrong > 0) findings.push(badFaces(wrong));
  if (triangles.length === 0) findings.push(noFaces(vertices.length > 0));
  const mesh = finiteOnly(vertices.taken(), triangles.taken(), findings);
  const version = { ascii: 'ascii', binary_little_endian: 'binary, little endian', binary_big_endian: 'binary, big endian' }[format];
  return {
    version,
    unit: null,
    parts: triangles.length === 0 ? [] : [{ name: null, above: [], partNumber: null, colour: colour.one ? colour.first : null, mesh, places: [identityRows] }],
    findings,
  };
}

/** @throws Unusable when the header promises more of an element than the bytes left can hold, or too many faces */
function checkCount({ name, count, properties }: Element, format: Format, bytes: number): void {
  const least = properties.reduce((sum, p) => sum + (format === 'ascii' ? 2 : p.list ? bytesOf[p.list] : bytesOf[p.kind]), 0);
  if (count * Math.max(1, least) > bytes + 1) throw broken(`its header promises ${count.toLocaleString('en')} of "${name}", more than the file can hold`);
  if (name === 'face' && count > mostTriangles) throw tooManyTriangles(count);
}

type Format = 'ascii' | 'binary_little_endian' | 'binary_big_endian';

function headerOf(bytes: Uint8Array): { format: Format; elements: Element[]; start: number } {
  const head = textOf(bytes.subarray(0, 65536));
  if (!/^ply\s/.test(head))
    throw new Unusable('not-ply', 'The file is named .ply but does not begin as one.', 'Bring it in under its real ending, or export it again.');
  const found = /\nend_header[ \t]*\r?\n/.exec(head);
  if (!found) throw broken('its header has no end');
  const header = new Header();
  for (const line of head.slice(0, found.index).split(/\r?\n/)) header.take(line.trim());
  if (!header.format) throw broken('its header names no format');
  return { format: header.format, elements: header.elements, start: startOfData(bytes) };
}

/** Where the data begin. The header is ASCII; a comment in another encoding would make text and bytes differ, so the end is looked for in bytes. */
function startOfData(bytes: Uint8Array): number {
  const mark = [10, ...new TextEncoder().encode('end_header')];
  for (let i = 0; i < Math.min(bytes.length, 65536); i++) if (mark.every((b, k) => bytes[i + k] === b)) return bytes.indexOf(10, i + mark.length) + 1;
  throw broken('its header has no end');
}

const formats: readonly string[] = ['ascii', 'binary_little_endian', 'binary_big_endian'];

class Header {
  format: Format | null = null;
  readonly elements: Element[] = [];

  take(line: string): void {
    const [word, ...rest] = line.split(/\s+/);
    if (word === 'format') this.format = formatOf(rest[0] ?? '');
    else if (word === 'element') this.element(rest[0], Number(rest[1]));
    else if (word === 'property') this.property(line, rest);
  }

  private element(name: string, count: number): void {
    if (!Number.isInteger(count) || count < 0) throw broken(`the count of "${name ?? ''}" is not a number`);
    this.elements.push({ name, count, properties: [] });
  }

  private property(line: string, words: string[]): void {
    const list = words[0] === 'list';
    const kind = kinds[list ? words[2] : words[0]];
    const count = list ? kinds[words[1]] : null;
    const element = this.elements[this.elements.length - 1];
    if (!kind || count === undefined || !element) throw broken(`the line "${line.slice(0, 60)}" is not understood`);
    element.properties.push({ name: words[words.length - 1], kind, list: count });
  }
}

function formatOf(word: string): Format {
  if (!formats.includes(word)) throw broken(`its format "${word}" is not known`);
  return word as Format;
}

interface Source {
  next(kind: Kind): number;
  /** Whether more than blank space is left. */
  more(): boolean;
}

/** Numbers of a binary file, one after another. */
class Cells implements Source {
  private readonly view: DataView;
  private at: number;
  private readonly little: boolean;
  constructor(bytes: Uint8Array, start: number, little: boolean) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.at = start;
    this.little = little;
  }
  more(): boolean {
    // The end of a line behind the data, or bytes that fill up a word, are nothing.
    const left = this.view.byteLength - this.at;
    if (left > 3) return true;
    for (let i = 0; i < left; i++) if (this.view.getUint8(this.at + i) > 32) return true;
    return false;
  }
  next(kind: Kind): number {
    const { at, view, little } = this;
    if (at + bytesOf[kind] > view.byteLength) throw broken('it ends too early');
    this.at += bytesOf[kind];
    switch (kind) {
      case 'i8':
        return view.getInt8(at);
      case 'u8':
        return view.getUint8(at);
      case 'i16':
        return view.getInt16(at, little);
      case 'u16':
        return view.getUint16(at, little);
      case 'i32':
        return view.getInt32(at, little);
      case 'u32':
        return view.getUint32(at, little);
      case 'f32':
        return view.getFloat32(at, little);
      default:
        return view.getFloat64(at, little);
    }
  }
}

/** Numbers of a text file, one after another. */
class Words implements Source {
  private readonly bytes: Uint8Array;
  private at: number;
  private readonly decoder = new TextDecoder('latin1');
  constructor(bytes: Uint8Array, start: number) {
    this.bytes = bytes;
    this.at = start;
  }
  more(): boolean {
    return this.bytes.subarray(this.at).some((b) => b > 32);
  }
  next(): number {
    const { bytes } = this;
    let from = this.at;
    while (from < bytes.length && bytes[from] <= 32) from++;
    if (from >= bytes.length) throw broken('it ends too early');
    let to = from;
    while (to < bytes.length && bytes[to] > 32 && to - from < 64) to++;
    this.at = to;
    const word = this.decoder.decode(bytes.subarray(from, to));
    const value = Number(word);
    if (Number.isNaN(value)) decimalComma(word);
    return value;
  }
}

function skip(element: Element, source: Source): void {
  for (const property of element.properties) {
    const count = property.list ? source.next(property.list) : 1;
    if (!(count >= 0 && count < 1e7)) throw broken('a list has no sensible length');
    for (let k = 0; k < count; k++) source.next(property.kind);
  }
}

function readVertices(element: Element, source: Source, into: Numbers, colour: { first: string | null; one: boolean }): void {
  const at = (name: string) => element.properties.findIndex((p) => p.name === name && !p.list);
  const [x, y, z] = ['x', 'y', 'z'].map(at);
  if (x < 0 || y < 0 || z < 0) throw broken('its vertices have no x, y and z');
  const rgb = ['red', 'green', 'blue'].map(at);
  const scale = rgb[0] >= 0 && ['f32', 'f64'].includes(element.properties[rgb[0]].kind) ? 255 : 1;
  const row = new Float64Array(element.properties.length);
  for (let i = 0; i < element.count; i++) {
    element.properties.forEach((property, k) => {
      const count = property.list ? source.next(property.list) : 1;
      if (!(count >= 0 && count < 1e7)) throw broken('a list has no sensible length');
      for (let j = 0; j < count; j++) row[k] = source.next(property.kind);
    });
    into.push3(row[x], row[y], row[z]);
    if (rgb.every((c) => c >= 0) && colour.one) {
      const hex = hexColour(row[rgb[0]] * scale, row[rgb[1]] * scale, row[rgb[2]] * scale);
      colour.first ??= hex;
      colour.one = colour.first === hex;
    }
  }
}

function readFaces(element: Element, source: Source, vertices: Numbers, into: Indices): number {
  const which = element.properties.findIndex((p) => p.list && /^vert(ex|ices)_?ind(ex|ices)$|^vertex_indices$|^vertex_index$/.test(p.name));
  if (which < 0 && element.count > 0) throw broken('its faces have no list of vertices');
  const most = vertices.length / 3;
  let wrong = 0;
  for (let i = 0; i < element.count; i++) {
    let corners: number[] = [];
    element.properties.forEach((property, k) => {
      const count = property.list ? source.next(property.list) : 1;
      if (!(count >= 0 && count < 1e5)) throw broken('a face has no sensible number of corners');
      const list: number[] = [];
      for (let j = 0; j < count; j++) list.push(source.next(property.kind));
      if (k === which) corners = list;
    });
    if (corners.length < 3 || corners.some((v) => !Number.isInteger(v) || v < 0 || v >= most)) wrong++;
    else faceTriangles(vertices.values, corners, into);
  }
  return wrong;
}
