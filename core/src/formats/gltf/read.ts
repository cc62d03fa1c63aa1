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

interface Gltf {
  asset?: { version?: string };
  extensionsRequired?: string[];
  scene?: number;
  scenes?: { nodes?: number[] }[];
  nodes?: { name?: string; mesh?: number; children?: number[]; matrix?: number[]; translation?: number[]; rotation?: number[]; scale?: number[] }[];
  meshes?: { name?: string; primitives: { attributes: Record<string, number>; indices?: number; material?: number; mode?: number; targets?: unknown[] }[] }[];
  materials?: { pbrMetallicRoughness?: { baseColorFactor?: number[]; baseColorTexture?: unknown } }[];
  accessors?: { bufferView?: number; byteOffset?: number; componentType: number; count: number; type: string; sparse?: unknown; normalized?: boolean }[];
  bufferViews?: { buffer: number; byteOffset?: number; byteLength: number; byteStride?: number }[];
  buffers?: { uri?: string; byteLength: number }[];
}

const sizes: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };
const widths: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4 };
const deepest = 64;
const mostPlaces = 20_000;

/**
 * Reads glTF 2.0, packed (GLB) or as JSON with its data inside. Lengths are metres and Y points up in the standard: numbers come
 * as mm with Z up. Nodes are the parts' places; one material's base colour is the part's colour. Buffers in other files,
 * compressed meshes and animations are refused or told.
 * Source: glTF 2.0 Specification, Khronos Group 2021, sections 3.5 to 3.7 and 4.
 */
export function readGltf(bytes: Uint8Array): MeshFile {
  const { json, bin } = unpacked(bytes);
  if (!/^2\./.test(json.asset?.version ?? '')) throw broken('it is not of version 2');
  const odd = (json.extensionsRequired ?? []).filter((e) => !/^KHR_(materials|texture|lights|mesh_quantization)/.test(e));
  if (odd.length > 0)
    throw new Unusable('gltf-extension', `The glTF file needs ${odd.join(', ')}, which is not read.`, 'Export it without compression and extensions.');
  const buffers = (json.buffers ?? []).map((b, i) => bufferOf(b, i, bin));
  const out = new Map<string, number>();
  const findings: Finding[] = [];
  const shapes = new Map<number, MeshFilePart[]>();
  let bad = 0;
  const shapesOf = (at: number): MeshFilePart[] => {
    const known = shapes.get(at);
    if (known) return known;
    const mesh = json.meshes?.[at];
    if (!mesh || !Array.isArray(mesh.primitives)) throw broken(`mesh ${at} is named but not there`);
    const made: MeshFilePart[] = [];
    mesh.primitives.forEach((primitive, i) => {
      const mode = primitive.mode ?? 4;
      if (mode < 4) return void out.set(mode === 0 ? 'sets of points' : 'sets of lines', (out.get(mode === 0 ? 'sets of points' : 'sets of lines') ?? 0) + 1);
      if (primitive.targets?.length) out.set('shapes to morph into', (out.get('shapes to morph into') ?? 0) + primitive.targets.length);
      const p = numbersOf(json, buffers, primitive.attributes?.POSITION, 3);
      // 1 m = 1000 mm; Y up becomes Z up.
      const positions = new Float64Array(p.length);
      for (let v = 0; v < p.length; v += 3) [positions[v], positions[v + 1], positions[v + 2]] = [p[v] * 1000, -p[v + 2] * 1000, p[v + 1] * 1000];
      const corners =
        primitive.indices === undefined ? Float64Array.from({ length: p.length / 3 }, (_, k) => k) : numbersOf(json, buffers, primitive.indices, 1);
      const triangles = new Indices();
      const most = p.length / 3;
      const push = (a: number, b: number, c: number) => {
        if (a < most && b < most && c < most) triangles.push3(a, b, c);
        else bad++;
      };
      if (mode === 4) for (let k = 0; k + 2 < corners.length; k += 3) push(corners[k], corners[k + 1], corners[k + 2]);
      else if (mode === 5) for (let k = 0; k + 2 < corners.length; k++) push(corners[k], corners[k + 1 + (k % 2)], corners[k + 2 - (k % 2)]);
      else for (let k = 1; k + 1 < corners.length; k++) push(corners[0], corners[k], corners[k + 1]);
      if (triangles.length === 0) return;
      const material = json.materials?.[primitive.material ?? -1]?.pbrMetallicRoughness;
      if (material?.baseColorTexture) out.set('pictures on surfaces', (out.get('pictures on surfaces') ?? 0) + 1);
      const name = mesh.primitives.length > 1 ? `${mesh.name ?? `Mesh ${at + 1}`} ${i + 1}` : (mesh.name ?? null);
      made.push({
        name,
        above: [],
        partNumber: null,
        colour: colourOf(material?.baseColorFactor),
        mesh: finiteOnly(positions, triangles.taken(), findings),
        places: [],
        aboveEach: [],
      });
    });
    shapes.set(at, made);
    return made;
  };
  let placed = 0;
  const visit = (at: number, rows: Rows, above: string[], depth: number): void => {
    const node = json.nodes?.[at];
    if (!node) throw broken(`node ${at} is named but not there`);
    if (depth > deepest) throw broken('its nodes are nested too deep or in a circle');
    const here = timesRows(rows, placeOf(node));
    if (node.mesh !== undefined) {
      for (const part of shapesOf(node.mesh)) {
        if (++placed > mostPlaces) throw broken(`it places more than ${mostPlaces.toLocaleString('en')} parts`);
        if (part.places.length === 0) {
          part.above = above;
          part.name ??= node.name ?? null;
        }
        part.places.push(here);
        part.aboveEach!.push(above);
      }
    }
    const names = node.children?.length ? [...above, node.name ?? `Node ${at + 1}`] : above;
    for (const child of node.children ?? []) visit(child, here, names, depth + 1);
  };
  const scene = json.scenes?.[json.scene ?? 0];
  const roots = scene ? (scene.nodes ?? []) : (json.nodes ?? []).map((_, i) => i);
  for (const root of roots) visit(root, identityRows, [], 0);
  const parts = [...shapes.values()].flat().filter((p) => p.places.length > 0);
  findings.push(...leftOut(out, 'Only surfaces of triangles are taken from glTF.'));
  if (bad > 0) findings.push(badFaces(bad));
  if (parts.length === 0)
    findings.push({
      code: 'no-triangles',
      severity: 'stop',
      count: 1,
      message: 'The file places no surface.',
      remedy: 'Export it again with the part shown and chosen.',
    });
  return { version: latin(bytes.subarray(0, 4)) === 'glTF' ? '2.0, packed' : '2.0', unit: 'm', parts, findings };
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

/** The numbers of an accessor, checked against the bytes that are there. */
function numbersOf(json: Gltf, buffers: Uint8Array[], at: number | undefined, width: number): Float64Array {
  const accessor = at === undefined ? undefined : json.accessors?.[at];
  if (!accessor) throw broken('a surface has no places');
  if (accessor.sparse) throw new Unusable('gltf-sparse', 'The glTF file holds sparse data, which are not read.', 'Export it again without them.');
  const view = json.bufferViews?.[accessor.bufferView ?? -1];
  const size = sizes[accessor.componentType];
  const buffer = view && buffers[view.buffer];
  if (!view || !buffer || !size || widths[accessor.type] !== width) throw broken('its data do not fit together');
  const stride = view.byteStride ?? size * width;
  const start = (view.byteOffset ?? 0) + (accessor.byteOffset ?? 0);
  const { count } = accessor;
  if (!Number.isInteger(count) || count < 0 || stride < size * width || start < 0 || start + (count - 1) * stride + size * width > buffer.length)
    throw broken('it is cut off');
  const cells = new DataView(buffer.buffer, buffer.byteOffset, buffer.byteLength);
  const most: Record<number, number> = { 5120: 127, 5121: 255, 5122: 32767, 5123: 65535 };
  const scale = accessor.normalized ? 1 / (most[accessor.componentType] ?? 1) : 1;
  const out = new Float64Array(count * width);
  for (let i = 0; i < count; i++) {
    for (let k = 0; k < width; k++) {
      const o = start + i * stride + k * size;
      const c = accessor.componentType;
      const v =
        c === 5126
          ? cells.getFloat32(o, true)
          : c === 5125
            ? cells.getUint32(o, true)
            : c === 5123
              ? cells.getUint16(o, true)
              : c === 5122
                ? cells.getInt16(o, true)
                : c === 5121
                  ? cells.getUint8(o)
                  : cells.getInt8(o);
      out[i * width + k] = v * scale;
    }
  }
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
