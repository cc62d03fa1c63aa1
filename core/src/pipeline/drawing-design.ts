import { writingFinding } from '../curves/writing.ts';
import { partOfDrawing } from '../drawing/part.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { lossesAmong } from '../base/loss.ts';
import { sizeOf } from '../geometry/box.ts';
import { readings } from '../base/readings.ts';
import type { Drawing } from '../curves/drawing.ts';
import type { DrawingFile, Format } from '../formats/format.ts';
import { writingDrawn, type WritingWish } from '../text/marks.ts';
import type { ReadChoices } from '../model/choices.ts';
import type { Design, DesignPart } from '../model/design.ts';
import { treeOf } from './design-tree.ts';

/** A file of drawings as a design. */
export async function drawingDesign(format: Format, file: DrawingFile, fileName: string, { writing = 'leave' }: ReadChoices): Promise<Design> {
  const name = fileName.replace(/\.[^.]*$/, '') || 'Drawing';
  const drawn = writing === 'leave' ? { drawing: file.drawing, findings: file.findings } : await withWriting(file, writing);
  const empty = drawn.drawing.layers.every((l) => l.contours.length === 0);
  if (empty) {
    const why = drawn.findings.find((f) => f.code === 'left-out' || f.code === 'texts')?.message ?? '';
    throw new Unusable(
      'nothing-drawn',
      `The file holds no contour that can be used. ${why}`.trim(),
      file.drawing.texts.length > 0
        ? 'Bring it in again with its texts drawn as outlines or single lines (--text on the command line).'
        : 'Check its layers, and turn pictures into paths where it was made.',
    );
  }
  const findings = [...drawn.findings];
  const about = { quantity: 1, unit: file.unit, format: format.id };
  // A page's number says nothing without its file.
  const nameIn = (own: string) => (own === '' ? name : format.id === 'PDF' ? `${name}, ${own}` : own);
  const parts = file.drawings
    ? file.drawings.map(({ name: own, drawing, findings: told }) =>
        withLoss(partOfDrawing(drawing, { ...about, name: nameIn(own), path: [nameIn(own)] }), told),
      )
    : [partOfDrawing(drawn.drawing, { ...about, name, path: [name] })];
  if (file.unit === null) findings.push(flatUnitFinding(parts[0], format, file.metric));
  return { format: format.id, version: file.version, unit: file.unit, tree: treeOf(parts), parts, findings, leftOut: file.leftOut };
}

/** Writing drawn by letters that stand in; what is told of it is told once. */
async function withWriting(file: DrawingFile, as: Exclude<WritingWish, 'leave'>): Promise<{ drawing: Drawing; findings: Finding[] }> {
  const { nodeLetters } = await import(/* turbopackIgnore: true */ '../text/node-files.ts');
  const { drawing, findings } = await writingDrawn(file.drawing, as, nodeLetters);
  return { drawing, findings: [...file.findings.filter((f) => f.code !== 'texts'), ...findings, ...writingFinding(drawing.texts)] };
}

/** A part with findings of its own, and what it lacks of what was asked for. */
function withLoss(part: DesignPart, findings: readonly Finding[]): DesignPart {
  part.findings.push(...findings);
  const lost = lossesAmong(findings);
  if (lost.length > 0) part.summary.lost = lost;
  return part;
}

/** A drawing without a unit: what it is taken for, and whether that makes a believable size. */
function flatUnitFinding(part: DesignPart, { bare }: Format, metric: boolean | null): Finding {
  const { unit: as, words, believed } = bare!;
  const size = sizeOf(part.summary.box);
  const reading = readings(size, [3000, 1500, 50], true).find((r) => r.unit === as)!;
  const shown = reading.size
    .slice(0, 2)
    .map((s) => Number(s.toPrecision(4)))
    .join(' × ');
  const hint = metric === false ? ' Its $MEASUREMENT says inches.' : '';
  const likely = reading.likely === 2 && metric !== false;
  return {
    code: 'no-unit',
    severity: likely && believed ? 'clear' : 'look',
    count: 1,
    message: `The file states no unit; read as ${words} it is ${shown} mm${likely ? '' : ', which is to be checked'}.${hint}`,
    remedy: 'Compare the readings on the Size step, or give one known length.',
  };
}
