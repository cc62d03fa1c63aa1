'use client';
import { wrap, type Remote } from 'comlink';
import type { PartWorker } from '@/workers/part.worker.ts';

let made: Remote<PartWorker> | null = null;

/** The worker that does the heavy work of the light table; one for the page, started when first asked for. */
export function partWorker(): Remote<PartWorker> {
  return (made ??= wrap<PartWorker>(new Worker('/kernel/part-worker.js', { type: 'module' })));
}
