import { Unusable } from '../base/finding.ts';
import type { Budget } from './budget.ts';
import { randomFrom } from './random.ts';
import { fillExactly } from './saw-exact.ts';
import type { SawNode } from './saw-node.ts';

/** A rectangle to be sawn, mm: along X and Y as it lies unturned. */
export interface SawItem {
  width: number;
  height: number;
  copies: number;
  /** May be turned by a quarter: it has no grain. */
  turns: boolean;
}

/** A kind of sheet for the saw, mm. */
export interface SawSheet {
  width: number;
  height: number;
  copies: number | null;
  price: number;
  remnant: boolean;
}

export interface SawHow {
  /** Taken off each side of a sheet before anything else, mm. */
  trim: number;
  /** Width of the saw's cut, mm. */
  kerf: number;
  /** How often the direction may change: 2 (strips, then pieces), 3, or as often as it needs. The last trim of a piece does not count. */
  stages: 2 | 3 | null;
}

export interface SawResult {
  sheets: { kind: number; root: SawNode }[];
  notPlaced: { item: number; copies: number; why: 'too-large' | 'no-sheet-left' | 'stopped' }[];
}

/** What is to be sawn, and from what. */
export interface SawWanted {
  items: readonly SawItem[];
  kinds: readonly SawSheet[];
}

/** Lengths nearer than this are the same, mm. */
const same = 1e-6;
/** With fewer copies than this the sheets are also filled by exact search. */
const fewForExact = 16;
const mostCopies = 20_000;
/** Drafts by chance before the best is changed step by step; changes in a round; and after so many without a gain it is begun anew. */
const draftsAtOnce = 60;
const changesARound = 20;
const mostIdle = 3000;
/** So much of the budget is for whole plans, the rest for a few sheets at a time. */
const wholePlans = 0.3;

/** A rectangle that is still free while a sheet is being filled. */
interface Free {
  node: SawNode;
  /** Along what the next cut goes, and how often the direction has changed to get here. */
  along: 'x' | 'y';
  stage: number;
}

interface Copy {
  item: number;
  width: number;
  height: number;
}

/**
 * Patterns for a panel saw: every cut goes from edge to edge of what lies before it. Many patterns are made, with the pieces in another order and other
 * rules each time, and the best is kept; few pieces are also laid by exact search, sheet by sheet. Deterministic for a seed and a number of rounds.
 * Source: two- and three-stage patterns, Gilmore and Gomory, 1965; best fit with a guillotine split, Jylanki, 2010; exact search: see `saw-exact.ts`.
 * @throws Unusable when there are too many pieces.
 */
export function sawn({ items, kinds }: SawWanted, how: SawHow, seed: number, budget: Budget): SawResult {
  const count = items.reduce((n, i) => n + i.copies, 0);
  if (count > mostCopies) throw new Unusable('too-many-parts', `${count.toLocaleString('en')} parts are too many for one plan; at most ${mostCopies.toLocaleString('en')} are laid.`, 'Plan fewer at a time.'); // prettier-ignore
  const random = randomFrom(seed);
  const fits = (item: SawItem, kind: SawSheet) => {
    const [w, h] = [kind.width - 2 * how.trim, kind.height - 2 * how.trim];
    return (item.width <= w + same && item.height <= h + same) || (item.turns && item.height <= w + same && item.width <= h + same);
  };
  const copies: Copy[] = [];
  const tooLarge: SawResult['notPlaced'] = [];
  items.forEach((item, i) => {
    if (kinds.some((k) => fits(item, k))) for (let c = 0; c < item.copies; c++) copies.push({ item: i, width: item.width, height: item.height });
    else if (item.copies > 0) tooLarge.push({ item: i, copies: item.copies, why: 'too-large' });
  });
  if (copies.length === 0) return { sheets: [], notPlaced: tooLarge };
  let best: { result: SawResult; worth: number } | null = null;
  const offer = (result: SawResult): number => {
    const worth = worthOf(result, kinds, copies.length);
    if (!best || worth > best.worth) best = { result, worth };
    return worth + fullness(result, kinds);
  };
  // Several drafts by chance, the best of them changed step by step; begun anew now and then.
  const fresh = (k: number): { draft: Draft; worth: number } => {
    let first: { draft: Draft; worth: number } | null = null;
    for (let p = 0; p < draftsAtOnce; p++) {
      const draft = someDraft(copies, random, k === 0 && p === 0 ? 0 : 0.6 * random());
      const worth = offer(planOf(draft, items, kinds, how));
      if (!first || worth > first.worth) first = { draft, worth };
    }
    return first!;
  };
  let here = fresh(0);
  let idle = 0;
  for (let k = 0; k === 0 || !budget.over(wholePlans); k++) {
    if (idle > mostIdle) {
      here = fresh(k);
      idle = 0;
    }
    for (let p = 0; p < changesARound; p++) {
      const draft: Draft = changed(here.draft, random);
      const worth = offer(planOf(draft, items, kinds, how));
      idle = worth > here.worth ? 0 : idle + 1;
      // A little worse is taken now and then, less often the longer nothing better comes.
      if (worth >= here.worth - (random() < 0.3 ? 12 * random() : 0)) here = { draft, worth };
    }
    budget.round();
  }
  // Then a few sheets at a time.
  let { result: now } = best!;
  while (now.sheets.length > 1 && !budget.over(1)) {
    for (let p = 0; p < changesARound; p++) now = replanned(now, { items, kinds }, how, random);
    offer(now);
    budget.round();
  }
  if (copies.length <= fewForExact && how.stages === null) offer(exactPlan(items, kinds, copies, how));
  const { result } = best!;
  return { ...result, notPlaced: [...result.notPlaced, ...tooLarge] };
}

/**
 * Two or three sheets of a plan, planned anew in another order: taken when the fuller ones become fuller, so that the last one empties. The others stay.
 * Source: large neighbourhood search, Shaw, 1998.
 */
function replanned(plan: SawResult, { items, kinds }: SawWanted, how: SawHow, random: () => number): SawResult {
  const count = Math.min(plan.sheets.length, random() < 0.6 ? 2 : 3);
  const chosen = new Set<number>();
  while (chosen.size < count) chosen.add(Math.floor(random() * plan.sheets.length));
  const old = { sheets: [...chosen].map((s) => plan.sheets[s]), notPlaced: [] };
  const copies = old.sheets.flatMap(({ root }) => leavesOf(root).flatMap((l) => (l.part ? [copyOf(items, l.part.item)] : [])));
  const limited = kinds.map((kind, k) => ({ ...kind, copies: old.sheets.filter((s) => s.kind === k).length }));
  const next = planOf(someDraft(copies, random, 1.2 * random()), items, limited, how);
  const worth = (r: SawResult) => worthOf(r, kinds, copies.length) + fullness(r, kinds);
  if (next.notPlaced.length > 0 || worth(next) <= worth(old)) return plan;
  return { ...plan, sheets: [...plan.sheets.filter((_, s) => !chosen.has(s)), ...next.sheets] };
}

const copyOf = (items: readonly SawItem[], item: number): Copy => ({ item, width: items[item].width, height: items[item].height });

/** Higher is better: everything placed, little paid, and a large rectangle left over. */
function worthOf(result: SawResult, kinds: readonly SawSheet[], count: number): number {
  const missing = result.notPlaced.reduce((n, p) => n + p.copies, 0);
  const paid = result.sheets.reduce((sum, s) => sum + (kinds[s.kind].remnant ? 0.5 : 1) * kinds[s.kind].price, 0);
  const dearest = Math.max(...kinds.map((k) => k.price), 1e-9);
  let left = 0;
  for (const { kind, root } of result.sheets)
    for (const n of leavesOf(root)) if (!n.part) left = Math.max(left, ((n.width * n.height) / (kinds[kind].width * kinds[kind].height)) * kinds[kind].price);
  return -missing * 1e6 * (count + 1) - (paid * 1000) / dearest + (left * 900) / dearest;
}

/** Rewards full sheets beside empty ones: a step towards one sheet less that the price does not show yet. Source: Falkenauer and Delchambre, 1992. */
function fullness({ sheets }: SawResult, kinds: readonly SawSheet[]): number {
  let sum = 0;
  for (const { kind, root } of sheets) {
    const area = leavesOf(root).reduce((n, leaf) => n + (leaf.part ? leaf.width * leaf.height : 0), 0);
    sum += (area / (kinds[kind].width * kinds[kind].height)) ** 2;
  }
  return sum * 600;
}

/** The rectangles that are not cut any further. */
export function leavesOf(root: SawNode): SawNode[] {
  const out: SawNode[] = [];
  const stack = [root];
  while (stack.length > 0) {
    const n = stack.pop()!;
    if (!n.cut) out.push(n);
    else {
      if (n.cut.high) stack.push(n.cut.high);
      stack.push(n.cut.low);
    }
  }
  return out;
}

/** The rectangle of a sheet within its trim. */
const freshRoot = (kind: SawSheet, trim: number): SawNode => ({ x: trim, y: trim, width: kind.width - 2 * trim, height: kind.height - 2 * trim });

/** How one sheet is filled. */
interface Rule {
  along: 'x' | 'y';
  byArea: boolean;
  free: 'stay' | 'large' | 'small';
  /** Places choose pieces instead of pieces places: how much the order of pieces counts then, from 0; null: pieces choose. */
  rank: number | null;
}

const someRule = (random: () => number): Rule => ({
  along: random() < 0.5 ? 'x' : 'y',
  byArea: random() < 0.5,
  free: random() < 0.5 ? 'large' : random() < 0.5 ? 'stay' : 'small',
  rank: random() < 0.5 ? null : random() * random(),
});

/** A plan as what it is made from: the order of pieces, and a rule for each sheet (the last for all that follow). */
interface Draft {
  order: Copy[];
  rules: Rule[];
}
const rulesOfDraft = 16;

/** A draft by chance: large pieces first, more or less. */
function someDraft(copies: readonly Copy[], random: () => number, noise: number): Draft {
  const byLong = random() < 0.5;
  const size = (c: Copy) => (byLong ? Math.max(c.width, c.height) * 1e3 + Math.min(c.width, c.height) : c.width * c.height) * (1 + noise * (random() - 0.5));
  const order = copies.map((c) => ({ c, size: size(c) })).sort((a, b) => b.size - a.size).map(({ c }) => c); // prettier-ignore
  return { order, rules: Array.from({ length: rulesOfDraft }, () => someRule(random)) };
}

/** A draft with a small change: two pieces exchanged, one moved, or another rule for a sheet. */
function changed({ order, rules }: Draft, random: () => number): Draft {
  const next = { order: [...order], rules: [...rules] };
  const some = () => Math.floor(random() * order.length);
  const what = random();
  if (what < 0.2) next.rules[Math.floor(random() * rulesOfDraft)] = someRule(random);
  else if (what < 0.6) {
    const [a, b] = [some(), some()];
    [next.order[a], next.order[b]] = [next.order[b], next.order[a]];
  } else next.order.splice(some(), 0, ...next.order.splice(some(), 1 + Math.floor(random() * 3)));
  return next;
}

function planOf(draft: Draft, items: readonly SawItem[], kinds: readonly SawSheet[], how: SawHow): SawResult {
  let left: readonly Copy[] = draft.order;
  const sheets: SawResult['sheets'] = [];
  const spent = new Set<number>();
  while (left.length > 0) {
    const open = kinds
      .map((_, k) => k)
      .filter((k) => !spent.has(k) && (kinds[k].copies === null || sheets.filter((s) => s.kind === k).length < kinds[k].copies!));
    if (open.length === 0) break;
    const remnants = open.filter((k) => kinds[k].remnant);
    const rule = draft.rules[Math.min(sheets.length, rulesOfDraft - 1)];
    let best: { kind: number; root: SawNode; rest: Copy[]; worth: number } | null = null;
    for (const kind of remnants.length > 0 ? remnants.slice(0, 1) : open) {
      const root = freshRoot(kinds[kind], how.trim);
      const rest = filled(root, left, { items, how }, rule);
      if (rest.length === left.length) {
        spent.add(kind);
        continue;
      }
      const area = leavesOf(root).reduce((sum, n) => sum + (n.part ? n.width * n.height : 0), 0);
      if (!best || area / kinds[kind].price > best.worth) best = { kind, root, rest, worth: area / kinds[kind].price };
    }
    if (!best) continue;
    sheets.push({ kind: best.kind, root: best.root });
    left = best.rest;
  }
  return { sheets, notPlaced: counted(left) };
}

function counted(left: readonly Copy[]): SawResult['notPlaced'] {
  const by = new Map<number, number>();
  for (const c of left) by.set(c.item, (by.get(c.item) ?? 0) + 1);
  return [...by].map(([item, copies]) => ({ item, copies, why: 'no-sheet-left' as const }));
}

/** Lays pieces on one sheet, each where it leaves the least; gives those that found no place. */
function filled(root: SawNode, pieces: readonly Copy[], { items, how }: { items: readonly SawItem[]; how: SawHow }, rule: Rule): Copy[] {
  if (rule.rank !== null) return filledByPlaces(root, pieces, { items, how }, rule);
  const free: Free[] = [{ node: root, along: rule.along, stage: 1 }];
  const rest: Copy[] = [];
  const refused = new Set<number>();
  for (const piece of pieces) {
    if (refused.has(piece.item)) {
      rest.push(piece);
      continue;
    }
    let best: { at: number; turned: boolean; worth: number } | null = null;
    free.forEach((place, at) => {
      for (const turned of turnsOf(items[piece.item])) {
        const over = overOf(place, piece, turned, how);
        if (!over) continue;
        const { width, height } = place.node;
        const worth = rule.byArea ? over[0] * over[1] - over[0] * height - over[1] * width : -Math.min(...over) * 1e3 - Math.max(...over);
        if (!best || worth > best.worth) best = { at, turned, worth };
      }
    });
    if (!best) {
      refused.add(piece.item);
      rest.push(piece);
      continue;
    }
    const { at, turned } = best as { at: number; turned: boolean };
    const [there] = free.splice(at, 1);
    free.push(...placedIn(there, { piece, turned }, how, rule));
  }
  return rest;
}

const turnsOf = (item: SawItem): boolean[] => (item.turns && item.width !== item.height ? [false, true] : [false]);

/** What a place has beyond a piece along X and along Y; null when it does not go in, or not in so many stages. */
function overOf({ node, along, stage }: Free, piece: Copy, turned: boolean, how: SawHow): [number, number] | null {
  const [w, h] = turned ? [piece.height, piece.width] : [piece.width, piece.height];
  const [dw, dh] = [node.width - w, node.height - h];
  if (dw < -same || dh < -same) return null;
  const most = how.stages ?? Infinity;
  // The cut across comes one stage later; beyond the last only a trim is left, which no piece comes of.
  if (stage > most + 1 || (stage > most && (along === 'x' ? dw : dh) > same)) return null;
  return [dw, dh];
}

/** Lays pieces on one sheet, the smallest place first: each takes the piece that suits it best, so that sizes that are equal meet. */
function filledByPlaces(root: SawNode, pieces: readonly Copy[], { items, how }: { items: readonly SawItem[]; how: SawHow }, rule: Rule): Copy[] {
  const left = new Map<number, Copy[]>();
  for (const piece of pieces) left.set(piece.item, [...(left.get(piece.item) ?? []), piece]);
  const free: Free[] = [{ node: root, along: rule.along, stage: 1 }];
  const size = ({ node }: Free) => node.width * node.height;
  while (free.length > 0) {
    const at = free.reduce((best, f, i) => (size(f) < size(free[best]) ? i : best), 0);
    const [place] = free.splice(at, 1);
    let best: { piece: Copy; turned: boolean; worth: number } | null = null;
    let rank = 0;
    for (const list of left.values()) {
      rank++;
      if (list.length === 0) continue;
      for (const turned of turnsOf(items[list[0].item])) {
        const over = overOf(place, list[0], turned, how);
        if (!over) continue;
        // How much of it the piece fills, whether a side fits exactly, and how early it stands in the order.
        const filled = (list[0].width * list[0].height) / size(place);
        const worth = filled + (Math.min(...over) < same ? 0.3 : 0) - rule.rank! * (rank / left.size);
        if (!best || worth > best.worth) best = { piece: list[0], turned, worth };
      }
    }
    if (!best) continue;
    left.get(best.piece.item)!.shift();
    free.push(...placedIn(place, best, how, rule));
  }
  const rest = new Set([...left.values()].flat());
  return pieces.filter((p) => rest.has(p));
}

/** Cuts a rectangle so that a piece lies in its low left corner; gives what stays free. */
function placedIn({ node, along, stage }: Free, { piece, turned }: { piece: Copy; turned: boolean }, how: SawHow, rule: Rule): Free[] {
  const [w, h] = turned ? [piece.height, piece.width] : [piece.width, piece.height];
  const most = how.stages ?? Infinity;
  const free: Free[] = [];
  // Without a bound on stages the first cut goes where the larger rectangle stays whole, or the other way round.
  let first = along;
  if (how.stages === null && rule.free !== 'stay') first = (node.width - w) * h > (node.height - h) * w === (rule.free === 'large') ? 'y' : 'x';
  let here = node;
  let level = stage + (first === along ? 0 : 1);
  for (const way of [first, first === 'x' ? 'y' : 'x'] as const) {
    const [size, room] = way === 'x' ? [h, here.height] : [w, here.width];
    if (room - size > same) {
      const { low, high } = cutOf(here, way, size, how.kerf);
      if (high && level <= most) free.push({ node: high, along: way, stage: level });
      here = low;
    }
    level++;
  }
  here.part = { item: piece.item, turned };
  return free;
}

/** Cuts a rectangle along X (leaving `size` of its height below) or along Y; the blade takes its width, and may take all that is left. */
function cutOf(node: SawNode, along: 'x' | 'y', size: number, kerf: number): { low: SawNode; high: SawNode | null } {
  const { x, y, width, height } = node;
  const low: SawNode = along === 'x' ? { x, y, width, height: size } : { x, y, width: size, height };
  const over = (along === 'x' ? height : width) - size - kerf;
  const high: SawNode | null =
    over <= same ? null : along === 'x' ? { x, y: y + size + kerf, width, height: over } : { x: x + size + kerf, y, width: over, height };
  node.cut = { along, at: along === 'x' ? y + size : x + size, low, high };
  return { low, high };
}

/** Sheets filled one by one with the largest area that can be, by exact search. */
function exactPlan(items: readonly SawItem[], kinds: readonly SawSheet[], copies: readonly Copy[], how: SawHow): SawResult {
  const left = items.map((_, i) => copies.filter((c) => c.item === i).length);
  const sheets: SawResult['sheets'] = [];
  const order = kinds.map((_, k) => k).sort((a, b) => Number(kinds[b].remnant) - Number(kinds[a].remnant) || kinds[a].price / (kinds[a].width * kinds[a].height) - kinds[b].price / (kinds[b].width * kinds[b].height)); // prettier-ignore
  for (const kind of order) {
    for (let used = 0; left.some((n) => n > 0) && (kinds[kind].copies === null || used < kinds[kind].copies!); used++) {
      const root = freshRoot(kinds[kind], how.trim);
      const wanted = items.map((item, i) => ({ width: item.width, height: item.height, most: left[i], value: item.width * item.height, turns: item.turns }));
      const found = fillExactly(wanted, root.width, root.height, how.kerf);
      if (found.value === 0) break;
      found.build(root, (node, item, turned) => {
        node.part = { item, turned };
        left[item]--;
      }, cutOf); // prettier-ignore
      sheets.push({ kind, root });
    }
  }
  return { sheets, notPlaced: left.flatMap((n, item) => (n > 0 ? [{ item, copies: n, why: 'no-sheet-left' as const }] : [])) };
}
