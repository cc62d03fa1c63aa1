import { asUnusable, Unusable, type Finding } from '../../base/finding.ts';
import { latin } from '../../base/latin.ts';
import { lossFinding, type Loss } from '../../base/loss.ts';
import { chained, sameDistance } from '../../curves/chain.ts';
import type { Drawing } from '../../curves/drawing.ts';
import type { ReadChoices } from '../../model/choices.ts';
import { usualTrace } from '../../trace/choice.ts';
import { mostPixels, type Picture } from '../../trace/picture.ts';
import { trace } from '../../trace/trace.ts';
import { noEndOfFile } from '../end-of-file.ts';
import type { DrawingFile, Reader, ReadProgress } from '../format.ts';
import { openPdf, type OpenPdf } from './open.ts';
import { PageReader, type PageSteps } from './page.ts';
import { distinct, leastSide, mostPictures, pictureOnPage, type Painted, type RawPicture, type WithinFile } from './pictures.ts';
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
      const file = await pagesOf(open, marked, choices, progress);
      return { ...file, findings: [...unended(bytes), ...file.findings] };
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
  /** Drawings of the page's pictures. */
  traced: Named[];
}

type Named = NonNullable<DrawingFile['drawings']>[number];

async function pagesOf(
  open: OpenPdf,
  { spots, huge }: { spots: readonly Spot[]; huge: number },
  choices: ReadChoices,
  progress: ReadProgress = () => {},
): Promise<DrawingFile> {
  const { page, layersFrom } = choices;
  if (page !== undefined && page > open.pages)
    throw new Unusable(
      'no-such-page',
      `The file has ${open.pages} ${open.pages === 1 ? 'page' : 'pages'}, and page ${page} was asked for.`,
      'Choose one of them.',
    );
  const wanted = page !== undefined ? [page] : Array.from({ length: Math.min(open.pages, mostPages) }, (_, i) => i + 1);
  const pages: Page[] = [];
  const budget = { pictures: mostPictures };
  for (const [i, n] of wanted.entries()) {
    progress(i / wanted.length, `page ${n}`);
    const steps = await open.page(n);
    const reading = new PageReader(steps, spots, layersFrom === 'colours');
    const drawing = reading.read();
    const whole = drawing.layers.length > 0 ? chained(drawing, sameDistance(drawing)).drawing : drawing;
    const traced = await tracedOf(steps, reading, n, { choices, budget, told: (what) => progress(i / wanted.length, `page ${n}, ${what}`) });
    pages.push({ n, drawing: whole, lost: reading.losses.list(), unseen: reading.unseen.list(), standIns: [...reading.standIns], traced });
  }
  const shows = pages.filter((p) => p.drawing.layers.length > 0 || p.traced.length > 0);
  // Which page they are on is not known: the first one that comes to anything tells it.
  if (huge > 0) (shows[0] ?? pages[0]).lost.push({ what: 'picture', count: huge, why: `more than ${mostPixels / 1e6} million pixels; make it smaller` });
  const findings = [...(page === undefined ? leftFindings(open.pages, wanted.length) : []), ...(shows.length > 0 ? emptyFindings(pages.filter((p) => !shows.includes(p))) : [])]; // prettier-ignore
  const file = { version: open.version, unit: 'mm', metric: null, leftOut: pages.flatMap((p) => [...p.lost, ...p.unseen]) };
  const list = shows.flatMap((p) => itemsOf(p, open.pages > 1));
  if (list.length === 0) return { ...file, drawing: pages[0].drawing, findings: [...findings, ...findingsOf(pages[0])] };
  const [first] = list;
  if (list.length === 1 && shows[0].traced.length === 0) return { ...file, drawing: first.drawing, findings: [...findings, ...first.findings] };
  return { ...file, drawing: first.drawing, findings, drawings: list };
}

/** A page's contours and its pictures, each with a name: that of the file where nothing else is in it. */
function itemsOf(page: Page, several: boolean): Named[] {
  const { n, drawing, traced } = page;
  const own = several ? `page ${n}` : '';
  const named = (of: string): string => (own === '' ? of : `${own}, ${of}`);
  const pictures = traced.map((t) => ({ ...t, name: traced.length === 1 && drawing.layers.length === 0 ? own : named(t.name) }));
  if (drawing.layers.length === 0) {
    pictures[0].findings = [...findingsOf(page), ...pictures[0].findings];
    return pictures;
  }
  const apart: Finding[] =
    traced.length === 0
      ? []
      : [
          {
            code: 'pictures-apart',
            severity: 'look',
            count: traced.length,
            message: `Not in this drawing: ${traced.length === 1 ? 'a picture' : `${traced.length} pictures`} of the page, traced as ${traced.length === 1 ? 'a part of its own' : 'parts of their own'}.`,
            remedy: 'See what was made of them on their Trace step, or leave them out.',
          },
        ];
  return [{ name: own, drawing, findings: [...findingsOf(page), ...apart] }, ...pictures];
}

interface Tracing {
  choices: ReadChoices;
  /** How many more of the whole file are traced. */
  budget: { pictures: number };
  told(what: string): void;
}

/** Pictures of a page as contours, each in its own frame at the size that it has on the page. What can't be traced is a loss of the page. */
async function tracedOf(steps: PageSteps, reading: PageReader, page: number, { choices, budget, told }: Tracing): Promise<Named[]> {
  const made: Named[] = [];
  for (const [i, { raw, painted }] of (await picturesOf(steps, reading)).entries()) {
    if (budget.pictures-- <= 0) {
      reading.losses.add('picture', `the first ${mostPictures} of a file are traced; bring it in by itself`);
      continue;
    }
    told(`picture ${i + 1}`);
    try {
      const { picture, findings } = pictureOnPage(raw, painted);
      const traced = trace(picture, choices.trace ?? usualTrace);
      const drawing: Drawing = { ...traced.drawing, picture: { ...traced.drawing.picture, within: { page, picture: i + 1 } } };
      made.push({ name: `picture ${i + 1}`, drawing, findings: [...findings, ...traced.findings] });
    } catch (thrown) {
      reading.losses.add('picture', asUnusable(thrown).message.replace(/\.$/, ''));
    }
  }
  return made;
}

/** Pictures of a page that are large enough, decoded. */
async function picturesOf(steps: PageSteps, reading: PageReader): Promise<{ raw: RawPicture; painted: Painted }[]> {
  const raws = new Map<Painted, RawPicture | null>();
  for (const painted of reading.pictures) raws.set(painted, typeof painted.picture === 'string' ? await steps.picture(painted.picture) : painted.picture);
  const { list, small } = distinct(reading.pictures, (p) => raws.get(p) ?? null);
  if (small > 0) reading.losses.add('picture', `under ${leastSide} pixels on a side`, small);
  return list.flatMap((painted) => {
    const raw = raws.get(painted);
    if (!raw) reading.losses.add('picture', 'it can not be decoded, or is too large; bring it in by itself');
    return raw ? [{ raw, painted }] : [];
  });
}

/**
 * A picture of a page, upright and at its size there: what a drawing's contours are made of anew. @throws Unusable when it is not there
 * @example await pictureOfPdf(bytes, { page: 1, picture: 2 })
 */
export async function pictureOfPdf(bytes: Uint8Array, { page, picture }: WithinFile): Promise<Picture> {
  const open = await openPdf(bytes);
  try {
    const steps = await open.page(page);
    const reading = new PageReader(steps, [], false);
    reading.read();
    const found = (await picturesOf(steps, reading)).at(picture - 1);
    if (!found) throw new Unusable('no-picture', `Page ${page} has no picture ${picture}.`, 'Bring the file in again.');
    return pictureOnPage(found.raw, found.painted).picture;
  } finally {
    await open.close();
  }
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

/** The last line of a file says that it ends; readers look for it in the last kilobyte. Source: ISO 32000-1, 7.5.5 and its implementation notes. */
const unended = (bytes: Uint8Array): Finding[] => (latin(bytes.subarray(-1024)).includes('%%EOF') ? [] : [noEndOfFile('%%EOF')]);

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
