// Facets: our own mesher beside the kernel's, which is asked again and again until it measures as near, in the same run; and beside the least number possible.
import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { kernelFacets, makeFacets } from '../core/dist/facets/make.js';
import { openOwnStep } from '../core/dist/formats/step/open.js';
import { SolidBuilder } from '../core/dist/kernel/build.js';
import { FacetSource } from '../core/dist/kernel/facet-source.js';
import { OpenSolid } from '../core/dist/kernel/facets.js';
import { workingKernel } from '../core/dist/kernel/load.js';
import { readBrepText } from '../core/dist/surfaces/brep-text.js';
import { measureDeviation } from '../core/dist/surfaces/deviation.js';
import { leastTriangles } from '../core/dist/surfaces/survey.js';
import { readerPackages } from './machine.mjs';

const square = (z, r) => [0, 1, 2, 3].map((i) => [r * Math.cos((i * Math.PI) / 2), r * Math.sin((i * Math.PI) / 2), z]);
const partsOf = (name) => openOwnStep(new Uint8Array(readFileSync(new URL(`../core/tests/data/${name}`, import.meta.url))), 1e-5).parts;

/** Name, BREP text, deviation (mm), and how many times the least triangles are wanted at most. */
function cases(b) {
  const made = [
    ['cylinder r 10', b.cylinder([0, 0, 0], [0, 0, 1], 10, 20), 0.02, 1.05],
    ['needle cone 1 x 200', b.revolved([0, 0], [{ to: [1, 0] }, { to: [0, 200] }, { to: [0, 0] }]), 0.02, 1.05],
    ['cone from 40 to 5', b.revolved([0, 0], [{ to: [40, 0] }, { to: [5, 60] }, { to: [0, 60] }, { to: [0, 0] }]), 0.02, 1.05],
    ['ball r 10', b.sphere([0, 0, 0], 10), 0.02, 1.35],
    ['ball r 10, finer', b.sphere([0, 0, 0], 10), 0.002, 1.35],
    ['ball with two holes', b.cut(b.sphere([0, 0, 0], 20), b.cylinder([0, 0, -30], [0, 0, 1], 5, 60), b.cylinder([-30, 3, 0], [1, 0, 0], 4, 60)), 0.02, 1.35],
    ['ring R 20, r 6', b.torus([0, 0, 0], [0, 0, 1], 20, 6), 0.02, 1.5],
    ['rounded block', b.rounded(b.box([0, 0, 0], [40, 30, 20]), 4), 0.02, 1.5],
    ['loft of splines', b.lofted([square(0, 10), square(8, 14), square(16, 7), square(25, 12)]), 0.02, 1.8],
  ].map(([name, solid, deviation, wanted]) => [name, b.brep(solid), deviation, wanted]);
  const [loft] = partsOf('loft.step');
  const [screw] = partsOf('screw.step');
  return [...made, ['loft.step', loft.brep, 0.1, 1.8], ['screw.step', screw.brep, 0.02, 1.5], ...partsOf('as1-oc-214.stp').slice(0, 3).map((p) => [`as1: ${p.name}`, p.brep, 0.05, 1.5])]; // prettier-ignore
}

/** What a piece of work gives, and the shortest of three times that it took, ms; of one, where that was long. */
const timed = async (work) => {
  let [best, made] = [Infinity, null];
  for (let k = 0, all = 0; k < 3 && all < 2000; k++) {
    const from = performance.now();
    made = await work();
    best = Math.min(best, performance.now() - from);
    all += performance.now() - from;
  }
  return [made, best];
};

export async function benchFacets({ row, ms }) {
  const kernel = await workingKernel();
  const b = new SolidBuilder(kernel);
  const list = cases(b);
  const own = (brep, exact, deviation) => makeFacets(new FacetSource(brep, workingKernel), exact, { deviation, angle: 90 });
  const theirs = (brep, exact, deviation) => {
    const open = new OpenSolid(kernel, brep);
    try {
      return kernelFacets(open, exact, { deviation, angle: 90 });
    } finally {
      open.close();
    }
  };
  // Both have run before they are timed.
  for (const [, brep, deviation] of list.slice(3, 9)) {
    await own(brep, readBrepText(brep), deviation);
    theirs(brep, readBrepText(brep), deviation);
  }
  for (const [name, brep, deviation, wanted] of list) {
    const exact = readBrepText(brep);
    const [mine, took] = await timed(() => own(brep, exact, deviation));
    const [peer, peerTook] = await timed(() => theirs(brep, exact, mine.measured.largest));
    const [n, m] = [mine, peer].map((f) => f.triangles.length / 3);
    const least = leastTriangles(exact, mine, mine.measured.largest);
    const kept = mine.kept && mine.left === null;
    row(
      `facets, ${name}, ${deviation} mm: triangles`,
      n.toLocaleString('en'),
      `least possible, ${least.toLocaleString('en')}; the kernel's as near, ${m.toLocaleString('en')}${peer.kept ? '' : ' (not as near)'}`,
      n / least,
      `<= ${wanted}, promise kept`,
      kept && n / least <= wanted,
    );
    row(
      `the same: opened, made and measured`,
      `${ms(took)}, ${Math.round((n / took) * 1000).toLocaleString('en')} a second`,
      `the kernel's, ${ms(peerTook)}`,
      took / peerTook,
      '<= 0.1',
      took / peerTook <= 0.1,
    );
  }
  await besideGmsh(list.filter(([name]) => gmshNames.has(name)), { row, ms, own }); // prettier-ignore
}

/** Chords of a full turn that gmsh's mesher is asked for. */
const gmshChords = 40;
const gmshNames = new Set([
  'cylinder r 10',
  'ball r 10',
  'ball with two holes',
  'ring R 20, r 6',
  'rounded block',
  'loft of splines',
  'loft.step',
  'screw.step',
]);

/** Debian's gmsh meshes the same solids, one thread; ours keeps the deviation that its facets measure. Its time is that of meshing alone, ours that of opening, meshing and measuring. */
async function besideGmsh(list, { row, ms, own }) {
  if (!readerPackages['python3-gmsh']() || !existsSync('/usr/bin/python3')) throw new Error('Install python3-gmsh: the bench asks its mesher too.');
  const folder = mkdtempSync(join(tmpdir(), 'tall-kite-bench-gmsh-'));
  try {
    const files = list.map(([, brep], i) => {
      const file = join(folder, `${i}.brep`);
      writeFileSync(file, brep);
      return file;
    });
    const out = join(folder, 'facets.json');
    execFileSync('/usr/bin/python3', [fileURLToPath(new URL('gmsh-facets.py', import.meta.url)), out, String(gmshChords), ...files]);
    const made = JSON.parse(readFileSync(out, 'utf8'));
    for (const [i, [name, brep]] of list.entries()) {
      const exact = readBrepText(brep);
      const { seconds, positions, triangles, starts } = made[i];
      const facets = { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles), starts: Uint32Array.from(starts) };
      const theirs = measureDeviation(exact, facets).largest;
      const [mine, took] = await timed(() => own(brep, exact, theirs));
      row(
        `facets, ${name}, as near as gmsh's, ${theirs.toPrecision(3)} mm`,
        `${(mine.triangles.length / 3).toLocaleString('en')} triangles, ${ms(took)}`,
        `gmsh's mesher alone, ${(triangles.length / 3).toLocaleString('en')}, ${ms(seconds * 1000)}`,
        took / (seconds * 1000),
        '<= 0.33, kept, no more triangles',
        mine.kept && mine.left === null && took / (seconds * 1000) <= 0.33 && mine.triangles.length <= triangles.length,
      );
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
