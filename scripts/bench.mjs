// npm run bench: the figures of the README, each with its ratio to a named peer in the same run. "-- artwork", "-- boards", "-- drawings", "-- facets", "-- nesting", "-- patches", "-- reliefs", "-- sheets", "-- step" or "-- releases" runs those only.
import { fork } from 'node:child_process';
import { closeSync, mkdtempSync, openSync, readFileSync, rmSync, statSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { STLLoader } from 'three/examples/jsm/loaders/STLLoader.js';
import { mergeVertices } from 'three/examples/jsm/utils/BufferGeometryUtils.js';
import { readBrepText } from '../core/dist/surfaces/brep-text.js';
import { makeFacets } from '../core/dist/facets/make.js';
import { readDesign } from '../core/dist/pipeline/read.js';
import { MeshoptSimplifier } from 'meshoptimizer';
import { combine } from '../core/dist/mesh/join/booleans.js';
import { nodeEngine } from '../core/dist/engine/load.js';
import { twoSidedDistance } from '../core/dist/mesh/lighter/distance.js';
import { collapsedTo } from '../core/dist/mesh/lighter/lighter.js';
import { sliceMesh } from '../core/dist/mesh/sections.js';
import { fullCheck } from '../core/dist/mesh/soundness/full-check.js';
import { wallThickness } from '../core/dist/mesh/soundness/thickness.js';
import { binaryStl } from '../core/dist/formats/stl/write.js';
import { readStl } from '../core/dist/formats/stl/read.js';
import { FacetSource } from '../core/dist/kernel/facet-source.js';
import { nodeKernels, openingKernel, workingKernel } from '../core/dist/kernel/load.js';
import { checkMesh } from '../core/dist/mesh/soundness/check-mesh.js';
import { viewOf } from '../core/dist/view/view.js';
import { benchArtwork } from './bench-artwork.mjs';
import { benchBoards } from './bench-boards.mjs';
import { benchPatches } from './bench-patches.mjs';
import { benchNesting } from './bench-nesting.mjs';
import { benchDrawings } from './bench-drawings.mjs';
import { benchReliefs } from './bench-reliefs.mjs';
import { benchReleases } from './bench-releases.mjs';
import { benchSheets } from './bench-sheets.mjs';
import { benchStep } from './bench-step.mjs';
import { benchFacets } from './bench-facets.mjs';

const folder = mkdtempSync(join(tmpdir(), 'tall-kite-bench-'));
const rows = [];
const row = (what, figure, peer, ratio, wanted, ok) => rows.push({ what, figure, peer, ratio, wanted, verdict: ok === null ? '' : ok ? 'met' : 'NOT met' });
const ms = (v) => `${v.toFixed(0)} ms`;

function times(n, work) {
  const all = [];
  for (let i = 0; i < n; i++) {
    const from = performance.now();
    work();
    all.push(performance.now() - from);
  }
  return median(all);
}
const median = (all) => [...all].sort((a, b) => a - b)[Math.floor(all.length / 2)];

if (['artwork', 'boards', 'drawings', 'facets', 'nesting', 'patches', 'reliefs', 'sheets', 'step', 'releases'].includes(process.argv[2])) {
  if (process.argv[2] === 'releases') await benchReleases({ row, ms, only: process.argv[3] });
  else if (process.argv[2] === 'nesting') await benchNesting({ row, ms });
  else if (process.argv[2] === 'patches') benchPatches({ row, ms });
  else if (process.argv[2] === 'reliefs') await benchReliefs({ row, ms });
  else if (process.argv[2] === 'step') await benchStep({ row, ms });
  else if (process.argv[2] === 'facets') await benchFacets({ row, ms });
  else if (process.argv[2] === 'boards') benchBoards({ row, times, ms });
  else if (process.argv[2] === 'artwork') await benchArtwork({ row, times, ms, engine: await nodeEngine() });
  else if (process.argv[2] === 'drawings') benchDrawings({ row, times, ms, engine: await nodeEngine() });
  else await benchSheets({ row, times, ms, kernel: await workingKernel() });
  console.table(rows.map((r) => ({ ...r, ratio: r.ratio === null ? '' : r.ratio.toFixed(2) })));
  process.exit(0);
}

/** A closed, wavy ball of exactly n triangles (n = 2 k (m - 1)). */
function ball(k, m) {
  const positions = new Float64Array((k * (m - 1) + 2) * 3);
  const triangles = new Uint32Array(2 * k * (m - 1) * 3);
  const put = (i, u, v) => {
    const r = 50 + 3 * Math.sin(7 * u) * Math.sin(5 * v);
    positions.set([r * Math.sin(v) * Math.cos(u), r * Math.sin(v) * Math.sin(u), r * Math.cos(v)], i * 3);
  };
  for (let j = 1; j < m; j++) for (let i = 0; i < k; i++) put((j - 1) * k + i, (2 * Math.PI * i) / k, (Math.PI * j) / m);
  const top = k * (m - 1);
  put(top, 0, 0);
  put(top + 1, 0, Math.PI);
  let t = 0;
  const add = (a, b, c) => triangles.set([a, b, c], 3 * t++);
  for (let i = 0; i < k; i++) {
    const n = (i + 1) % k;
    add(top, i, n);
    for (let j = 0; j < m - 2; j++) {
      add(j * k + i, (j + 1) * k + i, (j + 1) * k + n);
      add(j * k + i, (j + 1) * k + n, j * k + n);
    }
    add(top + 1, (m - 2) * k + n, (m - 2) * k + i);
  }
  return { positions, triangles };
}

/** A copy of bytes into a file, and the file written from the mesh, both without waiting for the disk. */
function writeAll(file, pieces) {
  const handle = openSync(file, 'w');
  for (const piece of pieces) writeSync(handle, piece);
  closeSync(handle);
}

const mesh = ball(1000, 501);
const file = join(folder, 'million.stl');
writeAll(file, binaryStl(mesh, 1, 'bench'));
const bytes = readFileSync(file);
console.log(`Binary STL of ${(mesh.triangles.length / 3).toLocaleString('en')} triangles, ${(bytes.length / 1e6).toFixed(1)} MB`);
const buffer = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length);
let closed = false;
const ours = () => {
  const read = readStl(bytes);
  closed = checkMesh(read.blocks[0].mesh).closed;
};
const loader = new STLLoader();
ours();
loader.parse(buffer);
const own = times(7, ours);
const parse = times(7, () => loader.parse(buffer));
const merge = times(2, () => {
  const geometry = loader.parse(buffer);
  geometry.deleteAttribute('normal');
  mergeVertices(geometry);
});
row(`read, weld, closedness (closed: ${closed})`, ms(own), `three STLLoader parse only, ${ms(parse)}`, own / parse, '<= 4', own / parse <= 4);
row('the same', ms(own), `three STLLoader and mergeVertices, ${ms(merge)}`, own / merge, '<= 0.2', own / merge <= 0.2);
const memory = await new Promise((resolve) => {
  const child = fork(fileURLToPath(new URL('./bench-memory.mjs', import.meta.url)), [file]);
  child.on('message', resolve);
});
row(
  'peak memory of it',
  `${(memory.bytes / 1e6).toFixed(0)} MB`,
  `the file, ${(bytes.length / 1e6).toFixed(0)} MB`,
  memory.bytes / bytes.length,
  '<= 6',
  memory.bytes / bytes.length <= 6,
);

const target = join(folder, 'out.stl');
writeAll(target, binaryStl(mesh, 1, 'bench'));
const copy = times(9, () => writeAll(target, [bytes]));
const write = times(9, () => writeAll(target, binaryStl(mesh, 1, 'bench')));
row('write it', ms(write), `memory copy into a file, ${ms(copy)}`, write / copy, '<= 2', write / copy <= 2);
if (statSync(target).size !== bytes.length) throw new Error('the written file has another length');

const step = readFileSync(fileURLToPath(new URL('../core/tests/data/as1-oc-214.stp', import.meta.url)));
let from = performance.now();
await openingKernel();
await workingKernel();
row('start of both kernels', ms(performance.now() - from), '', null, '', null);
// A warm worker has opened a design before.
const other = readFileSync(fileURLToPath(new URL('../core/tests/data/dm1-oc-214.stp', import.meta.url)));
for (const part of (await readDesign(other, 'dm1.stp', nodeKernels)).parts) await viewOf(part.geometry, workingKernel);
from = performance.now();
const design = await readDesign(step, 'as1.stp', nodeKernels);
const listed = performance.now() - from;
from = performance.now();
for (const part of design.parts) await viewOf(part.geometry, workingKernel);
const viewed = performance.now() - from;
row('as1-oc-214.stp in a warm worker: parts listed', ms(listed), '', null, '<= 3 s', listed <= 3000);
row('all its view meshes after that', ms(viewed), '', null, '<= 1.5 s', viewed <= 1500);

const previews = [];
for (const part of design.parts) {
  const exact = readBrepText(part.geometry.brep);
  const open = new FacetSource(part.geometry.brep, workingKernel);
  await makeFacets(open, exact, { deviation: 0.1, angle: 15 });
  for (const deviation of [0.3, 0.11, 0.06, 0.03, 0.015]) {
    from = performance.now();
    await makeFacets(open, exact, { deviation, angle: 15 });
    previews.push(performance.now() - from);
  }
}
row('facet preview of one of its parts, median', ms(median(previews)), '', null, '<= 300 ms', median(previews) <= 300);
await benchFacets({ row, ms });
// Meshes: joining, checking, making lighter, slicing, walls.
const engine = await nodeEngine();
const [left, right] = [ball(400, 251), ball(400, 251)];
for (let i = 0; i < right.positions.length; i += 3) right.positions[i] += 40.123;
const peerSolid = (m) => engine.Manifold.ofMesh(new engine.Mesh({ numProp: 3, vertProperties: new Float32Array(m.positions), triVerts: m.triangles }));
const joinAlone = () => {
  const [a, b] = [peerSolid(left), peerSolid(right)];
  const union = engine.Manifold.union([a, b]);
  const made = union.getMesh();
  for (const solid of [a, b, union]) solid.delete();
  return made;
};
const joinOurs = () => combine(engine, 'join', [left, right]);
joinAlone();
joinOurs();
const [joined, joinPeer] = [times(3, joinOurs), times(3, joinAlone)];
row('union of two solids of 200,000 triangles', ms(joined), `manifold-3d alone, ${ms(joinPeer)}`, joined / joinPeer, '<= 1.3', joined / joinPeer <= 1.3);
fullCheck(left);
const checked = times(2, () => fullCheck(mesh));
const checkedQuick = times(2, () => fullCheck(mesh, { crossings: false }));
row('full check of 1,000,000 triangles', ms(checked), '', null, '<= 8 s', checked <= 8000);
row('the same without self-intersections', ms(checkedQuick), '', null, '<= 2 s', checkedQuick <= 2000);
const checkMemory = await new Promise((resolve) => {
  const child = fork(fileURLToPath(new URL('./bench-memory.mjs', import.meta.url)), [file, 'full']);
  child.on('message', resolve);
});
row('peak memory of the full check', `${(checkMemory.bytes / 1e6).toFixed(0)} MB`, '', null, '<= 1.5 GB', checkMemory.bytes <= 1.5e9);
await MeshoptSimplifier.ready;
const lighterAlone = () => MeshoptSimplifier.simplify(mesh.triangles, new Float32Array(mesh.positions), 3, 300_000, 1, ['LockBorder']);
lighterAlone();
await collapsedTo(mesh, 100_000);
const lighterTimes = [];
let lighter;
for (let i = 0; i < 3; i++) {
  from = performance.now();
  lighter = await collapsedTo(mesh, 100_000);
  lighterTimes.push(performance.now() - from);
}
const [lighterOwn, lighterPeer] = [median(lighterTimes), times(3, lighterAlone)];
row(
  `1,000,000 triangles lighter to ${(lighter.triangles.length / 3).toLocaleString('en')} (closed: ${checkMesh(lighter, 0).closed})`,
  ms(lighterOwn),
  `meshoptimizer alone, ${ms(lighterPeer)}`,
  lighterOwn / lighterPeer,
  '<= 1.5',
  lighterOwn / lighterPeer <= 1.5,
);
from = performance.now();
const apart = twoSidedDistance(mesh, lighter);
row(`its two-sided distance, measured: ${apart.largest.toFixed(3)} mm`, ms(performance.now() - from), '', null, '', null);
const half = ball(500, 501);
const slicing = times(3, () => sliceMesh(half, 106 / 500));
row('500,000 triangles sliced into 500 layers', ms(slicing), '', null, '<= 3 s', slicing <= 3000);
const walls = times(1, () => wallThickness(left, 0.4));
row('wall thickness of 200,000 triangles', ms(walls), '', null, '<= 10 s', walls <= 10_000);
await benchArtwork({ row, times, ms, engine });
benchDrawings({ row, times, ms, engine });
benchBoards({ row, times, ms });
await benchSheets({ row, times, ms, kernel: await workingKernel() });
await benchReliefs({ row, ms });
await benchReleases({ row, ms });
rmSync(folder, { recursive: true, force: true });
console.table(rows.map((r) => ({ ...r, ratio: r.ratio === null ? '' : r.ratio.toFixed(2) })));
process.exit(0);
