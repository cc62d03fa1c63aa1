import type { Finding } from '../base/finding.ts';
import type { Drawing } from '../curves/drawing.ts';
import { partOfDrawing } from '../drawing/part.ts';
import type { DesignPart, PartSummary } from '../model/design.ts';
import { patchFigures, wholeStretch, type Patch } from './patch.ts';
import { saidStretch } from './said.ts';

/** A spread surface as a drawing part: its figures, the surface that it came from, and what was found while spreading. */
export function partOfPatch(
  drawing: Drawing & { patch: Patch },
  about: Pick<PartSummary, 'name' | 'path' | 'quantity' | 'unit' | 'format'> & Partial<Pick<PartSummary, 'partNumber' | 'places' | 'made'>>,
): DesignPart {
  // Notches and names are open on purpose: soundness is asked of what is cut.
  const cut = { ...drawing, layers: drawing.layers.filter((l) => l.contours.some((c) => c.meaning === 'cut' || c.meaning === 'hole')) };
  const part = partOfDrawing(cut, about);
  return {
    geometry: { kind: 'drawing', drawing },
    findings: [...patchFindings(drawing.patch), ...part.findings.map(overlapping)],
    summary: {
      ...part.summary,
      drawing: { ...part.summary.drawing!, layers: drawing.layers.map((l) => ({ name: l.name, colour: l.colour, contours: l.contours.length })) },
      patch: patchFigures(drawing.patch),
    },
  };
}

/** What crosses among the lines to cut of a flat lies over itself: it can't be cut from one sheet. */
function overlapping(finding: Finding): Finding {
  if (finding.code !== 'crossings') return finding;
  return {
    ...finding,
    severity: 'stop',
    message: `The flat lies over itself: its lines to cut cross at ${finding.count} ${finding.count === 1 ? 'place' : 'places'}.`,
    remedy: 'Cut the surface into pieces, or let relief cuts be looked for; smaller allowances leave more room.',
  };
}

/** The stretch in words, and what was found. */
export function patchFindings(patch: Patch): Finding[] {
  const said: Finding = { code: 'stretch', severity: 'clear', count: 1, message: saidStretch(wholeStretch(patch.pieces)), remedy: 'Nothing to do.' };
  return [said, ...patch.findings];
}
