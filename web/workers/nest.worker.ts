import { expose } from 'comlink';
import { Unusable } from 'tall-kite/base/finding';
import type { NestChoice } from 'tall-kite/cutlist/how';
import type { Nest, NestedSheet } from 'tall-kite/cutlist/nested';
import { clashesOf, pushedSheets, type Clashes } from 'tall-kite/cutlist/by-hand';
import { nestRows, type LockedPart } from 'tall-kite/cutlist/nest-rows';
import type { CutRow } from 'tall-kite/cutlist/row';
import { engine } from './engine.ts';

/** A result is shown at most so often, ms. */
const pause = 150;

export type Searched = { nest: Nest } | { failed: { message: string; remedy: string } };

/** Laying of parts on sheets; to stop it the worker is ended, and the page keeps the last result it was told. */
const worker = {
  async search(rows: CutRow[], choice: NestChoice, locked: LockedPart[], better: (nest: Nest, share: number) => void): Promise<Searched> {
    try {
      let last = 0;
      const told = (nest: Nest, share: number) => {
        if (performance.now() - last < pause) return;
        last = performance.now();
        better(nest, share);
      };
      return { nest: nestRows(rows, choice, await engine(), { better: told, locked }) };
    } catch (thrown) {
      if (thrown instanceof Unusable) return { failed: { message: thrown.message, remedy: thrown.remedy } };
      return { failed: { message: 'The parts could not be laid on sheets.', remedy: 'Check sizes and spacing, and try again.' } };
    }
  },
  async clashes(rows: CutRow[], sheets: NestedSheet[], choice: NestChoice): Promise<Clashes[]> {
    return clashesOf(rows, sheets, choice, await engine());
  },
  async push(rows: CutRow[], sheets: NestedSheet[], choice: NestChoice): Promise<NestedSheet[]> {
    return pushedSheets(rows, sheets, choice, await engine());
  },
};

export type NestWorker = typeof worker;
expose(worker);
