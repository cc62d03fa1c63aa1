import type { Finding } from '../../base/finding.ts';
import { Indices, Numbers } from '../../geometry/growing.ts';
import { identityRows, type Rows } from '../../geometry/rows.ts';
import { eachTag, type TakeTags } from '../xml-tags.ts';
import { broken } from './broken.ts';

/** mm in the units of the standard. Source: 3MF Core Specification, 3.4 (millimeter when none is given). */
export const unitMm: Record<string, number> = { micron: 0.001, millimeter: 1, centimeter: 10, inch: 25.4, foot: 304.8, meter: 1000 };

/** An object of a model: a mesh, or others put together. */
export interface Obj {
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
/** What is to be built. */
export interface Item {
  path: string;
  id: string;
  rows: Rows;
  partNumber: string | null;
}
export interface Model {
  unit: string;
  objects: Map<string, Obj>;
  items: Item[];
}

/** Extensions that change what is made when they are required. */
const known = /^(http:\/\/schemas\.microsoft\.com\/3dmanufacturing\/(core|material|production)\/)/;

type Attributes = Record<string, string>;

/** Reads one model of a package. @param out what is not taken, counted @param findings what has to be told */
export function parseModel(data: Uint8Array, path: string, out: Map<string, number>, findings: Finding[]): Model {
  const tags = new ModelTags(path, out, findings);
  eachTag(data, tags, broken);
  if (tags.wrong > 0) {
    findings.push({
      code: 'bad-faces',
      severity: 'stop',
      count: tags.wrong,
      message: `${tags.wrong.toLocaleString('en')} triangles name vertices that are not there and were left out.`,
      remedy: 'Export the part again.',
    });
  }
  return tags.model;
}

/** What the tags of a model say, taken one after another. */
class ModelTags implements TakeTags {
  readonly model: Model = { unit: 'millimeter', objects: new Map(), items: [] };
  /** Triangles of corners that are not there. */
  wrong = 0;
  private readonly spaces = new Map<string, string>();
  private readonly colours = new Map<string, string[]>();
  private group: string[] | null = null;
  private object: (Obj & { vertices: Numbers; corners: Indices }) | null = null;
  private readonly path: string;
  private readonly out: Map<string, number>;
  private readonly findings: Finding[];

  constructor(path: string, out: Map<string, number>, findings: Finding[]) {
    this.path = path;
    this.out = out;
    this.findings = findings;
  }

  open(name: string, attributes: Attributes): void {
    if (Object.hasOwn(this.opened, name)) this.opened[name](attributes);
  }

  close(name: string): void {
    if (name === 'basematerials' || name === 'colorgroup') this.group = null;
    if (name !== 'object' || !this.object) return;
    this.object.positions = this.object.vertices.taken();
    this.object.triangles = this.object.corners.taken();
    this.model.objects.set(this.object.id, this.object);
    this.object = null;
  }

  private readonly opened: Record<string, (a: Attributes) => void> = {
    model: (a) => this.begin(a),
    basematerials: (a) => this.beginColours(a),
    colorgroup: (a) => this.beginColours(a),
    base: (a) => this.group?.push(a.displaycolor ?? ''),
    color: (a) => this.group?.push(a.color ?? ''),
    object: (a) => this.beginObject(a),
    vertex: (a) => this.object?.vertices.push3(numberOf(a.x), numberOf(a.y), numberOf(a.z)),
    triangle: (a) => this.addTriangle(a),
    component: (a) => this.object?.components.push({ path: a['p:path'] ?? this.path, id: a.objectid ?? '', rows: rowsOf(a.transform) }),
    item: (a) =>
      this.model.items.push({ path: a['p:path'] ?? this.path, id: a.objectid ?? '', rows: rowsOf(a.transform), partNumber: a.partnumber?.trim() || null }),
    beam: () => this.leave('beams of a lattice'),
    ball: () => this.leave('balls of a lattice'),
  };

  private leave(what: string): void {
    this.out.set(what, (this.out.get(what) ?? 0) + 1);
  }

  private begin(a: Attributes): void {
    if (a.unit !== undefined) {
      if (!Object.hasOwn(unitMm, a.unit)) throw broken(`its unit "${a.unit}" is not one of the standard's`);
      this.model.unit = a.unit;
    }
    for (const [key, value] of Object.entries(a)) if (key.startsWith('xmlns:')) this.spaces.set(key.slice(6), value);
    for (const prefix of (a.requiredextensions ?? '').split(/\s+/).filter(Boolean)) {
      const space = this.spaces.get(prefix) ?? prefix;
      if (known.test(space)) continue;
      this.findings.push({
        code: 'unknown-extension',
        severity: 'stop',
        count: 1,
        message: `The file needs an extension of 3MF that is not known here (${space}); its shapes may be incomplete.`,
        remedy: 'Export it again without that extension.',
      });
    }
  }

  private beginColours(a: Attributes): void {
    this.group = [];
    if (a.id) this.colours.set(a.id, this.group);
  }

  private beginObject(a: Attributes): void {
    this.object = {
      id: a.id ?? '',
      name: a.name?.trim() || null,
      type: a.type ?? 'model',
      partNumber: a.partnumber?.trim() || null,
      colour: colourOf(this.colours.get(a.pid ?? '')?.[Number(a.pindex ?? 0)]),
      colours: new Set(),
      positions: null,
      triangles: new Uint32Array(0),
      components: [],
      vertices: new Numbers(),
      corners: new Indices(),
    };
  }

  private addTriangle(a: Attributes): void {
    const object = this.object;
    if (!object) return;
    const most = object.vertices.length / 3;
    const [v1, v2, v3] = [Number(a.v1), Number(a.v2), Number(a.v3)];
    if ([v1, v2, v3].every((v) => Number.isInteger(v) && v >= 0 && v < most)) object.corners.push3(v1, v2, v3);
    else this.wrong++;
    if (a.pid === undefined) {
      if (object.colour && object.colours.size < 2) object.colours.add(object.colour);
      return;
    }
    for (const p of new Set([a.p1, a.p2 ?? a.p1, a.p3 ?? a.p1])) {
      const own = colourOf(this.colours.get(a.pid)?.[Number(p ?? 0)]);
      object.colour ??= own;
      if (own && object.colours.size < 2) object.colours.add(own);
    }
  }
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
