/** What the command line makes ready: check, place, relief, hollow, cut, drill, compare, layout, stances --apply. */
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { commands } from '../src/cli/commands.ts';
import { parse } from '../src/command/parse.ts';
import { main } from '../src/cli/main.ts';
import { readPly } from '../src/formats/ply/read.ts';
import { readStl } from '../src/formats/stl/read.ts';
import { boxOf } from '../src/geometry/box.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { fileURLToPath } from 'node:url';

const dataPath = (name: string) => fileURLToPath(new URL(`./data/${name}`, import.meta.url));
let folder = '';
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'tall-kite-ready-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const out = (name: string) => join(folder, name);
const rod = dataPath('faults/rod.stl');
const hollow = dataPath('faults/hollow.stl');

interface Told {
  code: number;
  json: ReturnType<typeof JSON.parse>;
  err: string;
}

async function run(...args: string[]): Promise<Told> {
  let text = '';
  let err = '';
  const code = await main(
    [...args, '--json'],
    (t) => (text += t),
    (t) => (err += t),
  );
  return { code, json: JSON.parse(text || '{}'), err };
}
const meshOf = (name: string) => readStl(readFileSync(out(name))).blocks[0].mesh;

describe('place', () => {
  test('a known length gives the factor and its name; steps run in one order, and the bytes hold the result', async () => {
    const { json } = await run('place', rod, '--out', out('a.stl'), '--known-length', 'x=63.5', '--turn', 'z=90', '--centre', '--move', '1,2,3', '--drop');
    expect(json.factor).toBeCloseTo(2.54, 9);
    expect(json.factorName).toBe('the numbers are inches, read as centimetres');
    const { min, max } = boxOf(meshOf('a.stl').positions);
    // 25 x 4 x 4 times 2.54, turned: 10.16 along X, 63.5 along Y; moved from the middle, then set down.
    [1 - 5.08, 2 - 31.75, 0].forEach((v, k) => expect(min[k]).toBeCloseTo(v, 4));
    [1 + 5.08, 2 + 31.75, 10.16].forEach((v, k) => expect(max[k]).toBeCloseTo(v, 4));
    expect((await run('place', rod, '--out', out('b.stl'), '--known-length', 'y=101.6')).json.factorName).toBe('the numbers are inches');
    expect((await run('place', rod, '--out', out('b.stl'), '--scale', '1.01')).json.factorName).toBeNull();
  });
  test('mirrored: the same volume, right side out, on the other side of zero', async () => {
    await run('place', rod, '--out', out('m.stl'), '--mirrored', 'x');
    expect(measureMesh(meshOf('m.stl')).volume).toBeCloseTo(400, 3);
    expect(boxOf(meshOf('m.stl').positions)).toMatchObject({ min: [-20, 13, 13], max: [5, 17, 17] });
  });
  test('told nothing, or nonsense, it says what to type', async () => {
    expect((await run('place', rod, '--out', out('n.stl'))).json.error).toMatchObject({ code: 'nothing-to-do' });
    for (const [name, text] of [['turn', 'w=90'], ['turn', 'z'], ['known-length', 'x=-4'], ['move', '1,2'], ['mirrored', 'q'], ['scale', '0']]) expect((await run('place', rod, '--out', out('n.stl'), `--${name}=${text}`)).code).toBe(2); // prettier-ignore
  });
});

describe('cut, drill, hollow, relief', () => {
  test('two halves of a hollow cube hold its volume, and the hollow with it', async () => {
    const { code, json } = await run('cut', hollow, '--plane', 'z=15', '--out', out('cut'));
    expect(code).toBeLessThan(2);
    // 30 x 30 less 20 x 20; half of 19000 each.
    expect(json.area).toBeCloseTo(500, 6);
    expect(json.volumes.above).toBeCloseTo(9500, 4);
    expect(json.volumes.below).toBeCloseTo(9500, 4);
    const pegs = await run('cut', hollow, '--plane', '0,0,1=15', '--pegs', '2x3x4', '--clearance', '0.1', '--keep', 'below', '--out', out('pegs'));
    expect(pegs.json.written).toHaveLength(1);
    expect(pegs.json.volumes.below).toBeCloseTo(9500 + 2 * Math.PI * 1.5 ** 2 * 4, 0);
    expect((await run('cut', hollow, '--plane', 'z=99', '--out', out('cut'))).json.error.code).toBe('plane-misses');
    expect((await run('cut', hollow, '--out', out('cut'))).json.error.code).toBe('no-plane');
  });
  test('a drilled hole takes out a cylinder; through it all, the part has a hole; beside it, it is said', async () => {
    const blind = await run('drill', rod, '--at', '10,15,17', '--axis', '-z', '--diameter', '2', '--depth', '3', '--out', out('d.stl'));
    expect(blind.json.before - blind.json.after).toBeCloseTo(Math.PI * 3, 2);
    await run('drill', rod, '--at', '10,15,17', '--diameter', '2', '--depth', '4.5', '--out', out('t.stl'));
    expect(measureMesh(meshOf('t.stl')).volume).toBeCloseTo(400 - Math.PI * 4, 2);
    const boss = await run('drill', rod, '--at', '10,15,17', '--axis', 'z', '--diameter', '2', '--depth', '3', '--boss', '--out', out('p.stl'));
    expect(boss.json.after - boss.json.before).toBeCloseTo(Math.PI * 3, 1.5);
    expect((await run('drill', rod, '--at', '90,0,0', '--diameter', '2', '--depth', '3', '--out', out('x.stl'))).json.error.code).toBe('misses');
  });
  test('hollow: the wall is what was asked for, the volume known; too thick a wall is said', async () => {
    const { json } = await run('hollow', rod, '--wall', '1', '--out', out('h.stl'));
    expect(json.thinnest).toBeGreaterThan(0.99);
    expect(json.hollow).toBeCloseTo(23 * 2 * 2, -1);
    expect(measureMesh(meshOf('h.stl')).volume).toBeCloseTo(400 - json.hollow, 2);
    expect(json.findings).toMatchObject([{ code: 'no-drain', severity: 'look' }]);
    const drained = await run('hollow', rod, '--wall', '1', '--drain', '1', '--drains', '2', '--out', out('h2.stl'));
    expect(drained.json.drains).toHaveLength(2);
    expect(drained.json.findings).toEqual([]);
    expect((await run('check', out('h2.stl'))).json.parts[0].roles).toMatchObject([{ role: 'outer' }]);
    expect((await run('hollow', rod, '--wall', '2.1', '--out', out('h.stl'))).json.error.code).toBe('nowhere-thick');
  });
  test('relief: thickened or closed to a base, the volume of a flat square is known', async () => {
    const flat = out('flat.obj');
    (await import('node:fs')).writeFileSync(flat, 'v 0 0 2\nv 10 0 2\nv 10 10 2\nv 0 10 2\nf 1 2 3 4\n');
    await run('relief', flat, '--up', 'z', '--thicken', '1.5', '--out', out('r.stl'));
    expect(measureMesh(meshOf('r.stl')).volume).toBeCloseTo(150, 4);
    await run('relief', flat, '--up', 'z', '--base', '-3', '--margin', '1', '--out', out('r.stl'));
    expect(measureMesh(meshOf('r.stl')).volume).toBeCloseTo(8 * 8 * 5, 3);
    expect((await run('relief', flat, '--out', out('r.stl'))).json.error.code).toBe('which-relief');
  });
});

describe('check and compare', () => {
  test('check says what each shell is, and shows no volume where there is none', async () => {
    const part = async (name: string) => (await run('check', dataPath(`faults/${name}`))).json.parts[0];
    const roles = async (name: string) => (await part(name)).roles.map((r: { role: string }) => r.role);
    expect(await roles('captive.stl')).toEqual(['outer', 'void', 'island']);
    expect(await roles('two_one_inverted.stl')).toContain('inside-out');
    expect(await part('hollow.stl')).toMatchObject({ volume: expect.closeTo(19000, 3), thickness: { least: expect.closeTo(5, 3) } });
    expect((await part('seam_gap.stl')).volume).toBeNull();
    expect((await part('cross_spheres.stl')).volume).toBeNull();
    expect((await run('check', dataPath('faults/cross_spheres.stl'))).code).toBe(2);
  });
  test('write stops what goes through itself and shells inside out, and tells what shells are', async () => {
    for (const [name, code] of [
      ['cross_spheres', 'shells-overlap'],
      ['mpi', 'self-intersections'],
      ['two_one_inverted', 'shell-inside-out'],
    ] as const) {
      // prettier-ignore
      const written = await run('write', dataPath(`faults/${name}.stl`), '--format', 'stl', '--out', out('w'));
      expect(written.code).toBe(2);
      expect(written.json.written[0].findings.map((f: { code: string }) => f.code)).toContain(code);
      expect(existsSync(out(`w/${name}_mm.stl`))).toBe(false);
    }
    const inspected = await run('inspect', dataPath('faults/captive.stl'));
    expect(inspected.json.files[0].findings.map((f: { message: string }) => f.message).join()).toMatch(/1 body, 1 hollow inside, 1 body in a hollow/);
  });
  test('compare: a rod moved by 0.25 mm is 0.25 apart; a limit just above clears, just below stops; colours run from blue to red', async () => {
    await run('place', rod, '--move', '0,0,0.25', '--out', out('moved.stl'));
    const { json, code } = await run('compare', rod, out('moved.stl'), '--out', out('c.ply'));
    expect(code).toBe(0);
    expect(json.largest).toBeCloseTo(0.25, 5);
    const ply = readFileSync(out('c.ply'));
    expect(readPly(ply).parts[0].mesh.triangles).toHaveLength(36);
    expect(ply.toString('latin1')).toMatch(/property uchar red/);
    expect((await run('compare', rod, out('moved.stl'), '--deviation', '0.2501')).code).toBe(0);
    expect((await run('compare', rod, out('moved.stl'), '--deviation', '0.2499')).code).toBe(2);
    expect((await run('compare', rod, out('moved.stl'), '--out', out('c.stl'))).err).toMatch(/Let --out end in .ply/);
  });
});

describe('layout and stances', () => {
  test('copies go to as many beds as they need; what fits none is said', async () => {
    // The bed of Wren is 143 x 89: with 2 between them, hollow cubes of 30 stand 4 by 2.
    const { json } = await run('layout', hollow, '--copies', '9', '--receiver', 'wren', '--out', out('beds'));
    expect(json.beds).toBe(2);
    expect(json.laid).toHaveLength(9);
    expect(json.written.map((w: { verdict: string }) => w.verdict)).toEqual(['clear', 'clear']);
    await run('place', rod, '--scale', '20', '--out', out('long.stl'), '--even-so');
    const big = await run('place', rod, '--scale', '9', '--receiver', 'heron', '--out', out('big.stl'));
    expect(big.code).toBeLessThan(2);
    expect((await run('layout', out('big.stl'), '--receiver', 'wren', '--out', out('beds'))).json.error.code).toBe('fits-no-bed');
  });
  test('stances --apply writes the part standing as it was ranked', async () => {
    const list = (await run('stances', rod)).json.stances;
    const { json } = await run('stances', rod, '--apply', '1', '--out', out('s.stl'));
    expect(json.applied).toEqual(list[0]);
    const { min, max } = boxOf(meshOf('s.stl').positions);
    expect(min[2]).toBeCloseTo(0, 6);
    expect(max[2] - min[2]).toBeCloseTo(list[0].height, 4);
    expect((await run('stances', rod, '--apply', '99', '--out', out('s.stl'))).json.error.code).toBe('no-such-stance');
    expect((await run('stances', rod, '--apply', '1')).json.error.message).toMatch(/needs a file/);
  });
  test('what begins with a dash is a value where one is due', () => {
    expect(parse(commands, ['drill', rod, '--out', 'a.stl', '--axis', '-x', '--at', '-1,2,3'])).toMatchObject({ asked: { axis: [-1, 0, 0], at: [-1, 2, 3] } });
    expect(parse(commands, ['relief', rod, '--out', 'a.stl', '--base', '-5'])).toMatchObject({ asked: { base: -5 } });
  });
});
