import { Unusable } from '../../base/finding.ts';
import { latin } from '../../base/latin.ts';
import { real } from './strings.ts';
import { Part21, Ref, Typed, type Value } from './part21.ts';
import { enumOf, listOf, refOf, textOf } from './values.ts';

/** What a sender measured of a product before the file was written: geometric validation properties. Lengths in mm. */
export interface StatedFigures {
  /** Name of the product. */
  product: string;
  /** `whole` is made of others and is part of none; `part` is made of none. */
  role: 'part' | 'assembly' | 'whole';
  /** Solids of its own; 0 when they were not found. */
  bodies: number;
  volume: number | null;
  area: number | null;
  centre: [number, number, number] | null;
}

/** Properties at most that are looked at. */
const mostProperties = 100_000;
/** Units made of units at most. */
const deepest = 8;

const prefixes: Record<string, number> = { EXA: 1e18, PETA: 1e15, TERA: 1e12, GIGA: 1e9, MEGA: 1e6, KILO: 1e3, HECTO: 1e2, DECA: 10, DECI: 0.1, CENTI: 0.01, MILLI: 1e-3, MICRO: 1e-6, NANO: 1e-9, PICO: 1e-12, FEMTO: 1e-15, ATTO: 1e-18 }; // prettier-ignore

/** mm of a length unit; of a derived unit the product of its elements, mm to that power. NaN for what is no length. Source: ISO 10303-41, measure schema. */
export function inMillimetres(file: Part21, unit: number, depth = 0): number {
  const types = file.types(unit);
  if (depth > deepest) return NaN;
  if (types.includes('DERIVED_UNIT'))
    return listOf(file.params(unit, 'DERIVED_UNIT')[0]).reduce<number>((all, element) => {
      const [of, power] = file.params(refOf(element));
      return all * inMillimetres(file, refOf(of), depth + 1) ** (typeof power === 'number' ? power : NaN);
    }, 1);
  if (types.includes('CONVERSION_BASED_UNIT')) {
    const [value, of] = file.params(refOf(file.params(unit, 'CONVERSION_BASED_UNIT')[1]));
    // Some write the number without its type.
    const factor = value instanceof Typed ? value.values[0] : value;
    return (typeof factor === 'number' ? factor : NaN) * inMillimetres(file, refOf(of), depth + 1);
  }
  if (!types.includes('SI_UNIT')) return NaN;
  const [prefix, name] = file.params(unit, 'SI_UNIT').slice(-2);
  if (enumOf(name) !== 'METRE') return NaN;
  const said = enumOf(prefix);
  return 1000 * (said === null ? 1 : (prefixes[said] ?? NaN));
}

/** The length unit of a representation's context; below 0 when it has none. */
function lengthUnitOf(file: Part21, context: number): number {
  if (!file.types(context).includes('GLOBAL_UNIT_ASSIGNED_CONTEXT')) return -1;
  const units = listOf(file.params(context, 'GLOBAL_UNIT_ASSIGNED_CONTEXT').at(-1)).map(refOf);
  return units.find((unit) => file.types(unit).includes('LENGTH_UNIT')) ?? -1;
}

/** The product definition that a property is of; below 0 where it is of something else, such as one place of a part. */
export function definitionOf(file: Part21, of: number): number {
  const [type] = file.types(of);
  if (type === 'PRODUCT_DEFINITION_SHAPE') return definitionOf(file, refOf(file.params(of)[2]));
  return /^PRODUCT_DEFINITION(_WITH_ASSOCIATED_DOCUMENTS)?$/.test(type ?? '') ? of : -1;
}

function productName(file: Part21, definition: number): string {
  const product = refOf(file.params(refOf(file.params(definition)[2]))[2]);
  const [id, name] = file.params(product).map(textOf);
  return name || id;
}

/** A figure of a representation, in mm. */
function figureOf(file: Part21, items: Value[], of: 'VOLUME_MEASURE' | 'AREA_MEASURE'): number | null {
  for (const item of items) {
    const types = file.types(refOf(item));
    const type = types.find((t) => t === 'MEASURE_REPRESENTATION_ITEM' || t.endsWith('MEASURE_WITH_UNIT'));
    if (!type) continue;
    const params = file.params(refOf(item), types.length > 1 ? (types.find((t) => t.endsWith('MEASURE_WITH_UNIT')) ?? type) : type);
    const value = params.find((p) => p instanceof Typed);
    const unit = params.find((p) => p instanceof Ref);
    if (!value || value.type !== of || typeof value.values[0] !== 'number' || !unit) continue;
    const figure = value.values[0] * inMillimetres(file, unit.id);
    if (Number.isFinite(figure) && figure > 0) return figure;
  }
  return null;
}

function centreOf(file: Part21, items: Value[], context: number): [number, number, number] | null {
  for (const item of items) {
    if (file.types(refOf(item))[0] !== 'CARTESIAN_POINT') continue;
    const place = listOf(file.params(refOf(item))[1]).map((v) => (typeof v === 'number' ? v : NaN) * inMillimetres(file, lengthUnitOf(file, context)));
    if (place.length === 3 && place.every(Number.isFinite)) return place as [number, number, number];
  }
  return null;
}

/** Representations at most that stand for one shape. */
const mostRelated = 64;
const solids = new Set(['MANIFOLD_SOLID_BREP', 'BREP_WITH_VOIDS', 'FACETED_BREP']);

/** How many solids each product's own shape has, by its definition; those of representations that stand for the same shape count too. */
function bodiesByDefinition(file: Part21): Map<number, number> {
  const same = new Map<number, Set<number>>();
  for (const id of file.ids('SHAPE_REPRESENTATION_RELATIONSHIP')) {
    // One that moves something joins a part to its assembly.
    if (file.types(id).length > 1) continue;
    const [, , a, b] = file.params(id).map(refOf);
    same.set(a, (same.get(a) ?? new Set()).add(b));
    same.set(b, (same.get(b) ?? new Set()).add(a));
  }
  // Each representation is looked at once, however many shapes stand for it.
  const counted = new Map<number, number>();
  const solidsIn = (representation: number): number => {
    const known = counted.get(representation) ?? listOf(file.params(representation)[1]).filter((item) => file.types(refOf(item)).some((t) => solids.has(t))).length; // prettier-ignore
    counted.set(representation, known);
    return known;
  };
  const out = new Map<number, number>();
  for (const id of file.ids('SHAPE_DEFINITION_REPRESENTATION')) {
    const [shape, representation] = file.params(id, 'SHAPE_DEFINITION_REPRESENTATION').map(refOf);
    const definition = definitionOf(file, shape);
    const others = [...(same.get(representation) ?? [])];
    if (definition < 0 || others.length > mostRelated) continue;
    out.set(definition, [representation, ...others].reduce((n, r) => n + solidsIn(r), 0)); // prettier-ignore
  }
  return out;
}

/**
 * Figures that the sender wrote beside the geometry, by product. What can not be followed is passed over.
 * Source: ISO 10303-41 property_definition; names as the recommended practices of the CAx Implementor Forum give them (from memory).
 * @example statedFigures(new Part21(bytes)).find((s) => s.product === 'nut')?.volume
 */
export function statedFigures(file: Part21): StatedFigures[] {
  const parents = new Set<number>();
  const children = new Set<number>();
  const ignoring = <T>(work: () => T): T | undefined => {
    try {
      return work();
    } catch (thrown) {
      if (thrown instanceof Unusable) return undefined;
      throw thrown;
    }
  };
  for (const id of file.ids('NEXT_ASSEMBLY_USAGE_OCCURRENCE'))
    ignoring(() => {
      const [, , , parent, child] = file.params(id, 'NEXT_ASSEMBLY_USAGE_OCCURRENCE');
      parents.add(refOf(parent));
      children.add(refOf(child));
    });
  const bodies = ignoring(() => bodiesByDefinition(file));
  const found = new Map<number, StatedFigures>();
  for (const id of file.ids('PROPERTY_DEFINITION_REPRESENTATION').slice(0, mostProperties))
    ignoring(() => {
      const [property, representation] = file.params(id, 'PROPERTY_DEFINITION_REPRESENTATION').map(refOf);
      const [name, , of] = file.params(property);
      if (!/validation property/i.test(textOf(name))) return;
      const definition = definitionOf(file, refOf(of));
      if (definition < 0) return;
      const [, items, context] = file.params(representation);
      const held = found.get(definition) ?? {
        product: productName(file, definition),
        role: !parents.has(definition) ? 'part' : children.has(definition) ? 'assembly' : 'whole',
        bodies: bodies?.get(definition) ?? 0,
        volume: null,
        area: null,
        centre: null,
      };
      held.volume ??= figureOf(file, listOf(items), 'VOLUME_MEASURE');
      held.area ??= figureOf(file, listOf(items), 'AREA_MEASURE');
      held.centre ??= centreOf(file, listOf(items), refOf(context));
      if (held.volume !== null || held.area !== null || held.centre !== null) found.set(definition, held);
    });
  return [...found.values()];
}

/** Shapes of products by the products' names. */
function shapesByProduct(file: Part21): Map<string, number[]> {
  const shapes = new Map<string, number[]>();
  for (const shape of file.ids('PRODUCT_DEFINITION_SHAPE')) {
    const definition = definitionOf(file, shape);
    if (definition < 0) continue;
    const name = productName(file, definition);
    const list = shapes.get(name);
    if (list) list.push(shape);
    else shapes.set(name, [shape]);
  }
  return shapes;
}

/** What is to be written beside the geometry of a product; null for what is not known. Lengths in mm. */
export type FiguresToState = Pick<StatedFigures, 'product' | 'volume' | 'area' | 'centre'>;

/**
 * A file with the figures of its products beside their geometry, in the file's own unit, so that whoever opens it can hold against them what arrived. Names that
 * no product or several have are passed over. Source: as for statedFigures.
 * @param bytes a whole exchange file as this program writes them
 * @example withStatedFigures(bytes, [{ product: 'mast', volume: 1200, area: 800, centre: [0, 0, 40] }])
 */
export function withStatedFigures(bytes: Uint8Array, figures: readonly FiguresToState[]): Uint8Array {
  const file = new Part21(bytes);
  const shapes = shapesByProduct(file);
  const contexts = new Map<number, number>();
  for (const id of file.ids('SHAPE_DEFINITION_REPRESENTATION')) {
    const [shape, representation] = file.params(id).map(refOf);
    contexts.set(shape, refOf(file.params(representation)[2]));
  }
  const lines: string[] = [];
  const add = (entity: string): string => `#${file.largest + lines.push(`#${file.largest + lines.length + 1}=${entity};`)}`;
  for (const { product, volume, area, centre } of figures) {
    const [shape, ...more] = shapes.get(product) ?? [];
    const context = contexts.get(shape);
    if (shape === undefined || more.length > 0 || context === undefined) continue;
    const unit = lengthUnitOf(file, context);
    const mm = inMillimetres(file, unit);
    if (!(mm > 0)) continue;
    const state = (name: string, item: string) => {
      const property = add(`PROPERTY_DEFINITION('geometric validation property','${name}',#${shape})`);
      const representation = add(`REPRESENTATION('${name}',(${add(item)}),#${context})`);
      add(`PROPERTY_DEFINITION_REPRESENTATION(${property},${representation})`);
    };
    const derivedUnit = (power: number) => add(`DERIVED_UNIT((${add(`DERIVED_UNIT_ELEMENT(#${unit},${power}.)`)}))`);
    if (volume !== null) state('volume', `MEASURE_REPRESENTATION_ITEM('volume measure',VOLUME_MEASURE(${real(volume / mm ** 3)}),${derivedUnit(3)})`);
    if (area !== null) state('surface area', `MEASURE_REPRESENTATION_ITEM('surface area measure',AREA_MEASURE(${real(area / mm ** 2)}),${derivedUnit(2)})`);
    if (centre !== null) state('centroid', `CARTESIAN_POINT('centre point',(${centre.map((v) => real(v / mm)).join(',')}))`);
  }
  return lines.length === 0 ? bytes : beforeTheEnd(bytes, `${lines.join('\n')}\n`);
}

/** A file with more instances at the end of its data; as it was when it has no end. */
function beforeTheEnd(bytes: Uint8Array, text: string): Uint8Array {
  const end = latin(bytes.subarray(-4096)).lastIndexOf('ENDSEC;');
  if (end < 0) return bytes;
  const at = Math.max(0, bytes.length - 4096) + end;
  const middle = new TextEncoder().encode(text);
  const out = new Uint8Array(bytes.length + middle.length);
  out.set(bytes.subarray(0, at));
  out.set(middle, at);
  out.set(bytes.subarray(at), at + middle.length);
  return out;
}
