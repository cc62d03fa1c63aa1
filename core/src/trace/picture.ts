import { Unusable } from '../base/finding.ts';

/** A picture as its pixels: red, green, blue and opacity of each, row by row from the top left. */
export interface Picture {
  width: number;
  height: number;
  /** 8 or 16 bits each: values up to 255 or 65535. */
  data: Uint8Array | Uint16Array;
  /** Pixels in a millimetre as the file states them; null when it does not. */
  perMm: number | null;
  /** Pictures of the file beside this one, its first: pages of a scan, steps of a moving one. */
  further?: number;
}

/** Smallest side of what is followed, pixels. */
export const smallest = 3;
/** Largest side and largest number of pixels that are decoded: what some ways hold of them at once is about 25 bytes a pixel. */
export const mostSide = 20_000;
export const mostPixels = 64_000_000;

/**
 * Refuses a picture by its stated size, before anything is decoded.
 * @throws Unusable with both figures. @example checkSize(4000, 3000)
 */
export function checkSize(width: number, height: number): void {
  if (width > 0 && height > 0 && width <= mostSide && height <= mostSide && width * height <= mostPixels) return;
  throw new Unusable(
    'picture-size',
    `The picture says that it has ${width.toLocaleString('en')} x ${height.toLocaleString('en')} pixels; at most ${mostSide.toLocaleString('en')} a side and ${mostPixels / 1e6} million in all are decoded.`,
    width > 0 && height > 0 ? 'Crop it or make it smaller first.' : 'Export it again.',
  );
}

/** What lies inside, as a share: 1 inside, 0 outside, between them along an edge. One pixel of outside is put round it, so that every contour closes. */
export interface Signal {
  /** Pixels in a row and in a column, the rim included. */
  width: number;
  height: number;
  values: Float32Array;
  /** Where inside begins. */
  level: number;
  /** What most of the inside and of the outside have. */
  inside: number;
  outside: number;
  /** Spread of the values from noise, as a share. */
  noise: number;
}

/** sRGB value (0 to 1) as light. Source: IEC 61966-2-1. */
export const toLight = (v: number): number => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

const tables = new Map<string, Float32Array>();
/** Every value a picture may have, as a share, in the picture's own scale or as light. */
function table(depth: 8 | 16, light: boolean): Float32Array {
  const key = `${depth} ${light}`;
  let found = tables.get(key);
  if (!found) {
    const most = 2 ** depth - 1;
    found = Float32Array.from({ length: most + 1 }, (_, v) => (light ? toLight(v / most) : v / most));
    tables.set(key, found);
  }
  return found;
}

/** How bright each pixel is on white ground, 0 to 1. Weights of red, green and blue by ITU-R BT.709. @param light whether edges are mixed as light (cameras, scanners) or as values (drawing programs) */
export function brightness({ width, height, data }: Picture, light: boolean): Float32Array {
  const out = new Float32Array(width * height);
  // One loop for each kind of array: one that meets both is several times as slow.
  if (data instanceof Uint16Array) brightOf16(data, table(16, light), out);
  else brightOf8(data, table(8, light), out);
  return out;
}

const [redShare, greenShare, blueShare] = [0.2126, 0.7152, 0.0722];

function brightOf8(data: Uint8Array, share: Float32Array, out: Float32Array): void {
  const [red, green, blue] = [redShare, greenShare, blueShare].map((s) => Float64Array.from(share, (v) => s * v));
  for (let i = 0, p = 0; i < out.length; i++, p += 4) {
    const v = red[data[p]] + green[data[p + 1]] + blue[data[p + 2]];
    const a = data[p + 3];
    out[i] = a === 255 ? v : 1 + (v - 1) * (a / 255);
  }
}

function brightOf16(data: Uint16Array, share: Float32Array, out: Float32Array): void {
  for (let i = 0, p = 0; i < out.length; i++, p += 4) {
    const v = redShare * share[data[p]] + greenShare * share[data[p + 1]] + blueShare * share[data[p + 2]];
    const a = data[p + 3];
    out[i] = a === 65535 ? v : 1 + (v - 1) * (a / 65535);
  }
}

/** Values with a rim of outside round them. @param turned 1 - value: what is dark lies inside */
export function withRim(values: Float32Array, width: number, height: number, turned: boolean): Float32Array {
  const w = width + 2;
  const out = new Float32Array(w * (height + 2));
  for (let y = 0; y < height; y++) {
    const from = y * width;
    const to = (y + 1) * w + 1;
    if (turned) for (let x = 0; x < width; x++) out[to + x] = 1 - values[from + x];
    else for (let x = 0; x < width; x++) out[to + x] = values[from + x];
  }
  return out;
}
