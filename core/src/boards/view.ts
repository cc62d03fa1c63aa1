import type { CrossSection } from 'manifold-3d';
import type { Finding, Severity } from '../base/finding.ts';
import type { Box2 } from '../curves/measure.ts';
import { areaOfContour, boxOfContour } from '../curves/drawing.ts';
import type { Engine } from '../engine/engine.ts';
import { Images } from '../formats/gerber/image.ts';
import type { Track } from '../formats/gerber/write.ts';
import type { Claim, Evidence } from '../prove/evidence.ts';
import { outlineFigures, toolsOf, drilledOf, type ReceivedBoard, type ReceivedLayer } from '../formats/gerber/pack.ts';
import { fineFor } from './prove.ts';
import { websOf, type Web } from './webs.ts';

/** What one side shows, as paths of an SVG filled even-odd; in mm, Y up, seen from the top. */
export interface SideView {
  copper: string;
  /** Where the mask is. */
  mask: string;
  legend: string;
}

/** A board as a page shows it: what a shop reads from its files. Lengths in mm. */
export interface BoardView {
  box: Box2;
  /** The board with its cut-outs, and what is drilled out of it. */
  board: string;
  drilled: string;
  plated: string;
  scores: string;
  top: SideView;
  bottom: SideView;
  /** Middles of webs that are thinner than the shop leaves, with their width. */
  thin: Web[];
  figures: BoardFigures;
  verdict: Severity;
  reason: string | null;
  claims: Claim[];
  findings: Finding[];
}

export interface BoardFigures {
  size: [number, number];
  thickness: number | null;
  mask: string | null;
  outline: { length: number; area: number };
  holes: { diameter: number; plated: boolean | null; count: number }[];
  slots: { width: number; plated: boolean | null; count: number }[];
  cutOuts: number;
  /** mm2, null without that layer. */
  copper: { top: number | null; bottom: number | null };
  leastWeb: number | null;
}

/** Pictures need no finer arcs, mm. */
const pictureFine = (things: number): number => (things <= 3000 ? 0.01 : 0.05);
const n3 = (v: number) => String(Number(v.toFixed(3)));
const pathOf = (c: CrossSection): string => c.toPolygons().map((p) => `M${p.map(([x, y]) => `${n3(x)} ${n3(y)}`).join('L')}Z`).join(''); // prettier-ignore

/** A path of an area, which is then deleted. */
const drawn = (c: CrossSection): string => {
  const path = pathOf(c);
  c.delete();
  return path;
};

function counted(list: readonly { size: number; plated: boolean | null }[]): { size: number; plated: boolean | null; count: number }[] {
  const by = new Map<string, { size: number; plated: boolean | null; count: number }>();
  for (const { size, plated } of list) {
    const key = `${size.toFixed(4)} ${plated}`;
    const known = by.get(key) ?? { size: Number(size.toFixed(6)), plated, count: 0 };
    known.count++;
    by.set(key, known);
  }
  return [...by.values()].sort((a, b) => a.size - b.size);
}

/** Figures of what a shop read. */
export function figuresOf(engine: Engine, received: ReceivedBoard): BoardFigures {
  const boxes = received.edges.map(boxOfContour);
  const box: Box2 = boxes.reduce((b, c) => [Math.min(b[0], c[0]), Math.min(b[1], c[1]), Math.max(b[2], c[2]), Math.max(b[3], c[3])], [Infinity, Infinity, -Infinity, -Infinity] as Box2); // prettier-ignore
  const drilled = drilledOf(received);
  const images = new Images(engine, fineFor(drilled.holes.length));
  const copper = (side: 'top' | 'bottom'): number | null => {
    const layer = received.layers.find((l) => l.kind === 'copper' && l.side === side);
    if (!layer) return null;
    const area = images.layer(layer.gerber.objects);
    const value = area.area();
    area.delete();
    return value;
  };
  const tracks = (list: ReceivedBoard['edges']) => list.map((c) => c.segments as Track[]);
  return {
    size: boxes.length === 0 ? [0, 0] : [box[2] - box[0], box[3] - box[1]],
    thickness: received.thickness,
    mask: received.mask,
    outline: outlineFigures(received),
    holes: counted(drilled.holes.map((h) => ({ size: h.diameter, plated: h.plated }))).map(({ size, plated, count }) => ({ diameter: size, plated, count })),
    slots: counted(drilled.slots.map((s) => ({ size: s.width, plated: s.plated }))).map(({ size, plated, count }) => ({ width: size, plated, count })),
    cutOuts: received.cutOuts.length,
    copper: { top: copper('top'), bottom: copper('bottom') },
    leastWeb: websOf({ edges: tracks(received.edges), cutOuts: tracks(received.cutOuts), ...drilled }, 0).least,
  };
}

/** The board as a shop reads it, with pictures of both sides. @param thin places that are marked @example boardView(engine, receiveBoard(zip), evidence).top.copper */
export function boardView(engine: Engine, received: ReceivedBoard, evidence: Evidence, thin: readonly Web[] = []): BoardView {
  const { holes } = drilledOf(received);
  const images = new Images(engine, pictureFine(holes.length));
  const tracks = (list: ReceivedBoard['edges']) => list.map((c) => c.segments as Track[]);
  const outline = images.inside(tracks([...received.edges, ...received.cutOuts]));
  const figures = figuresOf(engine, received);
  const boxes = received.edges.filter((c) => areaOfContour(c) !== 0).map(boxOfContour);
  const box: Box2 = boxes.length === 0 ? [0, 0, 1, 1] : boxes.reduce((b, c) => [Math.min(b[0], c[0]), Math.min(b[1], c[1]), Math.max(b[2], c[2]), Math.max(b[3], c[3])]); // prettier-ignore
  const side = (of: 'top' | 'bottom'): SideView => {
    const layer = (kind: ReceivedLayer['kind']) => received.layers.find((l) => l.kind === kind && l.side === of);
    const within = (kind: ReceivedLayer['kind']): string => {
      const found = layer(kind);
      if (!found) return '';
      const image = images.layer(found.gerber.objects);
      // What lies beyond the board is on no board.
      const cut = found.negative ? outline.subtract(image) : outline.intersect(image);
      image.delete();
      return drawn(cut);
    };
    return { copper: within('copper'), mask: within('mask'), legend: within('legend') };
  };
  const each = received.drills.map((d) => ({ plated: d.plated, tools: d.drill.tools }));
  const score = received.layers.find((l) => l.kind === 'score');
  const view: BoardView = {
    box,
    board: pathOf(outline),
    drilled: drawn(images.drilled(toolsOf(received))),
    plated: drawn(images.drilled(each.filter((d) => d.plated).flatMap((d) => d.tools))),
    scores: score ? drawn(images.layer(score.gerber.objects)) : '',
    top: side('top'),
    bottom: side('bottom'),
    thin: [...thin],
    figures,
    verdict: evidence.verdict,
    reason: evidence.reason ?? null,
    claims: evidence.claims,
    findings: evidence.findings,
  };
  outline.delete();
  return view;
}
