import { type PressChoice, noReliefs, type ReliefCuts, type Rip } from '../sheet/asked.ts';
import { dxfVersions, type DxfVersion } from '../model/dxf-version.ts';
import { parseArgs } from 'node:util';
import { Unusable } from '../base/finding.ts';
import { choiceLimits } from '../surfaces/presets.ts';
import { formatNames, receivers, type FileFormat } from '../receivers/receivers.ts';
import { viewFrames, type ViewName } from '../drawing/from-shape.ts';
import { pressSchema } from '../sheet/press.ts';
import { drawingUnits, lengthUnits } from '../base/readings.ts';

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
  /** A branch of the design's tree ("assemble"). */
  branch: string | null;
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
  /** Share of the thickness by which walls may differ. */
  tolerance: number;
  side: 'bends-up' | 'face' | 'back';
  zoneEdges: boolean;
  rips: Rip[];
  reliefCuts: ReliefCuts;
  press: PressChoice | null;
  grain: 'any' | 'across' | 'along';
  material: string;
  density: number | null;
  /** A release: its recipe, its parts list, and whether a zip is made. */
  recipe: string | null;
  parts: string | null;
  zip: boolean;
  /** "place": what is done to the part, in mm and degrees. */
  placing: {
    scale: number | null;
    knownLength: { axis: 0 | 1 | 2; length: number } | null;
    mirrored: 0 | 1 | 2 | null;
    turns: { axis: 0 | 1 | 2; degrees: number }[];
    centre: boolean;
    move: [number, number, number] | null;
    drop: boolean;
  };
  /** "relief", "hollow", "cut" and "drill". Lengths in mm. */
  shaping: {
    thicken: number | null;
    base: number | null;
    margin: number | null;
    wall: number | null;
    drain: number | null;
    drains: 1 | 2;
    plane: { normal: [number, number, number]; offset: number } | null;
    pegs: { count: 1 | 2 | 3 | 4; diameter: number; depth: number; clearance: number } | null;
    keep: 'both' | 'above' | 'below';
    at: [number, number, number] | null;
    axis: [number, number, number];
    diameter: number | null;
    depth: number | null;
    boss: boolean;
  };
  /** "layout". Lengths in mm; null takes the receiver's. */
  beds: { copies: number; spacing: number | null; margin: number | null };
  /** "stances": which of the ranked ones is written; null lists them. */
  apply: number | null;
}

export type SheetRule = 'din6935' | 'handbook-soft' | 'handbook-half-hard' | 'handbook-hard';

export type Command =
  | 'inspect'
  | 'write'
  | 'mend'
  | 'join'
  | 'subtract'
  | 'common'
  | 'divide'
  | 'lighten'
  | 'stances'
  | 'slice'
  | 'receive'
  | 'raise'
  | 'flatten'
  | 'develop'
  | 'release'
  | 'place'
  | 'relief'
  | 'hollow'
  | 'cut'
  | 'drill'
  | 'check'
  | 'compare'
  | 'layout'
  | 'assemble';

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
  develop: { least: 1, most: 40, out: 'folder' },
  release: { least: 1, most: 1, out: 'folder' },
  place: { least: 1, most: 1, out: 'file' },
  relief: { least: 1, most: 1, out: 'file' },
  hollow: { least: 1, most: 1, out: 'file' },
  cut: { least: 1, most: 1, out: 'folder' },
  drill: { least: 1, most: 1, out: 'file' },
  check: { least: 1, most: 1, out: null },
  compare: { least: 2, most: 2, out: null },
  layout: { least: 1, most: 100, out: 'folder' },
  assemble: { least: 1, most: 100, out: 'file' },
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
  tolerance: { type: 'string' },
  side: { type: 'string' },
  'zone-edges': { type: 'boolean' },
  grain: { type: 'string' },
  rip: { type: 'string', multiple: true },
  press: { type: 'string' },
  'bend-relief': { type: 'string' },
  'corner-relief': { type: 'string' },
  material: { type: 'string' },
  density: { type: 'string' },
  recipe: { type: 'string' },
  parts: { type: 'string' },
  zip: { type: 'boolean' },
  move: { type: 'string' },
  turn: { type: 'string', multiple: true },
  scale: { type: 'string' },
  'known-length': { type: 'string' },
  mirrored: { type: 'string' },
  centre: { type: 'boolean' },
  drop: { type: 'boolean' },
  thicken: { type: 'string' },
  base: { type: 'string' },
  margin: { type: 'string' },
  wall: { type: 'string' },
  drain: { type: 'string' },
  drains: { type: 'string' },
  plane: { type: 'string' },
  pegs: { type: 'string' },
  clearance: { type: 'string' },
  keep: { type: 'string' },
  at: { type: 'string' },
  axis: { type: 'string' },
  diameter: { type: 'string' },
  depth: { type: 'string' },
  boss: { type: 'boolean' },
  copies: { type: 'string' },
  spacing: { type: 'string' },
  apply: { type: 'string' },
  branch: { type: 'string' },
} as const;

/** "--axis -z" and "--base -5" are taken as they are meant, not as options of one letter. */
function withNegatives(argv: string[]): string[] {
  const out: string[] = [];
  for (let i = 0; i < argv.length; i++) {
    const name = argv[i].startsWith('--') ? argv[i].slice(2) : '';
    const takes = Object.hasOwn(options, name) && options[name as keyof typeof options].type === 'string';
    if (takes && /^-([\d.]|[xyz]$)/i.test(argv[i + 1] ?? '')) out.push(`${argv[i]}=${argv[++i]}`);
    else out.push(argv[i]);
  }
  return out;
}

/** @throws Unusable with a sentence when something typed can't be used. */
export function parseArguments(argv: string[]): Given {
  let parsed;
  try {
    parsed = parseArgs({ args: withNegatives(argv), options, allowPositionals: true });
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
    branch: values.branch ?? null,
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
    countersinks: 'through',
    tolerance: 0.05,
    side: 'bends-up',
    zoneEdges: values['zone-edges'] ?? false,
    grain: 'any',
    rips: [],
    reliefCuts: noReliefs,
    press: null,
    material: values.material ?? '',
    density: null,
    recipe: values.recipe ?? null,
    parts: values.parts ?? null,
    zip: values.zip ?? false,
    placing: { scale: null, knownLength: null, mirrored: null, turns: [], centre: values.centre ?? false, move: null, drop: values.drop ?? false },
    shaping: {
      thicken: null,
      base: null,
      margin: null,
      wall: null,
      drain: null,
      drains: 1,
      plane: null,
      pegs: null,
      keep: 'both',
      at: null,
      axis: [0, 0, -1],
      diameter: null,
      depth: null,
      boss: values.boss ?? false,
    },
    beds: { copies: 1, spacing: null, margin: null },
    apply: null,
  };
  if (values.help || command === undefined || command === 'help') return blank;
  if (!(command in shapes)) throw new Unusable('bad-command', `There is no command "${command}".`, 'See "tall-kite --help".');
  const shape = shapes[command as Command];
  if (files.length === 0 && command === 'develop')
    throw new Unusable(
      'no-shape',
      '"develop" needs a shape and its sizes.',
      'For instance: tall-kite develop cone lower=120 upper=60 height=100 thickness=1.5 --out DIR',
    );
  if (files.length === 0) throw new Unusable('no-file', `"${command}" needs a file.`, 'Name one: tall-kite inspect part.stl');
  if (files.length < shape.least)
    throw new Unusable('more-files', `"${command}" needs ${shape.least} files.`, `Name them one after another: tall-kite ${command} a.stl b.stl --out c.stl`);
  if (files.length > shape.most)
    throw new Unusable('one-file', `"${command}" takes ${shape.most === 1 ? 'one file' : `${shape.most} files`} at a time.`, 'Call it once for each file.');
  const format = oneOf('format', values.format ?? (command === 'flatten' || command === 'develop' ? 'dxf' : 'stl'), Object.keys(formatNames)) as FileFormat;
  if (shape.out && !values.out) {
    throw new Unusable(
      'no-out',
      `"${command}" needs a ${shape.out} to write to.`,
      shape.out === 'folder' ? 'Add --out DIR.' : 'Add --out FILE, ending in .stl, .3mf, .obj, .ply or .step.',
    );
  }
  const ending = /\.([a-z0-9]+)$/i.exec(values.out ?? '')?.[1].toLowerCase() ?? '';
  const exact = command === 'assemble' && ['igs', 'iges'].includes(ending);
  if (shape.out === 'file' && !(ending in formatNames) && ending !== 'stp' && !exact) {
    throw new Unusable('bad-format', `"${values.out}" ends in no format that is written.`, 'Let --out end in .stl, .3mf, .obj, .ply or .step.');
  }
  if (command === 'flatten' && [values.k, values.rule, values.table].filter((v) => v !== undefined).length > 1) {
    throw new Unusable('which-rule', '"flatten" takes one of --k, --rule and --table.', 'For instance: --k 0.44');
  }
  if ((command === 'flatten' || command === 'develop') && !['dxf', 'svg', 'pdf'].includes(values.format ?? 'dxf')) {
    throw new Unusable('bad-format', `A flat pattern is not written as ${values.format}.`, 'Choose --format dxf, svg or pdf.');
  }
  if (command === 'stances' && values.apply !== undefined && !(ending in formatNames)) {
    throw new Unusable('no-out', '"stances --apply" needs a file to write to.', 'Add --out FILE, ending in .stl, .3mf, .obj, .ply or .step.');
  }
  if (command === 'compare' && values.out !== undefined && ending !== 'ply') {
    throw new Unusable('bad-format', 'Distances are coloured in PLY.', 'Let --out end in .ply.');
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
    format: shape.out === 'file' || (command === 'stances' && values.apply !== undefined) ? ((ending === 'stp' ? 'step' : ending) as FileFormat) : format,
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
    countersinks: oneOf('countersinks', values.countersinks ?? 'through', ['cut-side', 'through']) as Given['countersinks'],
    tolerance: (limited('tolerance', values.tolerance, [0.1, 20], 'percent of the thickness') ?? 5) / 100,
    side: oneOf('side', values.side ?? 'bends-up', ['bends-up', 'face', 'back']) as Given['side'],
    grain: oneOf('grain', values.grain ?? 'any', ['any', 'across', 'along']) as Given['grain'],
    rips: (values.rip ?? []).map(ripOf),
    press: pressOf(values.press),
    reliefCuts: { bends: bendReliefOf(values['bend-relief']), corners: cornerReliefOf(values['corner-relief']) },
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
    placing: {
      ...blank.placing,
      scale: limited('scale', values.scale, [1e-6, 1e6], 'times'),
      knownLength: knownLengthOf(values['known-length']),
      mirrored: values.mirrored === undefined ? null : axisOf('mirrored', values.mirrored),
      turns: (values.turn ?? []).map(turnOf),
      move: values.move === undefined ? null : threeOf('move', values.move),
    },
    shaping: {
      ...blank.shaping,
      thicken: limited('thicken', values.thicken, [0.001, 10_000], 'mm'),
      base: limited('base', values.base, [-1e6, 1e6], 'mm'),
      margin: limited('margin', values.margin, [0, 1e5], 'mm'),
      wall: limited('wall', values.wall, [0.05, 1000], 'mm'),
      drain: limited('drain', values.drain, [0.1, 1000], 'mm'),
      drains: limited('drains', values.drains, [1, 2], 'holes') === 2 ? 2 : 1,
      plane: values.plane === undefined ? null : planeOf(values.plane),
      pegs: pegsOf(values.pegs, limited('clearance', values.clearance, [0, 5], 'mm')),
      keep: oneOf('keep', values.keep ?? 'both', ['both', 'above', 'below']) as Given['shaping']['keep'],
      at: values.at === undefined ? null : threeOf('at', values.at),
      axis: values.axis === undefined ? [0, 0, -1] : directionOf('axis', values.axis),
      diameter: limited('diameter', values.diameter, [0.01, 10_000], 'mm'),
      depth: limited('depth', values.depth, [0.01, 100_000], 'mm'),
    },
    beds: {
      copies: Math.round(limited('copies', values.copies, [1, 1000], 'copies') ?? 1),
      spacing: limited('spacing', values.spacing, [0, 500], 'mm'),
      margin: limited('margin', values.margin, [0, 500], 'mm'),
    },
    apply: limited('apply', values.apply, [1, 1000], 'stances'),
    part: values.part ?? null,
    out: values.out ?? '.',
    receiver: values.receiver === undefined ? null : oneOf('receiver', values.receiver, [...receivers.map((r) => r.id), 'none']),
  };
}

const bad = (name: string, text: string, like: string) =>
  new Unusable('bad-number', `--${name} must be like ${like}, not "${text}".`, 'Lengths are mm, angles degrees; type no units.');

function axisOf(name: string, text: string): 0 | 1 | 2 {
  const at = ['x', 'y', 'z'].indexOf(text.trim().toLowerCase());
  if (at < 0) throw bad(name, text, 'x, y or z');
  return at as 0 | 1 | 2;
}

/** "10,20,5". */
function threeOf(name: string, text: string): [number, number, number] {
  const numbers = text.split(',').map((v) => (v.trim() === '' ? NaN : Number(v)));
  if (numbers.length !== 3 || !numbers.every((v) => Number.isFinite(v) && Math.abs(v) <= 1e7)) throw bad(name, text, '10,20,5');
  return numbers as [number, number, number];
}

/** "x", "-z" or three numbers. */
function directionOf(name: string, text: string): [number, number, number] {
  const axis = /^([-+]?)([xyz])$/i.exec(text.trim());
  if (axis) {
    const out: [number, number, number] = [0, 0, 0];
    out[axisOf(name, axis[2])] = axis[1] === '-' ? -1 : 1;
    return out;
  }
  const out = threeOf(name, text);
  if (!(Math.hypot(...out) > 0)) throw bad(name, text, '-z or 0,0,-1');
  return out;
}

/** "3/7": two walls that meet; "5@-y": down a round wall, where it looks in a direction; "7@middle": down a flat wall. Faces are counted from 1. */
export function ripOf(text: string): Rip {
  const pair = /^(\d{1,7})\/(\d{1,7})$/.exec(text.trim());
  const seam = /^(\d{1,7})@(.+)$/.exec(text.trim());
  if (pair && Number(pair[1]) > 0 && Number(pair[2]) > 0 && pair[1] !== pair[2]) return { between: [Number(pair[1]) - 1, Number(pair[2]) - 1] };
  if (seam && Number(seam[1]) > 0 && seam[2] === 'middle') return { face: Number(seam[1]) - 1, middle: true };
  if (seam && Number(seam[1]) > 0) return { face: Number(seam[1]) - 1, towards: directionOf('rip', seam[2]) };
  throw new Unusable(
    'bad-rip',
    `--rip must be like 3/7 (where faces 3 and 7 meet) 5@-y (down round face 5, where it looks to -Y) or 7@middle (down flat face 7), not "${text}".`,
    'Faces are counted from 1, as in what "flatten" says.',
  );
}

/** "usual", or "opening=16,strength=300,most=600,punch=85x12x100": the V and the punch (angle x width x height) in mm and degrees, MPa, kN. */
export function pressOf(text: string | undefined): PressChoice | null {
  if (text === undefined) return null;
  const like = 'usual, or opening=16,strength=300,most=600,punch=85x12x100,ram=80';
  const given: Record<string, unknown> = {};
  for (const word of text.trim() === 'usual' ? [] : text.split(',')) {
    const [name, value, ...more] = word.trim().split('=');
    if (!['opening', 'strength', 'most', 'punch', 'ram'].includes(name) || value === undefined || more.length > 0 || name in given)
      throw bad('press', text, like);
    const numbers = value.split('x').map(Number);
    if (numbers.length !== (name === 'punch' ? 3 : 1)) throw bad('press', text, like);
    given[name] = name === 'punch' ? { angle: numbers[0], width: numbers[1], height: numbers[2] } : numbers[0];
  }
  const { value, error } = pressSchema.validate(given, { convert: false });
  if (error) throw new Unusable('bad-number', `--press: ${error.message.replace(/"/g, '')}.`, `Write it like ${like}.`);
  return value;
}

/** "obround=3x4": its kind, how wide, and how deep past the bend zone, mm. */
function bendReliefOf(text: string | undefined): ReliefCuts['bends'] {
  if (text === undefined) return null;
  const found = /^(rectangular|obround)=(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)$/.exec(text.trim());
  const [width, depth] = [Number(found?.[2]), Number(found?.[3])];
  if (!found || !(width >= 0.1 && width <= 100 && depth >= 0.1 && depth <= 200))
    throw bad('bend-relief', text, 'obround=3x4 or rectangular=3x4 (width x depth past the bend)');
  return { kind: found[1] as 'rectangular' | 'obround', width, depth };
}

/** "round=5": its kind and its diameter or side, mm. */
function cornerReliefOf(text: string | undefined): ReliefCuts['corners'] {
  if (text === undefined) return null;
  const found = /^(round|square)=(\d+(?:\.\d+)?)$/.exec(text.trim());
  const size = Number(found?.[2]);
  if (!found || !(size >= 0.1 && size <= 200)) throw bad('corner-relief', text, 'round=5 or square=5');
  return { kind: found[1] as 'round' | 'square', size };
}

/** "z=90". */
function turnOf(text: string): { axis: 0 | 1 | 2; degrees: number } {
  const found = /^([xyz])=([-+]?[\d.]+(?:e[-+]?\d+)?)$/i.exec(text.trim());
  const degrees = Number(found?.[2]);
  if (!found || !Number.isFinite(degrees) || Math.abs(degrees) > 3600) throw bad('turn', text, 'z=90');
  return { axis: axisOf('turn', found[1]), degrees };
}

/** "x=1524": how long the part is along an axis in truth, mm. */
function knownLengthOf(text: string | undefined): Given['placing']['knownLength'] {
  if (text === undefined) return null;
  const found = /^([xyz])=([\d.]+(?:e[-+]?\d+)?)$/i.exec(text.trim());
  const length = Number(found?.[2]);
  if (!found || !(length > 0 && length <= 1e7)) throw bad('known-length', text, 'x=1524');
  return { axis: axisOf('known-length', found[1]), length };
}

/** "z=12.5", or "1,0,1=20": a direction and how far along it from zero. */
function planeOf(text: string): NonNullable<Given['shaping']['plane']> {
  const [left, right, ...more] = text.split('=');
  const offset = right === undefined || right.trim() === '' ? NaN : Number(right);
  if (more.length > 0 || !Number.isFinite(offset)) throw bad('plane', text, 'z=12.5 or 1,0,1=20');
  return { normal: directionOf('plane', left), offset };
}

/** "2x6x8": how many, their diameter, and how deep in each half. */
function pegsOf(text: string | undefined, clearance: number | null): Given['shaping']['pegs'] {
  if (text === undefined) return null;
  const found = /^([1-4])x(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)$/.exec(text.trim());
  const [count, diameter, depth] = [Number(found?.[1]), Number(found?.[2]), Number(found?.[3])];
  if (!found || !(diameter >= 0.5 && depth >= 0.5)) throw bad('pegs', text, '2x6x8 (2 pegs of 6 mm, 8 mm deep)');
  return { count: count as 1 | 2 | 3 | 4, diameter, depth, clearance: clearance ?? 0.15 };
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
