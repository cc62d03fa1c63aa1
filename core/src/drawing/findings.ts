import type { DrawingFigures } from '../model/design.ts';
import type { Finding, Severity } from '../base/finding.ts';
import { tinyLength, type DrawingCheck } from '../curves/check.ts';
import type { Drawing } from '../curves/drawing.ts';

/** So many gaps are kept with a part's figures. */
const mostGaps = 500;

export function figuresOf(drawing: Drawing, check: DrawingCheck): DrawingFigures {
  return {
    layers: drawing.layers.map((l) => ({ name: l.name, colour: l.colour, contours: l.contours.length })),
    contours: check.contours,
    openContours: check.open,
    gaps: check.gaps.slice(0, mostGaps).map((g) => g.distance),
    holes: check.holes,
    islands: check.islands,
    length: check.length,
    area: check.area,
    segments: check.segments,
    doubles: check.doubles.length,
    overlaps: check.overlaps.length,
    crossings: check.crossings.length,
    touches: check.touches.length,
    zero: check.zero.length,
    tiny: check.tiny.length,
    nearlyFull: check.nearlyFull.length,
    splinters: check.splinters.length,
    points: check.points,
    texts: drawing.texts.length,
  };
}

/** A length as people read it. */
const mm = (v: number) => `${v < 0.1 ? Number(v.toPrecision(2)) : Number(v.toFixed(2))} mm`;
const many = (n: number, one: string, more: string) => `${n.toLocaleString('en')} ${n === 1 ? one : more}`;

/** What is wrong with a drawing, in sentences. Gaps that look closed are worse than gaps that show. */
export function drawingFindings(check: DrawingCheck): Finding[] {
  const found: Finding[] = [];
  const add = (code: string, severity: Severity, count: number, [message, remedy]: readonly [message: string, remedy: string]) => {
    if (count > 0) found.push({ code, severity, count, message, remedy });
  };
  const small = check.gaps.filter((g) => g.distance < 1);
  add('gaps', 'stop', small.length, [
    `${many(small.length, 'contour looks', 'contours look')} closed but ${small.length === 1 ? 'has a gap' : 'have gaps'}: the smallest ${mm(small[0]?.distance ?? 0)}, the widest under 1 mm ${mm(small[small.length - 1]?.distance ?? 0)}.`,
    'Join the gaps on the Soundness step.',
  ]);
  const open = check.open - Math.min(check.open, small.length);
  add('open-contours', 'look', open, [
    `${many(open, 'contour is', 'contours are')} open with no other end within 1 mm.`,
    'Fine for scoring and engraving; to cut something out, join the ends.',
  ]);
  add('doubles', 'look', check.doubles.length, [
    `${many(check.doubles.length, 'piece lies', 'pieces lie')} wholly on another: a laser would cut there twice.`,
    'Drop doubles on the Soundness step.',
  ]);
  add('overlaps', 'look', check.overlaps.length, [
    `${many(check.overlaps.length, 'piece shares', 'pieces share')} a part of their length with another.`,
    'Drop doubles on the Soundness step.',
  ]);
  add('crossings', 'look', check.crossings.length, [
    `Contours cross at ${check.bounded ? 'at least ' : ''}${many(check.crossings.length, 'place', 'places')}.`,
    'Look at them on the Soundness step; cut parts must not cross.',
  ]);
  add('touches', 'look', check.touches.length, [
    `Contours touch at ${many(check.touches.length, 'place', 'places')}.`,
    'Parts that touch fall apart there or hang together; look at them.',
  ]);
  add('zero-length', 'look', check.zero.length, [
    `${many(check.zero.length, 'piece has', 'pieces have')} no length.`,
    'Drop tiny pieces on the Soundness step.',
  ]);
  add('tiny', 'look', check.tiny.length, [
    `${many(check.tiny.length, 'piece is', 'pieces are')} shorter than ${tinyLength} mm.`,
    'Drop tiny pieces on the Soundness step, or check the unit.',
  ]);
  add('nearly-full', 'look', check.nearlyFull.length, [
    `${many(check.nearlyFull.length, 'arc misses', 'arcs miss')} a full circle by very little.`,
    'Close circles on the Soundness step.',
  ]);
  add('splinters', 'look', check.splinters.length, [
    `${many(check.splinters.length, 'arc was', 'arcs were')} broken into short lines.`,
    'Fit arcs on the Soundness step: the cut runs smoother and the file is smaller.',
  ]);
  add('stray-points', 'look', check.points, [
    `${many(check.points, 'single point lies', 'single points lie')} in the drawing.`,
    'Drop points on the Soundness step; some machines drill them.',
  ]);
  return found;
}
