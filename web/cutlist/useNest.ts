'use client';
import { proxy, wrap, type Remote } from 'comlink';
import { useCallback, useEffect, useRef, useState } from 'react';
import type { NestChoice } from 'tall-kite/cutlist/how';
import type { Nest, NestedSheet } from 'tall-kite/cutlist/nested';
import type { Clashes } from 'tall-kite/cutlist/by-hand';
import type { LockedPart } from 'tall-kite/cutlist/nest-rows';
import type { CutRow } from 'tall-kite/cutlist/row';
import type { NestWorker, Searched } from '@/workers/nest.worker.ts';

const start = (): { worker: Worker; remote: Remote<NestWorker> } => {
  const worker = new Worker('/kernel/nest-worker.js', { type: 'module' });
  return { worker, remote: wrap<NestWorker>(worker) };
};

/** A search at work, with how far it is. */
export interface Searching {
  share: number;
  best: Nest | null;
}

/** Searches for a nest in a worker of the page, shows each better one, and can be stopped at any time with the best so far. */
export function useNest() {
  const [searching, setSearching] = useState<Searching | null>(null);
  const [failed, setFailed] = useState<{ message: string; remedy: string } | null>(null);
  const running = useRef<{ worker: Worker; stop: (best: Nest | null) => void; best: Nest | null } | null>(null);
  useEffect(() => () => running.current?.worker.terminate(), []);
  /** The nest that was found; null when it failed or was stopped before there was one. */
  const search = useCallback(async (rows: CutRow[], choice: NestChoice, locked: LockedPart[]): Promise<Nest | null> => {
    running.current?.worker.terminate();
    const { worker, remote } = start();
    setFailed(null);
    setSearching({ share: 0, best: null });
    const stopped = new Promise<Nest | null>((resolve) => (running.current = { worker, stop: resolve, best: null }));
    const better = proxy((nest: Nest, share: number) => {
      if (running.current?.worker !== worker) return;
      running.current.best = nest;
      setSearching({ share, best: nest });
    });
    const found = remote.search(rows, choice, locked, better).then((done) => {
      const result = done as Searched;
      if ('nest' in result) return result.nest;
      setFailed(result.failed);
      return null;
    });
    const nest = await Promise.race([found, stopped]);
    worker.terminate();
    running.current = null;
    setSearching(null);
    return nest;
  }, []);
  const stop = useCallback(() => running.current?.stop(running.current.best), []);
  return { searching, failed, search, stop };
}

let checker: Remote<NestWorker> | null = null;

/** Parts moved left and down until each is as near to the next as may be. */
export function pushed(rows: CutRow[], sheets: NestedSheet[], choice: NestChoice): Promise<NestedSheet[]> {
  checker ??= start().remote;
  return checker.push(rows, sheets, choice) as Promise<NestedSheet[]>;
}

/** What clashes among parts that were moved by hand; null while it is looked at. */
export function useClashes(rows: CutRow[], sheets: NestedSheet[] | null, choice: NestChoice): Clashes[] | null {
  const [found, setFound] = useState<Clashes[] | null>(null);
  useEffect(() => {
    if (!sheets) return;
    let old = false;
    setFound(null);
    const timer = setTimeout(() => {
      checker ??= start().remote;
      void (checker.clashes(rows, sheets, choice) as Promise<Clashes[]>).then((c) => !old && setFound(c)).catch(() => {});
    }, 120);
    return () => {
      old = true;
      clearTimeout(timer);
    };
  }, [rows, sheets, choice]);
  return found;
}
