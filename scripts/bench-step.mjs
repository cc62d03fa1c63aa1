// STEP and IGES: opened by ourselves beside the exact-geometry kernel (opencascade.js), which opens the same bytes in the same run: parts, faces and volumes are compared.
import { readFileSync } from 'node:fs';
import { openOwnIges } from '../core/dist/formats/iges/open.js';
import { openOwnStep } from '../core/dist/formats/step/open.js';
import { stepOfTree } from '../core/dist/formats/step/write.js';
import { SolidBuilder } from '../core/dist/kernel/build.js';
import { openingKernel, workingKernel } from '../core/dist/kernel/load.js';
import { openStep } from '../core/dist/kernel/open-step.js';
import { usualChoices } from '../core/dist/model/choices.js';

/** Rounded plates with four holes, each of its own length: 30 faces a plate. */
function plates(b, n) {
  const corners = [[10, 10], [50, 10], [10, 30], [50, 30]]; // prettier-ignore
  const parts = Array.from({ length: n }, (_, i) => {
    const plate = b.rounded(b.box([0, 0, 0], [60 + i * 0.1, 40, 6]), 1.5);
    const shape = b.cut(plate, ...corners.map(([x, y]) => b.cylinder([x, y, -1], [0, 0, 1], 2 + i * 0.005, 10)));
    return { name: `Plate ${i + 1}`, colour: '#808080', shape, places: [[i * 70, 0, 0]] };
  });
  return b.step('Plates', parts);
}

/** Boxes of different sizes. */
const boxes = (b, n) => b.step('Boxes', Array.from({ length: n }, (_, i) => ({ name: `Box ${i + 1}`, colour: '#808080', shape: b.box([0, 0, 0], [10 + i * 0.01, 20, 30]), places: [[i * 20, 0, 0]] }))); // prettier-ignore

/** What a piece of work gives, and how long it took, ms. */
const timed = (work) => {
  const from = performance.now();
  return [work(), performance.now() - from];
};

export async function benchStep({ row, ms }) {
  const b = new SolidBuilder(await workingKernel());
  const kernel = await openingKernel();
  const as1 = new Uint8Array(readFileSync(new URL('../core/tests/data/as1-oc-214.stp', import.meta.url)));
  const files = [
    ['as1-oc-214.stp', as1, 0.25],
    ['60 rounded plates with holes', plates(b, 60), 0.1],
    ['500 boxes', boxes(b, 500), 0.1],
  ];
  const solids = openOwnStep(plates(b, 30), 1e-5).parts.map((p) => p.brep);
  const iges = (mode) => igesOf(kernel, solids, mode);
  for (const [name, bytes, wanted] of files) one(name, 'STEP', bytes, wanted);
  one('30 rounded plates, as solids', 'IGES', iges(1), 0.15);
  one('30 rounded plates, as loose faces', 'IGES', iges(0), 0.15);

  written();

  /** The parts of an assembly written from their BREP texts, by ourselves and by the kernel; each file is read by ourselves. */
  function written() {
    const parts = openOwnStep(as1, 1e-5).parts.map(({ name, colour, brep }) => ({ name, colour, brep }));
    const node = { name: 'as1', children: [], parts: parts.map((_, index) => ({ index, rows: [1, 0, 0, index * 300, 0, 1, 0, 0, 0, 0, 1, 0] })) };
    const byUs = () => Buffer.concat(stepOfTree(node, parts));
    const byKernel = () => b.assembly(node, parts.map(({ name, colour, brep }) => ({ name, colour, shape: b.fromBrep(brep) }))); // prettier-ignore
    for (const write of [byUs, byKernel]) write();
    const [ours, mine] = timed(byUs);
    const [theirs, peer] = timed(byKernel);
    const sums = [ours, theirs].map((bytes) => openOwnStep(new Uint8Array(bytes), 1e-5).parts.reduce((n, p) => n + p.volume, 0));
    const apart = Math.abs(sums[0] / sums[1] - 1);
    row(
      `STEP written: the parts of as1 (${(ours.length / 1e3).toFixed(0)} kB, the kernel's ${(theirs.length / 1e3).toFixed(0)} kB)`,
      ms(mine),
      `the kernel, ${ms(peer)}; volumes within ${apart.toExponential(0)}`,
      mine / peer,
      '<= 0.25',
      mine / peer <= 0.25 && apart < 1e-9,
    );
  }

  function one(name, kind, bytes, wanted) {
    const openOwn = kind === 'STEP' ? (b) => openOwnStep(b, 1e-5) : (b) => openOwnIges(b, usualChoices);
    const openTheirs = (b) => openStep(kernel, b, usualChoices, kind);
    // Both have run before they are timed.
    for (const open of [openOwn, openTheirs]) open(bytes.slice());
    const [own, mine] = timed(() => openOwn(bytes.slice()));
    const [theirs, peer] = timed(() => openTheirs(bytes.slice()));
    const volumes = (opened) => opened.parts.map((p) => p.volume).sort((x, y) => x - y);
    const [ours, others] = [volumes(own), volumes(theirs)];
    const apart = Math.max(...ours.map((v, i) => Math.abs(v / others[i] - 1)));
    const faces = (opened) => opened.parts.reduce((n, p) => n + p.faces, 0);
    const same = own.parts.length === theirs.parts.length && faces(own) === faces(theirs);
    const size = `${(bytes.length / 1e6).toFixed(1)} MB`;
    row(
      `${kind} opened: ${name} (${size})`,
      `${ms(mine)}${same ? '' : ', OTHER PARTS'}`,
      `the kernel, ${ms(peer)}; volumes within ${apart.toExponential(0)}`,
      mine / peer,
      `<= ${wanted}`,
      same && mine / peer <= wanted,
    );
  }
}

/** Solids as an IGES file: mode 1 as solids of shared edges, 0 as loose faces. */
function igesOf(kernel, breps, mode) {
  const writer = new kernel.IGESControl_Writer_2('MM', mode);
  for (const [i, brep] of breps.entries()) {
    const shape = new kernel.TopoDS_Shape();
    kernel.FS.writeFile('/a.brep', brep);
    kernel.BRepTools.Read_2(shape, '/a.brep', new kernel.BRep_Builder(), new kernel.Message_ProgressRange_1());
    const move = new kernel.gp_Trsf_1();
    move.SetTranslation_1(new kernel.gp_Vec_4(0, i * 50, 0));
    writer.AddShape(shape.Moved(new kernel.TopLoc_Location_2(move), false), new kernel.Message_ProgressRange_1());
  }
  writer.ComputeModel();
  writer.Write_2('/o.igs', false);
  return new Uint8Array(kernel.FS.readFile('/o.igs'));
}
