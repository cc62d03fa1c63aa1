import type { Affine } from '../../curves/affine.ts';
import { boxOfContour, lengthOfContour, transformedDrawing, type Contour, type Drawing } from '../../curves/drawing.ts';

/** Paper of ISO 216 and what printers leave white at its rim, and by how much sheets overlap; mm. The rim is common practice, no source. */
const paper: [number, number] = [210, 297];
const rim = 10;
const overlap = 10;
/** Lines of a cross are so long, mm. */
export const crossLength = 8;

/** A sheet: what of the drawing lies in its frame, from the drawing's low left corner, and its row and column as "B3". */
export interface Tile {
  column: number;
  row: number;
  name: string;
  from: [number, number];
  to: [number, number];
}

export interface Tiles {
  paper: [number, number];
  rim: number;
  frame: [number, number];
  step: [number, number];
  columns: number;
  rows: number;
  list: Tile[];
}

const rowName = (row: number): string => (row < 26 ? String.fromCharCode(65 + row) : rowName(Math.floor(row / 26) - 1) + rowName(row % 26));

function tilesOf(columns: number, rows: number): Tiles {
  const frame: [number, number] = [paper[0] - 2 * rim, paper[1] - 2 * rim];
  const step: [number, number] = [frame[0] - overlap, frame[1] - overlap];
  const list: Tile[] = [];
  for (let row = 0; row < rows; row++)
    for (let column = 0; column < columns; column++) {
      const from: [number, number] = [column * step[0], row * step[1]];
      list.push({ column, row, name: `${rowName(row)}${column + 1}`, from, to: [from[0] + frame[0], from[1] + frame[1]] });
    }
  return { paper, rim, frame, step, columns, rows, list };
}

/** Sheets for a drawing so wide and high, mm: row by row from the low left. */
export function tilesFor(width: number, height: number): Tiles {
  const [w, h] = [paper[0] - 2 * rim, paper[1] - 2 * rim];
  const count = (size: number, frame: number) => Math.max(1, Math.ceil((size - overlap) / (frame - overlap)));
  return tilesOf(count(width, w), count(height, h));
}

/** What the file says of its sheets, and back; null for a file of one page. */
export const tileWords = ({ columns, rows, step }: Tiles): string => `sheets ${columns} x ${rows} step ${step[0]} x ${step[1]} mm`;
export function tilesSaid(words: string | undefined): Tiles | null {
  const found = /sheets (\d{1,4}) x (\d{1,4}) step ([\d.]+) x ([\d.]+) mm/.exec(words ?? '');
  if (!found) return null;
  const tiles = tilesOf(Number(found[1]), Number(found[2]));
  return Number(found[3]) === tiles.step[0] && Number(found[4]) === tiles.step[1] ? tiles : null;
}

/** Crosses on a sheet, from its own low left corner: in the middle of the overlaps. */
export function crossesOf({ step }: Tiles, { column, row, from }: Tile): [number, number][] {
  const out: [number, number][] = [];
  for (const i of [column, column + 1])
    for (const k of [row, row + 1]) out.push([i * step[0] + overlap / 2 - from[0] + rim, k * step[1] + overlap / 2 - from[1] + rim]);
  return out;
}

/** Whether a contour of a sheet is a line of one of its crosses. */
function ofCross(contour: Contour, crosses: readonly (readonly [number, number])[]): boolean {
  if (contour.segments.length !== 1 || Math.abs(lengthOfContour(contour) - crossLength) > 1e-3) return false;
  const [l, b, r, t] = boxOfContour(contour);
  return crosses.some(([x, y]) => Math.hypot((l + r) / 2 - x, (b + t) / 2 - y) < 1e-3);
}

/**
 * Sheets laid together: what lies on several of them is one contour when its places agree; when sheets do not fit each other it is several.
 * @param sheets drawings of the pages, mm from each page's low left corner, in order
 * @returns the drawing, mm from its own low left corner
 */
export function laidTogether(sheets: readonly Drawing[], tiles: Tiles): Drawing {
  const layers = new Map<string, Drawing['layers'][number]>();
  const known = new Map<string, Known[]>();
  sheets.forEach((sheet, i) => {
    const tile = tiles.list[i];
    const crosses = crossesOf(tiles, tile);
    for (const layer of sheet.layers) {
      const kept = layer.contours.filter((c) => !ofCross(c, crosses));
      const place: Affine = [1, 0, 0, 1, tile.from[0] - tiles.rim, tile.from[1] - tiles.rim];
      const moved = transformedDrawing({ layers: [{ ...layer, contours: kept }], texts: [], points: [] }, place).layers[0];
      for (const contour of moved.contours) {
        if (seenBefore(known, layer.name, contour, i)) continue;
        const own = layers.get(layer.name) ?? { ...layer, contours: [] };
        own.contours.push(contour);
        layers.set(layer.name, own);
      }
    }
  });
  return { layers: [...layers.values()], texts: [], points: [] };
}

/** Places on two sheets agree within this, mm: the rounding of the numbers in the file. */
const samePlace = 1e-4;

/** A contour that is known, and the last sheet that showed it. */
interface Known {
  box: readonly number[];
  length: number;
  sheet: number;
}

/** Whether an earlier sheet showed this contour, so that it is not another one; what one sheet shows twice is two. */
function seenBefore(known: Map<string, Known[]>, layer: string, contour: Contour, sheet: number): boolean {
  const box = boxOfContour(contour);
  const length = lengthOfContour(contour);
  const cell = (x: number, y: number) => `${layer} ${x} ${y}`;
  const [x, y] = [Math.floor(box[0]), Math.floor(box[1])];
  const near = [0, -1, 1].flatMap((dx) => [0, -1, 1].flatMap((dy) => known.get(cell(x + dx, y + dy)) ?? []));
  const found = near.find((k) => k.sheet < sheet && Math.abs(k.length - length) <= 4 * samePlace && k.box.every((v, d) => Math.abs(v - box[d]) <= samePlace));
  if (found) {
    found.sheet = sheet;
    return true;
  }
  const list = known.get(cell(x, y)) ?? [];
  list.push({ box, length, sheet });
  known.set(cell(x, y), list);
  return false;
}
