import type { Drawing } from '../../curves/drawing.ts';
import { distance, endOf, startOf } from '../../curves/segment.ts';
import { numberAt, type Entity } from './entities.ts';
import { timesFrame, type Frame } from './frame.ts';
import type { Copies } from './unfold.ts';

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

/** Where the copies of an INSERT stand, in its own coordinates: one, or rows and columns. Source: DXF Reference, INSERT. */
export function copiesOf(e: Entity, own: Frame | null): Copies {
  const angle = (numberAt(e, 50) * Math.PI) / 180;
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const [sx, sy, sz] = [numberAt(e, 41, 1), numberAt(e, 42, 1), numberAt(e, 43, 1)];
  const [ax, ay, az] = [numberAt(e, 10), numberAt(e, 20), numberAt(e, 30)];
  const columns = Math.max(1, Math.trunc(numberAt(e, 70, 1)));
  const rows = Math.max(1, Math.trunc(numberAt(e, 71, 1)));
  const [dx, dy] = [numberAt(e, 44), numberAt(e, 45)];
  const at = (i: number): Frame => {
    const x = (i % columns) * dx;
    const y = Math.floor(i / columns) * dy;
    const placed: Frame = [c * sx, -s * sy, 0, ax + c * x - s * y, s * sx, c * sy, 0, ay + s * x + c * y, 0, 0, sz, az];
    return own ? timesFrame(own, placed) : placed;
  };
  return { count: columns * rows, at };
}

/** A name or text of the file that any system can keep: no control characters, no halves of characters. */
export function sound(text: string): string {
  return text
    .replace(/[\x00-\x1f\x7f]/g, '')
    .replace(/[\ud800-\udbff](?![\udc00-\udfff])/g, '\ufffd')
    .replace(/(^|[^\ud800-\udbff])[\udc00-\udfff]/g, '$1\ufffd');
}

/** Text without its formatting codes. Source: DXF Reference, MTEXT. */
export function plainText(text: string): string {
  return (
    text
      .replace(/\\P/g, '\n')
      // Fractions and tolerances are set above each other: side by side here, so that no figure is lost.
      .replace(/\\S([^;^#/\\]*)[\^#/]([^;\\]*);/g, (_, above: string, below: string) => `${above.trim()}/${below.trim()}`)
      .replace(/\\~/g, ' ')
      .replace(/\\[LlOoKk]/g, '')
      .replace(/\\[A-Za-z][^;\\]*;/g, '')
      .replace(/\\([\\{}])/g, (_, sign: string) => (sign === '\\' ? '\ue000' : sign === '{' ? '\ue001' : '\ue002'))
      .replace(/[{}]/g, '')
      .replace(/[\ue000-\ue002]/g, (sign) => '\\{}'[sign.charCodeAt(0) - 0xe000])
      .replace(/%%[cC]/g, '⌀')
      .replace(/%%[dD]/g, '°')
      .replace(/%%[pP]/g, '±')
      .trim()
  );
}
