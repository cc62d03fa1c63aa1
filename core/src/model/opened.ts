import type { Finding } from '../base/finding.ts';
import { Unusable } from '../base/finding.ts';
import type { Box } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { TreeNode } from './design.ts';

/** One different solid of a design, with every place where it occurs. */
export interface SolidPart {
  name: string;
  /** Names from the top of the tree down to the first occurrence, its own name last. */
  path: string[];
  quantity: number;
  /** sRGB colour as #rrggbb, when the file gives one. */
  colour: string | null;
  /** BREP text in the part's own coordinates, mm. */
  brep: string;
  box: Box;
  volume: number;
  area: number;
  /** Centre of volume, mm. */
  centre: [number, number, number];
  faces: number;
  shells: number;
  /** 12 numbers an occurrence: rows of rotation and shift, mm. */
  places: number[][];
  /** For each occurrence the names above it in the tree, from the top down. */
  above: string[][];
  /** How far apart edges of its faces were when they were sewn, at most, mm; absent where nothing was sewn. */
  sewnWithin?: number;
  /** How far edges lie off their vertices and neighbours at most, mm; absent where it was not looked for. */
  gap?: number;
}

/** Faces that were sewn together and still leave an opening: no solid. BREP text in mm. */
export interface OpenSurface {
  /** Null where the file gives none. */
  name: string | null;
  brep: string;
  faces: number;
  /** Diagonal of its box, mm. */
  span: number;
}

/** Triangles that a file of exact solids holds in their place, mm. */
export interface OpenedMesh {
  /** Its number in the file. */
  id: number;
  name: string;
  colour: string | null;
  mesh: Mesh;
  /** 12 numbers an occurrence, and for each the names above it. */
  places: number[][];
  above: string[][];
}

/** What an exact design holds, however it was opened. */
export interface OpenedStep {
  tree: TreeNode[];
  parts: SolidPart[];
  surfaces: OpenSurface[];
  meshes?: OpenedMesh[];
  findings: Finding[];
}

/** Nesting deeper than this is refused, and so are more occurrences of solids. */
const deepest = 64;
const mostOccurrences = 20_000;
const mostNodes = 200_000;

/** @throws Unusable when an assembly is nested too deep */
export function heldDepth(depth: number): void {
  if (depth > deepest) throw new Unusable('too-deep', `The assembly is nested more than ${deepest} levels deep.`, 'Export a smaller piece of it.');
}

/** @throws Unusable when a design has too many solids */
export function heldOccurrences(count: number): void {
  if (count > mostOccurrences)
    throw new Unusable('too-many-parts', `The design has more than ${mostOccurrences.toLocaleString('en')} solids.`, 'Export a smaller piece of it.');
}

/** @throws Unusable when a design's tree has too many places, whether anything hangs there or not */
export function heldNodes(count: number): void {
  if (count > mostNodes)
    throw new Unusable('too-many-parts', `The design's tree has more than ${mostNodes.toLocaleString('en')} places.`, 'Export a smaller piece of it.');
}

/** Names that a translator gives when the program that called it gave none; they tell nobody what the part is. */
export const nobodysName = /\bSTEP translator\b|^(SOLID|COMPOUND|SHELL|PART|ASSEMBLY|NONE|NAUO\d+|\d+|\s*)$/i;

/** What a part is called that nobody gave a name: the reader of designs calls it by its file then. */
export const nameless = 'Solid';

/** The product's own name; where a translator left none, the name of its place in the tree. */
export const namedFrom = (given: string | null, instance: string | null): string =>
  [given, instance].find((name) => name !== null && !nobodysName.test(name)) ?? given ?? instance ?? 'Part';

/** To the nanometre: the kernel widens some boxes by its confusion distance of 1e-7 mm. */
export function rounded(value: number): number {
  // No minus before a nought.
  return Math.round(value * 1e6) / 1e6 + 0;
}

/** What a design shows besides solids and surfaces, or about them, and nothing is made of. */
export interface LeftOut {
  curves: number;
  points: number;
  notes: number;
  /** Faces with another colour than the one that their part gets. */
  colours?: number;
  /** Shapes of triangles beside the exact ones that they stand for. */
  pictures?: number;
  /** Planes and round surfaces that nothing bounds. */
  endless?: number;
  /** Shapes that the file hides, and that were taken. */
  hidden?: number;
}

/** Tells what nothing is made of, and what was taken though the file hides it. */
export function leftOutFindings({ curves, points, notes, colours = 0, pictures = 0, endless = 0, hidden = 0 }: LeftOut): Finding[] {
  const counted = (n: number, one: string, several: string) => `${n.toLocaleString('en')} ${n === 1 ? one : several}`;
  const nothing = (code: string, count: number, what: string): Finding => ({
    code,
    severity: 'look',
    count,
    message: `Left out: ${count.toLocaleString('en')} ${what}.`,
    remedy: 'Nothing is made of them here.',
  });
  const all: Finding[] = [
    nothing('curves-left-out', curves, 'curves that bound no face'),
    nothing('points-left-out', points, 'single points'),
    nothing('notes-left-out', notes, 'notes and dimensions'),
    nothing('endless-left-out', endless, 'planes and round surfaces that nothing bounds'),
    {
      code: 'face-colours',
      severity: 'clear',
      count: colours,
      message: `${counted(colours, 'face has', 'faces have')} another colour than ${colours === 1 ? 'its' : 'their'} part: a part has one colour here.`,
      remedy: 'Where colours of faces say something, keep the original beside the files.',
    },
    {
      code: 'pictures-left-out',
      severity: 'clear',
      count: pictures,
      message: `${counted(pictures, 'shape', 'shapes')} of triangles beside exact ones of the same product ${pictures === 1 ? 'was taken for its picture' : 'were taken for their pictures'} and left out.`,
      remedy: '',
    },
    {
      code: 'hidden-taken',
      severity: 'look',
      count: hidden,
      message: `The file hides ${counted(hidden, 'shape', 'shapes')}; ${hidden === 1 ? 'it was' : 'they were'} taken like those that it shows.`,
      remedy: 'Leave out the parts that are not meant, or delete what is hidden before exporting.',
    },
  ];
  return all.filter((f) => f.count > 0);
}

/** What came of faces that belong to no solid. */
export interface Loose {
  /** Faces of no solid. */
  faces: number;
  /** Whether they were wanted. */
  taken: boolean;
  /** Solids that came of them, and how far apart edges were that were sewn at most, mm. */
  sewn: number;
  within: number;
  /** Closed shells among them that are hollows of others. */
  hollows?: number;
  /** Surfaces that stay open. */
  open: number;
}

/** Tells what came of faces that belong to no solid. */
export function looseFindings({ faces, taken, sewn, within, hollows = 0, open }: Loose): Finding[] {
  const counted = (n: number) => n.toLocaleString('en');
  const told = (code: string, count: number, message: string, remedy: string): Finding[] =>
    count === 0 ? [] : [{ code, severity: 'look', count, message, remedy }];
  return [
    ...told(
      'sewn',
      sewn,
      `${counted(faces)} loose faces were sewn where their edges lie within ${Number(within.toPrecision(2))} mm; ${counted(sewn)} of what came of them ${sewn === 1 ? 'is a closed solid' : 'are closed solids'}${hollows > 0 ? `, with ${counted(hollows)} ${hollows === 1 ? 'hollow' : 'hollows'} in them` : ''}.`,
      'Check that nothing is missing.',
    ),
    ...told(
      'loose-faces',
      taken ? 0 : faces,
      `${counted(faces)} faces belong to no solid and were left out of the parts.`,
      'Bring the file in again with surfaces taken, or sew them in the program that made them.',
    ),
    ...told(
      'surfaces-open',
      open,
      `${counted(open)} of the surfaces ${open === 1 ? 'is' : 'are'} open and came as a mesh.`,
      'Close them on the Soundness step, or thicken them under Join and divide.',
    ),
  ];
}

/** Solids that were not wanted. */
export function solidsLeftOut(count: number): Finding[] {
  const message = `${count.toLocaleString('en')} solids were left out, as chosen before reading.`;
  return count === 0 ? [] : [{ code: 'solids-left-out', severity: 'look', count, message, remedy: 'Bring the file in again with solids taken.' }];
}

/** A design without a solid. @param open whether surfaces came of it */
export function noSolids(open: boolean): Finding {
  return {
    code: 'no-solids',
    severity: open ? 'look' : 'stop',
    count: 1,
    message: 'The design holds no solid.',
    remedy: open ? 'Its open surfaces came as meshes.' : 'Export it as solids, not as wires or a picture.',
  };
}

/** Shares of the size within which edges of loose faces are sewn, one after another until something closes. Common practice, no source. */
export const sewShares = [1e-6, 1e-5, 1e-4];
