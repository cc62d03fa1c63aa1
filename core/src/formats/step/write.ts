import { mmPer } from '../../base/units.ts';
import { bodiesOfBrep } from '../../body/from-brep.ts';
import { placedBody } from '../../body/placed.ts';
import { determinantOf, identityRows, timesRows, type Rows } from '../../geometry/rows.ts';
import { StepLines, stepContexts, stepEnd, stepHead, stepProduct, stepSpace, type Contexts, type StepUnit } from './lines.ts';
import { exactReal, stepText } from './strings.ts';
import { StepBody, stepDirection } from './write-body.ts';

/** An exact part to be written: its BREP text in mm; `colour` as #rrggbb, null for none. */
export interface StepPart {
  name: string;
  partNumber?: string | null;
  colour: string | null;
  brep: string;
}

/** A sub-assembly to be written: what hangs in it, and which parts stand where (12 numbers each, mm). */
export interface StepNode {
  name: string;
  children: StepNode[];
  parts: { index: number; rows: Rows }[];
}

/** A written product, to be hung into others: its definition, the representation of its shape and the axes that this one has for its middle. */
interface Written {
  definition: string;
  representation: string;
  axes: string;
  name: string;
}

/** Least that files state of how far their places may be off, mm: the exact-geometry kernel's own. */
const finest = 1e-7;

/** A mirror of its own inverse, for parts that stand mirrored: such places turn and move only, so that the part itself is mirrored. */
const mirror: Rows = [-1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];

/**
 * One exact part as a STEP file (AP214), without a kernel: placed, then its lengths multiplied by `scale`.
 * Source: ISO 10303-41 to -44 and -46; ISO 10303-21, the exchange structure.
 * @param rows turn and move before it, in mm
 * @throws NotTaken when something of the solid is not written here
 * @example stepOfPart({ name: 'Hub', colour: '#b0b0b0', brep }, 'mm')
 */
export function stepOfPart(part: StepPart, unit: StepUnit, rows: Rows = identityRows, scale = 1): Uint8Array[] {
  return [...new Writer(unit, scale).pieces(part.name, [part], { place: rows })];
}

/**
 * Parts in a tree of assemblies as a STEP file (AP214), without a kernel. A part is written once, however often it stands somewhere; once more, mirrored, where it
 * stands mirrored.
 * @throws NotTaken when something of a solid is not written here
 * @example stepOfTree({ name: 'Mast', children: [], parts: [{ index: 0, rows: identityRows }] }, [hub])
 */
export function stepOfTree(tree: StepNode, parts: readonly StepPart[], unit: StepUnit = 'mm'): Uint8Array[] {
  return [...new Writer(unit, 1).pieces(tree.name, parts, { tree })];
}

class Writer {
  private readonly lines = new StepLines();
  private readonly unit: StepUnit;
  private readonly length: number;
  private contexts: Contexts | null = null;
  private space = '';
  private occurrence = 0;
  private readonly ids = new Map<string, number>();

  constructor(unit: StepUnit, scale: number) {
    this.unit = unit;
    this.length = scale / mmPer(unit);
  }

  *pieces(title: string, parts: readonly StepPart[], how: { place: Rows } | { tree: StepNode }): Generator<Uint8Array> {
    const { lines } = this;
    const solids = parts.map(({ brep }) => bodiesOfBrep(brep));
    const apart = solids.reduce((most, s) => Math.max(most, s.apart), finest);
    yield stepHead(`exact solids, numbers are ${this.unit}`, title);
    this.contexts = stepContexts(lines);
    this.space = stepSpace(lines, this.unit, apart * this.length);
    const styled: string[] = [];
    const written = new Map<string, Written>();
    const write = function* (this: Writer, index: number, place: Rows, mirrored: boolean): Generator<Uint8Array, Written> {
      const key = `${index}${mirrored ? ' mirrored' : ''}`;
      const known = written.get(key);
      if (known) return known;
      const made = yield* this.part(parts[index], solids[index].bodies, mirrored ? timesRows(place, mirror) : place, styled);
      written.set(key, made);
      return made;
    }.bind(this);
    if ('place' in how) yield* write(0, how.place, false);
    else yield* this.node(how.tree, (index, mirrored) => write(index, identityRows, mirrored));
    if (styled.length > 0) lines.add(`MECHANICAL_DESIGN_GEOMETRIC_PRESENTATION_REPRESENTATION('',(${styled.join(',')}),${this.space})`);
    yield* lines.rest();
    yield stepEnd();
  }

  /** A product whose id no other one of the file has: what has the same is taken for the same by many programs. */
  private product(name: string, wanted: string): { definition: string; shape: string } {
    const { ids } = this;
    let id = wanted;
    while (ids.has(id)) {
      const count = ids.get(wanted)! + 1;
      ids.set(wanted, count);
      id = `${wanted} (${count})`;
    }
    ids.set(id, 1);
    return stepProduct(this.lines, this.contexts!, { name, id });
  }

  private axes(rows: Rows): string {
    const { lines, length } = this;
    const point = lines.add(`CARTESIAN_POINT('',(${[3, 7, 11].map((i) => exactReal(rows[i] * length)).join(',')}))`);
    const [z, x] = [2, 0].map((c) => lines.once(stepDirection([rows[c], rows[4 + c], rows[8 + c]])));
    return lines.add(`AXIS2_PLACEMENT_3D('',${point},${z},${x})`);
  }

  private *part(
    { name, partNumber, colour }: StepPart,
    bodies: ReturnType<typeof bodiesOfBrep>['bodies'],
    place: Rows,
    styled: string[],
  ): Generator<Uint8Array, Written> {
    const { lines, space } = this;
    const text = stepText(name);
    const { definition, shape } = this.product(name, partNumber?.trim() || name);
    const axes = this.axes(identityRows);
    const solids: string[] = [];
    for (const body of bodies) solids.push(yield* new StepBody(lines, placedBody(body, place), this.length).solid(text));
    const representation = lines.add(`ADVANCED_BREP_SHAPE_REPRESENTATION('${text}',(${[axes, ...solids].join(',')}),${space})`);
    lines.add(`SHAPE_DEFINITION_REPRESENTATION(${shape},${representation})`);
    if (colour !== null) for (const solid of solids) styled.push(lines.add(`STYLED_ITEM('color',(${this.style(colour)}),${solid})`));
    return { definition, representation, axes, name };
  }

  /** The style of a colour. Source: ISO 10303-46, surface_style_usage and fill_area_style_colour. */
  private style(colour: string): string {
    const { lines } = this;
    if (!/^#[0-9a-f]{6}$/i.test(colour)) throw new RangeError(`a colour is #rrggbb, not ${colour}`);
    const rgb = [1, 3, 5].map((i) => exactReal(Number((parseInt(colour.slice(i, i + 2), 16) / 255).toPrecision(12))));
    const filled = lines.once(`FILL_AREA_STYLE_COLOUR('',${lines.once(`COLOUR_RGB('',${rgb.join(',')})`)})`);
    const area = lines.once(`SURFACE_STYLE_FILL_AREA(${lines.once(`FILL_AREA_STYLE('',(${filled}))`)})`);
    const usage = lines.once(`SURFACE_STYLE_USAGE(.BOTH.,${lines.once(`SURFACE_SIDE_STYLE('',(${area}))`)})`);
    return lines.once(`PRESENTATION_STYLE_ASSIGNMENT((${usage}))`);
  }

  /** An assembly: its children first, then itself, then where they hang in it. Source: ISO 10303-44, next_assembly_usage_occurrence. */
  private *node(node: StepNode, write: (index: number, mirrored: boolean) => Generator<Uint8Array, Written>): Generator<Uint8Array, Written> {
    const { lines, space } = this;
    const hung: { child: Written; axes: string }[] = [];
    for (const child of node.children) hung.push({ child: yield* this.node(child, write), axes: this.axes(identityRows) });
    for (const { index, rows } of node.parts) {
      const mirrored = determinantOf(rows) < 0;
      hung.push({ child: yield* write(index, mirrored), axes: this.axes(mirrored ? timesRows(rows, mirror) : rows) });
      yield* lines.full();
    }
    const { definition, shape } = this.product(node.name, node.name);
    const axes = this.axes(identityRows);
    const representation = lines.add(`SHAPE_REPRESENTATION('${stepText(node.name)}',(${[axes, ...hung.map((h) => h.axes)].join(',')}),${space})`);
    lines.add(`SHAPE_DEFINITION_REPRESENTATION(${shape},${representation})`);
    for (const { child, axes: there } of hung) {
      const use = lines.add(`NEXT_ASSEMBLY_USAGE_OCCURRENCE('${++this.occurrence}','${stepText(child.name)}','',${definition},${child.definition},$)`);
      const place = lines.add(`PRODUCT_DEFINITION_SHAPE('Placement','Placement of an item',${use})`);
      const moved = lines.add(`ITEM_DEFINED_TRANSFORMATION('','',${child.axes},${there})`);
      const relation = lines.add(
        `(REPRESENTATION_RELATIONSHIP('','',${child.representation},${representation})REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(${moved})SHAPE_REPRESENTATION_RELATIONSHIP())`,
      );
      lines.add(`CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(${relation},${place})`);
      yield* lines.full();
    }
    return { definition, representation, axes, name: node.name };
  }
}
