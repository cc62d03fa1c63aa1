import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { binaryStl } from '../src/formats/stl/write.ts';
import type { Mesh } from '../src/geometry/mesh.ts';
import { run } from './cli.data.ts';

/** "spread" on a mesh as an STL file in mm, to DXF in a folder of its own: its JSON, or the sentence of a refusal. */
export function spreadCommandOn(mesh: Mesh): (...args: string[]) => string {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kite-spread-'));
  const file = join(folder, 'surface.stl');
  writeFileSync(file, Buffer.concat([...binaryStl(mesh, 1, 'surface')]));
  return (...args) => {
    const { stdout, stderr } = run('spread', file, '--from-unit', 'mm', '--format', 'dxf', '--out', folder, '--json', ...args);
    return stdout + stderr;
  };
}
