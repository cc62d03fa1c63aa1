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

/** Values 0 to 1 of red, green, blue on white, three a pixel. */
export function onWhite({ width, height, data }: Picture): Float32Array {
  const most = data instanceof Uint16Array ? 65535 : 255;
  const out = new Float32Array(width * height * 3);
  for (let i = 0, p = 0; i < out.length; i += 3, p += 4) {
    const a = data[p + 3] / most;
    for (let k = 0; k < 3; k++) out[i + k] = 1 + (data[p + k] / most - 1) * a;
  }
  return out;
}

/** So many pixels are looked at to find the colours. */
const mostSamples = 40_000;
const rounds = 30;

/**
 * The colours of a picture: k means in OKLab over pixels whose neighbours look alike (edges are mixtures), begun with the most frequent colour and
 * then whatever lies farthest from all before. Source: Lloyd 1982; farthest first, Gonzalez 1985. The same picture gives the same colours.
 * @param rgb values on white, three a pixel. @returns at most `count` colours, the most frequent first
 */
export function clustersOf(rgb: Float32Array, width: number, height: number, count: number): Cluster[] {
  const step = Math.max(1, Math.floor(Math.sqrt((width * height) / mostSamples)));
  const lab: [number, number, number][] = [];
  const raw: [number, number, number][] = [];
  for (const even of [true, false]) {
    for (let y = 1; y < height - 1; y += step)
      for (let x = 1; x < width - 1; x += step) {
        const i = (y * width + x) * 3;
        if (even && !isEven(rgb, i, width)) continue;
        raw.push([rgb[i], rgb[i + 1], rgb[i + 2]]);
        lab.push(okLab(rgb[i], rgb[i + 1], rgb[i + 2]));
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

function isEven(rgb: Float32Array, i: number, width: number): boolean {
  for (let k = 0; k < 3; k++)
    if (
      Math.abs(rgb[i + k] - rgb[i + 3 + k]) > evenness ||
      Math.abs(rgb[i + k] - rgb[i - 3 + k]) > evenness ||
      Math.abs(rgb[i + k] - rgb[i + width * 3 + k]) > evenness
    )
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

/** Which colour each pixel is nearest to, by values. */
export function labelsOf(rgb: Float32Array, clusters: readonly Cluster[]): Uint8Array {
  const labs = clusters.map((c) => okLab(...c.rgb));
  const out = new Uint8Array(rgb.length / 3);
  // Pictures repeat their colours: what was asked before, in steps of a 64th, isn't asked again.
  const known = new Int16Array(64 * 64 * 64).fill(-1);
  for (let i = 0, p = 0; p < out.length; i += 3, p++) {
    const key = (Math.min(63, (rgb[i] * 64) | 0) << 12) | (Math.min(63, (rgb[i + 1] * 64) | 0) << 6) | Math.min(63, (rgb[i + 2] * 64) | 0);
    let label = known[key];
    if (label < 0) {
      label = nearestOf(okLab(rgb[i], rgb[i + 1], rgb[i + 2]), labs);
      known[key] = label;
    }
    out[p] = label;
  }
  return out;
}

/** A picture's values on white, the colours found in it, and which of them each pixel is nearest to. */
export interface Coloured {
  rgb: Float32Array;
  labels: Uint8Array;
  width: number;
  height: number;
  clusters: readonly Cluster[];
}

/**
 * How much of each pixel has one of the colours: all or nothing away from its border; at the border, where the pixel lies between that colour and the
 * other one of the place, as values mix.
 */
export function shareOf({ rgb, labels, width, height, clusters }: Coloured, of: number): Float32Array {
  const out = new Float32Array(width * height);
  const counts = new Int32Array(clusters.length);
  const around = countAround({ labels, width, height }, of);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (around[i] === 0) continue;
      if (around[i] === 25) {
        out[i] = 1;
        continue;
      }
      counts.fill(0);
      // Two pixels away is past what an edge mixes: what stands there are the two colours of the place.
      for (let dy = -2; dy <= 2; dy += 1) {
        const yy = Math.min(height - 1, Math.max(0, y + dy));
        for (let dx = -2; dx <= 2; dx += 1) counts[labels[yy * width + Math.min(width - 1, Math.max(0, x + dx))]]++;
      }
      let other = -1;
      for (let c = 0; c < counts.length; c++) if (c !== of && (other < 0 || counts[c] > counts[other])) other = c;
      const [a, b] = [clusters[of].rgb, clusters[other].rgb];
      let [dot, square] = [0, 0];
      for (let k = 0; k < 3; k++) {
        dot += (rgb[i * 3 + k] - b[k]) * (a[k] - b[k]);
        square += (a[k] - b[k]) ** 2;
      }
      out[i] = Math.min(1, Math.max(0, dot / square));
    }
  return out;
}

/** How many of the 5 x 5 pixels round each have a label; those beyond the rim count as those of the rim. Sums along rows, then along columns. */
function countAround({ labels, width, height }: Pick<Coloured, 'labels' | 'width' | 'height'>, of: number): Uint8Array {
  const rows = new Uint8Array(labels.length);
  for (let y = 0; y < height; y++) {
    const at = y * width;
    const has = (x: number) => (labels[at + (x < 0 ? 0 : x >= width ? width - 1 : x)] === of ? 1 : 0);
    let sum = has(-2) + has(-1) + has(0) + has(1) + has(2);
    for (let x = 0; x < width; x++) {
      rows[at + x] = sum;
      sum += has(x + 3) - has(x - 2);
    }
  }
  const out = new Uint8Array(labels.length);
  const row = (y: number) => (y < 0 ? 0 : y >= height ? height - 1 : y) * width;
  for (let y = 0; y < height; y++) {
    const [a, b, c, d, e] = [row(y - 2), row(y - 1), row(y), row(y + 1), row(y + 2)];
    for (let x = 0; x < width; x++) out[c + x] = rows[a + x] + rows[b + x] + rows[c + x] + rows[d + x] + rows[e + x];
  }
  return out;
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

/** Colour of the ground: medians of the pixels along the rim. */
export function groundOf(rgb: Float32Array, width: number, height: number): [number, number, number] {
  const rim: number[] = [];
  for (let x = 0; x < width; x++) rim.push(x, (height - 1) * width + x);
  for (let y = 0; y < height; y++) rim.push(y * width, y * width + width - 1);
  return [0, 1, 2].map((k) => medianOf(rim.map((i) => rgb[i * 3 + k]))) as [number, number, number];
}

/** How far each pixel's values are from those of the ground, 0 to 1. */
export function fromGround(rgb: Float32Array, width: number, height: number): Float32Array {
  const [r, g, b] = groundOf(rgb, width, height);
  const out = new Float32Array(width * height);
  let most = 1e-6;
  for (let i = 0, p = 0; p < out.length; i += 3, p++) {
    const [dr, dg, db] = [rgb[i] - r, rgb[i + 1] - g, rgb[i + 2] - b];
    out[p] = Math.sqrt(dr * dr + dg * dg + db * db);
    if (out[p] > most) most = out[p];
  }
  for (let p = 0; p < out.length; p++) out[p] /= most;
  return out;
}
