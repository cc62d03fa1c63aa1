import { execFileSync, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, test } from 'vitest';

const program = fileURLToPath(new URL('../bin/tall-kite.mjs', import.meta.url));
const data = (name: string) => fileURLToPath(new URL(`./data/${name}`, import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'tall-kite-cli-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const run = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [program, ...args], { encoding: 'utf8' });
  return { status, stdout, stderr };
};

describe('tall-kite inspect', () => {
  test('one JSON document with the contract of the README; exit code 0 for a clear file', () => {
    const { status, stdout, stderr } = run('inspect', data('cube-in.step'), '--json');
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
    expect(execFileSync(process.execPath, [program, '--help'], { encoding: 'utf8' })).toContain('tall-kite write FILE');
    expect(existsSync(program)).toBe(true);
  });
});
