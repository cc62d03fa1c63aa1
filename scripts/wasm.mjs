// npm run wasm: what is written in WebAssembly's text becomes bytes within a module of TypeScript. With "--check" it only says whether they are equal.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import openWabt from 'wabt';

const root = join(fileURLToPath(import.meta.url), '..', '..');
/** Every such text of the core. */
export const texts = ['core/src/reliefs/lift.wat'];

/** The module of TypeScript for a text. */
export async function moduleOf(text) {
  const wabt = await openWabt();
  const parsed = wabt.parseWat('text.wat', text, { simd: true });
  parsed.validate();
  const { buffer } = parsed.toBinary({});
  parsed.destroy();
  return `// Written by "npm run wasm" from the text beside it.\nexport const wasm =\n  '${Buffer.from(buffer).toString('base64')}';\n`;
}

if (process.argv[1] === fileURLToPath(import.meta.url))
  for (const text of texts) {
    const into = join(root, text.replace(/\.wat$/, '.wasm.ts'));
    const made = await moduleOf(readFileSync(join(root, text), 'utf8'));
    if (process.argv.includes('--check')) {
      if (readFileSync(into, 'utf8') !== made) throw new Error(`${text} and its bytes differ: npm run wasm`);
    } else writeFileSync(into, made);
  }
