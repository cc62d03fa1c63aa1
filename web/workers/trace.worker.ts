import { expose, transfer } from 'comlink';
import { Unusable, type Finding } from 'tall-kite/base/finding';
import { packDrawing } from 'tall-kite/curves/drawing';
import { decodeInPage, type PageDecoders } from 'tall-kite/formats/picture/page';
import type { TraceChoice } from 'tall-kite/trace/choice';
import { tracedFigures, type TracedFigures } from 'tall-kite/trace/figures';
import type { Picture } from 'tall-kite/trace/picture';
import { traceQuickly } from 'tall-kite/trace/smaller';

/** What a choice would make of a picture: its figures, the drawing packed, and how many pixels along each side were taken as one. */
export interface Foreseen {
  figures: TracedFigures;
  findings: Finding[];
  drawing: ArrayBuffer;
  block: number;
  milliseconds: number;
}
export interface Unforeseen {
  failed: { message: string; remedy: string };
}

const fetched = (name: string) => async () => WebAssembly.compile(await (await fetch(new URL(`./${name}.wasm`, self.location.href))).arrayBuffer());
const decoders: PageDecoders = { jpeg: fetched('jpeg'), png: fetched('png'), webp: fetched('webp') };

/** The picture at hand; one at a time, since a large one takes 250 MB. */
let open: { key: string; picture: Picture } | null = null;

/** Sentences survive the way to the page, errors of other kinds do not. */
function sentence(thrown: unknown): Unforeseen {
  if (thrown instanceof Unusable) return { failed: { message: thrown.message, remedy: thrown.remedy } };
  return { failed: { message: 'The contours could not be followed here.', remedy: 'Let the server show them.' } };
}

/** Contours of a picture while they are chosen. */
const worker = {
  /** Opens a picture from its bytes; the one before is given up. @param perMm pixels in a millimetre as the server has them, where it decoded them; null: the file says itself */
  async open(key: string, bytes: ArrayBuffer, perMm: string | null): Promise<Unforeseen | null> {
    open = null;
    try {
      const picture = await decodeInPage(new Uint8Array(bytes), decoders);
      open = { key, picture: perMm === null ? picture : { ...picture, perMm: perMm === '' ? null : Number(perMm) } };
      return null;
    } catch (thrown) {
      return sentence(thrown);
    }
  },
  foresee(key: string, choice: TraceChoice): Foreseen | Unforeseen {
    if (open?.key !== key) return { failed: { message: 'The picture is not open here.', remedy: 'Wait a moment.' } };
    const begun = performance.now();
    try {
      const traced = traceQuickly(open.picture, choice);
      const packed = packDrawing(traced.drawing);
      const drawing = packed.buffer.slice(packed.byteOffset, packed.byteOffset + packed.byteLength) as ArrayBuffer;
      return transfer({ figures: tracedFigures(traced), findings: traced.findings, drawing, block: traced.block, milliseconds: performance.now() - begun }, [
        drawing,
      ]);
    } catch (thrown) {
      return sentence(thrown);
    }
  },
};

export type TraceWorker = typeof worker;
expose(worker);
