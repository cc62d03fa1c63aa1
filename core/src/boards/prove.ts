import type { CrossSection } from 'manifold-3d';
import type { Finding } from '../base/finding.ts';
import { drawingDistance } from '../curves/compare.ts';
import { areaOfContour, contourOf, lengthOfContour, type Contour, type Drawing } from '../curves/drawing.ts';
import { distance, endOf, type P2 } from '../curves/segment.ts';
import type { Engine } from '../engine/engine.ts';
import { Images, ringOfTracks } from '../formats/gerber/image.ts';
import type { GerberObject } from '../formats/gerber/objects.ts';
import { atMost, evidenceOf, same, within, type Claim, type Evidence } from '../prove/evidence.ts';
import type { Board, Chain } from './board.ts';
import type { BoardChoice } from './choice.ts';
import { hasCopper, hasLegend, layersOf, orderChain, poured } from './layers.ts';
import { drilledOf, outlineFigures, type ReceivedBoard, type ReceivedLayer } from '../formats/gerber/pack.ts';
import { websOf } from './webs.ts';

/** Areas of layers may differ by this share: both sides are polygons within a ten-thousandth of a millimetre of their arcs, made apart. */
const areaShare = 2e-5;
/** How far the outline may come back from the design, mm. */
export const outlineSlack = 1e-5;
/** How far corners of polygons may lie from their arcs, mm: coarser for very many, whose areas are right by how the corners are set. */
export const fineFor = (things: number): number => (things <= 2000 ? 1e-4 : things <= 20_000 ? 1e-3 : 5e-3);
/** Chords of a quarter of a round, so that offsets are as good as arcs. */
const rounds = 4096;

const chained = (chains: readonly Chain[]): Contour[] => chains.map((c) => contourOf([...c], true));
const drawingOf = (contours: Contour[]): Drawing => ({ layers: [{ name: '', colour: null, lineType: 'CONTINUOUS', contours }], texts: [], points: [] });

/** Holes counted by diameter and plating: "12 x 3.2 bare; 4 x 0.8 plated". */
function counted(list: readonly { diameter: number; plated: boolean | null }[]): string {
  const by = new Map<string, number>();
  for (const { diameter, plated } of list) {
    const key = `${Number(diameter.toFixed(4))} ${plated === null ? 'not said' : plated ? 'plated' : 'bare'}`;
    by.set(key, (by.get(key) ?? 0) + 1);
  }
  const sorted = [...by].sort(([a], [b]) => parseFloat(a) - parseFloat(b) || (a < b ? -1 : 1));
  return sorted.length === 0 ? 'none' : sorted.map(([key, n]) => `${n} x ${key}`).join('; ');
}

/** The largest distance from a place to the nearest of others, both ways; Infinity when their numbers differ. By cells, so that a hundred thousand holes are no matter. */
export function placesApart(a: readonly P2[], b: readonly P2[]): number {
  if (a.length !== b.length) return Infinity;
  const sorted = (list: readonly P2[]) => [...list].sort((p, q) => p[0] - q[0] || p[1] - q[1]);
  const one = (from: P2[], to: P2[]): number => {
    let worst = 0;
    for (const p of from) {
      let low = 0;
      let high = to.length;
      while (low < high) {
        const m = (low + high) >> 1;
        if (to[m][0] < p[0]) low = m + 1;
        else high = m;
      }
      let best = Infinity;
      for (let i = low; i < to.length && to[i][0] - p[0] < best; i++) best = Math.min(best, distance(p, to[i]));
      for (let i = low - 1; i >= 0 && p[0] - to[i][0] < best; i--) best = Math.min(best, distance(p, to[i]));
      worst = Math.max(worst, best);
    }
    return worst;
  };
  const [p, q] = [sorted(a), sorted(b)];
  return Math.max(one(p, q), one(q, p));
}

/** Areas of a board as it was designed, by offsets of its contours, never by what a file draws. The caller deletes what it gets. */
class Designed {
  private readonly engine: Engine;
  private readonly board: Board;
  private readonly choice: BoardChoice;
  private readonly fine: number;
  constructor(engine: Engine, board: Board, choice: BoardChoice) {
    this.fine = fineFor(board.holes.length + board.slots.length);
    this.engine = engine;
    this.board = board;
    this.choice = choice;
  }

  private inside(chains: readonly Chain[]): CrossSection {
    if (chains.length === 0) return this.engine.CrossSection.union([]);
    return this.engine.CrossSection.ofPolygons(chains.map((c) => ringOfTracks(c, this.fine)).filter((r) => r.length > 2), 'EvenOdd'); // prettier-ignore
  }
  /** Discs of holes and slots, `by` larger all round. */
  private discs(plated: boolean | null, by: number): CrossSection {
    const { holes, slots } = this.board;
    const wanted = <T extends { plated: boolean }>(list: readonly T[]) => list.filter((h) => plated === null || h.plated === plated);
    const rings = wanted(holes).map(({ at, diameter }) => ringOfTracks([{ kind: 'arc', centre: at, radius: diameter / 2 + by, start: 0, sweep: 2 * Math.PI }], this.fine)); // prettier-ignore
    // All go round the same way: what is gone round at all is a hole.
    const discs = rings.length > 0 ? [this.engine.CrossSection.ofPolygons(rings, 'NonZero')] : [];
    const paths = wanted(slots).map(({ path, width }) => {
      // What a bit covers along a path: its discs at all corners, and the strips between them.
      const points = [...ringOfTracks(path, this.fine), endOf(path[path.length - 1])];
      return this.united([...points.map((p) => this.disc(p, width / 2 + by)), ...points.slice(1).map((q, i) => this.strip(points[i], q, width / 2 + by))]);
    });
    return this.united([...discs, ...paths]);
  }
  private disc(at: P2, radius: number): CrossSection {
    return this.inside([[{ kind: 'arc', centre: at, radius, start: 0, sweep: 2 * Math.PI }]]);
  }
  private strip([ax, ay]: P2, [bx, by]: P2, half: number): CrossSection {
    const long = Math.hypot(bx - ax, by - ay);
    if (long === 0) return this.engine.CrossSection.union([]);
    const [nx, ny] = [(-(by - ay) / long) * half, ((bx - ax) / long) * half];
    return this.engine.CrossSection.ofPolygons([[[ax - nx, ay - ny], [bx - nx, by - ny], [bx + nx, by + ny], [ax + nx, ay + ny]]], 'EvenOdd'); // prettier-ignore
  }
  private united(list: CrossSection[]): CrossSection {
    return this.kept(list, (all) => this.engine.CrossSection.union(all));
  }
  private kept(list: CrossSection[], work: (list: CrossSection[]) => CrossSection): CrossSection {
    try {
      return work(list);
    } finally {
      for (const c of list) c.delete();
    }
  }
  private less(from: CrossSection, what: CrossSection): CrossSection {
    return this.kept([from, what], ([a, b]) => a.subtract(b));
  }
  private plus(one: CrossSection, other: CrossSection): CrossSection {
    return this.kept([one, other], ([a, b]) => a.add(b));
  }

  copper(side: 'top' | 'bottom'): CrossSection {
    const { board, choice } = this;
    let area = this.engine.CrossSection.union([]);
    if (poured(choice, side)) {
      // The board less its cut-outs, smaller by the clearance all round.
      area = this.kept([this.less(this.inside(board.edges), this.inside(board.cutOuts))], ([a]) => a.offset(-choice.clearance, 'Round', 2, rounds));
      area = this.less(area, this.discs(false, choice.clearance));
      area = this.less(area, this.inside(board.keepOuts));
      area = this.less(area, this.fiducials('opening'));
    }
    if (board[side].copper.length > 0) {
      // Openings of drawn copper go through what is poured too.
      const whole = this.kept(board[side].copper.map((c) => this.inside([c])), (l) => this.engine.CrossSection.union(l)); // prettier-ignore
      area = this.plus(this.less(area, whole), this.inside(board[side].copper));
    }
    return this.plus(this.plus(area, this.discs(true, choice.ring)), this.fiducials('diameter'));
  }
  private fiducials(of: 'diameter' | 'opening'): CrossSection {
    return this.united(this.board.fiducials.map((f) => this.inside([[{ kind: 'arc', centre: f.at, radius: f[of] / 2, start: 0, sweep: 2 * Math.PI }]])));
  }
  mask(side: 'top' | 'bottom'): CrossSection {
    const { board, choice } = this;
    const holes = this.plus(this.discs(false, choice.maskGrow), this.discs(true, choice.maskGrow + choice.ring));
    return this.plus(this.plus(this.inside(board[side].mask), holes), this.fiducials('opening'));
  }
  legendFilled(side: 'top' | 'bottom'): CrossSection {
    const spot = this.choice.orderSpot?.side === side ? this.inside([orderChain(this.choice)]) : this.engine.CrossSection.union([]);
    return this.plus(this.inside(this.board[side].legendFilled), spot);
  }
}

/** What lies nearer to where it should be than this is there, mm. */
const place = 2e-3;
/** So much may lie elsewhere, mm2: corners of polygons. */
const elsewhere = 1e-3;

/** An image as it was designed and as it came back: as large, and in the same place. Both are deleted. */
function imageClaims(what: string, designed: CrossSection, received: CrossSection): Claim[] {
  const [a, b] = [designed.area(), received.area()];
  // What of each lies beyond the other, made larger by a hair: two images of one area in two places are not one.
  const beyond = (one: CrossSection, other: CrossSection): number => {
    const wider = other.offset(place, 'Miter', 2);
    const left = one.subtract(wider);
    const area = left.area();
    wider.delete();
    left.delete();
    return area;
  };
  const off = beyond(designed, received) + beyond(received, designed);
  designed.delete();
  received.delete();
  return [within(what, 'mm2', [a, b], Math.max(1e-4, a * areaShare)), atMost(`${what}, out of place`, 'mm2', elsewhere, off)];
}

/**
 * Holds what a board shop reads from the files against the board that was designed.
 * @param findings of the design, told with it
 * @example proveBoard({ engine, board, choice }, receiveBoard(zip), []).verdict
 */
export function proveBoard(of: { engine: Engine; board: Board; choice: BoardChoice }, received: ReceivedBoard, findings: readonly Finding[]): Evidence {
  const { board, choice } = of;
  const designed = chained([...board.edges, ...board.cutOuts]);
  const figures = outlineFigures(received);
  const length = designed.reduce((sum, c) => sum + lengthOfContour(c), 0);
  const area = chained(board.edges).reduce((n, c) => n + Math.abs(areaOfContour(c)), 0) - chained(board.cutOuts).reduce((n, c) => n + Math.abs(areaOfContour(c)), 0); // prettier-ignore
  const drilled = drilledOf(received);
  const apart = received.outline.length === 0 ? Infinity : drawingDistance(drawingOf(designed), drawingOf(received.outline), 1e-6);
  const slots = (list: readonly { width: number; plated: boolean | null }[]) => counted(list.map(({ width, plated }) => ({ diameter: width, plated })));
  const claims: Claim[] = [
    same('Layers', layersOf(board, choice).map((l) => `${l.function}${l.polarity === 'Negative' ? ' negative' : ''}`).sort().join('; '), saidBy(received)), // prettier-ignore
    same('Unit', 'mm', unitsOf(received)),
    same('Edges and cut-outs', `${board.edges.length}, ${board.cutOuts.length}`, `${received.edges.length}, ${received.cutOuts.length}`),
    within('Length of the outline', 'mm', [length, figures.length], Math.max(1e-4, length * 1e-8)),
    within('Area of the board', 'mm2', [area, figures.area], Math.max(1e-3, area * 1e-8)),
    within('Outline to the design', 'mm', [0, apart], outlineSlack),
    same('Holes', counted(board.holes), counted(drilled.holes)),
    within('Places of holes', 'mm', [0, holesApart(board.holes, drilled.holes)], 1e-6),
    same('Slots', slots(board.slots), slots(drilled.slots)),
    ...slotClaims(board, drilled.slots),
    ...layerClaims(of, received),
    webClaim(board, received),
  ];
  return evidenceOf(claims, [...findings, ...received.findings]);
}

const saidBy = ({ layers, drills }: ReceivedBoard): string =>
  [...layers.map((l) => `${l.function}${l.negative ? ' negative' : ''}`), ...drills.map((d) => d.drill.attributes.get('.FileFunction')?.join(',') ?? 'drill')]
    .sort()
    .join('; ');
const unitsOf = ({ layers, drills }: ReceivedBoard): string => [...new Set([...layers.map((l) => l.unit), ...drills.map((d) => d.drill.unit ?? 'none')])].join(', '); // prettier-ignore

/** Things by their diameter and plating: one in the place of another is not in its place. */
function byKind<T extends { plated: boolean | null }>(list: readonly T[], size: (t: T) => number): Map<string, T[]> {
  const by = new Map<string, T[]>();
  for (const t of list) {
    const key = `${size(t).toFixed(4)} ${t.plated}`;
    const known = by.get(key);
    if (known) known.push(t);
    else by.set(key, [t]);
  }
  return by;
}

type Holes = readonly { at: P2; diameter: number; plated: boolean | null }[];

function holesApart(designed: Holes, received: Holes): number {
  const [a, b] = [designed, received].map((list) => byKind(list, (h) => h.diameter));
  const places = (list: Holes | undefined) => (list ?? []).map((h) => h.at);
  return Math.max(0, ...[...new Set([...a.keys(), ...b.keys()])].map((key) => placesApart(places(a.get(key)), places(b.get(key)))));
}

type Paths = readonly { path: Chain; width: number; plated: boolean | null }[];

function slotClaims(board: Board, received: Paths): Claim[] {
  if (board.slots.length === 0) return [];
  const [a, b] = [board.slots, received].map((list: Paths) => byKind(list, (s) => s.width));
  const paths = (list: Paths) => drawingOf(list.map((s) => contourOf([...s.path], false)));
  const apart = [...new Set([...a.keys(), ...b.keys()])].map((key) => {
    const [p, q] = [a.get(key) ?? [], b.get(key) ?? []];
    return p.length === 0 || q.length === 0 ? Infinity : drawingDistance(paths(p), paths(q), 1e-6);
  });
  return [within('Paths of slots', 'mm', [0, Math.max(...apart)], 2e-6)];
}

function layerClaims({ engine, board, choice }: { engine: Engine; board: Board; choice: BoardChoice }, { layers }: ReceivedBoard): Claim[] {
  const images = new Images(engine, fineFor(board.holes.length + board.slots.length));
  const own = new Designed(engine, board, choice);
  const out: Claim[] = [];
  const objects = (kind: ReceivedLayer['kind'], side: 'top' | 'bottom') => layers.find((l) => l.kind === kind && l.side === side)?.gerber.objects ?? [];
  for (const side of ['top', 'bottom'] as const) {
    if (hasCopper(board, choice, side)) out.push(...imageClaims(`Copper, ${side}`, own.copper(side), images.layer(objects('copper', side))));
    if (choice.mask !== 'none') out.push(...imageClaims(`Openings of the mask, ${side}`, own.mask(side), images.layer(objects('mask', side))));
    if (!hasLegend(board, choice, side)) continue;
    const legend = objects('legend', side);
    out.push(...imageClaims(`Filled legend, ${side}`, own.legendFilled(side), images.layer(legend.filter((o) => o.kind !== 'stroke'))));
    out.push(...lineClaims(side, board[side].legendLines, legend, choice.legendWidth));
  }
  if (board.scores.length > 0) {
    const lines = layers.find((l) => l.kind === 'score')?.gerber.objects ?? [];
    out.push(within('Lines to break at', 'mm', [0, linesApart(board.scores, lines)], 2e-6));
  }
  return out;
}

const tracksIn = (objects: readonly GerberObject[]): Chain[] => objects.flatMap((o) => (o.kind === 'stroke' ? [[o.track]] : []));
const lines = (chains: readonly Chain[]): Drawing => drawingOf(chains.map((c) => contourOf([...c], false)));

/** The largest distance between lines as designed and as drawn, both ways; Infinity when only one side has any. */
function linesApart(designed: readonly Chain[], objects: readonly GerberObject[]): number {
  const drawn = tracksIn(objects);
  if (designed.length === 0 && drawn.length === 0) return 0;
  return designed.length === 0 || drawn.length === 0 ? Infinity : drawingDistance(lines(designed), lines(drawn), 1e-6);
}

/** Lines of a legend: as long, in the same place, drawn by the same pen. */
function lineClaims(side: 'top' | 'bottom', designed: readonly Chain[], objects: readonly GerberObject[], width: number): Claim[] {
  const long = (chains: readonly Chain[]) => chains.reduce((sum, c) => sum + lengthOfContour(contourOf([...c], false)), 0);
  const pens = new Set(objects.flatMap((o) => (o.kind === 'stroke' ? [`${Number((o.aperture.diameter ?? 0).toFixed(6))} mm`] : [])));
  return [
    within(`Lines of the legend, ${side}`, 'mm', [long(designed), long(tracksIn(objects))], Math.max(1e-3, long(designed) * 1e-6)),
    within(`Lines of the legend, ${side}, to the design`, 'mm', [0, linesApart(designed, objects)], outlineSlack),
    ...(designed.length > 0 ? [same(`Pen of the legend, ${side}`, `${Number(width.toFixed(6))} mm`, [...pens].join(', ') || 'none')] : []),
  ];
}

function webClaim(board: Board, received: ReceivedBoard): Claim {
  const drilled = drilledOf(received);
  const tracks = (list: readonly Contour[]) => list.map((c) => c.segments as Chain[number][]);
  const [a, b] = [websOf(board, 0).least, websOf({ edges: tracks(received.edges), cutOuts: tracks(received.cutOuts), ...drilled }, 0).least];
  return a === null || b === null
    ? same('Least web', a === null ? 'over 10 mm' : 'a web', b === null ? 'over 10 mm' : 'a web')
    : within('Least web', 'mm', [a, b], 1e-3);
}
