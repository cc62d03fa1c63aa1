import type { CrossSection } from 'manifold-3d';
import type { Finding } from '../base/finding.ts';
import { drawingDistance } from '../curves/compare.ts';
import { areaOfContour, contourOf, lengthOfContour, type Contour, type Drawing } from '../curves/drawing.ts';
import { distance, type P2 } from '../curves/segment.ts';
import type { Engine } from '../engine/engine.ts';
import { Images, ringOfTracks } from '../formats/gerber/image.ts';
import { evidenceOf, same, within, type Claim, type Evidence } from '../prove/evidence.ts';
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
      const points = [...ringOfTracks(path, this.fine), endOfChain(path)];
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

const endOfChain = (path: Chain): P2 => {
  const last = path[path.length - 1];
  return last.kind === 'line' ? last.b : [last.centre[0] + last.radius * Math.cos(last.start + last.sweep), last.centre[1] + last.radius * Math.sin(last.start + last.sweep)]; // prettier-ignore
};

/** An area, then away with it. */
const measured = (c: CrossSection): number => {
  const area = c.area();
  c.delete();
  return area;
};

const areaClaim = (what: string, designed: number, received: number): Claim => within(what, 'mm2', designed, received, Math.max(1e-4, designed * areaShare));

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
    same('Layers', layersOf(board, choice).map((l) => l.function).sort().join('; '), saidBy(received)), // prettier-ignore
    same('Unit', 'mm', unitsOf(received)),
    same('Edges and cut-outs', `${board.edges.length}, ${board.cutOuts.length}`, `${received.edges.length}, ${received.cutOuts.length}`),
    within('Length of the outline', 'mm', length, figures.length, Math.max(1e-4, length * 1e-8)),
    within('Area of the board', 'mm2', area, figures.area, Math.max(1e-3, area * 1e-8)),
    within('Outline to the design', 'mm', 0, apart, outlineSlack),
    same('Holes', counted(board.holes), counted(drilled.holes)),
    within('Places of holes', 'mm', 0, placesApart(board.holes.map((h) => h.at), drilled.holes.map((h) => h.at)), 1e-6), // prettier-ignore
    same('Slots', slots(board.slots), slots(drilled.slots)),
    ...slotClaims(board, drilled.slots),
    ...layerClaims(of, received),
    webClaim(board, received),
  ];
  return evidenceOf(claims, [...findings, ...received.findings]);
}

const saidBy = ({ layers, drills }: ReceivedBoard): string =>
  [...layers.map((l) => l.function), ...drills.map((d) => d.drill.attributes.get('.FileFunction')?.join(',') ?? 'drill')].sort().join('; ');
const unitsOf = ({ layers, drills }: ReceivedBoard): string => [...new Set([...layers.map((l) => l.unit), ...drills.map((d) => d.drill.unit ?? 'none')])].join(', '); // prettier-ignore

function slotClaims(board: Board, received: readonly { path: Chain }[]): Claim[] {
  if (board.slots.length === 0) return [];
  const paths = (list: readonly { path: Chain }[]) => drawingOf(list.map((s) => contourOf([...s.path], false)));
  return [within('Paths of slots', 'mm', 0, received.length === 0 ? Infinity : drawingDistance(paths(board.slots), paths(received), 1e-6), 2e-6)];
}

function layerClaims({ engine, board, choice }: { engine: Engine; board: Board; choice: BoardChoice }, { layers }: ReceivedBoard): Claim[] {
  const images = new Images(engine, fineFor(board.holes.length + board.slots.length));
  const own = new Designed(engine, board, choice);
  const out: Claim[] = [];
  const of = (kind: ReceivedLayer['kind'], side: 'top' | 'bottom') => layers.find((l) => l.kind === kind && l.side === side);
  const drawn = (layer: ReceivedLayer | undefined) => (layer ? measured(images.layer(layer.gerber.objects)) : 0);
  for (const side of ['top', 'bottom'] as const) {
    const words = side === 'top' ? 'top' : 'bottom';
    if (hasCopper(board, choice, side)) out.push(areaClaim(`Copper, ${words}`, measured(own.copper(side)), drawn(of('copper', side))));
    if (choice.mask !== 'none') out.push(areaClaim(`Openings of the mask, ${words}`, measured(own.mask(side)), drawn(of('mask', side))));
    if (hasLegend(board, choice, side)) out.push(...legendClaims(of('legend', side), own, board, side, images));
  }
  return out;
}

/** Filled letters by their area, lines by their length. */
// eslint-disable-next-line max-params
function legendClaims(layer: ReceivedLayer | undefined, own: Designed, board: Board, side: 'top' | 'bottom', images: Images): Claim[] {
  const objects = layer?.gerber.objects ?? [];
  const lines = objects.filter((o) => o.kind === 'stroke');
  const filled = objects.filter((o) => o.kind !== 'stroke');
  const length = (tracks: Chain) => lengthOfContour(contourOf([...tracks], false));
  const designed = board[side].legendLines.reduce((sum, c) => sum + length(c), 0);
  return [
    areaClaim(`Filled legend, ${side}`, measured(own.legendFilled(side)), measured(images.layer(filled))),
    within(`Lines of the legend, ${side}`, 'mm', designed, lines.reduce((sum, o) => sum + length([o.track]), 0), Math.max(1e-3, designed * 1e-6)),
  ]; // prettier-ignore
}

function webClaim(board: Board, received: ReceivedBoard): Claim {
  const drilled = drilledOf(received);
  const tracks = (list: readonly Contour[]) => list.map((c) => c.segments as Chain[number][]);
  const [a, b] = [websOf(board, 0).least, websOf({ edges: tracks(received.edges), cutOuts: tracks(received.cutOuts), ...drilled }, 0).least];
  return a === null || b === null
    ? same('Least web', a === null ? 'over 10 mm' : 'a web', b === null ? 'over 10 mm' : 'a web')
    : within('Least web', 'mm', a, b, 1e-3);
}
