import Joi from 'joi';
import { Unusable } from '../base/finding.ts';
import { lossesAmong } from '../base/loss.ts';
import { boxOfDrawing } from '../curves/drawing.ts';
import { thumbOfDrawing } from '../curves/thumb.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { pictureIn } from '../formats/picture/decode.ts';
import { traceSchema, traceWays, type TraceChoice } from '../trace/choice.ts';
import { identityRows } from '../geometry/rows.ts';
import { partOfMesh } from '../pipeline/mesh-design.ts';
import { greyRelief, type GreyRelief } from '../trace/relief.ts';
import { tracedFigures } from '../trace/figures.ts';
import { trace } from '../trace/trace.ts';
import { figure, id, yesOrNo } from './fields.ts';
import { Cancelled, onePart, type Operation, type OperationPart, type Outcome, type Work } from './operation.ts';
import { madePart, scaleOfPart } from './shape.ts';

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

export interface GreyReliefRequest {
  kind: 'grey-relief';
  part: string;
  choice: Omit<GreyRelief, 'width'>;
}

/** The picture's greys as heights, as wide as the drawing says that the picture is. */
async function runRelief({ request: { choice }, parts: [part] }: Work<GreyReliefRequest>): Promise<Outcome> {
  const picture = await pictureOf(part);
  const { perNumber, width } = part.summary.traced!;
  const mesh = greyRelief(picture, { ...choice, width: (width / perNumber) * scaleOfPart(part) });
  const name = `${part.summary.name}, relief`.slice(0, 120);
  const said = `a relief of ${choice.low} to ${choice.high} mm from the picture's greys`;
  const about = { name, path: [name], quantity: part.summary.quantity, unit: 'mm', format: 'made here', places: [identityRows], made: [said], colour: null };
  const triangles = (mesh.triangles.length / 3).toLocaleString('en');
  return { report: { said: [`Made ${said}; ${triangles} triangles.`] }, made: [madePart(partOfMesh(mesh, about))], inPlace: false, beside: true, anew: true };
}

async function pictureOf({ summary, source }: OperationPart) {
  if (!summary.traced || !source)
    throw new Unusable('no-picture', `"${summary.name}" was not made of a picture.`, 'Bring in a PNG, JPEG, WebP, GIF, BMP or TIFF.');
  return pictureIn(await source(), summary.traced.within);
}

async function run({ request: { choice }, parts: [part], progress }: Work<TraceRequest>): Promise<Outcome> {
  const picture = await pictureOf(part);
  const traced = trace(picture, choice, progress);
  const { name, path, quantity, format, partNumber, places, made } = part.summary;
  const { sized, findings } = traced;
  const { within } = part.summary.traced!;
  const drawing = within ? { ...traced.drawing, picture: { ...traced.drawing.picture, within } } : traced.drawing;
  const unit = sized ? 'mm' : null;
  const next = partOfDrawing(drawing, { name, path, quantity, unit, format, partNumber, places, made: (made ?? []).filter((m) => !m.startsWith('contours')) });
  next.findings.push(...findings.filter((f) => f.severity !== 'clear'));
  next.summary.lost = lossesAmong(findings);
  return {
    report: { traced: tracedFigures(traced), findings, said: findings.map((f) => f.message) },
    made: [madePart(next)],
    inPlace: true,
    anew: true,
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

/** A solid of a picture's greys, beside the drawing. */
export const greyReliefOperation: Operation<GreyReliefRequest> = {
  kind: 'grey-relief',
  verb: 'make a relief of',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    choice: Joi.object({
      low: figure.min(0.05).max(1000).required(),
      high: figure.min(0.1).max(1000).required(),
      brightHigh: yesOrNo,
      blur: figure.min(0).max(200).required(),
      pitch: figure.min(0.01).max(100).required(),
    }).required(),
  }),
  parts: onePart,
  run: runRelief,
};

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
