import type { Budget } from './budget.ts';
import { contactPlaces, mostForContact } from './contact.ts';
import { Layout, type Fixed, type Piece, type Place } from './layout.ts';
import { shuffle } from './random.ts';
import { startPlaces } from './start.ts';
import { separate } from './separate.ts';
import { grid, onGrid } from './shape.ts';

/** Told whenever it became shorter. */
export type Shorter = (length: number, places: readonly Place[]) => void;

export interface StripResult {
  places: Place[];
  length: number;
}

const rightOf = (pieces: readonly Piece[], places: readonly Place[]): number =>
  places.reduce((most, p, i) => Math.max(most, p.x + pieces[i].variants[p.variant].width), 0);

/** Pieces for one room of a height, and what lies fast in it. */
export interface Strip {
  pieces: readonly Piece[];
  height: number;
  fixed: readonly Fixed[];
}

/** How a strip is searched: chance, how long, and who is told. */
export interface StripSearch {
  random: () => number;
  budget: Budget;
  shorter?: Shorter;
}

/**
 * Makes what lies in one room of a height shorter along X until it is told that it is enough: pieces beyond the end are pushed in, overlaps taken
 * away, and so on, first in large steps from many starts, then in small ones. Source: Egeblad et al., 2007; phases: Gardeyn and Wauters, 2025.
 * @param places without overlaps @param least no strip is shorter than this, mm
 */
export function shortened(strip: Strip, places: readonly Place[], least: number, search: StripSearch): StripResult {
  const work = new Shortening(strip, places, least, search);
  work.explore();
  work.compress();
  return { places: work.best, length: work.length };
}

/** A strip while it is made shorter. */
class Shortening {
  best: Place[];
  length: number;
  private readonly layout: Layout;
  private readonly low: number;
  private readonly strip: Strip;
  private readonly search: StripSearch;

  constructor(strip: Strip, places: readonly Place[], least: number, search: StripSearch) {
    const { pieces, height, fixed } = strip;
    this.strip = strip;
    this.search = search;
    this.length = rightOf(pieces, places);
    this.best = places.map((p) => ({ ...p }));
    this.layout = new Layout(pieces, [{ width: this.length, height }], fixed, this.best);
    const widest = Math.max(...pieces.map((p) => Math.min(...p.variants.filter((v) => v.height <= height).map((v) => v.width))), 0);
    this.low = Math.max(least, widest);
  }

  private goesOn(share: number): boolean {
    return !this.search.budget.over(share) && this.length > this.low + grid;
  }

  private target(step: number): number {
    return onGrid(Math.max(this.low, this.length * (1 - step)));
  }

  /** Whether all pieces go into a length, begun from some places; then they are kept. */
  private fitted(target: number, share: number, from: readonly Place[]): boolean {
    const { layout, strip, search } = this;
    layout.rooms[0].width = target;
    for (let i = 0; i < from.length; i++) layout.places[i] = pushedIn(strip.pieces[i], from[i], target, strip.height);
    layout.restore(layout.places);
    layout.weights.fill(1);
    if (!separate(layout, search.random, { budget: search.budget, share })) return false;
    this.length = rightOf(strip.pieces, layout.places);
    this.best = layout.saved();
    search.shorter?.(this.length, this.best);
    return true;
  }

  /** Large steps while they go; where one fails, begun anew from a poor layout of before with two large pieces exchanged. */
  explore(): void {
    let step = 0.02;
    for (let failed = 0; failed < givenUpAfter && this.goesOn(exploringShare);) {
      if (this.fitted(this.target(step), exploringShare, this.best)) continue;
      const done = this.again(this.target(step));
      failed = done ? 0 : failed + 1;
      if (!done) step = Math.max(0.002, step * 0.5);
    }
  }

  private again(target: number): boolean {
    const { layout, strip, search } = this;
    const poor = [{ total: layout.total(), places: layout.saved() }];
    for (let k = 0; k < againTries && !search.budget.over(exploringShare); k++) {
      // The less overlap, the likelier it is begun from.
      const from = poor[Math.min(poor.length - 1, Math.floor(Math.abs(normal(search.random)) * 0.25 * poor.length))];
      if (this.fitted(target, exploringShare, exchanged(strip.pieces, from.places, search.random))) return true;
      poor.push({ total: layout.total(), places: layout.saved() });
      poor.sort((a, b) => a.total - b.total);
    }
    return false;
  }

  /** Small steps from the best. */
  compress(): void {
    let share = 0.004;
    for (let vain = 0; vain < givenUpAfter && this.goesOn(1);) {
      if (this.fitted(this.target(share), 1, this.best)) continue;
      if (share <= leastStep) vain++;
      share = Math.max(leastStep, share * 0.7);
    }
  }
}

/** After so many lengths in a row that were not reached it is given up: it is as short as it gets. */
const givenUpAfter = 8;
/** No smaller steps than this share are taken. */
const leastStep = 1e-4;
/** So much of the budget is for large steps. */
const exploringShare = 0.8;
/** So often a length that was not reached is begun anew before a smaller step is taken. */
const againTries = 4;

/** A number by chance with the normal distribution. Source: Box and Muller, 1958. */
const normal = (random: () => number): number => Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());

function pushedIn(piece: Piece, place: Place, width: number, height: number): Place {
  const fits = (k: number) => piece.variants[k].width <= width && piece.variants[k].height <= height;
  // No strip is made narrower than the narrowest that every piece fits into: one of them does.
  const variant = fits(place.variant) ? place.variant : piece.variants.findIndex((_, k) => fits(k));
  const v = piece.variants[variant];
  return { ...place, variant, x: Math.max(0, Math.min(place.x, onGrid(width - v.width))), y: Math.max(0, Math.min(place.y, onGrid(height - v.height))) };
}

/** Two of the larger pieces change places. */
function exchanged(pieces: readonly Piece[], places: readonly Place[], random: () => number): Place[] {
  const out = places.map((p) => ({ ...p }));
  const order = pieces.map((_, i) => i).sort((a, b) => pieces[b].variants[0].area - pieces[a].variants[0].area);
  const [a, b] = shuffle(order.slice(0, Math.max(2, Math.ceil(order.length * 0.4))), random);
  if (b === undefined) return out;
  const [pa, pb] = [out[a], out[b]];
  [pa.x, pa.y, pb.x, pb.y] = [pb.x, pb.y, pa.x, pa.y];
  return out;
}

/** The order in which pieces are laid first: the larger ones first. */
export function largestFirst(pieces: readonly Piece[]): number[] {
  const size = ({ variants: [v] }: Piece) => v.weight ** 4 * Math.hypot(v.width, v.height);
  return pieces.map((_, i) => i).sort((a, b) => size(pieces[b]) - size(pieces[a]) || a - b);
}

/** So many tries by contact are made for few pieces, each as long as some rounds; with more ways to lie than this none is. */
const contactTries = 12;
const mostWays = 160;

/**
 * The better of two starts in one room of a height: bottom-left, and by contact with a few tries more.
 * @returns places and the length they take; null when a piece does not fit the height.
 */
export function stripStart({ pieces, height, fixed }: Strip, random: () => number, enough: () => boolean): StripResult | null {
  const room = { width: 2 ** 20, height };
  const first = startPlaces(pieces, largestFirst(pieces), { rooms: [room], fixed });
  if (first.some((p) => !p)) return null;
  let best: StripResult = { places: first as Place[], length: rightOf(pieces, first as Place[]) };
  const area = pieces.reduce((sum, p) => sum + p.variants[0].area, 0);
  const ways = pieces.reduce((sum, p) => sum + p.variants.length, 0);
  for (let k = 0; k < contactTries && pieces.length <= mostForContact && ways <= mostWays && best.length * height > area * 1.005 && !enough(); k++) {
    const places = contactPlaces({ pieces, room, fixed }, enough, k === 0 ? null : random);
    if (!places || places.some((p) => !p)) continue;
    const length = rightOf(pieces, places as Place[]);
    if (length < best.length) best = { places: places as Place[], length };
  }
  return best;
}
