// The part of "npm run bench" about drawings: reading, writing, checking, fitting, kerf.
import DxfParser from 'dxf-parser';
import { checkDrawing } from '../core/dist/curves/check.js';
import { contourOf } from '../core/dist/curves/drawing.js';
import { fitContour } from '../core/dist/curves/fit.js';
import { offsetContour } from '../core/dist/curves/offset.js';
import { circle } from '../core/dist/curves/segment.js';
import { readDxf } from '../core/dist/formats/dxf/read.js';
import { dxfFile } from '../core/dist/formats/dxf/write.js';
import { readSvg } from '../core/dist/formats/svg/read.js';
import { svgFile } from '../core/dist/formats/svg/write.js';

export function benchDrawings({ row, times, ms, engine }) {
  let seed = 7;
  const chance = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
  const entities = Array.from({ length: 100_000 }, (_, i) => {
    const [x, y] = [(i % 400) * 10, Math.floor(i / 400) * 10];
    if (i % 4 === 0) return contourOf([{ kind: 'line', a: [x, y], b: [x + 6 + chance(), y + 6 * chance()] }], false);
    if (i % 4 === 1) return contourOf([circle([x + 4, y + 4], 2 + chance())], true);
    if (i % 4 === 2) return contourOf([{ kind: 'arc', centre: [x + 4, y + 4], radius: 3, start: chance() * 6, sweep: 1 + chance() * 3 }], false);
    const corners = [[0, 0], [5, 0], [5, 5], [0, 5]].map(([u, v]) => [x + u, y + v]); // prettier-ignore
    return contourOf(
      corners.map((a, k) => ({ kind: 'line', a, b: corners[(k + 1) % 4] })),
      true,
    );
  });
  const flatLayer = { name: 'cut', colour: '#ff0000', lineType: 'CONTINUOUS', texts: [], contours: entities };
  const writeDxf = () => Buffer.concat([...dxfFile({ layers: [flatLayer], blocks: [] }, '2000', 'mm', 1)]);
  const dxfBytes = writeDxf();
  const readOurs = () => readDxf(dxfBytes);
  const readPeer = () => new DxfParser().parseSync(dxfBytes.toString('utf8'));
  readOurs();
  readPeer();
  const dxfWritten = times(5, writeDxf);
  // In turns, since memory that one leaves behind slows the next.
  const [ours, theirs] = [[], []];
  for (let i = 0; i < 9; i++) {
    ours.push(times(1, readOurs));
    theirs.push(times(1, readPeer));
  }
  const middle = (all) => all.sort((a, b) => a - b)[4];
  const [dxfRead, dxfPeer] = [middle(ours), middle(theirs)];
  row('DXF of 100,000 entities written', ms(dxfWritten), '', null, '<= 1.5 s', dxfWritten <= 1500);
  row(
    'the same read, curves chained',
    ms(dxfRead),
    `dxf-parser, ${ms(dxfPeer)}`,
    dxfRead / dxfPeer,
    '<= 0.7, 1.5 s',
    dxfRead / dxfPeer <= 0.7 && dxfRead <= 1500,
  );
  const spiral = Array.from({ length: 100_001 }, (_, i) => [Math.cos(i / 100) * (10 + i / 100), Math.sin(i / 100) * (10 + i / 100)]);
  const lineThrough = (points, closed) =>
    contourOf(
      points.slice(0, closed ? undefined : -1).map((a, i) => ({ kind: 'line', a, b: points[(i + 1) % points.length] })),
      closed,
    );
  const flat = (contours) => ({ layers: [{ ...flatLayer, contours }], texts: [], points: [] });
  const loose = flat(
    entities
      .filter((_, i) => i % 4 !== 3)
      .concat(entities.filter((_, i) => i % 4 === 0).map((c) => ({ ...c, segments: c.segments.map((s) => ({ ...s, b: [s.b[0] - 3, s.b[1] + 4] })) }))),
  );
  const checks = [times(3, () => checkDrawing(flat([lineThrough(spiral, false)]))), times(3, () => checkDrawing(loose))];
  row('soundness of 100,000 segments, one chain / all loose', checks.map(ms).join(' / '), '', null, '<= 1 s', Math.max(...checks) <= 1000);
  const paths = Array.from({ length: 5000 }, (_, i) => contourOf([{ kind: 'bezier', points: [[i, 0], [i + 3, 9], [i + 6, -4], [i + 9, 5]] }, { kind: 'arc', centre: [i + 4, 5], radius: 5, start: 0, sweep: 2 }], false)); // prettier-ignore
  const svgBytes = Buffer.concat([...svgFile([{ ...flatLayer, contours: paths }], 'bench', [0, 0, 6000, 100])]);
  const svgRead = times(3, () => readSvg(svgBytes));
  row('SVG of 5,000 paths read', ms(svgRead), '', null, '<= 1 s', svgRead <= 1000);
  const rim = Array.from({ length: 10_000 }, (_, i) => [20 * Math.cos((i * Math.PI) / 5000), 20 * Math.sin((i * Math.PI) / 5000)]);
  let fitted;
  const fitting = times(3, () => (fitted = fitContour(lineThrough(rim, true), 0.01)));
  row('arcs fitted to a circle of 10,000 points', `${ms(fitting)}, ${fitted.after} circle`, '', null, '1 circle', fitted.after === 1);
  const wavy = Array.from({ length: 10_000 }, (_, i) => [
    (100 + 5 * Math.sin((12 * i * Math.PI) / 5000)) * Math.cos((i * Math.PI) / 5000),
    (100 + 5 * Math.sin((12 * i * Math.PI) / 5000)) * Math.sin((i * Math.PI) / 5000),
  ]);
  const kerf = times(3, () => offsetContour(engine, lineThrough(wavy, true), 0.1));
  row('kerf of a contour of 10,000 segments', ms(kerf), '', null, '<= 500 ms', kerf <= 500);
}
