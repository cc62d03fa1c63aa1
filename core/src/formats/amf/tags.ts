import { Indices, Numbers } from '../../geometry/growing.ts';
import { timesRows, type Rows } from '../../geometry/rows.ts';
import { decimalComma, hexColour } from '../mesh-file.ts';
import type { TakeTags } from '../xml-tags.ts';
import { broken } from './broken.ts';

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

/** An object: its points and the volumes between them. */
export interface Body {
  id: string;
  name: string | null;
  vertices: Numbers;
  volumes: { triangles: Indices; material: string | null; colour: string | null }[];
  colours: Set<string>;
}

/** An object, or another constellation, where it stands. */
export interface Placed {
  object: string;
  rows: Rows;
}

type Attributes = Record<string, string>;

/** Words longer than this are no number and no name. */
const mostWords = 10_000;

/** What the tags of an AMF file say, taken one after another. */
export class AmfTags implements TakeTags {
  readonly bodies = new Map<string, Body>();
  readonly constellations = new Map<string, Placed[]>();
  /** Colours of materials. */
  readonly materials = new Map<string, string>();
  /** What is not taken, and how often it came. */
  readonly out = new Map<string, number>();
  /** mm, and the unit's short name. */
  unit: [number, string] = unitMm.millimeter;
  /** Triangles of corners that are not there. */
  bad = 0;
  private body: Body | null = null;
  private volume: Body['volumes'][number] | null = null;
  private placed: Placed[] | null = null;
  private instance: Attributes | null = null;
  private material: string | null = null;
  private words = '';
  private named = false;
  private readonly point = [NaN, NaN, NaN];
  private readonly corner = [NaN, NaN, NaN];
  private readonly rgb = [NaN, NaN, NaN];
  private readonly path: string[] = [];

  open(name: string, attributes: Attributes): void {
    this.path.push(name);
    this.words = '';
    if (Object.hasOwn(this.opened, name)) this.opened[name](attributes);
  }

  text(piece: string): void {
    if (this.words.length < mostWords) this.words += piece;
  }

  close(name: string): void {
    this.path.pop();
    if (Object.hasOwn(this.closed, name)) this.closed[name](name);
    this.words = '';
  }

  private readonly opened: Record<string, (a: Attributes) => void> = {
    amf: (a) => {
      const said = (a.unit ?? 'millimeter').toLowerCase();
      if (!Object.hasOwn(unitMm, said)) throw broken(`its unit "${said}" is not one of the standard's`);
      this.unit = unitMm[said];
    },
    object: (a) => {
      this.body = { id: a.id ?? '', name: null, vertices: new Numbers(), volumes: [], colours: new Set() };
    },
    volume: (a) => {
      this.volume = { triangles: new Indices(), material: a.materialid ?? null, colour: null };
      this.body?.volumes.push(this.volume);
    },
    coordinates: () => this.point.fill(NaN),
    triangle: () => this.corner.fill(NaN),
    color: () => this.rgb.fill(NaN),
    normal: () => this.leave('normals of curved triangles'),
    edge: () => this.leave('curved edges'),
    texture: () => this.leave('textures'),
    composite: () => this.leave('graded materials'),
    material: (a) => {
      this.material = a.id ?? null;
    },
    constellation: (a) => {
      this.placed = [];
      this.constellations.set(a.id ?? '', this.placed);
    },
    instance: (a) => {
      this.instance = { objectid: a.objectid ?? '' };
    },
    metadata: (a) => {
      this.named = a.type === 'name';
    },
  };

  private readonly closed: Record<string, (name: string) => void> = {
    ...each(['x', 'y', 'z'], (k) => (this.point[k] = this.number())),
    ...each(['v1', 'v2', 'v3'], (k) => (this.corner[k] = this.number())),
    ...each(['r', 'g', 'b'], (k) => (this.rgb[k] = Number(this.words))),
    ...each(['deltax', 'deltay', 'deltaz', 'rx', 'ry', 'rz'], (_, name) => this.instance && (this.instance[name] = this.words.trim())),
    coordinates: () => this.body?.vertices.push3(this.point[0], this.point[1], this.point[2]),
    triangle: () => this.addTriangle(),
    color: () => this.addColour(),
    metadata: () => {
      if (this.named && this.body && this.within() === 'object') this.body.name = this.words.trim() || null;
      this.named = false;
    },
    volume: () => {
      this.volume = null;
    },
    object: () => {
      if (this.body) this.bodies.set(this.body.id, this.body);
      this.body = null;
    },
    material: () => {
      this.material = null;
    },
    instance: () => {
      if (this.instance && this.placed) this.placed.push({ object: this.instance.objectid, rows: placeOf(this.instance) });
      this.instance = null;
    },
    constellation: () => {
      this.placed = null;
    },
  };

  private leave(what: string): void {
    this.out.set(what, (this.out.get(what) ?? 0) + 1);
  }

  private number(): number {
    const said = this.words.trim();
    decimalComma(said);
    return said === '' ? NaN : Number(said);
  }

  /** The tag around the one that was closed. */
  private within(): string | undefined {
    return this.path[this.path.length - 1];
  }

  private addTriangle(): void {
    if (!this.body || !this.volume) return;
    const most = this.body.vertices.length / 3;
    if (this.corner.every((v) => Number.isInteger(v) && v >= 0 && v < most)) this.volume.triangles.push3(this.corner[0], this.corner[1], this.corner[2]);
    else this.bad++;
  }

  private addColour(): void {
    if (!this.rgb.every(Number.isFinite)) return;
    const hex = hexColour(this.rgb[0] * 255, this.rgb[1] * 255, this.rgb[2] * 255);
    if (hex === null) return;
    if (this.within() === 'material' && this.material !== null) this.materials.set(this.material, hex);
    else if (this.within() === 'volume' && this.volume) this.volume.colour = hex;
    else this.body?.colours.add(hex);
  }
}

/** One deed for several tags, told which of them it is. */
const each = (names: readonly string[], deed: (k: number, name: string) => unknown): Record<string, (name: string) => void> =>
  Object.fromEntries(names.map((name, k) => [name, () => void deed(k, name)]));

/** Turns of a constellation are in degrees about X, Y and Z in that order, then the shift. */
function placeOf(a: Record<string, string>): Rows {
  const n = (key: string) => (Number.isFinite(Number(a[key] ?? 0)) ? Number(a[key] ?? 0) : 0);
  const [x, y, z] = ['rx', 'ry', 'rz'].map((key) => (n(key) * Math.PI) / 180);
  const turnX: Rows = [1, 0, 0, 0, 0, Math.cos(x), -Math.sin(x), 0, 0, Math.sin(x), Math.cos(x), 0];
  const turnY: Rows = [Math.cos(y), 0, Math.sin(y), 0, 0, 1, 0, 0, -Math.sin(y), 0, Math.cos(y), 0];
  const turnZ: Rows = [Math.cos(z), -Math.sin(z), 0, 0, Math.sin(z), Math.cos(z), 0, 0, 0, 0, 1, 0];
  return timesRows([1, 0, 0, n('deltax'), 0, 1, 0, n('deltay'), 0, 0, 1, n('deltaz')], timesRows(turnZ, timesRows(turnY, turnX)));
}
