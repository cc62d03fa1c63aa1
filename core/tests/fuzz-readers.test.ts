import { describe, expect, test, vi } from 'vitest';
import { zipSync, unzipSync } from 'fflate';
import { Unusable } from '../src/base/finding.ts';
import { looksLikeIges, readIgesHeader } from '../src/formats/iges/header.ts';
import type { MeshFile } from '../src/formats/mesh-file.ts';
import { readObj } from '../src/formats/obj/read.ts';
import { objFile } from '../src/formats/obj/write.ts';
import { readPly } from '../src/formats/ply/read.ts';
import { plyFile } from '../src/formats/ply/write.ts';
import { readStep } from './readers/step-header.ts';
import { readStl } from '../src/formats/stl/read.ts';
import { asciiStl, binaryStl } from '../src/formats/stl/write.ts';
import { readThreeMf } from '../src/formats/threemf/read.ts';
import { threeMfFile } from '../src/formats/threemf/write.ts';
import { identityRows } from '../src/geometry/rows.ts';
import { mend, safeMend } from '../src/mesh/mend/mend.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { fullCheck } from '../src/mesh/soundness/full-check.ts';
import { checkDrawing } from '../src/curves/check.ts';
import { contourOf, type Drawing } from '../src/curves/drawing.ts';
import { readDxf } from '../src/formats/dxf/read.ts';
import { dxfFile } from '../src/formats/dxf/write.ts';
import { readSvg } from '../src/formats/svg/read.ts';
import { svgFile } from '../src/formats/svg/write.ts';
import { binaryOf, board, layerOf } from './drawing.data.ts';
import { boxMesh, busy, dataFile } from './data.ts';
import { ballMesh, dice } from './data.more.ts';
import { some } from './some.ts';

/** Files a reader: shortened here; FUZZ sets another count. "npm run fuzz" is a run of its own, see fuzz/. */
const files = Number(process.env.FUZZ ?? 500);
const seconds = Number(process.env.FUZZ_SECONDS ?? 40);
vi.setConfig({ testTimeout: (2 * seconds + 60) * 1000 });
const mesh = ballMesh(10, 12, 8);
const bytesOf = (pieces: Iterable<Uint8Array>) => Buffer.concat([...pieces]);

/** A changed copy: bytes replaced, runs cut, doubled or moved, numbers blown up, the end cut off. */
function mutated(source: Buffer, random: (n: number) => number): Buffer {
  let bytes: Buffer = Buffer.from(source);
  for (let k = 0; k <= random(6); k++) {
    const at = random(Math.max(1, bytes.length));
    const length = random(40);
    switch (random(7)) {
      case 0:
        bytes[at] = random(256);
        break;
      case 1:
        bytes = Buffer.concat([bytes.subarray(0, at), bytes.subarray(at + length)]);
        break;
      case 2:
        bytes = Buffer.concat([bytes.subarray(0, at), bytes.subarray(at, at + length), bytes.subarray(at)]);
        break;
      case 3:
        bytes = bytes.subarray(0, at);
        break;
      case 4:
        bytes.write(['nan', '1e400', '-999999999999', '0x10', '4294967295', '"', '<', '\\', '/', 'end'][random(10)], at, 'latin1');
        break;
      case 5:
        bytes.fill([0, 255, 32, 10][random(4)], Math.min(at, bytes.length), Math.min(bytes.length, at + length));
        break;
      default:
        bytes = Buffer.concat([bytes.subarray(0, at), Buffer.from(Array.from({ length }, () => random(256))), bytes.subarray(at)]);
    }
    if (bytes.length === 0) break;
  }
  return bytes;
}

function sane(file: MeshFile): void {
  for (const part of file.parts) {
    expect(part.mesh.positions.every(Number.isFinite)).toBe(true);
    const most = part.mesh.positions.length / 3;
    expect(part.mesh.triangles.every((v) => v < most)).toBe(true);
  }
  for (const finding of file.findings) expect(finding.message).toMatch(/\.$/);
}

/** Runs a reader over mutated files until the count or the time is up; only results or typed refusals may come. */
function run(sources: Buffer[], read: (bytes: Buffer) => unknown, seed: number): { read: number; refused: number } {
  const random = dice(seed);
  const until = performance.now() + seconds * 1000;
  const counts = { read: 0, refused: 0 };
  const memory = process.memoryUsage().rss;
  for (let i = 0; i < files && performance.now() < until; i++) {
    const bytes = mutated(sources[i % sources.length], random);
    const from = busy();
    try {
      read(bytes);
      counts.read++;
    } catch (thrown) {
      if (!(thrown instanceof Unusable)) throw new Error(`file ${i} of seed ${seed}: ${(thrown as Error).stack}`);
      expect(thrown.message).toMatch(/\.$/);
      counts.refused++;
    }
    expect(busy() - from).toBeLessThan(15_000);
  }
  expect(process.memoryUsage().rss - memory).toBeLessThan(1.5e9);
  return counts;
}

/** What a drawing's reader gives can be checked and has finite figures. */
function saneDrawing(file: { drawing: Drawing; findings: { message: string }[] }): void {
  const found = checkDrawing(file.drawing);
  expect([found.length, found.area, ...found.box].every(Number.isFinite)).toBe(true);
  for (const finding of file.findings) expect(finding.message).toMatch(/\.$/);
}

describe('mutated files: no crash, no hang, no unbounded memory', () => {
  const contours = [
    ...board(),
    contourOf([{ kind: 'arc', centre: [20, 20], radius: 8, start: 0.3, sweep: 2 }], false),
    contourOf([{ kind: 'ellipse', centre: [60, 60], u: [20, 5], ratio: 0.5, start: 1, sweep: -2 }], false),
    contourOf([{ kind: 'bezier', points: [[10, 80], [20, 100], [40, 75], [50, 90]] }], false), // prettier-ignore
  ];
  test('DXF, R12, 2000 and binary', () => {
    const text = (version: 'R12' | '2000') => bytesOf(dxfFile({ layers: [layerOf('a', version === 'R12' ? contours.slice(0, 3) : contours)], blocks: [{ name: 'b', layers: [{ name: 'a', contours: contours.slice(1, 2) }], places: [[0, 0], [9, 9]] }] }, version, 'mm', 1)); // prettier-ignore
    const counts = run([text('R12'), text('2000'), binaryOf(text('2000').toString('latin1'))], (b) => saneDrawing(readDxf(b)), 31);
    expect(counts.read).toBeGreaterThan(10);
    expect(counts.refused).toBeGreaterThan(10);
  });
  test('SVG: paths, shapes, copies, styles', () => {
    const written = bytesOf(svgFile([layerOf('a', contours)], 't', null));
    const rich = dataFile('paths-data-02-t.svg');
    const made = Buffer.from('<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9" width="9mm" height="9mm"><style>.a{stroke:red}</style><defs><symbol id="s" viewBox="0 0 2 2"><rect width="2" height="1" rx=".3"/></symbol></defs><g id="g" transform="rotate(3) scale(2 1)"><use href="#s" x="1" width="3" height="3"/><ellipse rx="2" ry="1"/><polygon class="a" points="0,0 1,0 1,1"/></g></svg>'); // prettier-ignore
    const counts = run([written, rich, made], (b) => saneDrawing(readSvg(b)), 32);
    expect(counts.read).toBeGreaterThan(10);
    expect(counts.refused).toBeGreaterThan(10);
  });
  test('STL, both encodings', () => {
    const counts = run([bytesOf(binaryStl(mesh, 1, 'fuzz')), bytesOf(asciiStl(mesh, 1, 'fuzz'))], (b) => readStl(b), 11);
    expect(counts.read).toBeGreaterThan(10);
    expect(counts.refused).toBeGreaterThan(10);
  });
  test('OBJ', () => {
    const source = bytesOf(objFile([{ name: 'a', mesh }, { name: 'b', mesh: boxMesh(1, 2, 3) }], 1, 'mm', true)); // prettier-ignore
    expect(run([source], (b) => sane(readObj(b)), 12).read).toBeGreaterThan(10);
  });
  test('PLY, all encodings', () => {
    const little = bytesOf(plyFile(mesh, { perUnit: 1, unit: 'mm', encoding: 'binary' }));
    const big = Buffer.from(little.toString('latin1').replace('binary_little_endian', 'binary_big_endian'), 'latin1');
    const counts = run([little, bytesOf(plyFile(mesh, { perUnit: 1, unit: 'mm', encoding: 'ascii' })), big], (b) => sane(readPly(b)), 13);
    expect(counts.refused).toBeGreaterThan(10);
  });
  test('3MF, the package and the model in it', () => {
    const whole = bytesOf(threeMfFile([{ name: 'a', partNumber: 'x', colour: '#123456', mesh, places: [identityRows, [...identityRows]] }], 'mm', 1, 'fuzz')); // prettier-ignore
    const members = unzipSync(whole);
    const random = dice(15);
    run([whole], (b) => sane(readThreeMf(b)), 14);
    const counts = run(
      [Buffer.from(members['3D/3dmodel.model'])],
      (b) => sane(readThreeMf(zipSync({ ...members, '3D/3dmodel.model': random(50) ? b : new Uint8Array(0) }, { level: 1 }))),
      16,
    );
    expect(counts.read).toBeGreaterThan(5);
    expect(counts.refused).toBeGreaterThan(10);
  });
  test('the heads of STEP and IGES files', () => {
    const iges = Buffer.from(
      `${''.padEnd(72)}S      1\n${'1H,,1H;,4Hpart,1Ha,1Ht,1H1,32,38,6,308,15,1Hp,1.,2,2HMM,1;'.slice(0, 72).padEnd(72)}G      1\n${''.padEnd(72)}T      1\n`,
    );
    expect(readIgesHeader(iges).unit).toBe('mm');
    run([iges], (b) => looksLikeIges(b) && readIgesHeader(b), 17);
    run([dataFile('cube-mm.step')], (b) => readStep(b), 18);
  });
  test('checking and mending any heap of triangles ends, and what is called closed is closed', async () => {
    const engine = await nodeEngine();
    const random = dice(19);
    const until = performance.now() + seconds * 1000;
    for (let i = 0; i < files / some(4, 25) && performance.now() < until; i++) {
      const source = i % 2 ? ballMesh(10, 10, 6) : boxMesh(10, 10, 10);
      const t = source.triangles.slice();
      for (let k = 0; k <= random(5); k++) {
        const at = random(t.length);
        if (random(2)) t[at] = random(source.positions.length / 3);
        else [t[at], t[(at + 1) % t.length]] = [t[(at + 1) % t.length], t[at]];
      }
      const p = source.positions.slice();
      for (let k = 0; k < random(4); k++) p[random(p.length)] += random(21) - 10;
      const broken = { positions: p, triangles: t.slice(0, t.length - 3 * random(4)) };
      const made = mend(broken, { ...safeMend, holes: i % 3 ? 'flat' : 'surface' }, engine)!;
      const check = fullCheck(made.mesh, { crossings: false })!;
      expect(made.mesh.positions.every(Number.isFinite)).toBe(true);
      if (made.report.after.closed) expect(check).toMatchObject({ openEdges: 0, nonManifoldEdges: 0, flippedEdges: 0 });
      else expect(made.report.left.length).toBeGreaterThan(0);
    }
  });
});
