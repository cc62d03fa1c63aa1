import type { Engine } from 'tall-kite/engine/engine';

let started: Promise<Engine> | null = null;

/** The library for contours and booleans, a separate file beside the worker that anyone may replace; fetched when it is first needed. */
export function engine(): Promise<Engine> {
  return (started ??= (async () => {
    const script = new URL('./manifold.js', self.location.href).href;
    const { default: start } = await import(/* @vite-ignore */ script);
    const made = (await start({ locateFile: () => new URL('./manifold.wasm', self.location.href).href })) as Engine;
    made.setup();
    return made;
  })());
}
