import { Unusable } from '../base/finding.ts';
import type { P2 } from '../curves/segment.ts';

/** A letter of single lines: ways of points, numbers in which H is `cap` high, from its own left edge and the base line. */
export interface LineLetter {
  width: number;
  ways: P2[][];
}

/** Letters that are drawn by a line along their middle. */
export interface LineLetters {
  cap: number;
  low: number;
  /** Null for a letter that there is none of. */
  letter(character: string): LineLetter | null;
}

/** Where the base line lies in the files' own numbers (y down), and how high H is there. */
const base = 9;

/**
 * Reads letters of single lines: each record holds a number, how many pairs follow, and pairs of letters that stand for coordinates about R; the
 * first pair is the left and right edge, " R" lifts the pen. Records are the characters from the space on, by ASCII.
 * Source: the format's own description by James Hurt, distributed with the Hershey fonts. @throws Unusable for a record that is cut off.
 */
export function readLineLetters(text: string): LineLetters {
  const found = new Map<string, LineLetter>();
  const plain = text.replace(/\r?\n/g, '\n');
  let [at, code] = [0, 32];
  while (at < plain.length) {
    if (plain[at] === '\n') {
      at++;
      continue;
    }
    const pairs = Number(plain.slice(at + 5, at + 8));
    if (!Number.isInteger(pairs) || pairs < 1) throw new Unusable('bad-letters', 'The file of single-line letters is damaged.', 'Install the app again.');
    at += 8;
    let record = '';
    while (record.length < pairs * 2 && at < plain.length) {
      if (plain[at] !== '\n') record += plain[at];
      at++;
    }
    if (record.length < pairs * 2) throw new Unusable('bad-letters', 'The file of single-line letters ends within a letter.', 'Install the app again.');
    found.set(String.fromCharCode(code++), letterOf(record));
  }
  const cap = topOf(found.get('H'));
  compose(found, cap);
  return { cap, low: topOf(found.get('x')), letter: (c) => found.get(c) ?? composed(found, c, cap) };
}

const number = (c: string): number => c.charCodeAt(0) - 82;
const topOf = (letter: LineLetter | undefined): number => Math.max(0, ...(letter?.ways.flat().map(([, y]) => y) ?? []));

function letterOf(record: string): LineLetter {
  const [left, right] = [number(record[0]), number(record[1])];
  const ways: P2[][] = [];
  let way: P2[] = [];
  for (let i = 2; i < record.length; i += 2) {
    if (record[i] === ' ' && record[i + 1] === 'R') {
      ways.push(way);
      way = [];
    } else way.push([number(record[i]) - left, base - number(record[i + 1])]);
  }
  ways.push(way);
  return { width: right - left, ways: ways.filter((w) => w.length > 0) };
}

const shifted = (ways: readonly P2[][], dx: number, dy: number, by = 1): P2[][] => ways.map((w) => w.map(([x, y]): P2 => [x * by + dx, y * by + dy]));
const round = (cx: number, cy: number, r: number): P2[] =>
  Array.from({ length: 17 }, (_, i) => [cx + r * Math.cos((Math.PI * i) / 8), cy + r * Math.sin((Math.PI * i) / 8)]);

/** Signs of measures that a workshop needs and the letters of 1967 lack: our own, in the same strokes. */
function compose(found: Map<string, LineLetter>, cap: number): void {
  const of = (c: string): LineLetter => found.get(c) ?? { width: cap * 0.8, ways: [] };
  const across = (w: number, y: number): P2[] => [
    [w * 0.2, y],
    [w * 0.8, y],
  ];
  const plus = of('+');
  const o = of('O');
  found.set('°', { width: cap * 0.45, ways: [round(cap * 0.22, cap * 0.83, cap * 0.17)] });
  found.set('±', { width: plus.width, ways: [...shifted(plus.ways, 0, cap * 0.12), across(plus.width, 0)] });
  found.set('×', { width: plus.width, ways: [[[plus.width * 0.25, cap * 0.2], [plus.width * 0.75, cap * 0.7]], [[plus.width * 0.25, cap * 0.7], [plus.width * 0.75, cap * 0.2]]] }); // prettier-ignore
  found.set('·', { width: of('.').width, ways: shifted(of('.').ways, 0, cap * 0.4) });
  found.set('–', of('-'));
  found.set('−', of('-'));
  found.set('’', of("'"));
  found.set('‘', of("'"));
  found.set('“', of('"'));
  found.set('”', of('"'));
  found.set('\u00a0', of(' '));
  found.set('Ø', { width: o.width, ways: [...o.ways, [[o.width * 0.15, -cap * 0.05], [o.width * 0.85, cap * 1.05]]] }); // prettier-ignore
  const small = of('o');
  found.set('ø', { width: small.width, ways: [...small.ways, [[small.width * 0.15, -cap * 0.05], [small.width * 0.85, topOf(small) + cap * 0.05]]] }); // prettier-ignore
  found.set('⌀', { width: cap, ways: [round(cap / 2, cap / 2, cap * 0.36), [[cap * 0.12, cap * 0.02], [cap * 0.88, cap * 0.98]]] }); // prettier-ignore
  found.set('²', { width: of('2').width * 0.6, ways: shifted(of('2').ways, 0, cap * 0.5, 0.55) });
  found.set('³', { width: of('3').width * 0.6, ways: shifted(of('3').ways, 0, cap * 0.5, 0.55) });
  for (const [sign, a, e] of [
    ['Æ', 'A', 'E'],
    ['æ', 'a', 'e'],
    ['Œ', 'O', 'E'],
    ['œ', 'o', 'e'],
  ]) {
    const beside = of(a).width * 0.78;
    found.set(sign, { width: beside + of(e).width, ways: [...of(a).ways, ...shifted(of(e).ways, beside, 0)] });
  }
  const i = of('l');
  found.set('ı', { width: i.width, ways: [[[i.width / 2, 0], [i.width / 2, topOf(of('x'))]]] }); // prettier-ignore
  found.set('ß', { width: cap * 0.75, ways: [[[cap * 0.16, 0], [cap * 0.16, cap * 0.75], [cap * 0.22, cap * 0.92], [cap * 0.36, cap], [cap * 0.5, cap * 0.92], [cap * 0.54, cap * 0.78], [cap * 0.48, cap * 0.66], [cap * 0.36, cap * 0.58], [cap * 0.52, cap * 0.48], [cap * 0.6, cap * 0.3], [cap * 0.56, cap * 0.12], [cap * 0.44, 0], [cap * 0.32, 0]]] }); // prettier-ignore
}

/** Marks above and below letters, about the middle of the letter, in shares of the height of H; y from the top of the letter (below: from the base line). */
const marks: Record<string, { below?: true; ways: P2[][] }> = {
  '\u0300': { ways: [[[-0.14, 0.32], [0.06, 0.14]]] }, // prettier-ignore
  '\u0301': { ways: [[[0.14, 0.32], [-0.06, 0.14]]] }, // prettier-ignore
  '\u0302': { ways: [[[-0.18, 0.14], [0, 0.32], [0.18, 0.14]]] }, // prettier-ignore
  '\u0303': { ways: [[[-0.22, 0.16], [-0.12, 0.27], [0, 0.22], [0.12, 0.17], [0.22, 0.28]]] }, // prettier-ignore
  '\u0304': { ways: [[[-0.2, 0.2], [0.2, 0.2]]] }, // prettier-ignore
  '\u0306': { ways: [[[-0.18, 0.3], [-0.1, 0.18], [0.1, 0.18], [0.18, 0.3]]] }, // prettier-ignore
  '\u0307': { ways: [round(0, 0.22, 0.03)] },
  '\u0308': { ways: [round(-0.15, 0.22, 0.03), round(0.15, 0.22, 0.03)] },
  '\u030a': { ways: [round(0, 0.24, 0.1)] },
  '\u030b': { ways: [[[-0.02, 0.32], [-0.14, 0.14]], [[0.2, 0.32], [0.08, 0.14]]] }, // prettier-ignore
  '\u030c': { ways: [[[-0.18, 0.32], [0, 0.14], [0.18, 0.32]]] }, // prettier-ignore
  '\u0327': { below: true, ways: [[[0, 0], [0, -0.1], [0.1, -0.18], [0.04, -0.28], [-0.1, -0.28]]] }, // prettier-ignore
  '\u0328': { below: true, ways: [[[0.08, 0], [0, -0.12], [0.04, -0.24], [0.16, -0.26]]] }, // prettier-ignore
};

/** A letter with marks, of the letter and the marks; null when one of them is not there. Source of the parts: Unicode's canonical decomposition. */
function composed(found: ReadonlyMap<string, LineLetter>, character: string, cap: number): LineLetter | null {
  const [first, ...above] = [...character.normalize('NFD')];
  if (above.length === 0) return null;
  const letter = found.get(above.every((m) => marks[m]?.below) || !'ij'.includes(first) ? first : 'ı');
  if (!letter || above.some((m) => !marks[m])) return null;
  const [middle, top] = [letter.width / 2, topOf(letter)];
  return { width: letter.width, ways: [...letter.ways, ...above.flatMap((m) => shifted(marks[m].ways, middle, marks[m].below ? 0 : top, cap))] };
}
