import { Unusable, type Finding } from '../base/finding.ts';
import { lengthText } from '../base/figures.ts';
import { boxOf, sizeOf } from '../geometry/box.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { usualStanding, type Standing, type StockChoice } from './choice.ts';
import { shadowsOf, type Shadows } from './drop.ts';
import { gridOver, type Grid, type HeightField } from './field.ts';
import { emptyScan, finished, scanInto, undercuts } from './scan.ts';
import { smoothed } from './smooth.ts';

/** A relief as it came to stand: its size on the stock, and what became of it. */
export interface ReliefFigures {
  /** X, Y, Z of one copy, mm; and how many times its own size that is. */
  size: [number, number, number];
  factors: [number, number, number];
  triangles: number;
  /** Air under overhangs that is filled, mm3, and its share of the places. */
  undercut: number;
  undercutShare: number;
  /** How far it reaches below its zero plane, mm. */
  below: number;
}

/** Reliefs on a stock, as heights over the bed, mm; X and Y count from the stock's middle. */
export interface Composed {
  choice: StockChoice;
  field: HeightField;
  reliefs: ReliefFigures[];
  /** Where overhangs were filled: 1. */
  undercut: Uint8Array;
  /** How far the sides lean out from the top to the bed, mm. */
  lean: number;
  findings: Finding[];
  /** The reliefs where they stand, their zero planes at Z 0. */
  copies: readonly Mesh[];
  /** The height over a place, NaN where no relief lies; for outlines of their own. */
  heightAt: (x: number, y: number) => number;
}

/** Most triangles that are gone through, copies counted. */
const mostScanned = 60_000_000;

interface Standings {
  /** The relief where it stands: in the stock's coordinates, its zero plane at Z 0. */
  copies: Mesh[];
  figures: ReliefFigures;
  box: [number, number, number, number];
}

/**
 * Sets reliefs on a stock: each turned, mirrored, sized, laid side by side, cut at its zero plane or sunk, and met with what was laid before.
 * @param meshes one for each of `choice.reliefs`, in mm
 * @throws Unusable when it stands out above the stock, goes through the base, or is not there at all.
 */
export function compose(meshes: readonly Mesh[], choice: StockChoice): Composed {
  const [sx, sy, sz] = choice.stock;
  checkChoice(meshes, choice);
  const lean = choice.base * Math.tan((choice.draft * Math.PI) / 180);
  const free: [number, number, number] = [sx - 2 * (choice.margin + lean), sy - 2 * (choice.margin + lean), sz - choice.base];
  if (choice.outline === 'round') free[0] = free[1] = Math.min(free[0], free[1]);
  if (!(free[0] > 0 && free[1] > 0))
    throw new Unusable('margin-too-wide', 'The margin and the leaning sides leave nothing of the stock.', 'Type a smaller margin.');
  const stand = meshes.map((mesh, i) => standing(mesh, choice.reliefs[i] ?? usualStanding, free));
  const grid = gridFor(choice, stand, lean);
  const ground = new Float64Array(grid.columns * grid.rows).fill(NaN);
  const under = new Uint8Array(ground.length);
  for (const [i, { copies, figures }] of stand.entries()) {
    const out = emptyScan(grid);
    for (const copy of copies) scanInto(out, copy, grid);
    finished(out);
    const air = undercuts(out, grid, -choice.reliefs[i].zero);
    figures.undercut = air.volume;
    let met = 0;
    for (let k = 0; k < ground.length; k++) {
      if (air.where[k]) under[k] = 1;
      if (!Number.isNaN(out.top[k])) met++;
      ground[k] = blended(ground[k], level(out.top[k], choice.reliefs[i]), choice.reliefs[i].blend);
    }
    if (met === 0) throw new Unusable('off-the-stock', `Relief ${i + 1} does not lie on the stock.`, 'Set it nearer to the middle.');
    figures.undercutShare = air.places / met;
  }
  const raw = ground.slice();
  const field: HeightField = { ...grid, heights: ground };
  if (choice.smooth) field.heights = smoothed(field, choice.smooth);
  const own = choice.outline === 'own';
  const range: [number, number] = [Infinity, -Infinity];
  for (let k = 0; k < raw.length; k++) {
    const h = field.heights[k];
    if (Number.isNaN(h) && own) continue;
    field.heights[k] = choice.base + (Number.isNaN(h) ? 0 : h);
    range[0] = Math.min(range[0], field.heights[k]);
    range[1] = Math.max(range[1], field.heights[k]);
  }
  checkHeights(range, choice);
  let shadows: Shadows[][] | null = null;
  return {
    choice,
    field,
    reliefs: stand.map((s) => s.figures),
    undercut: under,
    lean,
    findings: findingsOf(stand, choice, free),
    copies: stand.flatMap((s) => s.copies),
    heightAt: (x, y) => {
      let h = NaN;
      shadows ??= stand.map(({ copies }) => copies.map(shadowsOf));
      for (const [i, copies] of shadows.entries())
        for (const copy of copies) h = blended(h, level(over(copy, x, y), choice.reliefs[i]), choice.reliefs[i].blend);
      return h + choice.base;
    },
  };
}

function checkChoice(meshes: readonly Mesh[], choice: StockChoice): void {
  checkReliefs(meshes.length, choice);
  if (!(choice.base < choice.stock[2]))
    throw new Unusable(
      'base-too-thick',
      `A base of ${choice.base} mm leaves nothing of a stock of ${choice.stock[2]} mm for the relief.`,
      'Type a thinner base.',
    );
  if (choice.outline === 'own' && choice.draft > 0)
    throw new Unusable('no-draft', "Sides along a relief's own outline stand upright.", 'Take the draft away, or the outline of the stock.');
}

/** A height over the zero plane as it comes onto the stock. */
const level = (z: number, { below }: Standing) => (below === 'cut' ? (z < 0 ? 0 : z) : z);

function blended(ground: number, h: number, how: Standing['blend']): number {
  if (Number.isNaN(h)) return ground;
  if (Number.isNaN(ground)) return h;
  return how === 'add' ? ground + h : how === 'lowest' ? Math.min(ground, h) : Math.max(ground, h);
}

/** Rows of the turn that brings a direction up, with X kept where that goes. */
const upward: Record<Standing['up'], readonly number[]> = {
  z: [1, 0, 0, 0, 1, 0, 0, 0, 1],
  '-z': [1, 0, 0, 0, -1, 0, 0, 0, -1],
  y: [1, 0, 0, 0, 0, -1, 0, 1, 0],
  '-y': [1, 0, 0, 0, 0, 1, 0, -1, 0],
  x: [0, 1, 0, 0, 0, 1, 1, 0, 0],
  '-x': [0, 1, 0, 0, 0, -1, -1, 0, 0],
};

/** The mesh turned, mirrored and sized, and its copies. */
function standing(mesh: Mesh, s: Standing, free: readonly number[]): Standings {
  if (mesh.triangles.length === 0) throw new Unusable('no-triangles', 'A relief has no surface.', 'Leave it out.');
  const [tx, ty] = s.tiles;
  if ((mesh.triangles.length / 3) * tx * ty > mostScanned)
    throw new Unusable(
      'too-many-copies',
      `${tx} x ${ty} copies of ${(mesh.triangles.length / 3).toLocaleString('en')} triangles are too many.`,
      'Make the relief lighter, or take fewer copies.',
    );
  const p = turned(mesh.positions, s);
  const box = boxOf(p);
  const own = sizeOf(box);
  // What is left of a flat side after turning is rounding.
  if (!(Math.min(own[0], own[1]) > 1e-9 * Math.max(...own)))
    throw new Unusable('no-relief', 'Seen from above the relief has no size.', 'Choose another side to be up.');
  const factors = factorsOf(own, s, free);
  const size = own.map((v, k) => v * factors[k]) as [number, number, number];
  for (let i = 0; i < p.length; i += 3) {
    p[i] = (p[i] - (box.min[0] + box.max[0]) / 2) * factors[0];
    p[i + 1] = (p[i + 1] - (box.min[1] + box.max[1]) / 2) * factors[1];
    p[i + 2] = (p[i + 2] - box.min[2]) * factors[2] - s.zero;
  }
  const copies: Mesh[] = [];
  for (let j = 0; j < ty; j++)
    for (let i = 0; i < tx; i++) {
      const flip = [s.mirrored && i % 2 === 1, s.mirrored && j % 2 === 1];
      const at = [s.at[0] + (i - (tx - 1) / 2) * size[0], s.at[1] + (j - (ty - 1) / 2) * size[1]];
      const q = p.slice();
      for (let k = 0; k < q.length; k += 3) {
        q[k] = (flip[0] ? -q[k] : q[k]) + at[0];
        q[k + 1] = (flip[1] ? -q[k + 1] : q[k + 1]) + at[1];
      }
      copies.push({ positions: q, triangles: flip[0] === flip[1] ? mesh.triangles : reversed(mesh.triangles) });
    }
  const [hx, hy] = [(tx * size[0]) / 2, (ty * size[1]) / 2];
  return {
    copies,
    figures: { size, factors, triangles: mesh.triangles.length / 3, undercut: 0, undercutShare: 0, below: Math.max(0, s.zero) },
    box: [s.at[0] - hx, s.at[1] - hy, s.at[0] + hx, s.at[1] + hy],
  };
}

const reversed = (t: Uint32Array): Uint32Array => t.map((_, i) => t[i - (i % 3) + ((3 - (i % 3)) % 3)]);

function turned(positions: Float64Array, s: Standing): Float64Array {
  const m = upward[s.up];
  const [c, sn] = [Math.cos((s.turn * Math.PI) / 180), Math.sin((s.turn * Math.PI) / 180)];
  const out = new Float64Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = [positions[i], positions[i + 1], positions[i + 2]];
    let u = m[0] * x + m[1] * y + m[2] * z;
    const v = m[3] * x + m[4] * y + m[5] * z;
    if (s.mirror) u = -u;
    out[i] = c * u - sn * v;
    out[i + 1] = sn * u + c * v;
    out[i + 2] = m[6] * x + m[7] * y + m[8] * z;
  }
  return out;
}

/** How many times its own size a relief becomes along each axis. */
function factorsOf(own: readonly number[], s: Standing, free: readonly number[]): [number, number, number] {
  const [x, y] = [free[0] / (own[0] * s.tiles[0]), free[1] / (own[1] * s.tiles[1])];
  const thickness = free[2] + s.zero;
  const z = own[2] > 0 && thickness > 0 ? thickness / own[2] : Infinity;
  if (s.fit === 'typed') {
    const first = s.size.findIndex((v) => v !== null);
    if (first < 0) throw new Unusable('no-size', 'No size was typed.', 'Type X, Y or Z; what is left empty follows in proportion.');
    const flat = s.size.findIndex((v, k) => v !== null && !(own[k] > 0));
    if (flat >= 0) throw new Unusable('no-size', `The relief has no size along ${'XYZ'[flat]} that could be set.`, 'Leave that field empty.');
    const kept = s.size[first]! / own[first];
    return [0, 1, 2].map((k) => (s.size[k] === null ? kept : s.size[k]! / own[k])) as [number, number, number];
  }
  if (s.fit === 'thickness' && z === Infinity)
    throw new Unusable('no-thickness', 'The relief has no thickness that could fit the stock.', 'Fit it by its width.');
  const one = { inside: Math.min(x, y, z), width: x, depth: y, thickness: z, own: 1 }[s.fit];
  return [one, one, one];
}

function gridFor(choice: StockChoice, stand: readonly Standings[], lean: number): Grid {
  const half: [number, number] = [choice.stock[0] / 2 - lean, choice.stock[1] / 2 - lean];
  if (choice.outline === 'round') half[0] = half[1] = Math.min(...half);
  let [low, high]: [[number, number], [number, number]] = [[-half[0], -half[1]], [half[0], half[1]]]; // prettier-ignore
  if (choice.outline === 'own') {
    low = [0, 1].map((k) => Math.max(low[k], Math.min(...stand.map((s) => s.box[k])))) as [number, number];
    high = [0, 1].map((k) => Math.min(high[k], Math.max(...stand.map((s) => s.box[k + 2])))) as [number, number];
    if (!(high[0] > low[0] && high[1] > low[1])) throw new Unusable('off-the-stock', 'The relief does not lie on the stock.', 'Set it nearer to the middle.');
  }
  return gridOver(low, high, choice.cell ?? Math.max(high[0] - low[0], high[1] - low[1]) / 400);
}

/** Least that is left of the base under a sunk relief, mm: below that it is a hole. */
const leastBase = 0.01;

function checkHeights([low, high]: [number, number], { stock, base }: StockChoice): void {
  if (high > stock[2] * (1 + 1e-9) + 1e-9)
    throw new Unusable(
      'above-the-stock',
      `The relief stands ${lengthText(high - stock[2])} mm above the stock of ${lengthText(stock[2])} mm.`,
      'Fit it by thickness, raise its zero plane, or take a thinner base.',
    );
  if (low < leastBase)
    throw new Unusable(
      'through-the-base',
      `What is kept below the zero plane reaches ${lengthText(base - low)} mm down, through the base of ${lengthText(base)} mm.`,
      `Take a base of more than ${lengthText(base - low)} mm, or cut off what lies below.`,
    );
}

function findingsOf(stand: readonly Standings[], choice: StockChoice, free: readonly number[]): Finding[] {
  const out: Finding[] = [];
  for (const [i, { figures, box }] of stand.entries()) {
    const name = stand.length === 1 ? 'The relief' : `Relief ${i + 1}`;
    if (figures.undercut > 0)
      out.push({
        code: 'undercut',
        severity: 'look',
        count: 1,
        message: `${name} overhangs on ${(figures.undercutShare * 100).toPrecision(2)} % of its places: ${figures.undercut.toPrecision(3)} mm3 below are filled, since a bit from above does not reach them.`,
        remedy: 'Choose another side to be up, or carve it from two sides.',
      });
    const far = [Math.max(-box[0], box[2]), Math.max(-box[1], box[3])];
    const beyond = choice.outline === 'round' ? Math.hypot(far[0], far[1]) - free[0] / 2 : Math.max(far[0] - free[0] / 2, far[1] - free[1] / 2);
    if (choice.outline !== 'own' && beyond > 1e-6)
      out.push({
        code: 'beyond-the-margin',
        severity: 'look',
        count: 1,
        message: `${name} reaches ${lengthText(beyond)} mm beyond the ${choice.outline === 'round' ? 'circle' : 'margin'}; what lies beyond the stock is left out.`,
        remedy: 'Make it smaller, or set it elsewhere, unless that is wanted.',
      });
    if (figures.below > 0 && choice.reliefs[i].below === 'cut')
      out.push({
        code: 'cut-at-zero',
        severity: 'clear',
        count: 1,
        message: `${name} is cut off at its zero plane, ${lengthText(figures.below)} mm above its lowest place.`,
        remedy: 'Keep what lies below if it shall be sunk into the base.',
      });
  }
  return out;
}

/** The highest place of a mesh over a point, NaN where there is none. */
function over({ mesh: { positions: p, triangles: t }, at, cell, columns, rows, starts, list }: Shadows, x: number, y: number): number {
  const [c, r] = [Math.floor((x - at[0]) / cell), Math.floor((y - at[1]) / cell)];
  if (c < 0 || r < 0 || c >= columns || r >= rows) return NaN;
  let top = NaN;
  for (let k = starts[r * columns + c]; k < starts[r * columns + c + 1]; k++) {
    const [a, b, d] = [t[list[k] * 3] * 3, t[list[k] * 3 + 1] * 3, t[list[k] * 3 + 2] * 3];
    const det = (p[b] - p[a]) * (p[d + 1] - p[a + 1]) - (p[b + 1] - p[a + 1]) * (p[d] - p[a]);
    if (det === 0) continue;
    const s = ((x - p[a]) * (p[d + 1] - p[a + 1]) - (y - p[a + 1]) * (p[d] - p[a])) / det;
    const w = ((p[b] - p[a]) * (y - p[a + 1]) - (p[b + 1] - p[a + 1]) * (x - p[a])) / det;
    if (s < 0 || w < 0 || s + w > 1) continue;
    const z = p[a + 2] + s * (p[b + 2] - p[a + 2]) + w * (p[d + 2] - p[a + 2]);
    if (!(z <= top)) top = z;
  }
  return top;
}

/** @throws Unusable unless there is one standing for each relief. */
function checkReliefs(count: number, choice: StockChoice): void {
  if (choice.reliefs.length !== count)
    throw new Unusable('which-relief', `${choice.reliefs.length} reliefs were described and ${count} given.`, 'Describe each that is given.');
}
