import { countText } from '../base/figures.ts';
import { isPatch } from '../model/is-patch.ts';
import type { PartSummary } from '../model/design.ts';
import { found, worstFinding, type Step } from './step.ts';

/** Whether it is closed, in a figure and a line. */
function shown(summary: PartSummary): [figure: string, context: string] {
  const { drawing, kind, faces } = summary;
  if (drawing) {
    const figure = drawing.openContours === 0 ? 'all closed' : `${countText(drawing.openContours)} open`;
    return [figure, `${countText(drawing.contours)} contours, ${drawing.holes} holes`];
  }
  if (kind === 'solid') return ['closed', `exact, ${faces} faces`];
  const open = summary.openEdges ?? 0;
  const closed = open === 0 && summary.nonManifoldEdges === 0 && summary.flippedEdges === 0;
  if (isPatch(summary)) return ['open surface', `${countText(open)} edges on its border`];
  return [closed ? 'closed' : open > 0 ? 'open' : 'not closed', `${countText(open)} open edges`];
}

/** Closed, whole, without doubles; what is not is found and mended here. */
export const soundnessStep: Step<'Soundness'> = {
  id: 'Soundness',
  column: 'Soundness',
  beforeFile: true,
  state: ({ summary, findings }) => found(worstFinding(findings), ...shown(summary)),
};
