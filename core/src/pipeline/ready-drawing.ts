import type { PartSummary } from '../model/design.ts';
import { boxOfDrawing, transformedDrawing, type Contour, type Drawing, type TextMark } from '../curves/drawing.ts';
import { fitContour } from '../curves/fit.ts';
import { segmentsNear, withLead } from '../curves/lead.ts';
import { cutThrough, meantContours, type Meant } from '../drawing/meaning.ts';
import { narrowPlaces, offsetContour, withCornerReliefs, withTabs } from '../curves/offset.ts';
import { times, type Affine } from '../curves/affine.ts';
import type { Finding } from '../base/finding.ts';
import type { Engine } from '../engine/engine.ts';
import type { DrawingRecipe } from '../model/drawing-recipe.ts';
import { scaleOf, type Recipe } from '../recipe/recipe.ts';
import { receiverFor, type Receiver } from '../receivers/receivers.ts';
import { Narrow } from './narrow.ts';

/** Deviation within which curves become arcs and lines when a machine takes nothing else and nobody has chosen, mm. */
export const usualFit = 0.01;

/** The map of size and place, from the drawing's own numbers to mm at the machine. */
export function placeOf(drawing: Drawing, scale: number, recipe: DrawingRecipe): Affine {
  const { turn, mirror, datum, point, at } = recipe.place;
  const angle = (turn * Math.PI) / 180;
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const turned = times([c, s, -s, c, 0, 0], [mirror ? -scale : scale, 0, 0, scale, 0, 0]);
  if (datum === 'drawn') return [turned[0], turned[1], turned[2], turned[3], at[0], at[1]];
  if (datum === 'point') {
    const x = turned[0] * point[0] + turned[2] * point[1];
    const y = turned[1] * point[0] + turned[3] * point[1];
    return [turned[0], turned[1], turned[2], turned[3], at[0] - x, at[1] - y];
  }
  const box = boxOfDrawing(transformedDrawing(drawing, turned));
  const shift = datum === 'corner' ? [-box[0], -box[1]] : [-(box[0] + box[2]) / 2, -(box[1] + box[3]) / 2];
  return [turned[0], turned[1], turned[2], turned[3], at[0] + shift[0], at[1] + shift[1]];
}

/** A drawing made ready: placed, its contours with their meanings, moved by the kerf, with tabs and reliefs. */
export interface ReadyDrawing {
  meant: Meant[];
  fitted: number;
  allowed: number;
  findings: Finding[];
  /** Contours as placed, before kerf, tabs and reliefs: the edges the part is to have. */
  edges: Contour[];
  /** Writing of a flat pattern, as placed. */
  texts: TextMark[];
}

export function readyDrawing(part: PartSummary, drawing: Drawing, recipe: Recipe, engine: Engine): ReadyDrawing {
  const how = recipe.drawing!;
  const receiver = receiverFor(recipe);
  const map = placeOf(drawing, scaleOf(part, recipe), how);
  const place = transformedDrawing(drawing, map);
  // Meanings are judged on the placed drawing, so that areas and diameters are mm at the machine.
  let meant = deep(meantContours(place, how), how);
  const edges = meant.map((m) => m.contour);
  const findings: Finding[] = [];
  if (how.relief !== null) meant = relieved(meant, how.relief, findings);
  if (how.kerf > 0) {
    const narrow = new Narrow();
    meant = meant.flatMap((m) => moved(engine, m, how.kerf, { findings, narrow }));
    findings.push(...narrow.findings(how.kerf));
  }
  if (how.tabs) {
    const { count, width } = how.tabs;
    meant = meant.flatMap((m) =>
      m.contour.closed && m.depth % 2 === 0 && cutThrough.has(m.meaning) ? withTabs(m.contour, count, width).map((contour) => ({ ...m, contour })) : [m],
    );
  }
  if (how.leadIn) meant = led(meant, how.leadIn, findings);
  const fit = fitFor(meant, recipe, receiver);
  let fitted = 0;
  if (fit !== null) {
    meant = meant.map((m) => {
      const done = fitContour(m.contour, fit);
      fitted = Math.max(fitted, done.measured);
      return { ...m, contour: done.result };
    });
  }
  return { meant, fitted, allowed: fit ?? 0, findings, edges, texts: ownLabels(drawing) ? place.texts : [] };
}

/** Inner corners that get a relief for a bit. */
function relieved(meant: Meant[], bit: number, findings: Finding[]): Meant[] {
  let reliefs = 0;
  const out = meant.map((m) => {
    if ((!cutThrough.has(m.meaning) && m.meaning !== 'pocket') || !m.contour.closed) return m;
    const done = withCornerReliefs(m.contour, bit, m.depth % 2 === 1 || m.meaning === 'pocket');
    reliefs += done.reliefs;
    return { ...m, contour: done.contour };
  });
  findings.push({
    code: 'reliefs',
    severity: 'clear',
    count: reliefs,
    message: `${reliefs} inner corners got a relief for a bit of ${bit} mm.`,
    remedy: 'Nothing to do.',
  });
  return out;
}

/** Contours that are carved and say no depth take that of the recipe. */
const deep = (meant: Meant[], { carve }: DrawingRecipe): Meant[] =>
  carve
    ? meant.map((m) => (carved(m) && !(m.contour.depth && m.contour.depth > 0) ? { ...m, contour: { ...m.contour, depth: carve[carved(m)!] } } : m))
    : meant;

/** Which depth of the recipe a contour takes; null for what is cut through or not carved. */
export const carved = ({ meaning }: Meant): 'pocket' | 'engrave' | null =>
  meaning === 'pocket' ? 'pocket' : meaning === 'engrave' || meaning === 'score' ? 'engrave' : null;

/** Every closed cut begun from a way in; those that have no room for one are told. */
function led(meant: Meant[], length: number, findings: Finding[]): Meant[] {
  const near = segmentsNear(meant.map((m) => m.contour));
  let without = 0;
  const out = meant.flatMap((m): Meant[] => {
    if (!cutThrough.has(m.meaning)) return [m];
    // What tabs have cut open begins on its edge at each of them.
    const done = withLead(m.contour, length, m.depth % 2 === 1, near);
    if (!done) {
      without++;
      return [m];
    }
    return [
      { ...m, meaning: 'lead', depth: -1, contour: done.lead },
      { ...m, contour: done.contour },
    ];
  });
  if (without > 0) {
    findings.push({
      code: 'no-lead',
      severity: 'look',
      count: without,
      message: `${without === 1 ? 'One cut has' : `${without.toLocaleString('en')} cuts have`} no room for a way in of ${length} mm and ${without === 1 ? 'begins' : 'begin'} on the edge.`,
      remedy: 'Choose a shorter way in.',
    });
  }
  return out;
}

/** The contour at half the kerf to the waste side; open and engraved ones stay. */
function moved(engine: Engine, m: Meant, kerf: number, { findings, narrow }: { findings: Finding[]; narrow: Narrow }): Meant[] {
  if (!cutThrough.has(m.meaning) || !m.contour.closed) return [m];
  const outward = m.depth % 2 === 0;
  const done = offsetContour(engine, m.contour, outward ? kerf / 2 : -kerf / 2);
  if (done.contours.length === 0) {
    findings.push({
      code: 'kerf-swallows',
      severity: 'stop',
      count: 1,
      message: `A hole in the drawing is narrower than the kerf of ${kerf} mm; nothing is left of it.`,
      remedy: 'Make it larger, or drill it.',
    });
  } else if (!done.exact) narrow.add(narrowPlaces(engine, m.contour, kerf, !outward));
  return done.contours.map((contour) => ({ ...m, contour }));
}

/** Whether, and how finely, curves have to become lines and arcs. */
function fitFor(meant: Meant[], recipe: Recipe, receiver: Receiver): number | null {
  const how = recipe.drawing!;
  if (how.fit !== null) return how.fit;
  const curves = meant.some((m) => m.contour.segments.some((s) => s.kind !== 'line' && s.kind !== 'arc'));
  const plain = recipe.file.format === 'dxf' && (how.version === 'R12' || receiver.cutter?.curves === false);
  return curves && plain ? usualFit : null;
}

/** Whether a drawing brings labels of its own that are written with it. */
export const ownLabels = (drawing: Drawing): boolean => drawing.pattern !== undefined || drawing.labels === true;
