import type { Finding } from '../base/finding.ts';
import type { Loss } from '../base/loss.ts';
import type { Drawing } from '../curves/drawing.ts';
import type { ReadChoices } from '../model/choices.ts';
import type { StatedFigures } from './step/stated.ts';
import type { MeshFile } from './mesh-file.ts';

/** What a file of exact solids says of itself, before its geometry is read. */
export interface ExactHeader {
  version: string;
  /** Name of its length unit; null when it has none that is known. */
  unit: string | null;
  /** How far places in the file may be off, as it states itself, mm. */
  uncertainty: number;
  /** What the sender measured of its products and wrote beside the geometry; absent for formats that have no place for it. */
  stated?: StatedFigures[];
  findings: Finding[];
}

/** A drawing as it was read. Lengths in mm when the file states a unit, else its bare numbers. */
export interface DrawingFile {
  version: string;
  unit: string | null;
  /** What the file says of inches or millimetres where it states no unit; null when it says nothing. */
  metric: boolean | null;
  drawing: Drawing;
  leftOut: Loss[];
  findings: Finding[];
  /** Several drawings of one file, each a part with its own findings and name (empty: that of the file); absent when there is one. */
  drawings?: { name: string; drawing: Drawing; findings: Finding[] }[];
}

/** Told now and then while a file of many drawings is read. */
export type ReadProgress = (share: number, what: string) => void;

/** How a format is read. Loaded when it is needed. */
export type Reader = (
  | { kind: 'solid'; header(bytes: Uint8Array): ExactHeader }
  | { kind: 'mesh'; read(bytes: Uint8Array): MeshFile }
  | { kind: 'drawing'; read(bytes: Uint8Array, choices: ReadChoices, progress?: ReadProgress): DrawingFile | Promise<DrawingFile> }
) & {
  /** Whether the first bytes say so; null for formats that only the ending tells. */
  looksLike: ((bytes: Uint8Array) => boolean) | null;
};

/** A format that is opened: what is known of it before anything is read, and where its reader is. */
export interface Format {
  /** What people call it. */
  id: string;
  endings: readonly string[];
  /** Whether its files say the unit of their numbers: always, some of them, or never. */
  unit: 'stated' | 'sometimes' | 'none';
  /** Meshes: whether the format says which axis is up. */
  saysUp?: boolean;
  /** Drawings: the unit that bare numbers are taken for, and in words. */
  bare?: { unit: string; words: string; believed: boolean };
  load(): Promise<Reader>;
}
