import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import vm from 'node:vm';
import { pathToFileURL } from 'node:url';
import type { Kernel } from './kernel.ts';

const require = createRequire(import.meta.url);
let opening: Promise<Kernel> | null = null;
let working: Promise<Kernel> | null = null;

/**
 * The build that opens designs (STEP with tree, names, colours). Starts once in a process, about 3 s.
 * Its binding functions are made when first called: made at once they take 10 s more.
 */
export function openingKernel(): Promise<Kernel> {
  return (opening ??= startOpening());
}

/** The build that does everything on one part: facets, booleans, writing. Starts once, about half a second. */
export function workingKernel(): Promise<Kernel> {
  return (working ??= startWorking());
}

async function startOpening(): Promise<Kernel> {
  const folder = dirname(require.resolve('opencascade.js/dist/opencascade.full.js'));
  const file = join(folder, 'opencascade.full.js');
  const source = lazyBindings(readFileSync(file, 'utf8')).replace(/export default Module;?\s*$/, 'Module');
  const globals = globalThis as Record<string, unknown>;
  globals.require ??= require;
  globals.__dirname ??= folder;
  const factory = vm.runInThisContext(source, { filename: file });
  const compiled = await WebAssembly.compile(readFileSync(join(folder, 'opencascade.full.wasm')));
  const before = new Set([...process.listeners('uncaughtException'), ...process.listeners('unhandledRejection')]);
  const kernel = await new factory({
    print: () => {},
    printErr: () => {},
    instantiateWasm: (imports: WebAssembly.Imports, done: (instance: WebAssembly.Instance) => void) => {
      void WebAssembly.instantiate(compiled, imports).then(done);
      return {};
    },
  });
  dropListeners(before);
  return kernel;
}

/** The kernel's start-up script hangs its own handlers on the process; ours stay the only ones. */
function dropListeners(before: Set<unknown>): void {
  for (const listener of process.listeners('uncaughtException')) {
    if (!before.has(listener)) process.off('uncaughtException', listener);
  }
  for (const listener of process.listeners('unhandledRejection')) {
    if (!before.has(listener)) process.off('unhandledRejection', listener);
  }
}

/** Makes the generated binding functions on first call instead of at start (measured: 13 s down to 3 s). */
function lazyBindings(source: string): string {
  const once = 'function craftInvokerFunction(n,a,c,i,t){var f;return function(){f||(f=craftInvokerFunctionNow(n,a,c,i,t));return f.apply(this,arguments)}}';
  const named = 'function createNamedFunction(name,body){name=makeLegalFunctionName(name);return {[name]:function(){return body.apply(this,arguments)}}[name]}';
  return source
    .replace('function craftInvokerFunction(', () => `${once}function craftInvokerFunctionNow(`)
    .replace(/function createNamedFunction\(name,body\)\{.*?\)\(body\)\}/s, () => named);
}

async function startWorking(): Promise<Kernel> {
  const script = require.resolve('replicad-opencascadejs').replace(/\.cjs$/, '.js');
  const wasm = require.resolve('replicad-opencascadejs/wasm');
  const { default: start } = await import(pathToFileURL(script).href);
  return start({ wasmBinary: readFileSync(wasm), print: () => {}, printErr: () => {} });
}

/** Both kernels of this process, for readers that ask for one when they need it. */
export const nodeKernels = { opening: openingKernel, working: workingKernel };
