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
    findings: [...patchFindings(drawing.patch), ...part.findings],
    summary: {
      ...part.summary,
      drawing: { ...part.summary.drawing!, layers: drawing.layers.map((l) => ({ name: l.name, colour: l.colour, contours: l.contours.length })) },
      patch: patchFigures(drawing.patch),
    },
  };
}

/** The stretch in words, and what was found. */
export function patchFindings(patch: Patch): Finding[] {
  const said: Finding = { code: 'stretch', severity: 'clear', count: 1, message: saidStretch(wholeStretch(patch.pieces)), remedy: 'Nothing to do.' };
  return [said, ...patch.findings];
}
