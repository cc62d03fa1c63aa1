import { LineWords } from 'tall-kite/bender/words';
import { contourOf, type Contour } from 'tall-kite/curves/drawing';
import { circle, fromBulge, type P2 } from 'tall-kite/curves/segment';
import { dxfFile, type WrittenLayer } from 'tall-kite/formats/dxf/write';
import { nodeLetters } from 'tall-kite/text/node-files';
import type { DemoFile } from './designs.ts';

const hole = (x: number, y: number, d: number): Contour => contourOf([circle([x, y], d / 2)], true);
const line = (...points: P2[]): Contour => contourOf(points.slice(1).map((b, i) => ({ kind: 'line' as const, a: points[i], b })), false); // prettier-ignore
const polar = (r: number, degrees: number): P2 => [r * Math.cos((degrees * Math.PI) / 180), r * Math.sin((degrees * Math.PI) / 180)];
const layer = (name: string, contours: Contour[], colour = '#000000'): WrittenLayer => ({ name, colour, lineType: 'CONTINUOUS', contours, texts: [] });

/** A rectangle with round corners. */
function plate([x, y, w, h]: [number, number, number, number], r: number): Contour {
  const quarter = Math.tan(Math.PI / 8);
  const at: [P2, P2][] = [[[x + r, y], [x + w - r, y]], [[x + w, y + r], [x + w, y + h - r]], [[x + w - r, y + h], [x + r, y + h]], [[x, y + h - r], [x, y + r]]]; // prettier-ignore
  return contourOf(
    at.flatMap(([a, b], i) => [{ kind: 'line' as const, a, b }, ...(r > 0 ? [fromBulge(b, at[(i + 1) % 4][0], quarter)] : [])]),
    true,
  );
}

/** A slot with half-round ends. */
function slot(a: P2, b: P2, width: number): Contour {
  const long = Math.hypot(b[0] - a[0], b[1] - a[1]);
  const [nx, ny] = [(-(b[1] - a[1]) / long) * (width / 2), ((b[0] - a[0]) / long) * (width / 2)];
  const at = ([x, y]: P2, k: number): P2 => [x + k * nx, y + k * ny];
  return contourOf([{ kind: 'line', a: at(a, -1), b: at(b, -1) }, fromBulge(at(b, -1), at(b, 1), 1), { kind: 'line', a: at(b, 1), b: at(a, 1) }, fromBulge(at(a, 1), at(a, -1), 1)], true); // prettier-ignore
}

const dxf = (name: string, layers: WrittenLayer[]): DemoFile => ({ name, bytes: Buffer.concat([...dxfFile({ layers, blocks: [] }, '2000', 'mm', 1)]) });

/** The disc that the vane's sensors stand on: pads for a ring of sensors, slots to turn it by, a dial on its legend. */
async function sensorDisc(): Promise<DemoFile> {
  const words = new LineWords(nodeLetters);
  const legend: Contour[] = [];
  for (let k = 0; k < 36; k++) legend.push(line(polar(k % 9 === 0 ? 37 : 39, k * 10), polar(41, k * 10)));
  for (const [text, a] of [['N', 90], ['E', 0], ['S', 270], ['W', 180]] as const) legend.push(...(await words.put(text, [polar(32.5, a)[0], polar(32.5, a)[1] - 1.6], 3.2, 'middle'))); // prettier-ignore
  legend.push(...(await words.put('WS-500 B', [0, -17], 2, 'middle')));
  const ring = Array.from({ length: 8 }, (_, k) => [hole(...polar(23, k * 45 + 22.5), 0.9), hole(...polar(25.54, k * 45 + 22.5), 0.9)]).flat();
  const slots = [45, 135, 225, 315].map((a) => slot(polar(29, a - 6), polar(29, a + 6), 2.4));
  return dxf('WS-500 sensor disc.dxf', [
    layer('outline', [hole(0, 0, 90)]),
    layer('holes', [hole(0, 0, 6), ...[90, 210, 330].map((a) => hole(...polar(12, a), 3.2))]),
    layer('plated', ring, '#b85433'),
    layer('slots', slots, '#27489f'),
    layer('legend', legend, '#12705a'),
  ]);
}

/** The front of the winder's control box: a window, lamps, switches, words; its corners are round, those of the window sharp. */
async function controlFront(): Promise<DemoFile> {
  const words = new LineWords(nodeLetters);
  const legend: Contour[] = [plate([8, 41, 54, 22], 0)];
  for (const [text, x] of [
    ['PAY OUT', 86],
    ['HOLD', 104],
    ['REEL IN', 122],
  ] as const)
    legend.push(...(await words.put(text, [x, 16.5], 2, 'middle')));
  legend.push(...(await words.put('LINE WINDER', [104, 60], 4, 'middle')), ...(await words.put('LINE OUT, M', [10, 34], 2.2)));
  return dxf('WS-510 control box front.dxf', [
    layer('outline', [plate([0, 0, 140, 70], 5)]),
    layer('holes', [[5, 5], [135, 5], [135, 65], [5, 65]].map(([x, y]) => hole(x, y, 3.4)).concat([86, 104, 122].map((x) => hole(x, 26, 6.2)), [86, 104, 122].map((x) => hole(x, 42, 3)))), // prettier-ignore
    layer('window', [plate([10, 43, 50, 18], 0)], '#27489f'),
    layer('slots', [slot([20, 12], [60, 12], 3)], '#27489f'),
    layer('legend', legend, '#12705a'),
  ]);
}

/** A dial whose holes stand too near to its edge: the shop says so. */
const thinDial = (): DemoFile =>
  dxf('WS-512 dial, webs too thin.dxf', [
    layer('outline', [plate([0, 0, 60, 30], 3)]),
    layer('holes', [hole(2.0, 15, 3.4), hole(30, 15, 8), hole(35.9, 15, 3.4), hole(57, 15, 3.4)]),
  ]);

export const demoBoards = async (): Promise<DemoFile[]> => [await sensorDisc(), await controlFront(), thinDial()];
