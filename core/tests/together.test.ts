import { unzipSync, zipSync } from 'fflate';
import { describe, expect, test } from 'vitest';
import type { Evidence } from '../src/prove/evidence.ts';
import { Unusable } from '../src/base/finding.ts';
import type { ThreeMfPart } from '../src/formats/threemf/write.ts';
import { identityRows, type Rows } from '../src/geometry/rows.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { placedParts, proveTogether, writeTogether, type TogetherFile } from '../src/pipeline/together.ts';
import { placedMesh, receiveFile, receiveMeshFile } from '../src/processes/receive.ts';
import { receiverIn } from '../src/receivers/receivers.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { fullCheck } from '../src/mesh/soundness/full-check.ts';
import { fullFindings } from '../src/mesh/soundness/full-findings.ts';
import { packPlaces, unpackPlaces } from '../src/view/places.ts';
import { looksYUp, turnToZUp, turnedToYUp } from '../src/geometry/up-axis.ts';
import { readStl } from '../src/formats/stl/read.ts';
import { boxMesh, dataFile, prismMesh } from './data.ts';
import { ballMesh, movedMesh } from './data.more.ts';

const file: TogetherFile = { format: '3mf', encoding: 'binary', unit: 'mm', title: 'Set', quads: false };
const far: Rows = [0, -1, 0, 60, 1, 0, 0, 5, 0, 0, 1, 2];
const parts: ThreeMfPart[] = [
  { name: 'Block', partNumber: 'A-1', colour: '#336699', mesh: boxMesh(10, 20, 30), places: [identityRows, far] },
  { name: 'Rod', partNumber: null, colour: null, mesh: movedMesh(prismMesh(24, 4, 15), [100, 0, 0]), places: [identityRows] },
];
const lark = receiverIn(readyReceivers, 'lark');
const bytesOf = (as: TogetherFile = file, list = parts, receiver = lark) => Buffer.concat([...writeTogether(list, as, receiver)]);
/** The evidence for bytes that were spoilt on the way. */
function evidence(spoil: (model: string) => string): Evidence {
  const members = unzipSync(new Uint8Array(bytesOf()));
  const model = spoil(new TextDecoder().decode(members['3D/3dmodel.model']));
  const bytes = zipSync({ ...members, '3D/3dmodel.model': new TextEncoder().encode(model) });
  return proveTogether(parts, file, receiveMeshFile(bytes, '3mf', lark));
}
const stopped = (e: Evidence) => e.claims.filter((c) => c.verdict === 'stop').map((c) => c.quantity);

describe('several parts in one file, proved from its bytes', () => {
  test('every format that is written comes back as it was meant', async () => {
    for (const format of ['3mf', 'stl', 'obj', 'ply', 'step'] as const) {
      for (const encoding of ['binary', 'ascii'] as const) {
        const as = { ...file, format, encoding };
        const receiver = receiverIn(readyReceivers, format === 'step' ? 'heron' : 'lark');
        const received = await receiveFile(bytesOf(as, parts, receiver), format, receiver, nodeKernels);
        const proved = proveTogether(parts, as, received);
        expect({ format, stopped: stopped(proved) }).toEqual({ format, stopped: [] });
      }
    }
  });
  test('a wrong unit, a lost part, a moved part, a wrong name, a lost triangle: each stops the claim that it belongs to', () => {
    expect(stopped(evidence((m) => m))).toEqual([]);
    expect(stopped(evidence((m) => m.replace('unit="millimeter"', 'unit="inch"')))).toEqual(expect.arrayContaining(['Length X', 'Volume', 'Unit']));
    expect(stopped(evidence((m) => m.replace(/<item objectid="3"[^>]*>/, '')))).toEqual(expect.arrayContaining(['Parts', 'Names', 'Volume']));
    expect(stopped(evidence((m) => m.replace('name="Rod"', 'name="Bar"')))).toEqual(['Names']);
    // Moved inside the box of all, so that only its own place tells.
    expect(stopped(evidence((m) => m.replace('60 5 2"', '50 5 2"')))).toEqual(expect.arrayContaining(['Place of each part', 'Deviation']));
    expect(stopped(evidence((m) => m.replace(/<triangle [^>]*>/, '')))).toEqual(expect.arrayContaining(['Closed', 'Triangles']));
  });
  test('copies stand where their places say; a mirroring place turns triangles round', () => {
    const [one, two] = placedParts(parts);
    expect(measureMesh(one.mesh).box.max).toEqual([10, 20, 30]);
    // (x, y) goes to (60 - y, 5 + x).
    expect(measureMesh(two.mesh).box).toEqual({ min: [40, 5, 2], max: [60, 15, 32] });
    expect(measureMesh(placedMesh(boxMesh(2, 3, 4), [-1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0])).volume).toBeCloseTo(24, 12);
  });
  test('what a format can not say is refused with a remedy', () => {
    const heavy = { ...parts[0], mesh: ballMesh(10, 220, 130) };
    expect(() => bytesOf({ ...file, format: 'step' }, [heavy])).toThrow(Unusable);
    expect(() => receiveMeshFile(bytesOf({ ...file, format: 'stl' }).subarray(0, 500), 'stl', lark)).toThrow(/cut off/);
  });
  test('a receiver with Y up gets other numbers and understands the same part', () => {
    const heron = receiverIn(readyReceivers, 'heron');
    const as = { ...file, format: 'obj' as const };
    const bytes = bytesOf(as, [parts[0]], heron);
    expect(bytes.toString()).not.toBe(bytesOf(as, [parts[0]], lark).toString());
    expect(stopped(proveTogether([parts[0]], as, receiveMeshFile(bytes, 'obj', heron)))).toEqual([]);
    // Read by a machine that takes Z for up it lies on its side, and that is seen.
    expect(stopped(proveTogether([parts[0]], as, receiveMeshFile(bytes, 'obj', lark)))).toContain('Height Z');
  });
});

describe('findings of the full check in sentences, with places to be drawn', () => {
  const context = { scale: 1, heavy: 1, deviation: 0.05, thickness: null, receiver: lark };
  const codes = (mesh: Parameters<typeof fullCheck>[0], more: Partial<typeof context> = {}) =>
    fullFindings(fullCheck(mesh)!, { ...context, ...more }).map((f) => f.code);
  test('the worst first; each names its count, its size in mm and what mends it', () => {
    const spider = fullFindings(fullCheck(readStl(dataFile('Spider_binary.stl')).blocks[0].mesh)!, { ...context, scale: 10 });
    expect(spider[0].severity).toBe('stop');
    const open = spider.find((f) => f.code === 'open-edges')!;
    expect(open.count).toBe(72);
    // Widest hole 1.236 in the file's numbers, read as centimetres.
    expect(open.message).toMatch(/72 open edges in 8 holes, the widest 12\.4 mm across/);
    expect(spider.map((f) => f.severity)).toEqual(
      [...spider.map((f) => f.severity)].sort((a, b) => ['stop', 'look', 'clear'].indexOf(a) - ['stop', 'look', 'clear'].indexOf(b)),
    );
    for (const f of spider) expect(`${f.message} ${f.remedy}`).toMatch(/\. .+\.$/);
  });
  test('a sound part has none; thin walls, too many triangles, several bodies, a shell inside are told', () => {
    expect(codes(boxMesh(10, 10, 10))).toEqual([]);
    const thin = fullFindings(fullCheck(boxMesh(10, 10, 10))!, { ...context, thickness: { least: 0.3, thinArea: 12, bead: 0.4, beads: 0 } as never });
    expect(thin).toMatchObject([{ code: 'thin-walls', severity: 'stop', place: 'thin' }]);
    expect(codes(ballMesh(10, 40, 30), { receiver: { ...lark, mostTriangles: 100 } })).toEqual(['too-heavy']);
    const two = {
      positions: Float64Array.from([...boxMesh(5, 5, 5).positions, ...movedMesh(boxMesh(5, 5, 5), [20, 0, 0]).positions]),
      triangles: Uint32Array.from([...boxMesh(5, 5, 5).triangles, ...boxMesh(5, 5, 5).triangles.map((v) => v + 8)]),
    };
    expect(codes(two)).toEqual(['several-shells']);
  });
  test('places survive packing: as many edges and triangles as were counted', () => {
    const mesh = readStl(dataFile('Spider_binary.stl')).blocks[0].mesh;
    const found = fullCheck(mesh)!;
    const packed = packPlaces(mesh, found.where, Uint32Array.of(0, 1));
    const places = unpackPlaces(packed.slice().buffer);
    expect(places.open.points).toHaveLength(72 * 6);
    expect(places.flipped.points).toHaveLength(10 * 6);
    expect(places.crossing.points).toHaveLength(found.selfIntersections * 2 * 9);
    expect(places.thin.shape).toBe('triangles');
    expect(Array.from(places.thin.points.slice(0, 3))).toEqual(Array.from(mesh.positions.slice(mesh.triangles[0] * 3, mesh.triangles[0] * 3 + 3)));
  });
});

describe('which axis is up', () => {
  test('turning to Z up and back is nothing; a table made with Y up is recognised, the same made with Z up is not', () => {
    const box = boxMesh(1, 2, 3).positions;
    const there = turnedToYUp(box);
    turnToZUp(there);
    expect(there).toEqual(box);
    // A cone-like part: a flat base below, a point above.
    const cone = {
      positions: Float64Array.of(0, 0, 0, 10, 0, 0, 10, 10, 0, 0, 10, 0, 5, 5, 12),
      triangles: Uint32Array.of(0, 2, 1, 0, 3, 2, 0, 1, 4, 1, 2, 4, 2, 3, 4, 3, 0, 4),
    };
    expect(looksYUp([cone])).toBe(false);
    expect(looksYUp([{ ...cone, positions: turnedToYUp(cone.positions) }])).toBe(true);
    expect(looksYUp([boxMesh(5, 5, 5)])).toBe(false);
  });
  test('a relief counts by the way that it faces', () => {
    const sheet = { positions: Float64Array.of(0, 0, 0, 10, 0, 1, 10, 10, 0, 0, 10, 1), triangles: Uint32Array.of(0, 1, 2, 0, 2, 3) };
    expect(looksYUp([sheet])).toBe(false);
    expect(looksYUp([{ ...sheet, positions: turnedToYUp(sheet.positions) }])).toBe(true);
  });
});
