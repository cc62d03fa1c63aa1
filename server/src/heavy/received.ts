import { basename, extname } from 'node:path';
import { shopReceives } from 'tall-kite/boards/shop';
import { nodeEngine } from 'tall-kite/engine/load';
import { receiveTable } from 'tall-kite/bender/receive';
import { asUnusable, type Finding } from 'tall-kite/base/finding';
import { sizeOf } from 'tall-kite/geometry/box';
import { threeLengths } from 'tall-kite/base/figures';
import { nodeKernels } from 'tall-kite/kernel/load';
import { receiveDrawing } from 'tall-kite/processes/cutters';
import { receiveFile } from 'tall-kite/processes/receive';
import { isBender, isBoardShop, type FileFormat, type Receiver } from 'tall-kite/receivers/receivers';
import type { ReceiveResult } from './heavy.ts';

/** What the stand-in of a machine makes of bytes and a name, and nothing else: accepted with what it understood, or refused with the reason. */
export async function received(bytes: Uint8Array, fileName: string, receiver: Receiver): Promise<ReceiveResult> {
  const ending = extname(fileName).slice(1).toLowerCase();
  const format = (ending === 'stp' ? 'step' : ending) as FileFormat;
  try {
    if (isBender(receiver)) {
      const { name, developed, findings } = receiveTable(bytes, receiver, basename(fileName, extname(fileName)));
      return judged(`${name}, ${developed.toFixed(1)} mm developed`, findings);
    }
    if (isBoardShop(receiver)) {
      const { figures, findings } = shopReceives(await nodeEngine(), bytes, receiver);
      const holes = figures.holes.reduce((n, h) => n + h.count, 0);
      return judged(`${threeLengths(figures.size)} mm, ${holes} ${holes === 1 ? 'hole' : 'holes'}`, findings);
    }
    if (receiver.cutter) {
      const got = await receiveDrawing(bytes, format, receiver);
      const { contours, box } = got.check;
      const said = `${contours} contours, ${threeLengths([box[2] - box[0], box[3] - box[1]])} mm, cut ${got.cut.toFixed(1)} mm`;
      return judged(said, got.findings);
    }
    const got = await receiveFile(bytes, format, receiver, nodeKernels);
    const said = `${got.parts} ${got.parts === 1 ? 'part' : 'parts'}, ${threeLengths(sizeOf(got.measures.box))} mm, ${got.soundness.triangles.toLocaleString('en')} triangles`;
    return judged(said, got.findings);
  } catch (thrown) {
    const { message, remedy } = asUnusable(thrown);
    return { accepted: false, said: message, remedy };
  }
}

function judged(said: string, findings: Finding[]): ReceiveResult {
  const stop = findings.find((f) => f.severity === 'stop');
  return stop ? { accepted: false, said: stop.message, remedy: stop.remedy } : { accepted: true, said, remedy: '' };
}
