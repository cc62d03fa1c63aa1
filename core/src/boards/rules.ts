import type { Finding } from '../base/finding.ts';
import { areaOfContour, boxOfContour, contourOf } from '../curves/drawing.ts';
import { smallestInnerRadius } from '../curves/offset.ts';
import { startOf, type P2 } from '../curves/segment.ts';
import type { BoardShop } from '../receivers/receivers.ts';
import type { Board, Chain } from './board.ts';
import type { BoardChoice } from './choice.ts';
import { hasCopper, poured } from './layers.ts';
import { websOf } from './webs.ts';

const f = (v: number) => Number(v.toFixed(3));
const at = ([x, y]: readonly number[]) => `at ${f(x)}, ${f(y)} mm`;
/** Rounding is no breach, mm. */
const slack = 1e-6;

const breach = (code: string, severity: Finding['severity'], message: string, remedy: string): Finding => ({ code, severity, count: 1, message, remedy });

/** So many places of one rule are named; the others are counted. */
const mostNamed = 5;

/** The first places by name, the rest in one sentence. */
function few(list: Finding[]): Finding[] {
  if (list.length <= mostNamed) return list;
  const rest = list.length - mostNamed;
  const last = list[mostNamed - 1];
  return [...list.slice(0, mostNamed - 1), { ...last, count: rest + 1, message: `${last.message} ${rest} more of this kind.` }];
}

/**
 * What a board shop can't make of a board, each with its place and a remedy.
 * @example shopFindings(board, usualBoard, shop).map((f) => f.message)
 */
export function shopFindings(board: Board, choice: BoardChoice, shop: BoardShop): Finding[] {
  return [
    ...few(holes(board, shop)),
    ...few(slots(board, shop)),
    ...few(webs(board, shop)),
    ...figures(board, choice, shop),
    ...few(corners(board, shop)),
    ...few(letters(board, shop)),
    ...size(board, shop),
  ];
}

const holes = ({ holes: list }: Board, { leastHole }: BoardShop): Finding[] =>
  list
    .filter((h) => h.diameter < leastHole - slack)
    .map((h) => breach('small-hole', 'stop', `A hole of ${f(h.diameter)} mm ${at(h.at)} is smaller than the shop drills (${leastHole} mm).`, 'Make it larger, or choose another shop.')); // prettier-ignore

const slots = ({ slots: list }: Board, { leastSlot }: BoardShop): Finding[] =>
  list
    .filter((s) => s.width < leastSlot - slack)
    .map((s) => breach('small-slot', 'stop', `A slot of ${f(s.width)} mm ${at(startOf(s.path[0]))} is narrower than the shop routes (${leastSlot} mm).`, 'Make it wider, or choose another shop.')); // prettier-ignore

const webs = (board: Board, { leastWeb }: BoardShop): Finding[] =>
  websOf(board, leastWeb - slack).under.map(({ width, at: place }) =>
    width < 0
      ? breach('no-web', 'stop', `Things that are cut out reach into each other ${at(place)}.`, 'Move them apart.')
      : breach('thin-web', 'stop', `A web of ${f(width)} mm ${at(place)} is thinner than the shop leaves (${leastWeb} mm); it breaks.`, 'Move the holes apart, or away from the edge.'),
  ); // prettier-ignore

function figures(board: Board, choice: BoardChoice, shop: BoardShop): Finding[] {
  const out: Finding[] = [];
  const plated = board.holes.some((h) => h.plated) || board.slots.some((s) => s.plated);
  if (plated && choice.ring < shop.leastRing - slack)
    out.push(breach('thin-ring', 'stop', `Rings of ${f(choice.ring)} mm around plated holes are thinner than the shop makes (${shop.leastRing} mm).`, 'Take wider rings.')); // prettier-ignore
  const pours = (['top', 'bottom'] as const).some((side) => poured(choice, side));
  if (pours && choice.clearance < shop.leastClearance - slack)
    out.push(breach('small-clearance', 'stop', `${f(choice.clearance)} mm between copper and edges is less than the shop keeps (${shop.leastClearance} mm).`, 'Take more clearance.')); // prettier-ignore
  if (!(['top', 'bottom'] as const).some((side) => hasCopper(board, choice, side)) && plated)
    out.push(breach('plated-bare', 'look', 'Plated holes without any copper: the shop may ask.', 'Make them bare, or lay copper on.')); // prettier-ignore
  return out;
}

/** Inner corners that the shop's smallest bit can't follow. */
function corners(board: Board, { innerRadius }: BoardShop): Finding[] {
  const of = (chains: readonly Chain[], inside: boolean): Finding[] =>
    chains.flatMap((c) => {
      const contour = contourOf([...c], true);
      const least = smallestInnerRadius(contour, inside);
      if (least >= innerRadius - slack) return [];
      const box = boxOfContour(contour);
      const place: P2 = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
      const what = inside ? `A cut-out about ${f(place[0])}, ${f(place[1])} mm` : 'The edge';
      return [
        breach(
          'sharp-corner',
          'look',
          `${what} has an inner corner ${least === 0 ? 'that is sharp' : `of radius ${f(least)} mm`}; the shop's smallest bit leaves ${innerRadius} mm there.`,
          `Round inner corners by ${innerRadius} mm, or let them come out round.`,
        ),
      ];
    });
  return [...of(board.edges, false), ...of(board.cutOuts, true)];
}

/** Filled legends that are lower than can be printed. */
function letters(board: Board, { leastText }: BoardShop): Finding[] {
  return [board.top, board.bottom].flatMap(({ legendFilled }) => {
    const low = legendFilled
      .map((c) => contourOf([...c], true))
      .filter((c) => areaOfContour(c) !== 0)
      .map(boxOfContour)
      .filter(([a, b, c, d]) => Math.max(c - a, d - b) < leastText - slack);
    if (low.length === 0) return [];
    const [[a, b, c, d]] = low;
    return [
      {
        ...breach(
          'small-text',
          'look',
          `Filled legend of ${f(Math.max(c - a, d - b))} mm ${at([(a + c) / 2, (b + d) / 2])} is smaller than the shop prints (${leastText} mm).`,
          'Make it larger; dots and accents may be let be.',
        ),
        count: low.length,
      },
    ];
  });
}

/** Whether a board fits into another size, lying either way. */
export const fitsIn = ([x, y]: readonly [number, number], [w, h]: readonly [number, number]): boolean =>
  (x <= w + slack && y <= h + slack) || (y <= w + slack && x <= h + slack);

function size({ box: [a, b, c, d] }: Board, { largest: [w, h] }: BoardShop): Finding[] {
  const [x, y] = [c - a, d - b];
  return fitsIn([x, y], [w, h]) ? [] : [breach('too-large', 'stop', `${f(x)} × ${f(y)} mm is larger than the shop makes (${w} × ${h} mm).`, 'Divide it, or choose another shop.')]; // prettier-ignore
}
