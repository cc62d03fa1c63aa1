import { identityRows, invertedRows, timesRows, type Rows } from '../../geometry/rows.ts';
import { NotTaken } from '../../body/body.ts';
import type { LeftOut } from '../../model/opened.ts';
import { colourOfFaces } from '../face-colours.ts';
import { colourByItem, facesBelow, faceTypes } from './colours.ts';
import { numberOf, type Scale } from './geometry.ts';
import { Typed, type Part21, type Value } from './part21.ts';
import { enumOf, refOf, refsOf, textOf } from './values.ts';
import { operatorRows, placementRows, rigidPlace } from './places.ts';
import { definitionOf, inMillimetres } from './stated.ts';
import { tessellatedTypes } from './tessellated.ts';
import { solidTypes, surfaceTypes } from './topology.ts';

/** A product of the file: what it is made of itself, and where others hang in it. */
export interface Product {
  name: string | null;
  colour: string | null;
  solids: ShapeItem[];
  /** Surfaces that are no solid. */
  loose: ShapeItem[];
  /** Triangles that stand for no exact shape. */
  tessellated: ShapeItem[];
  children: { product: number; name: string | null; place: Rows }[];
}

/** Something of a product's shape, where it stands in it. */
export interface ShapeItem {
  id: number;
  scale: Scale;
  colour: string | null;
  place: Rows;
}

/** The products of a file by their definitions, and those that hang in no other, in the order of the file. */
export interface Products {
  by: Map<number, Product>;
  roots: number[];
  /** What nothing is made of: curves that bound no face, single points, notes and dimensions. */
  leftOut: Required<Pick<LeftOut, 'curves' | 'points' | 'notes' | 'colours' | 'pictures'>>;
}

/** Representations at most that stand for one shape; products, and places of products. */
const mostRelated = 64;
const mostProducts = 100_000;

/** Representations within representations at most, and how often all of them are shown: two that show two each time are many soon. */
const mostNested = 32;
const mostShown = 20_000;

/** Things of a representation that are no shape by themselves. */
const noShape = /^(AXIS2_PLACEMENT_3D|CARTESIAN_POINT|DIRECTION|MEASURE_REPRESENTATION_ITEM|DESCRIPTIVE_REPRESENTATION_ITEM)$/;

/** Notes, dimensions and how they are looked at. */
const isNote =
  /^(TEXT_LITERAL|COMPOSITE_TEXT|ANNOTATION_|LEADER_|DIMENSION_|DRAUGHTING_|PLANAR_|CAMERA_|TESSELLATED_ANNOTATION)|_CALLOUT$|_ANNOTATION_OCCURRENCE$/;

const definitionTypes = ['PRODUCT_DEFINITION', 'PRODUCT_DEFINITION_WITH_ASSOCIATED_DOCUMENTS'];

/**
 * Tree of products of a file with names, colours and places.
 * Source: ISO 10303-41 (product_definition), -43 (representation), -44 (next_assembly_usage_occurrence).
 * @throws NotTaken when it holds anything else than solids in products, or places that are not plain
 */
export function productsOf(file: Part21): Products {
  return new Reading(file).all();
}

/** A representation shown by another one. */
interface Shown {
  representation: number;
  place: Rows;
  colour: string | null;
  depth: number;
}

class Reading {
  private readonly file: Part21;
  private readonly scales = new Map<number, Scale>();
  private readonly own = new Map<number, number[]>();
  private readonly same: Map<number, number[]>;
  private readonly colours: Map<number, string>;
  private owners: Map<number, number> | null = null;
  private shown = 0;
  /** Places at which a product shows the shape of another one, by both. */
  private readonly shownPlaces = new Map<string, Rows[]>();
  private readonly sets = { curves: 0, points: 0, notes: 0, colours: 0, pictures: 0, seen: new Set<number>() };
  /** Whether any face has a colour of its own. */
  private readonly facesColoured: boolean;

  constructor(file: Part21) {
    this.file = file;
    this.same = sameShapes(file);
    this.colours = colourByItem(file);
    this.facesColoured = [...this.colours.keys()].some((id) => faceTypes.has(file.types(id)[0] ?? ''));
  }

  all(): Products {
    const { file, own } = this;
    for (const id of file.ids('SHAPE_DEFINITION_REPRESENTATION')) {
      const [shape, representation] = file.params(id, 'SHAPE_DEFINITION_REPRESENTATION').map(refOf);
      const definition = definitionOf(file, shape);
      if (definition < 0) continue;
      const list = own.get(definition);
      if (list) list.push(representation);
      else own.set(definition, [representation]);
    }
    const by = new Map<number, Product>();
    const definitions = definitionTypes.flatMap((type) => file.ids(type));
    if (definitions.length > mostProducts) throw new NotTaken('many-products');
    for (const id of definitions) by.set(id, this.product(id));
    const hanging = this.hang(by);
    const roots = definitions.filter((id) => !hanging.has(id) && own.has(id));
    if (roots.length === 0) throw new NotTaken('no-products');
    // Shapes that are of no product are the kernel's to find.
    const taken = new Set([...by.values()].flatMap((p) => [...p.solids, ...p.loose].map((s) => s.id)));
    for (const type of [...solidTypes, ...surfaceTypes]) for (const id of file.ids(type)) if (!taken.has(id)) throw new NotTaken('solid-of-no-product');
    const { curves, points, notes, colours, pictures } = this.sets;
    return { by, roots, leftOut: { curves, points, notes, colours, pictures } };
  }

  private product(definition: number): Product {
    const { file } = this;
    const [id, name] = file.params(refOf(file.params(refOf(file.params(definition)[2]))[2])).map(textOf);
    const out: Product = { name: name.trim() || id.trim() || null, colour: null, solids: [], loose: [], tessellated: [], children: [] };
    const seen = new Set<string>();
    for (const representation of this.representations(definition)) {
      out.colour ??= this.colours.get(representation) ?? null;
      this.take(out, definition, { representation, place: identityRows, colour: null, depth: 0 }, seen);
    }
    // Triangles beside an exact shape are only a picture of it.
    if (out.solids.length + out.loose.length > 0) {
      this.sets.pictures += out.tessellated.length;
      out.tessellated = [];
    }
    const whole = [...out.solids, ...out.loose, ...out.tessellated];
    if (whole.length === 1) out.colour ??= whole[0].colour;
    return out;
  }

  /** Takes the items of a representation, and of those that it shows at places. */
  private take(out: Product, definition: number, { representation, place, colour, depth }: Shown, seen: Set<string>): void {
    const { file, colours } = this;
    if (depth > mostNested) throw new NotTaken('too-deep');
    if (depth > 0 && ++this.shown > mostShown) throw new NotTaken('many-representations');
    for (const item of this.itemsOf(representation)) {
      const types = file.types(item);
      const [type] = types;
      const list = types.length > 1 ? null : solidTypes.has(type) ? out.solids : surfaceTypes.has(type) ? out.loose : tessellatedTypes.has(type) ? out.tessellated : null; // prettier-ignore
      if (list) {
        const key = `${item} ${place.join(' ')}`;
        if (!seen.has(key))
          list.push({ id: item, scale: this.scaleOf(representation), colour: this.colourWithFaces(item, colours.get(item) ?? colour), place });
        seen.add(key);
      } else if (types.length === 1 && type === 'MAPPED_ITEM') this.mapped(out, definition, { item, representation, place, colour, depth }, seen);
      else this.passOver(item, types);
    }
  }

  /** The colour of a solid, or of a surface model, whose faces may have their own. */
  private colourWithFaces(item: number, own: string | null): string | null {
    if (!this.facesColoured) return own;
    const { colour, others } = colourOfFaces(
      own,
      facesBelow(this.file, item).map((face) => this.colours.get(face) ?? null),
    );
    this.sets.colours += others;
    return colour;
  }

  /** A representation shown at a place. Source: ISO 10303-43, mapped_item and representation_map. */
  private mapped(out: Product, definition: number, { item, representation, place, colour, depth }: Shown & { item: number }, seen: Set<string>): void {
    const { file } = this;
    const [, source, target] = file.params(item).map(refOf);
    if (file.types(source)[0] !== 'REPRESENTATION_MAP') throw new NotTaken('item MAPPED_ITEM');
    const [origin, shown] = file.params(source).map(refOf);
    // A product that hangs in this one by a use of it: the use says where, or has its place from here.
    const owner = this.ownerOf(shown);
    const rows = rigidPlace(
      timesRows(placementRows(file, target, this.scaleOf(representation)), invertedRows(placementRows(file, origin, this.scaleOf(shown)))),
    );
    if (owner !== null && owner !== definition) {
      if (depth > 0) throw new NotTaken('item MAPPED_ITEM');
      const key = `${definition} ${owner}`;
      this.shownPlaces.set(key, [...(this.shownPlaces.get(key) ?? []), rows]);
      return;
    }
    this.take(out, definition, { representation: shown, place: timesRows(place, rows), colour: this.colours.get(item) ?? colour, depth: depth + 1 }, seen);
  }

  /** The product whose shape a representation is; null for none. */
  private ownerOf(representation: number): number | null {
    this.owners ??= new Map([...this.own].flatMap(([definition, list]) => list.map((r) => [r, definition] as const)));
    return this.owners.get(representation) ?? null;
  }

  /** Counts what is no solid and no surface. */
  private passOver(item: number, types: string[]): void {
    const [type] = types;
    if (types.length === 1 && /^GEOMETRIC_(CURVE_)?SET$/.test(type)) this.countSet(item);
    else if (types.some((t) => isNote.test(t))) this.sets.notes++;
    else if (!noShape.test(type ?? '')) throw new NotTaken(`item ${type ?? 'that is not there'}`);
  }

  /** Counts what a set of points and curves holds: nothing is made of them. */
  private countSet(id: number): void {
    const { file, sets } = this;
    if (sets.seen.has(id)) return;
    sets.seen.add(id);
    for (const item of refsOf(file.params(id)[1])) {
      const types = file.types(item).join(' ');
      if (/SURFACE|PLANE|BREP|SHELL/.test(types)) throw new NotTaken('surfaces-in-a-set');
      if (/POINT/.test(types)) sets.points++;
      else sets.curves++;
    }
  }

  /** Representations of a definition's own shape, and those that stand for the same. */
  private representations(definition: number): Set<number> {
    const out = new Set(this.own.get(definition) ?? []);
    for (const id of out) {
      for (const other of this.same.get(id) ?? []) out.add(other);
      if (out.size > mostRelated) throw new NotTaken('many-representations');
    }
    return out;
  }

  private itemsOf(representation: number): number[] {
    const { file } = this;
    const types = file.types(representation);
    return refsOf(file.params(representation, types.length > 1 ? 'REPRESENTATION' : undefined)[1]);
  }

  /** What numbers of a representation mean. */
  private scaleOf(representation: number): Scale {
    const { file } = this;
    const types = file.types(representation);
    const context = refOf(file.params(representation, types.length > 1 ? 'REPRESENTATION' : undefined)[2]);
    const known = this.scales.get(context);
    if (known) return known;
    if (!file.types(context).includes('GLOBAL_UNIT_ASSIGNED_CONTEXT')) throw new NotTaken('no-units');
    const units = refsOf(file.params(context, 'GLOBAL_UNIT_ASSIGNED_CONTEXT').at(-1));
    const length = units.find((u) => file.types(u).includes('LENGTH_UNIT'));
    const angle = units.find((u) => file.types(u).includes('PLANE_ANGLE_UNIT'));
    const scale = { length: length === undefined ? NaN : inMillimetres(file, length), angle: angle === undefined ? 1 : inRadians(file, angle) };
    if (!(scale.length > 0 && scale.angle > 0)) throw new NotTaken('no-units');
    this.scales.set(context, scale);
    return scale;
  }

  /** Puts products into those that use them; gives those that are used. */
  private hang(by: Map<number, Product>): Set<number> {
    const { file } = this;
    const hanging = new Set<number>();
    const places = this.placesByUse();
    for (const use of file.ids('NEXT_ASSEMBLY_USAGE_OCCURRENCE')) {
      const [id, name, description, relating, related] = file.params(use, 'NEXT_ASSEMBLY_USAGE_OCCURRENCE');
      const said: (Value | undefined)[] = [description, name, id];
      const [parent, child] = [by.get(refOf(relating)), refOf(related)];
      if (!parent || !by.has(child)) throw new NotTaken('use-of-nothing');
      if (parent.solids.length + parent.loose.length + parent.tessellated.length > 0) throw new NotTaken('solids-in-an-assembly');
      const found = places.get(use);
      const place = found === undefined ? this.shownPlaces.get(`${refOf(relating)} ${child}`)?.shift() : this.placeOf(found, refOf(relating), child);
      if (!place) throw new NotTaken('no-place');
      parent.children.push({ product: child, name: said.map((n) => textOf(n).trim()).find((n) => n !== '') ?? null, place });
      hanging.add(child);
    }
    return hanging;
  }

  /** The relation that says the place of each use of a product. */
  private placesByUse(): Map<number, number> {
    const { file } = this;
    const out = new Map<number, number>();
    for (const id of file.ids('CONTEXT_DEPENDENT_SHAPE_REPRESENTATION')) {
      const [relation, shape] = file.params(id, 'CONTEXT_DEPENDENT_SHAPE_REPRESENTATION').map(refOf);
      const use = refOf(file.params(shape)[2]);
      if (out.has(use)) throw new NotTaken('several-places');
      out.set(use, relation);
    }
    return out;
  }

  private placeOf(relation: number, parent: number, child: number): Rows {
    const { file } = this;
    const types = file.types(relation);
    if (!types.includes('REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION')) throw new NotTaken('no-place');
    const [, , first, second] = file.params(relation, 'REPRESENTATION_RELATIONSHIP').map(refOf);
    const [transformation] = file.params(relation, 'REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION').map(refOf);
    const [ofChild, ofParent] = [this.representations(child), this.representations(parent)];
    const straight = ofChild.has(first) && ofParent.has(second);
    if (!straight && !(ofChild.has(second) && ofParent.has(first))) throw new NotTaken('place-of-others');
    if (file.types(transformation)[0] === 'CARTESIAN_TRANSFORMATION_OPERATOR_3D') {
      const rows = rigidPlace(operatorRows(file, transformation, this.scaleOf(second)));
      return straight ? rows : invertedRows(rows);
    }
    if (file.types(transformation)[0] !== 'ITEM_DEFINED_TRANSFORMATION') throw new NotTaken(`place ${file.types(transformation)[0]}`);
    const [one, two] = file.params(transformation).slice(2, 4).map(refOf);
    const a = placementRows(file, one, this.scaleOf(first));
    const b = placementRows(file, two, this.scaleOf(second));
    return rigidPlace(straight ? timesRows(b, invertedRows(a)) : timesRows(a, invertedRows(b)));
  }
}

/** Representations that stand for the same shape: related, and not moved. */
function sameShapes(file: Part21): Map<number, number[]> {
  const out = new Map<number, number[]>();
  for (const id of file.ids('SHAPE_REPRESENTATION_RELATIONSHIP')) {
    if (file.types(id).includes('REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION')) continue;
    const several = file.types(id).length > 1;
    const [, , a, b] = file.params(id, several ? 'REPRESENTATION_RELATIONSHIP' : undefined).map(refOf);
    for (const [x, y] of [[a, b], [b, a]]) {
      const list = out.get(x);
      if (list) list.push(y);
      else out.set(x, [y]);
    } // prettier-ignore
  }
  return out;
}

/** rad of an angle unit; NaN for what is none. */
function inRadians(file: Part21, unit: number): number {
  const types = file.types(unit);
  if (types.includes('CONVERSION_BASED_UNIT')) {
    const [value] = file.params(refOf(file.params(unit, 'CONVERSION_BASED_UNIT')[1]));
    return value instanceof Typed ? numberOf(value.values[0]) : numberOf(value);
  }
  if (!types.includes('SI_UNIT')) return NaN;
  const [prefix, name] = file.params(unit, 'SI_UNIT').slice(-2);
  return enumOf(name) === 'RADIAN' && prefix === null ? 1 : NaN;
}
