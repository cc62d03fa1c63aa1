import { counted } from '../base/figures.ts';
import type { Finding } from '../base/finding.ts';
import { transformed, type Affine } from '../curves/affine.ts';
import { boxOfContour, contourOf, type Contour, type Drawing, type Layer, type Meaning } from '../curves/drawing.ts';
import type { P2, Segment } from '../curves/segment.ts';
import type { Engine } from '../engine/engine.ts';
import { usualLooks } from '../model/drawing-recipe.ts';
import { grownShape } from '../nesting/grown.ts';
import { variantOf } from '../nesting/shape.ts';
import { usualText } from '../text/choice.ts';
import { lettered } from '../text/lettering.ts';
import type { LetterFiles } from '../text/letters.ts';
import type { NestChoice, SheetNames } from './how.ts';
import { mapOf, type Nest, type NestedSheet } from './nested.ts';
import { ownOutlines, sharedOutlines } from './outlines.ts';
import { skinDepth } from './row-drawing.ts';
import type { CutRow } from './row.ts';

/** Labels are made smaller down to this height of H, mm; below it none is engraved. */
const leastLabel = 2;

export interface SheetDrawing {
  drawing: Drawing;
  /** What could not be drawn. */
  findings: Finding[];
}

/** What was laid, and how. */
export interface NestedOf {
  rows: readonly CutRow[];
  choice: NestChoice;
}

export interface DrawTools {
  engine: Engine;
  letters: LetterFiles;
}

type Layers = Map<string, Layer>;

/**
 * A sheet as a drawing, layers by meaning: large and small parts, openings, through holes by diameter, row holes, pockets by depth, marks, labels, the
 * sheet's edge, saw cuts, and a line of text that sums it up. mm from the sheet's low left corner.
 * @param i which of its sheets, from 0
 */
export async function sheetDrawing(nest: Nest, i: number, { rows, choice }: NestedOf, { engine, letters }: DrawTools): Promise<SheetDrawing> {
  const sheet = nest.sheets[i];
  const [number, of] = [i + 1, nest.sheets.length];
  const { names } = choice;
  const layers: Layers = new Map();
  const findings: Finding[] = [];
  const by = new Map(rows.map((r) => [r.key, r]));
  const labels = new Map<string, Contour[] | null>();
  const cuts = choice.shared ? sharedOutlines(choice, engine) : ownOutlines(choice);
  for (const part of sheet.parts) {
    const row = by.get(part.row)!;
    const map = mapOf(part);
    for (const drawn of cuts.of(row)) {
      const [name, meaning, contour] = drawn;
      if (!cuts.takes(drawn, map)) put(layers, name, meaning, moved(contour, map));
    }
    if (!(choice.labelHeight > 0)) continue;
    if (!labels.has(row.key)) labels.set(row.key, await labelOf(row, choice.labelHeight, engine, letters));
    // Letters stay readable on a part that lies mirrored.
    for (const c of labels.get(row.key) ?? []) put(layers, names.label, 'engrave', moved(part.mirrored ? readable(c, row) : c, map));
  }
  findings.push(...cuts.finish((name, meaning, contour) => put(layers, name, meaning, contour)));
  const without = [...labels].filter(([, l]) => l === null).map(([key]) => by.get(key)!.name);
  if (without.length > 0) findings.push({ code: 'no-room-for-label', severity: 'look', count: without.length, message: `No label is engraved on ${without.slice(0, 5).join(', ')}: there is no room for letters of ${leastLabel} mm.`, remedy: 'Stick a printed label on it.' }); // prettier-ignore
  findings.push(...skinFindings(sheet.parts.map((p) => by.get(p.row)!), choice)); // prettier-ignore
  put(layers, names.sheet, 'stock', edgeOf(sheet));
  for (const cut of sheet.cuts) put(layers, `SAW_${String(cut.number).padStart(3, '0')}`, 'mark', contourOf([cut.along === 'x' ? line([cut.from, cut.at], [cut.to, cut.at]) : line([cut.at, cut.from], [cut.at, cut.to])], false)); // prettier-ignore
  const words = `${sheet.name} ${number} of ${of}, ${sheet.stock}, ${sheet.width} x ${sheet.height} mm, ${sheet.parts.length} parts, ${(sheet.density * 100).toFixed(1)} %`;
  return {
    drawing: {
      layers: [...layers.values()],
      texts: [{ layer: names.text, at: [0, -20], height: 10, angle: 0, text: words }],
      points: [],
      labels: true,
    },
    findings,
  };
}

/** What is left under small parts, and where it could not be. */
function skinFindings(rows: readonly CutRow[], choice: NestChoice): Finding[] {
  const { skin = 0 } = choice;
  const small = rows.filter((r) => r.area < choice.smallArea);
  if (!(skin > 0) || small.length === 0) return [];
  const held = small.filter((r) => skinDepth(r, choice) !== null).length;
  const told: Finding[] = [];
  if (held > 0) told.push({ code: 'skin-left', severity: 'look', count: held, message: `${counted(held, 'small part')} ${held === 1 ? 'is' : 'are'} not cut through: ${skin} mm are left beneath, and the depth stands in the layer's name.`, remedy: 'Break them out and trim the skin off.' }); // prettier-ignore
  if (held < small.length) told.push({ code: 'no-skin', severity: 'look', count: small.length - held, message: `${counted(small.length - held, 'small part')} of unknown thickness, or no thicker than the skin, ${small.length - held === 1 ? 'is' : 'are'} cut through.`, remedy: 'Type a thickness in the list, or a thinner skin.' }); // prettier-ignore
  return told;
}

function put(layers: Layers, name: string, meaning: Meaning, contour: Contour): void {
  const known = layers.get(name);
  const own = { ...contour, meaning };
  if (known) known.contours.push(own);
  else layers.set(name, { name, colour: usualLooks[meaning].colour, lineType: usualLooks[meaning].lineType, contours: [own] });
}

const line = (a: P2, b: P2): Segment => ({ kind: 'line', a, b });
const moved = (c: Contour, map: Affine): Contour => ({ ...c, segments: c.segments.map((s) => transformed(s, map)) });

function edgeOf({ width, height, outline }: NestedSheet): Contour {
  const ring: P2[] = outline ?? [[0, 0], [width, 0], [width, height], [0, height]]; // prettier-ignore
  return contourOf(
    ring.map((a, i) => line(a, ring[(i + 1) % ring.length])),
    true,
  );
}

/** A letter mirrored in the middle of its panel, so that mirroring the panel brings it back. */
const readable = (c: Contour, row: CutRow): Contour => moved(c, [-1, 0, 0, 1, row.length, 0]);

/** Number or name as single lines in the widest place of a part; null when there is no room. */
async function labelOf(row: CutRow, height: number, engine: Engine, letters: LetterFiles): Promise<Contour[] | null> {
  const words = (row.number || row.name).replace(/[\r\n]+/g, ' ').slice(0, 60);
  if (words.trim() === '') return [];
  const solid = row.layers.filter((l) => !l.back && (l.meaning === 'cut' || l.meaning === 'pocket')).flatMap((l) => l.contours);
  const v = variantOf(
    grownShape(
      engine,
      row.layers.filter((l) => l.meaning === 'cut').flatMap((l) => l.contours),
      0,
    ),
    0,
    false,
  );
  const { drawing } = await lettered({ ...usualText, words, font: 'line', size: { by: 'cap', mm: 10 }, meaning: 'engrave', plate: null }, letters).catch(() => ({ drawing: null })); // prettier-ignore
  if (!drawing) return null;
  const strokes = drawing.layers.flatMap((l) => l.contours);
  const box = strokes.map(boxOfContour).reduce((a, b) => [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[2], b[2]), Math.max(a[3], b[3])]);
  const [w, h] = [box[2] - box[0], box[3] - box[1]];
  const holes = solid.slice(1).map(boxOfContour);
  let best: { scale: number; x: number; y: number } | null = null;
  for (let k = 0; k < v.poles.length; k += 3) {
    const [x, y, r] = [v.poles[k] + v.shift[0], v.poles[k + 1] + v.shift[1], v.poles[k + 2]];
    // The box of the words within the circle, and clear of pockets.
    let scale = Math.min(height / 10, (1.9 * r) / Math.hypot(w, h));
    while (scale * 10 >= leastLabel && holes.some((o) => o[0] < x + (w * scale) / 2 + 1 && o[2] > x - (w * scale) / 2 - 1 && o[1] < y + (h * scale) / 2 + 1 && o[3] > y - (h * scale) / 2 - 1)) scale *= 0.8; // prettier-ignore
    if (scale * 10 >= leastLabel && (!best || scale > best.scale)) best = { scale, x, y };
  }
  if (!best) return null;
  const map: Affine = [best.scale, 0, 0, best.scale, best.x - ((box[0] + box[2]) / 2) * best.scale, best.y - ((box[1] + box[3]) / 2) * best.scale];
  return strokes.map((c) => ({ ...moved(c, map), meaning: 'engrave' as const }));
}

/** All names of a choice's layers are different and none is empty: told before anything is written. */
export function badNames(names: SheetNames): string | null {
  const seen = new Set<string>();
  for (const [what, name] of Object.entries(names)) {
    if (!/^[A-Za-z0-9_$-]{1,40}$/.test(name)) return `The layer for ${what} can't be called "${name}": letters, digits, _ and - only, at most 40.`;
    if (seen.has(name.toUpperCase())) return `Two kinds of layers are called "${name}".`;
    seen.add(name.toUpperCase());
  }
  return null;
}
