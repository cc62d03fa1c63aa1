import type { Skip } from 'tall-kite/release/misfit';
import type { TreeNode } from 'tall-kite/model/design';
import { Worker } from 'node:worker_threads';
import { availableParallelism, totalmem } from 'node:os';
import { bytesText } from 'tall-kite/base/figures';
import { Unusable, type Finding } from 'tall-kite/base/finding';
import { idsNow, type Ids } from '../standing/log.ts';
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
  /** Whether its thread had done nothing before: then nothing but this work can have hurt it. */
  fresh: boolean;
  resolve(value: unknown): void;
  reject(reason: unknown): void;
  progress(share: number, what: string): void;
}

/**
 * Designs that one thread reads before a new one takes its place, if none was refused before. The kernel leaves some 28 kB a file
 * behind, and a damaged file can hurt it inside so that a later, readable one turns in circles (4 of 9,300 in a fuzz run).
 */
const mostReads = 300;

/** What a thread may cost. */
export interface HeavyLimits {
  /** A computation may say nothing for so long, ms, before it counts as lost. */
  silenceMs: number;
  /** The same for reading a design, and for each MB of its file. */
  readSilenceMs: number;
  readSilencePerMbMs: number;
  /** Memory of the whole process with which a computation is ended, bytes. */
  memory: number;
  /** A thread with nothing to do for so long is ended, ms: its kernels hold some hundred MB. The next call starts one within a second. */
  idleMs: number;
}

/** Half of the machine's memory among the workers that are usual for it; no less than a large design needs, no more than a thread can use. */
const usualMemory = (): number => Math.min(8e9, Math.max(2e9, (0.5 * totalmem()) / Math.min(4, Math.max(2, Math.floor(availableParallelism() / 2)))));

export const usualLimits = (): HeavyLimits => ({
  silenceMs: 15 * 60_000,
  readSilenceMs: 90_000,
  readSilencePerMbMs: 10_000,
  memory: Number(process.env.MEMORY_MB) >= 500 ? Number(process.env.MEMORY_MB) * 1e6 : usualMemory(),
  idleMs: 60_000,
});

/** How often memory is looked at while something is computed, ms. */
const lookEvery = 250;

/** A silent computation has had this share of its time at work when it counts as turning in circles; one that hardly works is waited for so many times longer. */
const workingShare = 0.8;
const mostWaits = 10;

/** Time that this process has worked, all its threads together, ms. */
function cpuMs(): number {
  const { user, system } = process.cpuUsage();
  return (user + system) / 1000;
}

/** A computation that ended without a word of its own. */
export class Lost extends Unusable {
  /** Whether a fresh thread may do it: this one had done other work before, which can have hurt it. */
  readonly again: boolean;
  constructor(code: 'heavy-crashed' | 'heavy-silent' | 'heavy-memory', message: string, remedy: string, again: boolean) {
    super(code, message, remedy);
    this.again = again;
  }
}

/**
 * A thread for kernel work, so that the queue's own connection and heartbeat are never held up. When the thread dies, says nothing for too long
 * (damaged input can make a kernel turn in circles) or takes too much memory, it is ended, the calls it held are refused, and the next call starts a
 * new one.
 */
export class HeavyThread {
  private worker: Worker | null = null;
  private readonly waiting = new Map<number, Waiting>();
  private next = 1;
  private reads = 0;
  /** Calls that this thread was given. */
  private given = 0;
  private readonly dataDir: string;
  private readonly limits: HeavyLimits;
  private rest: NodeJS.Timeout | undefined;
  private watch: NodeJS.Timeout | undefined;

  constructor(dataDir: string, limits: Partial<HeavyLimits> = {}) {
    this.dataDir = dataDir;
    this.limits = { ...usualLimits(), ...limits };
  }

  /** Whether a thread is there. */
  get running(): boolean {
    return this.worker !== null;
  }

  /** Ends the thread when nothing is asked of it for a while. */
  private restSoon(): void {
    clearTimeout(this.rest);
    if (this.waiting.size > 0) return;
    clearInterval(this.watch);
    this.watch = undefined;
    this.rest = setTimeout(() => void this.close(), this.limits.idleMs);
    this.rest.unref();
  }

  /** Ends a thread that says nothing any more. */
  private silent(worker: Worker, limit: number): void {
    const after = limit < 120_000 ? `${Math.round(limit / 1000)} s` : `${Math.round(limit / 60_000)} minutes`;
    this.end(worker, (fresh) => new Lost('heavy-silent', `This was given up: nothing was heard of it for ${after}.`, 'Bring the design in again in smaller pieces, or as another format.', !fresh)); // prettier-ignore
  }

  /** Ends a thread that takes more memory than it may. */
  private lookAtMemory(worker: Worker): void {
    if (process.memoryUsage.rss() <= this.limits.memory) return;
    this.end(worker, (fresh) => new Lost('heavy-memory', `This was given up: it took more than ${bytesText(this.limits.memory)} of memory.`, 'Bring the design in with fewer parts or coarser at a time, or give the workers more memory with MEMORY_MB.', !fresh)); // prettier-ignore
  }

  private end(worker: Worker, why: (fresh: boolean) => Lost): void {
    void worker.terminate();
    this.gone(worker, why);
  }

  /** A thread is no more: what it held is refused, and the next call starts a new one. */
  private gone(worker: Worker, why: (fresh: boolean) => Lost): void {
    if (this.worker !== worker) return;
    this.worker = null;
    clearInterval(this.watch);
    this.watch = undefined;
    const held = [...this.waiting.values()];
    this.waiting.clear();
    for (const waiting of held) waiting.reject(why(waiting.fresh));
  }

  call<K extends keyof Work>(kind: K, request: Work[K]['request'], progress: (share: number, what: string) => void = () => {}): Promise<Work[K]['result']> {
    const reads = kind === 'read' || kind === 'shelve';
    if (reads && ++this.reads > mostReads && this.waiting.size === 0) {
      void this.close();
      this.reads = 1;
    }
    clearTimeout(this.rest);
    const worker = (this.worker ??= this.start());
    this.watch ??= setInterval(() => this.lookAtMemory(worker), lookEvery);
    const id = this.next++;
    const fresh = this.given++ === 0;
    const { silenceMs, readSilenceMs, readSilencePerMbMs } = this.limits;
    const limit = reads ? readSilenceMs + readSilencePerMbMs * ((request as ReadRequest).bytes / 1e6) : silenceMs;
    return new Promise((resolve, reject) => {
      let watch: NodeJS.Timeout;
      let [since, used] = [0, 0];
      // Time that this process had is counted, not time that passed: on a busy machine everything takes longer.
      const check = () => {
        const had = cpuMs() - used;
        if (had >= limit * workingShare || performance.now() - since >= limit * mostWaits) this.silent(worker, limit);
        else watch = setTimeout(check, Math.max(1, limit - had));
      };
      const alive = () => {
        clearTimeout(watch);
        [since, used] = [performance.now(), cpuMs()];
        watch = setTimeout(check, limit);
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
      this.waiting.set(id, { fresh, resolve: ended(resolve as (value: unknown) => void), reject: ended(reject), progress: heard });
      worker.postMessage({ id, kind, request, ids: idsNow() } satisfies { id: number; kind: K; request: unknown; ids: Ids });
    });
  }

  async close(): Promise<void> {
    clearTimeout(this.rest);
    clearInterval(this.watch);
    this.watch = undefined;
    const worker = this.worker;
    this.worker = null;
    await worker?.terminate();
  }

  private start(): Worker {
    this.given = 0;
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
    const crashed = (why: string) =>
      this.gone(worker, (fresh) => new Lost('heavy-crashed', `The computation stopped (${why}).`, 'Try once more; a design too large for the memory has to be brought in in pieces.', !fresh)); // prettier-ignore
    worker.on('error', (error) => crashed(error.message));
    worker.on('exit', (code) => code !== 0 && crashed(`exit code ${code}`));
    return worker;
  }
}
