import type { Loop } from './loops.ts';
import type { Signal } from './picture.ts';

/** Places along an edge, xy, pixels with the rim. `sure` is 0 where another edge is so near that the window had to be shortened. */
export interface EdgePoints {
  xy: Float64Array;
  sure: Uint8Array;
}

/** How far a window reaches beyond the two pixels of a crossing on either side, pixels; it ends earlier where values turn back. */
const reach = 3;
/** Values this near to what most of the inside (or outside) has count as that; share, beside the noise. */
const sameLevel = 0.03;

/**
 * A loop's crossings at their places within the pixels, from the sums of values in rows or columns across the edge.
 * Each sum is the share of the row that lies inside, so that it is exact where pixels hold exact shares; what a curved edge has less in the mean of
 * a column than in its middle is put back by second differences.
 * Source: the partial-area effect, Trujillo-Pino, Krissian, Alemán-Flores, Santana-Cedrés, Image and Vision Computing 31 (2013) 72.
 */
export function edgePoints(loop: Loop, signal: Signal): EdgePoints {
  const { width, height, values, level, inside, outside, noise } = signal;
  const n = loop.crossings.length;
  const p = loop.points;
  const turnsBack = Math.max(0.006, 3 * noise);
  const near = Math.max(sameLevel, 4 * noise);
  const xy = new Float64Array(n * 2);
  const sure = new Uint8Array(n);
  // For the second differences: which way each kept place was measured, and its mean.
  const down = new Uint8Array(n);
  let kept = 0;
  for (let i = 0; i < n; i++) {
    const isDown = (loop.crossings[i] & 1) === 1;
    const before = ((i - 3 + 3 * n) % n) * 2;
    const after = ((i + 3) % n) * 2;
    const dx = Math.abs(p[after] - p[before]);
    const dy = Math.abs(p[after + 1] - p[before + 1]);
    // Only across the edge: its direction from its neighbours. Loops of a few pixels keep all that they have.
    if (n > 12 && (isDown ? dy > dx : dx > dy)) continue;
    const a = loop.crossings[i] >> 1;
    const step = isDown ? width : 1;
    const b = a + step;
    const ax = a % width;
    const ay = (a - ax) / width;
    const insideFirst = values[a] >= level;
    const onRim = ax === 0 || ay === 0 || (isDown ? ay === height - 2 : ax === width - 2);
    // Pixels that are there on either side.
    const roomA = isDown ? ay : ax;
    const roomB = isDown ? height - 1 - ay - 1 : width - 1 - ax - 1;
    const [goIn, goOut, roomIn, roomOut, first, second] = insideFirst ? [-step, step, roomA, roomB, a, b] : [step, -step, roomB, roomA, b, a];
    let [sum, span, steps] = [values[first] + values[second], 2, 0];
    let innermost = values[first];
    let at = first;
    while (steps < reach && steps < roomIn - 1) {
      const next = values[at + goIn];
      if (next < innermost - turnsBack) break;
      at += goIn;
      if (next > innermost) innermost = next;
      sum += next;
      span++;
      steps++;
    }
    const inSteps = steps;
    let outermost = values[second];
    at = second;
    steps = 0;
    let beyond = 0;
    while (steps < reach && steps < roomOut - 1) {
      const next = values[at + goOut];
      if (next > outermost + turnsBack) break;
      at += goOut;
      if (next < outermost) outermost = next;
      sum += next;
      span++;
      beyond++;
      steps++;
    }
    const high = Math.abs(innermost - inside) <= near || (inSteps === 0 && innermost < inside) ? inside : innermost;
    const low = Math.abs(outermost - outside) <= near || (steps === 0 && outermost > outside) ? outside : outermost;
    // How far the inside reaches from the window's inner end.
    const within = Math.min(span, Math.max(0, (sum - span * low) / (high - low)));
    const origin = (isDown ? ay : ax) + (insideFirst ? -inSteps : 1 + inSteps + 1);
    const place = insideFirst ? origin + within : origin - within;
    const crude = p[i * 2 + (isDown ? 1 : 0)];
    const good = !onRim && high - low > 0.05 && Math.abs(place - crude) <= 1;
    const v = onRim ? Math.round(crude) : good ? place : crude;
    xy[kept * 2] = isDown ? ax + 0.5 : v;
    xy[kept * 2 + 1] = isDown ? v : ay + 0.5;
    sure[kept] = good && inSteps >= 1 && beyond >= 1 ? 1 : 0;
    down[kept] = isDown ? 1 : 0;
    kept++;
  }
  return curved({ xy: xy.subarray(0, kept * 2), sure: sure.subarray(0, kept) }, down.subarray(0, kept));
}

/** Places beside another edge count less in runs of up to so many: those of a tip or a notch, whose sides tell better where it is. Thin lines, which are spoilt all along, count in full. */
const mostUnsure = 7;

/** Which places of a loop count less: few in a row that another edge spoils. */
export function loosePoints({ sure }: EdgePoints): Uint8Array {
  const n = sure.length;
  const out = new Uint8Array(n);
  let first = 0;
  while (first < n && !sure[first]) first++;
  if (first === n) return out;
  for (let step = 0; step < n;) {
    let run = 0;
    while (run < n - step && !sure[(first + step + run) % n]) run++;
    if (run <= mostUnsure) for (let k = 0; k < run; k++) out[(first + step + k) % n] = 1;
    step += Math.max(1, run);
  }
  return out;
}

/** Second differences larger than this come from a corner, pixels. */
const mostBend = 0.35;

/** Means of columns to values in their middles: less a 24th of the second difference, where three columns follow each other. */
function curved({ xy, sure }: EdgePoints, down: Uint8Array): EdgePoints {
  const n = sure.length;
  const out = xy.slice();
  for (let i = 0; i < n; i++) {
    const before = (i + n - 1) % n;
    const after = (i + 1) % n;
    if (down[before] !== down[i] || down[after] !== down[i]) continue;
    const [along, across] = down[i] ? [0, 1] : [1, 0];
    const s = xy[i * 2 + along];
    if (Math.abs(xy[before * 2 + along] - s) !== 1 || Math.abs(xy[after * 2 + along] - s) !== 1 || xy[before * 2 + along] === xy[after * 2 + along]) continue;
    const bend = xy[before * 2 + across] - 2 * xy[i * 2 + across] + xy[after * 2 + across];
    if (Math.abs(bend) < mostBend) out[i * 2 + across] -= bend / 24;
  }
  return { xy: out, sure };
}
