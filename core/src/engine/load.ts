import Module from 'manifold-3d';
import type { Engine } from './engine.ts';

let started: Promise<Engine> | null = null;

/** The library in Node; starts once in a process, about 50 ms. */
export function nodeEngine(): Promise<Engine> {
  return (started ??= Module().then((engine) => {
    engine.setup();
    return engine;
  }));
}
