// What is fuzzed: each reader with whole files to begin with, how they are changed, and what a result has to be.
import { existsSync, readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Unusable } from '../core/dist/base/finding.js';
import { readTable } from '../core/dist/bender/table-file.js';
import { readBendRules } from '../core/dist/bender/rules.js';
import { readCutList } from '../core/dist/cutlist/csv.js';
import { nodeKernels } from '../core/dist/kernel/load.js';
import { usualChoices } from '../core/dist/model/choices.js';
import { readDesign } from '../core/dist/pipeline/read.js';
import { usualText } from '../core/dist/text/choice.js';
import { lettersOf } from '../core/dist/text/letters.js';
import { nodeLetters } from '../core/dist/text/node-files.js';
import { checkRelease } from './checks.mjs';
import { readPartsList } from '../core/dist/release/parts-list.js';
import { readyReceivers } from '../core/dist/receivers/ready.js';
import { receiverSchema } from '../core/dist/receivers/rules.js';
import { firstRecipe } from '../core/dist/recipe/recipe.js';
import { recipeSchema } from '../core/dist/recipe/schema.js';
import { readBendTable } from '../core/dist/sheet/rules.js';
import { sizesFile } from '../core/dist/develop/sizes-file.js';
import { textFile } from '../core/dist/formats/text/file.js';
import { inBytes, inJson, inLines, inTags, inZip, mostly, zipOf } from './changes.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const folders = [join(root, 'core/tests/data'), join(root, 'core/tests/data/faults')];
/** Whole files of the tests with one of these endings, the smaller ones. */
const kept = (ending, most = 60_000) =>
  folders.flatMap((folder) =>
    (existsSync(folder) ? readdirSync(folder) : [])
      // Those that are long at work as they are would hide what a change does.
      .filter((name) => name.toLowerCase().endsWith(`.${ending}`) && !/^(fuzz|crossings|revspline|loft|screw)/.test(name))
      .map((name) => readFileSync(join(folder, name)))
      .filter((bytes) => bytes.length <= most),
  );
const demo = (name) => import(new URL(`../demo/dist/${name}.js`, import.meta.url).href);

/** A design's reader: parts with finite figures, sentences for what was found. */
async function design(ending, bytes, i) {
  const read = await readDesign(bytes, `fuzz.${ending}`, nodeKernels, { ...usualChoices, bad: ['keep', 'leave', 'stop'][i % 3] });
  for (const { summary } of read.parts) {
    const figures = [summary.volume, summary.area, ...summary.box.min, ...summary.box.max];
    if (!figures.every(Number.isFinite)) throw new Error(`a figure of "${summary.name}" is not finite: ${figures.join(' ')}`);
  }
  for (const { message } of read.findings) if (!/[.!?]$/.test(message)) throw new Error(`no sentence: ${message}`);
  const text = JSON.stringify({ ...read, parts: read.parts.map((p) => ({ summary: p.summary, findings: p.findings })) });
  if (/\\u0000|\\ud[89a-f]/.test(text)) throw new Error('text that no database keeps');
}

const designs = (ending, change, sources) => ({ name: ending, change, sources, run: (bytes, i) => design(ending, bytes, i) });
const text = (name, change, sources, read) => ({
  name,
  change,
  sources: () => sources.map((s) => Buffer.from(s)),
  run: (bytes) => read(bytes.toString('utf8'), bytes),
});
const files = (list, ending) => list.filter((f) => f.name.endsWith(`.${ending}`)).map((f) => Buffer.from(f.bytes));
/** JSON that a schema lets in or refuses in words. */
const schema = (name, given, check) => ({ name, change: inJson, sources: () => given.map((g) => Buffer.from(JSON.stringify(g))), run: (bytes) => check(JSON.parse(bytes.toString('utf8'))) }); // prettier-ignore
const joi = (of) => (value) => {
  const { error } = of.validate(value, { convert: false });
  if (error && typeof error.message !== 'string') throw new Error('refused without a word');
};

const box = ['v 0 0 0', 'v 9 0 0', 'v 0 9 0', 'v 0 0 9'];
const off = 'OFF\n4 4 6\n0 0 0\n9 0 0\n0 9 0\n0 0 9\n3 0 2 1\n3 0 1 3\n3 1 2 3\n3 0 3 2\n';
const amf = `<?xml version="1.0"?><amf unit="millimeter"><object id="1"><metadata type="name">a</metadata><mesh><vertices>${box.map((v) => `<vertex><coordinates>${['x', 'y', 'z'].map((a, k) => `<${a}>${v.split(' ')[k + 1]}</${a}>`).join('')}</coordinates></vertex>`).join('')}</vertices><volume><triangle><v1>0</v1><v2>2</v2><v3>1</v3></triangle><triangle><v1>0</v1><v2>1</v2><v3>3</v3></triangle><triangle><v1>1</v1><v2>2</v2><v3>3</v3></triangle><triangle><v1>0</v1><v2>3</v2><v3>2</v3></triangle></volume></mesh></object></amf>`;

/** A binary glTF of one tetrahedron. Source: glTF 2.0, 4.4. */
function glb() {
  const places = new Float32Array([0, 0, 0, 9, 0, 0, 0, 9, 0, 0, 0, 9]);
  const corners = new Uint16Array([0, 2, 1, 0, 1, 3, 1, 2, 3, 0, 3, 2]);
  const data = Buffer.concat([Buffer.from(places.buffer), Buffer.from(corners.buffer)]);
  const json = {
    asset: { version: '2.0' },
    scene: 0,
    scenes: [{ nodes: [0] }],
    nodes: [{ mesh: 0, name: 'a' }],
    meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1 }] }],
    buffers: [{ byteLength: data.length }],
    bufferViews: [{ buffer: 0, byteLength: 48 }, { buffer: 0, byteOffset: 48, byteLength: 24 }], // prettier-ignore
    accessors: [{ bufferView: 0, componentType: 5126, count: 4, type: 'VEC3', min: [0, 0, 0], max: [9, 9, 9] }, { bufferView: 1, componentType: 5123, count: 12, type: 'SCALAR' }], // prettier-ignore
  };
  return packed(JSON.stringify(json), data);
}
function packed(json, data) {
  const head = Buffer.from(json.padEnd(Math.ceil(json.length / 4) * 4, ' '));
  const out = Buffer.alloc(12 + 8 + head.length + 8 + data.length);
  out.write('glTF', 0);
  out.writeUInt32LE(2, 4);
  out.writeUInt32LE(out.length, 8);
  out.writeUInt32LE(head.length, 12);
  out.write('JSON', 16);
  head.copy(out, 20);
  out.writeUInt32LE(data.length, 20 + head.length);
  out.write('BIN\0', 24 + head.length);
  data.copy(out, 28 + head.length);
  return out;
}
/** The JSON within a binary glTF changed, its lengths put right; or its bytes. */
function inGlb(bytes, random) {
  const long = bytes.readUInt32LE(12);
  return random(3) ? packed(inJson(bytes.subarray(20, 20 + long), random).toString('utf8'), bytes.subarray(28 + long)) : inBytes(bytes, random);
}

/** A table for a tube bender, an outline, a copper layer and a drill file. */
const tube =
  'bend,length_mm,rotation_deg,angle_deg,radius_mm,shape,width_mm,height_mm,wall_mm,corner_mm,width_turn_deg\n1,100,0,90,70,round,32,32,2,0,0\n2,80,90,45,70,round,32,32,2,0,0\nend,60,,,,round,32,32,2,0,0\n';
const profile =
  '%FSLAX46Y46*%\n%MOMM*%\n%TF.FileFunction,Profile,NP*%\n%ADD10C,0.1*%\nG01*\nD10*\nX0Y0D02*\nX20000000Y0D01*\nX20000000Y10000000D01*\nX0Y10000000D01*\nX0Y0D01*\nM02*\n';
const gerber =
  '%FSLAX46Y46*%\n%MOMM*%\n%TF.FileFunction,Copper,L1,Top*%\n%ADD10C,0.5*%\n%AMBOX*21,1,$1,$2,0,0,$3*%\n%ADD11BOX,1X2X30*%\nG01*\nD10*\nX0Y0D02*\nX10000000Y0D01*\nG75*\nG03X10000000Y10000000I0J5000000D01*\nD11*\nX5000000Y5000000D03*\nG36*\nX0Y0D02*\nX1000000Y0D01*\nX0Y1000000D01*\nX0Y0D01*\nG37*\n%SRX2Y2I5J5*%\nX0Y0D03*\n%SR*%\n%LPC*%\nX2000000Y2000000D03*\nM02*\n';
const drill =
  'M48\n;#@! TF.FileFunction,Plated,1,2,PTH\nMETRIC,TZ,000.000\nT1C0.800\nT2C1.200\n%\nG90\nT1\nX5.0Y5.0\nX10.0Y5.0\nT2\nX5.0Y10.0G85X8.0Y10.0\nG00X1Y1\nM15\nG01X2Y2\nM16\nM30\n';

/** Every target; sources are made when they are asked for. */
export const targets = [
  designs('dxf', mostly(inLines), async () => [...kept('dxf'), ...files((await demo('drawings')).demoDrawings(), 'dxf')]),
  designs('svg', mostly(inTags, inLines), async () => [...kept('svg'), ...files((await demo('drawings')).demoDrawings(), 'svg')]),
  designs('pdf', mostly(inLines), async () => [...files(await (await demo('texts')).demoTexts(), 'pdf'), ...files((await demo('drawings')).demoDrawings(), 'pdf')]), // prettier-ignore
  designs('stl', mostly(inBytes, inLines), () => kept('stl')),
  designs('obj', mostly(inLines), () => [...kept('obj'), Buffer.from(['o a', ...box, 'f 1 3 2', 'f 1 2 4', 'f 2 3 4', 'f 1 4 3'].join('\n'))]),
  designs('ply', mostly(inBytes, inLines), () => kept('ply')),
  designs('off', mostly(inLines), () => [Buffer.from(off)]),
  designs('amf', mostly(inTags), () => [Buffer.from(amf)]),
  designs('glb', inGlb, () => [glb()]),
  designs('3mf', inZip(mostly(inTags)), () => kept('3mf')),
  designs('step', mostly(inLines), () => kept('step', 25_000)),
  designs('igs', mostly(inLines), async () => [await iges(1), await iges(0)]),
  designs('gbr', mostly(inLines), () => [Buffer.from(gerber)]),
  designs('drl', mostly(inLines), () => [Buffer.from(drill)]),
  designs('zip', inZip(mostly(inLines)), () => [
    zipOf({ 'profile.gbr': Buffer.from(profile), 'top.gbr': Buffer.from(gerber), 'board.drl': Buffer.from(drill) }),
  ]),
  designs('png', inBytes, async () => [...kept('png', 200_000), ...files(await (await demo('pictures')).demoPictures(), 'png').slice(0, 1)]),
  designs('bmp', inBytes, () => [bmp()]),
  designs('json', inJson, () => [Buffer.from(sizesFile('cone', { lower: 120, upper: 60, height: 100, thickness: 1.5 }))]),
  designs('lettering', inJson, () => [Buffer.from(textFile({ choice: { ...usualText, words: 'Kite 7' } }))]),
  { name: 'font', change: inBytes, sources: () => [fontBytes()], run: (bytes) => lettersOf({ ...usualText, font: 'own', own: { name: 'own', data: bytes.toString('base64') } }, nodeLetters).then((l) => l.faces[0].open()) }, // prettier-ignore
  text('parts list', mostly(inLines), ['number,name,quantity,material,thickness\nK-1,Side,2,Ash,12\n', '\ufeffnumber;name;quantity\nK-1;Side;2\n'], (t) => readPartsList(t)), // prettier-ignore
  text('cut list', mostly(inLines), ['row,name,quantity,material,thickness,length,width,grain\n1,Side,2,Ash,12,"600,5",300,length\n'], (t) => readCutList(t)),
  text('bend table', mostly(inLines), ['material,thickness,radius,angle,allowance\nsteel,2,2,90,4.2\nsteel,2,2,120,3.1\n'], (t) => readBendTable(t, 'fuzz')),
  text('bend rules', mostly(inLines), ['material,radius,ratio,offset,elongation\nsteel,32,1.012,1.4,0.6\n'], (t) => readBendRules(t)),
  text('tube table', mostly(inLines), [tube], (_, bytes) => readTable(bytes)),
  schema('recipe', ['solid', 'mesh', 'drawing'].map((kind) => firstRecipe({ kind, survey: null }, readyReceivers)), joi(recipeSchema)), // prettier-ignore
  schema('receiver', [...readyReceivers], joi(receiverSchema)),
  schema('release', [{ recipe: { lines: [{ receiver: 'lark', format: 'stl' }], naming: { file: [{ field: 'part' }], folder: [] } } }], checkRelease),
];

/** A cube as IGES, written by the kernel: a solid (1), or its faces by themselves (0). */
async function iges(mode) {
  const k = await nodeKernels.opening();
  k.FS.writeFile('/fuzz.stp', readFileSync(join(root, 'core/tests/data/cube-mm.step')));
  const reader = new k.STEPControl_Reader_1();
  reader.ReadFile('/fuzz.stp');
  reader.TransferRoots(new k.Message_ProgressRange_1());
  const writer = new k.IGESControl_Writer_2('MM', mode);
  writer.AddShape(reader.OneShape(), new k.Message_ProgressRange_1());
  writer.ComputeModel();
  writer.Write_2('/fuzz.igs', false);
  return Buffer.from(k.FS.readFile('/fuzz.igs'));
}

/** A picture of a disc, 24 bits a pixel, without packing: every change of a byte is one of the picture or of its head. Source: BITMAPINFOHEADER. */
function bmp(side = 64) {
  const out = Buffer.alloc(54 + side * side * 3, 255);
  out.fill(0, 0, 54);
  out.write('BM', 0);
  out.writeUInt32LE(out.length, 2);
  out.writeUInt32LE(54, 10);
  out.writeUInt32LE(40, 14);
  out.writeInt32LE(side, 18);
  out.writeInt32LE(side, 22);
  out.writeUInt16LE(1, 26);
  out.writeUInt16LE(24, 28);
  for (let y = 0; y < side; y++) for (let x = 0; x < side; x++) if (Math.hypot(x - side / 2, y - side / 2) < side / 3) out.fill(20, 54 + (y * side + x) * 3, 57 + (y * side + x) * 3); // prettier-ignore
  return out;
}

/** A font of the app, as a person would bring one in. */
function fontBytes() {
  const folder = join(root, 'node_modules/@fontsource-variable/bitter/files');
  return readFileSync(
    join(
      folder,
      readdirSync(folder).find((name) => name.endsWith('.woff2')),
    ),
  );
}

/** Runs one case; gives "read" or "refused". @throws whatever a reader must not throw */
export async function runCase(target, sources, i, change) {
  const bytes = change(sources[i % sources.length]);
  try {
    await target.run(bytes, i);
    return { word: 'read', bytes };
  } catch (thrown) {
    const typed = thrown instanceof Unusable && thrown.code !== 'unexpected';
    if (typed || (thrown instanceof SyntaxError && target.change === inJson)) return { word: 'refused', bytes };
    throw Object.assign(thrown instanceof Error ? thrown : new Error(String(thrown)), { bytes });
  }
}
