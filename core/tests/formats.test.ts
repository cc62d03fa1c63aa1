import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { zipSync } from 'fflate';
import { OBJLoader } from 'three/examples/jsm/loaders/OBJLoader.js';
import { PLYLoader } from 'three/examples/jsm/loaders/PLYLoader.js';
import { mergeVertices } from 'three/examples/jsm/utils/BufferGeometryUtils.js';
import type { BufferGeometry, Mesh as Drawn } from 'three';
import { afterAll, describe, expect, test } from 'vitest';
import { readDesign } from '../src/pipeline/read.ts';
import { usualChoices } from '../src/model/choices.ts';
import { Unusable } from '../src/base/finding.ts';
import { readObj } from '../src/formats/obj/read.ts';
import { facesOf, objFile } from '../src/formats/obj/write.ts';
import { readPly } from '../src/formats/ply/read.ts';
import { plyFile } from '../src/formats/ply/write.ts';
import { facetedStep } from '../src/formats/step/write-faceted.ts';
import { readStl } from '../src/formats/stl/read.ts';
import { memberText } from '../src/formats/threemf/package.ts';
import { readThreeMf } from '../src/formats/threemf/read.ts';
import { threeMfFile } from '../src/formats/threemf/write.ts';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import { boxOf, sizeOf } from '../src/geometry/box.ts';
import { identityRows } from '../src/geometry/rows.ts';
import { nodeKernels, openingKernel, workingKernel } from '../src/kernel/load.ts';
import { writePart } from '../src/pipeline/write-part.ts';
import { prove } from '../src/prove/prove.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { receiveFile } from '../src/processes/receive.ts';
import { receiverIn } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { readIgesHeader } from '../src/formats/iges/header.ts';
import { boxMesh, dataFile } from './data.ts';
import { closedByMap } from './data.more.ts';

const folder = mkdtempSync(join(tmpdir(), 'tall-kite-formats-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const bytesOf = (pieces: Iterable<Uint8Array>) => Buffer.concat([...pieces]);
const text = (s: string) => new TextEncoder().encode(s);
const helix = readStl(dataFile('Helix.stl')).blocks[0].mesh;
const reader = (name: string) => fileURLToPath(new URL(`./readers/${name}`, import.meta.url));
const python = (script: string, ...files: string[]) => JSON.parse(execFileSync('/usr/bin/python3', [reader(script), ...files], { encoding: 'utf8' }));
const keep = (name: string, bytes: Uint8Array) => {
  writeFileSync(join(folder, name), bytes);
  return join(folder, name);
};
const codeOf = (work: () => unknown): string => {
  try {
    work();
    return 'read';
  } catch (thrown) {
    expect(thrown).toBeInstanceOf(Unusable);
    return (thrown as Unusable).code;
  }
};
/** Volume of three's geometry by signed tetrahedra. */
function volumeOf(geometry: BufferGeometry): number {
  const g = mergeVertices(geometry);
  const p = g.getAttribute('position').array;
  const t = g.getIndex()!.array;
  let six = 0;
  for (let i = 0; i < t.length; i += 3) {
    const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
    six += p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) + p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) + p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c]);
  }
  return six / 6;
}

describe('3MF', () => {
  test('open files: figures as published beside them (500 triangles, 252 vertices, volume 108197; 8 vertices, 12 triangles)', () => {
    const read = readThreeMf(dataFile('Helix.3mf'));
    expect(read).toMatchObject({ unit: 'mm', findings: [] });
    expect(read.parts[0].mesh.triangles.length / 3).toBe(500);
    expect(read.parts[0].mesh.positions.length / 3).toBe(252);
    expect(measureMesh(read.parts[0].mesh).volume).toBeCloseTo(108197, -1);
    const box = readThreeMf(dataFile('box.3mf')).parts[0].mesh;
    expect([box.positions.length / 3, box.triangles.length / 3]).toEqual([8, 12]);
  });
  test('what is written is read by lib3mf without a warning: unit, names, part numbers, copies, closed', () => {
    const parts = [
      { name: 'Helix "é" <1>', partNumber: 'WS-7', colour: '#aa3300', mesh: helix, places: [identityRows, [0, -1, 0, 120, 1, 0, 0, 0, 0, 0, 1, 5]] },
      { name: 'Block', partNumber: null, colour: null, mesh: boxMesh(10, 20, 30), places: [identityRows] },
    ];
    for (const [unit, mm, code] of [
      ['mm', 1, 1],
      ['in', 25.4, 3],
    ] as const) {
      // prettier-ignore
      const bytes = bytesOf(threeMfFile(parts, unit, mm, 'A & B'));
      const seen = python('lib3mf.py', keep(`two-${unit}.3mf`, bytes));
      expect(seen).toMatchObject({ warnings: 0, unit: code, items: 3 });
      expect(seen.objects).toEqual([
        { name: 'Helix "é" <1>', partNumber: 'WS-7', vertices: 252, triangles: 500, closed: true },
        { name: 'Block', partNumber: '', vertices: 8, triangles: 12, closed: true },
      ]);
      const back = readThreeMf(bytes);
      expect(back.parts.map((p) => [p.name, p.colour, p.places.length])).toEqual([['Helix "é" <1>', '#aa3300', 2], ['Block', null, 1]]); // prettier-ignore
      expect(back.parts[0].places[1][3]).toBeCloseTo(120, 6);
      expect(measureMesh(back.parts[0].mesh).volume).toBeCloseTo(measureMesh(helix).volume, 1);
      expect(bytesOf(threeMfFile(parts, unit, mm, 'A & B')).equals(bytes)).toBe(true);
    }
  });
  const package3 = (model: string) => zipSync({ '3D/3dmodel.model': text(model) });
  const one =
    '<vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/><vertex x="0" y="0" z="1"/></vertices><triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="2" v2="0" v3="3"/></triangles>';
  const model = (resources: string, build: string, unit = 'unit="inch"') =>
    `<?xml version="1.0"?><model ${unit} xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources>${resources}</resources><build>${build}</build></model>`;
  test('components with transforms, copies, part numbers, colours; inches become mm; what is not placed is said', () => {
    const read = readThreeMf(
      package3(
        model(
          `<basematerials id="9"><base name="red" displaycolor="#FF0000FF"/></basematerials><object id="1" name="Pin" pid="9" pindex="0"><mesh>${one}</mesh></object><object id="2" name="Pair"><components><component objectid="1"/><component objectid="1" transform="1 0 0 0 1 0 0 0 1 2 0 0"/></components></object><object id="3"><mesh>${one}</mesh></object>`,
          '<item objectid="2" partnumber="X-1"/><item objectid="1" transform="0 1 0 -1 0 0 0 0 1 0 0 1"/>',
        ),
      ),
    );
    expect(read.parts).toHaveLength(1);
    const [pin] = read.parts;
    expect(pin).toMatchObject({ name: 'Pin', above: ['Pair'], colour: '#ff0000' });
    expect(measureMesh(pin.mesh).volume).toBeCloseTo(25.4 ** 3 / 6, 6);
    expect(pin.places.map((m) => [m[3], m[7], m[11]].map((v) => Math.round(v * 1e6) / 1e6))).toEqual([[0, 0, 0], [50.8, 0, 0], [0, 0, 25.4]]); // prettier-ignore
    // Row vectors times matrix: (1, 0, 0) goes to (0, 1, 0).
    expect([pin.places[2][0], pin.places[2][4]]).toEqual([0, 1]);
    expect(read.findings.map((f) => f.code)).toEqual(['not-placed']);
  });
  test('damage is refused with a sentence: no zip, cut off, bad XML, a unit or place that is none, entities, loops', () => {
    const whole = dataFile('Helix.3mf');
    expect(codeOf(() => readThreeMf(text('solid not a zip')))).toBe('not-3mf');
    expect(codeOf(() => readThreeMf(whole.subarray(0, whole.length / 2)))).toBe('3mf-broken');
    expect(codeOf(() => readThreeMf(package3('<model><resources>')))).toBe('3mf-broken');
    expect(codeOf(() => readThreeMf(package3(model('', '', 'unit="furlong"'))))).toBe('3mf-broken');
    expect(codeOf(() => readThreeMf(package3(model(`<object id="1"><mesh>${one}</mesh></object>`, '<item objectid="1" transform="1 2 3"/>'))))).toBe(
      '3mf-broken',
    );
    expect(
      codeOf(() => readThreeMf(package3(model('<object id="1"><components><component objectid="1"/></components></object>', '<item objectid="1"/>')))),
    ).toBe('too-deep');
    expect(codeOf(() => readThreeMf(zipSync({ 'other.txt': text('x') })))).toBe('3mf-broken');
    const bomb = package3(
      `<!DOCTYPE m [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]>${model(`<object id="1" name="&b;"><mesh>${one}</mesh></object>`, '<item objectid="1"/>').replace(/^<\?xml.*?\?>/, '')}`,
    );
    expect(['3mf-broken', 'read']).toContain(codeOf(() => readThreeMf(bomb)));
    const far = readThreeMf(
      package3(model(`<object id="1"><mesh>${one.replace('v3="1"', 'v3="77"')}</mesh></object>`, '<item objectid="1"/><item objectid="8"/>')),
    );
    expect(far.findings.map((f) => f.code)).toEqual(['bad-faces', 'missing-object']);
    expect(memberText(bytesOf(threeMfFile([], 'mm', 1, 'x')), '3D/3dmodel.model')).toContain('unit="millimeter"');
  });
});

describe('OBJ', () => {
  test('negative indices, polygons that are not convex, quads, objects, comments, joined lines', () => {
    const read = readObj(
      text(
        '# a comment\nmtllib some.mtl\no plate\nv 0 0 0\nv 4 0 0\nv 4 4 0\nv 2 1 0\nv 0 4 0\nf 1 2 3 \\\n 4 5\no "other"\nv 0 0 5\nv 1 0 5\nv 1 1 5\nv 0 1 5\nf -4//1 -3//1 -2//1 -1//1\nl 1 2 3\np 4\nf 1 2 99\n',
      ),
    );
    expect(read.parts.map((p) => p.name)).toEqual(['plate', '"other"']);
    // Shoelace area of the notched plate: 16 less the notch of 4 x 3 / 2 = 6.
    expect(measureMesh(read.parts[0].mesh).area).toBeCloseTo(10, 12);
    expect(read.parts[0].mesh.triangles.length / 3).toBe(3);
    expect(measureMesh(read.parts[1].mesh).area).toBeCloseTo(1, 12);
    expect(read.findings.map((f) => [f.code, f.count])).toEqual([['left-out', 2], ['bad-faces', 1], ['materials-elsewhere', 1]]); // prettier-ignore
  });
  test('groups are parts only where each is closed by itself', () => {
    const box = (dx: number, base: number) => {
      const m = boxMesh(1, 1, 1);
      let s = '';
      for (let v = 0; v < 24; v += 3) s += `v ${m.positions[v] + dx} ${m.positions[v + 1]} ${m.positions[v + 2]}\n`;
      for (let i = 0; i < 36; i += 3) s += `f ${m.triangles[i] + base} ${m.triangles[i + 1] + base} ${m.triangles[i + 2] + base}\n`;
      return s;
    };
    expect(readObj(text(`g left\n${box(0, 1)}g right\n${box(3, 9)}`)).parts.map((p) => p.name)).toEqual(['left', 'right']);
    const halved = box(0, 1).split('\n');
    expect(readObj(text(`g a\n${halved.slice(0, 14).join('\n')}\ng b\n${halved.slice(14).join('\n')}`)).parts).toHaveLength(1);
  });
  test("what is written is read by three's loader; regular pairs become faces with four corners and nothing moves", () => {
    const bytes = bytesOf(objFile([{ name: 'helix', mesh: helix }], 1, 'mm', false));
    const drawn = new OBJLoader().parse(bytes.toString()).children[0] as Drawn;
    expect(drawn.name).toBe('helix');
    expect(volumeOf(drawn.geometry)).toBeCloseTo(measureMesh(helix).volume, 0);
    expect(facesOf(boxMesh(3, 4, 5)).map((f) => f.length)).toEqual([4, 4, 4, 4, 4, 4]);
    const quads = readObj(bytesOf(objFile([{ name: 'b', mesh: boxMesh(3, 4, 5) }], 25.4, 'in', true)));
    expect(measureMesh(quads.parts[0].mesh).volume).toBeCloseTo(60 / 25.4 ** 3, 9);
    expect(closedByMap(quads.parts[0].mesh)).toBe(true);
  });
  test('bad input', () => {
    expect(codeOf(() => readObj(text('nothing of the kind\n')))).toBe('not-obj');
    expect(readObj(text('v 0 0 0\nv 1 0 0\nv 0 1 0\n')).findings.map((f) => f.code)).toEqual(['no-triangles']);
    expect(readObj(text('v 0 0 0\nv 1 0 x\nv 0 1 0\nv 1 1 1\nf 1 2 3\nf 1 3 4\n')).findings.map((f) => f.code)).toEqual(['not-numbers']);
  });
});

describe('PLY', () => {
  test('the open cube: closed, volume 1; and what is written in both encodings, by three', () => {
    const cube = readPly(dataFile('cube_binary.ply')).parts[0].mesh;
    expect(cube.triangles.length / 3).toBe(12);
    expect(measureMesh(cube).volume).toBeCloseTo(1, 6);
    expect(closedByMap(cube)).toBe(true);
    for (const encoding of ['binary', 'ascii'] as const) {
      const bytes = bytesOf(plyFile(helix, { perUnit: 1, unit: 'mm', encoding }));
      const geometry = new PLYLoader().parse(encoding === 'ascii' ? bytes.toString() : new Uint8Array(bytes).buffer);
      expect(volumeOf(geometry)).toBeCloseTo(measureMesh(helix).volume, 0);
      expect(readPly(bytes).parts[0].mesh.triangles).toEqual(
        readPly(bytesOf(plyFile(helix, { perUnit: 1, unit: 'mm', encoding: 'binary' }))).parts[0].mesh.triangles,
      );
    }
  });
  test('big endian with colours, lists of other kinds, elements that are passed over', () => {
    const head =
      'ply\nformat binary_big_endian 1.0\nelement vertex 3\nproperty double x\nproperty double y\nproperty double z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement edge 1\nproperty int a\nproperty int b\nelement face 1\nproperty list ushort uint vertex_index\nproperty float quality\nend_header\n';
    const body = Buffer.alloc(3 * 27 + 8 + 2 + 12 + 4);
    [
      [0, 0, 0],
      [3, 0, 0],
      [0, 4, 0],
    ].forEach((v, i) => {
      // prettier-ignore
      v.forEach((x, k) => body.writeDoubleBE(x, i * 27 + k * 8));
      body.set([10, 200, 30], i * 27 + 24);
    });
    body.writeUInt16BE(3, 89);
    [0, 1, 2].forEach((v, k) => body.writeUInt32BE(v, 91 + 4 * k));
    const read = readPly(Buffer.concat([text(head), body]));
    expect(read.version).toBe('binary, big endian');
    expect(read.parts[0].colour).toBe('#0ac81e');
    expect(measureMesh(read.parts[0].mesh).area).toBeCloseTo(6, 12);
    expect(read.findings).toMatchObject([{ code: 'left-out', count: 1 }]);
    expect(codeOf(() => readPly(Buffer.concat([text(head), body.subarray(0, 90)])))).toBe('ply-broken');
  });
  test('bad input', () => {
    expect(codeOf(() => readPly(text('solid x')))).toBe('not-ply');
    expect(codeOf(() => readPly(text('ply\nformat ascii 1.0\nelement vertex 3\n')))).toBe('ply-broken');
    expect(
      codeOf(() => readPly(text('ply\nformat ascii 1.0\nelement vertex 999999999\nproperty float x\nproperty float y\nproperty float z\nend_header\n'))),
    ).toBe('ply-broken');
    expect(codeOf(() => readPly(text('ply\nformat strange 1.0\nend_header\n')))).toBe('ply-broken');
    expect(
      readPly(text('ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 2 3\n')).findings[0].message,
    ).toBe('The file has points but no faces.');
  });
});

describe('STEP and IGES', () => {
  test('a faceted solid and an exact one, turned and in inches, hold their volume in gmsh', async () => {
    const faceted = keep('helix.step', bytesOf(facetedStep(helix, "He'lix é")));
    const design = await readDesign(dataFile('screw.step'), 'screw.step', nodeKernels);
    const recipe = firstRecipe(design.parts[0].summary, readyReceivers);
    recipe.receiver = receiverIn(readyReceivers, 'heron');
    recipe.file = { ...recipe.file, format: 'step', unit: 'in' };
    recipe.stance = { turn: [Math.SQRT1_2, 0, 0, Math.SQRT1_2], drop: true, how: 'turned' };
    const written = await writePart(design.parts[0].summary, design.parts[0].geometry, recipe, workingKernel);
    const bytes = bytesOf(written.pieces);
    const [one, two] = python('gmsh_volume.py', faceted, keep('screw.step', bytes));
    expect(one.solids).toBe(1);
    expect(one.volume).toBeCloseTo(measureMesh(helix).volume, 2);
    // 3788.2706 mm3: the reference figure of screw.step.
    expect(two.volume).toBeCloseTo(3788.2706, 3);
    const evidence = prove(written.designed, await receiveFile(bytes, 'step', receiverIn(readyReceivers, 'heron'), nodeKernels));
    expect(evidence.claims.filter((c) => c.verdict !== 'clear')).toEqual([]);
    expect(evidence.claims.find((c) => c.quantity === 'Faces')).toMatchObject({ designed: 10, received: 10 });
    // Equal input, equal bytes: no time is left in the header.
    const again = await writePart(design.parts[0].summary, design.parts[0].geometry, recipe, workingKernel);
    expect(bytesOf(again.pieces).equals(bytes)).toBe(true);
  });
  test('IGES: a solid, and loose faces in inches that are sewn to one; surfaces left out when so chosen', async () => {
    const k = await openingKernel();
    k.FS.writeFile('/a.stp', dataFile('screw.step'));
    const step = new k.STEPControl_Reader_1();
    step.ReadFile('/a.stp');
    step.TransferRoots(new k.Message_ProgressRange_1());
    const iges = (unit: string, mode: number) => {
      const writer = new k.IGESControl_Writer_2(unit, mode);
      writer.AddShape(step.OneShape(), new k.Message_ProgressRange_1());
      writer.ComputeModel();
      writer.Write_2('/o.igs', false);
      return Buffer.from(k.FS.readFile('/o.igs'));
    };
    const solid = await readDesign(iges('MM', 1), 'screw.igs', nodeKernels);
    expect(solid).toMatchObject({ format: 'IGES', unit: 'mm', findings: [] });
    expect(solid.parts[0].summary).toMatchObject({ name: 'screw', faces: 10 });
    expect(solid.parts[0].summary.volume / 3788.2706).toBeCloseTo(1, 6);
    const loose = iges('IN', 0);
    expect(readIgesHeader(loose).unit).toBe('in');
    const sewn = await readDesign(loose, 'faces.igs', nodeKernels);
    expect(sewn.findings).toMatchObject([{ code: 'sewn', count: 1 }]);
    expect(sewn.parts[0].summary.volume).toBeCloseTo(3788.2706, 3);
    const none = await readDesign(loose, 'faces.igs', nodeKernels, { ...usualChoices, surfaces: false });
    expect(none.findings.map((f) => f.code)).toEqual(['loose-faces', 'no-solids']);
    await expect(readDesign(loose.subarray(0, 9000), 'cut.igs', nodeKernels)).rejects.toMatchObject({ code: 'cut-off' });
  });
  test('loose faces are sewn within a share of their size: a cube of any size with gaps just inside it is one exact solid, just outside it stays open', async () => {
    const k = await openingKernel();
    // Six squares of a cube, each drawn back from its edges: neighbours are the square root of 2 of that apart.
    const cube = (size: number, back: number) => {
      const writer = new k.IGESControl_Writer_2('MM', 0);
      const [low, high] = [back, size - back];
      for (const axis of [0, 1, 2])
        for (const at of [0, size]) {
          const corners = [[low, low], [high, low], [high, high], [low, high]].map(([u, v]) => { const p = [0, 0, 0]; p[axis] = at; p[(axis + 1) % 3] = u; p[(axis + 2) % 3] = v; return new k.gp_Pnt_3(p[0], p[1], p[2]); }); // prettier-ignore
          const wire = new k.BRepBuilderAPI_MakePolygon_4(corners[0], corners[1], corners[2], corners[3], true).Wire();
          writer.AddShape(new k.BRepBuilderAPI_MakeFace_15(wire, true).Face(), new k.Message_ProgressRange_1());
        }
      writer.ComputeModel();
      writer.Write_2('/o.igs', false);
      return Buffer.from(k.FS.readFile('/o.igs'));
    };
    for (const size of [2, 100, 20_000]) {
      const allowed = (size * Math.sqrt(3) * 1e-4) / Math.SQRT2;
      const inside = await readDesign(cube(size, allowed * 0.9), 'cube.igs', nodeKernels);
      expect([size, inside.parts.map((p) => [p.summary.kind, p.summary.faces])]).toEqual([size, [['solid', 6]]]);
      expect(inside.parts[0].summary.volume / size ** 3).toBeCloseTo(1, 2);
      expect(inside.findings[0].message).toMatch(/6 loose faces were sewn where their edges lie within/);
      const outside = await readDesign(cube(size, allowed * 1.2), 'cube.igs', nodeKernels);
      expect([size, outside.parts.every((p) => p.summary.kind === 'mesh' && p.summary.openEdges! > 0)]).toEqual([size, true]);
    }
  });
});

describe('choices before reading, and the up axis', () => {
  const yUp = () => {
    // A bracket made with Y up: a flat base at Y 0, a slanted top, rounded off along Z so that it rests on nothing there.
    const m = boxMesh(40, 10, 20);
    for (let v = 0; v < 24; v += 3) if (m.positions[v + 1] > 5) [m.positions[v], m.positions[v + 2]] = [m.positions[v] * 0.6 + 6, m.positions[v + 2] * 0.5 + 5];
    return bytesOf(objFile([{ name: 'bracket', mesh: m }], 1, 'mm', false));
  };
  test('a file made with Y up is turned and said so; "Z is up" leaves it; a part without doubt about Z is left', async () => {
    const found = await readDesign(yUp(), 'bracket.obj', nodeKernels);
    expect(found.findings.find((f) => f.code === 'y-up')?.severity).toBe('look');
    expect(sizeOf(found.parts[0].summary.box).map((s) => Math.round(s * 1e6) / 1e6)).toEqual([40, 20, 10]);
    const left = await readDesign(yUp(), 'bracket.obj', nodeKernels, { ...usualChoices, up: 'z' });
    expect(sizeOf(left.parts[0].summary.box)).toEqual([40, 10, 20]);
    const plain = await readDesign(bytesOf(plyFile(boxMesh(5, 6, 7), { perUnit: 1, unit: 'mm', encoding: 'binary' })), 'box.ply', nodeKernels);
    expect(plain.findings.map((f) => f.code)).toEqual(['no-unit']);
  });
  test('colour for parts without one; unsound meshes left out or refused as chosen; meshes left out', async () => {
    const open = readStl(dataFile('sphereWithHole.stl')).blocks[0].mesh;
    const both = bytesOf(objFile([{ name: 'open', mesh: open }, { name: 'closed', mesh: boxMesh(9, 9, 9) }], 1, 'mm', false)); // prettier-ignore
    const kept = await readDesign(both, 'both.obj', nodeKernels, { ...usualChoices, colour: '#123456' });
    expect(kept.parts.map((p) => [p.summary.name, p.summary.colour])).toEqual([['open', '#123456'], ['closed', '#123456']]); // prettier-ignore
    const left = await readDesign(both, 'both.obj', nodeKernels, { ...usualChoices, bad: 'leave' });
    expect(left.parts.map((p) => p.summary.name)).toEqual(['closed']);
    expect(left.findings.map((f) => f.code)).toContain('meshes-unsound');
    await expect(readDesign(both, 'both.obj', nodeKernels, { ...usualChoices, bad: 'stop' })).rejects.toMatchObject({ code: 'unsound-mesh' });
    expect((await readDesign(both, 'both.obj', nodeKernels, { ...usualChoices, meshes: false })).parts).toEqual([]);
  });
  test('a receiver whose software takes Y for up gets a part that stands as designed', async () => {
    const mesh: Mesh = boxMesh(10, 20, 30);
    const design = await readDesign(bytesOf(plyFile(mesh, { perUnit: 1, unit: 'mm', encoding: 'binary' })), 'box.ply', nodeKernels);
    const recipe = firstRecipe(design.parts[0].summary, readyReceivers);
    recipe.receiver = receiverIn(readyReceivers, 'heron');
    recipe.file.format = 'obj';
    const { pieces, designed } = await writePart(design.parts[0].summary, design.parts[0].geometry, recipe, workingKernel);
    const bytes = bytesOf(pieces);
    expect(sizeOf(boxOf(readObj(bytes).parts[0].mesh.positions))).toEqual([10, 30, 20]);
    const evidence = prove(designed, await receiveFile(bytes, 'obj', receiverIn(readyReceivers, 'heron'), nodeKernels));
    expect(evidence.claims.find((c) => c.quantity === 'Height Z')).toMatchObject({ designed: 30, received: 30, verdict: 'clear' });
    await expect(receiveFile(bytes, 'obj', receiverIn(readyReceivers, 'wren'), nodeKernels)).rejects.toThrow(/does not read OBJ/);
  });
});
