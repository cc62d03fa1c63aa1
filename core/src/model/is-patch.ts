import type { PartSummary } from './design.ts';

/** A sheet of n triangles has at least about 2.4 times the root of n edges on its border; a body with a hole has far fewer. By Euler's formula on hexagons. */
const borderShare = 2;

/** Whether a part is an open surface by itself, not a body with holes: one shell with a long border, and nothing else wrong with it. */
export function isPatch(of: Pick<PartSummary, 'kind' | 'openEdges' | 'nonManifoldEdges' | 'flippedEdges' | 'triangles' | 'shells'>): boolean {
  const { kind, openEdges, nonManifoldEdges, flippedEdges, triangles, shells } = of;
  if (kind !== 'mesh' || !openEdges || !triangles || shells !== 1 || nonManifoldEdges !== 0 || flippedEdges !== 0) return false;
  return openEdges >= borderShare * Math.sqrt(triangles);
}
