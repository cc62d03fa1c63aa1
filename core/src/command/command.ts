import { Unusable, type Severity } from '../base/finding.ts';
import type { Options, Values } from './option.ts';

/** What a command has to say: for programs, for people, and for the exit code. */
export interface Report {
  json: unknown;
  text: string;
  severities: Severity[];
}

/** Where a command writes: `needed` when it can't do without. */
export interface Out {
  kind: 'folder' | 'file';
  needed: boolean;
  /** Endings that the file may have. */
  endings: readonly string[];
}

/** What was typed, checked. `out` is "" when nothing is written. */
export type Asked<O extends Options> = Values<O> & { files: string[]; out: string };

/** One word of the command line with all that belongs to it; help, reference and reading of what is typed come from this. */
export interface Command<O extends Options = Options> {
  word: string;
  /** What stands after the word, like "IN" or "A B...". */
  takes: string;
  /** How many of it. */
  least: number;
  most: number;
  /** What is said when nothing stands after the word; the usual sentence names a file. */
  nothing?: Unusable;
  out: Out | null;
  options: O;
  /** What it does, in a sentence or two. */
  does: string;
  /** What is typed after "tall-kite" for an example; files are those of the demo. */
  example: string;
  run(asked: Asked<O>): Promise<Report>;
}

/** A command with the types of its options; for the list of commands. */
export const command = <O extends Options>(it: Command<O>): Command => it as unknown as Command;

/** Endings of meshes and exact solids that are written. */
export const solidEndings = ['stl', '3mf', 'obj', 'ply', 'step', 'stp'] as const;

export const toFile: Out = { kind: 'file', needed: true, endings: solidEndings };
export const toFolder: Out = { kind: 'folder', needed: true, endings: [] };

/** The ending of a file name without its dot, in small letters. */
export const endingOf = (file: string): string => /\.([a-z0-9]+)$/i.exec(file)?.[1].toLowerCase() ?? '';
