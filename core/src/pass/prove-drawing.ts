import { areaOfContour, countSegments, transformedDrawing, type Contour, type Drawing } from '../drawing/drawing.ts';
import { checkDrawing } from '../drawing/check.ts';
import { drawingDistance, probing } from '../drawing/compare.ts';
import { circleDiameters } from '../drawing/meaning.ts';
import { atMost, evidenceOf, same, within, type Claim, type Evidence } from '../evidence/evidence.ts';
import type { ReceivedDrawing } from '../receivers/cutters.ts';
import { inverted, transformed } from '../drawing/affine.ts';
import { foldBackLimit, foldBackOf, foldedVolume } from '../sheet/fold.ts';
import { volumeReasons } from '../sheet/remarks.ts';
import { factorFor } from '../size/readings.ts';
import type { DesignedDrawing } from './write-drawing.ts';
import type { Finding } from '../findings/finding.ts';

/** Share of the reach that numbers of a file may lose: 15 digits in DXF and SVG, 6 decimals of a point in PDF. */
const roundingShare = 1e-9;
const pdfRounding = 2e-3;

const kindNames = { line: 'Lines', arc: 'Arcs and circles', ellipse: 'Ellipses', bezier: 'Béziers', spline: 'Splines' } as const;

/** Holds what a machine understood against what was meant: size, counts, lengths, areas, segments by kind, layers, and the distance between the curves. */
export function proveDrawing(designed: DesignedDrawing, received: ReceivedDrawing): Evidence {
  const meant = checkDrawing(designed.drawing);
  const got = received.check;
  const reach = Math.max(1, ...designed.box.map(Math.abs));
  const pdf = designed.format === 'pdf';
  const rounding = pdf ? pdfRounding : Math.max(1e-7, reach * roundingShare);
  const size = (box: readonly number[]) => [box[2] - box[0], box[3] - box[1]];
  const [w, h] = size(meant.box);
  const [gw, gh] = size(got.box);
  const claims: Claim[] = [
    within('Width X', 'mm', w, gw, 2 * rounding),
    within('Height Y', 'mm', h, gh, 2 * rounding),
    same('Contours', meant.contours, got.contours),
    same('Open contours', meant.open, got.open),
    same('Holes', meant.holes, got.holes),
    within('Length', 'mm', meant.length, got.length, Math.max(rounding * 10 * (1 + meant.contours), meant.length * (pdf ? 1e-4 : 1e-9))),
    within('Area', 'mm2', meant.area, got.area, Math.max(meant.length * rounding * 2, Math.abs(meant.area) * 1e-9)),
  ];
  claims.push(...diameterClaims(designed.drawing, received, pdf, rounding));
  if (!pdf) claims.push(...segmentClaims(designed, received.drawing));
  claims.push(layersClaim(designed, received, pdf));
  const off = placed(designed, received);
  claims.push(atMost('Deviation', 'mm', designed.allowed + rounding * 2 + probing(designed.drawing), designed.fitted + off));
  if (designed.fold) claims.push(...foldClaims(designed, designed.fold, received));
  return evidenceOf(claims, [...received.findings, ...takenFinding(designed, received)]);
}

/** Distance between the curves. */
const placed = (designed: DesignedDrawing, received: ReceivedDrawing): number => drawingDistance(designed.drawing, registered(designed, received));

/** What was received where it was meant: an SVG's page has its own corner, so the low left corners of both are laid on each other there. */
function registered(designed: DesignedDrawing, received: ReceivedDrawing): Drawing {
  if (designed.format === 'dxf') return received.drawing;
  const a = checkDrawing(designed.drawing).box;
  const b = received.check.box;
  const [dx, dy] = [a[0] - b[0], a[1] - b[1]];
  return {
    ...received.drawing,
    layers: received.drawing.layers.map((l) => ({ ...l, contours: l.contours.map((c) => ({ ...c, segments: c.segments.map((s) => shifted(s, dx, dy)) })) })),
  };
}

/** The flat that arrived is folded again by the bend table and laid over the design. */
function foldClaims(designed: DesignedDrawing, fold: NonNullable<DesignedDrawing['fold']>, received: ReceivedDrawing): Claim[] {
  const { pattern, drawing, map } = fold;
  const back = inverted(map);
  const arrived = transformedDrawing(registered(designed, received), back);
  // Cut contours and holes are closed; bend lines, marks and zone edges are not, but for marks that outline a feature.
  const cut = arrived.layers.filter((l) => !designed.uncut.includes(l.name)).flatMap((l) => l.contours.filter((c) => c.closed));
  const found = foldBackOf(pattern, drawing, cut);
  const limit = foldBackLimit(pattern) + designed.allowed + (designed.format === 'pdf' ? pdfRounding * 2 : 0);
  const claims = [
    atMost('Fold-back', 'mm', limit, found.distance),
    within('Thickness, folded', 'mm', pattern.thickness, pattern.thickness + found.thickness, Math.max(0.01, pattern.thickness * 0.021)),
  ];
  const volume = foldedVolume({ ...pattern, area: checkArea(cut) });
  const known = pattern.features.length > 0 || pattern.findings.some((f) => volumeReasons.includes(f.code));
  const claim = within('Volume, folded', 'mm3', pattern.volume, volume, pattern.volume * (pattern.fit > 0 ? 0.03 : 0.005));
  claims.push(known ? { ...claim, quantity: 'Volume, less features', tolerance: null, verdict: 'clear' } : claim);
  return claims;
}

const checkArea = (cut: Contour[]): number => {
  const areas = cut.map((c) => Math.abs(areaOfContour(c))).sort((a, b) => b - a);
  return areas.slice(1).reduce((n, v) => n - v, areas[0] ?? 0);
};

const shifted = (s: Parameters<typeof transformed>[0], dx: number, dy: number) => transformed(s, [1, 0, 0, 1, dx, dy]);

function diameterClaims(drawing: Drawing, received: ReceivedDrawing, pdf: boolean, rounding: number): Claim[] {
  const meant = circleDiameters(drawing.layers.flatMap((l) => l.contours));
  if (meant.length === 0 || pdf) return [];
  const got = received.diameters;
  const text = (list: number[]) => summary(list.map((d) => Number(d.toFixed(4))));
  const equal = meant.length === got.length && meant.every((d, i) => Math.abs(d - got[i]) <= 2 * rounding);
  return [{ ...same('Circles, diameters', text(meant), equal ? text(meant) : text(got)), unit: 'mm' }];
}

/** Equal figures counted: "3 × 6, 2 × 8". */
function summary(list: number[]): string {
  const counts = new Map<number, number>();
  for (const v of list) counts.set(v, (counts.get(v) ?? 0) + 1);
  const parts = [...counts].map(([v, n]) => (n > 1 ? `${n} × ${v}` : String(v)));
  return parts.length > 8 ? `${parts.slice(0, 8).join(', ')} and ${parts.length - 8} more` : parts.join(', ') || 'none';
}

/** Segments by kind: what the format says in another way counts as what it is (Béziers as splines in DXF, splines as Béziers in SVG). */
function segmentClaims(designed: DesignedDrawing, received: Drawing): Claim[] {
  const meant = countSegments(designed.drawing);
  const got = countSegments(received);
  if (designed.format === 'dxf') {
    meant.spline += meant.bezier;
    meant.bezier = 0;
    got.spline += got.bezier;
    got.bezier = 0;
  } else if (meant.spline > 0) {
    meant.bezier = got.bezier;
    meant.spline = 0;
  }
  return (Object.keys(kindNames) as (keyof typeof kindNames)[])
    .filter((k) => meant[k] > 0 || got[k] > 0)
    .map((k) => same(kindNames[k], meant[k], got[k], k === 'arc' || k === 'line' ? 'stop' : 'look'));
}

function layersClaim(designed: DesignedDrawing, received: ReceivedDrawing, pdf: boolean): Claim {
  const text = (list: { name: string; contours: number }[]) => list.map((l) => `${l.name} ${l.contours}`).join(', ');
  const got = received.drawing.layers.map((l) => ({ name: l.name, contours: l.contours.length })).filter((l) => l.contours > 0);
  if (pdf) return same('Layers by colour', new Set(designed.layers.map((l) => l.name)).size, got.length, 'look');
  const sorted = (list: { name: string; contours: number }[]) => [...list].sort((a, b) => (a.name < b.name ? -1 : 1));
  return same('Layers', text(sorted(designed.layers)), text(sorted(got)));
}

/** When sizes differ by a known factor, the cause has a name. */
function takenFinding(designed: DesignedDrawing, received: ReceivedDrawing): Finding[] {
  const meant = designed.box[2] - designed.box[0];
  const got = received.check.box[2] - received.check.box[0];
  if (!(meant > 0) || !(got > 0) || Math.abs(got / meant - 1) < 1e-6) return [];
  const known = factorFor(got, meant);
  return [
    {
      code: 'other-size',
      severity: 'stop',
      count: 1,
      message: `The machine takes the numbers for ${received.taken}: the drawing arrives ${(got / meant).toPrecision(5)} times as large${known.name && known.factor !== 1 ? ` (${known.name})` : ''}.`,
      remedy: 'Choose the unit that this machine takes, on the File step.',
    },
  ];
}
