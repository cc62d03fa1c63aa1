import { colouredOf, fromGround, groundOf, hexOf, onWhite, shareOf } from './colours.ts';
import type { TraceChoice } from './choice.ts';
import { counted, darkestOf, noiseOf, otsu, sauvola, sides, turned, type Counted } from './levels.ts';
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
      const all = counted(bright);
      const level = choice.level ?? otsu(all);
      const values = withRim(bright, width, height, !choice.invert);
      const among = choice.invert ? all : turned(all);
      return [ink({ values, among, width, height, level: choice.invert ? level : 1 - level, halfway: choice.level === null, name: 'Contours' })];
    }
    case 'adaptive': {
      const bright = brightness(picture, choice.mixed === 'light');
      const noise = noiseOf({ width, height, values: bright });
      const all = counted(bright);
      const whole = otsu(all);
      const least = darkestOf(all) + Math.max(0.05, 8 * noise);
      const side = Math.max(15, Math.round(Math.min(width, height) / 12));
      const even = Math.max(leastContrast, 4 * noise);
      const grid = { values: bright, width, height };
      const wide = sauvola(grid, { side: side * 5, even, otherwise: whole, least });
      const levels = sauvola(grid, { side, even, otherwise: wide, least });
      const values = besideLevels(grid, levels, !choice.invert);
      return [ink({ values, width, height, level: 0.5, halfway: false, name: 'Contours' })];
    }
    case 'outside': {
      const values = withRim(fromGround(onWhite(picture), width, height), width, height, choice.invert);
      const level = choice.level ?? otsu(counted(values));
      return [ink({ values, width, height, level, halfway: choice.level === null, name: 'Outline', outerOnly: true })];
    }
    case 'colours':
      return coloured(picture, choice);
  }
}

/** How far each pixel lies above its own level, or below it: half is the level then. With a rim of outside round it. */
function besideLevels({ values, width, height }: Pick<Signal, 'values' | 'width' | 'height'>, levels: Float32Array, below: boolean): Float32Array {
  const w = width + 2;
  const out = new Float32Array(w * (height + 2));
  const sign = below ? -1 : 1;
  for (let y = 0; y < height; y++)
    for (let x = 0, i = y * width, to = (y + 1) * w + 1; x < width; x++, i++, to++) {
      const v = 0.5 + sign * (values[i] - levels[i]);
      out[to] = v < 0 ? 0 : v > 1 ? 1 : v;
    }
  return out;
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
  /** How often each value is there, when that is known. */
  among?: Counted;
}

function ink({ values, level, halfway, name, colour, outerOnly, among, ...size }: Plain): Ink {
  const [width, height] = [size.width + 2, size.height + 2];
  const { inside, outside } = sides(among ?? counted(values), level);
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
  const found = colouredOf(picture, choice.colours);
  const { clusters } = found;
  const ground = groundOf(found, width, height);
  // The ground is the colour nearest to the rim's; it is drawn only when it is asked for.
  const apart = clusters.map((c) => Math.hypot(c.rgb[0] - ground[0], c.rgb[1] - ground[1], c.rgb[2] - ground[2]));
  const skipped = choice.invert ? -1 : apart.indexOf(Math.min(...apart));
  const out: Ink[] = [];
  clusters.forEach((cluster, k) => {
    if (k === skipped) return;
    const { values, counted: among } = shareOf(found, k);
    out.push(ink({ values, among, width, height, level: 0.5, halfway: false, name: `Colour ${hexOf(cluster)}`, colour: hexOf(cluster) }));
  });
  return out;
}
