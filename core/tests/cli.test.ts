import { createHash } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, test } from 'vitest';
import { run, runProgram } from './cli.data.ts';

const data = (name: string) => fileURLToPath(new URL(`./data/${name}`, import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-cli-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
describe('tall-kite inspect', () => {
  test('one JSON document with the contract of the README; exit code 0 for a clear file', () => {
    const { status, stdout, stderr } = runProgram('inspect', data('cube-in.step'), '--json');
    expect(status).toBe(0);
    expect(stderr).toBe('');
    const [file] = JSON.parse(stdout).files;
    expect(file).toMatchObject({ format: 'STEP', version: 'AP214', unit: 'in', findings: [] });
    const [part] = file.parts;
    expect(part).toMatchObject({ kind: 'solid', quantity: 1, faces: 6, triangles: null, openEdges: null, shells: 1 });
    expect(part.box.max[0] - part.box.min[0]).toBeCloseTo(1000, 5);
  });
  test('several files, one of them broken: all are reported, the worst decides', () => {
    const broken = join(folder, 'broken.stl');
    writeFileSync(broken, readFileSync(data('Helix.stl')).subarray(0, 9000));
    const { status, stdout } = run('inspect', data('Helix.stl'), broken, data('Spider_binary.stl'), '--json');
    expect(status).toBe(2);
    const { files } = JSON.parse(stdout);
    expect(files[0]).toMatchObject({ unit: null, parts: [{ triangles: 500, openEdges: 0, faces: null }] });
    expect(files[1]).toMatchObject({ parts: [], findings: [{ code: 'cut-off', severity: 'stop' }] });
    expect(files[2].parts[0]).toMatchObject({ shells: 18, openEdges: 72, flippedEdges: 10, degenerateTriangles: 56 });
  });
});

describe('tall-kite write', () => {
  test('a file whose hash, length and evidence are as it says', () => {
    const out = join(folder, 'out');
    const { status, stdout } = run('write', data('as1-oc-214.stp'), '--format', 'stl', '--deviation', '0.05', '--part', 'bolt', '--out', out, '--json');
    expect(status).toBe(0);
    const [row, ...others] = JSON.parse(stdout).written;
    expect(others).toEqual([]);
    const bytes = readFileSync(row.file);
    expect(row.bytes).toBe(bytes.length);
    expect(bytes.length).toBe(84 + 50 * bytes.readUInt32LE(80));
    expect(row.sha256).toBe(createHash('sha256').update(bytes).digest('hex'));
    expect(row.evidence.map((c: { quantity: string }) => c.quantity)).toContain('Volume');
    const deviation = row.evidence.find((c: { quantity: string }) => c.quantity === 'Deviation');
    expect(deviation.received).toBeLessThanOrEqual(0.05);
    expect(readdirSync(out)).toEqual(['bolt_mm.stl']);
  });
  test('inches in and out: --from-unit and --unit', () => {
    const out = join(folder, 'inch');
    const { stdout } = run('write', data('Helix.stl'), '--format', 'stl', '--from-unit', 'in', '--unit', 'in', '--out', out, '--json');
    const [row] = JSON.parse(stdout).written;
    // The numbers in the file are the same again, so the printer, which takes them for mm, is told apart from the design.
    expect(row.verdict).toBe('stop');
    expect(row.evidence[0].designed / row.evidence[0].received).toBeCloseTo(25.4, 6);
  });
  test('unusable input: exit code 2, a sentence, nothing half-written', () => {
    for (const args of [
      ['write', 'nowhere.step', '--out', folder],
      ['write', data('Helix.stl')],
      ['write', data('Helix.stl'), '--deviation', 'fine', '--out', folder],
      ['frobnicate'],
      ['inspect'],
      ['write', data('Helix.stl'), '--part', 'none', '--out', folder],
    ]) {
      // prettier-ignore
      const { status, stdout, stderr } = run(...args);
      expect(status).toBe(2);
      expect(stdout).toBe('');
      expect(stderr).toMatch(/^[A-Z"-].+\. .+/);
    }
    const { stdout } = run('write', data('Helix.stl'), '--part', 'none', '--out', folder, '--json');
    expect(JSON.parse(stdout).error.code).toBe('no-such-part');
    expect(readdirSync(folder).filter((f) => f.endsWith('.part'))).toEqual([]);
  });
  test('--help says what there is', () => {
    expect(runProgram('--help')).toMatchObject({ status: 0, stdout: expect.stringContaining('tall-kite write FILE') });
  });
});

describe('shaping on the command line', () => {
  const json = (...args: string[]) => {
    const { status, stdout, stderr } = run(...args, '--json');
    expect(stderr).toBe('');
    return { status, ...JSON.parse(stdout) };
  };
  const out = (name: string) => join(folder, 'shaped', name);
  test('mend: steps, before and after, measured deviation; the file is closed when it is read again', () => {
    const made = json('mend', data('Spider_binary.stl'), '--out', out('spider.stl'));
    // Mended it is closed; it is 6 mm small, and a printer of 0.4 mm beads leaves its thin places out.
    expect(made).toMatchObject({
      status: 1,
      verdict: 'look',
      left: [],
      before: { degenerateTriangles: 56, openEdges: 72, shells: 18, flippedEdges: 10 },
      after: { openEdges: 0, closed: true },
    });
    expect(made.moved).toBeLessThan(0.0018);
    expect(json('inspect', out('spider.stl')).files[0].parts[0]).toMatchObject({ openEdges: 0, shells: 1, nonManifoldEdges: 0 });
    // What can not be mended is said, and the code is 2.
    const left = json('mend', data('sphereWithHole.stl'), '--holes', 'none', '--out', out('hole.stl'));
    expect(left.status).toBe(2);
    expect(left.left[0]).toMatch(/9 open edges/);
  });
  test('join, subtract, common: volumes of two cubes in metres and inches', () => {
    // Both cubes are 1000 mm and stand on the same place.
    const cubes = [data('cube-m.step'), data('cube-in.step')];
    expect(json('join', ...cubes, '--out', out('join.3mf')).after.volume).toBeCloseTo(1e9, -2);
    expect(json('common', ...cubes, '--out', out('common.obj')).after.volume).toBeCloseTo(1e9, -2);
    const { status, stdout } = run('subtract', ...cubes, '--out', out('none.stl'), '--json');
    expect(status).toBe(2);
    expect(JSON.parse(stdout).error.code).toBe('nothing-left');
  });
  test('divide gives a file a shell; their volumes add up', () => {
    const made = json('divide', data('dm1-oc-214.stp'), '--out', out('shells'), '--deviation', '0.05');
    expect(made.written).toHaveLength(7);
    expect(made.written.every((w: { verdict: string }) => w.verdict === 'clear')).toBe(true);
    // The reference volume of dm1 is 108453.85 mm3; facets of 0.05 mm lose little of it.
    expect(Math.abs(made.volume / 108453.85 - 1)).toBeLessThan(0.005);
  });
  test('lighten: at most as many triangles, the distance measured; one limit is needed', () => {
    const made = json('lighten', data('Helix.stl'), '--triangles', '300', '--out', out('light.ply'));
    expect(made.after.triangles).toBeLessThanOrEqual(300);
    expect(made.after.closed).toBe(true);
    expect(made.deviation.measured).toBeGreaterThan(0);
    expect(run('lighten', data('Helix.stl'), '--out', out('x.stl')).stderr).toContain('either --triangles or --deviation');
    expect(run('mend', data('Helix.stl'), '--out', out('x.doc')).stderr).toContain('ends in no format');
  });
  test('stances are ranked with figures; slice agrees with the volume', () => {
    const { stances } = json('stances', data('screw.step'));
    expect(stances[0].rank).toBe(1);
    for (let i = 1; i < stances.length; i++) expect(stances[i].cost).toBeGreaterThanOrEqual(stances[i - 1].cost);
    const sliced = json('slice', data('Helix.stl'), '--layer', '0.2');
    const sum = sliced.layers.reduce((n: number, l: { area: number }) => n + l.area * 0.2, 0);
    // 108197 mm3: the reference figure of Helix.stl.
    expect(Math.abs(sum / 108197 - 1)).toBeLessThan(0.01);
    expect(sliced.report.openLayers).toBe(0);
  });
  test('write in every format, each proved from its bytes', () => {
    for (const format of ['3mf', 'obj', 'ply', 'step']) {
      const made = json('write', data('as1-oc-214.stp'), '--format', format, '--part', 'bolt', '--out', out('formats'));
      expect(made.written[0].file).toMatch(new RegExp(`bolt_mm\\.${format}$`));
      expect(made.written[0].evidence.filter((c: { verdict: string }) => c.verdict !== 'clear')).toEqual([]);
    }
  });
});

describe('drawings on the command line', () => {
  const untidy = join(folder, 'untidy.dxf');
  const line = (...[a, b, c, d]: number[]) => [0, 'LINE', 8, 'cut', 10, a, 20, b, 11, c, 21, d];
  writeFileSync(
    untidy,
    `${[0, 'SECTION', 2, 'ENTITIES', ...line(0, 0, 50, 0), ...line(50.02, 0, 50, 30), ...line(50, 30, 0, 30), ...line(0, 30, 0, 0), ...line(10, 30, 20, 30), 0, 'CIRCLE', 8, 'cut', 10, 25, 20, 15, 40, 5, 0, 'RAY', 8, 'x', 10, 0, 20, 0, 0, 'ENDSEC', 0, 'EOF'].join('\n')}\n`,
  );
  test('inspect: contours, gaps, holes, doubles, segments, and what was left out', () => {
    const { status, stdout } = run('inspect', untidy, '--json');
    expect(status).toBe(2);
    const [file] = JSON.parse(stdout).files;
    const [part] = file.parts;
    expect(part).toMatchObject({
      kind: 'drawing',
      contours: 3,
      openContours: 2,
      holes: 0,
      doubles: 1,
      crossings: 0,
      unit: null,
      segments: { line: 5, arc: 1 },
    });
    expect(part.gaps[0]).toBeCloseTo(0.02, 9);
    expect(part.layers).toEqual([{ name: 'cut', colour: null, contours: 3 }]);
    expect(file.leftOut).toEqual([{ what: 'RAY', count: 1, why: 'a line without end can not be cut' }]);
    const [inches] = JSON.parse(run('inspect', untidy, '--from-unit', 'in', '--json').stdout).files[0].parts;
    expect(inches.length).toBeCloseTo(part.length * 25.4, 6);
  });
  test('write: gaps joined, version and kerf as asked, evidence and exit code; receive tells what a machine understood', () => {
    const { status, stdout } = run(
      'write',
      untidy,
      '--format',
      'dxf',
      '--dxf-version',
      'R12',
      '--join-gaps',
      '0.05',
      '--kerf',
      '0.2',
      '--out',
      folder,
      '--json',
    );
    expect(status).toBe(1);
    const [written] = JSON.parse(stdout).written;
    expect(written).toMatchObject({ format: 'dxf', verdict: 'look' });
    expect(written.evidence.find((c: { quantity: string }) => c.quantity === 'Holes')).toMatchObject({ designed: 1, received: 1 });
    expect(readFileSync(written.file, 'latin1')).toContain('AC1009');
    const got = JSON.parse(run('receive', written.file, '--as', 'laser', '--json').stdout);
    expect(got).toMatchObject({ as: 'laser', version: 'R12', takenAs: 'mm', openContours: 1, holes: 1 });
    expect(got.diameters[0]).toBeCloseTo(9.8, 9);
    expect(got.order.map((o: { meaning: string }) => o.meaning)).toEqual(['hole', 'cut', 'cut']);
  });
  test('a section of a solid, as SVG and PDF, and a raised drawing', () => {
    const section = run('write', data('as1-oc-214.stp'), '--part', 'plate', '--section', 'z=10', '--format', 'svg', '--out', folder, '--json');
    expect(section.status).toBe(0);
    expect(JSON.parse(section.stdout).written[0].evidence.find((c: { quantity: string }) => c.quantity === 'Circles, diameters')).toMatchObject({
      received: '6 × 10',
    });
    expect(run('write', data('as1-oc-214.stp'), '--part', 'plate', '--view', 'top', '--format', 'pdf', '--out', folder).status).toBe(0);
    const raised = run('raise', join(folder, 'plate_mm.svg'), '--thickness', '4', '--out', join(folder, 'raised.stl'), '--json');
    expect(raised.status).toBe(0);
    expect(JSON.parse(raised.stdout).volume / ((180 * 150 - 150 * Math.PI) * 4)).toBeCloseTo(1, 3);
  });
  test.each([
    [['write', untidy, '--format', 'dxf', '--dxf-version', '2004', '--out', folder], /dxf-version must be one of R12, 2000, 2018/],
    [['write', untidy, '--format', 'dxf', '--view', 'top', '--out', folder], /is a drawing already/],
    [['write', untidy, '--format', 'stl', '--out', folder], /flat and has no facets/],
    [['receive', untidy, '--as', 'plotter'], /as must be one of/],
    [['raise', untidy, '--out', join(folder, 'x.stl')], /needs a thickness/],
    [['raise', data('Helix.stl'), '--thickness', '3', '--out', join(folder, 'x.stl')], /holds no drawing/],
  ] as [string[], RegExp][])('%j is refused in words', (args, words) => {
    const { status, stderr } = run(...args);
    expect(status).toBe(2);
    expect(stderr).toMatch(words);
  });
});
