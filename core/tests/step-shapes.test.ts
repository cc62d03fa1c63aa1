/** STEP files whose shapes are no plain solids of products: surface models, mapped and mirrored representations, triangles, splines of all knots. */
import { beforeAll, describe, expect, test } from 'vitest';
import { bodyFigures } from '../src/body/figures.ts';
import { openOwnStep } from '../src/formats/step/open.ts';
import { openStep } from '../src/kernel/open-step.ts';
import type { Kernel } from '../src/kernel/kernel.ts';
import { joinedBytes } from '../src/base/bytes.ts';
import { stepOfPart } from '../src/formats/step/write.ts';
import { SolidBuilder, type Solid } from '../src/kernel/build.ts';
import { nodeKernels, openingKernel, workingKernel } from '../src/kernel/load.ts';
import { usualChoices, type ReadChoices } from '../src/model/choices.ts';
import type { OpenedStep } from '../src/model/opened.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { ownFacets } from '../src/kernel/facet-source.ts';
import { curveAt, type Curve } from '../src/surfaces/curves.ts';
import { backwardsSpline, clamped, clampedCurve, clampedSurface } from '../src/surfaces/nurbs.ts';
import { surfaceAt, type BsplineSurface } from '../src/surfaces/surfaces.ts';
import { spindle } from './bumped.data.ts';
import { dataFile } from './data.ts';
import { random } from './tube.data.ts';

let k: Kernel;
beforeAll(async () => {
  k = await openingKernel();
});
const bytesOf = (s: string) => Uint8Array.from(s, (c) => c.charCodeAt(0));
const textOf = (bytes: Uint8Array) => new TextDecoder('latin1').decode(bytes);
function own(bytes: Uint8Array, choices: ReadChoices = usualChoices): OpenedStep {
  let reason = '';
  const opened = openOwnStep(bytes, 1e-5, { choices, why: (r) => (reason = r) });
  if (!opened) throw new Error(`left to the kernel: ${reason}`);
  return opened;
}
const whyNot = (bytes: Uint8Array): string => {
  let reason = 'taken';
  openOwnStep(bytes, 1e-5, { why: (r) => (reason = r) });
  return reason;
};
const codes = (o: OpenedStep) => o.findings.map((f) => `${f.code} ${f.count}`);

/** The solids of a file written by the kernel as surface models: shells by themselves, or their faces one by one. */
function asSurfaces(name: string, faces: 'all' | 'but one'): Uint8Array {
  const writer = new k.STEPControl_Writer_1();
  const mode = k.STEPControl_StepModelType.STEPControl_ShellBasedSurfaceModel;
  for (const part of openOwnStep(dataFile(name), 1e-5)!.parts) {
    const shape = new k.TopoDS_Shape();
    k.FS.writeFile('/a.brep', part.brep);
    k.BRepTools.Read_2(shape, '/a.brep', new k.BRep_Builder(), new k.Message_ProgressRange_1());
    const explorer = new k.TopExp_Explorer_2(shape, k.TopAbs_ShapeEnum.TopAbs_SHELL, k.TopAbs_ShapeEnum.TopAbs_SHAPE);
    let shell = explorer.Current();
    if (faces === 'but one') {
      const builder = new k.BRep_Builder();
      const less = new k.TopoDS_Shell();
      builder.MakeShell(less);
      const each = new k.TopExp_Explorer_2(shape, k.TopAbs_ShapeEnum.TopAbs_FACE, k.TopAbs_ShapeEnum.TopAbs_SHAPE);
      for (each.Next(); each.More(); each.Next()) builder.Add(less, each.Current());
      shell = less;
    }
    writer.Transfer(shell, mode, true, new k.Message_ProgressRange_1());
  }
  writer.Write('/o.stp');
  return k.FS.readFile('/o.stp') as Uint8Array;
}

describe('surface models', () => {
  test.each(['screw.step', 'cube-in.step', 'dm1-oc-214.stp', 'loft.step'])('%s as closed shells becomes the solids that it was', (name) => {
    const solids = openOwnStep(dataFile(name), 1e-5)!.parts;
    const bytes = asSurfaces(name, 'all');
    expect(textOf(bytes)).toContain('SHELL_BASED_SURFACE_MODEL');
    const opened = own(bytes);
    expect(opened.parts.map((p) => p.faces)).toEqual(solids.map((p) => p.faces));
    opened.parts.forEach((p, i) => expect(Math.abs(p.volume / solids[i].volume - 1)).toBeLessThan(1e-9));
    expect(codes(opened)).toEqual([`sewn ${solids.length}`]);
  });
  test('a shell with a face less stays open; left out where surfaces are not wanted', () => {
    const bytes = asSurfaces('cube-mm.step', 'but one');
    const opened = own(bytes);
    expect(codes(opened)).toEqual(['surfaces-open 1', 'no-solids 1']);
    expect(opened.surfaces[0].faces).toBe(5);
    expect(codes(own(bytes, { ...usualChoices, surfaces: false }))).toEqual(['loose-faces 5', 'no-solids 1']);
    // The kernel says the same of it.
    expect(openStep(k, bytes).findings.map((f) => `${f.code} ${f.count}`)).toEqual(['surfaces-open 1', 'no-solids 1']);
  });
  test('solids not wanted are counted', () => {
    expect(codes(own(dataFile('as1-oc-214.stp'), { ...usualChoices, solids: false }))).toEqual(['solids-left-out 18', 'no-solids 1']);
  });
});

/** A file with some instances more, and words of it changed. */
function edited(name: string, changes: [RegExp, string][], more: string): Uint8Array {
  let text = textOf(dataFile(name));
  for (const [from, to] of changes) {
    expect(text).toMatch(from);
    text = text.replace(from, to);
  }
  const end = text.lastIndexOf('ENDSEC;');
  return bytesOf(`${text.slice(0, end)}${more}${text.slice(end)}`);
}
/** The number of the first instance of a type, and what it says. */
function instance(name: string, type: string): { id: string; says: string } {
  const found = new RegExp(`#(\\d+)\\s*=\\s*${type}\\s*\\(([^;]*)\\)\\s*;`).exec(textOf(dataFile(name)))!;
  return { id: found[1], says: found[2] };
}

describe('representations that show others', () => {
  const cube = 'cube-mm.step';
  // The items of the cube's representation move to one of their own, shown by mapped items.
  const shown = (targets: string) => {
    const solid = instance(cube, 'MANIFOLD_SOLID_BREP').id;
    const representation = instance(cube, 'ADVANCED_BREP_SHAPE_REPRESENTATION');
    const context = /#(\d+)\s*$/.exec(representation.says)![1];
    const ids = [...targets.matchAll(/#(\d+)=MAPPED_ITEM/g)].map((m) => `#${m[1]}`);
    return edited(cube, [[/(ADVANCED_BREP_SHAPE_REPRESENTATION\s*\([^(]*\()[^)]*\)/, `$1${ids.join(',')})`]], `#9000=CARTESIAN_POINT('',(0.,0.,0.));#9001=AXIS2_PLACEMENT_3D('',#9000,$,$);#9002=SHAPE_REPRESENTATION('',(#${solid}),#${context});#9003=REPRESENTATION_MAP(#9001,#9002);#9010=DIRECTION('',(1.,0.,0.));#9011=DIRECTION('',(0.,1.,0.));#9012=DIRECTION('',(0.,0.,1.));#9013=DIRECTION('',(0.,0.,-1.));#9014=CARTESIAN_POINT('',(100.,0.,0.));${targets}`); // prettier-ignore
  };
  test('a solid shown twice is one part with two places', () => {
    const opened = own(shown("#9020=AXIS2_PLACEMENT_3D('',#9014,#9012,#9011);#9021=MAPPED_ITEM('',#9003,#9001);#9022=MAPPED_ITEM('',#9003,#9020);"));
    expect(opened.parts).toMatchObject([{ quantity: 2 }]);
    expect(opened.parts[0].places).toEqual([[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0], [0, -1, 0, 100, 1, 0, 0, 0, 0, 0, 1, 0]]); // prettier-ignore
  });
  test('mirrored by an operator it is another part, named so; one that scales goes to the kernel', () => {
    const operator = (size: string) => `#9020=CARTESIAN_TRANSFORMATION_OPERATOR_3D('','',$,#9010,#9011,#9014,${size},#9013);#9021=MAPPED_ITEM('',#9003,#9001);#9022=MAPPED_ITEM('',#9003,#9020);`; // prettier-ignore
    const opened = own(shown(operator('1.')));
    expect(opened.parts).toHaveLength(2);
    expect(opened.parts[1].name).toMatch(/ \(mirrored\)$/);
    expect(opened.parts[1].places).toEqual([[1, 0, 0, 100, 0, 1, 0, 0, 0, 0, -1, 0]]);
    expect(whyNot(shown(operator('2.')))).toBe('scaled-place');
  });
  test('twenty levels that each show the next one twice, a million solids, are left before they are counted', () => {
    const solid = instance(cube, 'MANIFOLD_SOLID_BREP').id;
    const context = /#(\d+)\s*$/.exec(instance(cube, 'ADVANCED_BREP_SHAPE_REPRESENTATION').says)![1];
    const level = (k: number) => `#${9100 + 4 * k}=SHAPE_REPRESENTATION('',(${k === 20 ? `#${solid}` : `#${9102 + 4 * k},#${9103 + 4 * k}`}),#${context});#${9101 + 4 * k}=REPRESENTATION_MAP(#9001,#${9100 + 4 * k});${k === 20 ? '' : `#${9102 + 4 * k}=MAPPED_ITEM('',#${9105 + 4 * k},#9001);#${9103 + 4 * k}=MAPPED_ITEM('',#${9105 + 4 * k},#9020);`}`; // prettier-ignore
    const levels = Array.from({ length: 21 }, (_, k) => level(k)).join('');
    const bytes = shown(`#9020=AXIS2_PLACEMENT_3D('',#9014,#9012,#9011);#9021=MAPPED_ITEM('',#9101,#9001);${levels}`);
    expect(whyNot(bytesOf(textOf(bytes).replace(/(#9002=SHAPE_REPRESENTATION\('',\()#\d+/, '$1#9021')))).toBe('many-representations');
  });
  test('representations that show one another without end are not followed', () => {
    const endless = shown("#9021=MAPPED_ITEM('',#9003,#9001);").slice();
    const text = textOf(endless).replace(/#9002=SHAPE_REPRESENTATION\('',\(#\d+\)/, "#9002=SHAPE_REPRESENTATION('',(#9021)");
    expect(whyNot(bytesOf(text))).toBe('too-deep');
  });
});

describe('triangles in the place of exact shapes', () => {
  // A tetrahedron with legs of 10 by a list of points: faces one by one, or strips and fans.
  const solid = instance('cube-mm.step', 'MANIFOLD_SOLID_BREP').id;
  const tetra = (faces: string, points = '((0.,0.,0.),(10.,0.,0.),(0.,10.,0.),(0.,0.,10.))') =>
    edited('cube-mm.step', [[new RegExp(`#${solid}\\s*=\\s*MANIFOLD_SOLID_BREP[^;]*;`), faces.replace('#9100=', `#${solid}=`)]], `#9101=COORDINATES_LIST('',4,${points});`); // prettier-ignore
  const plain = "#9102=TRIANGULATED_FACE('',#9101,4,(),$,(),((1,3,2),(1,2,4)));#9103=TRIANGULATED_FACE('',#9101,3,(),$,(2,3,4,1),((1,2,3),(4,3,2)));#9100=TESSELLATED_SOLID('tetra',(#9102,#9103),$);"; // prettier-ignore
  test('faces with and without a list of their points; told as triangles, with closed volume', async () => {
    const bytes = tetra(plain);
    const opened = own(bytes);
    expect(opened.meshes).toHaveLength(1);
    expect([opened.meshes![0].mesh.positions.length, opened.meshes![0].mesh.triangles.length]).toEqual([12, 12]);
    const design = await readDesign(bytes, 'tetra.step', nodeKernels);
    expect(design.parts[0].summary).toMatchObject({ kind: 'mesh', openEdges: 0, volume: expect.closeTo(1000 / 6, 9) });
    expect(design.findings.map((f) => f.code)).toContain('tessellated');
    const none = await readDesign(bytes, 'tetra.step', nodeKernels, { ...usualChoices, meshes: false });
    expect(none.parts).toHaveLength(0);
    expect(none.findings.map((f) => f.code)).toContain('meshes-left-out');
  });
  test('strips and fans: 1 2 3 4 as a strip is two triangles that look the same way', async () => {
    const bytes = tetra("#9102=COMPLEX_TRIANGULATED_FACE('',#9101,4,(),$,(),((3,2,1,4)),((4,2,3),(4,3,1)));#9100=TESSELLATED_SHELL('tetra',(#9102),$);");
    const design = await readDesign(bytes, 'tetra.step', nodeKernels);
    expect(design.parts[0].summary).toMatchObject({ openEdges: 0, flippedEdges: 0, triangles: 4, volume: expect.closeTo(1000 / 6, 9) });
  });
  test('a triangle that names a point that is not there is not taken', () => {
    expect(whyNot(tetra(plain.replace('(1,2,4)', '(1,2,5)')))).toBe('no-point');
    expect(whyNot(tetra(plain.replace('(1,2,4)', '(1,2)')))).toBe('no-point');
  });
  test('beside an exact shape triangles are its picture: the exact one is taken, once', () => {
    const bytes = edited('cube-mm.step', [[new RegExp(`(ADVANCED_BREP_SHAPE_REPRESENTATION\\s*\\([^(]*\\([^)]*#${solid}\\b)`), '$1,#9100']], `#9101=COORDINATES_LIST('',4,((0.,0.,0.),(10.,0.,0.),(0.,10.,0.),(0.,0.,10.)));${plain}`); // prettier-ignore
    const opened = own(bytes);
    expect([opened.parts.length, opened.meshes!.length]).toEqual([1, 0]);
  });
});

describe('splines that go on beyond their range', () => {
  /** Source: Cox and de Boor's recurrence, written down here by itself. */
  const basis = (i: number, p: number, u: number, t: ArrayLike<number>): number => {
    if (p === 0) return t[i] <= u && u < t[i + 1] ? 1 : 0;
    const left = t[i + p] > t[i] ? ((u - t[i]) / (t[i + p] - t[i])) * basis(i, p - 1, u, t) : 0;
    const right = t[i + p + 1] > t[i + 1] ? ((t[i + p + 1] - u) / (t[i + p + 1] - t[i + 1])) * basis(i + 1, p - 1, u, t) : 0;
    return left + right;
  };
  const next = random(3);
  const many = (n: number) => Float64Array.from({ length: n }, () => next() * 20 - 10);
  test.each([
    ['even knots', 3, [0, 1, 2, 3, 4, 5, 6, 7, 8, 9]],
    ['uneven ones', 2, [0, 0.5, 2, 2.25, 4, 7, 7.5]],
    ['some that stand twice', 3, [0, 1, 1, 2, 4, 4, 6, 7, 7, 9]],
    ['one that ends at its last poles already', 2, [0, 0, 0, 1, 2, 2, 2]],
  ])('%s: the same places, by the definition', (_, degree, list) => {
    const knots = Float64Array.from(list);
    const count = knots.length - degree - 1;
    const [poles, weights] = [many(3 * count), Float64Array.from({ length: count }, () => 0.5 + next())];
    const curve: Curve = { kind: 'bspline', degree, ...clampedCurve(degree, knots, poles, weights) };
    const [low, high] = [knots[degree], knots[count]];
    expect([curve.knots[0], curve.knots[degree], curve.knots.at(-1)]).toEqual([low, low, high]);
    expect(curve.knots).toHaveLength(curve.poles.length / 3 + degree + 1);
    for (let i = 0; i <= 20; i++) {
      const u = low + (high - low) * Math.min(i / 20, 1 - 1e-12);
      const sums = [0, 0, 0, 0];
      for (let j = 0; j < count; j++) {
        const w = basis(j, degree, u, knots) * weights[j];
        for (let c = 0; c < 3; c++) sums[c] += w * poles[3 * j + c];
        sums[3] += w;
      }
      const { at } = curveAt(curve, u, 1);
      for (let c = 0; c < 3; c++) expect(at[c]).toBeCloseTo(sums[c] / sums[3], 9);
      const back = curveAt({ ...curve, ...backwardsSpline(curve) } as Curve, low + high - u, 1).at;
      for (let c = 0; c < 3; c++) expect(back[c]).toBeCloseTo(at[c], 9);
    }
  });
  test('surfaces both ways', () => {
    const [uKnots, vKnots] = [Float64Array.of(0, 1, 2, 3, 4, 5, 6), Float64Array.of(0, 0, 1, 2, 3, 3.5)];
    const s: BsplineSurface = { kind: 'bspline', uDegree: 2, vDegree: 1, uCount: 4, vCount: 4, uKnots, vKnots, poles: many(48), weights: null };
    const ends = clampedSurface(s);
    for (const u of [2, 2.4, 3.1, 3.999]) {
      for (const v of [0, 0.7, 1.5, 2.999]) {
        const sum = [0, 0, 0];
        for (let i = 0; i < 4; i++) for (let j = 0; j < 4; j++) for (let c = 0; c < 3; c++) sum[c] += basis(i, 2, u, uKnots) * basis(j, 1, v, vKnots) * s.poles[(i * 4 + j) * 3 + c]; // prettier-ignore
        surfaceAt(ends, u, v).at.forEach((x, c) => expect(x).toBeCloseTo(sum[c], 9));
      }
    }
    expect([ends.uKnots[0], ends.uKnots.at(-1), ends.vKnots[0], ends.vKnots.at(-1)]).toEqual([2, 4, 0, 3]);
  });
  test('the example of its documentation', () => {
    const rows = [1, 2, 3, 4].map((x) => Float64Array.of(x));
    expect([...clamped(3, { knots: Float64Array.of(0, 1, 2, 3, 4, 5, 6, 7), rows }).knots]).toEqual([3, 3, 3, 3, 4, 4, 4, 4]);
  });
});

describe('surfaces that lie off others', () => {
  const b = async () => new SolidBuilder(await workingKernel());
  /** The file of a solid with each of its surfaces of a type written as one that lies off a smaller or larger one of it. */
  async function asOffset(type: string, make: (b: SolidBuilder) => Solid, back: (numbers: number[]) => { of: number[]; by: number; z?: number }): Promise<{ text: string; volume: number }> {
    const builder = await b();
    const { brep, volume } = openOwnStep(builder.step('x', [{ name: 'x', colour: '#808080', shape: make(builder), places: [[0, 0, 0]] }]), 1e-7)!.parts[0];
    let text = textOf(joinedBytes(stepOfPart({ name: 'x', colour: null, brep }, 'mm')));
    let last = 5000;
    const real = (v: number) => (Number.isInteger(v) ? `${v}.` : `${v}`);
    text = text.replace(new RegExp(`(#\\d+)=${type}\\('',(#\\d+)((?:,[^,;)]+)*)\\);`, 'g'), (_, id: string, at: string, numbers: string) => {
      const { of, by, z = 0 } = back(numbers.split(',').slice(1).map(Number));
      const lines: string[] = [];
      const put = (entity: string) => `#${lines.push(`#${++last}=${entity};`) && last}`;
      // Where the other one stands: farther along its axis.
      const [, point, axis, across] = new RegExp(`${at}=AXIS2_PLACEMENT_3D\\('',(#\\d+),(#\\d+),(#\\d+)\\)`).exec(text)!;
      const three = (name: string) => new RegExp(`${name}=[A-Z_]+\\('',\\(([^)]*)\\)\\)`).exec(text)![1].split(',').map(Number);
      const [p, d] = [three(point), three(axis)];
      const there = put(`AXIS2_PLACEMENT_3D('',${put(`CARTESIAN_POINT('',(${p.map((v, i) => real(v + z * d[i])).join(',')}))`)},${axis},${across})`);
      const other = put(`${type}('',${[there, ...of.map(real)].join(',')})`);
      return `${lines.join('\n')}\n${id}=OFFSET_SURFACE('',${other},${real(by)},.F.);`;
    });
    return { text, volume };
  } // prettier-ignore
  const cases: [string, (b: SolidBuilder) => Solid, (n: number[]) => { of: number[]; by: number }][] = [
    ['CYLINDRICAL_SURFACE', (x) => x.cylinder([0, 0, 0], [0, 0, 1], 5, 9), ([r]) => ({ of: [r - 2], by: 2 })],
    ['CYLINDRICAL_SURFACE', (x) => x.cylinder([0, 0, 0], [0, 1, 1], 5, 9), ([r]) => ({ of: [r + 3], by: -3 })],
    ['SPHERICAL_SURFACE', (x) => x.cut(x.sphere([0, 0, 0], 6), x.box([-10, -10, 2], [20, 20, 20])), ([r]) => ({ of: [r + 1], by: -1 })],
    ['TOROIDAL_SURFACE', (x) => x.torus([0, 0, 0], [0, 0, 1], 8, 2), ([major, minor]) => ({ of: [major, minor - 0.5], by: 0.5 })],
  ];
  test.each(cases)('%s: the solid that it was, here and by the kernel', async (type, make, back) => {
    const { text, volume } = await asOffset(type, make, back);
    expect(text).toContain('=OFFSET_SURFACE(');
    expect(own(bytesOf(text)).parts[0].volume / volume).toBeCloseTo(1, 9);
    // The kernel loses the pole of a ball that lies off another one.
    if (type !== 'SPHERICAL_SURFACE') expect(openStep(k, bytesOf(text)).parts[0].volume / volume).toBeCloseTo(1, 4);
  });
  test('a cone that lies 1 off another, which is narrower by the cosine of its half angle and stands farther along by the sine: the frustum by its closed form', async () => {
    const { text } = await asOffset('CONICAL_SURFACE', (x) => x.revolved([0, 0], [{ to: [5, 0] }, { to: [2, 4] }, { to: [0, 4] }, { to: [0, 0] }]), ([r, half]) => ({ of: [r - Math.cos(half), half], by: 1, z: Math.sin(half) }));
    expect(own(bytesOf(text)).parts[0].volume).toBeCloseTo((Math.PI * 4 * (25 + 4 + 10)) / 3, 6);
    expect(openStep(k, bytesOf(text)).parts[0].volume).toBeCloseTo((Math.PI * 4 * (25 + 4 + 10)) / 3, 2);
  }); // prettier-ignore
  test('of a spline it is left to the kernel; a round one of which nothing is left, too', async () => {
    const { text } = await asOffset(
      'CYLINDRICAL_SURFACE',
      (x) => x.cylinder([0, 0, 0], [0, 0, 1], 5, 9),
      ([r]) => ({ of: [r], by: -2 * r }),
    );
    expect(whyNot(bytesOf(text))).toBe('no-size');
  });
});

describe('a closed spline bounded by a single vertex', () => {
  // A ball of this radius (its maker's random number), mm, stretched by 1, 0.7 and 1.3.
  const radius = 16.941287244980757;
  const text = dataFile('ellipsoid.step').toString('latin1');
  test('an ellipsoid: 4 / 3 pi a b c, closed, as the kernel reads it', () => {
    expect(text).toContain('VERTEX_LOOP');
    const [part] = own(bytesOf(text)).parts;
    expect(part.volume / ((4 / 3) * Math.PI * radius ** 3 * 0.7 * 1.3)).toBeCloseTo(1, 8);
    expect([part.faces, part.shells]).toEqual([1, 1]);
    const [kernels] = openStep(k, bytesOf(text)).parts;
    expect(kernels.volume / part.volume).toBeCloseTo(1, 5);
    for (const c of [0, 1, 2]) expect(Math.abs(part.box.max[c] - kernels.box.max[c])).toBeLessThan(0.01 * radius);
    const facets = ownFacets(part.brep, 0.02, 0.3)!;
    expect(measureMesh(facets).volume / part.volume).toBeCloseTo(1, 2);
  });
  test('one with a number that lost its power of ten is a spike of metres: a mesh as coarse as can be, told, within a minute', async () => {
    const spiked = text.replace('-6.674620108755E-03', '-6.6');
    expect(spiked).not.toBe(text);
    const from = process.cpuUsage().user;
    const design = await readDesign(bytesOf(spiked), 'spike.step', nodeKernels, usualChoices);
    expect(process.cpuUsage().user - from).toBeLessThan(60e6);
    expect(design.parts.flatMap((p) => p.findings.map((f) => f.code))).toContain('coarse-facets');
    // Every file made of it tells so.
    expect(design.parts[0].summary.lost!.map((f) => f.code)).toContain('coarse-facets');
  });
  test('a spline turned all round from axis to axis: its volume by Pappus, as the kernel reads it; one that ends beside the axis is left', () => {
    const { body, profile } = spindle(2 * Math.PI);
    const written = new TextDecoder('latin1').decode(joinedBytes(stepOfPart({ name: 'x', colour: null, brep: bodyFigures(body).brep }, 'mm')));
    const vertex = /#\d+(?= ?= ?VERTEX_POINT)/.exec(written)![0];
    const single = written.replace(/(= ?)EDGE_LOOP\([^;]*;/, `$1VERTEX_LOOP('',${vertex});`);
    expect(single).not.toBe(written);
    const [part] = own(bytesOf(single)).parts;
    const line = Array.from({ length: 20_001 }, (_, i) => curveAt(profile, i / 5000).at);
    const turned = line.slice(1).reduce((sum, [r, , z], i) => sum + ((z - line[i][2]) * (r * r + r * line[i][0] + line[i][0] ** 2) * Math.PI) / 3, 0);
    expect(part.volume / turned).toBeCloseTo(1, 6);
    expect(openStep(k, bytesOf(single)).parts[0].volume / part.volume).toBeCloseTo(1, 2);
    expect(measureMesh(ownFacets(part.brep, 0.02, 0.3)!).volume / part.volume).toBeCloseTo(1, 2);
    const beside = single.replace(/CARTESIAN_POINT\('',\(0\.,0\.,100\.\)\)/g, "CARTESIAN_POINT('',(0.5,0.,100.))");
    expect(beside).not.toBe(single);
    expect(whyNot(bytesOf(beside))).toBe('loop VERTEX_LOOP');
  });
  test('one whose ends are no poles is left to the kernel', () => {
    // Its first place is another one of the file.
    const other = text
      .match(/#\d+ = CARTESIAN_POINT/g)!
      .at(-1)!
      .split(' ')[0];
    const moved = text.replace(/(B_SPLINE_SURFACE\(\d+,\d+,\(\s*\()#\d+/, `$1${other}`);
    expect(moved).not.toBe(text);
    expect(whyNot(bytesOf(moved))).toBe('loop VERTEX_LOOP');
  });
});
