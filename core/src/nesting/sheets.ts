import { Unusable } from '../base/finding.ts';
import { partOf, type Budget } from './budget.ts';
import { Layout, type Fixed, type Piece, type Place, type Room } from './layout.ts';
import { randomFrom } from './random.ts';
import { bestPlace } from './search.ts';
import { separate } from './separate.ts';
import type { Variant } from './shape.ts';
import { startPlaces } from './start.ts';
import { largestFirst, shortened, stripStart } from './strip.ts';

/** A kind of sheet, as a room for grown shapes. mm */
export interface SheetKind extends Room {
  /** How many there are; null: as many as are needed. */
  copies: number | null;
  /** What one costs; only compared with the others. */
  price: number;
  /** Left over from before: used up first. */
  remnant: boolean;
  /** What can't be used of it: defects, and what its box has beyond its outline. */
  closed: readonly Omit<Fixed, 'room'>[];
}

/** A shape to be laid, as often as it says. */
export interface SheetItem {
  variants: readonly Variant[];
  copies: number;
  /** Kinds of sheet that it may lie on; null: any. */
  kinds: readonly number[] | null;
  /** Higher ones are laid first. */
  priority: number;
  /** Copies that lie where somebody put them. */
  locked: readonly { sheet: number; kind: number; variant: number; x: number; y: number }[];
}

/** A copy of an item on a sheet of the result. */
export interface OnSheet {
  item: number;
  /** Counted from 0; locked ones come first. */
  copy: number;
  variant: number;
  x: number;
  y: number;
  locked: boolean;
}

export interface SheetsResult {
  sheets: { kind: number; parts: OnSheet[] }[];
  notPlaced: { item: number; copies: number; why: 'too-large' | 'no-sheet-left' | 'stopped' }[];
}

/** With more pieces than this only the last two sheets are searched. */
const mostSearched = 500;
/** Most pieces in one go. */
const mostPieces = 20_000;

interface Copy {
  item: number;
  copy: number;
}
interface Sheet {
  kind: number;
  room: Room;
  fixed: Omit<Fixed, 'room'>[];
  list: { piece: number; place: Place }[];
  locked: OnSheet[];
}

/** What is to be laid, and on what. */
export interface Wanted {
  items: readonly SheetItem[];
  kinds: readonly SheetKind[];
}

/** A nesting at work: what is wanted, every copy as a piece of its own, chance and how long. */
interface Task extends Wanted {
  pieces: readonly Piece[];
  copies: readonly Copy[];
  random: () => number;
  budget: Budget;
}

/** Called with each better result. */
export type Better = (result: SheetsResult, share: number) => void;

/**
 * Lays items on sheets: remnants first, then those that take most for their price; then searches for a way with a sheet less, and makes the last
 * one's used end as short as it gets, so that a rectangle is left. The same seed and number of rounds give the same result.
 * @throws Unusable when there are too many pieces.
 */
export function ontoSheets({ items, kinds }: Wanted, seed: number, budget: Budget, better: Better = () => {}): SheetsResult {
  const random = randomFrom(seed);
  const copies: Copy[] = [];
  const pieces: Piece[] = [];
  const priorities: number[] = [];
  items.forEach((it, item) => {
    for (let copy = it.locked.length; copy < it.copies; copy++) {
      copies.push({ item, copy });
      pieces.push({ variants: it.variants, rooms: null });
      priorities.push(it.priority);
    }
  });
  if (pieces.length > mostPieces) {
    throw new Unusable('too-many-parts', `${pieces.length.toLocaleString('en')} parts are too many for one nesting; at most ${mostPieces.toLocaleString('en')} are laid.`, 'Nest fewer at a time, or smaller quantities.'); // prettier-ignore
  }
  const order = largestFirst(pieces);
  order.sort((a, b) => priorities[b] - priorities[a]);
  const task: Task = { items, kinds, pieces, copies, random, budget };
  const sheets = lockedSheets(items, kinds);
  const left = fillSheets(task, order, sheets);
  const notPlaced = whyNot(task, left);
  const result = () => resultOf(sheets, copies, notPlaced);
  better(result(), 0);
  if (sheets.length > 0) {
    const half = { ...task, budget: partOf(budget, 0, 0.5) };
    while (sheets.length > 1 && !budget.over(0.5) && withoutOne(half, sheets)) better(result(), 0.5);
    lastShorter(task, sheets, () => better(result(), 0.9));
  }
  return result();
}

/** Sheets that locked copies lie on, with those as fixed: in the order of their numbers, without gaps. */
function lockedSheets(items: readonly SheetItem[], kinds: readonly SheetKind[]): Sheet[] {
  const sheets = new Map<number, Sheet>();
  const all = items.flatMap((it, item) => it.locked.map((l, copy) => ({ ...l, item, copy }))).sort((a, b) => a.sheet - b.sheet);
  for (const { sheet: number, kind, item, copy, variant, x, y } of all) {
    const sheet = sheets.get(number) ?? emptySheet(kinds, kind);
    sheets.set(number, sheet);
    sheet.fixed.push({ variant: items[item].variants[variant], x, y });
    sheet.locked.push({ item, copy, variant, x, y, locked: true });
  }
  return [...sheets.values()];
}

const emptySheet = (kinds: readonly SheetKind[], kind: number): Sheet => ({
  kind,
  room: { width: kinds[kind].width, height: kinds[kind].height },
  fixed: [...kinds[kind].closed],
  list: [],
  locked: [],
});

const usedOf = (sheets: readonly Sheet[], kind: number): number => sheets.filter((s) => s.kind === kind).length;

const mayLie = (item: SheetItem, kind: number): boolean => item.kinds === null || item.kinds.includes(kind);

/** Fills sheet after sheet; gives the pieces that found no place. */
function fillSheets({ items, kinds, pieces, copies, budget }: Task, order: readonly number[], sheets: Sheet[]): number[] {
  let left = [...order];
  const fill = (sheet: Sheet): { taken: number[]; places: (Place | null)[] } => {
    const own = left.filter((i) => mayLie(items[copies[i].item], sheet.kind));
    const some = own.map((i) => pieces[i]);
    const lying = { rooms: [sheet.room], fixed: sheet.fixed.map((f) => ({ ...f, room: 0 })) };
    const places = startPlaces(some, some.map((_, k) => k), lying, () => budget.over(1)); // prettier-ignore
    return { taken: own, places };
  };
  const take = (sheet: Sheet, { taken, places }: ReturnType<typeof fill>) => {
    const gone = new Set<number>();
    places.forEach((place, k) => {
      if (!place) return;
      sheet.list.push({ piece: taken[k], place });
      gone.add(taken[k]);
    });
    left = left.filter((i) => !gone.has(i));
  };
  for (const sheet of sheets) take(sheet, fill(sheet));
  const spent = new Set<number>();
  while (left.length > 0 && !budget.over(1)) {
    const open = kinds.map((_, k) => k).filter((k) => !spent.has(k) && (kinds[k].copies === null || usedOf(sheets, k) < kinds[k].copies!));
    if (open.length === 0) break;
    const remnants = open.filter((k) => kinds[k].remnant);
    let best: { sheet: Sheet; done: ReturnType<typeof fill>; worth: number } | null = null;
    for (const k of remnants.length > 0 ? [remnants.sort((a, b) => kinds[a].width * kinds[a].height - kinds[b].width * kinds[b].height)[0]] : open) {
      const sheet = emptySheet(kinds, k);
      const done = fill(sheet);
      const area = done.places.reduce((sum, p, i) => sum + (p ? pieces[done.taken[i]].variants[0].area : 0), 0);
      if (area === 0) {
        // A sheet that takes nothing now takes nothing later.
        spent.add(k);
        continue;
      }
      const worth = area / kinds[k].price;
      if (!best || worth > best.worth) best = { sheet, done, worth };
    }
    if (!best) continue;
    take(best.sheet, best.done);
    sheets.push(best.sheet);
  }
  return left;
}

function whyNot({ items, kinds, copies, budget }: Task, left: readonly number[]): SheetsResult['notPlaced'] {
  const by = new Map<number, number>();
  for (const i of left) by.set(copies[i].item, (by.get(copies[i].item) ?? 0) + 1);
  return [...by].map(([item, count]) => {
    const fits = kinds.some((k, n) => mayLie(items[item], n) && items[item].variants.some((v) => v.width <= k.width && v.height <= k.height));
    return { item, copies: count, why: !fits ? 'too-large' : budget.over(1) ? 'stopped' : 'no-sheet-left' };
  });
}

const areaOf = (pieces: readonly Piece[], sheet: Sheet): number => sheet.list.reduce((sum, { piece }) => sum + pieces[piece].variants[0].area, 0);

/** Tries to do without the sheet that holds the least: its pieces go to the others, and overlaps are taken away. */
function withoutOne({ items, kinds, pieces, copies, random, budget }: Task, sheets: Sheet[]): boolean {
  const free = sheets.map((_, s) => s).filter((s) => !kinds[sheets[s].kind].remnant && sheets[s].fixed.length === kinds[sheets[s].kind].closed.length);
  if (free.length === 0) return false;
  const least = free.reduce((a, b) => (areaOf(pieces, sheets[b]) < areaOf(pieces, sheets[a]) ? b : a));
  const small = sheets.reduce((n, s) => n + s.list.length, 0) > mostSearched;
  const others = sheets.map((_, s) => s).filter((s) => s !== least && (!small || s >= sheets.length - 2));
  const room = others.reduce((sum, s) => sum + sheets[s].room.width * sheets[s].room.height - sheets[s].fixed.reduce((n, f) => n + f.variant.area, 0), 0);
  const need = [...others, least].reduce((sum, s) => sum + areaOf(pieces, sheets[s]), 0);
  if (others.length === 0 || need > room * 0.97) return false;
  const list = [
    ...others.flatMap((s, r) => sheets[s].list.map((l) => ({ ...l, place: { ...l.place, room: r } }))),
    ...sheets[least].list.map((l) => ({ ...l, place: { ...l.place, room: -1 } })),
  ];
  const roomsOf = (piece: number) => {
    const item = items[copies[piece].item];
    return others.map((_, r) => r).filter((r) => mayLie(item, sheets[others[r]].kind) && fitsIn(item.variants, sheets[others[r]].room));
  };
  const own = list.map(({ piece }) => ({ variants: pieces[piece].variants, rooms: roomsOf(piece) }));
  if (own.some((p) => p.rooms.length === 0)) return false;
  const fixed = others.flatMap((s, r) => sheets[s].fixed.map((f) => ({ ...f, room: r })));
  const rooms = others.map((s) => sheets[s].room);
  const places = list.map(({ place }, i): Place => (place.room >= 0 ? place : { ...place, room: own[i].rooms[Math.floor(random() * own[i].rooms.length)] }));
  const layout = new Layout(
    own,
    rooms,
    fixed,
    places.map((p, i) => within(own[i].variants, rooms[p.room], p)),
  );
  if (!separate(layout, random, { budget, share: 1 })) return false;
  others.forEach((s, r) => {
    sheets[s].list = list.flatMap(({ piece }, i) => (layout.places[i].room === r ? [{ piece, place: { ...layout.places[i], room: 0 } }] : []));
  });
  sheets.splice(least, 1);
  return true;
}

/** Whether a shape fits a room in one of its turns. */
const fitsIn = (variants: readonly Variant[], { width, height }: Room): boolean => variants.some((v) => v.width <= width && v.height <= height);

/** A place in a room, in a turn that fits it. */
function within(variants: readonly Variant[], room: Room, place: Place): Place {
  const fits = (k: number) => variants[k].width <= room.width && variants[k].height <= room.height;
  const variant = fits(place.variant)
    ? place.variant
    : Math.max(
        0,
        variants.findIndex((_, k) => fits(k)),
      );
  const v = variants[variant];
  return { ...place, variant, x: Math.max(0, Math.min(place.x, room.width - v.width)), y: Math.max(0, Math.min(place.y, room.height - v.height)) };
}

/** The last sheet gives what it can to the others and is then made as short as it gets. */
function lastShorter(task: Task, sheets: Sheet[], told: () => void): void {
  const { pieces, random, budget } = task;
  const filled = sheets.map((s) => areaOf(pieces, s) / (s.room.width * s.room.height));
  const last = filled.indexOf(Math.min(...filled));
  const ending = sheets[last];
  for (const sheet of sheets) if (sheet !== ending && sheet.list.length <= mostSearched && !budget.over(0.6)) givenTo(task, sheet, ending);
  if (ending.list.length === 0) {
    if (ending.fixed.length === 0) sheets.splice(last, 1);
    told();
    return;
  }
  if (ending.list.length > mostSearched || budget.over(1)) return;
  const own = ending.list.map(({ piece }) => pieces[piece]);
  const strip = { pieces: own, height: ending.room.height, fixed: ending.fixed.map((f) => ({ ...f, room: 0 })) };
  let from = ending.list.map((l) => ({ ...l.place, room: 0 }));
  const endOf = (places: readonly Place[]) => places.reduce((most, p, i) => Math.max(most, p.x + own[i].variants[p.variant].width), 0);
  const other = stripStart(strip, random, () => (budget.round(), budget.over(0.5)));
  if (other && other.length < endOf(from)) from = other.places;
  const area = own.reduce((sum, p) => sum + p.variants[0].area, 0);
  const keep = (places: readonly Place[]) => {
    ending.list.forEach((l, i) => (l.place = { ...places[i], room: 0 }));
    told();
  };
  keep(from);
  keep(shortened(strip, from, area / ending.room.height, { random, budget, shorter: (_, places) => keep(places) }).places);
}

/** Pieces of the last sheet that find a place on another go there. */
function givenTo({ items, pieces, copies, random, budget }: Task, sheet: Sheet, ending: Sheet): void {
  for (const entry of [...ending.list].sort((a, b) => pieces[b.piece].variants[0].area - pieces[a.piece].variants[0].area)) {
    const { variants } = pieces[entry.piece];
    if (!mayLie(items[copies[entry.piece].item], sheet.kind) || !fitsIn(variants, sheet.room)) continue;
    if (areaOf(pieces, sheet) + variants[0].area > sheet.room.width * sheet.room.height) continue;
    const all = [...sheet.list.map((l) => pieces[l.piece]), pieces[entry.piece]];
    const places = [...sheet.list.map((l) => ({ ...l.place, room: 0 })), within(variants, sheet.room, { ...entry.place, room: 0 })];
    const layout = new Layout(all, [sheet.room], sheet.fixed.map((f) => ({ ...f, room: 0 })), places); // prettier-ignore
    budget.round();
    const found = bestPlace(layout, all.length - 1, random, { anywhere: 60, near: 0, fitting: 120 });
    if (!found || found.burden > 0) continue;
    sheet.list.push({ piece: entry.piece, place: { variant: found.variant, room: 0, x: found.x, y: found.y } });
    ending.list.splice(ending.list.indexOf(entry), 1);
  }
}

function resultOf(sheets: readonly Sheet[], copies: readonly Copy[], notPlaced: SheetsResult['notPlaced']): SheetsResult {
  return {
    sheets: sheets.map((sheet) => {
      const laid = sheet.list.map(({ piece, place }) => ({ ...copies[piece], variant: place.variant, x: place.x, y: place.y, locked: false }));
      laid.sort((a, b) => a.x - b.x || a.y - b.y);
      return { kind: sheet.kind, parts: [...sheet.locked, ...laid] };
    }),
    notPlaced,
  };
}
