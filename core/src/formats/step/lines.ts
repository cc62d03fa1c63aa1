import { mmPer } from '../../base/units.ts';
import { real, stepText } from './strings.ts';

/** Length units that are written, as ISO 10303-41 says them: of the metre by a prefix, or by what they convert to. */
export type StepUnit = 'mm' | 'cm' | 'm' | 'in' | 'ft';

/** Lines that are gathered before they are handed on. */
const atOnce = 4000;

/**
 * Instances of an exchange structure while they are written, numbered from 1.
 * Source: ISO 10303-21, clear text encoding.
 * @example const lines = new StepLines(); lines.add(`DIRECTION('',(0.,0.,1.))`) // '#1'
 */
export class StepLines {
  private lines: string[] = [];
  private last = 0;
  private readonly known = new Map<string, string>();
  private readonly encoder = new TextEncoder();

  /** Writes an instance; gives its name. */
  add(entity: string): string {
    const name = `#${++this.last}`;
    this.lines.push(`${name}=${entity};`);
    return name;
  }

  /** Likewise, but an instance that was written with the very same words is used again. */
  once(entity: string): string {
    let name = this.known.get(entity);
    if (name === undefined) this.known.set(entity, (name = this.add(entity)));
    return name;
  }

  /** What was gathered, as soon as there is much of it. */
  *full(): Generator<Uint8Array> {
    if (this.lines.length >= atOnce) yield* this.rest();
  }

  /** What is gathered still. */
  *rest(): Generator<Uint8Array> {
    if (this.lines.length > 0) yield this.encoder.encode(`${this.lines.join('\n')}\n`);
    this.lines = [];
  }
}

/** The head of a file (AP214) with the name of what is in it. It holds no time, so that equal designs give equal bytes. */
export const stepHead = (what: string, name: string): Uint8Array =>
  new TextEncoder().encode(
    `ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION(('${what}'),'2;1');\nFILE_NAME('${stepText(name)}','',(''),(''),'Tall Kite','Tall Kite','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }'));\nENDSEC;\nDATA;\n`,
  );

export const stepEnd = (): Uint8Array => new TextEncoder().encode('ENDSEC;\nEND-ISO-10303-21;\n');

/** What products and definitions stand in. Source: ISO 10303-41, application context. */
export interface Contexts {
  product: string;
  definition: string;
}

export function stepContexts(lines: StepLines): Contexts {
  const context = lines.add(`APPLICATION_CONTEXT('core data for automotive mechanical design processes')`);
  lines.add(`APPLICATION_PROTOCOL_DEFINITION('international standard','automotive_design',2000,${context})`);
  return {
    product: lines.add(`PRODUCT_CONTEXT('',${context},'mechanical')`),
    definition: lines.add(`PRODUCT_DEFINITION_CONTEXT('part definition',${context},'design')`),
  };
}

/** A product with its definition and the shape of that. Source: ISO 10303-41, product_definition; -214, product categories. */
export function stepProduct(lines: StepLines, contexts: Contexts, { name, id = name }: { name: string; id?: string }): { definition: string; shape: string } {
  const product = lines.add(`PRODUCT('${stepText(id)}','${stepText(name)}','',(${contexts.product}))`);
  lines.add(`PRODUCT_RELATED_PRODUCT_CATEGORY('part',$,(${product}))`);
  const formation = lines.add(`PRODUCT_DEFINITION_FORMATION('','',${product})`);
  const definition = lines.add(`PRODUCT_DEFINITION('design','',${formation},${contexts.definition})`);
  return { definition, shape: lines.add(`PRODUCT_DEFINITION_SHAPE('','',${definition})`) };
}

/** What units that are not metric are called. Source: ISO 10303-41, conversion_based_unit. */
const converted = { in: 'INCH', ft: 'FOOT' } as const;
const prefixes = { mm: '.MILLI.', cm: '.CENTI.', m: '$' } as const;

function lengthUnit(lines: StepLines, unit: StepUnit): string {
  if (unit !== 'in' && unit !== 'ft') return lines.add(`(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(${prefixes[unit]},.METRE.))`);
  const base = lines.add(`(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))`);
  const measure = lines.add(`LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE(${real(mmPer(unit))}),${base})`);
  const size = lines.add(`DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.)`);
  return lines.add(`(CONVERSION_BASED_UNIT('${converted[unit]}',${measure})LENGTH_UNIT()NAMED_UNIT(${size}))`);
}

/** Space with its units: lengths as asked for, angles in rad. @param fine how far places may be off, in that unit */
export function stepSpace(lines: StepLines, unit: StepUnit, fine: number): string {
  const length = lengthUnit(lines, unit);
  const rad = lines.add('(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))');
  const sr = lines.add('(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())');
  const off = lines.add(`UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(${real(fine)}),${length},'distance_accuracy_value','')`);
  return lines.add(
    `(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((${off}))GLOBAL_UNIT_ASSIGNED_CONTEXT((${length},${rad},${sr}))REPRESENTATION_CONTEXT('',''))`,
  );
}
