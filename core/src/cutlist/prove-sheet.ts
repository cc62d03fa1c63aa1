import Flatbush from 'flatbush';
import { boxOfContour, lengthOfContour, type Drawing } from '../curves/drawing.ts';
import { offsetDeviation } from '../curves/offset.ts';
import { flattened } from '../curves/flatten.ts';
import { nest, pointInside } from '../curves/nest.ts';
import { cutThrough } from '../drawing/meaning.ts';
import type { ReceivedDrawing } from '../processes/cutters.ts';
import { evidenceOf, same, within, type Claim, type Evidence } from '../prove/evidence.ts';
import { fine, toChord } from './apart.ts';
import { areaShare, foundOnSheet, middleOf, place, type FoundSheet } from './found.ts';
import { gapOf, type NestChoice } from './how.ts';
import { cutContours, turnsFor } from './nest-rows.ts';
import { fallenApart, type Fallen } from './network.ts';
import { keepsTabs, tabsOf, withoutTabs, type Bridged } from './tabs.ts';
import type { Engine } from '../engine/engine.ts';
import type { Nest, NestedSheet } from './nested.ts';
import type { NestedOf } from './sheet-drawing.ts';
import type { CutRow } from './row.ts';

/** What is claimed of a sheet file beyond what every drawing is held against. */
export function sheetClaims(
  sheet: NestedSheet,
  { rows, choice, engine }: { rows: readonly CutRow[]; choice: NestChoice; engine: Engine },
  received: ReceivedDrawing,
): { claims: Claim[]; found: FoundSheet } {
  const bridged = withoutTabs(received.drawing, choice);
  const fallen = choice.shared ? fallenApart(received.drawing, choice, engine) : null;
  const found = foundOnSheet(fallen?.drawing ?? bridged.drawing, rows, choice, fallen);
  const missing = found.parts.reduce((n, p) => n + p.missing, 0);
  const claims: Claim[] = [
    same('Parts found by shape', sheet.parts.length, found.parts.length),
    same('Outlines of no listed part', 0, found.strange.length),
    quantityClaim(sheet, rows, found),
    mirrorClaim(sheet, choice, found),
    same('Openings and pockets missing', 0, missing),
    same('Parts that overlap', 0, found.overlaps),
  ];
  const least = gapOf(choice);
  if (found.apart < Infinity && least > 0)
    claims.push(atLeast('Least distance of parts', least, found.apart, 2 * fine + 1e-6 + (fallen ? 2 * offsetDeviation : 0)));
  claims.push(insideClaim(sheet, found, choice), fallen ? looseClaim(received, fallen) : orderClaim(received));
  if (fallen) claims.push(same('Loose ends of shared cuts', 0, fallen.parted.loose), same('Stretches cut twice', 0, fallen.parted.twice));
  if (choice.tabs) claims.push(...tabClaims(sheet, rows, choice, bridged));
  if (choice.grain !== 'none') claims.push(same('Parts with the grain across', 0, acrossGrain(found, choice)));
  if (choice.saw) claims.push(replayClaim(sheet, received.drawing, found, choice));
  return { claims, found };
}

/** As many of each row as lie there by the plan. */
function quantityClaim(sheet: NestedSheet, rows: readonly CutRow[], found: FoundSheet): Claim {
  const counted = (list: readonly string[]) => {
    const by = new Map<string, number>();
    for (const key of list) by.set(key, (by.get(key) ?? 0) + 1);
    return by;
  };
  const as = (key: string) => found.alike.get(key) ?? key;
  const [meant, got] = [counted(sheet.parts.map((p) => as(p.row))), counted(found.parts.map((p) => as(p.row.key)))];
  const wrong = [...new Set([...meant.keys(), ...got.keys()])].find((k) => (meant.get(k) ?? 0) !== (got.get(k) ?? 0));
  const name = rows.find((r) => r.key === wrong)?.name ?? wrong;
  return same('Quantity of each part', 'as listed', wrong === undefined ? 'as listed' : `${name}: ${got.get(wrong) ?? 0} instead of ${meant.get(wrong) ?? 0}`);
}

/** Parts that were found turned over: none, or no more than the plan has. */
function mirrorClaim(sheet: NestedSheet, choice: NestChoice, found: FoundSheet): Claim {
  const count = found.parts.filter((p) => p.mirrored).length;
  if (!choice.mirror) return same('Mirrored parts', 0, count);
  const planned = sheet.parts.filter((p) => p.mirrored).length;
  return same('Mirrored parts', 'as planned', count <= planned ? 'as planned' : `${count} found`);
}

/** A figure that must not be under a limit. */
function atLeast(quantity: string, limit: number, received: number, tolerance: number): Claim {
  return {
    quantity,
    unit: 'mm',
    designed: limit,
    received: Number(Math.min(received, 1e4).toFixed(6)),
    difference: null,
    tolerance: null,
    verdict: received >= limit - tolerance ? 'clear' : 'stop',
  };
}

function insideClaim(sheet: NestedSheet, found: FoundSheet, choice: NestChoice): Claim {
  const rim = choice.saw ? choice.saw.trim : choice.rim;
  const edge = found.edge;
  if (!edge) return same('Parts off the sheet', 0, 'the sheet has no edge in the file');
  const ring = flattened(edge.segments, fine);
  const flat = ring.flat();
  const off = found.parts.filter((p) =>
    p.points.some(([x, y]) => {
      if (!sheet.outline) return x < rim - place || y < rim - place || x > sheet.width - rim + place || y > sheet.height - rim + place;
      if (!pointInside(flat, x, y)) return true;
      for (let k = 1; k < ring.length; k++) if (toChord(x, y, ring[k - 1], ring[k]) < Math.max(0, rim - place) ** 2) return true;
      return false;
    }),
  );
  return same('Parts off the sheet or in its rim', 0, off.length);
}

/** What lies in something is cut before it, at any depth. What lies in what is asked by chords here, by the machine from its own nesting. */
function orderClaim({ meant, order }: ReceivedDrawing): Claim {
  const step = new Map(order.map((s, i) => [s.number, i]));
  const through = meant.filter((m) => m.contour.closed && cutThrough.has(m.meaning));
  const rings = through.map((m) => flattened(m.contour.segments, fine));
  const boxes = new Flatbush(Math.max(1, rings.length));
  if (rings.length === 0) boxes.add(0, 0, 0, 0);
  for (const m of through) boxes.add(...boxOfContour(m.contour));
  boxes.finish();
  let late = 0;
  through.forEach((m, i) => {
    const [x, y] = rings[i][0];
    const around = boxes.search(x, y, x, y).filter((k) => k !== i && pointInside(rings[k].flat(), x, y));
    if (around.some((k) => (step.get(m.number) ?? Infinity) > (step.get(through[k].number) ?? -1))) late++;
  });
  return same('Openings cut after their outline', 0, late);
}

/** Where cuts are shared: what lies in a piece is cut before the last of the lines that free it, and pieces in an opening before the opening. */
function looseClaim({ meant, order }: ReceivedDrawing, { parted, numbers }: Fallen): Claim {
  const step = new Map(order.map((s, i) => [s.number, i]));
  const own = new Set(numbers);
  const openings = meant.filter((m) => m.contour.closed && cutThrough.has(m.meaning) && !own.has(m.number));
  const rings = [
    ...parted.faces.map((f) => ({
      ring: flattened(f.contour.segments, fine),
      last: Math.max(...f.by.map((k) => step.get(numbers[k]) ?? Infinity)),
      face: true,
    })),
    ...openings.map((m) => ({ ring: flattened(m.contour.segments, fine), last: step.get(m.number) ?? Infinity, face: false })),
  ].map((r) => ({ ...r, flat: r.ring.flat() }));
  const boxes = new Flatbush(Math.max(1, rings.length));
  if (rings.length === 0) boxes.add(0, 0, 0, 0);
  for (const { ring } of rings) {
    const [xs, ys] = [ring.map((p) => p[0]), ring.map((p) => p[1])];
    boxes.add(Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys));
  }
  boxes.finish();
  const late = rings.filter(({ ring: [[x, y]], last, face }) =>
    boxes.search(x, y, x, y).some((k) => rings[k].face !== face && pointInside(rings[k].flat, x, y) && last > rings[k].last),
  );
  return same('Openings cut after their outline', 0, late.length);
}

/** Tabs are gaps in the outlines of small parts: as many as there are to be, none narrower than a tab and a cut. */
function tabClaims(sheet: NestedSheet, rows: readonly CutRow[], choice: NestChoice, { gaps, loose }: Bridged): Claim[] {
  const by = new Map(rows.map((r) => [r.key, r]));
  const own = sheet.parts.map((p) => by.get(p.row)!).filter((r) => keepsTabs(r, choice));
  const meant = own.reduce((sum, row) => sum + tabsOf(row, choice), 0);
  const least = choice.tabs!.width + choice.kerf;
  return [
    same('Tabs on small parts', meant, gaps.length - loose),
    ...(gaps.length > 0 ? [atLeast('Narrowest tab and its cut', least, Math.min(...gaps.map((g) => g * (1 + 1e-9))), Math.max(1e-3, 0.02 * least))] : []),
  ];
}

/** Parts that lie across the grain in every turn under which they look as they were found; a disc has no turn. */
function acrossGrain(found: FoundSheet, choice: NestChoice): number {
  return found.parts.filter(({ row, turns, round }) => {
    if (row.grain === 'none' || round) return false;
    const allowed = turnsFor(row.grain, choice.grain, choice.turns);
    return !turns.some((t) => allowed.some((a) => Math.abs(Math.sin(((a - t) * Math.PI) / 180)) < 1e-4));
  }).length;
}

/** The saw's cuts, read from the file in their order, part the sheet into exactly the listed parts: each goes across one piece from edge to edge. */
function replayClaim(sheet: NestedSheet, drawing: Drawing, found: FoundSheet, choice: NestChoice): Claim {
  const cuts = drawing.layers.filter((l) => /^SAW_\d+$/i.test(l.name)).sort((a, b) => Number(a.name.slice(4)) - Number(b.name.slice(4)));
  const pieces: [number, number, number, number][] = [[0, 0, sheet.width, sheet.height]];
  const { kerf } = choice;
  const trim = choice.saw!.trim;
  for (const [i, layer] of cuts.entries()) {
    const box = layer.contours.map(boxOfContour).reduce((a, b) => [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[2], b[2]), Math.max(a[3], b[3])]);
    const along = box[3] - box[1] < box[2] - box[0] ? 'x' : 'y';
    const at = along === 'x' ? box[1] : box[0];
    const k = pieces.findIndex((p) =>
      along === 'x'
        ? at > p[1] + place && at < p[3] - place && near(box[0], p[0]) && near(box[2], p[2])
        : at > p[0] + place && at < p[2] - place && near(box[1], p[1]) && near(box[3], p[3]),
    );
    if (k < 0) return same('Saw cuts replayed', 'exactly the listed parts', `cut ${i + 1} does not go from edge to edge`);
    const [l, b, r, t] = pieces[k];
    // The four trims take their strip off on their own side; what they leave begins at the trim.
    const trimming = trim > 0 && i < 4;
    const low: (typeof pieces)[number] = along === 'x' ? [l, b, r, at] : [l, b, at, t];
    const high: (typeof pieces)[number] = along === 'x' ? [l, at + (trimming ? 0 : kerf), r, t] : [at + (trimming ? 0 : kerf), b, r, t];
    pieces.splice(k, 1, ...[low, high].filter((p) => p[2] - p[0] > place && p[3] - p[1] > place));
  }
  const left = [...pieces];
  for (const part of found.parts) {
    const k = left.findIndex((p) => p.every((v, i) => Math.abs(v - part.box[i]) < place * 2));
    if (k < 0) return same('Saw cuts replayed', 'exactly the listed parts', `no piece for ${part.row.name}`);
    left.splice(k, 1);
  }
  return same('Saw cuts replayed', 'exactly the listed parts', 'exactly the listed parts');
}
const near = (a: number, b: number): boolean => Math.abs(a - b) < place;

/** Over all sheets: what is listed, what lies on sheets and what was found there are the same number and area. */
export function runEvidence({ rows, choice }: Pick<NestedOf, 'rows' | 'choice'>, found: readonly FoundSheet[], notPlaced: Nest['notPlaced']): Evidence {
  const panels = rows.filter((r) => r.kind === 'panel');
  const missing = (k: string) => notPlaced.filter((n) => n.row === k).reduce((n, p) => n + p.copies, 0);
  const as = (key: string) => found[0]?.alike.get(key) ?? key;
  const [meant, got] = [new Map<string, number>(), new Map<string, number>()];
  const add = (to: Map<string, number>, key: string, n: number) => to.set(as(key), (to.get(as(key)) ?? 0) + n);
  for (const f of found) for (const p of f.parts) add(got, p.row.key, 1);
  for (const r of panels) add(meant, r.key, r.quantity - missing(r.key));
  const wrong = panels.find((r) => (got.get(as(r.key)) ?? 0) !== meant.get(as(r.key)));
  const meantArea = panels.reduce((sum, r) => sum + outlineArea(r) * (r.quantity - missing(r.key)), 0);
  const gotArea = found.reduce((sum, f) => sum + f.parts.reduce((s, p) => s + middleOf(p.points).area, 0), 0);
  const left = notPlaced.reduce((n, p) => n + p.copies, 0);
  // Curves moved by half a cut and back become arcs.
  const around =
    choice.shared || choice.tabs
      ? panels.reduce((sum, r) => sum + cutContours(r).reduce((n, c) => n + lengthOfContour(c), 0) * (r.quantity - missing(r.key)), 0)
      : 0;
  const claims = [
    same(
      'Every listed part on a sheet',
      'once each',
      wrong ? `${wrong.name}: ${got.get(as(wrong.key)) ?? 0} instead of ${meant.get(as(wrong.key))}` : 'once each',
    ),
    within('Area of all outlines', 'mm2', [meantArea, gotArea], Math.max(1, meantArea * areaShare, 2 * offsetDeviation * around)),
    same('Parts without a place', 0, left),
  ];
  return evidenceOf(claims, []);
}

/** Area within the outer contours of a row, openings not taken off. */
function outlineArea(row: CutRow): number {
  const cut = row.layers.filter((l) => l.meaning === 'cut').flatMap((l) => l.contours);
  return nest({ layers: [{ name: 'x', colour: null, lineType: 'CONTINUOUS', contours: cut }], texts: [], points: [] })
    .filter((n) => n.depth === 0)
    .reduce((sum, n) => sum + n.area, 0);
}
