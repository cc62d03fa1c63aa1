import type { P2 } from '../../src/curves/segment.ts';

/**
 * Share of each pixel that lies within polygons, exactly: signed areas under each side, pixel by pixel (scan conversion by cover and area, as in
 * R. Levien's and D. Turner's font rasterizers). Inner rings go round the other way.
 * @returns width x height shares, 0 to 1
 */
export function coverage(rings: readonly P2[][], width: number, height: number): Float64Array {
  const sums = new Float64Array((width + 1) * height);
  const side = (x0: number, y0: number, x1: number, y1: number, sign: number) => {
    // One row at a time, then one pixel of that row at a time.
    for (let row = Math.max(0, Math.floor(y0)); row < Math.min(height, Math.ceil(y1)); row++) {
      const [ya, yb] = [Math.max(y0, row), Math.min(y1, row + 1)];
      if (yb <= ya) continue;
      const at = (y: number) => x0 + ((x1 - x0) * (y - y0)) / (y1 - y0);
      let [xa, xb] = [at(ya), at(yb)];
      if (xa > xb) [xa, xb] = [xb, xa];
      const h = yb - ya;
      for (let c = Math.max(0, Math.floor(xa)); c <= Math.min(width - 1, Math.floor(xb)); c++) {
        const [ca, cb] = [Math.max(xa, c), Math.min(xb, c + 1)];
        const part = xb > xa ? ((cb - ca) / (xb - xa)) * h : h;
        if (part <= 0) continue;
        // What lies to the right of the side within this pixel, and all pixels further right.
        const inside = (c + 1 - (ca + cb) / 2) * part;
        sums[row * (width + 1) + c] += sign * inside;
        sums[row * (width + 1) + c + 1] += sign * (part - inside);
      }
      if (Math.floor(xb) < 0) sums[row * (width + 1)] += sign * h;
    }
  };
  for (const ring of rings)
    ring.forEach(([x0, y0], i) => {
      const [x1, y1] = ring[(i + 1) % ring.length];
      if (y0 < y1) side(x0, y0, x1, y1, 1);
      else if (y1 < y0) side(x1, y1, x0, y0, -1);
    });
  const out = new Float64Array(width * height);
  for (let y = 0; y < height; y++) {
    let sum = 0;
    for (let x = 0; x < width; x++) {
      sum += sums[y * (width + 1) + x];
      out[y * width + x] = Math.min(1, Math.abs(sum));
    }
  }
  return out;
}

/** A circle as a polygon of so many corners that it stays within 1e-6 pixels. */
export function ring(cx: number, cy: number, r: number, way = 1): P2[] {
  const n = Math.ceil(Math.PI / Math.acos(1 - 1e-6 / r));
  return Array.from({ length: n }, (_, i) => [cx + r * Math.cos((way * 2 * Math.PI * i) / n), cy + r * Math.sin((way * 2 * Math.PI * i) / n)]);
}

/** Corners turned and moved. */
export const placed = (points: readonly P2[], angle: number, [x, y]: P2): P2[] =>
  points.map(([px, py]) => [x + px * Math.cos(angle) - py * Math.sin(angle), y + px * Math.sin(angle) + py * Math.cos(angle)]);

/** A rectangle with rounded corners about the origin; r 0 leaves them sharp. */
export function rounded(width: number, height: number, r: number): P2[] {
  const out: P2[] = [];
  const n = r > 0 ? Math.ceil(Math.PI / 4 / Math.acos(1 - 1e-6 / r)) * 2 : 0;
  for (const [k, sx, sy] of [
    [0, 1, 1],
    [1, -1, 1],
    [2, -1, -1],
    [3, 1, -1],
  ]) {
    const [cx, cy] = [sx * (width / 2 - r), sy * (height / 2 - r)];
    for (let i = 0; i <= n; i++) {
      const a = (Math.PI / 2) * (k + (n === 0 ? 0 : i / n));
      out.push(r > 0 ? [cx + r * Math.cos(a), cy + r * Math.sin(a)] : [cx, cy]);
    }
  }
  return out;
}

/** A star of so many tips about the origin. */
export const star = (tips: number, outer: number, inner: number): P2[] =>
  Array.from({ length: 2 * tips }, (_, i) => {
    const r = i % 2 === 0 ? outer : inner;
    return [r * Math.cos((Math.PI * i) / tips), r * Math.sin((Math.PI * i) / tips)];
  });

/** Shares as a picture of black on white with so many bits, with noise of this spread from a seed. */
export function picture(shares: Float64Array, width: number, height: number, { bits = 8, noise = 0, seed = 1, bilevel = false } = {}) {
  const most = 2 ** bits - 1;
  const data = bits === 8 ? new Uint8Array(width * height * 4) : new Uint16Array(width * height * 4);
  const random = numbers(seed);
  for (let i = 0; i < shares.length; i++) {
    let v = 1 - (bilevel ? Math.round(shares[i]) : shares[i]);
    if (noise > 0) v += noise * Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
    const value = Math.min(most, Math.max(0, Math.round(v * most)));
    data[i * 4] = data[i * 4 + 1] = data[i * 4 + 2] = value;
    data[i * 4 + 3] = most;
  }
  return { width, height, data, perMm: null };
}

/** Numbers from 0 to 1 by a seed. Source: mulberry32, T. Ettinger, public domain. */
export function numbers(seed: number): () => number {
  let a = seed >>> 0;
  return () => {
    a = (a + 0x6d2b79f5) >>> 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}
