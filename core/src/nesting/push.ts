import { collide } from './collide.ts';
import { grid, type Variant } from './shape.ts';
import type { SheetsResult, Wanted } from './sheets.ts';

/** Pushed left and down so many times at most: each time what lies behind can follow. */
const mostPushes = 12;
/** With more parts than this on a sheet they stay as they were laid: each push looks at every pair in line. */
const mostPushed = 2000;

interface Lying {
  v: Variant;
  x: number;
  y: number;
  fast: boolean;
}

/**
 * The same sheets with every part moved left and down until it touches, so that edges which face each other lie on each other. Nothing overlaps and
 * nothing leaves its sheet; locked parts and what is closed stay. Source: bottom-left moves, Jakobs, 1996.
 */
export function pushedTogether({ items, kinds }: Wanted, result: SheetsResult): SheetsResult {
  const sheets = result.sheets.map((sheet) => {
    if (sheet.parts.length > mostPushed) return sheet;
    const parts: Lying[] = sheet.parts.map((p) => ({ v: items[p.item].variants[p.variant], x: p.x, y: p.y, fast: p.locked }));
    const all = [...parts, ...kinds[sheet.kind].closed.map((f) => ({ v: f.variant, x: f.x, y: f.y, fast: true }))];
    for (let k = 0; k < mostPushes && pushOnce(all); k++);
    return { ...sheet, parts: sheet.parts.map((p, i) => ({ ...p, x: parts[i].x, y: parts[i].y })) };
  });
  return { ...result, sheets };
}

/** Each part left, then each part down, the foremost first; whether anything moved. */
function pushOnce(all: Lying[]): boolean {
  let moved = false;
  for (const along of ['x', 'y'] as const)
    for (const part of [...all].sort((a, b) => a[along] - b[along])) {
      if (part.fast) continue;
      const far = freeWay(part, all, along);
      if (far <= 0) continue;
      part[along] -= far;
      moved = true;
    }
  return moved;
}

/** How far a part can be moved towards 0 until it touches something, mm. */
function freeWay(part: Lying, all: readonly Lying[], along: 'x' | 'y'): number {
  let far = part[along];
  for (const other of all) {
    if (other === part || !inTheWay(part, other, along)) continue;
    // From contact to contact: the first stretch in which they would overlap ends the way.
    const stops = contacts(part, other, along).filter((d) => d <= far);
    for (const [k, d] of stops.entries()) {
      const next = k + 1 < stops.length ? stops[k + 1] : far;
      const middle = Math.floor((d + next) / 2 / grid) * grid;
      if (middle > d && overlapAfter(part, other, along, middle)) {
        far = d;
        break;
      }
    }
  }
  far = Math.floor(far / grid) * grid;
  // Slanted edges meet between two places of the grid.
  const free = (d: number) => all.every((other) => other === part || !overlapAfter(part, other, along, d));
  if (far > 0 && !free(far)) far -= grid;
  return far > 0 && free(far) ? far : 0;
}

/** Whether the other lies before the part and within its breadth. */
function inTheWay(a: Lying, b: Lying, along: 'x' | 'y'): boolean {
  if (along === 'x') return b.x < a.x + a.v.width && b.y < a.y + a.v.height && b.y + b.v.height > a.y;
  return b.y < a.y + a.v.height && b.x < a.x + a.v.width && b.x + b.v.width > a.x;
}

const overlapAfter = (a: Lying, b: Lying, along: 'x' | 'y', by: number): boolean =>
  along === 'x' ? collide(a.v, b.v, b.x - a.x + by, b.y - a.y) : collide(a.v, b.v, b.x - a.x, b.y - a.y + by);

/** Distances at which a corner of one comes to lie on the border of the other, from 0, ascending. */
function contacts(a: Lying, b: Lying, along: 'x' | 'y'): number[] {
  const out = new Set<number>([0]);
  const k = along === 'x' ? 0 : 1;
  const [ax, ay, bx, by] = along === 'x' ? [a.x, a.y, b.x, b.y] : [a.y, a.x, b.y, b.x];
  // Along and across the way: corners of one against edges of the other, then the other way round.
  meet(a.v, k, { at: ax, across: ay }, b.v, { at: bx, across: by }, (d) => d > 0 && out.add(d));
  meet(b.v, k, { at: bx, across: by }, a.v, { at: ax, across: ay }, (d) => -d > 0 && out.add(-d));
  return [...out].sort((p, q) => p - q);
}

interface From {
  at: number;
  across: number;
}

/** How far each corner of `p` lies beyond each edge of `q` that it has before or behind it. */
// eslint-disable-next-line max-params -- two shapes, where each lies, and what is to be done
function meet(p: Variant, k: number, from: From, q: Variant, to: From, found: (d: number) => void): void {
  for (let i = 0; i < p.xy.length; i += 2) {
    const [at, across] = [p.xy[i + k] + from.at, p.xy[i + 1 - k] + from.across];
    for (let j = 0; j < q.next.length; j++) {
      const n = q.next[j] * 2;
      const [c, d] = [q.xy[j * 2 + 1 - k] + to.across, q.xy[n + 1 - k] + to.across];
      if (Math.min(c, d) > across || Math.max(c, d) < across) continue;
      const [e, f] = [q.xy[j * 2 + k] + to.at, q.xy[n + k] + to.at];
      if (c === d) {
        found(at - e);
        found(at - f);
      } else found(at - (e + ((across - c) / (d - c)) * (f - e)));
    }
  }
}
