import { Indices, Numbers } from '../../geometry/growing.ts';
import { unzipSync } from 'fflate';
import { Unusable, type Finding } from '../../base/finding.ts';
import { identityRows, timesRows, type Rows } from '../../geometry/rows.ts';
import { coloursLost, leftOut, textOf, type MeshFile, type MeshFilePart } from '../mesh-file.ts';
import { finiteMesh } from '../finite.ts';
import { eachTag, type TakeTags } from '../xml-tags.ts';

/** mm in the units of the standard. Source: 3MF Core Specification, 3.4 (millimeter when none is given). */
const unitMm: Record<string, number> = { micron: 0.001, millimeter: 1, centimeter: 10, inch: 25.4, foot: 304.8, meter: 1000 };
const shortUnit: Record<string, string> = { micron: 'micron', millimeter: 'mm', centimeter: 'cm', inch: 'in', foot: 'ft', meter: 'm' };

/** Nothing larger than this is unpacked, whatever the archive promises, bytes. */
const mostUnpacked = 2 ** 30;
const deepest = 32;
const mostPlaces = 20_000;

interface Obj {
  id: string;
  name: string | null;
  type: string;
  partNumber: string | null;
  colour: string | null;
  /** Colours that its triangles name. */
  colours: Set<string>;
  positions: Float64Array | null;
  triangles: Uint32Array;
  components: { path: string; id: string; rows: Rows }[];
}
interface Item {
  path: string;
  id: string;
  rows: Rows;
  partNumber: string | null;
}
interface Model {
  unit: string;
  objects: Map<string, Obj>;
  items: Item[];
}

const parse = (data: Uint8Array, take: TakeTags) => eachTag(data, take, broken);

const broken = (why: string) =>
  new Unusable('3mf-broken', `The 3MF file could not be opened: ${why}.`, 'Copy or export it again; a half of a part is never used.');

/**
 * Reads a 3MF package: unit, objects with names and colours, components and build items with their places.
 * Source: 3MF Core Specification 1.3; colours of the Materials Extension; parts in further model files (Production Extension).
 * Nothing outside the package is ever followed; entities are not expanded.
 * @throws Unusable when it is no such package or damaged.
 */
export function readThreeMf(bytes: Uint8Array): MeshFile {
  const files = unpacked(bytes);
  const main = startOf(files);
  const models = new Map<string, Model>();
  const out = new Map<string, number>();
  const findings: Finding[] = [];
  const open = (path: string): Model => {
    const known = models.get(path);
    if (known) return known;
    const data = files.get(path.toLowerCase());
    if (!data) throw broken(`"${path}" is named in it but not there`);
    const model = parseModel(data, path, out, findings);
    models.set(path, model);
    return model;
  };
  const root = open(main);
  const mm = unitMm[root.unit] ?? 1;
  const parts = new Map<Obj, MeshFilePart>();
  let places = 0;
  const missing = new Map<string, number>();
  /** How many meshes an object places, what is missing counted too: branches that place nothing are not walked. NaN while it is being counted. */
  const sizes = new Map<Obj, number>();
  const sizeOf = (path: string, id: string): number => {
    const object = open(path).objects.get(id);
    if (!object) return 1;
    const known = sizes.get(object);
    if (known !== undefined) return Number.isNaN(known) ? Infinity : known;
    sizes.set(object, NaN);
    let size = object.triangles.length > 0 ? 1 : 0;
    for (const c of object.components) size += sizeOf(c.path, c.id);
    sizes.set(object, size);
    return size;
  };
  const tooMany = () => new Unusable('too-many-parts', `The file places more than ${mostPlaces.toLocaleString('en')} parts.`, 'Export a smaller piece of it.');
  const used = new Set<Obj>();
  const visit = (path: string, id: string, rows: Rows, above: string[], partNumber: string | null, depth: number): void => {
    if (depth > deepest) throw new Unusable('too-deep', `The parts are nested more than ${deepest} levels deep.`, 'Export a smaller piece of it.');
    const object = open(path).objects.get(id);
    if (!object) {
      missing.set(id, (missing.get(id) ?? 0) + 1);
      return;
    }
    used.add(object);
    if (object.type !== 'model' && object.type !== 'solidsupport' && object.type !== 'surface' && object.type !== '') {
      out.set(`"${object.type}" objects`, (out.get(`"${object.type}" objects`) ?? 0) + 1);
      return;
    }
    if (object.positions && object.triangles.length > 0) {
      if (++places > mostPlaces) throw tooMany();
      const known = parts.get(object);
      if (known) {
        known.places.push(inMm(rows, mm));
        known.aboveEach!.push(above);
      } else {
        const positions = mm === 1 ? object.positions : object.positions.map((v) => v * mm);
        parts.set(object, {
          name: object.name,
          above,
          partNumber: partNumber ?? object.partNumber,
          colour: object.colour,
          mesh: finiteMesh({ positions, triangles: object.triangles }, findings),
          places: [inMm(rows, mm)],
          aboveEach: [above],
        });
      }
    }
    const here = object.components.length > 0 ? [...above, object.name ?? `Object ${object.id}`] : above;
    for (const c of object.components) if (sizeOf(c.path, c.id) > 0) visit(c.path, c.id, timesRows(rows, c.rows), here, null, depth + 1);
  };
  const total = root.items.reduce((n, item) => n + sizeOf(item.path, item.id), 0);
  if (Number.isFinite(total) && total > mostPlaces) throw tooMany();
  for (const item of root.items) if (sizeOf(item.path, item.id) > 0) visit(item.path, item.id, item.rows, [], item.partNumber, 0);
  for (const [id, count] of missing) {
    findings.push({
      code: 'missing-object',
      severity: 'stop',
      count,
      message: `An object with the number ${id} is placed ${count === 1 ? '' : `${count.toLocaleString('en')} times `}but not there; it was left out.`,
      remedy: 'Export the file again.',
    });
  }
  const coloured = [...parts.keys()].filter((o) => o.colours.size > 1);
  if (coloured.length > 0) findings.push(coloursLost(coloured.length));
  const loose = [...root.objects.values()].filter((o) => !used.has(o) && o.triangles.length > 0).length;
  if (loose > 0) {
    findings.push({
      code: 'not-placed',
      severity: 'look',
      count: loose,
      message: `${loose.toLocaleString('en')} objects are in the file but not among what is to be built, and were left out.`,
      remedy: 'Place them in the program that made the file if they are wanted.',
    });
  }
  findings.push(...leftOut(out, 'Only objects to be made are taken.'));
  const list = [...parts.values()].filter((p) => p.mesh.triangles.length > 0);
  if (list.length === 0) {
    findings.push({
      code: 'no-triangles',
      severity: 'stop',
      count: 1,
      message: 'The file places no object with triangles.',
      remedy: 'Export it again with the part shown and chosen.',
    });
  }
  return { version: '3MF core', unit: shortUnit[root.unit] ?? 'mm', parts: list, findings };
}

function inMm(rows: Rows, mm: number): Rows {
  return mm === 1 ? rows : rows.map((v, i) => (i % 4 === 3 ? v * mm : v));
}

function unpacked(bytes: Uint8Array): Map<string, Uint8Array> {
  if (!(bytes[0] === 0x50 && bytes[1] === 0x4b))
    throw new Unusable('not-3mf', 'The file is named .3mf but is no such package (a zip archive).', 'Export it again, or bring it in under its real ending.');
  let total = 0;
  try {
    const files = unzipSync(bytes, {
      filter: (file) => {
        if (!/\.(model|rels)$/i.test(file.name)) return false;
        total += file.originalSize;
        // What is written small and unpacks huge is refused before it is unpacked.
        // Deflate can't pack tighter than 1032 to 1 (RFC 1951): a larger promise is a lie.
        if (file.originalSize > 1032 * file.size + 100) throw broken('a member says that it is larger than it can be');
        if (total > mostUnpacked) {
          throw new Unusable('too-large', 'The package would unpack to far more than it is worth opening.', 'Export fewer parts at a time.');
        }
        return true;
      },
    });
    return new Map(Object.entries(files).map(([name, data]) => [`/${name.replace(/^\/+/, '')}`.toLowerCase(), data]));
  } catch (thrown) {
    if (thrown instanceof Unusable) throw thrown;
    throw broken(`the archive is damaged (${(thrown as Error).message})`);
  }
}

/** The path of the model that the package starts with. Source: Open Packaging Conventions, relationship of type 3dmodel. */
function startOf(files: Map<string, Uint8Array>): string {
  const rels = files.get('/_rels/.rels');
  let target: string | null = null;
  if (rels) {
    parse(rels, {
      open: (name, attributes) => {
        if (name === 'Relationship' && /\/3dmodel$/.test(attributes.Type ?? '')) target ??= `/${(attributes.Target ?? '').replace(/^\/+/, '')}`;
      },
    });
  }
  if (target !== null) return target;
  const only = [...files.keys()].filter((name) => name.endsWith('.model'));
  if (only.length === 0) throw broken('it holds no model');
  return only[0];
}

/** Extensions that change what is made when they are required. */
const known = /^(http:\/\/schemas\.microsoft\.com\/3dmanufacturing\/(core|material|production)\/)/;

function parseModel(data: Uint8Array, path: string, out: Map<string, number>, findings: Finding[]): Model {
  const model: Model = { unit: 'millimeter', objects: new Map(), items: [] };
  const spaces = new Map<string, string>();
  const colours = new Map<string, string[]>();
  let group: string[] | null = null;
  let object: (Obj & { vertices: Numbers; corners: Indices }) | null = null;
  let wrong = 0;
  parse(data, {
    open(name, a) {
      switch (name) {
        case 'model': {
          if (a.unit !== undefined) {
            if (!Object.hasOwn(unitMm, a.unit)) throw broken(`its unit "${a.unit}" is not one of the standard's`);
            model.unit = a.unit;
          }
          for (const [key, value] of Object.entries(a)) if (key.startsWith('xmlns:')) spaces.set(key.slice(6), value);
          for (const prefix of (a.requiredextensions ?? '').split(/\s+/).filter(Boolean)) {
            const space = spaces.get(prefix) ?? prefix;
            if (!known.test(space)) {
              findings.push({
                code: 'unknown-extension',
                severity: 'stop',
                count: 1,
                message: `The file needs an extension of 3MF that is not known here (${space}); its shapes may be incomplete.`,
                remedy: 'Export it again without that extension.',
              });
            }
          }
          break;
        }
        case 'basematerials':
        case 'colorgroup':
          group = [];
          if (a.id) colours.set(a.id, group);
          break;
        case 'base':
          group?.push(a.displaycolor ?? '');
          break;
        case 'color':
          group?.push(a.color ?? '');
          break;
        case 'object':
          object = {
            id: a.id ?? '',
            name: a.name?.trim() || null,
            type: a.type ?? 'model',
            partNumber: a.partnumber?.trim() || null,
            colour: colourOf(colours.get(a.pid ?? '')?.[Number(a.pindex ?? 0)]),
            colours: new Set(),
            positions: null,
            triangles: new Uint32Array(0),
            components: [],
            vertices: new Numbers(),
            corners: new Indices(),
          };
          break;
        case 'vertex':
          object?.vertices.push3(numberOf(a.x), numberOf(a.y), numberOf(a.z));
          break;
        case 'triangle': {
          if (!object) break;
          const most = object.vertices.length / 3;
          const [v1, v2, v3] = [Number(a.v1), Number(a.v2), Number(a.v3)];
          if ([v1, v2, v3].every((v) => Number.isInteger(v) && v >= 0 && v < most)) object.corners.push3(v1, v2, v3);
          else wrong++;
          if (a.pid !== undefined) {
            for (const p of new Set([a.p1, a.p2 ?? a.p1, a.p3 ?? a.p1])) {
              const own = colourOf(colours.get(a.pid)?.[Number(p ?? 0)]);
              object.colour ??= own;
              if (own && object.colours.size < 2) object.colours.add(own);
            }
          } else if (object.colour && object.colours.size < 2) object.colours.add(object.colour);
          break;
        }
        case 'component':
          object?.components.push({ path: a['p:path'] ?? path, id: a.objectid ?? '', rows: rowsOf(a.transform) });
          break;
        case 'item':
          model.items.push({ path: a['p:path'] ?? path, id: a.objectid ?? '', rows: rowsOf(a.transform), partNumber: a.partnumber?.trim() || null });
          break;
        case 'beam':
        case 'ball':
          out.set(`${name}s of a lattice`, (out.get(`${name}s of a lattice`) ?? 0) + 1);
          break;
      }
    },
    close(name) {
      if (name === 'basematerials' || name === 'colorgroup') group = null;
      if (name !== 'object' || !object) return;
      object.positions = object.vertices.taken();
      object.triangles = object.corners.taken();
      model.objects.set(object.id, object);
      object = null;
    },
  });
  if (wrong > 0) {
    findings.push({
      code: 'bad-faces',
      severity: 'stop',
      count: wrong,
      message: `${wrong.toLocaleString('en')} triangles name vertices that are not there and were left out.`,
      remedy: 'Export the part again.',
    });
  }
  return model;
}

function numberOf(text: string | undefined): number {
  return text === undefined || text.trim() === '' ? NaN : Number(text);
}

function colourOf(text: string | undefined): string | null {
  const found = /^#([0-9a-f]{6})([0-9a-f]{2})?$/i.exec(text ?? '');
  return found ? `#${found[1].toLowerCase()}` : null;
}

/** Twelve numbers, row vectors times matrix in the standard, turned into our rows. @throws Unusable when they are not twelve. */
function rowsOf(text: string | undefined): Rows {
  if (text === undefined) return identityRows;
  const m = text.trim().split(/\s+/).map(Number);
  if (m.length !== 12 || !m.every(Number.isFinite)) throw broken(`the place "${text.slice(0, 40)}" is not twelve numbers`);
  return [m[0], m[3], m[6], m[9], m[1], m[4], m[7], m[10], m[2], m[5], m[8], m[11]];
}

/** For tests and findings: the text of a member of the package. */
export function memberText(bytes: Uint8Array, name: string): string | null {
  const data = unpacked(bytes).get(`/${name}`.toLowerCase());
  return data ? textOf(data) : null;
}
