import { boxOfContour, contourOf } from '../curves/drawing.ts';
import { transformed } from '../curves/affine.ts';
import type { Engine } from '../engine/engine.ts';
import { collide } from '../nesting/collide.ts';
import { pushedTogether } from '../nesting/push.ts';
import { onGrid, variantOf, type Variant } from '../nesting/shape.ts';
import { gapOf, type NestChoice } from './how.ts';
import { areaOfSheet, closedPart, cutContours, hair, remnantsOf, shapesOf, together } from './nest-rows.ts';
import type { Box } from './left-over.ts';
import { mapOf, type Nest, type NestedPart, type NestedSheet } from './nested.ts';
import type { CutRow } from './row.ts';
import { rectangle } from './typed.ts';

/** What is wrong with parts as they lie: pairs that are nearer than they may be, and parts off the sheet or in its rim, by their place in the sheet's list. */
export interface Clashes {
  sheet: number;
  pairs: [number, number][];
  off: number[];
}

/** Clashes of every sheet, after parts were moved by hand. Exact: as grown shapes, touching is none. */
export function clashesOf(rows: readonly CutRow[], sheets: readonly NestedSheet[], choice: NestChoice, engine: Engine): Clashes[] {
  const gap = gapOf(choice);
  const inset = (choice.saw ? choice.saw.trim : choice.rim) - gap / 2;
  const panels = rows.filter((r) => r.kind === 'panel');
  // A saw parts boxes, whatever lies in them.
  const boxed = choice.saw ? panels.map((r) => ({ ...r, layers: [{ meaning: 'cut' as const, depth: null, back: false, contours: [rectangle(r.length, r.width)] }] })) : panels; // prettier-ignore
  const shapes = new Map(shapesOf(boxed, gap, engine, !!choice.shared).map((s, i) => [panels[i].key, s]));
  const known = new Map<string, Variant>();
  const variantFor = ({ row, turn, mirrored }: NestedPart): Variant | null => {
    const shape = shapes.get(row);
    if (!shape) return null;
    const key = `${row} ${turn} ${mirrored}`;
    const found = known.get(key) ?? variantOf(shape, turn, mirrored);
    known.set(key, found);
    return found;
  };
  return sheets.map((s, sheet): Clashes => {
    const laid = s.parts.map((p) => {
      const v = variantFor(p);
      return v ? { v, x: onGrid(p.x + v.shift[0]), y: onGrid(p.y + v.shift[1]) } : null;
    });
    const box: Box = [inset, inset, s.width - inset, s.height - inset];
    const beyond = s.outline ? closedPart(choice.sheets[s.kind], inset, engine, box) : null;
    const pairs: [number, number][] = [];
    const off: number[] = [];
    const order = laid.map((_, i) => i).filter((i) => laid[i]).sort((a, b) => laid[a]!.x - laid[b]!.x); // prettier-ignore
    for (const [k, i] of order.entries()) {
      const a = laid[i]!;
      if (a.x < box[0] - slack || a.y < box[1] - slack || a.x + a.v.width > box[2] + slack || a.y + a.v.height > box[3] + slack) off.push(i);
      else if (beyond && collide(a.v, beyond.variant, beyond.x + inset - a.x, beyond.y + inset - a.y)) off.push(i);
      for (let m = k + 1; m < order.length; m++) {
        const b = laid[order[m]]!;
        if (b.x >= a.x + a.v.width) break;
        if (collide(a.v, b.v, b.x - a.x, b.y - a.y) && !onlyJust(a, b)) pairs.push([Math.min(i, order[m]), Math.max(i, order[m])]);
      }
    }
    return { sheet, pairs, off };
  });
}

/** What rounding may take away from a rim or a gap, mm. */
const slack = 1e-5;

/** Whether two grown boxes reach into each other by no more than rounding. */
function onlyJust(a: { v: Variant; x: number; y: number }, b: { v: Variant; x: number; y: number }): boolean {
  const over = [Math.min(a.x + a.v.width, b.x + b.v.width) - Math.max(a.x, b.x), Math.min(a.y + a.v.height, b.y + b.v.height) - Math.max(a.y, b.y)];
  return Math.min(...over) <= slack;
}

/** Density, and what is left over, of sheets whose parts were moved by hand. */
export function afterMoving(rows: readonly CutRow[], nest: Nest, choice: NestChoice): Nest {
  const by = new Map(rows.map((r) => [r.key, r]));
  const gap = gapOf(choice);
  const sheets = nest.sheets.map((s) => ({
    ...s,
    density: s.parts.reduce((sum, p) => sum + (by.get(p.row)?.area ?? 0), 0) / areaOfSheet(choice.sheets[s.kind]),
  }));
  const remnants = choice.saw
    ? nest.remnants
    : sheets.flatMap((s, i) =>
        s.outline
          ? []
          : remnantsOf(
              i,
              s,
              s.parts.map((p) => placedBox(by.get(p.row)!, p)),
              gap,
            ),
      );
  return together([{ sheets, remnants, notPlaced: nest.notPlaced, density: 0 }], choice);
}

/** The box of a part where it lies, mm. */
export function placedBox(row: CutRow, part: NestedPart): Box {
  const box: Box = [Infinity, Infinity, -Infinity, -Infinity];
  const m = mapOf(part);
  for (const c of cutContours(row))
    for (const s of c.segments) {
      const b = boxOfContour(contourOf([transformed(s, m)], false));
      box[0] = Math.min(box[0], b[0]);
      box[1] = Math.min(box[1], b[1]);
      box[2] = Math.max(box[2], b[2]);
      box[3] = Math.max(box[3], b[3]);
    }
  return box;
}

/** Sheets whose parts are moved left and down until each is as near to the next as may be; locked ones stay. Parts that clash already stay where they are. */
export function pushedSheets(rows: readonly CutRow[], sheets: readonly NestedSheet[], choice: NestChoice, engine: Engine): NestedSheet[] {
  const gap = gapOf(choice);
  const inset = onGrid(choice.rim - gap / 2 - hair);
  const panels = rows.filter((r) => r.kind === 'panel');
  const shapes = new Map(shapesOf(panels, gap, engine, !!choice.shared).map((s, i) => [panels[i].key, s]));
  const clashes = clashesOf(rows, sheets, choice, engine);
  return sheets.map((sheet, n) => {
    const bad = new Set([...clashes[n].pairs.flat(), ...clashes[n].off]);
    const known = sheet.parts.filter((p) => shapes.has(p.row));
    const variants = known.map((p) => variantOf(shapes.get(p.row)!, p.turn, p.mirrored));
    const items = variants.map((v) => ({ variants: [v], copies: 1, kinds: null, priority: 0, locked: [] }));
    const box: Box = [inset, inset, sheet.width - inset, sheet.height - inset];
    const closed = sheet.outline ? [closedPart(choice.sheets[sheet.kind], inset, engine, box)] : [];
    const kinds = [{ width: sheet.width - 2 * inset, height: sheet.height - 2 * inset, copies: null, price: 1, remnant: false, closed }];
    const parts = known.map((p, i) => ({
      item: i,
      copy: 0,
      variant: 0,
      x: onGrid(p.x + variants[i].shift[0] - inset),
      y: onGrid(p.y + variants[i].shift[1] - inset),
      locked: !!p.locked || bad.has(sheet.parts.indexOf(p)),
    }));
    const after = pushedTogether({ items, kinds }, { sheets: [{ kind: 0, parts }], notPlaced: [] }).sheets[0].parts;
    const moved = new Map(known.map((p, i) => [p, { ...p, x: after[i].x - variants[i].shift[0] + inset, y: after[i].y - variants[i].shift[1] + inset }]));
    return { ...sheet, parts: sheet.parts.map((p) => moved.get(p) ?? p) };
  });
}
