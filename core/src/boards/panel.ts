import { Unusable } from '../base/finding.ts';
import { transformed } from '../curves/affine.ts';
import { areaOfContour, contourOf, lengthOfContour } from '../curves/drawing.ts';
import type { Box2 } from '../curves/measure.ts';
import { lengthOf } from '../curves/measure.ts';
import { directionAt, endOf, fromBulge, pieceOf, reversed, startOf, type P2 } from '../curves/segment.ts';
import type { Track } from '../formats/gerber/write.ts';
import type { Board, Chain, Side } from './board.ts';
import type { PanelChoice } from './choice.ts';

/** Small holes along a tab, to break it at. Common practice, no source. mm */
const bite = { diameter: 0.5, step: 0.8 };
/** Marks for the eyes of machines: copper, and what is kept bare around it. IPC-7351 (from memory): 1 mm in 2 mm. */
const fiducial = { diameter: 1, opening: 2 };
const toolingHole = 3;
/** A line shorter than this is none, mm. */
const shortest = 1e-6;
/** Frame left between the gaps of two boards, and least of all about them, mm. */
const bar = 3;
const rectangle = ([a, b, c, d]: Box2): Track[] => {
  const corners: P2[] = [[a, b], [c, b], [c, d], [a, d]]; // prettier-ignore
  return corners.map((p, i): Track => ({ kind: 'line', a: p, b: corners[(i + 1) % 4] }));
};

const movedChain = (chain: Chain, [x, y]: P2): Chain => chain.map((t) => transformed(t, [1, 0, 0, 1, x, y]) as Track);
const movedSide = (s: Side, by: P2): Side => ({
  copper: s.copper.map((c) => movedChain(c, by)),
  legendLines: s.legendLines.map((c) => movedChain(c, by)),
  legendFilled: s.legendFilled.map((c) => movedChain(c, by)),
  mask: s.mask.map((c) => movedChain(c, by)),
});
const joined = (a: Side, b: Side): Side => ({
  copper: [...a.copper, ...b.copper],
  legendLines: [...a.legendLines, ...b.legendLines],
  legendFilled: [...a.legendFilled, ...b.legendFilled],
  mask: [...a.mask, ...b.mask],
});

/**
 * Several of a board as one: scored (boards edge to edge, lines to break at) or held by tabs (a routed gap around each, with a bar of the frame between two, and
 * rows of small holes where it is not routed); rails above and below with fiducials and holes for pins.
 * @throws Unusable when the board is not rectangular and is to be scored, has several edges, or no side has room for a tab
 */
export function panelOf(board: Board, choice: PanelChoice): Board {
  if (board.edges.length !== 1)
    throw new Unusable('two-boards', `The drawing holds ${board.edges.length} boards; a panel is made of one.`, 'Split the drawing first.');
  const [a, b, c, d] = board.box;
  const scored = choice.join === 'scored';
  if (scored && !isBox(board))
    throw new Unusable('not-rectangular', 'Only rectangular boards can be scored: lines to break at run straight through.', 'Hold them by tabs.');
  const between = scored ? 0 : 2 * choice.gap + bar;
  const [w, h] = [c - a, d - b];
  const out: Board = {
    ...board,
    edges: [],
    cutOuts: [],
    holes: [],
    slots: [],
    keepOuts: [],
    top: { copper: [], legendLines: [], legendFilled: [], mask: [] },
    bottom: { copper: [], legendLines: [], legendFilled: [], mask: [] },
    scores: [],
    fiducials: [],
  };
  for (let i = 0; i < choice.columns; i++)
    for (let j = 0; j < choice.rows; j++) {
      const by: P2 = [i * (w + between), j * (h + between)];
      out.cutOuts.push(...board.cutOuts.map((x) => movedChain(x, by)));
      out.holes.push(...board.holes.map((x) => ({ ...x, at: [x.at[0] + by[0], x.at[1] + by[1]] as P2 })));
      out.slots.push(...board.slots.map((x) => ({ ...x, path: movedChain(x.path, by) })));
      out.keepOuts.push(...board.keepOuts.map((x) => movedChain(x, by)));
      out.top = joined(out.top, movedSide(board.top, by));
      out.bottom = joined(out.bottom, movedSide(board.bottom, by));
      if (!scored) tabbed(out, movedChain(board.edges[0], by), choice);
    }
  const wide = choice.columns * w + (choice.columns - 1) * between;
  const high = choice.rows * h + (choice.rows - 1) * between;
  const side = scored ? 0 : choice.gap;
  // With tabs the frame goes all round, else there would be nothing to hold to.
  const rim = scored ? 0 : Math.max(choice.rail, bar);
  const rail = scored ? choice.rail : rim;
  out.box = [a - side - rim, b - side - rail, a + wide + side + rim, b + high + side + rail];
  out.edges = [rectangle(out.box)];
  if (scored) out.scores = scoreLines(out.box, [a, b, w, h], choice);
  marks(out, rail, choice);
  return out;
}

/** Whether the edge is its own box. */
function isBox({ edges: [edge], box: [a, b, c, d] }: Board): boolean {
  return edge.every((t) => t.kind === 'line') && Math.abs(Math.abs(areaOfContour(contourOf([...edge], true))) - (c - a) * (d - b)) < 1e-6 * (c - a) * (d - b);
}

function scoreLines([left, low, right, high]: Box2, [a, b, w, h]: [number, number, number, number], { columns, rows, rail }: PanelChoice): Chain[] {
  const out: Chain[] = [];
  for (let i = 1; i < columns; i++) out.push([{ kind: 'line', a: [a + i * w, low], b: [a + i * w, high] }]);
  for (let j = rail > 0 ? 0 : 1; j <= (rail > 0 ? rows : rows - 1); j++) out.push([{ kind: 'line', a: [left, b + j * h], b: [right, b + j * h] }]);
  return out;
}

/** Marks and pins in the rails, never mirror images of each other, so that the panel goes in one way round only. */
function marks(out: Board, rail: number, { fiducials, tooling }: PanelChoice): void {
  if (rail < 5) return;
  const [a, b, c, d] = out.box;
  const m = rail / 2;
  if (tooling) for (const at of [[a + m, b + m], [c - m, b + m], [a + m, d - m], [c - m, d - m]] as P2[]) out.holes.push({ at, diameter: toolingHole, plated: false }); // prettier-ignore
  const far = Math.max(8, 2 * rail);
  if (fiducials && c - a > 3 * far)
    for (const at of [[a + far, b + m], [c - far, b + m], [a + far, d - m]] as P2[]) out.fiducials.push({ at, ...fiducial }); // prettier-ignore
}

/** The gap around a board as closed cut-outs between its tabs, and the rows of small holes where it hangs. */
function tabbed(out: Board, edge: Chain, { gap, tabs, tabWidth }: PanelChoice): void {
  const ccw = areaOfContour(contourOf([...edge], true)) > 0 ? edge : reversedChain(edge);
  const places = tabPlaces(ccw, tabs, tabWidth);
  if (places.length < 2)
    throw new Unusable(
      'no-room-for-tabs',
      `The edge has no two straight stretches of ${tabWidth + 1} mm for tabs.`,
      'Take narrower tabs, or draw straight stretches.',
    );
  places.forEach((from, i) => {
    const to = places[(i + 1) % places.length];
    const inner = stretch(ccw, from.end, to.start);
    const outer = outset(inner, gap);
    const [p, q] = [startOf(outer[0]), endOfChain(outer)];
    out.cutOuts.push([...inner, { kind: 'line', a: endOfChain(inner), b: q }, ...reversedChain(outer), { kind: 'line', a: p, b: startOf(inner[0]) }]);
    for (const at of from.bites) out.holes.push({ at, diameter: bite.diameter, plated: false });
  });
}

interface Tab {
  /** Places along the chain, mm. */
  start: number;
  end: number;
  bites: P2[];
}

/** So many tabs on each of the longest straight stretches of the edge, at least two in all. */
function tabPlaces(edge: Chain, tabs: number, width: number): Tab[] {
  let along = 0;
  const lines = edge.flatMap((t) => {
    const from = along;
    along += lengthOf(t);
    return t.kind === 'line' && lengthOf(t) >= width + 1 ? [{ t, from, long: lengthOf(t) }] : [];
  });
  const chosen = [...lines].sort((a, b) => b.long - a.long).slice(0, 4);
  return chosen
    .flatMap(({ t, from, long }) => {
      const fit = Math.min(tabs, Math.floor(long / (width + 1)));
      return Array.from({ length: fit }, (_, k): Tab => {
        const middle = (long * (k + 1)) / (fit + 1);
        const [dx, dy] = directionAt(t, 0);
        const n = Math.max(1, Math.floor((width - bite.diameter) / bite.step));
        // The holes lie on the edge itself, half in the board: what is left is broken off flush.
        const bites = Array.from({ length: n + 1 }, (_b, i): P2 => {
          const s = middle + (i - n / 2) * bite.step;
          return [startOf(t)[0] + dx * s, startOf(t)[1] + dy * s];
        });
        return { start: from + middle - width / 2, end: from + middle + width / 2, bites };
      });
    })
    .sort((p, q) => p.start - q.start);
}

/** The part of a closed chain from one place along it to another. */
function stretch(edge: Chain, from: number, to: number): Track[] {
  const total = lengthOfContour(contourOf([...edge], true));
  const goal = to > from ? to : to + total;
  const out: Track[] = [];
  let at = 0;
  for (let round = 0; round < 2; round++)
    for (const t of edge) {
      const long = lengthOf(t);
      const [s, e] = [Math.max(0, from - at) / long, Math.min(long, goal - at) / long];
      if (e > s + 1e-12 && s < 1 && e > 0) out.push(s <= 0 && e >= 1 ? t : (pieceOf(t, Math.max(0, s), Math.min(1, e)) as Track));
      at += long;
    }
  return out;
}

/** A chain moved outwards by a gap; outer corners go round, inner ones are cut where the sides meet. */
function outset(chain: readonly Track[], gap: number): Track[] {
  const moved = chain.map((t): Track => {
    if (t.kind === 'line') {
      const [dx, dy] = directionAt(t, 0);
      return { kind: 'line', a: [t.a[0] + dy * gap, t.a[1] - dx * gap], b: [t.b[0] + dy * gap, t.b[1] - dx * gap] };
    }
    const radius = t.radius + Math.sign(t.sweep) * gap;
    if (radius <= 1e-6) throw new Unusable('gap-too-wide', `The gap of ${gap} mm is wider than an inner round of the edge.`, 'Take a narrower gap.');
    return { ...t, radius };
  });
  const out: Track[] = [];
  moved.forEach((t, i) => {
    const before = chain[i - 1];
    if (before) {
      const [u, v] = [directionAt(before, 1), directionAt(chain[i], 0)];
      const angle = Math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]);
      if (angle > 1e-6) out.push(fromBulge(endOfChain(out), startOf(t), Math.tan(angle / 4)) as Track);
      else if (angle < -1e-6) {
        const last = out[out.length - 1];
        const back = gap * Math.tan(-angle / 2);
        if (last.kind !== 'line' || t.kind !== 'line' || Math.min(lengthOf(last), lengthOf(t)) <= back + shortest)
          throw new Unusable('gap-too-wide', `The gap of ${gap} mm has no room in an inner corner of the edge.`, 'Take a narrower gap, or round the corner.');
        const corner: P2 = [last.b[0] - u[0] * back, last.b[1] - u[1] * back];
        out[out.length - 1] = { ...last, b: corner };
        out.push({ kind: 'line', a: corner, b: t.b });
        return;
      }
    }
    out.push(t);
  });
  return out;
}

const endOfChain = (chain: Chain): P2 => endOf(chain[chain.length - 1]);
const reversedChain = (chain: Chain): Track[] => [...chain].reverse().map((t) => reversed(t) as Track);
