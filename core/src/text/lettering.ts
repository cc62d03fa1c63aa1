import { Unusable, type Finding } from '../base/finding.ts';
import { transformed, type Affine } from '../curves/affine.ts';
import { areaOfContour, boxOfContour, contourOf, type Contour, type Drawing, type Layer, type Meaning } from '../curves/drawing.ts';
import type { Box2 } from '../curves/measure.ts';
import { trackOf } from '../curves/track.ts';
import { circle, type ArcSegment, type P2, type Segment } from '../curves/segment.ts';
import type { TextChoice, TextPlate } from './choice.ts';
import { setText, type AlongTrack } from './layout.ts';
import { lettersOf, type LetterFiles } from './letters.ts';
import { missingFinding, stoodInFinding } from './marks.ts';

/** How a drawing's letters came to be, so that the words can be changed. A font of one's own stays in the design's file. */
export interface LetteringOrigin {
  choice: TextChoice;
  /** Name of the letters. */
  letters: string;
  count: number;
  /** Height of H, mm. */
  cap: number;
  /** Where the words were moved and turned to since they were set. */
  moved?: Affine;
}

export interface Lettered {
  drawing: Drawing & { lettering: LetteringOrigin };
  findings: Finding[];
}

/** Text as a drawing, mm, with its plate when it has one. @param along a contour that it runs along instead of its own path. @throws Unusable when there is no letter to draw, or a font can't be used. */
export async function lettered(choice: TextChoice, files: LetterFiles, along: AlongTrack | null = null): Promise<Lettered> {
  const letters = await lettersOf(choice, files);
  const made = await setText(along ? { ...choice, path: along } : choice, letters);
  const findings = [...missingFinding(made.missing, letters.name), ...stoodInFinding(made.stoodIn, letters.name)];
  if (made.heaps > 0)
    findings.push({
      code: 'letters-overlap',
      severity: 'stop',
      count: made.heaps,
      message: 'Letters overlap so much that they could not be joined: what lies in two of them would be left out or cut twice.',
      remedy: 'Give them more room between letters or lines.',
    });
  if (along && made.longest > along.track.length)
    findings.push({
      code: 'text-past-contour',
      severity: 'look',
      count: 1,
      message: `The text is ${made.longest.toFixed(1)} mm long and its contour ${along.track.length.toFixed(1)} mm: it runs on ${along.track.closed ? 'over its own beginning' : 'straight beyond the ends'}.`,
      remedy: 'Make the letters smaller, or choose a longer contour.',
    });
  if (made.contours.length === 0)
    throw new Unusable(
      'no-letters',
      made.missing.length > 0 ? findings[0].message : 'There is no letter to draw.',
      'Type words, or choose letters that have them.',
    );
  const { plate } = choice;
  const [l, b, r, t] = made.box;
  const text = plate ? moved(made.contours, [plate.width / 2 - (l + r) / 2, plate.height / 2 - (b + t) / 2]) : made.contours;
  if (plate) findings.push(...plateFindings(choice, plate, [r - l, t - b], text));
  const layers: Layer[] = [layerOf('Text', choice.meaning, text)];
  if (plate) layers.unshift(layerOf('Plate', 'cut', [outlineOf(plate)]), ...holesLayer(plate));
  const { own, ...rest } = choice;
  const origin: LetteringOrigin = {
    choice: own ? { ...rest, own: { ...own, data: '' } } : rest,
    letters: letters.name,
    count: made.letters,
    cap: made.cap,
  };
  return { drawing: { layers, texts: [], points: [], lettering: origin }, findings };
}

const layerOf = (name: string, meaning: Meaning, contours: readonly Contour[]): Layer => ({
  name,
  colour: null,
  lineType: 'CONTINUOUS',
  contours: contours.map((c) => ({ ...c, meaning })),
});

const moved = (contours: readonly Contour[], [x, y]: P2): Contour[] =>
  contours.map((c) => ({ ...c, segments: c.segments.map((s) => transformed(s, [1, 0, 0, 1, x, y])) }));

/** A rectangle with round corners, from the lower left, counter-clockwise. */
function outlineOf({ width: w, height: h, radius: r }: TextPlate): Contour {
  const corner = (x: number, y: number, start: number): ArcSegment => ({ kind: 'arc', centre: [x, y], radius: r, start, sweep: Math.PI / 2 });
  const line = (a: P2, b: P2): Segment[] => (Math.hypot(b[0] - a[0], b[1] - a[1]) > 1e-9 ? [{ kind: 'line', a, b }] : []);
  const round = (arc: ArcSegment): Segment[] => (r > 0 ? [arc] : []);
  return contourOf(
    [
      ...line([r, 0], [w - r, 0]),
      ...round(corner(w - r, r, -Math.PI / 2)),
      ...line([w, r], [w, h - r]),
      ...round(corner(w - r, h - r, 0)),
      ...line([w - r, h], [r, h]),
      ...round(corner(r, h - r, Math.PI / 2)),
      ...line([0, h - r], [0, r]),
      ...round(corner(r, r, Math.PI)),
    ],
    true,
  );
}

/** Middles of a plate's holes. */
function holesOf({ width: w, height: h, holes, inset: i }: TextPlate): P2[] {
  if (holes === 1) return [[i, h / 2]];
  if (holes === 2) return [[i, h / 2], [w - i, h / 2]]; // prettier-ignore
  return holes === 4 ? [[i, i], [w - i, i], [w - i, h - i], [i, h - i]] : []; // prettier-ignore
}

function holesLayer(plate: TextPlate): Layer[] {
  const at = holesOf(plate);
  return at.length > 0 ? [layerOf('Holes', 'hole', at.map((c) => contourOf([circle(c, plate.diameter / 2)], true)))] : []; // prettier-ignore
}

/** Whether text and holes have room on their plate, and whether something falls out when it is cut through. */
function plateFindings({ meaning, font }: TextChoice, plate: TextPlate, [w, h]: P2, text: readonly Contour[]): Finding[] {
  const findings: Finding[] = [];
  const over = Math.max(w - plate.width, h - plate.height);
  if (over > -1e-9)
    findings.push({
      code: 'text-beyond-plate',
      severity: 'stop',
      count: 1,
      message: `The text is ${w.toFixed(1)} × ${h.toFixed(1)} mm and its plate ${plate.width} × ${plate.height} mm.`,
      remedy: 'Make the letters smaller or the plate larger.',
    });
  if (plate.radius > Math.min(plate.width, plate.height) / 2 + 1e-9)
    throw new Unusable('bad-plate', `Corners of ${plate.radius} mm do not fit a plate of ${plate.width} × ${plate.height} mm.`, 'Make them smaller.');
  if (plate.holes > 0 && plate.inset <= plate.diameter / 2)
    throw new Unusable(
      'bad-plate',
      `Holes of ${plate.diameter} mm, ${plate.inset} mm from the edge, break out of the plate.`,
      'Move them in or make them smaller.',
    );
  const near = holesOf(plate).filter(([x, y]) => within(text, [x, y], plate.diameter / 2)).length;
  if (near > 0)
    findings.push({
      code: 'text-at-holes',
      severity: 'stop',
      count: near,
      message: `The text reaches into ${near === 1 ? 'a hole' : `${near} holes`} of its plate.`,
      remedy: 'Make the letters smaller or the plate larger.',
    });
  const counters = text.filter((c) => c.closed && areaOfContour(c) < 0).length;
  if (meaning === 'cut' && counters > 0 && !font.startsWith('stencil'))
    findings.push({
      code: 'counters-fall-out',
      severity: 'look',
      count: counters,
      message: `The insides of ${counters.toLocaleString('en')} letters (as of O and A) fall out when they are cut through.`,
      remedy: 'Choose stencil letters, or put in bridges.',
    });
  return findings;
}

/** Whether ink comes nearer to a place than a distance; curves are looked at within a hundredth of a millimetre. */
const within = (text: readonly Contour[], at: P2, radius: number): boolean =>
  text.some((c) => boxOff(boxOfContour(c), at) < radius + near && trackOf(c).nearest(at).off < radius + near);
const boxOff = ([l, b, r, t]: Box2, [x, y]: P2): number => Math.hypot(Math.max(l - x, 0, x - r), Math.max(b - y, 0, y - t));
const near = 0.01;

declare module '../curves/drawing.ts' {
  interface Drawing {
    /** The words that it was made of, while its contours are those of the words. */
    lettering?: LetteringOrigin;
  }
}
