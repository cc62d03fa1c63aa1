import { crossOf, directionAt, distance, endOf, startOf, type P2 } from '../curves/segment.ts';
import type { Track } from '../formats/gerber/write.ts';
import { fromBulge } from '../curves/segment.ts';

/** Corners that turn by less than this are none, rad. */
const leastTurn = 1e-3;

/**
 * Rounds the corners that a bit runs into between two lines by its radius.
 * @param left whether the corners that turn to the left are the ones
 * @returns the chain, and the places of corners that could not be rounded
 */
export function rounded(tracks: readonly Track[], radius: number, left: boolean): { tracks: Track[]; left: P2[] } {
  const n = tracks.length;
  const failed: P2[] = [];
  // How much is taken off the two ends of each piece.
  const cut = tracks.map((): [number, number] => [0, 0]);
  const bulges = new Map<number, number>();
  for (let i = 0; i < n && n > 1; i++) {
    const [a, b] = [tracks[i], tracks[(i + 1) % n]];
    const [u, v] = [directionAt(a, 1), directionAt(b, 0)];
    const angle = Math.atan2(crossOf(u, v), u[0] * v[0] + u[1] * v[1]);
    if (Math.abs(angle) < leastTurn || angle > 0 !== left) continue;
    const t = radius * Math.tan(Math.abs(angle) / 2);
    const room = (s: Track, other: number) => s.kind === 'line' && distance(s.a, s.b) >= t + other - 1e-9;
    if (!room(a, cut[i][0]) || !room(b, cut[(i + 1) % n][1])) {
      failed.push(endOf(a));
      continue;
    }
    cut[i][1] = t;
    cut[(i + 1) % n][0] = t;
    bulges.set(i, Math.tan(angle / 4));
  }
  const out: Track[] = [];
  tracks.forEach((s, i) => {
    const now = s.kind === 'line' ? shortened(s, cut[i]) : s;
    if (now.kind === 'arc' || distance(now.a, now.b) > 1e-9) out.push(now);
    const bulge = bulges.get(i);
    const next = tracks[(i + 1) % n];
    if (bulge !== undefined && next.kind === 'line') out.push(fromBulge(endOf(now), startOf(shortened(next, cut[(i + 1) % n])), bulge) as Track);
  });
  return { tracks: out, left: failed };
}

function shortened(line: Extract<Track, { kind: 'line' }>, [from, to]: [number, number]): Extract<Track, { kind: 'line' }> {
  const [dx, dy] = directionAt(line, 0);
  return { kind: 'line', a: [line.a[0] + dx * from, line.a[1] + dy * from], b: [line.b[0] - dx * to, line.b[1] - dy * to] };
}
