import { Unusable } from '../../base/finding.ts';
import type { Affine } from '../../curves/affine.ts';
import { mostPixels } from '../../trace/picture.ts';
import { pathCodes, type PageSteps } from './page.ts';
import type { RawPicture } from './pictures.ts';

/** What is used of the reader. */
interface Pdfjs {
  OPS: Record<string, number>;
  getDocument(given: object): { promise: Promise<PdfDocument>; destroy(): Promise<void> };
}
interface PdfDocument {
  numPages: number;
  getPage(n: number): Promise<PdfPage>;
  getMetadata(): Promise<{ info: { PDFFormatVersion?: string } }>;
  getOptionalContentConfig(): Promise<{ getGroup(id: string): { name?: string } | null; isVisible(group: object): boolean }>;
}
interface Objects {
  has(id: string): boolean;
  get(id: string, then?: (found: unknown) => void): unknown;
}
interface PdfPage {
  getViewport(how: { scale: number }): { transform: number[]; width: number; height: number };
  getOperatorList(): Promise<{ fnArray: number[]; argsArray: unknown[][] }>;
  commonObjs: Objects;
  objs: Objects;
}

/** A file that is open: its pages one at a time. */
export interface OpenPdf {
  version: string;
  pages: number;
  page(n: number): Promise<PageSteps>;
  close(): Promise<void>;
}

/** Opens a PDF by pdfjs, without running anything in it. @throws Unusable when it is locked or damaged. */
export async function openPdf(bytes: Uint8Array): Promise<OpenPdf> {
  const pdfjs = (await import(/* turbopackIgnore: true */ 'pdfjs-dist/legacy/build/pdf.mjs')) as unknown as Pdfjs;
  Object.assign(pathCodes, pdfjs.OPS);
  const names = new Map(Object.entries(pdfjs.OPS).map(([name, code]) => [code, name]));
  const folders = await import(/* turbopackIgnore: true */ './node-files.ts');
  // The reader takes the bytes over.
  const task = pdfjs.getDocument({ ...folders, cMapPacked: true, data: Uint8Array.from(bytes), disableFontFace: true, useSystemFonts: false, isEvalSupported: false, isOffscreenCanvasSupported: false, isImageDecoderSupported: false, maxImageSize: mostPixels, fontExtraProperties: true, verbosity: 0 }); // prettier-ignore
  let document: PdfDocument;
  try {
    document = await task.promise;
  } catch (thrown) {
    throw notOpened(thrown as Error);
  }
  const groups = await document.getOptionalContentConfig();
  const { info } = await document.getMetadata();
  return {
    version: `PDF ${info.PDFFormatVersion ?? ''}`.trim(),
    pages: document.numPages,
    close: () => task.destroy(),
    page: async (n) => {
      try {
        return await stepsOf(await document.getPage(n), names, groups);
      } catch (thrown) {
        throw notOpened(thrown as Error);
      }
    },
  };
}

async function stepsOf(
  page: PdfPage,
  names: ReadonlyMap<number, string>,
  groups: Awaited<ReturnType<PdfDocument['getOptionalContentConfig']>>,
): Promise<PageSteps> {
  const { transform, width, height } = page.getViewport({ scale: 1 });
  const { fnArray, argsArray } = await page.getOperatorList();
  const found = <T>(id: string): T | null => (page.commonObjs.has(id) ? (page.commonObjs.get(id) as T) : null);
  return {
    steps: fnArray.map((code, i) => ({ what: names.get(code) ?? '', args: argsArray[i] ?? [] })),
    map: transform as unknown as Affine,
    width,
    height,
    letter: (font, character) => {
      const path = found<unknown>(`${font}_path_${character}`);
      return typeof path === 'string' ? path : null;
    },
    font: (name) => {
      const font = found<{ name?: string; fontMatrix?: number[]; vertical?: boolean; isType3Font?: boolean; missingFile?: boolean }>(name);
      return (
        font && { name: font.name ?? '', scale: font.fontMatrix?.[0] ?? 0.001, vertical: font.vertical ?? false, drawn: !font.isType3Font && !font.missingFile }
      );
    },
    picture: (name) =>
      new Promise((finish) => {
        // A picture is decoded after the steps are known: it is waited for.
        const objects = name.startsWith('g_') ? page.commonObjs : page.objs;
        objects.get(name, (picture) => finish((picture as RawPicture | null) ?? null));
      }),
    group: (id) => {
      const group = groups.getGroup(id);
      return group && { name: group.name ?? id, shown: groups.isVisible({ type: 'OCG', id }) };
    },
  };
}

function notOpened(thrown: Error): Unusable {
  if (thrown instanceof Unusable) return thrown;
  if (thrown.name === 'PasswordException')
    return new Unusable('locked', 'The PDF is locked with a password.', 'Open it where the password is known and save it without one.');
  return new Unusable(
    'not-pdf',
    `The file can not be read as PDF (${(thrown.message ?? '').split('\n')[0].slice(0, 120)}).`,
    'Export it again, or copy it whole.',
  );
}
