import Joi from 'joi';
import { Unusable, type Finding } from '../base/finding.ts';
import { lossesAmong } from '../base/loss.ts';
import { toFile } from '../command/command.ts';
import { choice as oneOf, millimetres, number, parsed, text } from '../command/option.ts';
import { directionOf, threeOf } from '../command/vectors.ts';
import { writingFinding } from '../curves/writing.ts';
import type { Affine } from '../curves/affine.ts';
import { lengthOfContour, transformedDrawing, type Contour, type Drawing } from '../curves/drawing.ts';
import type { P2 } from '../curves/segment.ts';
import { trackOf, type Track } from '../curves/track.ts';
import { mostDraft } from '../drawing/draft.ts';
import { engraved, type OnFace } from '../drawing/engrave.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { readTextFile } from '../formats/text/file.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { textSchema, usualText, type TextChoice, type TextPlace } from '../text/choice.ts';
import { families } from '../text/fonts.ts';
import type { AlongTrack } from '../text/layout.ts';
import { lettered } from '../text/lettering.ts';
import { writingDrawn, type WritingWish } from '../text/marks.ts';
import { figure, id, place, point, yesOrNo } from './fields.ts';
import { manyParts, onePart, wording, type Operation, type OperationPart, type Outcome, type Work } from './operation.ts';
import type { OperationReport } from './report.ts';
import { madeOf, madePart, meshIn, ownMesh, scaleOfPart } from './shape.ts';

export interface TextRequest {
  kind: 'text';
  part: string;
  choice: TextChoice;
}
export interface PutTextRequest {
  kind: 'put-text';
  part: string;
  choice: TextChoice;
  place: TextPlace;
  /** Along the contour that is nearest to the place, instead of straight from it: how far off the base line runs, and on its other side or not. */
  along?: { off: number; other: boolean };
}
export interface WritingRequest {
  kind: 'draw-writing';
  part: string;
  as: Exclude<WritingWish, 'leave'>;
}
export interface EngraveRequest {
  kind: 'engrave';
  part: string;
  /** Words, or the closed contours of a drawing. */
  what: { text: TextChoice } | { drawing: string };
  on: OnFace;
  /** Into the face; below 0 it stands out. */
  depth: number;
  /** How far walls lean from upright, rad: widest at the face. */
  draft?: number;
}

/** Letters are where the work is done, never in a page, which knows this file for its forms. */
const installed = async () => (await import(/* turbopackIgnore: true */ '../text/node-files.ts')).nodeLetters;

/** A drawing made anew in its place, with what it was called and where it stands. */
function anew(part: OperationPart, drawing: Drawing, made: string[], findings: readonly Finding[]) {
  const { name, path, quantity, format, partNumber, places, unit } = part.summary;
  const next = partOfDrawing(drawing, { name, path, quantity, unit, format, partNumber, places, made });
  next.findings.push(...findings.filter((f) => f.severity !== 'clear'));
  return next;
}

/** The words of a request with their font from where it is kept; all others as they are. @param fetch bytes in base64 by id */
export async function withKeptFont<R extends { kind: string }>(request: R, fetch: (id: string) => Promise<string>): Promise<R> {
  const fill = async (choice: TextChoice): Promise<TextChoice> => {
    const { own } = choice;
    return own?.kept && own.data === '' ? { ...choice, own: { ...own, data: await fetch(own.kept) } } : choice;
  };
  const given = request as unknown as TextRequest | PutTextRequest | EngraveRequest;
  if (given.kind === 'text' || given.kind === 'put-text') return { ...request, choice: await fill(given.choice) };
  if (given.kind === 'engrave' && 'text' in given.what) return { ...request, what: { text: await fill(given.what.text) } };
  return request;
}

/** A font of one's own stays in the design's file; requests name it only. */
async function withOwnFont(choice: TextChoice, part: OperationPart): Promise<TextChoice> {
  if (choice.font !== 'own' || choice.own?.data) return choice;
  const kept = part.source ? readTextFile(await part.source()).choice.own : undefined;
  if (!kept) throw new Unusable('no-font', 'The font is not kept with this part.', 'Choose the font file again.');
  return { ...choice, own: kept };
}

async function changeWords({ request: { choice }, parts: [part] }: Work<TextRequest>): Promise<Outcome> {
  if (!part.summary.lettered) throw new Unusable('no-words', `"${part.summary.name}" is not made of words.`, 'Put text onto it instead.');
  const set = await lettered(await withOwnFont(choice, part), await installed());
  const { findings } = set;
  // Words that were moved since stand where they were moved to.
  const { moved } = part.summary.lettered;
  const drawing = moved ? { ...transformedDrawing(set.drawing, moved), lettering: { ...set.drawing.lettering, moved } } : set.drawing;
  const next = anew(part, drawing, [], findings);
  next.summary.lost = lossesAmong(findings);
  return {
    report: { ...reportOf(drawing.lettering.count, next.findings), said: findings.map((f) => f.message) },
    made: [madePart(next)],
    inPlace: true,
    anew: true,
  };
}

const reportOf = (letters: number, findings: readonly Finding[]): Pick<OperationReport, 'figures' | 'findings'> => ({
  figures: [{ name: 'letters', value: letters, unit: '' }],
  findings: [...findings],
});

async function putText({ request: { choice, place: where, along }, parts: [part] }: Work<PutTextRequest>): Promise<Outcome> {
  if (part.geometry.kind !== 'drawing') throw new Unusable('not-flat', 'This part is no drawing.', 'Engrave the words into one of its faces instead.');
  const scale = scaleOfPart(part);
  const plain = { ...(await withOwnFont(choice, part)), plate: null };
  const track = along ? trackAt(part.geometry.drawing, where.at, scale) : null;
  const path: AlongTrack | null = along && track ? { kind: 'track', track: track.track, from: track.along, off: along.off, back: along.other } : null;
  const { drawing: letters, findings } = await lettered(plain, await installed(), path);
  const by = 1 / scale;
  const [c, s] = path ? [by, 0] : [Math.cos(where.angle) * by, Math.sin(where.angle) * by];
  const placed = transformedDrawing(letters, [c, s, -s, c, ...(path ? [0, 0] : [where.at[0] * by, where.at[1] * by])] as unknown as Affine);
  const { picture, ...whole } = part.geometry.drawing;
  const [layer] = placed.layers;
  const name = freeName(layer.name, whole);
  const next = anew(
    part,
    { ...whole, ...(picture ? { picture: { ...picture, edge: [] } } : {}), lettering: undefined, layers: [...whole.layers, { ...layer, name }] },
    [...(part.summary.made ?? []), `text "${choice.words.split('\n')[0].slice(0, 40)}"`],
    findings,
  );
  if (part.summary.flat) next.summary.flat = part.summary.flat;
  const lost = [...(part.summary.lost ?? []), ...lossesAmong(findings)];
  if (lost.length > 0) next.summary.lost = lost;
  return {
    report: {
      ...reportOf(letters.lettering.count, next.findings),
      said: [`${letters.lettering.count} letters on layer "${name}".`, ...findings.map((f) => f.message)],
    },
    made: [madePart(next)],
    inPlace: true,
    anew: true,
  };
}

/** The contour that passes nearest to a place, as a way in mm. */
function trackAt(drawing: Drawing, at: P2, scale: number): { track: Track; along: number } {
  const { layers } = transformedDrawing(drawing, [scale, 0, 0, scale, 0, 0]);
  let best: { track: Track; along: number; off: number } | null = null;
  for (const contour of layers.flatMap((l) => l.contours)) {
    if (contour.segments.length === 0 || !(lengthOfContour(contour) > 0)) continue;
    const track = trackOf(contour);
    const near = track.nearest(at);
    if (!best || near.off < best.off) best = { track, ...near };
  }
  if (!best) throw new Unusable('nothing-drawn', 'There is no contour to run along.', 'Let the words run straight.');
  return best;
}

function freeName(wanted: string, { layers }: Drawing): string {
  const taken = new Set(layers.map((l) => l.name));
  for (let n = 1; ; n++) {
    const name = n === 1 ? wanted : `${wanted} ${n}`;
    if (!taken.has(name)) return name;
  }
}

async function drawWriting({ request: { as }, parts: [part] }: Work<WritingRequest>): Promise<Outcome> {
  if (part.geometry.kind !== 'drawing') throw new Unusable('not-flat', 'This part is no drawing.', 'Choose a drawing.');
  const before = part.geometry.drawing.texts.length;
  if (before === 0) throw new Unusable('no-writing', 'There is no writing in the drawing.', 'Nothing to do.');
  const { drawing, findings } = await writingDrawn(part.geometry.drawing, as, await installed());
  const next = anew(part, drawing, [...(part.summary.made ?? []), as === 'outlines' ? 'texts drawn as outlines' : 'texts drawn as single lines'], findings);
  // What was writing before is drawn now: of the old losses that one does not stand any more.
  next.summary.lost = [...(part.summary.lost ?? []).filter((f) => f.code !== 'texts'), ...lossesAmong([...findings, ...writingFinding(drawing.texts)])];
  return { report: { findings, said: findings.map((f) => f.message) }, made: [madePart(next)], inPlace: true, anew: true };
}

/** Share of area times depth within which letters lie in a flat face as a whole. */
const wholeShare = 0.002;

async function engrave({ request, parts: [part, from], tools, progress }: Work<EngraveRequest>): Promise<Outcome> {
  const { what, on, depth, draft = 0 } = request;
  if (part.geometry.kind === 'drawing') throw new Unusable('not-solid', 'This part is a drawing.', 'Put the text onto it instead.');
  progress(0.1, 'setting letters');
  const { contours, said, findings } = await contoursFor(what, part, from);
  const scale = scaleOfPart(part);
  const small = (v: number): number => v / scale;
  const own: OnFace = { ...on, at: on.at.map(small) as OnFace['at'] };
  progress(0.4, depth > 0 ? 'engraving' : 'raising');
  const done = engraved(await tools.engine(), await ownMesh(part, tools), scaledBy(contours, 1 / scale), { on: own, depth: small(depth), draft });
  const told: Finding[] = [...findings];
  if (Math.abs(done.share - 1) > wholeShare)
    told.push({
      code: 'letters-past-face',
      severity: 'look',
      count: 1,
      message: `${(done.share * 100).toFixed(1)} % of the letters' area times ${Math.abs(depth)} mm${draft > 0 ? ', less what the draft takes,' : ''} was ${depth > 0 ? 'taken away' : 'added'}: they reach past the face, or it is not flat there.`,
      remedy: 'Look at it from the side; move them, or make them smaller.',
    });
  told.push(
    ...done.told.map((message): Finding => ({
      code: 'mended-before',
      severity: 'look',
      count: 1,
      message,
      remedy: 'Mend the part by itself to see what moved.',
    })),
  );
  if (part.geometry.kind === 'solid')
    told.push({
      code: 'solid-to-mesh',
      severity: 'look',
      count: 1,
      message: 'The part becomes a mesh by it: its exact surfaces go.',
      remedy: 'Undo brings the solid back after it was kept.',
    });
  const made = madeOf(done.mesh, part, part.summary.name, `${said} ${depth > 0 ? 'engraved' : 'raised'} by ${Math.abs(depth)} mm`);
  const figures = [
    { name: 'area of letters', value: done.area * scale ** 2, unit: 'mm2' },
    { name: depth > 0 ? 'taken away' : 'added', value: done.volume * scale ** 3, unit: 'mm3' },
  ];
  return { report: { figures, findings: told, said: told.map((f) => f.message) }, made: [made], inPlace: true };
}

async function contoursFor(
  what: EngraveRequest['what'],
  part: OperationPart,
  from: OperationPart | undefined,
): Promise<{ contours: Contour[]; said: string; findings: Finding[] }> {
  if ('text' in what) {
    const { drawing, findings } = await lettered({ ...(await withOwnFont(what.text, part)), plate: null }, await installed());
    return { contours: drawing.layers.flatMap((l) => l.contours), said: `"${what.text.words.split('\n')[0].slice(0, 40)}"`, findings };
  }
  if (from?.geometry.kind !== 'drawing') throw new Unusable('not-flat', 'What is to be engraved is no drawing.', 'Choose a drawing.');
  const contours = from.geometry.drawing.layers.flatMap((l) => l.contours);
  return { contours: scaledBy(contours, scaleOfPart(from)), said: `drawing "${from.summary.name}"`, findings: [] };
}

const scaledBy = (contours: readonly Contour[], by: number): Contour[] =>
  transformedDrawing({ layers: [{ name: '', colour: null, lineType: '', contours: [...contours] }], texts: [], points: [] }, [by, 0, 0, by, 0, 0]).layers[0]
    .contours;

/** Other words, size or letters for a drawing that was made of words. */
export const textOperation: Operation<TextRequest> = {
  kind: 'text',
  verb: 'change the words of',
  gives: 'proposal',
  schema: Joi.object({ part: id, choice: textSchema.required() }),
  parts: onePart,
  run: changeWords,
};

/** Words onto a drawing, on a layer of their own. */
export const putTextOperation: Operation<PutTextRequest> = {
  kind: 'put-text',
  verb: 'put text onto',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    choice: textSchema.required(),
    place: Joi.object({ at: Joi.array().items(place).length(2).required(), angle: figure.min(-10).max(10).required() }).required(),
    along: Joi.object({ off: figure.min(-10_000).max(10_000).required(), other: yesOrNo }),
  }),
  parts: onePart,
  run: putText,
};

/** Writing of a file as contours that a machine can follow. */
export const writingOperation: Operation<WritingRequest> = {
  kind: 'draw-writing',
  verb: 'draw the texts of',
  gives: 'proposal',
  schema: Joi.object({ part: id, as: Joi.string().valid('outlines', 'single-line').required() }),
  parts: onePart,
  run: drawWriting,
};

/** Words or a drawing into a face of a solid or mesh, or standing out of it. */
export const engraveOperation: Operation<EngraveRequest> = {
  kind: 'engrave',
  verb: 'engrave',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    what: Joi.alternatives()
      .try(Joi.object({ text: textSchema.required() }), Joi.object({ drawing: id }))
      .required(),
    on: Joi.object({ at: point, normal: point, angle: figure.min(-10).max(10).required() }).required(),
    depth: figure.min(-1000).max(1000).invalid(0).required(),
    draft: figure.min(0).max(mostDraft),
  }),
  parts: ({ part, what }) => ('drawing' in what ? manyParts({ parts: [part, what.drawing] }) : [part]),
  run: engrave,
  command: wording({
    word: 'engrave',
    takes: 'IN',
    least: 1,
    most: 1,
    out: toFile,
    options: {
      words: text('"WORDS"', 'What is engraved; \\n begins a line.'),
      at: parsed('X,Y,Z', 'Where on the part: the middle of the base line, mm.', threeOf),
      normal: parsed('z|X,Y,Z', 'Which way the face looks; usually z.', directionOf),
      turn: number('DEGREES', [-360, 360], 'degrees', 'How far the words are turned on the face.'),
      depth: number('MM', [-1000, 1000], 'mm', 'How deep; below 0 they stand out.'),
      draft: number('DEGREES', [0, 60], 'degrees', 'How far walls lean from upright, widest at the face; usually 0.'),
      cap: millimetres([0.01, 10_000], 'Height of H; usually 10.'),
      font: oneOf(families.filter((f) => f.kind === 'outlines').map((f) => f.id) as [string, ...string[]], 'sans', 'Which letters.'),
    },
    does: 'Words sunk into a face of a solid or mesh, or standing out of it.',
    example: 'engrave "WS-110 mast clamp.step" --words "WS-110" --at 0,0,20 --depth 0.4 --cap 4 --out marked.stl',
    request: ({ words, at, normal, turn, depth, draft, cap, font }) => {
      if (words === null || at === null || depth === null || depth === 0)
        throw new Unusable('no-words', '"engrave" needs words, a place and a depth.', 'Add --words "..." --at X,Y,Z --depth MM.');
      const choice: TextChoice = { ...usualText, words: words.replaceAll('\\n', '\n'), font, size: { by: 'cap', mm: cap ?? 10 } };
      return {
        what: { text: choice },
        on: { at, normal: normal ?? [0, 0, 1], angle: ((turn ?? 0) * Math.PI) / 180 },
        depth,
        draft: ((draft ?? 0) * Math.PI) / 180,
      };
    },
    tell: ({ report, made }) => ({
      json: { area: report.figures![0].value, volume: report.figures![1].value, after: measureMesh(meshIn(made[0])).volume },
      said: [`${report.figures![1].name}: ${report.figures![1].value.toFixed(3)} mm3.`],
      findings: report.findings,
    }),
  }),
};
