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

/**
 * Makes what lies in one room of a height shorter along X until it is told that it is enough: pieces beyond the end are pushed in, overlaps taken
 * away, and so on, first in large steps from many starts, then in small ones. Source: Egeblad et al., 2007; phases: Gardeyn and Wauters, 2025.
 * @param places without overlaps @param least no strip is shorter than this, mm
 */
export function shortened(
  pieces: readonly Piece[],
  height: number,
  fixed: readonly Fixed[],
  places: readonly Place[],
  least: number,
  random: () => number,
  budget: Budget,
  shorter: Shorter = () => {},
): StripResult {
  let length = rightOf(pieces, places);
  let best = places.map((p) => ({ ...p }));
  const layout = new Layout(pieces, [{ width: length, height }], fixed, best);
  const widest = Math.max(...pieces.map((p) => Math.min(...p.variants.filter((v) => v.height <= height).map((v) => v.width))), 0);
  const low = Math.max(least, widest);
  const keep = () => {
    length = rightOf(pieces, layout.places);
    best = layout.saved();
    shorter(length, best);
  };
  const tryAt = (target: number, until: number, from: readonly Place[]): boolean => {
    layout.rooms[0].width = target;
    for (let i = 0; i < from.length; i++) layout.places[i] = pushedIn(pieces[i], from[i], target, height);
    layout.restore(layout.places);
    layout.weights.fill(1);
    if (!separate(layout, random, budget, until)) return false;
    keep();
    return true;
  };
  // Large steps while they go; where one fails, begun anew from a poor layout of before with two large pieces exchanged.
  let step = 0.02;
  let poor: { total: number; places: Place[] }[] = [];
  let failed = 0;
  while (!budget.over(exploringShare) && length > low + grid && failed < givenUpAfter) {
    const target = onGrid(Math.max(low, length * (1 - step)));
    if (tryAt(target, exploringShare, best)) continue;
    poor = [{ total: layout.total(), places: layout.saved() }];
    let done = false;
    for (let k = 0; k < againTries && !done && !budget.over(exploringShare); k++) {
      // The less overlap, the likelier it is begun from.
      const from = poor[Math.min(poor.length - 1, Math.floor(Math.abs(normal(random)) * 0.25 * poor.length))];
      done = tryAt(target, exploringShare, exchanged(pieces, from.places, random));
      if (!done) poor.push({ total: layout.total(), places: layout.saved() });
      poor.sort((a, b) => a.total - b.total);
    }
    failed = done ? 0 : failed + 1;
    if (!done) step = Math.max(0.002, step * 0.5);
  }
  // Small steps from the best.
  for (let [share, vain] = [0.004, 0]; !budget.over(1) && length > low + grid && vain < givenUpAfter;) {
    const target = onGrid(Math.max(low, length * (1 - share)));
    if (tryAt(target, 1, best)) continue;
    if (share <= leastStep) vain++;
    share = Math.max(leastStep, share * 0.7);
  }
  return { places: best, length };
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
export function stripStart(pieces: readonly Piece[], height: number, fixed: readonly Fixed[], random: () => number, enough: () => boolean): StripResult | null {
  const room = { width: 2 ** 20, height };
  const first = startPlaces(pieces, largestFirst(pieces), [room], fixed);
  if (first.some((p) => !p)) return null;
  let best: StripResult = { places: first as Place[], length: rightOf(pieces, first as Place[]) };
  const area = pieces.reduce((sum, p) => sum + p.variants[0].area, 0);
  const ways = pieces.reduce((sum, p) => sum + p.variants.length, 0);
  for (let k = 0; k < contactTries && pieces.length <= mostForContact && ways <= mostWays && best.length * height > area * 1.005 && !enough(); k++) {
    const places = contactPlaces(pieces, room, fixed, enough, k === 0 ? null : random);
    if (!places || places.some((p) => !p)) continue;
    const length = rightOf(pieces, places as Place[]);
    if (length < best.length) best = { places: places as Place[], length };
  }
  return best;
}
