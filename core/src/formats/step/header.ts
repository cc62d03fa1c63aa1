import { Unusable, type Finding } from '../../base/finding.ts';
import { latin } from '../../base/latin.ts';
import { Enumeration, exchangeFile, Ref, Typed, type Part21 } from './part21.ts';
import { statedFigures, type StatedFigures } from './stated.ts';

/** What a STEP file says of itself before its geometry is opened. */
export interface StepHeader {
  /** Application protocol, as people name it: "AP203", "AP214", "AP242"; the schema's own name when it is another. */
  protocol: string;
  schema: string;
  /** Name of the length unit of the geometry: mm, cm, m, in, ft; null when the file has none that is known. */
  unit: string | null;
  /** How far places in the file may be off, as it states itself, mm; 0 when it says nothing. */
  uncertainty: number;
  /** What the sender measured of its products. */
  stated: StatedFigures[];
  findings: Finding[];
}

/**
 * Looks through a STEP file (ISO 10303-21 clear text): the schema, the length unit of its geometric context, an end
 * that is there, references that lead somewhere, and what the sender measured. The kernel forgives damage silently, so it is found here.
 * @throws Unusable when it is empty, no STEP file, or cut off.
 */
export function readStepHeader(bytes: Uint8Array): StepHeader {
  const begin = latin(bytes.subarray(0, 4096));
  if (begin.trim().length === 0 && latin(bytes).trim().length === 0) {
    throw new Unusable('empty-file', 'The file is empty.', 'Export it again and check that the disk was not full.');
  }
  if (!/^\s*ISO-10303-21\s*;/.test(begin)) {
    throw new Unusable(
      'not-step',
      'The file is named as STEP but does not begin with "ISO-10303-21;".',
      'Bring it in under its real ending, or export a STEP file (AP203, AP214 or AP242) again.',
    );
  }
  if (!/END-ISO-10303-21\s*;/.test(latin(bytes.subarray(-4096)))) {
    throw new Unusable(
      'cut-off',
      'The STEP file has no end mark ("END-ISO-10303-21;"): it is cut off.',
      'Copy or export it again; a half of a design is never used.',
    );
  }
  const file = exchangeFile(bytes);
  // Without a single place nothing can be anywhere: no kernel has to be started to say so.
  if (file.ids('CARTESIAN_POINT').length === 0) {
    throw new Unusable('no-places', 'The STEP file holds no point in space, so it holds no shape.', 'Export the design again, as solids.');
  }
  const [schemas] = file.header.get('FILE_SCHEMA') ?? [];
  const schema = Array.isArray(schemas) && typeof schemas[0] === 'string' ? schemas[0] : '';
  const unit = lengthUnit(file);
  return {
    protocol: protocolOf(schema),
    schema,
    unit,
    uncertainty: uncertaintyOf(file, unit),
    stated: statedFigures(file),
    findings: [...damageOf(file), ...(unit === null ? [noUnit] : [])],
  };
}

const noUnit: Finding = {
  code: 'no-unit',
  severity: 'look',
  count: 1,
  message: 'The STEP file names no length unit that is known; its numbers are taken as millimetres.',
  remedy: 'Check the size on the Size step.',
};

/** What is wrong with the file before anybody looks at its shapes. */
function damageOf({ broken, damage }: Part21): Finding[] {
  const out: Finding[] = [];
  if (broken.count > 0)
    out.push({
      code: 'broken-references',
      severity: 'stop',
      count: broken.count,
      message: `${broken.count.toLocaleString('en')} references lead to entities that are not in the file (the first is #${broken.first}).`,
      remedy: 'Export the design again; what hangs on those entities is missing.',
    });
  if (damage.count > 0)
    out.push({
      code: 'damaged-lines',
      severity: 'look',
      count: damage.count,
      message: `${damage.count.toLocaleString('en')} ${damage.count === 1 ? 'place does' : 'places do'} not follow the format: ${damage.told
        .slice(0, 3)
        .map((d) => `line ${d.line}, ${d.what}`)
        .join('; ')}.`,
      remedy: 'Export the design again, or compare what was read with the sender’s drawing.',
    });
  return out;
}

/** Source: ISO 10303-41, uncertainty_measure_with_unit; the length in the unit of the context. */
function uncertaintyOf(file: Part21, unit: string | null): number {
  const [id] = file.ids('UNCERTAINTY_MEASURE_WITH_UNIT');
  const mm = { mm: 1, cm: 10, m: 1000, in: 25.4, ft: 304.8 }[unit ?? 'mm'] ?? 1;
  const said = id === undefined ? null : forgiving(() => file.params(id, 'UNCERTAINTY_MEASURE_WITH_UNIT')[0]);
  const value = said instanceof Typed && said.type === 'LENGTH_MEASURE' ? said.values[0] : 0;
  return typeof value === 'number' && value > 0 ? value * mm : 0;
}

function protocolOf(schema: string): string {
  if (/CONFIG_CONTROL_DESIGN/i.test(schema)) return 'AP203';
  if (/AP203/i.test(schema)) return 'AP203';
  if (/AUTOMOTIVE_DESIGN/i.test(schema)) return 'AP214';
  if (/AP242/i.test(schema)) return 'AP242';
  return schema.split(/[\s{]/)[0] || 'STEP';
}

const siPrefix: Record<string, string> = { MILLI: 'mm', CENTI: 'cm', DECI: 'dm', MICRO: 'um', KILO: 'km' };
const named: Record<string, string> = { INCH: 'in', FOOT: 'ft', MILLIMETRE: 'mm', CENTIMETRE: 'cm', METRE: 'm', MIL: 'mil', YARD: 'yd' };

/** The length unit of the first geometric context that names one (ISO 10303-41: GLOBAL_UNIT_ASSIGNED_CONTEXT). */
function lengthUnit(file: Part21): string | null {
  for (const context of file.ids('GLOBAL_UNIT_ASSIGNED_CONTEXT')) {
    const units = forgiving(() => file.params(context, 'GLOBAL_UNIT_ASSIGNED_CONTEXT').at(-1));
    for (const unit of Array.isArray(units) ? units : []) {
      const found = unit instanceof Ref ? forgiving(() => nameOfUnit(file, unit.id)) : null;
      if (found) return found === 'unknown' ? null : found;
    }
  }
  return null;
}

/** What people call a length unit; null for what measures something else. */
function nameOfUnit(file: Part21, id: number): string | null {
  const types = file.types(id);
  if (!types.includes('LENGTH_UNIT')) return null;
  if (types.includes('CONVERSION_BASED_UNIT')) {
    const [name] = file.params(id, 'CONVERSION_BASED_UNIT');
    return typeof name === 'string' ? (named[name.trim().toUpperCase()] ?? 'unknown') : 'unknown';
  }
  const [prefix, name] = types.includes('SI_UNIT') ? file.params(id, 'SI_UNIT').slice(-2) : [];
  if (!(name instanceof Enumeration) || name.name !== 'METRE') return null;
  return prefix instanceof Enumeration ? (siPrefix[prefix.name] ?? 'unknown') : 'm';
}

/** What cannot be read gives nothing here: damage is told by itself. */
function forgiving<T>(work: () => T): T | null {
  try {
    return work();
  } catch (thrown) {
    if (thrown instanceof Unusable) return null;
    throw thrown;
  }
}
