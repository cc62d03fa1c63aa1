import { measureDeviation, type Deviation } from '../surfaces/deviation.ts';
import type { ExactSolid } from '../surfaces/brep-text.ts';
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
}

/** Rounds before the promise is given up (and said to be). */
const mostRounds = 12;
/** No facets of more triangles than this are made. */
const mostTriangles = 2_000_000;

/**
 * Facets whose measured deviation is at or below the promise. The mesher does not keep what it is asked for (up to 3
 * times over on cones), so what it made is measured against the exact surfaces and made again finer until it holds;
 * and once coarser when it came out far finer than needed.
 *
 * @param choice deviation in mm, in the solid's own coordinates; angle in degrees.
 * @param hint ratio of asked to promised that held last time for this solid; saves rounds.
 */
export function makeFacets(solid: OpenSolid, exact: ExactSolid, choice: FacetChoice, hint = 1): Facets {
  const angle = (choice.angle * Math.PI) / 180;
  let asked = choice.deviation * hint;
  let best: Facets | null = null;
  let tooMuch = Infinity;
  for (let round = 1; round <= mostRounds; round++) {
    const raw = solid.facets(asked, angle);
    const measured = measureDeviation(exact, raw.positions, raw.triangles, raw, choice.deviation * 8);
    const kept = measured.largest <= choice.deviation;
    const facets = { ...raw, promised: choice.deviation, measured, kept, asked, rounds: round };
    if (kept) {
      // When a coarser request hardly saves anything, the turn angle decides, not the deviation.
      const saved: number = best?.kept ? 1 - raw.triangles.length / best.triangles.length : 1;
      if (saved > 0) best = facets;
      if (saved < 0.05) break;
      const slack = choice.deviation / Math.max(measured.largest, 1e-12);
      const coarser = asked * Math.min(1.6, Math.sqrt(slack) * 0.97);
      if (round >= 3 || slack < 1.35 || coarser >= tooMuch || best !== facets) break;
      asked = coarser;
    } else {
      tooMuch = Math.min(tooMuch, asked);
      if (best?.kept) break;
      const stuck = best !== null && measured.largest > best.measured.largest * 0.9 && round > 3;
      best = !best || measured.largest < best.measured.largest ? facets : best;
      if (stuck) break;
      if (raw.triangles.length / 3 > mostTriangles) break;
      asked *= Math.max(0.25, Math.min(0.85, (0.93 * choice.deviation) / measured.largest));
    }
  }
  return best!;
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

/**
 * The finest facets within a budget of triangles, by halving the logarithm of the deviation between two bounds.
 * Returns null when even the coarsest are too many.
 */
export function facetsWithin(
  solid: OpenSolid,
  exact: ExactSolid,
  budget: number,
  angle: number,
  bounds: readonly [number, number] = [0.002, 5],
): Facets | null {
  let low = Math.log(bounds[0]);
  let high = Math.log(bounds[1]);
  let best: Facets | null = null;
  const coarsest = makeFacets(solid, exact, { deviation: bounds[1], angle });
  if (coarsest.triangles.length / 3 > budget) return null;
  best = coarsest;
  for (let step = 0; step < 9; step++) {
    const middle = (low + high) / 2;
    const facets = makeFacets(solid, exact, { deviation: Math.exp(middle), angle });
    if (facets.triangles.length / 3 <= budget && facets.kept) {
      best = facets;
      high = middle;
    } else low = middle;
  }
  return best;
}
