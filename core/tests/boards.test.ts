/** Boards: layers and drill files as an independent reader sees them (gerber_read.py, Python and shapely, written from the published formats). */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { usualBoard } from '../src/boards/choice.ts';
import { makeBoard, type BoardMade } from '../src/boards/make.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { frontPanel } from './board.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'tall-kite-boards-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const script = fileURLToPath(new URL('readers/gerber_read.py', import.meta.url));

interface Read {
  file: string;
  kind: string;
  attr: Record<string, string[]>;
  area: number;
  box: number[];
  notes: string[];
  arcEndError?: number;
  outline?: [number, number][];
  tools?: Record<string, number>;
  holes?: number;
  slots?: number;
  error?: string;
}

/** What the independent reader makes of files, its arcs within a ten-millionth of a millimetre. */
function readElsewhere(files: readonly { file: string; bytes: Uint8Array }[], fine = 1e-7): Record<string, Read> {
  for (const f of files) writeFileSync(join(folder, f.file), f.bytes);
  const code = `import sys, runpy; sys.path.insert(0, ${JSON.stringify(join(script, '..'))}); import gerber_read as g; g.TOL = ${fine}; sys.argv = ['x'] + sys.argv[1:]; src = open(${JSON.stringify(script)}).read().split("if __name__")[1]; exec("if __name__" + src, {**vars(g), '__name__': '__main__'})`;
  const out = execFileSync('/usr/bin/python3', ['-c', code, ...files.map((f) => join(folder, f.file))], { encoding: 'utf8', maxBuffer: 1e8 });
  return Object.fromEntries(out.trim().split('\n').map((l) => JSON.parse(l) as Read).map((r) => [r.file.split('/').pop()!, r])); // prettier-ignore
}

describe('a front panel', () => {
  let made: BoardMade;
  let read: Record<string, Read>;
  beforeAll(async () => {
    made = await makeBoard(await nodeTools.engine(), frontPanel(), { choice: usualBoard, shop: null, name: 'panel', told: [] });
    read = readElsewhere(made.files.filter((f) => /\.(gbr|drl)$/.test(f.file)));
  });
  test('look', () => {
    console.log(made.contours.map((c) => `${c.layer}: ${c.meaning} (${c.why})`).join('\n'));
    console.log(JSON.stringify(made.evidence, null, 1));
    console.log(read);
  });
});
