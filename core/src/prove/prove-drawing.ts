import type { DesignedDrawing } from './designed.ts';
import { areaOfContour, countSegments, lengthOfContour, transformedDrawing, type Contour, type Drawing } from '../curves/drawing.ts';
import { checkDrawing, type DrawingCheck } from '../curves/check.ts';
import { chordFigures, turningOf, type ChordFigures } from '../curves/chords.ts';
import { drawingDistance, pointsOff, probing } from '../curves/compare.ts';
import { pairedDistance } from '../curves/paired.ts';
import { circleDiameters } from '../drawing/meaning.ts';
import { atMost, evidenceOf, same, within, type Claim, type Evidence } from './evidence.ts';
import type { ReceivedDrawing } from '../processes/cutters.ts';
import { inverted } from '../curves/affine.ts';
import { colourOfNumber, numberOfColour } from '../formats/dxf/colours.ts';
import { patchClaims } from './prove-patch.ts';
import { foldBackLimit, foldBackOf, foldedVolume } from '../sheet/fold.ts';
import { heldByItself } from '../sheet/remarks.ts';
import { factorFor } from '../base/readings.ts';
import type { Finding } from '../base/finding.ts';
import type { P2 } from '../curves/segment.ts';

/** What arithmetic on the way may lose: a few units in the last place of the numbers that are written, mm at least. */
const lastPlaces = 32 * Number.EPSILON;
const leastRounding = 1e-9;
/** PDF: numbers of 6 decimals of a point. */
const pdfRounding = 1e-6;

const kindNames = { line: 'Lines', arc: 'Arcs and circles', ellipse: 'Ellipses', bezier: 'Béziers', spline: 'Splines' } as const;

/** Absolute allowances of a drawing's claims, mm. */
interface Allowed {
  /** What the numbers in the file may be off. */
  rounding: number;
  /** How near curves are probed. */
  fine: number;
  /** How far the format's own way of saying curves may be off. */
  approximated: number;
}

/**
 * Holds what a machine understood against what was meant. Each claim compares two routes: exact forms of the curves meant (derivative's
 * roots, quadrature, Green's theorem) against chords of the curves received; counts of what was written against chains that the reader found;
 * every point of either against the other. Allowances are absolute: rounding of the written numbers and what the format can't say exactly.
 */
export function proveDrawing(designed: DesignedDrawing, received: ReceivedDrawing): Evidence {
  const meant = checkDrawing(designed.drawing);
  const got = received.check;
  const fine = probing(designed.drawing);
  const written = Math.max(...designed.box.map(Math.abs), largestRadius(designed.drawing));
  const rounding = (designed.format === 'pdf' ? pdfRounding : leastRounding) + written * lastPlaces;
  const allowed: Allowed = { rounding, fine, approximated: designed.approximated };
  const arrived = registered(designed, received.drawing);
  const turning = designed.drawing.layers.reduce((n, l) => n + l.contours.reduce((m, c) => m + c.segments.reduce((k, s) => k + turningOf(s), 0), 0), 0);
  const chords = confirmed(got, chordFigures(arrived, got.nested, fine), { side: fine, length: turning * fine, area: got.length * fine });
  const size = (box: readonly number[]) => [box[2] - box[0], box[3] - box[1]];
  const [w, h] = size(meant.box);
  const [gw, gh] = size(chords.box);
  const side = 2 * (rounding + designed.approximated);
  const pieces = meant.segments.line + meant.segments.arc + meant.segments.ellipse + meant.segments.bezier + meant.segments.spline;
  // Of contours that cross each other none lies clearly in another: holes and area are for looking then; the curves are held to each other all the same.
  const unclear = meant.crossings.length > 0 ? 'look' : 'stop';
  const claims: Claim[] = [
    within('Width X', 'mm', [w, gw], side),
    within('Height Y', 'mm', [h, gh], side),
    same('Contours', meant.contours, got.contours),
    same('Open contours', meant.open, got.open),
    same('Holes', meant.holes, got.holes, unclear),
    within('Length', 'mm', [meant.length, chords.length], pieces * 2 * rounding + turning * designed.approximated + meant.length * 1e-12),
    softened(unclear, within('Area', 'mm2', [meant.area, chords.area], meant.length * (rounding + designed.approximated) + Math.abs(meant.area) * 1e-12)),
  ];
  if (designed.format !== 'pdf') claims.push(...diameterClaims(designed.drawing, received, rounding), ...segmentClaims(designed, received.drawing));
  claims.push(...layersClaims(designed, received));
  if (designed.depths.length > 0) claims.push(depthsClaim(designed, received));
  if (designed.texts.length > 0 || (designed.format === 'dxf' && received.drawing.texts.length > 0)) claims.push(textsClaim(designed, received));
  // Piece by piece where each came back as it was; else by places all along both.
  const off = pairedDistance(designed.drawing, arrived, 2 * rounding + fine) ?? drawingDistance(designed.drawing, arrived, fine);
  claims.push(atMost('Deviation', 'mm', designed.allowed + designed.approximated + rounding * 2 + fine, designed.fitted + off));
  if (designed.traced) {
    const { edge, largest } = designed.traced;
    claims.push(
      atMost('Distance to the picture', 'mm', largest + designed.allowed + designed.approximated + 2 * rounding + fine, pointsOff(edge, arrived, fine)),
    );
  }
  if (designed.fold) claims.push(...foldClaims(designed, designed.fold, arrived, allowed));
  if (designed.patch) {
    const { patch, map } = designed.patch;
    claims.push(
      ...patchClaims(patch, transformedDrawing(arrived, inverted(map)), { allowed: designed.allowed, rounding, approximated: designed.approximated }),
    );
  }
  return evidenceOf(claims, [...received.findings, ...takenFinding(designed, [w, h], [gw, gh], { side: side, taken: received.taken })]);
}

/** Depths as they were meant against those that a machine reads out of the names in the file. */
function depthsClaim({ depths }: DesignedDrawing, { meant }: ReceivedDrawing): Claim {
  const text = (list: { depth: number | null; contours: number }[]) =>
    list
      .map(({ depth, contours }) => `${contours} at ${depth === null ? 'no depth' : Number(depth.toFixed(3))}`)
      .sort()
      .join(', ');
  const got = depths.flatMap(({ layer }) => {
    const own = meant.filter((m) => m.layer === layer).map((m) => m.contour.depth ?? null);
    return [...new Set(own)].map((depth) => ({ depth, contours: own.filter((d) => d === depth).length }));
  });
  return { ...same('Depths', text(depths), text(got)), unit: 'mm' };
}

const softened = (to: 'look' | 'stop', claim: Claim): Claim => (claim.verdict === 'stop' ? { ...claim, verdict: to } : claim);

/**
 * Figures of what was received by exact forms, each only as far as chords confirm it: where the two routes part by more than chords can be
 * off, the chords' figure stands, and the claim fails.
 */
function confirmed(exact: DrawingCheck, chords: ChordFigures, off: { side: number; length: number; area: number }): ChordFigures {
  const slack = 1e-9 * (1 + exact.length);
  const near = (a: number, b: number, by: number) => (Math.abs(a - b) <= by + slack ? a : b);
  const [w, h] = [exact.box[2] - exact.box[0], exact.box[3] - exact.box[1]];
  const [cw, ch] = [chords.box[2] - chords.box[0], chords.box[3] - chords.box[1]];
  const [left, bottom] = chords.box;
  return {
    box: [left, bottom, left + near(w, cw, 2 * off.side), bottom + near(h, ch, 2 * off.side)],
    length: near(exact.length, chords.length, off.length),
    area: near(exact.area, chords.area, off.area),
  };
}

function largestRadius(drawing: Drawing): number {
  let most = 0;
  for (const l of drawing.layers) for (const c of l.contours) for (const s of c.segments) if (s.kind === 'arc') most = Math.max(most, s.radius);
  return most;
}

/** What was received, laid where it was meant: a page has its own corner, and the drawing's point there is known. */
function registered(designed: DesignedDrawing, received: Drawing): Drawing {
  const [dx, dy] = designed.origin;
  return dx === 0 && dy === 0 ? received : transformedDrawing(received, [1, 0, 0, 1, dx, dy]);
}

/** The flat that arrived is folded again by the bend table and laid over the design. */
function foldClaims(designed: DesignedDrawing, fold: NonNullable<DesignedDrawing['fold']>, received: Drawing, allowed: Allowed): Claim[] {
  const { pattern, drawing, map } = fold;
  const arrived = transformedDrawing(received, inverted(map));
  // Cut contours and holes are closed; bend lines, marks and zone edges are not, but for marks that outline a feature.
  const cut = arrived.layers.filter((l) => !designed.uncut.includes(l.name)).flatMap((l) => l.contours.filter((c) => c.closed));
  const found = foldBackOf(pattern, drawing, cut);
  const limit = foldBackLimit(pattern) + designed.allowed + 2 * (allowed.rounding + allowed.approximated);
  const claims = [
    atMost('Fold-back', 'mm', limit, found.distance),
    within('Thickness, folded', 'mm', [pattern.thickness, pattern.thickness + found.thickness], Math.max(0.01, pattern.thickness * 0.021, pattern.spread)),
  ];
  const volume = foldedVolume({ ...pattern, area: checkArea(cut) });
  if (!heldByItself(pattern)) {
    claims.push(
      within('Volume, folded', 'mm3', [pattern.volume, volume], pattern.volume * ((pattern.exact ? 0.005 : 0.03) + pattern.spread / pattern.thickness)),
    );
    return claims;
  }
  // Features were left out of the flat, so it is held against the flat as it was made: what the file loses shows all the same.
  const edges = cut.reduce((n, c) => n + lengthOfContour(c), 0);
  const off = edges * (allowed.rounding + allowed.approximated + designed.allowed) * pattern.thickness;
  claims.push(within('Volume, less features', 'mm3', [foldedVolume(pattern), volume], off + pattern.volume * 1e-6));
  return claims;
}

const checkArea = (cut: Contour[]): number => {
  const areas = cut.map((c) => Math.abs(areaOfContour(c))).sort((a, b) => b - a);
  return areas.slice(1).reduce((n, v) => n - v, areas[0] ?? 0);
};

function diameterClaims(drawing: Drawing, received: ReceivedDrawing, rounding: number): Claim[] {
  const meant = circleDiameters(drawing.layers.flatMap((l) => l.contours));
  if (meant.length === 0) return [];
  const got = received.diameters;
  const text = (list: number[]) => summary(list.map((d) => Number(d.toFixed(4))));
  const equal = meant.length === got.length && meant.every((d, i) => Math.abs(d - got[i]) <= 4 * rounding);
  return [
    { ...same('Circles, diameters', text(meant), equal ? text(meant) : `${text(got)}${text(got) === text(meant) ? ' (differ by less)' : ''}`), unit: 'mm' },
  ];
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

function layersClaims(designed: DesignedDrawing, received: ReceivedDrawing): Claim[] {
  const got = received.drawing.layers.filter((l) => l.contours.length > 0);
  const meant = designed.drawing.layers.filter((l) => l.contours.length > 0);
  const sorted = (list: string[]) => [...list].sort().join(', ');
  const counts = (list: Drawing['layers']) => sorted(list.map((l) => `${l.name} ${l.contours.length}`));
  // A page has no layers: colours tell them apart.
  const byColour = (list: { colour: string | null; contours: unknown[] }[]) => {
    const sum = new Map<string, number>();
    for (const l of list) sum.set(l.colour ?? '#000000', (sum.get(l.colour ?? '#000000') ?? 0) + l.contours.length);
    return sorted([...sum].map(([colour, n]) => `${colour} ${n}`));
  };
  if (designed.format === 'pdf') return [same('Contours by colour', byColour(meant), byColour(got), 'look')];
  const colours = (list: Drawing['layers'], seen: (colour: string) => string) => sorted(list.map((l) => `${l.name} ${seen(l.colour ?? '#000000')}`));
  // DXF before 2004 names colours by number.
  const numbered = (c: string) => colourOfNumber(numberOfColour(c)) ?? c;
  const as = designed.format === 'dxf' && designed.version !== '2018' ? numbered : (c: string) => (c === '#000000' ? numbered(c) : c);
  const plain = designed.format === 'dxf' ? as : (c: string) => c;
  return [
    same('Layers', counts(meant), counts(got)),
    same(
      'Colours of layers',
      colours(meant, plain),
      colours(got, (c) => c),
      'look',
    ),
  ];
}

function textsClaim(designed: DesignedDrawing, received: ReceivedDrawing): Claim {
  const list = (texts: Drawing['texts']) => texts.map((t) => t.text).sort();
  const [a, b] = [list(designed.texts), list(received.drawing.texts)];
  const wrong = a.length === b.length ? a.findIndex((t, i) => t !== b[i]) : -1;
  if (a.length !== b.length) return same('Texts', a.length, b.length, 'look');
  return same('Texts', wrong < 0 ? a.length : a[wrong], wrong < 0 ? b.length : b[wrong], 'look');
}

/** When sizes differ by more than is allowed, the cause may have a name. */
function takenFinding(designed: DesignedDrawing, [w, h]: P2, [gw, gh]: P2, { side, taken }: { side: number; taken: string }): Finding[] {
  const [meant, got] = w >= h ? [w, gw] : [h, gh];
  if (!(meant > 0) || !(got > 0) || (Math.abs(gw - w) <= side && Math.abs(gh - h) <= side)) return [];
  const known = factorFor(got, meant);
  const named = known.name !== null && known.factor !== 1;
  return [
    {
      code: 'other-size',
      severity: 'stop',
      count: 1,
      message: named
        ? `The machine takes the numbers for ${taken}: the drawing arrives ${(got / meant).toPrecision(5)} times as large (${known.name}).`
        : `The drawing arrives ${gw.toFixed(4)} × ${gh.toFixed(4)} mm large and not ${w.toFixed(4)} × ${h.toFixed(4)} mm.`,
      remedy: named
        ? 'Choose the unit that this machine takes, on the File step.'
        : `Tell whoever looks after Tall Kite: this ${designed.format.toUpperCase()} file does not hold what was meant.`,
    },
  ];
}
