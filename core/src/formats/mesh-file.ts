import type { Finding } from '../base/finding.ts';
import { Unusable } from '../base/finding.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Rows } from '../geometry/rows.ts';

/** A mesh of a file with what the file says of it. Coordinates in the file's own unit unless `unit` of the file is null. */
export interface MeshFilePart {
  name: string | null;
  /** Names above it in the file, from the top down. */
  above: string[];
  partNumber: string | null;
  colour: string | null;
  mesh: Mesh;
  /** Where copies of it stand (12 numbers, mm); one identity when the file does not place parts. */
  places: Rows[];
  /** For each place the names above it, where the file hangs one mesh in several branches; absent: `above` for all. */
  aboveEach?: string[][];
}

/** What a mesh format's reader gives. */
export interface MeshFile {
  version: string;
  /** Unit that the file states; its numbers are turned into mm then. Null: numbers as they stand. */
  unit: string | null;
  parts: MeshFilePart[];
  findings: Finding[];
}

/** Entities that were not taken, listed with their count. */
export function leftOut(counts: Map<string, number>, remedy: string): Finding[] {
  const total = [...counts.values()].reduce((a, b) => a + b, 0);
  if (total === 0) return [];
  const list = [...counts].map(([name, count]) => `${count.toLocaleString('en')} ${name}`).join(', ');
  return [{ code: 'left-out', severity: 'look', count: total, message: `Left out: ${list}.`, remedy }];
}

/** Parts of several colours: a part has one here. */
export const coloursLost = (parts: number): Finding => ({
  code: 'colours-lost',
  severity: 'look',
  count: parts,
  message: `${parts === 1 ? 'A part has' : `${parts.toLocaleString('en')} parts have`} several colours; one colour a part is kept, so files made from ${parts === 1 ? 'it' : 'them'} lack the others.`,
  remedy: 'The shape is whole. If the colours matter, divide the part by colour where it was made.',
});

/** Faces that name vertices which are not there. */
export const badFaces = (count: number): Finding => ({
  code: 'bad-faces',
  severity: 'stop',
  count,
  message: `${count.toLocaleString('en')} faces name vertices that are not there and were left out.`,
  remedy: 'Export the part again; the places they left are open edges now.',
});

/** A file that goes on after all that it counts: what follows may be the rest of the part. */
export const goesOn = (what: string): Finding => ({
  code: 'goes-on',
  severity: 'look',
  count: 1,
  message: `The file goes on after the ${what} that it counts; what follows was left out.`,
  remedy: 'Check that the part is whole, or export it again.',
});

/** A file with nothing to make. */
export const noFaces = (points: boolean): Finding => ({
  code: 'no-triangles',
  severity: 'stop',
  count: 1,
  message: points ? 'The file has points but no faces.' : 'The file has no faces.',
  remedy: 'Export a mesh, not a cloud of points.',
});

/**
 * Names a number that is written with a comma: read as it stands it would be cut off at the comma.
 * @throws Unusable for a word such as "1,5".
 */
export function decimalComma(word: string): void {
  if (!/^[-+]?\d*,\d+(?:e[-+]?\d+)?$/i.test(word)) return;
  throw new Unusable(
    'decimal-comma',
    `The file writes its numbers with a decimal comma ("${word.slice(0, 20)}"), where its format asks for a point.`,
    'Set the program that made it, or the computer it ran on, to decimal points, and export it again.',
  );
}

/** Names of every kind of text as UTF-8, or as Latin-1 when they are none. */
export function textOf(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return new TextDecoder('latin1').decode(bytes);
  }
}

/** A colour of three channels from 0 to 255 as #rrggbb. */
export function hexColour(r: number, g: number, b: number): string {
  return `#${[r, g, b]
    .map((c) =>
      Math.round(Math.min(255, Math.max(0, c)))
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`;
}
