/** Left, low, right, high: mm. */
export type Box = [number, number, number, number];

/** A free height narrower than this is none, mm. */
const hair = 1e-6;

/**
 * The largest rectangle of a sheet that none of the boxes reaches into and that lies on the sheet's edge on at least one side; null when all is covered.
 * From each side, boxes are passed in the order in which they begin; a free height ends where a box begins in it. Source: plane sweep, Naamad, Lee and
 * Hsu, 1984, for rectangles that begin at the edge. Takes n times the free heights at a time, not more.
 * @example largestFree(100, 50, [[0, 0, 60, 50]]) // [60, 0, 100, 50]
 */
export function largestFree(width: number, height: number, boxes: readonly Box[]): Box | null {
  const across = boxes.map(([l, b, r, t]): Box => [b, l, t, r]);
  const found = [
    fromLeft(width, height, boxes),
    turned(fromLeft(width, height, boxes.map(([l, b, r, t]): Box => [width - r, b, width - l, t])), ([l, b, r, t]) => [width - r, b, width - l, t]),
    turned(fromLeft(height, width, across), ([l, b, r, t]) => [b, l, t, r]),
    turned(fromLeft(height, width, across.map(([l, b, r, t]): Box => [height - r, b, height - l, t])), ([l, b, r, t]) => [b, height - r, t, height - l]),
  ]; // prettier-ignore
  return found.reduce((best, f) => (f && (!best || areaOf(f) > areaOf(best)) ? f : best), null);
}

const areaOf = (b: Box): number => (b[2] - b[0]) * (b[3] - b[1]);
const turned = (box: Box | null, by: (b: Box) => Box): Box | null => box && by(box);

/** The largest free rectangle that begins at x = 0. */
function fromLeft(width: number, height: number, boxes: readonly Box[]): Box | null {
  let best: Box | null = null;
  const offer = (right: number, low: number, high: number) => {
    if (right > hair && high - low > hair && (!best || right * (high - low) > areaOf(best))) best = [0, low, right, high];
  };
  let free: [number, number][] = [[0, height]];
  for (const [l, b, r, t] of boxes.filter((o) => o[2] > 0 && o[0] < width).sort((p, q) => p[0] - q[0])) {
    if (r <= l) continue;
    const next: [number, number][] = [];
    for (const [low, high] of free) {
      if (t <= low || b >= high) {
        next.push([low, high]);
        continue;
      }
      offer(Math.max(0, Math.min(l, width)), low, high);
      if (b - low > hair) next.push([low, b]);
      if (high - t > hair) next.push([t, high]);
    }
    free = next;
  }
  for (const [low, high] of free) offer(width, low, high);
  return best;
}
