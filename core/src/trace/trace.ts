import { Unusable, type Finding } from '../base/finding.ts';
import { areaOfContour, contourOf, type Contour, type Drawing } from '../curves/drawing.ts';
import { transformed, type Affine } from '../curves/affine.ts';
import type { P2 } from '../curves/segment.ts';
import type { TraceChoice } from './choice.ts';
import { lookedAt } from './crop.ts';
import { held } from './held.ts';
import type { PictureOrigin } from './origin.ts';
import { outlines, type Made } from './outlines.ts';
import type { Picture } from './picture.ts';
import { planeOf, timesPlane } from './plane.ts';
import { barePerMm, mapOf } from './rectify.ts';
import type { RegularCounts } from './regular-words.ts';
import { regularOf } from './regular.ts';
import { noneLeft, type LeftOut } from './regions.ts';
import { leastRegion, mostEdgePoints, regionRows, strokeRows, texture, type LayerRows } from './rows.ts';
import { signalsOf, type Ink } from './signals.ts';

/** What came of a picture. Lengths of figures in the drawing's own numbers (mm when the size is known). */
export interface Traced {
  drawing: Drawing & { picture: PictureOrigin };
  /** Whether the numbers are millimetres; else pixels at 96 an inch. */
  sized: boolean;
  contours: number;
  holes: number;
  pieces: number;
  /** What is regular within what the picture tells; null when it was not looked for. */
  regular: RegularCounts | null;
  findings: Finding[];
}

/** How near a clean edge is followed, pixels; and one of pixels that are all or nothing. */
export const nearest = { clean: 0.06, bilevel: 0.75 };

/** Told now and then; true gives up. */
type Progress = (share: number, what: string) => boolean;

/**
 * Contours of a picture. Edges are found within a pixel, and lines, arcs (and curves) put through them; corners stay corners.
 * @throws Unusable when there is nothing to follow, or too much. @example trace(picture, { ...usualTrace, way: 'outside' })
 */
export function trace(picture: Picture, choice: TraceChoice, progress: Progress = () => false): Traced {
  const findings: Finding[] = [];
  const cropped = lookedAt(picture, choice);
  const map = mapOf(choice.size, picture);
  const perMm = map.perMm ?? barePerMm;
  const shift: P2 = choice.crop ? [choice.crop[0] - 1, choice.crop[1] - 1] : [-1, -1];
  if (progress(0.05, 'looking for edges')) throw gaveUp();
  const { inks, layers, bilevel, rough, left } = followed(cropped, choice, { perMm, map, shift }, progress);
  const near = nearnessOf(choice, { bilevel, rough, perMm }, findings);
  const plain = layers.map((layer, k) => {
    if (progress(0.45 + (0.5 * k) / layers.length, 'lines and arcs')) throw gaveUp();
    return outlines(layer, near, choice.curves);
  });
  const regular = regularIn(plain, near, choice);
  const made = choice.regular && regular ? regular.made : plain;
  const total = made.reduce((sum, list) => sum + list.length, 0);
  left.noise += layers.reduce((sum, layer) => sum + layer.rows.length, 0) - total;
  findings.push(...leftFindings(left, choice));
  if (total === 0)
    throw new Unusable(
      'nothing-found',
      'Nothing in the picture stands out so that it could be followed.',
      'Choose another way or another level, or turn light and dark round.',
    );
  // Pixels that stand upright, y down, to the drawing's numbers, y up.
  const size = choice.size.kind === 'rectangle' ? choice.size.height * perMm : picture.height;
  const flat: Affine = [1 / perMm, 0, 0, -1 / perMm, 0, size / perMm];
  const drawing = drawingOf(layers, made, flat, perMm);
  const { distance, edge } = held(made, flat);
  const origin: PictureOrigin = {
    width: picture.width,
    height: picture.height,
    map: map.upright ? timesPlane(planeOf(flat), map.upright) : planeOf(flat),
    choice,
    level: choice.way === 'brightness' ? levelSaid(inks[0], choice) : null,
    distance,
    near,
    regular: regular?.counts ?? null,
    perNumber: perMm,
    edge,
  };
  const contours = drawing.layers.flatMap((l) => l.contours);
  return {
    drawing: { ...drawing, picture: origin },
    sized: map.perMm !== null,
    contours: contours.length,
    holes: contours.filter((c) => c.closed && areaOfContour(c) < 0).length,
    pieces: contours.reduce((sum, c) => sum + c.segments.length, 0),
    regular: regular?.counts ?? null,
    findings,
  };
}

/** How far contours may lie off the edge, pixels: as was asked, but no finer than the picture tells, which is said. */
function nearnessOf(choice: TraceChoice, { bilevel, rough, perMm }: { bilevel: number; rough: number; perMm: number }, findings: Finding[]): number {
  const floor = choice.way === 'strokes' ? 0.35 : bilevel > 0.6 ? nearest.bilevel : Math.max(nearest.clean, 4.5 * rough);
  const asked = choice.deviation === null ? floor : choice.deviation * perMm;
  if (asked < floor * 0.999) findings.push(finer(choice.deviation!, floor / perMm));
  return Math.max(floor, asked);
}

/** Outlines as a drawing, a layer an ink. */
function drawingOf(layers: readonly LayerRows[], made: readonly Made[][], flat: Affine, perMm: number): Drawing {
  return {
    layers: layers.map(({ ink }, k) => ({
      name: ink.name,
      colour: ink.colour,
      lineType: 'CONTINUOUS',
      contours: made[k].map(({ outline, closed, width }) => {
        const contour = contourOf(
          outline.map((s) => transformed(s, flat)),
          closed,
        );
        return width === null ? contour : { ...contour, width: width / perMm };
      }),
    })),
    texts: [],
    points: [],
  };
}

/** Edges or strokes of every ink as rows of points. */
function followed(cropped: Picture, choice: TraceChoice, at: { perMm: number; map: ReturnType<typeof mapOf>; shift: P2 }, progress: Progress) {
  const inks = signalsOf(cropped, choice);
  const layers: LayerRows[] = [];
  let [bilevel, rough, points] = [0, 0, 0];
  const left = noneLeft();
  inks.forEach((ink, k) => {
    if (progress(0.1 + (0.3 * k) / inks.length, 'following edges')) throw gaveUp();
    if (choice.way === 'strokes') layers.push(strokeRows(ink, at.map, at.shift));
    else {
      const found = regionRows(ink, choice, at);
      points += found.points;
      for (const why of Object.keys(left) as (keyof LeftOut)[]) left[why] += found.left[why];
      bilevel = Math.max(bilevel, found.bilevel);
      rough = Math.max(rough, found.rough);
      layers.push(found);
      if (points > mostEdgePoints) throw texture(points);
    }
  });
  return { inks, layers, bilevel, rough, left };
}

/** Pictures of more contours than this are not asked for regular shapes unless that was chosen. */
const mostAsked = 300;

/** What is regular among the contours of all layers, and the contours made so; null when it was not looked for. */
function regularIn(made: readonly Made[][], near: number, choice: TraceChoice): { counts: RegularCounts; made: Made[][] } | null {
  const all = made.flat();
  if (choice.way === 'strokes' || (!choice.regular && all.length > mostAsked)) return null;
  const found = regularOf(all, near);
  let at = 0;
  return { counts: found.counts, made: made.map((list) => found.made.slice(at, (at += list.length))) };
}

/** Brightness again, whichever way round inside was. */
const levelSaid = (ink: Ink, { invert }: TraceChoice): number => (invert ? ink.signal.level : 1 - ink.signal.level);

const gaveUp = () => new Unusable('cancelled', 'Cancelled; nothing was changed.', 'Ask again when you like.');

/** What a picture shows and its contours do not, each kind with why. Files made of them tell it too (see base/loss). */
function leftFindings({ noise, small, within, clicked }: LeftOut, { speckle, holes, crop, size }: TraceChoice): Finding[] {
  const kinds: [number, string, string][] = [
    [noise, `${said(noise)} under ${leastRegion} pixels, or no clearer than the noise of the picture`, 'Take a picture with more pixels if they are wanted.'],
    [small, `${said(small)} smaller than was chosen (regions ${speckle} mm², holes ${holes} mm²)`, 'Choose smaller sizes if they are wanted.'],
    [within, `${said(within)} within the outer boundary, which alone was chosen`, 'Choose another way if they are wanted.'],
    [clicked, `${said(clicked)} clicked away, with what lies within`, 'Click them again on the Trace step if they are wanted.'],
    [size.kind === 'rectangle' ? 1 : 0, 'what lies outside the four corners', 'Place the corners farther out if it is wanted.'],
    [crop ? 1 : 0, 'what lies outside the part of the picture that was chosen', 'Take all of the picture if it is wanted.'],
  ];
  return kinds.flatMap(([count, what, remedy]) =>
    count > 0 ? [{ code: 'left-of-picture', severity: 'clear', count, message: `Left out: ${what}.`, remedy }] : [],
  );
}
const said = (count: number): string => (count === 1 ? '1 region or hole' : `${count.toLocaleString('en')} regions or holes`);

const finer = (asked: number, floor: number): Finding => ({
  code: 'finer-than-picture',
  severity: 'look',
  count: 1,
  message: `The picture tells its edge only within about ${floor.toPrecision(2)} mm; ${asked} mm was asked for.`,
  remedy: 'Take a picture with more pixels, or choose a larger deviation.',
});

/** Area inside a contour with its holes, for figures. */
export const areaOfTraced = (contours: readonly Contour[]): number => contours.reduce((sum, c) => sum + (c.closed ? areaOfContour(c) : 0), 0);
