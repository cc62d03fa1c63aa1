import { count, noneCounted, type Counted } from './levels.ts';
import { toLight, type Picture } from './picture.ts';

/** A colour of a picture: as values 0 to 1 of red, green, blue, and how many pixels are nearest to it. */
export interface Cluster {
  rgb: [number, number, number];
  pixels: number;
}

/** sRGB values (0 to 1) as OKLab. Source: B. Ottosson, A perceptual color space for image processing, 2020. */
export function okLab(r: number, g: number, b: number): [number, number, number] {
  const [lr, lg, lb] = [toLight(r), toLight(g), toLight(b)];
  const l = Math.cbrt(0.4122214708 * lr + 0.5363325363 * lg + 0.0514459929 * lb);
  const m = Math.cbrt(0.2119034982 * lr + 0.6806995451 * lg + 0.1073969566 * lb);
  const s = Math.cbrt(0.0883024619 * lr + 0.2817188376 * lg + 0.6299787005 * lb);
  return [
    0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s,
    1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s,
    0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s,
  ];
}

/** Red, green, blue of each pixel as they look on white, four numbers a pixel of which the last is not used. */
export interface OnWhite {
  values: Uint8Array | Uint16Array | Float32Array;
  /** The value of white. */
  most: number;
}

/** A picture on white ground; the very pixels of one that lets nothing through. */
export function onWhite({ data }: Picture): OnWhite {
  const most = data instanceof Uint16Array ? 65535 : 255;
  let opaque = true;
  for (let p = 3; p < data.length && opaque; p += 4) opaque = data[p] === most;
  if (opaque) return { values: data, most };
  const values = new Float32Array(data.length);
  for (let p = 0; p < data.length; p += 4) {
    const a = data[p + 3] / most;
    for (let k = p; k < p + 3; k++) values[k] = most + (data[k] - most) * a;
  }
  return { values, most };
}

/** So many pixels are looked at to find the colours. */
const mostSamples = 40_000;
const rounds = 30;

/**
 * The colours of a picture: k means in OKLab over pixels whose neighbours look alike (edges are mixtures), begun with the most frequent colour and
 * then whatever lies farthest from all before. Source: Lloyd 1982; farthest first, Gonzalez 1985. The same picture gives the same colours.
 * @returns at most `count` colours, the most frequent first
 */
export function clustersOf(seen: OnWhite, width: number, height: number, count: number): Cluster[] {
  const { values, most } = seen;
  const step = Math.max(1, Math.floor(Math.sqrt((width * height) / mostSamples)));
  const lab: [number, number, number][] = [];
  const raw: [number, number, number][] = [];
  for (const even of [true, false]) {
    for (let y = 1; y < height - 1; y += step)
      for (let x = 1; x < width - 1; x += step) {
        const i = (y * width + x) * 4;
        if (even && !isEven(seen, i, width)) continue;
        const rgb: [number, number, number] = [values[i] / most, values[i + 1] / most, values[i + 2] / most];
        raw.push(rgb);
        lab.push(okLab(...rgb));
      }
    if (lab.length > 50) break;
  }
  if (lab.length === 0) return [{ rgb: [1, 1, 1], pixels: width * height }];
  const centres = begun(lab, count);
  const of = new Int32Array(lab.length);
  for (let round = 0; round < rounds; round++) {
    let moved = false;
    lab.forEach((p, i) => {
      const nearest = nearestOf(p, centres);
      if (of[i] !== nearest || round === 0) moved = true;
      of[i] = nearest;
    });
    if (!moved) break;
    centres.forEach((centre, c) => {
      const sums = [0, 0, 0, 0];
      lab.forEach((p, i) => {
        if (of[i] === c) for (let k = 0; k < 3; k++) sums[k] += p[k];
        if (of[i] === c) sums[3]++;
      });
      if (sums[3] > 0) for (let k = 0; k < 3; k++) centre[k] = sums[k] / sums[3];
    });
  }
  return centres
    .map((_, c): Cluster => {
      const mine = raw.filter((__, i) => of[i] === c);
      return { rgb: [0, 1, 2].map((k) => medianOf(mine.map((p) => p[k]))) as [number, number, number], pixels: mine.length };
    })
    .filter((c) => c.pixels > 0)
    .sort((a, b) => b.pixels - a.pixels);
}

const medianOf = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1] ?? 0;

/** Differences of values to neighbours that still count as even. */
const evenness = 0.03;

function isEven({ values, most }: OnWhite, i: number, width: number): boolean {
  const allowed = evenness * most;
  for (let k = i; k < i + 3; k++)
    if (Math.abs(values[k] - values[k + 4]) > allowed || Math.abs(values[k] - values[k - 4]) > allowed || Math.abs(values[k] - values[k + width * 4]) > allowed)
      return false;
  return true;
}

const apart = (a: readonly number[], b: readonly number[]): number => (a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2 + (a[2] - b[2]) ** 2;

function nearestOf(p: readonly number[], centres: readonly (readonly number[])[]): number {
  let [best, at] = [Infinity, 0];
  centres.forEach((c, k) => {
    const d = apart(p, c);
    if (d < best) [best, at] = [d, k];
  });
  return at;
}

/** Where to begin: the colour that most pixels have about, then those farthest from all before. A colour that hardly differs is none of its own. */
function begun(lab: readonly [number, number, number][], count: number): number[][] {
  const boxes = new Map<number, { n: number; at: number }>();
  lab.forEach((p, i) => {
    const key = Math.round(p[0] * 20) * 10_000 + Math.round((p[1] + 1) * 20) * 100 + Math.round((p[2] + 1) * 20);
    const box = boxes.get(key);
    if (box) box.n++;
    else boxes.set(key, { n: 1, at: i });
  });
  // Only what is there more than by chance is a colour.
  const often = [...boxes.values()].sort((a, b) => b.n - a.n).filter((b, k) => k === 0 || b.n >= Math.max(2, lab.length * 2e-4));
  const centres = [[...lab[often[0].at]]];
  while (centres.length < count) {
    let [best, at] = [4e-4, -1];
    for (const box of often) {
      const d = Math.min(...centres.map((c) => apart(lab[box.at], c)));
      if (d > best) [best, at] = [d, box.at];
    }
    if (at < 0) break;
    centres.push([...lab[at]]);
  }
  return centres;
}

/** Steps of each value in which colours are told apart when pixels are given to them. */
const shades = 64;
/** Added to the colour of a pixel that has another one within two pixels of it. */
const border = 0x80;

/** Which colour each pixel is nearest to, by values; with `border` added where it is not alone. */
function codesOf({ values, most }: OnWhite, width: number, height: number, clusters: readonly Cluster[]): Uint8Array {
  const labs = clusters.map((c) => okLab(...c.rgb));
  const out = new Uint8Array(width * height);
  // Pictures repeat their colours: what was asked before, in steps of a 64th, isn't asked again.
  const known = new Int16Array(shades ** 3).fill(-1);
  const scale = shades / most;
  const last = shades - 1;
  for (let i = 0, p = 0; p < out.length; i += 4, p++) {
    const key =
      (Math.min(last, (values[i] * scale) | 0) * shades + Math.min(last, (values[i + 1] * scale) | 0)) * shades + Math.min(last, (values[i + 2] * scale) | 0);
    let label = known[key];
    if (label < 0) {
      label = nearestOf(okLab(values[i] / most, values[i + 1] / most, values[i + 2] / most), labs);
      known[key] = label;
    }
    out[p] = label;
  }
  markBorders(out, width, height);
  return out;
}

/** Marks the pixels that have another colour within the 5 x 5 round them; those beyond the rim count as those of the rim. */
function markBorders(codes: Uint8Array, width: number, height: number): void {
  // First along rows, then along columns: a square is of one colour when its five rows are, and its middle column is.
  const along = new Uint8Array(codes.length);
  const clamped = (v: number, size: number) => (v < 0 ? 0 : v >= size ? size - 1 : v);
  for (let y = 0; y < height; y++) {
    const at = y * width;
    // How many pixels up to this one have the colour of this one; a row is of one colour where that reaches five.
    let run = 3;
    for (let x = 1; x < width + 2; x++) {
      const i = at + clamped(x, width);
      run = x >= width || codes[i] === codes[i - 1] ? run + 1 : 1;
      if (run < 5 && x >= 2) along[at + x - 2] = 1;
    }
  }
  const differs = new Uint8Array(codes.length);
  for (let y = 0; y < height; y++) {
    const [a, b, c, d, e] = [-2, -1, 0, 1, 2].map((k) => clamped(y + k, height) * width);
    for (let x = 0; x < width; x++) {
      const own = codes[c + x];
      const mixed = along[a + x] | along[b + x] | along[c + x] | along[d + x] | along[e + x];
      if (mixed || codes[a + x] !== own || codes[b + x] !== own || codes[d + x] !== own || codes[e + x] !== own) differs[c + x] = border;
    }
  }
  for (let i = 0; i < codes.length; i++) codes[i] |= differs[i];
}

/** A picture on white, the colours found in it, and which of them each pixel is nearest to. */
export interface Coloured extends OnWhite {
  width: number;
  height: number;
  clusters: readonly Cluster[];
  codes: Uint8Array;
}

/** A picture's colours, and whose each pixel is. @param count colours at most */
export function colouredOf(picture: Picture, count: number): Coloured {
  const { width, height } = picture;
  const seen = onWhite(picture);
  const clusters = clustersOf(seen, width, height, count);
  return { ...seen, width, height, clusters, codes: codesOf(seen, width, height, clusters) };
}

/**
 * How much of each pixel has one of the colours: all or nothing away from its border; at the border, where the pixel lies between that colour and the
 * other one of the place, as values mix. A rim of nothing is put round it (see Signal).
 * @returns the values, and how often each of them is there
 */
export function shareOf(coloured: Coloured, of: number): { values: Float32Array; counted: Counted } {
  const { width, height, codes } = coloured;
  const w = width + 2;
  const values = new Float32Array(w * (height + 2));
  const counted = noneCounted();
  const mix = new Mix(coloured, of);
  let whole = 0;
  for (let y = 0; y < height; y++)
    for (let x = 0, i = y * width, to = (y + 1) * w + 1; x < width; x++, i++, to++) {
      const code = codes[i];
      if (code === of) {
        values[to] = 1;
        whole++;
      } else if (code & border) {
        const share = mix.at(x, y);
        values[to] = share;
        if (share > 0) count(counted, share, 1);
      }
    }
  count(counted, 1, whole);
  count(counted, 0, values.length - counted.counts.reduce((sum, n) => sum + n, 0));
  return { values, counted };
}

/** The share of one colour in a pixel at a border. */
class Mix {
  private readonly coloured: Coloured;
  private readonly of: number;
  private readonly counts: Int32Array;

  constructor(coloured: Coloured, of: number) {
    this.coloured = coloured;
    this.of = of;
    this.counts = new Int32Array(coloured.clusters.length);
  }

  at(x: number, y: number): number {
    const { codes, width, height, clusters, values, most } = this.coloured;
    const { counts, of } = this;
    counts.fill(0);
    // Two pixels away is past what an edge mixes: what stands there are the two colours of the place.
    for (let dy = -2; dy <= 2; dy++) {
      const row = Math.min(height - 1, Math.max(0, y + dy)) * width;
      for (let dx = -2; dx <= 2; dx++) counts[codes[row + Math.min(width - 1, Math.max(0, x + dx))] & ~border]++;
    }
    if (counts[of] === 0) return 0;
    let other = -1;
    for (let c = 0; c < counts.length; c++) if (c !== of && (other < 0 || counts[c] > counts[other])) other = c;
    const [a, b] = [clusters[of].rgb, clusters[other].rgb];
    let [dot, square] = [0, 0];
    for (let k = 0, i = (y * width + x) * 4; k < 3; k++) {
      dot += (values[i + k] / most - b[k]) * (a[k] - b[k]);
      square += (a[k] - b[k]) ** 2;
    }
    return Math.min(1, Math.max(0, dot / square));
  }
}

/** Colour as #rrggbb. */
export const hexOf = ({ rgb }: Pick<Cluster, 'rgb'>): string =>
  `#${rgb
    .map((v) =>
      Math.round(v * 255)
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`;

/** Colour of the ground, 0 to 1: medians of the pixels along the rim. */
export function groundOf({ values, most }: OnWhite, width: number, height: number): [number, number, number] {
  const rim: number[] = [];
  for (let x = 0; x < width; x++) rim.push(x, (height - 1) * width + x);
  for (let y = 0; y < height; y++) rim.push(y * width, y * width + width - 1);
  return [0, 1, 2].map((k) => medianOf(rim.map((i) => values[i * 4 + k])) / most) as [number, number, number];
}

/** How far each pixel's values are from those of the ground, 0 to 1. */
export function fromGround(seen: OnWhite, width: number, height: number): Float32Array {
  const { values } = seen;
  const [r, g, b] = groundOf(seen, width, height).map((v) => v * seen.most);
  const out = new Float32Array(width * height);
  let most = 1e-12;
  for (let i = 0, p = 0; p < out.length; i += 4, p++) {
    const [dr, dg, db] = [values[i] - r, values[i + 1] - g, values[i + 2] - b];
    const square = dr * dr + dg * dg + db * db;
    out[p] = square;
    if (square > most) most = square;
  }
  for (let p = 0; p < out.length; p++) out[p] = Math.sqrt(out[p] / most);
  return out;
}
