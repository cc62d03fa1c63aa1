import { latin } from '../../base/latin.ts';
import { Indices, Numbers } from '../../geometry/growing.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import { identityRows, timesRows, type Rows } from '../../geometry/rows.ts';
import { badFaces, coloursLost, decimalComma, hexColour, leftOut, type MeshFile, type MeshFilePart } from '../mesh-file.ts';
import { finiteOnly } from '../obj/read.ts';
import { eachTag } from '../xml-tags.ts';

const broken = (why: string) =>
  new Unusable('amf-broken', `The AMF file could not be read: ${why}.`, 'Copy or export it again; a half of a part is never used.');

/** mm in the units of the standard; millimeter when none is given. Source: ISO/ASTM 52915. */
const unitMm: Record<string, [number, string]> = {
  millimeter: [1, 'mm'],
  inch: [25.4, 'in'],
  feet: [304.8, 'ft'],
  foot: [304.8, 'ft'],
  meter: [1000, 'm'],
  micron: [0.001, 'micron'],
  micrometer: [0.001, 'micron'],
};

/** Whether the bytes begin as an AMF file does. */
export function looksLikeAmf(bytes: Uint8Array): boolean {
  return /<amf[\s>]/.test(latin(bytes.subarray(0, 2048)));
}

interface Body {
  id: string;
  name: string | null;
  vertices: Numbers;
  volumes: { triangles: Indices; material: string | null; colour: string | null }[];
  colours: Set<string>;
}
interface Placed {
  object: string;
  rows: Rows;
}

/**
 * Reads an AMF file (not packed): objects with their volumes, names, materials' colours, and where a constellation puts them.
 * A volume of its own is a part of its own when an object has several. Curved triangles and lattices are told.
 * Source: ISO/ASTM 52915:2020 (elements from memory).
 */
export function readAmf(bytes: Uint8Array): MeshFile {
  const bodies = new Map<string, Body>();
  const constellations = new Map<string, Placed[]>();
  const materials = new Map<string, string>();
  const out = new Map<string, number>();
  const add = (what: string) => out.set(what, (out.get(what) ?? 0) + 1);
  let unit: [number, string] = unitMm.millimeter;
  let body: Body | null = null;
  let volume: Body['volumes'][number] | null = null;
  let placed: Placed[] | null = null;
  let instance: Record<string, string> | null = null;
  let material: string | null = null;
  let words = '';
  let named = false;
  let bad = 0;
  const point = [NaN, NaN, NaN];
  const corner = [NaN, NaN, NaN];
  const rgb: number[] = [NaN, NaN, NaN];
  const path: string[] = [];
  const number = () => {
    decimalComma(words.trim());
    return words.trim() === '' ? NaN : Number(words);
  };
  eachTag(
    bytes,
    {
      open(name, a) {
        path.push(name);
        words = '';
        switch (name) {
          case 'amf': {
            const said = (a.unit ?? 'millimeter').toLowerCase();
            if (!Object.hasOwn(unitMm, said)) throw broken(`its unit "${said}" is not one of the standard's`);
            unit = unitMm[said];
            break;
          }
          case 'object':
            body = { id: a.id ?? '', name: null, vertices: new Numbers(), volumes: [], colours: new Set() };
            break;
          case 'volume':
            volume = { triangles: new Indices(), material: a.materialid ?? null, colour: null };
            body?.volumes.push(volume);
            break;
          case 'coordinates':
            point.fill(NaN);
            break;
          case 'triangle':
            corner.fill(NaN);
            break;
          case 'normal':
          case 'edge':
            add(name === 'edge' ? 'curved edges' : 'normals of curved triangles');
            break;
          case 'color':
            rgb.fill(NaN);
            break;
          case 'material':
            material = a.id ?? null;
            break;
          case 'constellation':
            placed = [];
            constellations.set(a.id ?? '', placed);
            break;
          case 'instance':
            instance = { objectid: a.objectid ?? '' };
            break;
          case 'metadata':
            named = a.type === 'name';
            break;
          case 'texture':
            add('textures');
            break;
          case 'composite':
            add('graded materials');
        }
      },
      text(piece) {
        if (words.length < 10_000) words += piece;
      },
      close(name) {
        path.pop();
        switch (name) {
          case 'x':
          case 'y':
          case 'z':
            point['xyz'.indexOf(name)] = number();
            break;
          case 'coordinates':
            body?.vertices.push3(point[0], point[1], point[2]);
            break;
          case 'v1':
          case 'v2':
          case 'v3':
            corner[Number(name[1]) - 1] = number();
            break;
          case 'triangle':
            if (body && volume) {
              const most = body.vertices.length / 3;
              if (corner.every((v) => Number.isInteger(v) && v >= 0 && v < most)) volume.triangles.push3(corner[0], corner[1], corner[2]);
              else bad++;
            }
            break;
          case 'r':
          case 'g':
          case 'b':
            rgb['rgb'.indexOf(name)] = Number(words);
            break;
          case 'color': {
            const hex = rgb.every(Number.isFinite) ? hexColour(rgb[0] * 255, rgb[1] * 255, rgb[2] * 255) : null;
            const on = path[path.length - 1];
            if (hex === null) break;
            if (on === 'material' && material !== null) materials.set(material, hex);
            else if (on === 'volume' && volume) volume.colour = hex;
            else body?.colours.add(hex);
            break;
          }
          case 'metadata':
            if (named && body && path[path.length - 1] === 'object') body.name = words.trim() || null;
            named = false;
            break;
          case 'volume':
            volume = null;
            break;
          case 'object':
            if (body) bodies.set(body.id, body);
            body = null;
            break;
          case 'material':
            material = null;
            break;
          case 'deltax':
          case 'deltay':
          case 'deltaz':
          case 'rx':
          case 'ry':
          case 'rz':
            if (instance) instance[name] = words.trim();
            break;
          case 'instance':
            if (instance && placed) placed.push({ object: instance.objectid, rows: placeOf(instance) });
            instance = null;
            break;
          case 'constellation':
            placed = null;
        }
        words = '';
      },
    },
    broken,
  );
  const findings: Finding[] = leftOut(out, 'The flat triangles were taken; what bends or fills them was not.');
  const places = placesOf(bodies, constellations);
  const parts: MeshFilePart[] = [];
  let coloured = 0;
  for (const [id, rows] of places) {
    const it = bodies.get(id);
    if (!it) {
      bad++;
      continue;
    }
    const all = it.vertices.taken().map((v) => v * unit[0]);
    if (it.colours.size > 1) coloured++;
    it.volumes.forEach((v, i) => {
      if (v.triangles.length === 0) return;
      const name = it.volumes.length > 1 ? `${it.name ?? `Object ${id}`} ${i + 1}` : it.name;
      const colour = v.colour ?? materials.get(v.material ?? '') ?? (it.colours.size === 1 ? [...it.colours][0] : null);
      const mm = rows.map((m) => m.map((x, k) => (k % 4 === 3 ? x * unit[0] : x)));
      parts.push({ name, above: [], partNumber: null, colour, mesh: finiteOnly(all, v.triangles.taken(), findings), places: mm });
    });
  }
  if (coloured > 0) findings.push(coloursLost(coloured));
  if (bad > 0) findings.push(badFaces(bad));
  if (parts.length === 0)
    findings.push({
      code: 'no-triangles',
      severity: 'stop',
      count: 1,
      message: 'The file has no faces.',
      remedy: 'Export it again with the part shown and chosen.',
    });
  return { version: 'AMF', unit: unit[1], parts, findings };
}

/** Turns of a constellation are in degrees about X, Y and Z in that order, then the shift. */
function placeOf(a: Record<string, string>): Rows {
  const n = (key: string) => (Number.isFinite(Number(a[key] ?? 0)) ? Number(a[key] ?? 0) : 0);
  const [x, y, z] = ['rx', 'ry', 'rz'].map((key) => (n(key) * Math.PI) / 180);
  const turnX: Rows = [1, 0, 0, 0, 0, Math.cos(x), -Math.sin(x), 0, 0, Math.sin(x), Math.cos(x), 0];
  const turnY: Rows = [Math.cos(y), 0, Math.sin(y), 0, 0, 1, 0, 0, -Math.sin(y), 0, Math.cos(y), 0];
  const turnZ: Rows = [Math.cos(z), -Math.sin(z), 0, 0, Math.sin(z), Math.cos(z), 0, 0, 0, 0, 1, 0];
  return timesRows([1, 0, 0, n('deltax'), 0, 1, 0, n('deltay'), 0, 0, 1, n('deltaz')], timesRows(turnZ, timesRows(turnY, turnX)));
}

const mostPlaces = 20_000;
const deepest = 32;

/** Where every object stands: as constellations say; objects that none of them names stand where they are drawn. */
function placesOf(bodies: Map<string, Body>, constellations: Map<string, Placed[]>): Map<string, Rows[]> {
  const out = new Map<string, Rows[]>();
  const inner = new Set([...constellations.values()].flat().map((p) => p.object));
  let count = 0;
  const visit = (id: string, rows: Rows, depth: number): void => {
    if (depth > deepest) throw broken('its constellations are nested too deep');
    if (++count > mostPlaces) throw broken(`it places more than ${mostPlaces.toLocaleString('en')} parts`);
    const group = constellations.get(id);
    if (group) for (const p of group) visit(p.object, timesRows(rows, p.rows), depth + 1);
    else out.set(id, [...(out.get(id) ?? []), rows]);
  };
  for (const id of constellations.keys()) if (!inner.has(id)) visit(id, identityRows, 0);
  for (const id of bodies.keys()) if (!out.has(id) && !inner.has(id)) out.set(id, [identityRows]);
  return out;
}
