import { Unusable, type Finding } from '../../base/finding.ts';
import { lossFinding, type Loss } from '../../base/loss.ts';
import { chained, sameDistance } from '../../curves/chain.ts';
import type { Drawing } from '../../curves/drawing.ts';
import type { ReadChoices } from '../../model/choices.ts';
import type { DrawingFile, Reader, ReadProgress } from '../format.ts';
import { openPdf, type OpenPdf } from './open.ts';
import { PageReader } from './page.ts';
import { withSpotsMarked, type Spot } from './spots.ts';

/** Pages of one file that are taken when none is chosen. */
const mostPages = 10;

export const reader: Reader = {
  kind: 'drawing',
  looksLike: (bytes) => String.fromCharCode(...bytes.subarray(0, 1024)).includes('%PDF-'),
  read: async (bytes, choices, progress) => {
    const marked = await withSpotsMarked(bytes);
    const open = await openPdf(marked.bytes);
    try {
      return await pagesOf(open, marked.spots, choices, progress);
    } finally {
      await open.close();
    }
  },
};

interface Page {
  n: number;
  drawing: Drawing;
  lost: Loss[];
  unseen: Loss[];
  standIns: string[];
}

async function pagesOf(open: OpenPdf, spots: readonly Spot[], { page, layersFrom }: ReadChoices, progress: ReadProgress = () => {}): Promise<DrawingFile> {
  if (page !== undefined && page > open.pages)
    throw new Unusable(
      'no-such-page',
      `The file has ${open.pages} ${open.pages === 1 ? 'page' : 'pages'}, and page ${page} was asked for.`,
      'Choose one of them.',
    );
  const wanted = page !== undefined ? [page] : Array.from({ length: Math.min(open.pages, mostPages) }, (_, i) => i + 1);
  const pages: Page[] = [];
  for (const [i, n] of wanted.entries()) {
    progress(i / wanted.length, `page ${n}`);
    const reading = new PageReader(await open.page(n), spots, layersFrom === 'colours');
    const drawing = reading.read();
    const whole = drawing.layers.length > 0 ? chained(drawing, sameDistance(drawing)).drawing : drawing;
    pages.push({ n, drawing: whole, lost: reading.losses.list(), unseen: reading.unseen.list(), standIns: [...reading.standIns] });
  }
  const drawn = pages.filter((p) => p.drawing.layers.length > 0);
  const findings = [...(page === undefined ? leftFindings(open.pages, wanted.length) : []), ...(drawn.length > 0 ? emptyFindings(pages.filter((p) => !drawn.includes(p))) : [])]; // prettier-ignore
  if (drawn.length === 0) findings.push(...findingsOf(pages[0]));
  const file = { version: open.version, unit: 'mm', metric: null, leftOut: pages.flatMap((p) => [...p.lost, ...p.unseen]) };
  if (drawn.length <= 1) {
    const [only] = drawn.length === 1 ? drawn : pages;
    return { ...file, drawing: only.drawing, findings: drawn.length === 0 ? findings : [...findings, ...findingsOf(only)] };
  }
  return { ...file, drawing: drawn[0].drawing, findings, drawings: drawn.map((p) => ({ name: `page ${p.n}`, drawing: p.drawing, findings: findingsOf(p) })) };
}

const leftFindings = (pages: number, taken: number): Finding[] =>
  pages === taken
    ? []
    : [
        {
          code: 'pages-left-out',
          severity: 'look',
          count: pages - taken,
          message: `Left out: pages ${taken + 1} to ${pages}; the first ${mostPages} were read.`,
          remedy: 'Choose a page before reading (--page on the command line).',
        },
      ];

function emptyFindings(empty: readonly Page[]): Finding[] {
  if (empty.length === 0) return [];
  const shows = empty.flatMap((p) => p.lost.map((l) => l.what))[0];
  const which = empty.length === 1 ? `Page ${empty[0].n} holds` : `${empty.length} pages hold`;
  return [
    {
      code: 'pages-empty',
      severity: 'look',
      count: empty.length,
      message: `${which} no contour${shows ? `, but a ${shows}` : ''}.`,
      remedy: 'Bring pictures in by themselves; they are traced.',
    },
  ];
}

function findingsOf({ lost, unseen, standIns }: Page): Finding[] {
  const findings: Finding[] = [];
  const loss = lossFinding(lost);
  if (loss) findings.push(loss);
  if (standIns.length > 0)
    findings.push({
      code: 'letters-stand-in',
      severity: 'look',
      count: standIns.length,
      message: `Letters of ${standIns.slice(0, 4).join(', ')} were drawn by letters that stand in: a file need not hold those fonts.`,
      remedy: 'If their exact shape matters, turn text into outlines where the file was made.',
    });
  if (unseen.length > 0)
    findings.push({
      code: 'not-shown',
      severity: 'clear',
      count: unseen.reduce((n, l) => n + l.count, 0),
      message: `Not taken, since it shows nothing: ${unseen.slice(0, 6).map((l) => `${l.count.toLocaleString('en')} × ${l.what}`).join('; ')}.`, // prettier-ignore
      remedy: 'Nothing to do.',
    });
  return findings;
}
