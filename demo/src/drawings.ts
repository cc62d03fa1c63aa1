import type { DxfVersion } from 'tall-kite/model/dxf-version';
import { contourOf, type Contour } from 'tall-kite/curves/drawing';
import { circle, fromBulge, type P2, type Segment } from 'tall-kite/curves/segment';
import { dxfFile, type WrittenLayer } from 'tall-kite/formats/dxf/write';
import type { DemoFile } from './designs.ts';

/** A closed contour through corners; each may have the bulge of the piece that follows it. */
function outline(corners: [number, number, number?][]): Contour {
  return contourOf(
    corners.map(([x, y, bulge], i) => fromBulge([x, y], [corners[(i + 1) % corners.length][0], corners[(i + 1) % corners.length][1]], bulge ?? 0)),
    true,
  );
}

const quarter = Math.tan(Math.PI / 8);

/** A rectangle with rounded corners. */
function plate([x, y]: P2, [w, h]: P2, r: number): Contour {
  return outline([
    [x + r, y],
    [x + w - r, y, quarter],
    [x + w, y + r],
    [x + w, y + h - r, quarter],
    [x + w - r, y + h],
    [x + r, y + h, quarter],
    [x, y + h - r],
    [x, y + r, quarter],
  ]);
}

/** A slot with round ends along X. */
const slot = (x: number, y: number, length: number, r: number): Contour =>
  outline([
    [x - length / 2, y - r],
    [x + length / 2, y - r, 1],
    [x + length / 2, y + r],
    [x - length / 2, y + r, 1],
  ]);

const hole = (x: number, y: number, d: number): Contour => contourOf([circle([x, y], d / 2)], true);
const shifted = (c: Contour, dx: number, dy: number): Contour => ({
  ...c,
  segments: c.segments.map((s): Segment =>
    s.kind === 'line'
      ? { ...s, a: [s.a[0] + dx, s.a[1] + dy], b: [s.b[0] + dx, s.b[1] + dy] }
      : s.kind === 'arc'
        ? { ...s, centre: [s.centre[0] + dx, s.centre[1] + dy] }
        : s,
  ),
});

const layer = (name: string, colour: string, contours: Contour[]): WrittenLayer => ({ name, colour, lineType: 'CONTINUOUS', contours, texts: [] });

function dxf(name: string, layers: WrittenLayer[], version: DxfVersion, stripUnit = false): DemoFile {
  const text = Buffer.concat([...dxfFile({ layers, blocks: [] }, version, 'mm', 1)]).toString('latin1');
  return { name, bytes: Buffer.from(stripUnit ? text.replace(/9\n\$INSUNITS\n70\n4\n9\n\$MEASUREMENT\n70\n1\n/, '') : text, 'latin1') };
}

/** Two sides of the line winder: one drawing, cut twice. */
function winderSides(): DemoFile {
  const one = [plate([0, 0], [180, 110], 28), slot(90, 55, 74, 14), hole(24, 55, 6), hole(156, 55, 6), hole(90, 18, 8), hole(90, 92, 8)];
  return dxf(
    'winder-sides.dxf',
    [
      layer('outer cut', '#ff0000', [one[0], shifted(one[0], 200, 0)]),
      layer('holes', '#0000ff', [...one.slice(1), ...one.slice(1).map((c) => shifted(c, 200, 0))]),
    ],
    '2000',
  );
}

/** The base plate as somebody's program left it: loose lines and arcs, a gap, a line drawn twice, no unit. */
function basePlate(): DemoFile {
  const loose = (c: Contour): Contour[] => c.segments.map((s) => contourOf([s], false));
  const pieces = loose(plate([0, 0], [260, 170], 12));
  const first = pieces[0].segments[0] as { a: P2; b: P2 };
  first.b = [first.b[0] - 0.06, first.b[1]];
  const second = pieces[4].segments[0] as { a: P2; b: P2 };
  second.a = [second.a[0] - 0.012, second.a[1]];
  const again = contourOf([{ kind: 'line', a: [40, 170], b: [190, 170] }], false);
  const holes = [20, 240].flatMap((x) => [20, 150].map((y) => hole(x, y, 6.4)));
  const rim = Array.from({ length: 72 }, (_, i): P2 => [130 + 34 * Math.cos((i * Math.PI) / 36), 85 + 34 * Math.sin((i * Math.PI) / 36)]);
  const splintered = contourOf(
    rim.map((a, i): Segment => ({ kind: 'line', a, b: rim[(i + 1) % rim.length] })),
    true,
  );
  const pocket = { ...plate([60, 20], [140, 22], 4), depth: 3 };
  return dxf(
    'base-plate.dxf',
    [layer('0', '#000000', [...pieces, again, splintered]), layer('drill', '#0000ff', holes), layer('pocket 3 mm', '#00ff00', [pocket])],
    'R12',
    true,
  );
}

/** A panel of the crate with finger joints and a hand hole; SVG with bare numbers at 96 an inch. */
function cratePanel(): DemoFile {
  const k = 96 / 25.4;
  const [w, h, finger, t] = [340, 220, 20, 9];
  const points: P2[] = [];
  for (let x = 0, up = true; x < w; x += finger, up = !up) points.push([x, up ? 0 : t], [Math.min(w, x + finger), up ? 0 : t]);
  for (let y = 0, out = true; y < h; y += finger, out = !out) points.push([out ? w : w - t, y], [out ? w : w - t, Math.min(h, y + finger)]);
  for (let x = w, up = true; x > 0; x -= finger, up = !up) points.push([x, up ? h : h - t], [Math.max(0, x - finger), up ? h : h - t]);
  for (let y = h, out = true; y > 0; y -= finger, out = !out) points.push([out ? 0 : t, y], [out ? 0 : t, Math.max(0, y - finger)]);
  const n = (v: number) => (v * k).toFixed(4);
  const d = `M${points.map(([x, y]) => `${n(x)} ${n(y)}`).join('L')}Z`;
  const hand = `M${n(130)} ${n(60)}h${n(80)}a${n(14)} ${n(14)} 0 0 1 0 ${n(28)}h${n(-80)}a${n(14)} ${n(14)} 0 0 1 0 ${n(-28)}z`;
  const text = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${n(w)} ${n(h)}">
<g id="panel" fill="none" stroke="#c00"><path d="${d}"/><path d="${hand}"/></g>
<g id="engrave" fill="none" stroke="#06c"><path d="M${n(50)} ${n(150)}c${n(40)} ${n(-40)} ${n(80)} ${n(40)} ${n(120)} 0s${n(80)} ${n(40)} ${n(120)} 0"/><text x="100" y="700">FIELD CRATE</text></g>
</svg>`;
  return { name: 'crate-panel.svg', bytes: Buffer.from(text) };
}

/** A stencil of the kite for marking the sail: Béziers in mm, bridges left for the inside. */
function stencil(): DemoFile {
  const text = `<svg xmlns="http://www.w3.org/2000/svg" width="210mm" height="297mm" viewBox="0 0 210 297">
<g id="outer"><rect x="5" y="5" width="200" height="287" rx="8" fill="none" stroke="#000"/></g>
<g id="kite"><path d="M105 40C125 80 160 105 172 120C150 160 125 205 105 245C85 205 60 160 38 120C50 105 85 80 105 40Z" fill="none" stroke="#000"/>
<path d="M96 118C99 108 111 108 114 118C117 130 110 140 105 146C100 140 93 130 96 118Z" fill="none" stroke="#000"/></g>
<g id="holes"><circle cx="20" cy="20" r="3"/><circle cx="190" cy="20" r="3"/><circle cx="20" cy="277" r="3"/><circle cx="190" cy="277" r="3"/></g>
</svg>`;
  return { name: 'sail-stencil.svg', bytes: Buffer.from(text) };
}

/** The drawings of the scenario, as a person would drop them in. */
export function demoDrawings(): DemoFile[] {
  return [winderSides(), basePlate(), cratePanel(), stencil()];
}
