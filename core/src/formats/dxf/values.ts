import type { Drawing } from '../../drawing/drawing.ts';
import type { Affine } from '../../drawing/affine.ts';
import { distance, endOf, startOf, type P2 } from '../../drawing/segment.ts';
import { Unusable } from '../../findings/finding.ts';
import { numberAt, type Entity } from './entities.ts';

/** Most copies that blocks may unfold to. */
export const mostPlaced = 3_000_000;

/** Marks a chain closed when it ends where it began, whatever its flag said. */
export function closedByThemselves(drawing: Drawing, reach: number): Drawing {
  const same = Math.max(1e-9, reach * 1e-12);
  for (const layer of drawing.layers) {
    for (const c of layer.contours) {
      if (c.closed) {
        // A closed curve that does not come back to its start gets the missing piece.
        const last = c.segments[c.segments.length - 1];
        const gap = distance(endOf(last), startOf(c.segments[0]));
        if (gap > same * 1000) c.segments.push({ kind: 'line', a: endOf(last), b: startOf(c.segments[0]) });
      } else if (c.segments.length > 1 || c.segments[0].kind !== 'line') {
        c.closed = distance(endOf(c.segments[c.segments.length - 1]), startOf(c.segments[0])) <= same;
      }
    }
  }
  return drawing;
}

/** The maps of an INSERT: one for each copy of its array. */
export function placesOf(e: Entity): Affine[] {
  const at: P2 = [numberAt(e, 10), numberAt(e, 20)];
  const angle = (numberAt(e, 50) * Math.PI) / 180;
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const sx = numberAt(e, 41, 1);
  const sy = numberAt(e, 42, 1);
  const columns = Math.max(1, Math.trunc(numberAt(e, 70, 1)));
  const rows = Math.max(1, Math.trunc(numberAt(e, 71, 1)));
  if (columns * rows > mostPlaced) throw new Unusable('too-many-entities', 'A block is repeated millions of times.', 'Export it with fewer copies.');
  const maps: Affine[] = [];
  for (let row = 0; row < rows; row++) {
    for (let column = 0; column < columns; column++) {
      const x = column * numberAt(e, 44);
      const y = row * numberAt(e, 45);
      maps.push([c * sx, s * sx, -s * sy, c * sy, at[0] + c * x - s * y, at[1] + s * x + c * y]);
    }
  }
  return maps;
}

/** Text without its formatting codes. Source: DXF Reference, MTEXT. */
export function plainText(text: string): string {
  return text
    .replace(/\\P/g, ' ')
    .replace(/\\[A-Za-z][^;\\]*;/g, '')
    .replace(/[{}]/g, '')
    .replace(/%%[cC]/g, '⌀')
    .replace(/%%[dD]/g, '°')
    .replace(/%%[pP]/g, '±')
    .trim();
}
