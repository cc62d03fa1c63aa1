import type { Finding } from '../base/finding.ts';
import { areaOfContour, boxOfContour, contourOf } from '../curves/drawing.ts';
import { crossOf, directionAt, endOf, startOf, type P2 } from '../curves/segment.ts';
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
    ...sizeFindings(board, shop),
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

/** What a bit leaves in a corner matters beyond this, mm. */
const leftOver = 0.01;

/** Inner corners that the shop's smallest bit can't follow, by how much it leaves there. */
function corners(board: Board, { innerRadius: r }: BoardShop): Finding[] {
  if (r === 0) return [];
  const of = (chain: Chain, inside: boolean): Finding[] => {
    // The side on which the bit runs: left of a chain that goes round counter-clockwise, when it runs inside.
    const side = areaOfContour(contourOf([...chain], true)) > 0 === inside ? 1 : -1;
    const tight = chain.flatMap((t, i): { place: P2; says: string }[] => {
      const next = chain[(i + 1) % chain.length];
      const [u, v] = [directionAt(t, 1), directionAt(next, 0)];
      const angle = side * Math.atan2(crossOf(u, v), u[0] * v[0] + u[1] * v[1]);
      const sharp = angle > 0 && r * (1 / Math.cos(Math.min(angle, 3) / 2) - 1) > leftOver ? [{ place: endOf(t) as P2, says: 'sharp' }] : [];
      const bent = t.kind === 'arc' && t.sweep * side > 0 && t.radius < r - slack ? [{ place: startOf(t) as P2, says: `of radius ${f(t.radius)} mm` }] : [];
      return [...bent, ...sharp];
    });
    if (tight.length === 0) return [];
    const [{ place, says }] = tight;
    return [
      {
        ...breach(
          'sharp-corner',
          'look',
          `An inner corner of ${inside ? 'a cut-out' : 'the edge'} ${at(place)} is ${says}${tight.length > 1 ? `, and ${tight.length - 1} more of it` : ''}; the shop's smallest bit leaves ${r} mm there.`,
          `Round inner corners by ${r} mm, or let them come out round.`,
        ),
        count: tight.length,
      },
    ];
  };
  return [...board.edges.flatMap((c) => of(c, false)), ...board.cutOuts.flatMap((c) => of(c, true))];
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

/** A board or panel that is larger than the shop makes. */
export function sizeFindings({ box: [a, b, c, d] }: Board, { largest: [w, h] }: BoardShop): Finding[] {
  const [x, y] = [c - a, d - b];
  return fitsIn([x, y], [w, h]) ? [] : [breach('too-large', 'stop', `${f(x)} × ${f(y)} mm is larger than the shop makes (${w} × ${h} mm).`, 'Divide it, or choose another shop.')]; // prettier-ignore
}

/** A zip that is longer than the shop takes. */
export const tooLong = (zip: Uint8Array, most = Infinity): Finding[] =>
  zip.length <= most ? [] : [breach('too-long', 'stop', `The zip has ${zip.length.toLocaleString('en')} bytes; the shop takes ${most.toLocaleString('en')}.`, 'Write fewer boards at a time.')]; // prettier-ignore
