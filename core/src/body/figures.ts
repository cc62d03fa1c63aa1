import type { Box } from '../geometry/box.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { brepText, middleOfBody, sizeOfBody } from './brep.ts';
import { NotTaken, type Body } from './body.ts';
import { boxOfBody } from './extent.ts';
import { bodyOfBrep } from './from-brep.ts';
import { faceSums, together, type Sums } from './measured.ts';
import { checkCrossings, checkEdges } from './sound.ts';
import { trimmed } from './trim.ts';

/** What is known of a sound body: its figures in mm, mm2, mm3, and its BREP text. */
export interface BodyFigures {
  brep: string;
  box: Box;
  volume: number;
  area: number;
  centre: Vec3;
  faces: number;
  shells: number;
  /** How far edges lie off their vertices, neighbours and surfaces at most, mm. */
  gap: number;
}

/** A file's own statement of how far its places may be off is believed up to this share of a solid's size. */
const believed = 1e-4;

/**
 * Checks a body, measures it, and writes it as BREP text.
 * @throws NotTaken when anything of it would need healing or is of a kind that is not taken
 * @example bodyFigures(body).volume
 */
export function bodyFigures(body: Body): BodyFigures {
  const size = sizeOfBody(body);
  body.tolerance = Math.min(body.tolerance, believed * size);
  const trims = body.faces.map((face) => trimmed(body, face, size));
  const gap = trims.reduce((most, trim) => Math.max(most, trim.gap), checkEdges(body, size));
  for (const trim of trims) checkCrossings(trim);
  const from = middleOfBody(body);
  const sums = trims.map((trim) => faceSums(trim, from, size));
  checkShells(body, sums);
  return {
    brep: brepText(body, trims, size),
    box: boxOfBody(body, trims),
    ...together(sums, from),
    faces: body.faces.length,
    shells: body.shells.length,
    gap,
  };
}

/**
 * The area of each face of a solid by integrals over its exact surfaces, mm2; null where they are of a kind that is not taken.
 * @param brep BREP text
 * @example faceAreas(part.brep)?.[0]
 */
export function faceAreas(brep: string): number[] | null {
  try {
    const body = bodyOfBrep(brep);
    const size = sizeOfBody(body);
    const from = middleOfBody(body);
    return body.faces.map((face) => faceSums(trimmed(body, face, size), from, size).area);
  } catch (thrown) {
    if (thrown instanceof NotTaken || thrown instanceof RangeError) return null;
    throw thrown;
  }
}

/**
 * Checks faces that bound no solid, and writes them as BREP text.
 * @throws NotTaken as `bodyFigures` does
 */
export function openFigures(body: Body): { brep: string; faces: number; span: number } {
  const size = sizeOfBody(body);
  body.tolerance = Math.min(body.tolerance, believed * size);
  const trims = body.faces.map((face) => trimmed(body, face, size));
  checkEdges(body, size, false);
  for (const trim of trims) checkCrossings(trim);
  const { min, max } = boxOfBody(body, trims);
  return { brep: brepText(body, trims, size, false), faces: body.faces.length, span: Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]) };
}

/** The outer shell has its material within, those of hollows without. @throws NotTaken when one is inside out: the kernel turns it round */
function checkShells(body: Body, sums: readonly Sums[]): void {
  body.shells.forEach((faces, i) => {
    const volume = faces.reduce((sum, f) => sum + sums[f].volume, 0);
    if (!(i === 0 ? volume > 0 : volume < 0)) throw new NotTaken('inside-out');
  });
}
