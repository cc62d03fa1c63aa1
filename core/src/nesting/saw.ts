import { Unusable } from '../base/finding.ts';
import type { Budget } from './budget.ts';
import { randomFrom } from './random.ts';
import { fillExactly } from './saw-exact.ts';
import { cutOf, filled, freshRoot, leavesOf, same, type Copy, type Rule, type SawHow, type SawItem, type SawSheet } from './saw-fill.ts';
import type { SawNode } from './saw-node.ts';
import { filledByWorth, Guide, type Worths } from './saw-worth.ts';

export interface SawResult {
  sheets: { kind: number; root: SawNode }[];
  notPlaced: { item: number; copies: number; why: 'too-large' | 'no-sheet-left' | 'stopped' }[];
}

/** What is to be sawn, and from what. */
export interface SawWanted {
  items: readonly SawItem[];
  kinds: readonly SawSheet[];
}

/** With fewer copies than this the sheets are also filled by exact search. */
const fewForExact = 16;
const mostCopies = 20_000;

/** A plan at work: what is wanted, how it is sawn, and chance. */
interface Sawing extends SawWanted {
  how: SawHow;
  random: () => number;
}

/** Drafts by chance before the best is changed step by step; changes in a round; and after so many without a gain it is begun anew. */
const draftsAtOnce = 60;
const changesARound = 20;
const mostIdle = 3000;
/** So much of the budget is for whole plans by order and rule, so much more for plans by worth, the rest for a few sheets at a time. */
const wholePlans = 0.15;
const byWorth = 0.5;
/** Each sheet is filled so often by worth, with more or less chance, and the best is taken; such a plan is worth so many rounds. */
const triesASheet = 24;
const roundsAPlan = 12;
/** In every so many rounds a few sheets are also planned by worth, each tried so often. */
const roundsBetween = 3;
const triesAnew = 8;
const mostNoise = 0.05;
/** By so much of the difference a worth is corrected after each plan; a sheet counts as filled at least so far. */
const correction = 0.25;
const leastFull = 0.3;
/** With more items or copies plans by worth take too long, and are left out. */
const mostValued = 300;
const mostValuedCopies = 3000;

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
  const task: Sawing = { items, kinds, how, random };
  draftedPlans(task, copies, budget, offer);
  valuedPlans(task, copies, budget, offer);
  // Then a few sheets at a time.
  let { result: now } = best!;
  for (let k = 0; now.sheets.length > 1 && !budget.over(1); k++) {
    for (let p = 0; p < changesARound; p++) now = replanned(now, task, false);
    if (k % roundsBetween === 0 && items.length <= mostValued) now = replanned(now, task, true);
    offer(now);
    budget.round();
  }
  if (copies.length <= fewForExact && how.stages === null) offer(exactPlan(items, kinds, copies, how));
  const { result } = best!;
  return { ...result, notPlaced: [...result.notPlaced, ...tooLarge] };
}

/** Several drafts by chance, the best of them changed step by step; begun anew now and then. */
function draftedPlans({ items, kinds, how, random }: Sawing, copies: readonly Copy[], budget: Budget, offer: (result: SawResult) => number): void {
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
}

/**
 * Plans sheet by sheet, each filled by what pieces and places are worth; what lies on badly filled sheets is worth more in the next plan, so that it is laid
 * earlier. Source: sequential value correction, Mukhacheva and Zalgaller, 1993; Belov and Scheithauer, 2007.
 */
function valuedPlans(task: Sawing, copies: readonly Copy[], budget: Budget, offer: (result: SawResult) => number): void {
  const { items } = task;
  if (items.length > mostValued || copies.length > mostValuedCopies) return;
  const worths = Float64Array.from(items, (i) => i.width * i.height);
  for (let k = 0; k === 0 || !budget.over(byWorth); k++) {
    const { sheets, notPlaced } = valuedPlan(task, copies, worths, triesASheet);
    offer({ sheets, notPlaced });
    for (const { root } of sheets) {
      const leaves = leavesOf(root);
      const used = leaves.reduce((sum, l) => sum + (l.part ? l.width * l.height : 0), 0);
      const full = Math.max(leastFull, used / (root.width * root.height));
      for (const { part } of leaves) {
        if (!part) continue;
        const area = items[part.item].width * items[part.item].height;
        worths[part.item] += (area / full - worths[part.item]) * correction;
      }
    }
    for (let r = 0; r < roundsAPlan; r++) budget.round();
  }
}

function valuedPlan(task: Sawing, copies: readonly Copy[], worths: Worths, tries: number): SawResult {
  const { items, kinds, how } = task;
  let left: readonly Copy[] = copies;
  const sheets: SawResult['sheets'] = [];
  const spent = new Set<number>();
  const largest = { width: Math.max(...kinds.map((k) => k.width)), height: Math.max(...kinds.map((k) => k.height)) };
  while (left.length > 0) {
    const open = openKinds(kinds, sheets, spent);
    if (open.length === 0) break;
    const count = items.map(() => 0);
    for (const c of left) count[c.item]++;
    const guide = new Guide(largest, items, worths, count, how.kerf);
    let best: Filled | null = null;
    for (const kind of open) {
      const found = worthiestFill(task, kind, left, { worths, guide, tries });
      if (!found) spent.add(kind);
      else if (!best || found.worth > best.worth) best = found;
    }
    if (!best) continue;
    sheets.push(...(best.rest.length === 0 ? lastSheet(task, best, left, tries) : [{ kind: best.kind, root: best.root }]));
    left = best.rest;
  }
  return { sheets, notPlaced: counted(left) };
}

/** A sheet that was filled, and what found no place on it. */
interface Filled {
  kind: number;
  root: SawNode;
  rest: readonly Copy[];
  worth: number;
}

/** The best of several fillings of a sheet of a kind; null when nothing goes on it. */
function worthiestFill({ items, kinds, how, random }: Sawing, kind: number, left: readonly Copy[], { worths, guide, tries }: { worths: Worths; guide: Guide; tries: number }): Filled | null {
  let best: Filled | null = null;
  for (let t = 0; t < tries; t++) {
    const root = freshRoot(kinds[kind], how.trim);
    const rest = filledByWorth(root, left, { items, how, worths, guide, noise: t === 0 ? 0 : mostNoise * random(), random });
    if (rest.length === left.length) continue;
    const worth = leavesOf(root).reduce((sum, l) => sum + (l.part ? worths[l.part.item] : 0), 0) / kinds[kind].price;
    if (!best || worth > best.worth) best = { kind, root, rest, worth };
  }
  return best;
} // prettier-ignore

/** The last sheet is to leave a large rectangle: laid by order and rule too, as often as it was tried. */
function lastSheet({ items, kinds, how, random }: Sawing, { kind, root }: Filled, left: readonly Copy[], tries: number): SawResult['sheets'] {
  const only = kinds.map((k, i) => ({ ...k, copies: i === kind ? 1 : 0 }));
  let last: SawResult = { sheets: [{ kind, root }], notPlaced: [] };
  for (let t = 0; t < tries; t++) {
    const other = planOf(someDraft(left, random, 1.2 * random()), items, only, how);
    if (other.notPlaced.length === 0 && worthOf(other, kinds, left.length) > worthOf(last, kinds, left.length)) last = other;
  }
  return last.sheets;
}

/** Kinds of which there are sheets left: remnants first, one kind after the other. */
function openKinds(kinds: readonly SawSheet[], sheets: SawResult['sheets'], spent: ReadonlySet<number>): number[] {
  const open = kinds.map((_, k) => k).filter((k) => !spent.has(k) && (kinds[k].copies === null || sheets.filter((s) => s.kind === k).length < kinds[k].copies!));
  const remnants = open.filter((k) => kinds[k].remnant);
  return remnants.length > 0 ? remnants.slice(0, 1) : open;
} // prettier-ignore

/**
 * Two or three sheets of a plan, planned anew in another order: taken when the fuller ones become fuller, so that the last one empties. The others stay.
 * Source: large neighbourhood search, Shaw, 1998.
 */
function replanned(plan: SawResult, task: Sawing, worthy: boolean): SawResult {
  const { items, kinds, how, random } = task;
  const count = Math.min(plan.sheets.length, random() < 0.6 ? 2 : 3);
  const chosen = new Set<number>();
  while (chosen.size < count) chosen.add(Math.floor(random() * plan.sheets.length));
  const old = { sheets: [...chosen].map((s) => plan.sheets[s]), notPlaced: [] };
  const copies = old.sheets.flatMap(({ root }) => leavesOf(root).flatMap((l) => (l.part ? [copyOf(items, l.part.item)] : [])));
  const limited = kinds.map((kind, k) => ({ ...kind, copies: old.sheets.filter((s) => s.kind === k).length }));
  const some = () => valuedPlan({ ...task, kinds: limited }, copies, Float64Array.from(items, (i) => i.width * i.height * (1 + 0.2 * (random() - 0.5))), triesAnew); // prettier-ignore
  const next = worthy ? some() : planOf(someDraft(copies, random, 1.2 * random()), items, limited, how);
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
    const open = openKinds(kinds, sheets, spent);
    if (open.length === 0) break;
    const rule = draft.rules[Math.min(sheets.length, rulesOfDraft - 1)];
    let best: { kind: number; root: SawNode; rest: Copy[]; worth: number } | null = null;
    for (const kind of open) {
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
