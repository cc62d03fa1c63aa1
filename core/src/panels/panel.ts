import type { Contour, Drawing } from '../curves/drawing.ts';
import type { Finding } from '../base/finding.ts';

/** A round hole, or several alike. mm */
export interface PanelHole {
  diameter: number;
  /** From its face; null: through. */
  depth: number | null;
  side: 'front' | 'back';
  count: number;
}

/** A cone from a face down: its diameter there, the angle it opens by (degrees), how deep it goes below its rim. mm */
export interface Countersink {
  diameter: number;
  angle: number;
  depth: number;
  side: 'front' | 'back';
  count: number;
}

/** What is taken out of a face: a pocket within it, a groove from edge to edge or longer than wide, a rebate along an edge. mm */
export interface PanelPocket {
  kind: 'pocket' | 'groove' | 'rebate';
  depth: number;
  side: 'front' | 'back';
  length: number;
  width: number;
  count: number;
}

/** A hole in an edge: it needs another set-up. mm */
export interface EdgeHole {
  edge: 'left' | 'right' | 'front' | 'back' | 'slanted';
  diameter: number;
  depth: number;
  count: number;
}

/** A side that leans: an edge cut at an angle. Degrees from square, mm along it. */
export interface Mitre {
  angle: number;
  length: number;
}

/** A panel as it lies: its longer side along X, seen from the face that has more to be worked. Lengths in mm. */
export interface Panel {
  thickness: number;
  /** Along X, and along Y. */
  length: number;
  width: number;
  /** Outer contour first, then through holes and openings. */
  outline: Contour[];
  /** What is worked from above, by depth. */
  front: { depth: number; contours: Contour[] }[];
  back: { depth: number; contours: Contour[] }[];
  /** Rims of cones: marked, for no flat cutter makes them. */
  sunk: { side: 'front' | 'back'; contours: Contour[] }[];
  countersinks: Countersink[];
  holes: PanelHole[];
  pockets: PanelPocket[];
  edgeHoles: EdgeHole[];
  mitres: Mitre[];
  /** Outline less openings, mm2. */
  area: number;
  /** mm3 of the part, and what the list of its features adds up to. */
  volume: number;
  told: number;
  findings: Finding[];
}

/** A part that is no panel, and why, in a sentence. */
export interface NoPanel {
  why: string;
}

/** Layer names of a panel's drawing; those that a shop calls otherwise are changed by a person. */
export const depthText = (depth: number): string => String(Number(depth.toFixed(3))).replace('.', '_');

/** The panel as a drawing for a machine that works it from the front. Layers by meaning; what is on the back is on layers of its own. */
export function drawingOfPanel(panel: Panel): Drawing {
  const layer = (name: string, contours: Contour[], lineType = 'CONTINUOUS') => ({ name, colour: null, lineType, contours });
  const layers = [layer('CUT', panel.outline)];
  for (const { depth, contours } of panel.front) layers.push(layer(`POCKET_${depthText(depth)}MM`, contours.map((c) => ({ ...c, meaning: 'pocket' as const, depth })))); // prettier-ignore
  for (const { depth, contours } of panel.back) layers.push(layer(`MARK_BACK_${depthText(depth)}MM`, contours.map((c) => ({ ...c, meaning: 'mark' as const })), 'DASHED')); // prettier-ignore
  for (const { side, contours } of panel.sunk) layers.push(layer(side === 'back' ? 'MARK_BACK_COUNTERSINK' : 'MARK_COUNTERSINK', contours.map((c) => ({ ...c, meaning: 'mark' as const })), 'DASHED')); // prettier-ignore
  return { layers: layers.filter((l) => l.contours.length > 0), texts: [], points: [] };
}
