import type { TraceChoice } from './choice.ts';
import type { RegularCounts } from './regular-words.ts';

/** What a drawing keeps of the picture that it was made of. */
export interface PictureOrigin {
  width: number;
  height: number;
  /** Pixels (y down) to the drawing's own numbers: 3 x 3, row by row. */
  map: number[];
  choice: TraceChoice;
  /** Which picture of which page of its file it is; absent where the file is the picture. Both from 1 on. */
  within?: { page: number; picture: number };
  /** The level that was used, 0 to 1; null for ways without one. */
  level: number | null;
  /** How far the picture's edge lies off the contours, pixels; and how far corners reach beyond the edge that the pixels show. */
  distance: { mean: number; largest: number; beyond: number };
  /** How near the edge was followed, pixels. */
  near: number;
  /** What is regular within what the picture tells; null: it was not looked for. Absent in what was traced before. */
  regular?: RegularCounts | null;
  /** Pixels in one of the drawing's numbers. */
  perNumber: number;
  /** Places on the picture's edge, xy in the drawing's own numbers: what the contours of a file are held against. */
  edge: number[];
}

declare module '../curves/drawing.ts' {
  interface Drawing {
    /** The picture that it was made of, while its contours are those of the picture. */
    picture?: PictureOrigin;
  }
}
