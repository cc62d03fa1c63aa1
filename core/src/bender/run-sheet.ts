import { contourOf, type Contour } from '../curves/drawing.ts';
import type { P2, Segment } from '../curves/segment.ts';
import type { WrittenLayer } from '../formats/dxf/write.ts';
import { pdfFile } from '../formats/pdf/write.ts';
import { svgFile } from '../formats/svg/write.ts';
import { dot, type Vec3 } from '../geometry/vector.ts';
import type { LetterFiles } from '../text/letters.ts';
import { cornersOf, developedOf, tableOf, type Run } from '../tubes/run.ts';
import { nameOfSection } from '../tubes/sections.ts';
import { polyline } from './order.ts';
import type { BenderRules, MachineTable } from './rules.ts';
import { LineWords } from './words.ts';

/** What a sheet is about. */
export interface SheetOf {
  mark: string;
  quantity: number;
  run: Run;
  set: MachineTable;
  bender: BenderRules;
  /** kg. */
  weight: number;
}

/** A4 across, less a rim; mm. */
const [wide, high] = [277, 190];
const figure = (v: number, digits = 2): string => String(Number(v.toFixed(digits)));

const line = (a: P2, b: P2): Contour => contourOf([{ kind: 'line', a, b }], false);

/**
 * The sheet of a run: three views with its bends numbered, the bend table with what the machine is set to beside it, and the corner points. A4 across.
 * Equal input gives equal bytes.
 */
export async function runSheet(of: SheetOf, letters: LetterFiles): Promise<{ pdf: Uint8Array; svg: Uint8Array }> {
  const words = new LineWords(letters);
  const strokes: Contour[] = [];
  const tubes: Contour[] = [];
  const put = async (text: string, at: P2, size: number, from: 'left' | 'middle' | 'right' = 'left') => {
    strokes.push(...(await words.put(text, at, size, from)));
  };
  strokes.push(frame([0, 0], [wide, high]));
  await views(of.run, { tubes, strokes, put });
  await head(of, put);
  await tables(of, strokes, put);
  const layer = (name: string, colour: string, contours: Contour[]): WrittenLayer =>
    ({ name, colour, lineType: 'CONTINUOUS', contours, filled: false }) as WrittenLayer;
  const layers = [layer('Tube', '#27489f', tubes), layer('Sheet', '#1b2440', strokes)];
  const box: [number, number, number, number] = [0, 0, wide, high];
  const chunks = [...svgFile(layers, `${of.mark}: bend table`, box)];
  // For people: lines as wide as a pen's, not hairlines for a cutter.
  const svg = new TextEncoder().encode(
    chunks
      .map((c) => new TextDecoder().decode(c))
      .join('')
      .replaceAll('stroke-width="0.01"', 'stroke-width="0.22"'),
  );
  return { pdf: await pdfFile(layers, `${of.mark}: bend table`, box), svg };
}

type Put = (text: string, at: P2, size: number, from?: 'left' | 'middle' | 'right') => Promise<void>;

const frame = ([x0, y0]: P2, [x1, y1]: P2): Contour =>
  contourOf(
    [
      [x0, y0],
      [x1, y0],
      [x1, y1],
      [x0, y1],
    ].map((p, i, all): Segment => ({ kind: 'line', a: p as P2, b: all[(i + 1) % 4] as P2 })),
    true,
  );

/** Scales of drawings. Source: ISO 5455. */
const scales = [1000, 500, 200, 100, 50, 20, 10, 5, 2, 1, 1 / 2, 1 / 5, 1 / 10];
const preferred = (most: number): number => 1 / (scales.filter((s) => 1 / s <= most).at(-1) ?? 1 / most);
const scaleWords = (scale: number) => (scale <= 1 ? `1 : ${figure(1 / scale, 1)}` : `${figure(scale, 1)} : 1`);

/** Three views as in first angle projection (ISO 5456-2): from the front, from above below it, from the left beside it; centre line and both sides. */
async function views(run: Run, { tubes, strokes, put }: { tubes: Contour[]; strokes: Contour[]; put: Put }): Promise<void> {
  const places: { name: string; x: Vec3; y: Vec3; box: [number, number, number, number] }[] = [
    { name: 'from the front', x: [1, 0, 0], y: [0, 0, 1], box: [4, 100, 94, 176] },
    { name: 'from the left', x: [0, -1, 0], y: [0, 0, 1], box: [100, 100, 150, 176] },
    { name: 'from above', x: [1, 0, 0], y: [0, 1, 0], box: [4, 8, 94, 88] },
  ];
  const points = polyline(run);
  const corners = cornersOf(run).points.slice(1, -1);
  const r = Math.min(run.section.width, run.section.height) / 2;
  const spans = places.map(({ x, y }) => [x, y].map((d) => [Math.min(...points.map((p) => dot(p, d))) - r, Math.max(...points.map((p) => dot(p, d))) + r]));
  // One scale for all three, so that they can be compared.
  const most = Math.min(
    ...places.map(({ box }, i) =>
      Math.min((box[2] - box[0]) / (spans[i][0][1] - spans[i][0][0] || 1), (box[3] - box[1] - 6) / (spans[i][1][1] - spans[i][1][0] || 1)),
    ),
  );
  const scale = preferred(most);
  for (const [i, { name, x, y, box }] of places.entries()) {
    const [[u0, u1], [v0, v1]] = spans[i];
    const [ox, oy] = [(box[0] + box[2] - (u0 + u1) * scale) / 2, (box[1] + box[3] - (v0 + v1) * scale) / 2];
    const at = (p: Vec3): P2 => [ox + dot(p, x) * scale, oy + dot(p, y) * scale];
    const flat = points.map(at);
    for (const side of [-r * scale, r * scale]) tubes.push(...offsetLine(flat, side));
    strokes.push(...flat.slice(1).map((p, k) => line(flat[k], p)));
    for (const [k, c] of corners.entries()) {
      const p = at(c);
      await put(String(k + 1), [p[0] + 1.2, p[1] + 1.2], 2.4);
    }
    await put('A', [flat[0][0] - 3, flat[0][1] - 1], 2.4, 'right');
    await put('B', [flat[flat.length - 1][0] + 3, flat[flat.length - 1][1] - 1], 2.4);
    await put(`${name}, ${scaleWords(scale)}`, [box[0], box[3] + 3], 2);
  }
}

/** Points beside a line of points, joined; where the line is seen end on there is none. */
function offsetLine(points: readonly P2[], by: number): Contour[] {
  const out: P2[] = [];
  for (let i = 0; i < points.length; i++) {
    const [a, b] = [points[Math.max(0, i - 1)], points[Math.min(points.length - 1, i + 1)]];
    const d = Math.hypot(b[0] - a[0], b[1] - a[1]);
    if (d < 1e-6) continue;
    out.push([points[i][0] - ((b[1] - a[1]) / d) * by, points[i][1] + ((b[0] - a[0]) / d) * by]);
  }
  return out.slice(1).map((p, k) => line(out[k], p));
}

async function head({ mark, quantity, run, set, weight, bender }: SheetOf, put: Put): Promise<void> {
  const x = 160;
  await put(mark, [x, 180], 5);
  await put(
    `${quantity} ${quantity === 1 ? 'piece' : 'pieces'}, ${nameOfSection(run.section)} mm${bender.material ? `, ${bender.material}` : ''}`,
    [x, 173],
    2.6,
  );
  await put(`developed ${figure(developedOf(run))} mm, cut ${figure(set.cut)} mm, ${figure(weight, 3)} kg each`, [x, 168], 2.4);
  await put('Rotation right-handed about the feed from A. mm, degrees.', [x, 163], 1.8);
}

async function tables({ run, set, bender }: SheetOf, strokes: Contour[], put: Put): Promise<void> {
  const { rows, lastLength } = tableOf(run);
  const columns = [160, 172, 192, 212, 230, 248, 274];
  let y = 155;
  const row = async (cells: string[], size = 2.2) => {
    for (const [i, c] of cells.entries()) await put(c, [i === 0 ? columns[0] : columns[i], y], size, i === 0 ? 'left' : 'right');
    y -= 5;
  };
  columns.splice(1, 1);
  await row(['bend', 'length', 'rotation', 'angle', 'radius', 'set to'], 1.9);
  strokes.push(line([160, y + 3.6], [274, y + 3.6]));
  const shown = rows.slice(0, 14);
  for (const [i, r] of shown.entries()) {
    const angle = set.bends[i].angle;
    await row([String(r.order), figure(r.length), figure(r.rotation), figure(r.angle), figure(r.radius), angle === null ? '-' : figure(angle)]);
  }
  if (rows.length > shown.length) await row([`${rows.length - shown.length} more in the CSV`]);
  await row(['end', figure(lastLength)]);
  y -= 4;
  const { points, radii } = cornersOf(run);
  await row(['point', 'x', 'y', 'z', 'radius'], 1.9);
  strokes.push(line([160, y + 3.6], [274, y + 3.6]));
  for (const [i, p] of points.slice(0, 16).entries()) {
    const end = i === 0 || i === points.length - 1;
    await row([end ? (i === 0 ? 'A' : 'B') : String(i), ...p.map((v) => figure(v)), end ? '' : figure(radii[i])]);
  }
  if (points.length > 16) await row([`${points.length - 16} more in the CSV`]);
  if (bender.rules.length === 0) await row(['"set to" needs the rules of the shop: springback by material and die.'], 1.7);
}
