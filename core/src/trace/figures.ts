import type { PictureOrigin } from './origin.ts';
import type { RegularCounts } from './regular-words.ts';
import { areaOfTraced, type Traced } from './trace.ts';

/** What is told of contours before they are kept. */
export interface TracedFigures {
  contours: number;
  holes: number;
  pieces: number;
  /** mm2, or at 96 pixels an inch while no size is known. */
  area: number;
  sized: boolean;
  /** Pixels. */
  distance: PictureOrigin['distance'];
  /** Pixels in a millimetre. */
  perMm: number;
  regular: RegularCounts | null;
}

/** The figures of contours that were made of a picture. */
export function tracedFigures({ contours, holes, pieces, sized, regular, drawing }: Traced): TracedFigures {
  const { distance, perNumber } = drawing.picture;
  return { contours, holes, pieces, area: areaOfTraced(drawing.layers.flatMap((l) => l.contours)), sized, distance, perMm: perNumber, regular };
}
