import { Unusable, type Finding } from '../../base/finding.ts';
import { timesRows, type Rows } from '../../geometry/rows.ts';
import { finiteMesh } from '../finite.ts';
import { coloursLost, leftOut, type MeshFile, type MeshFilePart } from '../mesh-file.ts';
import { broken } from './broken.ts';
import { parseModel, unitMm, type Item, type Model, type Obj } from './model.ts';
import { startOf, unpacked } from './package.ts';

const shortUnit: Record<string, string> = { micron: 'micron', millimeter: 'mm', centimeter: 'cm', inch: 'in', foot: 'ft', meter: 'm' };

const deepest = 32;
const mostPlaces = 20_000;

/**
 * Reads a 3MF package: unit, objects with names and colours, components and build items with their places.
 * Source: 3MF Core Specification 1.3; colours of the Materials Extension; parts in further model files (Production Extension).
 * Nothing outside the package is ever followed; entities are not expanded.
 * @throws Unusable when it is no such package or damaged.
 */
export function readThreeMf(bytes: Uint8Array): MeshFile {
  const files = unpacked(bytes);
  const placing = new Placing(files, startOf(files));
  placing.all();
  return { version: '3MF core', unit: shortUnit[placing.root.unit] ?? 'mm', parts: placing.taken(), findings: placing.findings };
}

/** Where an object stands: what it is named below, and its number where the item that places it says one. */
interface Place {
  rows: Rows;
  above: string[];
  partNumber: string | null;
}

/** Object types that are parts; others are told. */
const partTypes = new Set(['model', 'solidsupport', 'surface', '']);

/** Walks what a package places. */
class Placing {
  readonly root: Model;
  readonly findings: Finding[] = [];
  private readonly files: Map<string, Uint8Array>;
  private readonly models = new Map<string, Model>();
  private readonly out = new Map<string, number>();
  private readonly parts = new Map<Obj, MeshFilePart>();
  private readonly used = new Set<Obj>();
  private readonly missing = new Map<string, number>();
  /** How many meshes an object places, what is missing counted too: branches that place nothing are not walked. NaN while it is being counted. */
  private readonly sizes = new Map<Obj, number>();
  private readonly mm: number;
  private places = 0;

  constructor(files: Map<string, Uint8Array>, main: string) {
    this.files = files;
    this.root = this.opened(main);
    this.mm = unitMm[this.root.unit] ?? 1;
  }

  /** Places all that is to be built. @throws Unusable for more than a part list can hold */
  all(): void {
    const total = this.root.items.reduce((n, item) => n + this.sizeOf(item), 0);
    if (Number.isFinite(total) && total > mostPlaces) throw tooMany();
    for (const item of this.root.items) if (this.sizeOf(item) > 0) this.visit(item, { rows: item.rows, above: [], partNumber: item.partNumber }, 0);
  }

  /** The parts that were placed; tells what was not. */
  taken(): MeshFilePart[] {
    for (const [id, count] of this.missing) this.findings.push(missingObject(id, count));
    const coloured = [...this.parts.keys()].filter((o) => o.colours.size > 1);
    if (coloured.length > 0) this.findings.push(coloursLost(coloured.length));
    const loose = [...this.root.objects.values()].filter((o) => !this.used.has(o) && o.triangles.length > 0).length;
    if (loose > 0) this.findings.push(notPlaced(loose));
    this.findings.push(...leftOut(this.out, 'Only objects to be made are taken.'));
    const list = [...this.parts.values()].filter((p) => p.mesh.triangles.length > 0);
    if (list.length === 0) this.findings.push(noTriangles);
    return list;
  }

  private opened(path: string): Model {
    const known = this.models.get(path);
    if (known) return known;
    const data = this.files.get(path.toLowerCase());
    if (!data) throw broken(`"${path}" is named in it but not there`);
    const model = parseModel(data, path, this.out, this.findings);
    this.models.set(path, model);
    return model;
  }

  private sizeOf({ path, id }: Pick<Item, 'path' | 'id'>): number {
    const object = this.opened(path).objects.get(id);
    if (!object) return 1;
    const known = this.sizes.get(object);
    if (known !== undefined) return Number.isNaN(known) ? Infinity : known;
    this.sizes.set(object, NaN);
    let size = object.triangles.length > 0 ? 1 : 0;
    for (const c of object.components) size += this.sizeOf(c);
    this.sizes.set(object, size);
    return size;
  }

  private visit({ path, id }: Pick<Item, 'path' | 'id'>, place: Place, depth: number): void {
    if (depth > deepest) throw new Unusable('too-deep', `The parts are nested more than ${deepest} levels deep.`, 'Export a smaller piece of it.');
    const object = this.opened(path).objects.get(id);
    if (!object) {
      this.missing.set(id, (this.missing.get(id) ?? 0) + 1);
      return;
    }
    this.used.add(object);
    if (!partTypes.has(object.type)) {
      const what = `"${object.type}" objects`;
      this.out.set(what, (this.out.get(what) ?? 0) + 1);
      return;
    }
    this.put(object, place);
    const above = object.components.length > 0 ? [...place.above, object.name ?? `Object ${object.id}`] : place.above;
    for (const c of object.components) if (this.sizeOf(c) > 0) this.visit(c, { rows: timesRows(place.rows, c.rows), above, partNumber: null }, depth + 1);
  }

  /** The object's own mesh at a place; without one there is nothing to put. */
  private put(object: Obj, { rows, above, partNumber }: Place): void {
    if (!object.positions || object.triangles.length === 0) return;
    if (++this.places > mostPlaces) throw tooMany();
    const { mm } = this;
    const known = this.parts.get(object);
    if (known) {
      known.places.push(inMm(rows, mm));
      known.aboveEach!.push(above);
      return;
    }
    const positions = mm === 1 ? object.positions : object.positions.map((v) => v * mm);
    this.parts.set(object, {
      name: object.name,
      above,
      partNumber: partNumber ?? object.partNumber,
      colour: object.colour,
      mesh: finiteMesh({ positions, triangles: object.triangles }, this.findings),
      places: [inMm(rows, mm)],
      aboveEach: [above],
    });
  }
}

const tooMany = () => new Unusable('too-many-parts', `The file places more than ${mostPlaces.toLocaleString('en')} parts.`, 'Export a smaller piece of it.');

const missingObject = (id: string, count: number): Finding => ({
  code: 'missing-object',
  severity: 'stop',
  count,
  message: `An object with the number ${id} is placed ${count === 1 ? '' : `${count.toLocaleString('en')} times `}but not there; it was left out.`,
  remedy: 'Export the file again.',
});

const notPlaced = (count: number): Finding => ({
  code: 'not-placed',
  severity: 'look',
  count,
  message: `${count.toLocaleString('en')} objects are in the file but not among what is to be built, and were left out.`,
  remedy: 'Place them in the program that made the file if they are wanted.',
});

const noTriangles: Finding = {
  code: 'no-triangles',
  severity: 'stop',
  count: 1,
  message: 'The file places no object with triangles.',
  remedy: 'Export it again with the part shown and chosen.',
};

function inMm(rows: Rows, mm: number): Rows {
  return mm === 1 ? rows : rows.map((v, i) => (i % 4 === 3 ? v * mm : v));
}
