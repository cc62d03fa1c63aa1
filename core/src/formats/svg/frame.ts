import { applied, times, type Affine } from '../../curves/affine.ts';
import type { P2, Segment } from '../../curves/segment.ts';
import { readLength } from './style.ts';
import type { Node } from './xml.ts';

/** The map that leaves everything where it is. */
export const noMap: Affine = [1, 0, 0, 1, 0, 0];

/** The view box of an element; null for none that can be used. */
export function viewBox(node: Node): { at: P2; size: P2 } | null {
  const n = (node.attributes.viewBox ?? '').slice(0, 400).trim().split(/[\s,]+/).map(Number); // prettier-ignore
  return n.length === 4 && n.every(Number.isFinite) && n[2] > 0 && n[3] > 0 ? { at: [n[0], n[1]], size: [n[2], n[3]] } : null;
}

/** Pixels of the page; a missing side follows the view box. */
function pageSize(box: { size: P2 } | null, w: number | null, h: number | null): P2 | null {
  if (w !== null && h !== null) return [w, h];
  if (!box) return null;
  if (w !== null) return [w, (w * box.size[1]) / box.size[0]];
  return h !== null ? [(h * box.size[0]) / box.size[1], h] : box.size;
}

/** A side of the page, null for none that can be used. */
function sideOf(said: string | undefined): { value: number; real: boolean } | null {
  const read = readLength(said, NaN);
  return read && read.value > 0 ? read : null;
}

/** From the outermost user units to the drawing's numbers: mm when the page's size is real; Y turned up, the page's bottom at 0. */
export function pageMap(root: Node): { map: Affine; real: boolean; page: P2 | null } {
  const box = viewBox(root);
  const [w, h] = [sideOf(root.attributes.width), sideOf(root.attributes.height)];
  const real = (w ?? h)?.real === true;
  const size = pageSize(box, w?.value ?? null, h?.value ?? null);
  const inner = box && size ? fitted(box, size, root.attributes.preserveAspectRatio) : noMap;
  const perPixel = real ? 25.4 / 96 : 1;
  const page: P2 | null = size ? [size[0] * perPixel, size[1] * perPixel] : null;
  return { map: times([perPixel, 0, 0, -perPixel, 0, page?.[1] ?? 0], inner), real, page };
}

/** The map of a view box into a frame. Source: SVG 1.1, 7.8 (preserveAspectRatio). */
export function fitted(box: { at: P2; size: P2 }, frame: P2, aspect = ''): Affine {
  const sx = frame[0] / box.size[0];
  const sy = frame[1] / box.size[1];
  if (/\bnone\b/.test(aspect)) return [sx, 0, 0, sy, -box.at[0] * sx, -box.at[1] * sy];
  const s = /\bslice\b/.test(aspect) ? Math.max(sx, sy) : Math.min(sx, sy);
  const share = (key: string) => (aspect.includes(`${key}Min`) ? 0 : aspect.includes(`${key}Max`) ? 1 : 0.5);
  const spareX = (frame[0] - box.size[0] * s) * share('x');
  const spareY = (frame[1] - box.size[1] * s) * share('Y');
  return [s, 0, 0, s, spareX - box.at[0] * s, spareY - box.at[1] * s];
}

/** The rim of a frame as a closed chain. */
export function frame(map: Affine, [x, y]: P2, [w, h]: P2): Segment[] {
  const corners = [
    [x, y],
    [x + w, y],
    [x + w, y + h],
    [x, y + h],
  ].map((p) => applied(map, p));
  return corners.map((a, i): Segment => ({ kind: 'line', a, b: corners[(i + 1) % 4] }));
}
