import { claimFigure } from 'tall-kite/prove/page';
import type { Between } from 'tall-kite/view/between';
import type { Measured, Shape } from 'tall-kite/view/shape';

/** How lengths and places are written, after the part's scale. */
export interface Figures {
  /** A length in mm, with its unit. */
  len: (mm: number) => string;
  /** From the part's numbers to mm. */
  scale: number;
}

const angle = (degrees: number): string => `${Number(degrees.toFixed(3))}°`;
const area = (mm2: number): string => `${claimFigure(mm2, 'mm2')} mm²`;

/** An edge or a corner in words; null for a face. */
function edgeSaid(shape: Shape, length: (v: number) => string): string | null {
  switch (shape.kind) {
    case 'point':
      return `point at X ${length(shape.at[0])}, Y ${length(shape.at[1])}, Z ${length(shape.at[2])}`;
    case 'line':
      return `straight edge, ${length(shape.length)} long`;
    case 'circle':
      return shape.turn === 360
        ? `round edge, ø ${length(2 * shape.r)}, ${length(shape.length)} round`
        : `arc, radius ${length(shape.r)}, ${angle(shape.turn)}, ${length(shape.length)} long`;
    case 'curve':
      return `curved edge, about ${length(shape.length)} long`;
    default:
      return null;
  }
}

/** What a shape is, in words, with its figures. */
export function shapeSaid(shape: Shape, { len, scale }: Figures): string {
  const length = (v: number) => len(v * scale);
  switch (shape.kind) {
    case 'plane':
      return `flat face, about ${area(shape.area * scale * scale)}`;
    case 'cylinder':
      return `${shape.hollow ? 'round inside' : 'round outside'}, ø ${length(2 * shape.r)}, radius ${length(shape.r)}, ${length(shape.along)} ${shape.hollow ? 'deep' : 'long'}`;
    case 'cone':
      return `${shape.hollow ? 'cone inside' : 'cone outside'}, ${angle(2 * shape.half)} between its sides`;
    case 'sphere':
      return `${shape.hollow ? 'ball inside' : 'ball outside'}, ø ${length(2 * shape.r)}, radius ${length(shape.r)}`;
    case 'torus':
      return `ring, radius ${length(shape.minor)}, its middle on ø ${length(2 * shape.major)}`;
    case 'free':
      return `free surface, about ${area(shape.area * scale * scale)}`;
    default:
      return edgeSaid(shape, length)!;
  }
}

/** One pick: what it is, and how thick the part is behind it. */
export function pickSaid(it: Measured, figures: Figures): string {
  const wall = it.wall ? `; ${figures.len(it.wall.thickness * figures.scale)} through the part there` : '';
  return `${it.exact || it.shape.kind === 'point' ? '' : 'from its triangles: '}${shapeSaid(it.shape, figures)}${wall}`;
}

/** What lies between two picks: the distance first, then the angle. */
export function betweenSaid(it: Between, { len, scale }: Figures): { distance: string; of: string; more: string } {
  const length = (v: number) => len(v * scale);
  const apart = it.from.map((v, k) => Math.abs(it.to[k] - v));
  const along = `X ${length(apart[0])}, Y ${length(apart[1])}, Z ${length(apart[2])}`;
  const turned = it.angle === null ? '' : it.parallel ? 'parallel; ' : `angle ${angle(it.angle)} (${angle(180 - it.angle)}); `;
  const centres = it.centres === null || Math.abs(it.centres - it.distance) < 1e-9 * Math.max(1, it.centres) ? '' : `centres ${length(it.centres)} apart; `;
  return { distance: length(it.distance), of: it.of, more: `${turned}${centres}${along}` };
}
