import { Unusable } from '../base/finding.ts';
import { contourOf, type Contour } from '../curves/drawing.ts';
import type { Engine } from '../engine/engine.ts';
import { budgetOf, usualRounds, type Budget } from '../nesting/budget.ts';
import { beyondOutline, grownShape } from '../nesting/grown.ts';
import type { SawNode } from '../nesting/saw-node.ts';
import { leavesOf } from '../nesting/saw-fill.ts';
import { sawn } from '../nesting/saw.ts';
import { onGrid, sideTurns, variantOf, type Variant } from '../nesting/shape.ts';
import { pushedTogether } from '../nesting/push.ts';
import { ontoSheets, type SheetItem, type SheetKind, type SheetsResult } from '../nesting/sheets.ts';
import { gapOf, type NestChoice, type StockSheet, type Turns } from './how.ts';
import type { Nest, NestedPart, NestedSheet, Remnant, SawCut } from './nested.ts';
import { groupedByStock } from './csv.ts';
import { largestFree, type Box } from './left-over.ts';
import type { CutRow, Grain } from './row.ts';

/** A part that lies fast: on which sheet, counted over all, and of which kind that is. */
export type LockedPart = NestedPart & { sheet: number; kind: number };

export interface NestWatch {
  /** Called with each better result of a stock, and how far the search is. */
  better?: (nest: Nest, share: number) => void;
  /** True: stop, and keep the best so far. */
  stopped?: () => boolean;
  /** Parts that lie where somebody put them. */
  locked?: readonly LockedPart[];
}

/** A remnant has at least so much on each side, mm. */
export const leastRemnant = 100;

/**
 * Lays all panels of a list on sheets, each material and thickness on its own. Every copy comes out once: on a sheet, or among those that found no place,
 * with why. Equal choices give equal results when rounds are given instead of seconds.
 */
export function nestRows(rows: readonly CutRow[], choice: NestChoice, engine: Engine, watch: NestWatch = {}): Nest {
  const done: Nest[] = [];
  const stocks = [...groupedByStock(rows.filter((r) => r.kind === 'panel' && r.quantity > 0))];
  if (stocks.length === 0)
    throw new Unusable('nothing-to-nest', 'There is no panel in the list to be laid on a sheet.', 'Look at the list: parts that are no panels say why.');
  for (const [k, [stock, list]] of stocks.entries()) {
    const budget = stockBudget(choice, stocks.length, watch);
    const kinds = choice.sheets.map((sheet, kind) => ({ sheet, kind })).filter(({ sheet }) => suits(sheet, list[0]));
    const told = (nest: Nest, share: number) => watch.better?.(together([...done, nest], choice), (k + share) / stocks.length);
    const task: OfStock = { rows: list, stock, kinds, choice, budget };
    let nest: Nest;
    if (kinds.length === 0)
      nest = { sheets: [], remnants: [], density: 0, notPlaced: list.map((r) => ({ row: r.key, copies: r.quantity, why: `There is no sheet of ${stock}.` })) }; // prettier-ignore
    else nest = choice.saw ? sawRows(task) : laidRows(task, engine, watch, told);
    told(nest, 1);
    done.push(nest);
  }
  return together(done, choice);
}

/** What growing adds beyond the gap so that rounding takes nothing from it, mm: what fits exactly still fits. */
export const hair = 4e-6;

/** What is laid of one material and thickness, and on what. */
interface OfStock {
  rows: readonly CutRow[];
  stock: string;
  kinds: Kinds;
  choice: NestChoice;
  budget: Budget;
}

type Kinds = { sheet: StockSheet; kind: number }[];

/** Seconds are shared by the stocks; rounds are for each. */
function stockBudget(choice: NestChoice, stocks: number, { stopped }: NestWatch): Budget {
  if (choice.seconds !== null) return budgetOf({ seconds: choice.seconds / stocks, stopped });
  return budgetOf({ rounds: choice.rounds ?? usualRounds, stopped });
}

const low = (s: string): string => s.trim().toLowerCase();

/** Whether a sheet is of a row's material and thickness, as far as both say. */
function suits(sheet: StockSheet, row: Pick<CutRow, 'material' | 'thickness'>): boolean {
  if (sheet.material !== '' && row.material !== '' && low(sheet.material) !== low(row.material)) return false;
  return sheet.thickness === null || row.thickness === null || Math.abs(sheet.thickness - row.thickness) < 0.05;
}

/** All results as one: sheets numbered through. */
export function together(list: readonly Nest[], choice: NestChoice): Nest {
  const sheets = list.flatMap((n) => n.sheets);
  const remnants: Remnant[] = [];
  let before = 0;
  for (const n of list) {
    remnants.push(...n.remnants.map((r) => ({ ...r, sheet: r.sheet + before })));
    before += n.sheets.length;
  }
  // A rectangle that is left over is not used.
  let [used, covered] = [0, 0];
  sheets.forEach((s, i) => {
    const area = areaOfSheet(choice.sheets[s.kind]);
    const left = Math.max(0, ...remnants.filter((r) => r.sheet === i).map((r) => r.width * r.height));
    used += area - left;
    covered += s.density * area;
  });
  return { sheets, remnants, notPlaced: list.flatMap((n) => n.notPlaced), density: used > 0 ? covered / used : 0 };
}

export function areaOfSheet({ width, height, outline }: StockSheet): number {
  if (!outline) return width * height;
  return Math.abs(outline.reduce((sum, [x, y], i) => sum + x * outline[(i + 1) % outline.length][1] - outline[(i + 1) % outline.length][0] * y, 0)) / 2;
}

/** Turns of a part, in degrees: with a grain only those that keep it along the sheet's. */
export function turnsFor(grain: Grain, sheetGrain: NestChoice['grain'], turns: Turns): number[] {
  const all = turns === 'none' ? [0] : turns === 'quarters' ? [0, 90, 180, 270] : turns === 'free' ? Array.from({ length: 24 }, (_, k) => k * 15) : turns;
  if (grain === 'none' || sheetGrain === 'none') return all;
  // Along X as it lies: unturned on a sheet whose grain runs along X.
  const along = (grain === 'length') === (sheetGrain === 'x') ? 0 : 90;
  const kept = all.filter((t) => Math.abs((((t - along) % 180) + 180) % 180) < 1e-9);
  if (kept.length > 0) return kept;
  return along === 0 ? [0, 180] : [90, 270];
}

/** Outline and openings of a row. */
export const cutContours = (row: CutRow): Contour[] => row.layers.filter((l) => l.meaning === 'cut').flatMap((l) => l.contours);

/** A row's outline as it is laid: grown by half of what is to be between parts. */
export function shapesOf(rows: readonly CutRow[], gap: number, engine: Engine, exact: boolean) {
  // Holes into which no part goes are left out.
  const narrowest = Math.min(...rows.map((r) => Math.min(r.length, r.width)));
  return rows.map((row) => grownShape(engine, cutContours(row), gap / 2, { leastHole: narrowest, exact }));
}

function laidRows({ rows, stock, kinds, choice, budget }: OfStock, engine: Engine, watch: NestWatch, told: (nest: Nest, share: number) => void): Nest {
  const gap = gapOf(choice);
  // Grown parts may reach over the rim by what they grew.
  const inset = onGrid(choice.rim - gap / 2 - hair);
  const shapes = shapesOf(rows, gap, engine, !!choice.shared);
  const sheetKinds: SheetKind[] = kinds.map(({ sheet }) => {
    const [width, height] = [onGrid(sheet.width - 2 * inset), onGrid(sheet.height - 2 * inset)];
    const closed = sheet.outline ? [closedPart(sheet, inset, engine, [inset, inset, inset + width, inset + height])] : [];
    return { width, height, copies: sheet.copies, price: sheet.price ?? areaOfSheet(sheet), remnant: sheet.remnant, closed };
  });
  // A lock holds while its kind of sheet is there.
  const locked = (watch.locked ?? []).flatMap((l) => {
    const kind = kinds.findIndex((k) => k.kind === l.kind);
    return kind < 0 ? [] : [{ ...l, kind }];
  });
  const items: SheetItem[] = rows.map((row, i) => {
    const own = locked.filter((l) => l.row === row.key).slice(0, row.quantity);
    const turns = [...new Set([...turnsFor(row.grain, choice.grain, choice.turns), ...own.map((l) => l.turn)])];
    const free = choice.turns === 'free' && (row.grain === 'none' || choice.grain === 'none');
    const sides = [false, ...(choice.mirror || own.some((l) => l.mirrored) ? [true] : [])];
    const variants = sides.flatMap((mirrored) => [...turns, ...(free ? sideTurns(shapes[i], mirrored) : [])].map((t) => variantOf(shapes[i], t, mirrored)));
    const wanted = choice.only[row.key];
    const only = wanted ? kinds.flatMap(({ sheet }, k) => (low(sheet.name) === low(wanted) ? [k] : [])) : null;
    const list = fewer(variants, new Set(own.map((l) => `${l.turn} ${l.mirrored}`)));
    return {
      variants: list,
      copies: row.quantity,
      kinds: only,
      priority: choice.priority[row.key] ?? 0,
      locked: own.map((l) => {
        const variant = Math.max(
          0,
          list.findIndex((v) => v.turn === l.turn && v.mirrored === l.mirrored),
        );
        return { sheet: l.sheet, kind: l.kind, variant, x: onGrid(l.x + list[variant].shift[0] - inset), y: onGrid(l.y + list[variant].shift[1] - inset) };
      }),
    };
  });
  const toNest = (result: SheetsResult): Nest => {
    const sheets = result.sheets.map((s): NestedSheet => {
      const { sheet, kind } = kinds[s.kind];
      const parts = s.parts.map((p): NestedPart => {
        const v = items[p.item].variants[p.variant];
        return {
          row: rows[p.item].key,
          copy: p.copy,
          turn: v.turn,
          mirrored: v.mirrored,
          x: p.x - v.shift[0] + inset,
          y: p.y - v.shift[1] + inset,
          ...(p.locked ? { locked: true } : {}),
        };
      });
      const covered = s.parts.reduce((sum, p) => sum + rows[p.item].area, 0);
      return {
        kind,
        name: sheet.name,
        width: sheet.width,
        height: sheet.height,
        outline: sheet.outline,
        stock,
        parts,
        density: covered / areaOfSheet(sheet),
        cuts: [],
      };
    });
    const boxes = result.sheets.map((s) => s.parts.map((p) => boxOf(items[p.item].variants[p.variant], p.x + inset, p.y + inset, gap / 2)));
    const remnants = sheets.flatMap((s, i) => (s.outline ? [] : remnantsOf(i, s, boxes[i], gap)));
    return {
      sheets,
      remnants,
      density: 0,
      notPlaced: result.notPlaced.map((n) => ({ row: rows[n.item].key, copies: n.copies, why: whyNot(n.why, rows[n.item], choice) })),
    };
  };
  const wanted = { items, kinds: sheetKinds };
  // What shares cuts is pushed together: edges that face each other come to lie on each other.
  const pushed = (result: SheetsResult): SheetsResult => (choice.shared ? pushedTogether(wanted, result) : result);
  return toNest(pushed(ontoSheets(wanted, choice.seed, budget, (result, share) => told(toNest(pushed(result)), share))));
}

/** Variants without those whose shape is the same again, as a rectangle turned by half: they would only be tried twice. */
function fewer(variants: readonly Variant[], keep: ReadonlySet<string>): Variant[] {
  const seen = new Set<string>();
  return variants.filter((v) => {
    const corners = Array.from({ length: v.xy.length / 2 }, (_, k) => `${v.xy[k * 2]} ${v.xy[k * 2 + 1]}`).sort();
    const key = corners.join(';');
    if (keep.has(`${v.turn} ${v.mirrored}`) || !seen.has(key)) {
      seen.add(key);
      return true;
    }
    return false;
  });
}

const whyNot = (why: SheetsResult['notPlaced'][number]['why'], row: CutRow, choice: NestChoice): string => {
  const size = `${Number(row.length.toFixed(1))} × ${Number(row.width.toFixed(1))} mm`;
  if (why === 'stopped') return 'Stopped before it was laid.';
  const only = choice.only[row.key];
  if (only && !choice.sheets.some((s) => low(s.name) === low(only))) return `It must lie on "${only}", and no sheet is called so.`;
  if (why === 'too-large')
    return `It is too large: ${size} fits no sheet within its rim of ${choice.saw ? choice.saw.trim : choice.rim} mm${row.grain === 'none' ? '' : ' with its grain kept'}.`;
  return 'No sheet is left for it.';
};

const boxOf = (v: Variant, x: number, y: number, by: number): Box => [x + by, y + by, x + v.width - by, y + v.height - by];

/** What a sheet's box has beyond its outline, as something that lies fast. */
export function closedPart(sheet: StockSheet, inset: number, engine: Engine, box: Box) {
  const ring = sheet.outline!;
  const outline = [
    contourOf(
      ring.map((a, i) => ({ kind: 'line' as const, a, b: ring[(i + 1) % ring.length] })),
      true,
    ),
  ];
  const variant = variantOf(beyondOutline(engine, outline, inset, box), 0, false);
  return { variant, x: onGrid(variant.shift[0] - inset), y: onGrid(variant.shift[1] - inset) };
}

/** Rectangles that no part's box reaches into, away from parts by the gap: the largest, and the largest beside it. */
export function remnantsOf(sheet: number, { width, height }: NestedSheet, boxes: readonly Box[], gap: number): Remnant[] {
  const out: Remnant[] = [];
  let taken = boxes.map((b): Box => [b[0] - gap, b[1] - gap, b[2] + gap, b[3] + gap]);
  for (let k = 0; k < 2; k++) {
    const best = largestFree(width, height, taken);
    if (!best || Math.min(best[2] - best[0], best[3] - best[1]) < leastRemnant) break;
    out.push({ sheet, x: best[0], y: best[1], width: best[2] - best[0], height: best[3] - best[1] });
    taken = [...taken, best];
  }
  return out;
}

function sawRows({ rows, stock, kinds, choice, budget }: OfStock): Nest {
  const { stages, trim } = choice.saw!;
  // A saw cuts the rectangle round a part; what is no rectangle is sawn to its box first.
  const items = rows.map((row) => {
    const turns = turnsFor(row.grain, choice.grain, choice.turns === 'none' ? 'none' : 'quarters');
    const across = turns.every((t) => t % 180 !== 0);
    return {
      width: across ? row.width : row.length,
      height: across ? row.length : row.width,
      copies: row.quantity,
      turns: turns.some((t) => t % 180 === 0) && turns.some((t) => t % 180 !== 0),
      across,
    };
  });
  const sheetKinds = kinds.map(({ sheet }) => ({
    width: sheet.width,
    height: sheet.height,
    copies: sheet.copies,
    price: sheet.price ?? areaOfSheet(sheet),
    remnant: sheet.remnant,
  }));
  const result = sawn({ items, kinds: sheetKinds }, { trim, kerf: choice.kerf, stages }, choice.seed, budget);
  const next = rows.map(() => 0);
  const remnants: Remnant[] = [];
  const sheets = result.sheets.map((s, n): NestedSheet => {
    const { sheet, kind } = kinds[s.kind];
    const parts: NestedPart[] = [];
    let covered = 0;
    const leaves = leavesOf(s.root);
    for (const leaf of leaves) {
      if (!leaf.part) continue;
      const { item, turned } = leaf.part;
      const quarter = turned !== items[item].across;
      covered += rows[item].area;
      parts.push({ row: rows[item].key, copy: next[item]++, turn: quarter ? 90 : 0, mirrored: false, x: leaf.x + (quarter ? rows[item].width : 0), y: leaf.y });
    }
    const free = leaves.filter((l) => !l.part && Math.min(l.width, l.height) >= leastRemnant).sort((a, b) => b.width * b.height - a.width * a.height);
    remnants.push(...free.slice(0, 6).map(({ x, y, width, height }) => ({ sheet: n, x, y, width, height })));
    return {
      kind,
      name: sheet.name,
      width: sheet.width,
      height: sheet.height,
      outline: null,
      stock,
      parts,
      density: covered / areaOfSheet(sheet),
      cuts: cutsOf(s.root, sheet, trim),
    };
  });
  return {
    sheets,
    remnants,
    density: 0,
    notPlaced: result.notPlaced.map((n) => ({ row: rows[n.item].key, copies: n.copies, why: whyNot(n.why, rows[n.item], choice) })),
  };
}

/** The cuts of a sheet in their order: the trim first, then each piece as far as it goes before the next. Places are where the part's side is. */
function cutsOf(root: SawNode, sheet: StockSheet, trim: number): SawCut[] {
  const cuts: SawCut[] = [];
  const add = (cut: Omit<SawCut, 'number'>) => cuts.push({ number: cuts.length + 1, ...cut });
  if (trim > 0) {
    for (const at of [trim, sheet.height - trim]) add({ along: 'x', at, from: 0, to: sheet.width, stage: 0 });
    for (const at of [trim, sheet.width - trim]) add({ along: 'y', at, from: trim, to: sheet.height - trim, stage: 0 });
  }
  const down = (node: SawNode, before: 'x' | 'y' | null, stages: number) => {
    if (!node.cut) return;
    const { along, at, low: first, high } = node.cut;
    const stage = stages + (before !== along ? 1 : 0);
    if (along === 'x') add({ along, at, from: node.x, to: node.x + node.width, stage });
    else add({ along, at, from: node.y, to: node.y + node.height, stage });
    down(first, along, stage);
    if (high) down(high, along, stage);
  };
  down(root, null, 0);
  return cuts;
}
