import { expose } from 'comlink';
import { Unusable, type Finding } from 'tall-kite/base/finding';
import { boxOfDrawing, type Drawing } from 'tall-kite/curves/drawing';
import { flattened } from 'tall-kite/curves/flatten';
import type { TextChoice } from 'tall-kite/text/choice';
import type { Axis } from 'tall-kite/text/face';
import { lettered } from 'tall-kite/text/lettering';
import { lettersOf, type LetterFiles } from 'tall-kite/text/letters';

/** Letters as they will be: lines for the screen in mm, and figures. */
export interface LettersView {
  /** An SVG path, y down, in a view box of mm. */
  path: string;
  viewBox: [number, number, number, number];
  size: [number, number];
  count: number;
  cap: number;
  contours: number;
  letters: string;
  axes: Axis[];
  findings: Finding[];
}

/** Fonts that the app brings, unpacked beside this worker. */
const files: LetterFiles = {
  outlines: async (_, file) => new Uint8Array((await fetched(file.replace(/\.woff2$/, '.ttf')).then((r) => r.arrayBuffer())) as ArrayBuffer),
  strokes: (file) => fetched(`${file}.jhf`).then((r) => r.text()),
  // What a person brings was unpacked by the server.
  plain: (bytes) => Promise.resolve(bytes),
};

async function fetched(file: string): Promise<Response> {
  const found = await fetch(new URL(`./letters/${file}`, self.location.href));
  if (!found.ok) throw new Unusable('no-letters', `The letters "${file}" could not be fetched.`, 'Reload the page.');
  return found;
}

/** How fine lines on the screen are, mm. */
const fine = 0.01;

function pathOf({ layers }: Drawing, height: number): string {
  const out: string[] = [];
  for (const layer of layers)
    for (const c of layer.contours) {
      const points = flattened(c.segments, fine);
      out.push(points.map(([x, y], i) => `${i === 0 ? 'M' : 'L'}${x.toFixed(3)} ${(height - y).toFixed(3)}`).join('') + (c.closed ? 'Z' : ''));
    }
  return out.join('');
}

/** Sentences survive the way to the page, errors of other kinds do not. */
const worker = {
  async view(choice: TextChoice): Promise<LettersView | { failed: { message: string; remedy: string } }> {
    try {
      const { drawing, findings } = await lettered(choice, files);
      const [l, b, r, t] = boxOfDrawing(drawing);
      const letters = await lettersOf(choice, files);
      return {
        path: pathOf(drawing, b + t),
        viewBox: [l, b, r - l, t - b],
        size: [r - l, t - b],
        count: drawing.lettering.count,
        cap: drawing.lettering.cap,
        contours: drawing.layers.reduce((n, layer) => n + layer.contours.length, 0),
        letters: letters.name,
        axes: letters.kind === 'outlines' ? letters.axes : [],
        findings,
      };
    } catch (thrown) {
      if (thrown instanceof Unusable) return { failed: { message: thrown.message, remedy: thrown.remedy } };
      return { failed: { message: 'The letters could not be drawn.', remedy: 'Try other letters.' } };
    }
  },
};

export type LettersWorker = typeof worker;
expose(worker);
