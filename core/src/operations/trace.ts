import Joi from 'joi';
import { Unusable } from '../base/finding.ts';
import { boxOfDrawing } from '../curves/drawing.ts';
import { thumbOfDrawing } from '../curves/thumb.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { decodePicture } from '../formats/picture/decode.ts';
import { traceSchema, traceWays, type TraceChoice } from '../trace/choice.ts';
import { areaOfTraced, trace } from '../trace/trace.ts';
import { id } from './fields.ts';
import { Cancelled, onePart, type Operation, type OperationPart, type Outcome, type Work } from './operation.ts';
import { madePart } from './shape.ts';

export interface TraceRequest {
  kind: 'trace';
  part: string;
  choice: TraceChoice;
}

export interface TraceWaysRequest {
  kind: 'trace-ways';
  part: string;
  choice: TraceChoice;
}

async function pictureOf({ summary, source }: OperationPart) {
  if (!summary.traced || !source)
    throw new Unusable('no-picture', `"${summary.name}" was not made of a picture.`, 'Bring in a PNG, JPEG, WebP, GIF, BMP or TIFF.');
  return decodePicture(await source());
}

async function run({ request: { choice }, parts: [part], progress }: Work<TraceRequest>): Promise<Outcome> {
  const picture = await pictureOf(part);
  const traced = trace(picture, choice, progress);
  const { name, path, quantity, format, partNumber, places, made } = part.summary;
  const { drawing, contours, holes, pieces, sized, findings } = traced;
  const unit = sized ? 'mm' : null;
  const next = partOfDrawing(drawing, { name, path, quantity, unit, format, partNumber, places, made: (made ?? []).filter((m) => !m.startsWith('contours')) });
  next.findings.push(...findings.filter((f) => f.severity !== 'clear'));
  const { distance, perNumber } = drawing.picture;
  const area = areaOfTraced(drawing.layers.flatMap((l) => l.contours));
  return {
    report: { traced: { contours, holes, pieces, area, sized, distance, perMm: perNumber }, findings, said: findings.map((f) => f.message) },
    made: [madePart(next)],
    inPlace: true,
  };
}

/** Every way with the settings at hand, small, so that a person can pick by eye. A way that finds nothing says so. */
async function runWays({ request: { choice }, parts: [part], progress }: Work<TraceWaysRequest>): Promise<Outcome> {
  const picture = await pictureOf(part);
  const ways = traceWays.map(({ way }, k) => {
    if (progress(k / traceWays.length, 'looking at it in several ways')) throw new Cancelled();
    try {
      const { drawing, contours, holes, pieces } = trace(picture, { ...choice, way, level: way === choice.way ? choice.level : null });
      return { way, contours, holes, pieces, distance: drawing.picture.distance, thumb: thumbOfDrawing(drawing, boxOfDrawing(drawing)), failed: null };
    } catch (thrown) {
      if (!(thrown instanceof Unusable)) throw thrown;
      return { way, contours: 0, holes: 0, pieces: 0, distance: null, thumb: '', failed: thrown.message };
    }
  });
  return { report: { ways, said: [] }, made: [], inPlace: false };
}

/** Contours made of a picture anew, in the drawing's place. */
export const traceOperation: Operation<TraceRequest> = {
  kind: 'trace',
  verb: 'trace',
  gives: 'proposal',
  schema: Joi.object({ part: id, choice: traceSchema.required() }),
  parts: onePart,
  run,
};

/** The ways to see a picture side by side. */
export const traceWaysOperation: Operation<TraceWaysRequest> = {
  kind: 'trace-ways',
  verb: 'look at',
  gives: 'report',
  schema: Joi.object({ part: id, choice: traceSchema.required() }),
  parts: onePart,
  run: runWays,
};
