import type Joi from 'joi';
import { Unusable, type Finding } from '../base/finding.ts';
import type { Command, Out } from '../command/command.ts';
import type { Options, Values } from '../command/option.ts';
import type { Rows } from '../geometry/rows.ts';
import type { DesignPart, Geometry, PartSummary } from '../model/design.ts';
import type { Keep, Tools } from '../pipeline/one-file.ts';
import type { Recipe } from '../recipe/recipe.ts';
import type { OperationReport } from './report.ts';

/** A part as an operation takes it: its shape in its own coordinates, its recipe, and where it stands among the others (mm). */
export interface OperationPart {
  id: string;
  summary: PartSummary;
  recipe: Recipe;
  place: Rows;
  geometry: Geometry;
  /** The bytes of the file that it came from; absent for what was made here. */
  source?: () => Promise<Uint8Array>;
}

/** Told now and then; true when the person gave up. */
export type Progress = (share: number, what: string) => boolean;

/** What an operation is given. Lengths of the request are mm of the finished part. */
export interface Work<R> {
  request: R;
  parts: readonly OperationPart[];
  tools: Tools;
  progress: Progress;
  /** Stores a file and gives its bytes back as they were stored. */
  keep: Keep;
}

/** A shape that came of it; its figures are measured when somebody keeps it. */
export interface Made {
  geometry: Geometry;
  part(): DesignPart;
}

/** What came of it. Made shapes take the part's place when there is one and `inPlace`; else they are new parts. */
export interface Outcome {
  report: OperationReport;
  made: Made[];
  inPlace: boolean;
  /** New parts come beside the old ones, which stay; else the old ones are left out. */
  beside?: boolean;
  /** Made of the sources once more: what an earlier reading left out says nothing of it. */
  anew?: true;
  /** Packed places of findings (see view), for a check. */
  places?: Uint8Array;
  /** Further figures for the command line. */
  about?: object;
}

/** Given up by the person: nothing is kept. */
export class Cancelled extends Unusable {
  constructor() {
    super('cancelled', 'Cancelled; nothing was changed.', 'Ask again when you like.');
  }
}

/** A field of the form that asks for a small operation on the page. `name` is the key in the request. */
export type Field =
  | { kind: 'length'; name: string; label: string; least: number; most: number; usual: number | null; optional?: true; about: string }
  | { kind: 'choice'; name: string; label: string; usual: string | number; words: readonly { value: string | number; label: string }[]; about: string };

/** A small operation asked for by a form of plain fields, on the join table. */
export interface Form {
  title: string;
  /** What comes of it, in a sentence. */
  about: string;
  /** The word on the button. */
  button: string;
  fields: readonly Field[];
  for: 'mesh or solid';
}

/** What a command line says of what came of it. */
export interface Told {
  json: object;
  said: readonly string[];
  findings?: readonly Finding[];
}

/** How an operation is asked for on the command line; the rest (reading, writing, proving, JSON) is the same for all. */
export interface Wording<R, O extends Options> extends Pick<Command, 'word' | 'takes' | 'least' | 'most' | 'does' | 'example'> {
  /** Several files: each part for itself ('parts'), or all of a file as one ('files'). One file is always one whole. */
  each?: 'parts' | 'files';
  out: Out;
  options: O;
  /** @throws Unusable when what was typed does not suffice. */
  request(asked: Values<O>): Omit<R, 'kind' | 'part' | 'parts'>;
  tell(done: Outcome, before: readonly OperationPart[], asked: Values<O> & { files: string[]; out: string }): Told;
  /** For a folder: what is put after the file's name for each shape that was made. */
  suffix?(done: Outcome, at: number, asked: Values<O>): string;
}

/** One thing that can be done to parts. A new one is a file like this and a line in `registry.ts`. */
export interface Operation<R extends { kind: string } = { kind: string }> {
  kind: R['kind'];
  /** As in "Undo mend hub". */
  verb: string;
  /** A proposal is kept or dropped by a person, or kept at once; a report or a file is only told. */
  gives: 'proposal' | 'kept at once' | 'report' | 'file';
  /** Checks a request that comes from outside, without its kind. */
  schema: Joi.ObjectSchema;
  /** The parts that a request is about. */
  parts(request: R): string[];
  run(work: Work<R>): Promise<Outcome>;
  form?: Form;
  command?: Wording<R, Options>;
}

/** A part of a request that names one part or several. */
export const onePart = (request: { part: string }): string[] => [request.part];
export const manyParts = (request: { parts: string[] }): string[] => request.parts;

/** An operation's wording with the types of its options. */
export const wording = <R, O extends Options>(it: Wording<R, O>): Wording<R, Options> => it as unknown as Wording<R, Options>;
