import { areaOfContour, boxOfContour, reachOf } from '../curves/drawing.ts';
import type { Meant } from './meaning.ts';
import type { P2 } from '../curves/segment.ts';
import { transformed } from '../curves/affine.ts';
import type { WrittenBlock } from '../formats/dxf/write.ts';

/**
 * Parts that stand several times in a drawing, turned alike: an outer contour with all that lies inside. They are written once and put at
 * their places.
 */
export function repeatedParts(meant: Meant[], layerName: (m: Meant) => string): { blocks: WrittenBlock[]; rest: Meant[] } {
  const outers = meant.filter((m) => m.depth === 0 && m.contour.closed);
  const groups = outers.map((outer) => {
    const box = boxOfContour(outer.contour);
    const inside = meant.filter((m) => {
      if (m === outer || m.depth === 0) return false;
      const b = boxOfContour(m.contour);
      return b[0] >= box[0] && b[1] >= box[1] && b[2] <= box[2] && b[3] <= box[3];
    });
    return { outer, members: [outer, ...inside], at: [box[0], box[1]] as P2, reach: reachOf(box) };
  });
  const byKey = new Map<string, typeof groups>();
  for (const g of groups) {
    const key = g.members
      .map((m) => {
        const b = boxOfContour(m.contour);
        const r = (v: number) => Math.round(v * 1e5);
        return [
          m.meaning,
          m.contour.segments.map((s) => s.kind[0]).join(''),
          r(b[0] - g.at[0]),
          r(b[1] - g.at[1]),
          r(b[2] - b[0]),
          r(b[3] - b[1]),
          r(areaOfContour(m.contour)),
        ].join(',');
      })
      .sort()
      .join(';');
    byKey.set(key, [...(byKey.get(key) ?? []), g]);
  }
  const blocks: WrittenBlock[] = [];
  const gone = new Set<Meant>();
  for (const same of byKey.values()) {
    if (same.length < 2) continue;
    const [first] = same;
    const layers = new Map<string, WrittenBlock['layers'][number]>();
    for (const m of first.members) {
      const name = layerName(m);
      const layer = layers.get(name) ?? { name, contours: [] };
      layer.contours.push({ ...m.contour, segments: m.contour.segments.map((s) => transformed(s, [1, 0, 0, 1, -first.at[0], -first.at[1]])) });
      layers.set(name, layer);
    }
    blocks.push({ name: `PART_${blocks.length + 1}`, layers: [...layers.values()], places: same.map((g) => g.at) });
    for (const g of same) for (const m of g.members) gone.add(m);
  }
  return { blocks, rest: meant.filter((m) => !gone.has(m)) };
}
