import { pointAt, type Segment } from '../curves/segment.ts';

/** Distance to an outline, with the piece that was nearest the last time asked first: points come in its order. */
export function nearOutline(outline: readonly Segment[]): (x: number, y: number) => number {
  let last = 0;
  const n = outline.length;
  return (x, y) => {
    let [best, at] = [Infinity, last];
    const ask = (i: number) => {
      const d = offSegment(outline[i], x, y);
      if (d < best) [best, at] = [d, i];
    };
    for (let k = -3; k <= 3; k++) ask((((last + k) % n) + n) % n);
    // Not near any of those: the first point, or one after a gap.
    if (best > 1.5) for (let i = 0; i < n; i++) ask(i);
    last = at;
    return best;
  };
}

function offSegment(s: Segment, x: number, y: number): number {
  if (s.kind === 'line') {
    const [dx, dy] = [s.b[0] - s.a[0], s.b[1] - s.a[1]];
    const t = Math.min(1, Math.max(0, ((x - s.a[0]) * dx + (y - s.a[1]) * dy) / (dx * dx + dy * dy || 1)));
    return Math.hypot(x - s.a[0] - t * dx, y - s.a[1] - t * dy);
  }
  if (s.kind === 'arc') {
    const angle = (Math.atan2(y - s.centre[1], x - s.centre[0]) - s.start) * Math.sign(s.sweep);
    const turned = angle - 2 * Math.PI * Math.floor(angle / (2 * Math.PI));
    if (turned <= Math.abs(s.sweep)) return Math.abs(Math.hypot(x - s.centre[0], y - s.centre[1]) - s.radius);
  }
  let best = Infinity;
  const steps = s.kind === 'arc' ? 1 : 32;
  let [px, py] = pointAt(s, 0);
  for (let k = 1; k <= steps; k++) {
    const [qx, qy] = pointAt(s, k / steps);
    if (s.kind === 'arc') return Math.min(Math.hypot(x - px, y - py), Math.hypot(x - qx, y - qy));
    const [dx, dy] = [qx - px, qy - py];
    const t = Math.min(1, Math.max(0, ((x - px) * dx + (y - py) * dy) / (dx * dx + dy * dy || 1)));
    best = Math.min(best, Math.hypot(x - px - t * dx, y - py - t * dy));
    [px, py] = [qx, qy];
  }
  return best;
}
