// Puts the kernel beside the worker that uses it, as separate files that anyone may replace (LGPL-2.1).
import { build } from 'esbuild';
import { copyFileSync, mkdirSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { root } from './machine.mjs';

const require = createRequire(import.meta.url);
const folder = join(root, 'web', 'public', 'kernel');
mkdirSync(folder, { recursive: true });
const dist = dirname(require.resolve('replicad-opencascadejs'));
for (const name of ['replicad_single.js', 'replicad_single.wasm']) copyFileSync(join(dist, name), join(folder, name));
copyFileSync(join(dist, '..', 'LICENSE'), join(folder, 'LICENSE.txt'));
// The library for booleans and contours (Apache-2.0), fetched by the worker when it is first needed.
const manifold = dirname(require.resolve('manifold-3d/manifold.wasm'));
for (const name of ['manifold.js', 'manifold.wasm']) copyFileSync(join(manifold, name), join(folder, name));
copyFileSync(join(manifold, 'LICENSE'), join(folder, 'LICENSE-manifold.txt'));
await build({
  entryPoints: [join(root, 'web', 'workers', 'part.worker.ts')],
  outfile: join(folder, 'part-worker.js'),
  bundle: true,
  // Pictures are decoded on the server; what reads formats knows the way there, but a page never goes it.
  external: ['sharp', 'bmp-ts'],
  format: 'esm',
  target: 'es2022',
  minify: true,
  logLevel: 'warning',
});
