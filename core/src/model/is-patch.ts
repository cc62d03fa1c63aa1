import type { PartSummary } from './design.ts';

/**
 * Border squared over area, by that of a flat disc: 1 for a disc, 0.5 for a half sphere, 0.25 for a box without its lid, nearly nothing for a
 * body with a hole. Above this a mesh is taken for a surface that is meant to be open.
 */
const borderShare = 0.3;

/** Whether a part is an open surface by itself, not a body with holes: one shell with a long border, and nothing else wrong with it. */
export function isPatch(of: Pick<PartSummary, 'kind' | 'openLength' | 'nonManifoldEdges' | 'flippedEdges' | 'area' | 'shells' | 'triangles'>): boolean {
  const { kind, openLength, nonManifoldEdges, flippedEdges, area, shells, triangles } = of;
  // A lone triangle is a crumb of something.
  if (kind !== 'mesh' || !openLength || (triangles ?? 0) < 2 || shells !== 1 || nonManifoldEdges !== 0 || flippedEdges !== 0) return false;
  return openLength ** 2 >= borderShare * 4 * Math.PI * area;
}
