import { Unusable, type Finding } from '../../base/finding.ts';

/** What a STEP file says of itself before its geometry is opened. */
export interface StepHeader {
  /** Application protocol, as people name it: "AP203", "AP214", "AP242"; the schema's own name when it is another. */
  protocol: string;
  schema: string;
  /** Name of the length unit of the geometry: mm, cm, m, in, ft; null when the file has none that is known. */
  unit: string | null;
  /** How far places in the file may be off, as it states itself, mm; 0 when it says nothing. */
  uncertainty: number;
  findings: Finding[];
}

/** Entities at most; more than this is refused before memory is taken. */
const mostEntities = 5_000_000;

/**
 * Looks through a STEP file (ISO 10303-21 clear text): the schema, the length unit of its geometric context, an end
 * that is there, and references that lead somewhere. The kernel forgives all of these silently, so they are found here.
 * @throws Unusable when it is empty, no STEP file, or cut off.
 */
export function readStepHeader(text: string): StepHeader {
  if (text.trim().length === 0) {
    throw new Unusable('empty-file', 'The file is empty.', 'Export it again and check that the disk was not full.');
  }
  if (!/^\s*ISO-10303-21\s*;/.test(text.slice(0, 4096))) {
    throw new Unusable(
      'not-step',
      'The file is named as STEP but does not begin with "ISO-10303-21;".',
      'Bring it in under its real ending, or export a STEP file (AP203, AP214 or AP242) again.',
    );
  }
  if (!/END-ISO-10303-21\s*;/.test(text.slice(-4096))) {
    throw new Unusable(
      'cut-off',
      'The STEP file has no end mark ("END-ISO-10303-21;"): it is cut off.',
      'Copy or export it again; a half of a design is never used.',
    );
  }
  const schema = /FILE_SCHEMA\s*\(\s*\(\s*'([^']*)'/.exec(text)?.[1] ?? '';
  const { broken, first, entities } = brokenReferences(text);
  if (entities > mostEntities) {
    throw new Unusable(
      'too-many-entities',
      `The file has ${entities.toLocaleString('en')} entities; at most ${mostEntities.toLocaleString('en')} are opened.`,
      'Export fewer parts at a time.',
    );
  }
  // Without a single place nothing can be anywhere: no kernel has to be started to say so.
  if (!/=\s*CARTESIAN_POINT\s*\(/.test(text)) {
    throw new Unusable('no-places', 'The STEP file holds no point in space, so it holds no shape.', 'Export the design again, as solids.');
  }
  const findings: Finding[] = [];
  if (broken > 0) {
    findings.push({
      code: 'broken-references',
      severity: 'stop',
      count: broken,
      message: `${broken.toLocaleString('en')} references lead to entities that are not in the file (the first is #${first}).`,
      remedy: 'Export the design again; what hangs on those entities is missing.',
    });
  }
  const unit = lengthUnit(text);
  if (unit === null) {
    findings.push({
      code: 'no-unit',
      severity: 'look',
      count: 1,
      message: 'The STEP file names no length unit that is known; its numbers are taken as millimetres.',
      remedy: 'Check the size on the Size step.',
    });
  }
  return { protocol: protocolOf(schema), schema, unit, uncertainty: uncertaintyOf(text, unit), findings };
}

/** Source: ISO 10303-41, uncertainty_measure_with_unit; the length in the unit of the context. */
function uncertaintyOf(text: string, unit: string | null): number {
  const found = /UNCERTAINTY_MEASURE_WITH_UNIT\s*\(\s*LENGTH_MEASURE\s*\(\s*([-+0-9.eE]+)/.exec(text);
  const value = Number(found?.[1] ?? 0);
  const mm = { mm: 1, cm: 10, m: 1000, in: 25.4, ft: 304.8 }[unit ?? 'mm'] ?? 1;
  return Number.isFinite(value) && value > 0 ? value * mm : 0;
}

function protocolOf(schema: string): string {
  if (/CONFIG_CONTROL_DESIGN/i.test(schema)) return 'AP203';
  if (/AP203/i.test(schema)) return 'AP203';
  if (/AUTOMOTIVE_DESIGN/i.test(schema)) return 'AP214';
  if (/AP242/i.test(schema)) return 'AP242';
  return schema.split(/[\s{]/)[0] || 'STEP';
}

/** Counts references (#12) that no entity (#12=) answers. Strings and comments are passed over. */
function brokenReferences(text: string): { broken: number; first: number; entities: number } {
  const from = text.search(/ENDSEC\s*;\s*DATA\s*[(;]/);
  const body = text
    .slice(Math.max(0, from))
    .replace(/'(?:[^']|'')*'/g, "''")
    .replace(/\/\*[\s\S]*?\*\//g, '');
  const defined = new Set<number>();
  const used = new Set<number>();
  for (const match of body.matchAll(/#(\d+)(\s*=)?/g)) {
    if (match[2]) defined.add(Number(match[1]));
    else used.add(Number(match[1]));
  }
  let broken = 0;
  let first = 0;
  for (const id of used) {
    if (defined.has(id)) continue;
    if (broken++ === 0) first = id;
  }
  return { broken, first, entities: defined.size };
}

const siPrefix: Record<string, string> = { MILLI: 'mm', CENTI: 'cm', DECI: 'dm', MICRO: 'um', KILO: 'km' };
const named: Record<string, string> = { INCH: 'in', FOOT: 'ft', MILLIMETRE: 'mm', CENTIMETRE: 'cm', METRE: 'm', MIL: 'mil', YARD: 'yd' };

/** The length unit of the first geometric context (ISO 10303-41: GLOBAL_UNIT_ASSIGNED_CONTEXT). */
function lengthUnit(text: string): string | null {
  const contexts = [...text.matchAll(/GLOBAL_UNIT_ASSIGNED_CONTEXT\s*\(\s*\(([^)]*)\)/g)];
  for (const context of contexts) {
    for (const id of context[1].match(/#\d+/g) ?? []) {
      const entity = new RegExp(`${id}\\s*=\\s*([^;]*);`).exec(text)?.[1] ?? '';
      if (!/LENGTH_UNIT/.test(entity)) continue;
      const other = /CONVERSION_BASED_UNIT\s*\(\s*'([^']*)'/.exec(entity);
      if (other) return named[other[1].trim().toUpperCase()] ?? null;
      const si = /SI_UNIT\s*\(\s*(?:\.(\w+)\.|\$)\s*,\s*\.METRE\.\s*\)/.exec(entity);
      if (si) return si[1] ? (siPrefix[si[1]] ?? null) : 'm';
    }
  }
  return null;
}
