// Puts the kernel beside the worker that uses it, as separate files that anyone may replace (LGPL-2.1).
import { build } from 'esbuild';
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
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
// Letters: fonts unpacked (each under its own licence, beside it in its package), single lines, and what shapes them (MIT).
const letters = join(folder, 'letters');
mkdirSync(letters, { recursive: true });
const { families, standIns } = await import(join(root, 'core', 'dist', 'text', 'fonts.js'));
const { nodeLetters } = await import(join(root, 'core', 'dist', 'text', 'node-files.js'));
const outlines = [...families.flatMap((f) => (f.files ?? []).map((file) => [f.package, file])), ...standIns.map((s) => [s.package, s.file])];
for (const [from, file] of outlines) writeFileSync(join(letters, file.replace(/\.woff2$/, '.ttf')), await nodeLetters.outlines(from, file));
for (const { strokes } of families) if (strokes) copyFileSync(join(root, 'core', 'letters', `${strokes}.jhf`), join(letters, `${strokes}.jhf`));
const harfbuzz = join(root, 'node_modules', 'harfbuzzjs', 'dist');
writeFileSync(join(folder, 'harfbuzz.wasm'), readFileSync(join(harfbuzz, 'harfbuzz.wasm')));
copyFileSync(join(harfbuzz, '..', 'LICENSE'), join(folder, 'LICENSE-harfbuzz.txt'));
const bundled = { bundle: true, format: 'esm', target: 'es2022', minify: true, logLevel: 'warning' };
await build({
  ...bundled,
  entryPoints: [join(root, 'web', 'workers', 'letters.worker.ts')],
  outfile: join(folder, 'letters-worker.js'),
  external: ['module', 'wawoff2'],
});
// What decodes pictures in the page (Apache-2.0), each fetched when a picture of its kind is first traced.
for (const [name, file] of [
  ['jpeg', 'dec/mozjpeg_dec.wasm'],
  ['png', 'pkg/squoosh_png_bg.wasm'],
  ['webp', 'dec/webp_dec.wasm'],
]) {
  const codec = join(root, 'node_modules', '@jsquash', name, 'codec');
  copyFileSync(join(codec, file), join(folder, `${name}.wasm`));
  copyFileSync(join(codec, 'LICENSE.codec.md'), join(folder, `LICENSE-${name}.txt`));
}
await build({
  ...bundled,
  entryPoints: [join(root, 'web', 'workers', 'trace.worker.ts')],
  outfile: join(folder, 'trace-worker.js'),
});
await build({
  ...bundled,
  entryPoints: [join(root, 'web', 'workers', 'nest.worker.ts')],
  outfile: join(folder, 'nest-worker.js'),
});
await build({
  ...bundled,
  entryPoints: [join(root, 'web', 'workers', 'relief.worker.ts')],
  outfile: join(folder, 'relief-worker.js'),
});
await build({
  ...bundled,
  entryPoints: [join(root, 'web', 'workers', 'part.worker.ts')],
  outfile: join(folder, 'part-worker.js'),
  // Pictures, text and PDF are read on the server; what reads formats knows the way there, but a page never goes it.
  external: ['sharp', 'bmp-ts', 'harfbuzzjs', 'wawoff2', 'pdfjs-dist', '*/node-files.js'],
});
