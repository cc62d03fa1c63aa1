import { clustersOf, fromGround, groundOf, hexOf, labelsOf, onWhite, shareOf } from './colours.ts';
import type { TraceChoice } from './choice.ts';
import { darkestOf, noiseOf, otsu, sauvola, sides } from './levels.ts';
import { brightness, withRim, type Picture, type Signal } from './picture.ts';

/** What one layer of a drawing is followed in. */
export interface Ink {
  name: string;
  colour: string | null;
  signal: Signal;
  /** Only boundaries against the ground, no holes. */
  outerOnly: boolean;
}

/** Spread of brightness (0 to 1) below which a part of a picture holds no edge. */
const leastContrast = 0.04;

/** What lies inside by the way that was chosen: one layer, or one a colour. */
export function signalsOf(picture: Picture, choice: TraceChoice): Ink[] {
  const { width, height } = picture;
  switch (choice.way) {
    case 'brightness':
    case 'strokes': {
      const bright = brightness(picture, choice.mixed === 'light');
      const level = choice.level ?? otsu(bright);
      const values = withRim(bright, width, height, !choice.invert);
      return [ink({ values, width, height, level: choice.invert ? level : 1 - level, halfway: choice.level === null, name: 'Contours' })];
    }
    case 'adaptive': {
      const bright = brightness(picture, choice.mixed === 'light');
      const noise = noiseOf({ width, height, values: bright });
      const whole = otsu(bright);
      const least = darkestOf(bright) + Math.max(0.05, 8 * noise);
      const side = Math.max(15, Math.round(Math.min(width, height) / 12));
      const even = Math.max(leastContrast, 4 * noise);
      const grid = { values: bright, width, height };
      const wide = sauvola(grid, { side: side * 5, even, otherwise: () => whole, least });
      const levels = sauvola(grid, { side, even, otherwise: (i) => wide[i], least });
      // What counts is how far a pixel lies above or below its own level; half is the level then.
      for (let i = 0; i < bright.length; i++) bright[i] = Math.min(1, Math.max(0, 0.5 + bright[i] - levels[i]));
      const values = withRim(bright, width, height, !choice.invert);
      return [ink({ values, width, height, level: 0.5, halfway: false, name: 'Contours' })];
    }
    case 'outside': {
      const values = withRim(fromGround(onWhite(picture), width, height), width, height, choice.invert);
      const level = choice.level ?? otsu(values);
      return [ink({ values, width, height, level, halfway: choice.level === null, name: 'Outline', outerOnly: true })];
    }
    case 'colours':
      return coloured(picture, choice);
  }
}

/** An ink without its figures. */
interface Plain {
  values: Float32Array;
  /** Of the picture, without the rim. */
  width: number;
  height: number;
  level: number;
  /** The level is set to the middle of both sides: there a mixed pixel lies half inside. */
  halfway: boolean;
  name: string;
  colour?: string;
  outerOnly?: boolean;
}

function ink({ values, level, halfway, name, colour, outerOnly, ...size }: Plain): Ink {
  const [width, height] = [size.width + 2, size.height + 2];
  const { inside, outside } = sides(values, level);
  const middle = (inside + outside) / 2;
  const signal: Signal = {
    width,
    height,
    values,
    level: halfway && middle > outside && middle < inside ? middle : level,
    inside,
    outside,
    noise: noiseOf({ width, height, values }),
  };
  return { name, colour: colour ?? null, signal, outerOnly: outerOnly ?? false };
}

function coloured(picture: Picture, choice: TraceChoice): Ink[] {
  const { width, height } = picture;
  const rgb = onWhite(picture);
  const clusters = clustersOf(rgb, width, height, choice.colours);
  const labels = labelsOf(rgb, clusters);
  const ground = groundOf(rgb, width, height);
  // The ground is the colour nearest to the rim's; it is drawn only when it is asked for.
  const apart = clusters.map((c) => Math.hypot(c.rgb[0] - ground[0], c.rgb[1] - ground[1], c.rgb[2] - ground[2]));
  const skipped = choice.invert ? -1 : apart.indexOf(Math.min(...apart));
  const out: Ink[] = [];
  clusters.forEach((cluster, k) => {
    if (k === skipped) return;
    const values = withRim(shareOf({ rgb, labels, width, height, clusters }, k), width, height, false);
    out.push(ink({ values, width, height, level: 0.5, halfway: false, name: `Colour ${hexOf(cluster)}`, colour: hexOf(cluster) }));
  });
  return out;
}
