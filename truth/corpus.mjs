// The truth corpus: what is written is held against readers that the project does not use. Each case is one source and one target.
import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, extname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const here = dirname(fileURLToPath(import.meta.url));
const root = dirname(here);
const core = (path) => import(pathToFileURL(join(root, 'core', 'dist', `${path}.js`)).href);
const { readDesign } = await core('pipeline/read');
const { usualChoices } = await core('model/choices');
const { makeOneFile } = await core('pipeline/one-file');
const { nodeTools } = await core('pipeline/node-tools');
const { nodeKernels } = await core('kernel/load');
const { firstRecipe } = await core('recipe/recipe');
const { readyReceivers } = await core('receivers/ready');
const { noReceiver } = await core('receivers/receivers');
const { firstDrawingRecipe } = await core('model/drawing-recipe');
const { Unusable } = await core('base/finding');
const { combine } = await core('mesh/join/booleans');
const { nodeEngine } = await core('engine/load');
const { measureMesh } = await core('geometry/mesh');
const { flattenShape } = await core('sheet/flatten');
const { partOfPattern } = await core('sheet/part');
const { usualFlatten } = await core('sheet/pattern');
const { workingKernel } = await core('kernel/load');

/** SVG files of Debian's librsvg2-tests, used in place. */
const shownFiles = '/usr/libexec/installed-tests/RSVG/fixtures';

/** How drawings and shapes are sent on. */
const drawingTargets = [
  { format: 'dxf', version: 'R12' },
  { format: 'dxf', version: '2000' },
  { format: 'dxf', version: '2018' },
  { format: 'svg', version: '2000' },
  { format: 'pdf', version: '2000' },
];
const shapeTargets = ['stl', '3mf', 'obj', 'ply', 'step'];

/** Makes the sources, or takes them as they were made by the same script. */
export function sources(folder) {
  const script = join(here, 'make.py');
  const stamp = join(folder, 'made');
  const now = String(statSync(script).mtimeMs);
  if (!existsSync(stamp) || readFileSync(stamp, 'utf8') !== now) {
    rmSync(folder, { recursive: true, force: true });
    mkdirSync(folder, { recursive: true });
    execFileSync('/usr/bin/python3', [script, folder], { stdio: ['ignore', 'ignore', 'ignore'] });
    writeFileSync(stamp, now);
  }
  const made = JSON.parse(readFileSync(join(folder, 'cases.json'), 'utf8')).map((c) => ({ ...c, path: join(folder, c.file) }));
  return [...made, ...shownSources()];
}

function shownSources() {
  if (!existsSync(shownFiles)) return [];
  const found = [];
  // Of five hundred symbols of one kind every sixth is enough.
  let n = 0;
  const walk = (folder) => {
    for (const name of readdirSync(folder).sort()) {
      const path = join(folder, name);
      if (statSync(path).isDirectory()) walk(path);
      else if (extname(name) === '.svg' && !(path.includes('adwaita') && n++ % 6 > 0))
        found.push({ file: path.slice(shownFiles.length + 1), path, family: 'SVG of librsvg2-tests', lost: false });
    }
  };
  walk(shownFiles);
  return found;
}

export async function opened(source) {
  const bytes = readFileSync(source.path);
  const design = await readDesign(bytes, basename(source.file), nodeKernels, usualChoices);
  return { design, bytes };
}

/** The recipe of a target without a machine's own limits. */
export function recipeOf(part, target) {
  const recipe = firstRecipe(part.summary, readyReceivers);
  recipe.receiver = noReceiver;
  recipe.file = { ...recipe.file, format: target.format, unit: 'mm', name: null, quads: false, encoding: target.ascii ? 'ascii' : 'binary' };
  if (part.geometry.kind === 'drawing') recipe.drawing = { ...firstDrawingRecipe(), version: target.version };
  else recipe.facets = { ...recipe.facets, deviation: 0.05, angle: 15, preset: null, budget: null };
  return recipe;
}

export const targetsOf = (part) =>
  part.geometry.kind === 'drawing'
    ? drawingTargets
    : shapeTargets.map((format) => ({ format })).filter((t) => t.format !== 'step' || part.geometry.kind === 'solid' || part.summary.triangles <= 2000);

/** Writes one target into a folder; `damage` may change the stored bytes before they are read back. */
export async function written(part, target, folder, damage = null) {
  const recipe = recipeOf(part, target);
  let path = '';
  let damaged = null;
  const made = await makeOneFile(part, recipe, nodeTools, async (name, pieces) => {
    path = join(folder, `out.${target.format}`);
    writeFileSync(path, Buffer.concat([...pieces]));
    if (damage) damaged = await damage(path);
    return readFileSync(path);
  });
  return { ...made, path, damaged };
}

const near = (a, b, by) => Math.abs(a - b) <= by;

/** Whether figures of two readers of a drawing agree. Curves written as others within 0.01 mm may differ in length by some of that. */
export function flatAgree(a, b, loose = 1) {
  const reach = Math.max(...a.box, 1);
  const by = loose * (0.021 + reach * 1e-6);
  return near(a.box[0], b.box[0], by) && near(a.box[1], b.box[1], by) && near(a.length, b.length, loose * (0.05 + a.length * 1e-3));
}

/** Whether figures of two readers of a shape agree within what facets of 0.05 mm lose. */
export function shapeAgree(a, b, exact) {
  // The box of a solid is known from nodes of a mesh on it.
  const by = exact === true ? 1e-3 : 0.11;
  const sides = a.size.every((v, k) => near(v, b.size[k], by + v * 1e-5));
  return (
    sides &&
    near(a.volume, b.volume, exact ? Math.abs(a.volume) * 1e-4 + 1e-3 : a.area * 0.051 + 1e-3) &&
    near(a.area, b.area, exact ? a.area * 1e-4 + 1e-3 : a.area * 0.03 + 1e-3)
  );
}

/** Figures of the project's own reading in the form of the readers'. */
export function ownFigures(part, scale = 1) {
  const { box, drawing } = part.summary;
  const size = [0, 1, 2].map((k) => (box.max[k] - box.min[k]) * scale);
  if (drawing) return { box: size.slice(0, 2), length: drawing.length * scale };
  return { size, volume: part.summary.volume * scale ** 3, area: part.summary.area * scale ** 2 };
}

/**
 * One source in all its targets: what is wrong is a row of {kind, target, why}.
 * kinds: mismatch (a reader finds other figures than the project), false stop, wrong clear, refused.
 */
export async function judge(source, reader, folder, only = null) {
  if (source.flat) return judgeFlat(source, reader, folder);
  if (source.drawn) return judgeSizes(source, reader, folder);
  if (source.joined !== undefined) return judgeShells(source, reader, folder);
  const wrong = [];
  let cases = 0;
  let refused = 0;
  const add = (kind, target, why) => wrong.push({ kind, file: source.file, family: source.family, target, why });
  const shown = source.family === 'SVG of librsvg2-tests';
  const ending = extname(source.file).slice(1).replace('stp', 'step');
  const made_ = source.file.endsWith('.svg');
  const truth = await reader.ask(shown || made_ ? { op: 'svg-as-shown', file: source.path } : { op: 'figures', file: source.path, format: ending });
  let design;
  try {
    ({ design } = await opened(source));
  } catch (thrown) {
    if (!(thrown instanceof Unusable)) throw thrown;
    // Nothing to be drawn is a fair answer where nothing is shown but writing and pictures, and that is said.
    const nothing =
      /Left out|(?:is|are) writing/.test(thrown.message) || truth.error || truth.refused || !(truth.length > 0) || truth.glyphs || truth.images || truth.masks;
    if (!nothing) add('refused', 'read', `${thrown.message} (${truth.curves} curves shown)`);
    return { cases: 1, wrong };
  }
  const [part] = design.parts;
  const stated = design.unit !== null;
  const scale = stated ? 1 : part.summary.format === 'SVG' ? 25.4 / 96 : 1;
  const told = [...design.findings, ...part.findings].some((f) => f.severity !== 'clear' && f.code !== 'no-unit');
  const own = ownFigures(part, scale);
  cases++;
  if (truth.error) return { cases, wrong, unread: truth.error };
  if (truth.refused) return { cases, wrong };
  // Copies that a filled and stroked shape shows twice, or pixels rounded to a 256th: as shown is looser.
  const shownAgree = () => near(own.box[0], truth.box[0], 0.15) && near(own.box[1], truth.box[1], 0.15);
  const same =
    part.geometry.kind === 'drawing' ? (shown ? shownAgree() : flatAgree(truth, own)) : shapeAgree(truth, own, source.file.endsWith('.step') ? 'near' : true);
  const hard = shown && (truth.glyphs || truth.images || truth.masks || truth.clips > 0);
  if (!same && !(shown && (told || hard)) && !(source.lost && told))
    add('mismatch', 'read', `read as ${figureText(own)}, by another reader ${figureText(truth)}`);
  if (shown && !same) return { cases, wrong };
  if (source.lost && !told) add('wrong clear', 'read', 'it shows what is not contours, and nothing was said');
  for (const target of targetsOf(part)) {
    const name = target.version && target.format === 'dxf' ? `dxf ${target.version}` : target.format;
    if (only && !only(source, name)) continue;
    cases++;
    let made;
    try {
      made = await written(part, target, folder);
    } catch (thrown) {
      if (!(thrown instanceof Unusable)) throw thrown;
      // A refusal with its reason is no false file; it is counted.
      refused++;
      continue;
    }
    const got = await reader.ask({ op: 'figures', file: made.path, format: target.format, unit: 1 });
    if (got.error) {
      add('mismatch', name, `another reader fails: ${got.error}`);
      continue;
    }
    if (got.errors > 0) add('mismatch', name, `${got.errors} errors found by the auditor`);
    const flat = part.geometry.kind === 'drawing';
    const base = shown || made_ ? own : truth;
    const agrees = flat
      ? flatAgree(base, got, target.version === 'R12' && target.format === 'dxf' ? 4 : 1)
      : shapeAgree(base, got, target.format === 'step' ? 'near' : false) &&
        (target.format === 'step' || base.open === undefined || (got.open === 0) === (base.open === 0));
    const { verdict, claims, reason } = made.evidence;
    const stopped = claims.filter((c) => c.verdict === 'stop');
    // Machines' own limits are no part of it: there is none.
    if (agrees && stopped.length > 0) add('false stop', name, reason);
    if (!agrees && verdict === 'clear') add('wrong clear', name, `meant ${figureText(base)}, another reader finds ${figureText(got)}`);
    if (!agrees && verdict !== 'clear') add('mismatch', name, `meant ${figureText(base)}, another reader finds ${figureText(got)}; ${reason}`);
    if (source.lost && verdict === 'clear') add('wrong clear', name, 'it lacks what the source shows');
  }
  return { cases, wrong, refused };
}

/** Corners that are 0.005 mm off put a bend's length off by some of that, at each end of each straight. */
const noiseOfFlat = 0.08;

/** A folded part is unfolded: its flat has the length that the K-factor gives by hand, and its DXF says the same to another reader. */
async function judgeFlat(source, reader, folder) {
  const { length, width, thickness, k } = source.flat;
  const wrong = [];
  const add = (kind, target, why) => wrong.push({ kind, file: source.file, family: source.family, target, why });
  const { design } = await opened(source);
  const [{ geometry, summary }] = design.parts;
  let pattern;
  try {
    const choice = { ...usualFlatten, rule: { kind: 'k', k } };
    const flat = async (rips) => flattenShape(await workingKernel(), { shape: geometry, scale: 1, volume: summary.volume }, { ...choice, rips });
    pattern = source.flat.rip ? await flat(await namedRip(flat)) : await flat([]);
  } catch (thrown) {
    if (!(thrown instanceof Unusable)) throw thrown;
    add('refused', 'flat', thrown.message);
    return { cases: 1, wrong };
  }
  const sides = [pattern.box[2] - pattern.box[0], pattern.box[3] - pattern.box[1]].sort((a, b) => a - b);
  const meant = [length, width].sort((a, b) => a - b);
  const text = (list) => list.map((v) => v.toFixed(3)).join(' x ');
  if (sides.some((v, i) => !near(v, meant[i], noiseOfFlat)) || !near(pattern.thickness, thickness, 0.02))
    add('mismatch', 'flat', `${text(sides)} of ${pattern.thickness.toFixed(3)}, by hand ${text(meant)} of ${thickness.toFixed(3)}`);
  const part = partOfPattern(pattern, { name: 'folded', path: ['folded'], quantity: 1, partNumber: null, unit: 'mm', format: 'made here' });
  const made = await written(part, { format: 'dxf', version: '2000' }, folder);
  const got = await reader.ask({ op: 'figures', file: made.path, format: 'dxf', unit: 1 });
  const there = got.box ? [...got.box].sort((a, b) => a - b) : [0, 0];
  const { claims, reason } = made.evidence;
  if (there.some((v, i) => !near(v, sides[i], 1e-3))) add('mismatch', 'dxf', `another reader finds ${text(there)}`);
  if (claims.some((c) => c.verdict === 'stop')) add('false stop', 'dxf', reason);
  return { cases: 2, wrong };
}

/** Where a part that closes on itself is to be ripped, as its refusal says. */
async function namedRip(flat) {
  try {
    await flat([]);
  } catch (thrown) {
    const named = /Rip: (\d+)\/(\d+)/.exec(thrown.remedy ?? '');
    if (named) return [{ between: [Number(named[1]) - 1, Number(named[2]) - 1] }];
    throw thrown;
  }
  throw new Error('a closed tube was laid flat');
}

/** A shape by its sizes: everything on its flat is as long in the file as in space. */
async function judgeSizes(source, reader, folder) {
  const wrong = [];
  const add = (kind, target, why) => wrong.push({ kind, file: source.file, family: source.family, target, why });
  const { design } = await opened(source);
  const made = await written(design.parts[0], { format: 'dxf', version: '2000' }, folder);
  const got = await reader.ask({ op: 'figures', file: made.path, format: 'dxf', unit: 1 });
  const agrees = near(got.length, source.drawn, source.drawn * 2e-5);
  const stopped = made.evidence.claims.some((c) => c.verdict === 'stop') || design.parts[0].findings.some((f) => f.severity === 'stop');
  if (!agrees && !stopped) add('mismatch', 'dxf', `another reader finds ${got.length} mm of lines, by true lengths ${source.drawn}`);
  if (agrees && stopped) add('false stop', 'dxf', design.parts[0].findings.find((f) => f.severity === 'stop')?.message ?? made.evidence.reason);
  return { cases: 1, wrong };
}

/** Shells in shells joined: the volume is known by hand; what is ambiguous is refused; the file tells what stands in it. */
async function judgeShells(source, reader, folder) {
  const wrong = [];
  const add = (kind, target, why) => wrong.push({ kind, file: source.file, family: source.family, target, why });
  const { design } = await opened(source);
  const [part] = design.parts;
  let volume = null;
  try {
    volume = measureMesh(combine(await nodeEngine(), 'join', [part.geometry.mesh]).mesh).volume;
  } catch (thrown) {
    if (!(thrown instanceof Unusable)) throw thrown;
    if (source.joined !== null) add('refused', 'join', thrown.message);
  }
  if (volume !== null && (source.joined === null || !near(volume, source.joined, source.joined * 1e-6)))
    add(source.joined === null ? 'wrong clear' : 'mismatch', 'join', `${volume} mm3, by hand ${source.joined}`);
  // As it is, it is written clear only when its shells are sound: the volume by hand is then that of its triangles, too.
  const made = await written(part, { format: 'stl' }, folder);
  const got = await reader.ask({ op: 'figures', file: made.path, format: 'stl', unit: 1 });
  const sound = source.joined !== null && near(got.volume, source.joined, 1e-3 * source.joined);
  const { verdict, reason, claims, findings } = made.evidence;
  const stopped = claims.some((c) => c.verdict === 'stop') || findings.some((f) => f.severity === 'stop');
  if (!sound && verdict === 'clear') add('wrong clear', 'stl', `${got.volume} mm3 in its triangles, ${source.joined} meant`);
  if (sound && stopped) add('false stop', 'stl', reason);
  return { cases: 2, wrong };
}

const round = (v) => Number(v.toPrecision(7));
const figureText = (f) =>
  f.size
    ? `${f.size.map(round).join(' x ')} mm, ${round(f.volume)} mm3, ${round(f.area)} mm2`
    : `${f.box.map(round).join(' x ')} mm, length ${round(f.length)}`;

/** Ways to damage each format. */
export const damages = {
  dxf: ['remove', 'twice', 'scale', 'move', 'mirror', 'radius', 'layer', 'unit'],
  svg: ['remove', 'twice', 'scale', 'mirror', 'move', 'layer', 'colour', 'unit'],
  pdf: ['remove', 'twice', 'move', 'scale', 'colour'],
  stl: ['remove', 'scale', 'mirror', 'inside out', 'vertex', 'turned', 'shell', 'twice'],
  '3mf': ['remove', 'scale', 'mirror', 'inside out', 'vertex', 'turned', 'shell', 'twice'],
  obj: ['remove', 'scale', 'mirror', 'inside out', 'vertex', 'turned', 'shell', 'twice'],
  ply: ['remove', 'scale', 'mirror', 'inside out', 'vertex', 'turned', 'shell', 'twice'],
  step: ['scale', 'mirror', 'turned', 'hole', 'move'],
};

/** Whether damage changes nothing that can be seen: a sphere turned is the same sphere. */
export function unseen(before, after, kind) {
  if (kind === 'mirror' || kind === 'turned') return null;
  return before && after && JSON.stringify(before) === JSON.stringify(after);
}
