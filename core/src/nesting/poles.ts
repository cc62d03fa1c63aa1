/** What is needed of a shape to find circles in it. */
interface Corners {
  xy: Float64Array;
  next: Int32Array;
  width: number;
  height: number;
  area: number;
}

/** Circles are looked for until they cover this share of the area, or there are so many. */
const enough = 0.8;
const mostPoles = 8;
/** Cells are halved until none can hold a circle larger by this share of the box. */
const fineShare = 0.01;
const mostCells = 4000;

/**
 * Circles within a shape, each as large as fits beside those before it: x, y, radius, largest first. What lies in them overlaps for certain, and how
 * deep two shapes lie in each other is told by them. Method: the largest circle by halving cells, best first (Garcia-Castellanos and Lombardo,
 * Poles of inaccessibility, 2007); several of them as a measure of overlap: Gardeyn and Wauters, 2025.
 */
export function polesOf(shape: Corners): Float64Array {
  const found: number[] = [];
  const fine = Math.max(shape.width, shape.height) * fineShare;
  let covered = 0;
  while (found.length < mostPoles * 3 && covered < shape.area * enough) {
    const [x, y, r] = largestCircle(shape, found, fine);
    if (!(r > fine / 4) && found.length > 0) break;
    if (!(r > 0)) break;
    found.push(x, y, r);
    covered += Math.PI * r * r;
  }
  return Float64Array.from(found);
}

/** How far a place lies from the border, negative outside, and from circles that are there already, mm. */
function roomAt(shape: Corners, taken: readonly number[], x: number, y: number): number {
  const { xy, next } = shape;
  let least = Infinity;
  let inside = false;
  for (let i = 0; i < next.length; i++) {
    const j = next[i];
    const [ax, ay, bx, by] = [xy[i * 2], xy[i * 2 + 1], xy[j * 2], xy[j * 2 + 1]];
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) inside = !inside;
    const [dx, dy] = [bx - ax, by - ay];
    const long = dx * dx + dy * dy;
    const t = long > 0 ? Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / long)) : 0;
    const [ex, ey] = [x - ax - t * dx, y - ay - t * dy];
    least = Math.min(least, ex * ex + ey * ey);
  }
  let room = (inside ? 1 : -1) * Math.sqrt(least);
  for (let k = 0; k < taken.length; k += 3) room = Math.min(room, Math.hypot(x - taken[k], y - taken[k + 1]) - taken[k + 2]);
  return room;
}

function largestCircle(shape: Corners, taken: readonly number[], fine: number): [number, number, number] {
  const size = Math.max(Math.min(shape.width, shape.height), Math.max(shape.width, shape.height) / 16) / 2;
  let best: [number, number, number] = [0, 0, 0];
  const heap: { x: number; y: number; half: number; most: number }[] = [];
  const add = (x: number, y: number, half: number) => {
    const room = roomAt(shape, taken, x, y);
    if (room > best[2]) best = [x, y, room];
    const most = room + half * Math.SQRT2;
    if (most <= best[2] + fine) return;
    // A binary heap by the largest circle a cell may hold.
    let i = heap.length;
    heap.push({ x, y, half, most });
    while (i > 0) {
      const up = (i - 1) >> 1;
      if (heap[up].most >= heap[i].most) break;
      [heap[up], heap[i]] = [heap[i], heap[up]];
      i = up;
    }
  };
  for (let x = 0; x < shape.width; x += size * 2) for (let y = 0; y < shape.height; y += size * 2) add(x + size, y + size, size);
  for (let cells = 0; heap.length > 0 && cells < mostCells; cells++) {
    const { x, y, half, most } = takeTop(heap);
    if (most <= best[2] + fine) break;
    const h = half / 2;
    for (const [sx, sy] of [[-1, -1], [1, -1], [-1, 1], [1, 1]]) add(x + sx * h, y + sy * h, h); // prettier-ignore
  }
  return best;
}

function takeTop<T extends { most: number }>(heap: T[]): T {
  const top = heap[0];
  const last = heap.pop()!;
  if (heap.length === 0) return top;
  heap[0] = last;
  for (let i = 0; ;) {
    const [l, r] = [2 * i + 1, 2 * i + 2];
    let m = i;
    if (l < heap.length && heap[l].most > heap[m].most) m = l;
    if (r < heap.length && heap[r].most > heap[m].most) m = r;
    if (m === i) return top;
    [heap[m], heap[i]] = [heap[i], heap[m]];
    i = m;
  }
}
