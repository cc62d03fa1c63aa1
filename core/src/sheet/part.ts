import type { DesignPart, FlatFigures, PartSummary } from '../model/design.ts';
import { partOfDrawing } from '../drawing/part.ts';
import type { Finding } from '../base/finding.ts';
import { foldBackLimit } from './fold.ts';
import type { Pattern } from './pattern.ts';

/** A flat pattern as a drawing part: its figures, how it folds, and what was found while unfolding. */
export function partOfPattern(
  pattern: Pattern,
  about: Pick<PartSummary, 'name' | 'path' | 'quantity' | 'unit' | 'format'> & Partial<Pick<PartSummary, 'partNumber' | 'places' | 'made'>>,
): DesignPart {
  // Bend lines are open on purpose: soundness is asked of what is cut.
  const cut = { ...pattern.drawing, layers: pattern.drawing.layers.filter((l) => l.contours.some((c) => c.meaning === 'cut' || c.meaning === 'hole')) };
  const part = partOfDrawing(cut, about);
  const drawing = { ...pattern.drawing, pattern: { ...pattern, drawing: { layers: [], texts: [], points: [] } } };
  const figures = part.summary.drawing!;
  return {
    geometry: { kind: 'drawing', drawing },
    findings: [...foldFinding(pattern), ...pattern.findings, ...part.findings],
    summary: {
      ...part.summary,
      drawing: {
        ...figures,
        layers: drawing.layers.map((l) => ({ name: l.name, colour: l.colour, contours: l.contours.length })),
        texts: drawing.texts.length,
      },
      flat: flatFigures(pattern),
    },
  };
}

function foldFinding(pattern: Pattern): Finding[] {
  const { distance } = pattern.foldBack!;
  const limit = foldBackLimit(pattern);
  if (distance <= limit) return [];
  return [
    {
      code: 'fold-back',
      severity: 'stop',
      count: 1,
      message: `Folded again, the flat lies up to ${distance.toFixed(3)} mm off the design; ${limit.toFixed(3)} mm is allowed.`,
      remedy: 'Pick another fixed wall, or heal the solid first.',
    },
  ];
}

export function flatFigures(pattern: Pattern): FlatFigures {
  const { thickness, spread, bends, features, foldBack, box, area, length, holes, deviation, fit, choice, flatAlready } = pattern;
  return {
    thickness,
    spread,
    bends,
    features: features.map(({ kind, side, size, height, hole, leftOut }) => ({ kind, side, size, height, hole, leftOut })),
    foldBack: foldBack!,
    box,
    area,
    length,
    holes,
    material: choice.material,
    weight: choice.density === null ? null : (area * thickness * choice.density) / 1000,
    deviation,
    fit,
    grain: choice.grain,
    flatAlready,
    ...(pattern.press ? { press: pattern.press } : {}),
  };
}
