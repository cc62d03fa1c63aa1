import { measureDeviation, type Deviation } from '../surfaces/deviation.ts';
import type { ExactSolid } from '../surfaces/brep-text.ts';
import type { Finding } from '../base/finding.ts';
import type { FacetSource } from '../kernel/facet-source.ts';
import type { OpenSolid, RawFacets } from '../kernel/facets.ts';
import { binaryStlLength } from '../formats/stl/write.ts';
import type { FacetChoice } from '../surfaces/presets.ts';

export interface Facets extends RawFacets {
  /** The promise, mm. */
  promised: number;
  /** Measured against the exact surfaces, mm. */
  measured: Deviation;
  kept: boolean;
  /** What the mesher was asked for in the end, mm, and how often it ran. */
  asked: number;
  rounds: number;
  /** Whether they lie to both sides of surfaces that are bent to one side. */
  balanced: boolean;
  /** Why the kernel's mesher made them and not ours, in a word; null when ours did. */
  left: string | null;
}

/** Rounds before the promise is given up (and said to be). */
const mostRounds = 12;
/** Rounds of our own mesher, whose own check hardly ever leaves anything to mend. */
const ownRounds = 6;
/** It is asked for this share of the promise: its check looks at fewer places than the measuring afterwards. */
const ownShare = 0.995;
/** No facets of more triangles than this are made. */
const mostTriangles = 2_000_000;

/**
 * Facets whose measured deviation is at or below the promise. Our own mesher aims at it and is only measured, by another route: against the exact surfaces by
 * nearest points. Where that finds more than was promised, or the solid is not taken, it goes on: finer, then by the kernel's mesher.
 *
 * @param choice deviation in mm, in the solid's own coordinates; angle in degrees.
 * @param hint ratio of asked to promised that held last time for this solid; saves rounds.
 */
export async function makeFacets(solid: FacetSource, exact: ExactSolid, choice: FacetChoice, hint = 1): Promise<Facets> {
  const angle = (choice.angle * Math.PI) / 180;
  let asked = choice.deviation * Math.min(ownShare, hint);
  for (let round = 1; solid.own && round <= ownRounds; round++) {
    const raw = await solid.facets(asked, angle, choice.balanced);
    if (!solid.own) break;
    const facets = measured(raw, exact, choice, { asked, rounds: round });
    if (facets.kept) return { ...facets, balanced: choice.balanced === true };
    asked *= Math.max(0.5, Math.min(0.98, (0.99 * choice.deviation) / facets.measured.largest));
  }
  return { ...kernelFacets(await solid.byKernel('promise-not-kept'), exact, choice), left: solid.left };
}

function measured(raw: RawFacets, exact: ExactSolid, choice: FacetChoice, { asked, rounds }: { asked: number; rounds: number }): Facets {
  const found = measureDeviation(exact, raw, choice.deviation * 8);
  return { ...raw, promised: choice.deviation, measured: found, kept: found.largest <= choice.deviation, asked, rounds, left: null, balanced: false };
}

/**
 * Facets by the kernel's mesher, which does not keep what it is asked for (up to 3 times over on cones): what it made is measured and made again finer until it
 * holds; and once coarser when it came out far finer than needed.
 */
export function kernelFacets(solid: OpenSolid, exact: ExactSolid, choice: FacetChoice): Facets {
  const angle = (choice.angle * Math.PI) / 180;
  const search = new Search(choice.deviation);
  let asked: number | null = choice.deviation;
  for (let round = 1; asked !== null && round <= mostRounds; round++) {
    const facets = measured(solid.facets(asked, angle), exact, choice, { asked, rounds: round });
    asked = facets.kept ? search.coarser(facets) : search.finer(facets);
  }
  return search.best!;
}

/** A search for the deviation to ask a mesher for that does not keep what it is asked. */
class Search {
  /** The lightest facets that keep the promise; while none do, the nearest. */
  best: Facets | null = null;
  private readonly promise: number;
  /** The least that was asked for and not kept. */
  private tooMuch = Infinity;

  constructor(promise: number) {
    this.promise = promise;
  }

  /** After facets that keep the promise: what to ask for next, null to stay. */
  coarser(facets: Facets): number | null {
    const saved = this.best?.kept ? 1 - facets.triangles.length / this.best.triangles.length : 1;
    if (saved <= 0) return null;
    this.best = facets;
    // When a coarser request hardly saves anything, the turn angle decides, not the deviation.
    if (saved < 0.05 || facets.rounds >= 3) return null;
    const slack = this.promise / Math.max(facets.measured.largest, 1e-12);
    const next = facets.asked * Math.min(1.6, Math.sqrt(slack) * 0.97);
    return slack < 1.35 || next >= this.tooMuch ? null : next;
  }

  /** After facets that do not: what to ask for next, null to stay. */
  finer(facets: Facets): number | null {
    this.tooMuch = Math.min(this.tooMuch, facets.asked);
    const { best } = this;
    if (best?.kept) return null;
    const { largest } = facets.measured;
    const stuck = best !== null && largest > best.measured.largest * 0.9 && facets.rounds > 3;
    if (!best || largest < best.measured.largest) this.best = facets;
    if (stuck || facets.triangles.length / 3 > mostTriangles) return null;
    return facets.asked * Math.max(0.25, Math.min(0.85, (0.93 * this.promise) / largest));
  }
}

/** What is told about facets: balanced ones, and those that our own mesher did not make: nothing is wrong with them, they are more. @param scale by which the solid is written */
export function facetsFinding({ left, balanced, promised }: Facets, scale = 1): Finding[] {
  if (balanced) {
    return [
      {
        code: 'balanced-facets',
        severity: 'clear',
        count: 1,
        message: `The facets are balanced: they lie to both sides of round surfaces, so that sizes may be larger or smaller by up to ${Number((promised * scale).toPrecision(3))} mm on each side.`,
        remedy: 'Nothing has to be done; where a round has to fit, make the facets without it.',
      },
    ];
  }
  if (left === null) return [];
  return [
    {
      code: 'kernel-facets',
      severity: 'clear',
      count: 1,
      message: `The facets come from the kernel's mesher (our own did not take the solid: ${left}): they are more than need be, and measured like all others.`,
      remedy: 'Nothing has to be done.',
    },
  ];
}

/** One point of the curve that the Facets step draws. */
export interface CurveStep {
  promised: number;
  measured: number;
  triangles: number;
  bytes: number;
}

export function curveStep(facets: Facets): CurveStep {
  const triangles = facets.triangles.length / 3;
  return { promised: facets.promised, measured: facets.measured.largest, triangles, bytes: binaryStlLength(triangles) };
}

/** Rounds of the search for a budget, the share of it that is aimed at, and the share that is good enough. */
const budgetRounds = 8;
const aim = 0.985;
const nearlyAll = 0.97;
/** How the number of triangles goes with the deviation, as a power: -1 where faces are bent both ways, -1/2 where one way; edges, and a few facets more or less, make it vary. */
const usualPower = -1;
const [steepest, flattest] = [-1.5, -0.25];

/**
 * The finest facets within a budget of triangles: each try tells how their number goes with the deviation here, and so gives a good guess for the next, between
 * the bounds found so far. Returns null when even the coarsest are too many.
 * @param budget most triangles @param choice.bounds between which the deviation is looked for, mm
 * @example await facetsWithin(solid, exact, 5000, { angle: 60 })
 */
export async function facetsWithin(
  solid: FacetSource,
  exact: ExactSolid,
  budget: number,
  { angle, balanced, bounds = [0.002, 5] }: Omit<FacetChoice, 'deviation'> & { bounds?: readonly [number, number] },
): Promise<Facets | null> {
  const made = async (deviation: number) => {
    const facets = await makeFacets(solid, exact, { deviation, angle, balanced });
    return { facets, deviation, count: facets.triangles.length / 3, fits: facets.kept && facets.triangles.length / 3 <= budget };
  };
  let [low, high] = bounds;
  let last = await made(high);
  if (last.count > budget) return null;
  let best = last;
  // The coarsest facets may lie far nearer than they would have to: what they measure counts.
  let guess = Math.min(high, last.facets.measured.largest) * (last.count / (aim * budget));
  for (let round = 0; round < budgetRounds && high > low * 1.001; round++) {
    const atEnd = guess <= bounds[0] && low === bounds[0];
    const deviation = atEnd ? bounds[0] : guess > low * 1.001 && guess < high / 1.001 ? guess : Math.sqrt(low * high);
    const now = await made(deviation);
    if (now.fits) {
      if (now.count >= best.count) best = now;
      high = deviation;
      if (atEnd || now.count >= nearlyAll * budget) break;
    } else low = deviation;
    const power = round === 0 || now.count === last.count ? usualPower : Math.log(now.count / last.count) / Math.log(now.deviation / last.deviation);
    guess = deviation * (aim * (budget / now.count)) ** (1 / Math.max(steepest, Math.min(flattest, power)));
    last = now;
  }
  return best.facets;
}
