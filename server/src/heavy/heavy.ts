import type { Skip } from 'tall-kite/release/misfit';
import type { TreeNode } from 'tall-kite/model/design';
import { Worker } from 'node:worker_threads';
import { Unusable, type Finding } from 'tall-kite/base/finding';
import type { ReadChoices } from 'tall-kite/model/choices';
import type { PartSummary } from 'tall-kite/model/design';
import type { Evidence } from 'tall-kite/prove/evidence';
import type { Receiver } from 'tall-kite/receivers/receivers';
import type { Recipe } from 'tall-kite/recipe/recipe';

import type { MadeFile } from 'tall-kite/release/make';
import type { ReleaseRow } from 'tall-kite/release/plan';
import type { ReleasePart } from '../releases/tables.ts';
import type { OperationResult } from '../operations/requests.ts';
import type { OperateRequest } from './operate.ts';
import type { ShelveRequest, ShelveResult } from './shelve.ts';

export interface ReadRequest {
  sha256: string;
  fileName: string;
  bytes: number;
  choices: ReadChoices | null;
}

export interface ReadResult {
  format: string;
  version: string;
  unit: string | null;
  tree: TreeNode[];
  findings: Finding[];
  /** Per part: its figures, and the hashes of its geometry and its view mesh in the store. */
  parts: { summary: PartSummary; findings: Finding[]; geometry: string; view: string }[];
}

export interface WriteRequest {
  summary: PartSummary;
  geometry: string;
  recipe: Recipe;
}

export interface WriteResult {
  fileName: string;
  sha256: string;
  bytes: number;
  evidence: Evidence;
}

/** A row of a release with its parts' own findings. */
export type MakeRequest = Omit<ReleaseRow, 'parts'> & { parts: ReleasePart[] };
export type MakeResult = { made: MadeFile; skipped?: undefined } | { skipped: Skip; made?: undefined };

/** Bytes that came to a receiver's inbox. */
export interface ReceiveRequest {
  sha256: string;
  fileName: string;
  receiver: Receiver;
}

/** What the stand-in understood: `accepted` is false when it can't or won't use the file. */
export interface ReceiveResult {
  accepted: boolean;
  /** In one sentence: what it understood, or why it refused. */
  said: string;
  remedy: string;
}

export interface Work {
  make: { request: MakeRequest; result: MakeResult };
  receive: { request: ReceiveRequest; result: ReceiveResult };
  read: { request: ReadRequest; result: ReadResult };
  shelve: { request: ShelveRequest; result: ShelveResult };
  write: { request: WriteRequest; result: WriteResult };
  operate: { request: OperateRequest; result: OperationResult };
}

/** What the thread sends back: progress any number of times, then a result or a failure. */
export interface Answer {
  id: number;
  result?: unknown;
  failure?: { code: string; message: string; remedy: string };
  progress?: { share: number; what: string };
}

interface Waiting {
  resolve(value: unknown): void;
  reject(reason: unknown): void;
  progress(share: number, what: string): void;
}

/**
 * Designs that one thread reads before a new one takes its place, if none was refused before. The kernel leaves some 28 kB a file
 * behind, and a damaged file can hurt it inside so that a later, readable one turns in circles (4 of 9,300 in a fuzz run).
 */
const mostReads = 300;

/** A thread with nothing to do for so long is ended, ms: its kernels hold some hundred MB. The next call starts one within a second. */
const idleTime = 60_000;

/** So long a computation may say nothing before it counts as lost, ms. The file or task then goes to a fresh thread. */
const silence = 15 * 60_000;
/** The same for reading, which says nothing at all: in general, and for each MB of the file. */
const readSilence = 3 * 60_000;
const readSilencePerMb = 10_000;

/**
 * A thread for kernel work, so that the queue's own connection and heartbeat are never held up. When the thread dies
 * (a kernel can run out of memory) or says nothing for too long (damaged input can make a kernel turn in circles), the calls it
 * held are refused and the next call starts a new one.
 */
export class HeavyThread {
  private worker: Worker | null = null;
  private readonly waiting = new Map<number, Waiting>();
  private next = 1;
  private reads = 0;
  private readonly dataDir: string;

  private readonly silence: number | null;
  private readonly idle: number;
  private rest: NodeJS.Timeout | undefined;

  /**
   * @param silenceMs how long a computation may say nothing before it counts as lost; null for the usual times.
   * @param idleMs how long the thread is kept with nothing to do.
   */
  constructor(dataDir: string, silenceMs: number | null = null, idleMs = idleTime) {
    this.dataDir = dataDir;
    this.silence = silenceMs;
    this.idle = idleMs;
  }

  /** Whether a thread is there. */
  get running(): boolean {
    return this.worker !== null;
  }

  /** Ends the thread when nothing is asked of it for a while. */
  private restSoon(): void {
    clearTimeout(this.rest);
    if (this.waiting.size > 0) return;
    this.rest = setTimeout(() => void this.close(), this.idle);
    this.rest.unref();
  }

  /** Ends a thread that says nothing any more. */
  private lost(worker: Worker): void {
    void worker.terminate();
    this.gone(worker, 'it said nothing for too long');
  }

  /** A thread is no more: what it held is refused, and the next call starts a new one. */
  private gone(worker: Worker, why: string): void {
    if (this.worker !== worker) return;
    this.worker = null;
    const held = [...this.waiting.values()];
    this.waiting.clear();
    for (const waiting of held) {
      waiting.reject(
        new Unusable('heavy-crashed', `The computation stopped (${why}).`, 'Try once more; a design too large for the memory has to be brought in in pieces.'),
      );
    }
  }

  call<K extends keyof Work>(kind: K, request: Work[K]['request'], progress: (share: number, what: string) => void = () => {}): Promise<Work[K]['result']> {
    const reads = kind === 'read' || kind === 'shelve';
    if (reads && ++this.reads > mostReads && this.waiting.size === 0) {
      void this.close();
      this.reads = 1;
    }
    clearTimeout(this.rest);
    const worker = (this.worker ??= this.start());
    const id = this.next++;
    const limit = this.silence ?? (reads ? readSilence + readSilencePerMb * ((request as ReadRequest).bytes / 1e6) : silence);
    return new Promise((resolve, reject) => {
      let watch: NodeJS.Timeout;
      const alive = () => {
        clearTimeout(watch);
        watch = setTimeout(() => this.lost(worker), limit);
      };
      const ended = (how: (value: unknown) => void) => (value: unknown) => {
        clearTimeout(watch);
        how(value);
      };
      const heard = (share: number, what: string) => {
        alive();
        progress(share, what);
      };
      alive();
      this.waiting.set(id, { resolve: ended(resolve as (value: unknown) => void), reject: ended(reject), progress: heard });
      worker.postMessage({ id, kind, request });
    });
  }

  async close(): Promise<void> {
    clearTimeout(this.rest);
    const worker = this.worker;
    this.worker = null;
    await worker?.terminate();
  }

  private start(): Worker {
    const worker = new Worker(new URL('./thread.js', import.meta.url), { workerData: { dataDir: this.dataDir } });
    worker.on('message', ({ id, result, failure, progress }: Answer) => {
      const waiting = this.waiting.get(id);
      if (progress) return waiting?.progress(progress.share, progress.what);
      this.waiting.delete(id);
      // A file that was refused may have hurt the kernel: the next one gets a fresh thread.
      if (failure) this.reads = mostReads;
      if (failure) waiting?.reject(new Unusable(failure.code, failure.message, failure.remedy));
      else waiting?.resolve(result);
      this.restSoon();
    });
    worker.on('error', (error) => this.gone(worker, error.message));
    worker.on('exit', (code) => code !== 0 && this.gone(worker, `exit code ${code}`));
    return worker;
  }
}
