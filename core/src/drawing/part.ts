import type { DesignPart, PartSummary } from '../model/design.ts';
import { checkDrawing, type DrawingCheck } from '../curves/check.ts';
import type { Drawing, Meaning } from '../curves/drawing.ts';
import { drawingFindings, figuresOf } from './findings.ts';
import type { PictureOrigin } from '../trace/origin.ts';
import { thumbOfDrawing } from '../curves/thumb.ts';

const withoutEdge = ({ edge: _, ...rest }: PictureOrigin): Omit<PictureOrigin, 'edge'> => rest;

/** Lines that a tool only follows need not close, and may cross. */
const followed: ReadonlySet<Meaning | null> = new Set(['engrave', 'score', 'mark']);

/** What is wrong with a drawing, looked for among what is to be cut; lines said to be engraved are in its figures only. */
function engravedAside(drawing: Drawing, check: DrawingCheck): DrawingCheck {
  if (!drawing.layers.some((l) => l.contours.some((c) => followed.has(c.meaning)))) return check;
  return checkDrawing(
    { ...drawing, layers: drawing.layers.map((l) => ({ ...l, contours: l.contours.filter((c) => !followed.has(c.meaning)) })) },
    check.tolerance,
  );
}

/** A drawing as a part with its figures and findings. Z is 0. */
export function partOfDrawing(
  drawing: Drawing,
  about: Pick<PartSummary, 'name' | 'path' | 'quantity' | 'unit' | 'format'> & Partial<Pick<PartSummary, 'partNumber' | 'places' | 'made'>>,
): DesignPart {
  const check = checkDrawing(drawing);
  const [left, bottom, right, top] = check.box;
  return {
    geometry: { kind: 'drawing', drawing },
    findings: drawingFindings(engravedAside(drawing, check)),
    summary: {
      ...about,
      kind: 'drawing',
      colour: null,
      box: { min: [left, bottom, 0], max: [right, top, 0] },
      volume: 0,
      area: check.area,
      centre: [(left + right) / 2, (bottom + top) / 2, 0],
      faces: null,
      triangles: null,
      shells: 0,
      openEdges: null,
      nonManifoldEdges: null,
      flippedEdges: null,
      degenerateTriangles: null,
      survey: null,
      drawing: figuresOf(drawing, check),
      thumb: thumbOfDrawing(drawing, check.box),
      ...(drawing.picture ? { traced: withoutEdge(drawing.picture) } : {}),
      ...(drawing.lettering ? { lettered: drawing.lettering } : {}),
    },
  };
}
