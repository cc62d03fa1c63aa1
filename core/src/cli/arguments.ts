import { parseArgs } from 'node:util';
import { Unusable } from '../findings/finding.ts';
import { choiceLimits } from '../facets/presets.ts';
import { formatNames, receivers, type FileFormat } from '../receivers/receivers.ts';
import { viewFrames, type ViewName } from '../drawing/from-shape.ts';
import { dxfVersions, type DxfVersion } from '../formats/dxf/write.ts';
import { drawingUnits, lengthUnits } from '../size/readings.ts';

/** What a person typed, checked. Lengths in mm, angle in degrees. */
export interface Given {
  command: Command | 'help';
  files: string[];
  json: boolean;
  deviation: number | null;
  angle: number | null;
  unit: string;
  fromUnit: string | null;
  part: string | null;
  out: string;
  /** Null when none was typed. */
  receiver: string | null;
  ascii: boolean;
  format: FileFormat;
  quads: boolean;
  weld: number | null;
  /** Mending: holes up to this width are closed, mm; Infinity for all; null for the usual. */
  widest: number | null;
  /** Mending: the surface is made anew on a grid of this cell, mm. */
  wrap: number | null;
  holes: 'flat' | 'surface' | 'none';
  crumbs: boolean;
  largest: boolean;
  triangles: number | null;
  layer: number | null;
  bead: number | null;
  walls: number;
  infill: number;
  up: 'find' | 'z' | 'y';
  dxfVersion: DxfVersion;
  /** What is drawn of a solid or mesh that is written as a drawing. */
  view: ViewName | null;
  section: number | null;
  face: number | null;
  edges: 'silhouette' | 'visible' | 'hidden';
  joinGaps: number | null;
  fitArcs: number | null;
  kerf: number | null;
  layersFrom: 'groups' | 'colours';
  /** Drawings: what becomes of layers, meanings, pieces and places. */
  keepLayers: boolean;
  hidden: boolean;
  meanings: string[];
  rules: string | null;
  dropDoubles: boolean;
  order: boolean;
  split: boolean;
  tabs: { count: number; width: number } | null;
  relief: number | null;
  leadIn: number | null;
  mirror: boolean;
  strokes: 'centre' | 'outline';
  /** Where the part lies in the file; null leaves the usual: as drawn, or at zero when that is too far away. */
  place: 'drawn' | 'corner' | 'middle' | null;
  /** Files are left even when their verdict is stop. */
  evenSo: boolean;
  /** Thickness of a raised drawing, mm. */
  thickness: number | null;
  /** Kind of machine that receives, for "receive". */
  as: 'laser' | 'router' | 'printer' | null;
  /** Sheet parts: how bends are counted, and what becomes of what does not lie flat. */
  k: number | null;
  rule: SheetRule | null;
  table: string | null;
  radius: number | null;
  leaveOut: 'all' | 'none';
  leaves: 'nothing' | 'centre' | 'outline';
  countersinks: 'cut-side' | 'through';
  side: 'bends-up' | 'face' | 'back';
  zoneEdges: boolean;
  grain: 'any' | 'across' | 'along';
  material: string;
  density: number | null;
  /** A release: its recipe, its parts list, and whether a zip is made. */
  recipe: string | null;
  parts: string | null;
  zip: boolean;
}

export type SheetRule = 'din6935' | 'handbook-soft' | 'handbook-half-hard' | 'handbook-hard';

export type Command =
  'inspect' | 'write' | 'mend' | 'join' | 'subtract' | 'common' | 'divide' | 'lighten' | 'stances' | 'slice' | 'receive' | 'raise' | 'flatten' | 'release';

/** How many files each command takes, and whether it needs --out. */
const shapes: Record<Command, { least: number; most: number; out: 'folder' | 'file' | null }> = {
  inspect: { least: 1, most: Infinity, out: null },
  write: { least: 1, most: 1, out: 'folder' },
  mend: { least: 1, most: 1, out: 'file' },
  join: { least: 1, most: 100, out: 'file' },
  subtract: { least: 2, most: 100, out: 'file' },
  common: { least: 2, most: 100, out: 'file' },
  divide: { least: 1, most: 1, out: 'folder' },
  lighten: { least: 1, most: 1, out: 'file' },
  stances: { least: 1, most: 1, out: null },
  slice: { least: 1, most: 1, out: null },
  receive: { least: 1, most: 1, out: null },
  raise: { least: 1, most: 1, out: 'file' },
  flatten: { least: 1, most: 1, out: 'folder' },
  release: { least: 1, most: 1, out: 'folder' },
};

const options = {
  json: { type: 'boolean' },
  help: { type: 'boolean', short: 'h' },
  format: { type: 'string' },
  deviation: { type: 'string' },
  angle: { type: 'string' },
  unit: { type: 'string' },
  'from-unit': { type: 'string' },
  part: { type: 'string' },
  out: { type: 'string' },
  receiver: { type: 'string' },
  ascii: { type: 'boolean' },
  quads: { type: 'boolean' },
  weld: { type: 'string' },
  widest: { type: 'string' },
  wrap: { type: 'string' },
  holes: { type: 'string' },
  crumbs: { type: 'boolean' },
  largest: { type: 'boolean' },
  triangles: { type: 'string' },
  layer: { type: 'string' },
  bead: { type: 'string' },
  walls: { type: 'string' },
  infill: { type: 'string' },
  up: { type: 'string' },
  'dxf-version': { type: 'string' },
  view: { type: 'string' },
  section: { type: 'string' },
  face: { type: 'string' },
  edges: { type: 'string' },
  'join-gaps': { type: 'string' },
  'fit-arcs': { type: 'string' },
  kerf: { type: 'string' },
  thickness: { type: 'string' },
  layers: { type: 'string' },
  hidden: { type: 'boolean' },
  meaning: { type: 'string', multiple: true },
  rules: { type: 'string' },
  'drop-doubles': { type: 'boolean' },
  order: { type: 'boolean' },
  split: { type: 'boolean' },
  tabs: { type: 'string' },
  relief: { type: 'string' },
  'lead-in': { type: 'string' },
  mirror: { type: 'boolean' },
  strokes: { type: 'string' },
  place: { type: 'string' },
  'even-so': { type: 'boolean' },
  as: { type: 'string' },
  k: { type: 'string' },
  rule: { type: 'string' },
  table: { type: 'string' },
  radius: { type: 'string' },
  'leave-out': { type: 'string' },
  leaves: { type: 'string' },
  countersinks: { type: 'string' },
  side: { type: 'string' },
  'zone-edges': { type: 'boolean' },
  grain: { type: 'string' },
  material: { type: 'string' },
  density: { type: 'string' },
  recipe: { type: 'string' },
  parts: { type: 'string' },
  zip: { type: 'boolean' },
} as const;

/** @throws Unusable with a sentence when something typed can't be used. */
export function parseArguments(argv: string[]): Given {
  let parsed;
  try {
    parsed = parseArgs({ args: argv, options, allowPositionals: true });
  } catch (thrown) {
    throw new Unusable('bad-option', `${(thrown as Error).message}.`, 'See "tall-kite --help".');
  }
  const { values, positionals } = parsed;
  const [command, ...files] = positionals;
  const blank: Given = {
    command: 'help',
    files,
    json: values.json ?? false,
    deviation: null,
    angle: null,
    unit: 'mm',
    fromUnit: null,
    part: null,
    out: '.',
    receiver: null,
    ascii: values.ascii ?? false,
    format: 'stl',
    quads: values.quads ?? false,
    weld: null,
    widest: null,
    wrap: null,
    holes: 'flat',
    crumbs: values.crumbs ?? false,
    largest: values.largest ?? false,
    triangles: null,
    layer: null,
    bead: null,
    walls: 2,
    infill: 0.2,
    up: 'find',
    dxfVersion: '2000',
    view: null,
    section: null,
    face: null,
    edges: 'silhouette',
    joinGaps: null,
    fitArcs: null,
    kerf: null,
    thickness: null,
    layersFrom: 'groups',
    keepLayers: false,
    hidden: values.hidden ?? false,
    meanings: values.meaning ?? [],
    rules: values.rules ?? null,
    dropDoubles: values['drop-doubles'] ?? false,
    order: values.order ?? false,
    split: values.split ?? false,
    tabs: null,
    relief: null,
    leadIn: null,
    mirror: values.mirror ?? false,
    strokes: 'centre',
    place: null,
    evenSo: values['even-so'] ?? false,
    as: null,
    k: null,
    rule: null,
    table: null,
    radius: null,
    leaveOut: 'all',
    leaves: 'centre',
    countersinks: 'cut-side',
    side: 'bends-up',
    zoneEdges: values['zone-edges'] ?? false,
    grain: 'any',
    material: values.material ?? '',
    density: null,
    recipe: values.recipe ?? null,
    parts: values.parts ?? null,
    zip: values.zip ?? false,
  };
  if (values.help || command === undefined || command === 'help') return blank;
  if (!(command in shapes)) throw new Unusable('bad-command', `There is no command "${command}".`, 'See "tall-kite --help".');
  const shape = shapes[command as Command];
  if (files.length === 0) throw new Unusable('no-file', `"${command}" needs a file.`, 'Name one: tall-kite inspect part.stl');
  if (files.length < shape.least)
    throw new Unusable('more-files', `"${command}" needs ${shape.least} files.`, `Name them one after another: tall-kite ${command} a.stl b.stl --out c.stl`);
  if (files.length > shape.most)
    throw new Unusable('one-file', `"${command}" takes ${shape.most === 1 ? 'one file' : `${shape.most} files`} at a time.`, 'Call it once for each file.');
  const format = oneOf('format', values.format ?? (command === 'flatten' ? 'dxf' : 'stl'), Object.keys(formatNames)) as FileFormat;
  if (shape.out && !values.out) {
    throw new Unusable(
      'no-out',
      `"${command}" needs a ${shape.out} to write to.`,
      shape.out === 'folder' ? 'Add --out DIR.' : 'Add --out FILE, ending in .stl, .3mf, .obj, .ply or .step.',
    );
  }
  const ending = /\.([a-z0-9]+)$/i.exec(values.out ?? '')?.[1].toLowerCase() ?? '';
  if (shape.out === 'file' && !(ending in formatNames) && ending !== 'stp') {
    throw new Unusable('bad-format', `"${values.out}" ends in no format that is written.`, 'Let --out end in .stl, .3mf, .obj, .ply or .step.');
  }
  if (command === 'flatten' && [values.k, values.rule, values.table].filter((v) => v !== undefined).length > 1) {
    throw new Unusable('which-rule', '"flatten" takes one of --k, --rule and --table.', 'For instance: --k 0.44');
  }
  if (command === 'flatten' && !['dxf', 'svg', 'pdf'].includes(values.format ?? 'dxf')) {
    throw new Unusable('bad-format', `A flat pattern is not written as ${values.format}.`, 'Choose --format dxf, svg or pdf.');
  }
  if (command === 'release' && values.recipe === undefined) {
    throw new Unusable('no-recipe', '"release" needs a recipe.', 'Add --recipe FILE.json; see the README for what stands in it.');
  }
  if (command === 'lighten' && (values.triangles === undefined) === (values.deviation === undefined)) {
    throw new Unusable('which-limit', '"lighten" needs either --triangles or --deviation.', 'For instance: --triangles 100000');
  }
  return {
    ...blank,
    command: command as Command,
    format: shape.out === 'file' ? ((ending === 'stp' ? 'step' : ending) as FileFormat) : format,
    weld: limited('weld', values.weld, [0, 10], 'mm'),
    widest: values.widest === 'all' ? Infinity : limited('widest', values.widest, [0, 1_000_000], 'mm, or "all"'),
    wrap: limited('wrap', values.wrap, [0.001, 1000], 'mm'),
    holes: oneOf('holes', values.holes ?? 'flat', ['flat', 'surface', 'none']) as Given['holes'],
    triangles: limited('triangles', values.triangles, [4, 20_000_000], 'triangles'),
    layer: limited('layer', values.layer, [0.01, 5], 'mm'),
    bead: limited('bead', values.bead, [0.05, 5], 'mm'),
    walls: limited('walls', values.walls, [1, 20], 'walls') ?? 2,
    infill: (limited('infill', values.infill, [0, 100], 'percent') ?? 20) / 100,
    dxfVersion: oneOf('dxf-version', values['dxf-version'] ?? '2000', dxfVersions) as DxfVersion,
    view: values.view === undefined ? null : (oneOf('view', values.view, Object.keys(viewFrames)) as ViewName),
    section: sectionHeight(values.section),
    face: limited('face', values.face, [1, 1_000_000], 'faces'),
    edges: oneOf('edges', values.edges ?? 'silhouette', ['silhouette', 'visible', 'hidden']) as Given['edges'],
    joinGaps: limited('join-gaps', values['join-gaps'], [0, 100], 'mm'),
    fitArcs: limited('fit-arcs', values['fit-arcs'], [0.0001, 5], 'mm'),
    kerf: limited('kerf', values.kerf, [0, 10], 'mm'),
    thickness: limited('thickness', values.thickness, [0.01, 10_000], 'mm'),
    layersFrom: oneOf('layers', values.layers ?? 'groups', ['groups', 'colours', 'keep']) === 'colours' ? 'colours' : 'groups',
    keepLayers: values.layers === 'keep',
    tabs: tabsOf(values.tabs),
    relief: limited('relief', values.relief, [0.1, 50], 'mm'),
    leadIn: limited('lead-in', values['lead-in'], [0.1, 50], 'mm'),
    strokes: oneOf('strokes', values.strokes ?? 'centre', ['centre', 'outline']) as Given['strokes'],
    place: values.place === undefined ? null : (oneOf('place', values.place, ['drawn', 'corner', 'middle']) as Given['place']),
    k: limited('k', values.k, [0, 1], 'of the thickness'),
    rule: values.rule === undefined ? null : (oneOf('rule', values.rule, ['din6935', 'handbook-soft', 'handbook-half-hard', 'handbook-hard']) as SheetRule),
    table: values.table ?? null,
    radius: limited('radius', values.radius, [0, 10_000], 'mm'),
    leaveOut: oneOf('leave-out', values['leave-out'] ?? 'all', ['all', 'none']) as Given['leaveOut'],
    leaves: oneOf('leaves', values.leaves ?? 'centre', ['nothing', 'centre', 'outline']) as Given['leaves'],
    countersinks: oneOf('countersinks', values.countersinks ?? 'cut-side', ['cut-side', 'through']) as Given['countersinks'],
    side: oneOf('side', values.side ?? 'bends-up', ['bends-up', 'face', 'back']) as Given['side'],
    grain: oneOf('grain', values.grain ?? 'any', ['any', 'across', 'along']) as Given['grain'],
    density: limited('density', values.density, [0.1, 30], 'g/cm3'),
    as: values.as === undefined ? null : (oneOf('as', values.as, ['laser', 'router', 'printer']) as Given['as']),
    up: oneOf('up', values.up ?? 'find', ['find', 'z', 'y']) as Given['up'],
    deviation: limited('deviation', values.deviation, choiceLimits.deviation, 'mm'),
    angle: limited('angle', values.angle, choiceLimits.angle, 'degrees'),
    unit: oneOf(
      'unit',
      values.unit ?? 'mm',
      [...lengthUnits, ...drawingUnits].map((u) => u.id),
    ),
    fromUnit:
      values['from-unit'] === undefined
        ? null
        : oneOf(
            'from-unit',
            values['from-unit'],
            [...lengthUnits, ...drawingUnits].map((u) => u.id),
          ),
    part: values.part ?? null,
    out: values.out ?? '.',
    receiver: values.receiver === undefined ? null : oneOf('receiver', values.receiver, [...receivers.map((r) => r.id), 'none']),
  };
}

/** "z=12.5" or "12.5", mm. */
function sectionHeight(text: string | undefined): number | null {
  return limited('section', text?.replace(/^z\s*=\s*/i, ''), [-1e6, 1e6], 'mm');
}

/** Tabs as "3x1.5": how many, and how wide in mm. */
function tabsOf(text: string | undefined): Given['tabs'] {
  if (text === undefined) return null;
  const found = /^(\d{1,2})x(\d+(?:\.\d+)?)$/.exec(text.trim());
  const [count, width] = [Number(found?.[1]), Number(found?.[2])];
  if (!found || !(count >= 1 && count <= 50) || !(width >= 0.1 && width <= 50))
    throw new Unusable('bad-number', `--tabs must be like 3x1.5 (3 tabs of 1.5 mm), not "${text}".`, 'At most 50 tabs, 0.1 to 50 mm wide.');
  return { count, width };
}

function limited(name: string, text: string | undefined, [low, high]: readonly [number, number], unit: string): number | null {
  if (text === undefined) return null;
  const value = Number(text);
  if (text.trim() === '' || !(value >= low && value <= high)) {
    throw new Unusable('bad-number', `--${name} must be a number from ${low} to ${high} ${unit}, not "${text}".`, 'Type it without a unit.');
  }
  return value;
}

function oneOf(name: string, value: string, allowed: string[]): string {
  if (!allowed.includes(value)) throw new Unusable('bad-choice', `--${name} must be one of ${allowed.join(', ')}, not "${value}".`, 'Choose one of them.');
  return value;
}
