import { latin } from '../../base/latin.ts';
import { Indices } from '../../geometry/growing.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import { identityRows, timesRows, type Rows } from '../../geometry/rows.ts';
import { badFaces, hexColour, leftOut, type MeshFile, type MeshFilePart } from '../mesh-file.ts';
import { finiteOnly } from '../obj/read.ts';

const broken = (why: string) =>
  new Unusable('gltf-broken', `The glTF file could not be read: ${why}.`, 'Copy or export it again; a half of a part is never used.');

/** Whether the bytes begin as a GLB or a glTF file does. */
export function looksLikeGltf(bytes: Uint8Array): boolean {
  const head = latin(bytes.subarray(0, 4096));
  return (
    head.startsWith('glTF') || (/^\s*\{/.test(head) && /"asset"\s*:\s*\{/.test(latin(bytes.subarray(0, 1 << 20))) && /"version"\s*:\s*"2/.test(latin(bytes)))
  );
}

interface Node {
  name?: string;
  mesh?: number;
  skin?: number;
  children?: number[];
  matrix?: number[];
  translation?: number[];
  rotation?: number[];
  scale?: number[];
  extensions?: Record<string, unknown>;
}

interface Primitive {
  attributes: Record<string, number>;
  indices?: number;
  material?: number;
  mode?: number;
  targets?: unknown[];
}

interface Accessor {
  bufferView?: number;
  byteOffset?: number;
  componentType: number;
  count: number;
  type: string;
  sparse?: unknown;
  normalized?: boolean;
}

interface Gltf {
  asset?: { version?: string };
  extensionsRequired?: string[];
  scene?: number;
  scenes?: { nodes?: number[] }[];
  nodes?: Node[];
  meshes?: { name?: string; primitives: Primitive[] }[];
  animations?: unknown[];
  materials?: { pbrMetallicRoughness?: { baseColorFactor?: number[]; baseColorTexture?: unknown } }[];
  accessors?: Accessor[];
  bufferViews?: BufferView[];
  buffers?: { uri?: string; byteLength: number }[];
}

interface BufferView {
  buffer: number;
  byteOffset?: number;
  byteLength: number;
  byteStride?: number;
}

const widths: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4 };
const deepest = 64;
const mostPlaces = 20_000;

/**
 * Reads glTF 2.0, packed (GLB) or as JSON with its data inside. Lengths are metres and Y points up in the standard: numbers come
 * as mm with Z up. Nodes are the parts' places; one material's base colour is the part's colour. Buffers in other files and
 * compressed meshes are refused; what moves, bends or copies meshes otherwise, and what no scene shows, is told.
 * Source: glTF 2.0 Specification, Khronos Group 2021, sections 3.5 to 3.7 and 4.
 */
export function readGltf(bytes: Uint8Array): MeshFile {
  const { json, bin } = unpacked(bytes);
  if (!/^2\./.test(json.asset?.version ?? '')) throw broken('it is not of version 2');
  const odd = (json.extensionsRequired ?? []).filter((e) => !/^KHR_(materials|texture|lights|mesh_quantization)/.test(e));
  if (odd.length > 0)
    throw new Unusable('gltf-extension', `The glTF file needs ${odd.join(', ')}, which is not read.`, 'Export it without compression and extensions.');
  const buffers = (json.buffers ?? []).map((b, i) => bufferOf(b, i, bin));
  const { parts, findings } = new GltfReader(json, buffers).read();
  return { version: latin(bytes.subarray(0, 4)) === 'glTF' ? '2.0, packed' : '2.0', unit: 'm', parts, findings };
}

/** What is told of modes that are no triangles. */
const flatModes = ['sets of points', 'sets of lines', 'sets of lines', 'sets of lines'];

class GltfReader {
  private readonly json: Gltf;
  private readonly buffers: Uint8Array[];
  private readonly out = new Map<string, number>();
  private readonly findings: Finding[] = [];
  private readonly shapes = new Map<number, MeshFilePart[]>();
  private bad = 0;
  private placed = 0;

  constructor(json: Gltf, buffers: Uint8Array[]) {
    this.json = json;
    this.buffers = buffers;
  }

  read(): Pick<MeshFile, 'parts' | 'findings'> {
    const { json, findings } = this;
    const scene = json.scenes?.[json.scene ?? 0];
    const roots = scene ? (scene.nodes ?? []) : (json.nodes ?? []).map((_, i) => i);
    for (const root of roots) this.visit(root, identityRows, [], 0);
    const parts = [...this.shapes.values()].flat().filter((p) => p.places.length > 0);
    this.lose('animations', json.animations?.length ?? 0);
    const shown = new Set(this.shapes.keys());
    this.lose('meshes that the scene does not show', (json.meshes ?? []).filter((_, i) => !shown.has(i)).length);
    findings.push(...leftOut(this.out, 'Only surfaces of triangles, as the scene places them, are taken from glTF.'));
    if (this.bad > 0) findings.push(badFaces(this.bad));
    if (parts.length === 0)
      findings.push({
        code: 'no-triangles',
        severity: 'stop',
        count: 1,
        message: 'The file places no surface.',
        remedy: 'Export it again with the part shown and chosen.',
      });
    return { parts, findings };
  }

  private lose(what: string, count = 1): void {
    if (count > 0) this.out.set(what, (this.out.get(what) ?? 0) + count);
  }

  private visit(at: number, rows: Rows, above: string[], depth: number): void {
    const node = this.json.nodes?.[at];
    if (!node) throw broken(`node ${at} is named but not there`);
    if (depth > deepest) throw broken('its nodes are nested too deep or in a circle');
    const here = timesRows(rows, placeOf(node));
    if (node.mesh !== undefined) this.place(node, node.mesh, here, above);
    const names = node.children?.length ? [...above, node.name ?? `Node ${at + 1}`] : above;
    for (const child of node.children ?? []) this.visit(child, here, names, depth + 1);
  }

  private place(node: Node, mesh: number, here: Rows, above: string[]): void {
    if (node.skin !== undefined) this.lose('sets of bones that bend a mesh');
    if (node.extensions?.EXT_mesh_gpu_instancing) this.lose('lists of further copies');
    for (const part of this.shapesOf(mesh)) {
      if (++this.placed > mostPlaces) throw broken(`it places more than ${mostPlaces.toLocaleString('en')} parts`);
      if (part.places.length === 0) {
        part.above = above;
        part.name ??= node.name ?? null;
      }
      part.places.push(here);
      part.aboveEach!.push(above);
    }
  }

  /** The surfaces of a mesh, made once. */
  private shapesOf(at: number): MeshFilePart[] {
    const known = this.shapes.get(at);
    if (known) return known;
    const mesh = this.json.meshes?.[at];
    if (!mesh || !Array.isArray(mesh.primitives)) throw broken(`mesh ${at} is named but not there`);
    const made = mesh.primitives.flatMap((primitive, i): MeshFilePart[] => {
      const shape = this.meshOf(primitive);
      if (!shape) return [];
      const name = mesh.primitives.length > 1 ? `${mesh.name ?? `Mesh ${at + 1}`} ${i + 1}` : (mesh.name ?? null);
      return [{ name, above: [], partNumber: null, ...shape, places: [], aboveEach: [] }];
    });
    this.shapes.set(at, made);
    return made;
  }

  private meshOf(primitive: Primitive): Pick<MeshFilePart, 'mesh' | 'colour'> | null {
    const mode = primitive.mode ?? 4;
    if (mode < 4) {
      this.lose(flatModes[mode] ?? 'sets of lines');
      return null;
    }
    this.lose('shapes to morph into', primitive.targets?.length ?? 0);
    const positions = positionsOf(numbersOf(this.json, this.buffers, primitive.attributes?.POSITION, 3));
    const most = positions.length / 3;
    const corners =
      primitive.indices === undefined ? Float64Array.from({ length: most }, (_, k) => k) : numbersOf(this.json, this.buffers, primitive.indices, 1);
    const triangles = this.trianglesOf(mode, corners, most);
    if (triangles.length === 0) return null;
    const material = this.json.materials?.[primitive.material ?? -1]?.pbrMetallicRoughness;
    if (material?.baseColorTexture) this.lose('pictures on surfaces');
    return { colour: colourOf(material?.baseColorFactor), mesh: finiteOnly(positions, triangles.taken(), this.findings) };
  }

  /** Triangles one by one (4), in a strip (5) or a fan (6). What is named and not there, and corners too few for one, are counted. */
  private trianglesOf(mode: number, corners: Float64Array, most: number): Indices {
    const triangles = new Indices();
    const push = (a: number, b: number, c: number) => {
      if (a < most && b < most && c < most) triangles.push3(a, b, c);
      else this.bad++;
    };
    if (mode === 4) {
      for (let k = 0; k + 2 < corners.length; k += 3) push(corners[k], corners[k + 1], corners[k + 2]);
      if (corners.length % 3 !== 0) this.bad++;
    } else if (mode === 5) for (let k = 0; k + 2 < corners.length; k++) push(corners[k], corners[k + 1 + (k % 2)], corners[k + 2 - (k % 2)]);
    else for (let k = 1; k + 1 < corners.length; k++) push(corners[0], corners[k], corners[k + 1]);
    return triangles;
  }
}

/** 1 m = 1000 mm; Y up becomes Z up. */
function positionsOf(p: Float64Array): Float64Array {
  const positions = new Float64Array(p.length);
  for (let v = 0; v < p.length; v += 3) [positions[v], positions[v + 1], positions[v + 2]] = [p[v] * 1000, -p[v + 2] * 1000, p[v + 1] * 1000];
  return positions;
}

function unpacked(bytes: Uint8Array): { json: Gltf; bin: Uint8Array | null } {
  let text: Uint8Array = bytes;
  let bin: Uint8Array | null = null;
  if (latin(bytes.subarray(0, 4)) === 'glTF') {
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    if (bytes.length < 20 || view.getUint32(4, true) !== 2) throw broken('it is not of version 2');
    if (view.getUint32(8, true) > bytes.length) throw broken('it is cut off');
    for (let at = 12; at + 8 <= bytes.length;) {
      const length = view.getUint32(at, true);
      const kind = view.getUint32(at + 4, true);
      if (at + 8 + length > bytes.length) throw broken('it is cut off');
      const chunk = bytes.subarray(at + 8, at + 8 + length);
      if (kind === 0x4e4f534a) text = chunk;
      else if (kind === 0x004e4942) bin ??= chunk;
      at += 8 + length + ((4 - (length % 4)) % 4);
    }
  }
  let json: unknown;
  try {
    json = JSON.parse(new TextDecoder('utf-8').decode(text));
  } catch {
    throw broken('its JSON is damaged');
  }
  return { json: wellFormed(json), bin };
}

const isTable = (v: unknown): v is Record<string, unknown> => typeof v === 'object' && v !== null && !Array.isArray(v);
const isTables = (v: unknown): v is Record<string, unknown>[] => Array.isArray(v) && v.every(isTable);
const isList = (v: unknown): boolean => v === undefined || Array.isArray(v);

/** @throws Unusable when a list of the file is none, or holds something else than objects */
function wellFormed(json: unknown): Gltf {
  if (!isTable(json) || (json.asset !== undefined && !isTable(json.asset))) throw broken('its JSON is no glTF');
  for (const key of ['scenes', 'nodes', 'meshes', 'materials', 'accessors', 'bufferViews', 'buffers'])
    if (json[key] !== undefined && !isTables(json[key])) throw broken(`its "${key}" are no list of objects`);
  const { scenes = [], nodes = [], meshes = [], extensionsRequired } = json as Record<string, Record<string, unknown>[]>;
  if (
    !isList(extensionsRequired) ||
    !scenes.every((s) => isList(s.nodes)) ||
    !nodes.every((n) => [n.children, n.matrix, n.translation, n.rotation, n.scale].every(isList))
  )
    throw broken('a list in it is none');
  if (!meshes.every((m) => isTables(m.primitives))) throw broken('a mesh has no primitives');
  return json as Gltf;
}

function bufferOf(buffer: { uri?: string; byteLength: number }, i: number, bin: Uint8Array | null): Uint8Array {
  if (buffer.uri === undefined) {
    if (i !== 0 || !bin) throw broken('its data are missing');
    return bin;
  }
  const inline = /^data:[^,]*;base64,/.exec(buffer.uri);
  if (!inline) {
    throw new Unusable('data-elsewhere', `The data of this glTF are in another file ("${buffer.uri.slice(0, 60)}").`, 'Export it as one packed file (.glb).');
  }
  try {
    return Uint8Array.from(atob(buffer.uri.slice(inline[0].length)), (c) => c.charCodeAt(0));
  } catch {
    throw broken('its data are damaged');
  }
}

/** How a component of a type is read, little endian, and the largest of those that may stand for 1. Source: glTF 2.0, 3.6.2.2 and 3.11. */
const components: Record<number, { size: number; most: number; read: (cells: DataView, at: number) => number }> = {
  5120: { size: 1, most: 127, read: (cells, at) => cells.getInt8(at) },
  5121: { size: 1, most: 255, read: (cells, at) => cells.getUint8(at) },
  5122: { size: 2, most: 32767, read: (cells, at) => cells.getInt16(at, true) },
  5123: { size: 2, most: 65535, read: (cells, at) => cells.getUint16(at, true) },
  5125: { size: 4, most: 1, read: (cells, at) => cells.getUint32(at, true) },
  5126: { size: 4, most: 1, read: (cells, at) => cells.getFloat32(at, true) },
};

/** Where the numbers of an accessor lie, checked against the bytes that are there: of its part of the buffer too. Source: glTF 2.0, 3.6.2.4. */
function cellsOf(json: Gltf, buffers: Uint8Array[], accessor: Accessor, width: number): { cells: DataView; start: number; stride: number } {
  const view = json.bufferViews?.[accessor.bufferView ?? -1];
  const component = components[accessor.componentType];
  const buffer = view && buffers[view.buffer];
  if (!view || !buffer || !component || widths[accessor.type] !== width) throw broken('its data do not fit together');
  return { cells: new DataView(buffer.buffer, buffer.byteOffset, buffer.byteLength), ...placesOf(accessor, view, component.size * width, buffer.length) };
}

/** Where the first of an accessor's cells begins, and from one to the next, bytes. @param size bytes of one cell @throws Unusable when they are not all there */
function placesOf({ count, byteOffset = 0 }: Accessor, view: BufferView, size: number, most: number): { start: number; stride: number } {
  const { byteStride: stride = size, byteOffset: begin = 0, byteLength = Infinity } = view;
  const start = begin + byteOffset;
  if (![count, start, stride].every(Number.isInteger) || !(count >= 0 && stride >= size && begin >= 0 && start >= begin))
    throw broken('its data do not fit together');
  if (count > 0 && start + (count - 1) * stride + size > Math.min(most, begin + byteLength)) throw broken('it is cut off');
  return { start, stride };
}

/** The numbers of an accessor. */
function numbersOf(json: Gltf, buffers: Uint8Array[], at: number | undefined, width: number): Float64Array {
  const accessor = at === undefined ? undefined : json.accessors?.[at];
  if (!accessor) throw broken('a surface has no places');
  if (accessor.sparse) throw new Unusable('gltf-sparse', 'The glTF file holds sparse data, which are not read.', 'Export it again without them.');
  const { cells, start, stride } = cellsOf(json, buffers, accessor, width);
  const { size, most, read } = components[accessor.componentType];
  const scale = accessor.normalized ? 1 / most : 1;
  const out = new Float64Array(accessor.count * width);
  for (let i = 0; i < accessor.count; i++) for (let k = 0; k < width; k++) out[i * width + k] = read(cells, start + i * stride + k * size) * scale;
  return out;
}

/** A node's place, mm with Z up: its matrix or turn, with axes exchanged on both sides. */
function placeOf(node: { matrix?: number[]; translation?: number[]; rotation?: number[]; scale?: number[] }): Rows {
  let m: number[];
  if (node.matrix?.length === 16) {
    const c = node.matrix;
    m = [c[0], c[4], c[8], c[12], c[1], c[5], c[9], c[13], c[2], c[6], c[10], c[14]];
  } else {
    const [x, y, z, w] = node.rotation ?? [0, 0, 0, 1];
    const [sx, sy, sz] = node.scale ?? [1, 1, 1];
    const t = node.translation ?? [0, 0, 0];
    m = [
      (1 - 2 * (y * y + z * z)) * sx, 2 * (x * y - z * w) * sy, 2 * (x * z + y * w) * sz, t[0],
      2 * (x * y + z * w) * sx, (1 - 2 * (x * x + z * z)) * sy, 2 * (y * z - x * w) * sz, t[1],
      2 * (x * z - y * w) * sx, 2 * (y * z + x * w) * sy, (1 - 2 * (x * x + y * y)) * sz, t[2],
    ]; // prettier-ignore
  }
  if (!m.every(Number.isFinite)) throw broken('a place is no number');
  // x, y, z of the file are x, z, -y here.
  const from = [0, 2, 1];
  const sign = [1, -1, 1];
  const rows: number[] = [];
  for (let r = 0; r < 3; r++) {
    for (let c = 0; c < 3; c++) rows.push(sign[r] * sign[c] * m[from[r] * 4 + from[c]]);
    rows.push(sign[r] * m[from[r] * 4 + 3] * 1000);
  }
  return rows as Rows;
}

function colourOf(factor: number[] | undefined): string | null {
  if (!factor || factor.length < 3) return null;
  // Linear light to sRGB. Source: IEC 61966-2-1.
  const srgb = factor.slice(0, 3).map((v) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055) * 255);
  return hexColour(srgb[0], srgb[1], srgb[2]);
}
