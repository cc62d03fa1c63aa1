/** Convex hull of points in a plane, counter-clockwise. Source: Andrew, Another efficient algorithm for convex hulls in two dimensions, 1979. */
export function hull2(points: readonly (readonly [number, number])[]): [number, number][] {
  const sorted = points.map(([x, y]) => [x, y] as [number, number]).sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  const half = (list: [number, number][]) => {
    const out: [number, number][] = [];
    for (const q of list) {
      while (out.length >= 2) {
        const [a, b] = [out[out.length - 2], out[out.length - 1]];
        if ((b[0] - a[0]) * (q[1] - a[1]) - (b[1] - a[1]) * (q[0] - a[0]) > 0) break;
        out.pop();
      }
      out.push(q);
    }
    out.pop();
    return out;
  };
  if (sorted.length < 3) return sorted;
  return [...half(sorted), ...half([...sorted].reverse())];
}
