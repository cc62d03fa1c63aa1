import type { ExactSolid } from './brep-text.ts';

/**
 * How many holes go through an exact solid, from its faces, loops, edges and vertices alone; null when they do not make closed shells (edges
 * that are not shared, vertices that are missing). Edges that are only a point (poles) are none.
 * Source: Euler-Poincaré formula, V - E + F - (L - F) = 2 (S - G), as in any handbook of solid modelling.
 * @param shells S, counted elsewhere.
 */
export function throughHolesOf(solid: ExactSolid, shells: number): number | null {
  const vertices = new Set<number>();
  const uses = new Map<number, number>();
  let rings = 0;
  for (const face of solid.faces) {
    rings += face.loops - 1;
    for (const edge of face.edges) {
      if (edge.ends[0] < 0) return null;
      vertices.add(edge.ends[0]).add(edge.ends[1]);
      if (edge.curve) uses.set(edge.id, (uses.get(edge.id) ?? 0) + 1);
    }
  }
  for (const n of uses.values()) if (n !== 2) return null;
  const twice = 2 * shells - (vertices.size - uses.size + solid.faces.length - rings);
  return twice >= 0 && twice % 2 === 0 ? twice / 2 : null;
}
