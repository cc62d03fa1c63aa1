// Boards: 100,000 things as Gerber and drill file, beside the same drawing as DXF in the same run.
import { contourOf } from '../core/dist/curves/drawing.js';
import { circle, fromBulge } from '../core/dist/curves/segment.js';
import { readDrill } from '../core/dist/formats/drill/read.js';
import { drillFile } from '../core/dist/formats/drill/write.js';
import { readDxf } from '../core/dist/formats/dxf/read.js';
import { dxfFile } from '../core/dist/formats/dxf/write.js';
import { readGerber } from '../core/dist/formats/gerber/read.js';
import { GerberWriter } from '../core/dist/formats/gerber/write.js';

const count = 100_000;

export function benchBoards({ row, times, ms }) {
  // Half lines, a quarter arcs, a quarter flashes, over a board of 400 mm.
  const at = (k) => [((k * 7919) % 400_000) / 1000, ((k * 104_729) % 300_000) / 1000];
  const lines = Array.from({ length: count / 2 }, (_, k) => ({ kind: 'line', a: at(k), b: [at(k)[0] + 1, at(k)[1] + 0.5] }));
  const arcs = Array.from({ length: count / 4 }, (_, k) => fromBulge(at(k + 7), [at(k + 7)[0] + 1, at(k + 7)[1]], 0.3));
  const spots = Array.from({ length: count / 4 }, (_, k) => at(k + 13));
  const write = () => {
    const g = new GerberWriter([['.FileFunction', 'Copper', 'L1', 'Top']]);
    const pen = g.circle(0.2);
    for (const t of lines) g.stroke(pen, [t]);
    for (const t of arcs) g.stroke(pen, [t]);
    const pad = g.circle(1.6);
    for (const p of spots) g.flash(pad, p);
    return g.bytes();
  };
  const contours = [...lines, ...arcs].map((t) => contourOf([t], false)).concat(spots.map((p) => contourOf([circle(p, 0.8)], true)));
  const layers = [{ name: 'copper', colour: '#000000', lineType: 'CONTINUOUS', contours, texts: [] }];
  const dxf = () => Buffer.concat([...dxfFile({ layers, blocks: [] }, '2000', 'mm', 1)]);
  const [gerber, same] = [write(), dxf()];
  const [w, wd, r, rd] = [times(5, write), times(5, dxf), times(5, () => readGerber(gerber)), times(5, () => readDxf(same))];
  row('100,000 things written as Gerber', ms(w), `as DXF here ${ms(wd)}`, w / wd, '<= 1 s', w <= 1000);
  row('the same read again', ms(r), `from DXF here ${ms(rd)}`, r / rd, '<= 1 s', r <= 1000);
  const holes = Array.from({ length: count }, (_, k) => at(k));
  const drill = () => drillFile([], [{ diameter: 0.8, use: [], holes, slots: [] }]);
  const drilled = drill();
  const [dw, dr] = [times(5, drill), times(5, () => readDrill(drilled))];
  row('100,000 holes written for drilling', ms(dw), `things as Gerber ${ms(w)}`, dw / w, '<= 1 s', dw <= 1000);
  row('the same read again', ms(dr), `things from Gerber ${ms(r)}`, dr / r, '<= 1 s', dr <= 1000);
}
