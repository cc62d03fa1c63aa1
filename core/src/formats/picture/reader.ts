import type { Finding } from '../../base/finding.ts';
import { usualTrace } from '../../trace/choice.ts';
import { trace } from '../../trace/trace.ts';
import type { Reader } from '../format.ts';
import { decodePicture } from './decode.ts';
import { pictureKind } from './kinds.ts';

/** Resolutions that programs write without anybody having chosen them. Common practice, no source. */
const fillers = [72, 96];

const firstOnly = (further: number): Finding => ({
  code: 'further-pictures',
  severity: 'look',
  count: further,
  message: `The file holds ${(further + 1).toLocaleString('en')} pictures, one behind the other; the first was taken.`,
  remedy: 'Save the others as files of their own if they are wanted.',
});

export const reader: Reader = {
  kind: 'drawing',
  looksLike: (bytes) => pictureKind(bytes) !== null,
  read: async (bytes, choices) => {
    const picture = await decodePicture(bytes);
    const traced = trace(picture, choices.trace ?? usualTrace);
    const findings: Finding[] = [...traced.findings];
    if (picture.further) findings.push(firstOnly(picture.further));
    const perInch = picture.perMm === null ? null : Math.round(picture.perMm * 25.4);
    if (perInch !== null && fillers.includes(perInch)) {
      findings.push({
        code: 'filler-resolution',
        severity: 'look',
        count: 1,
        message: `The picture says ${perInch} pixels an inch, which many programs write unasked; it is taken for ${(picture.width / picture.perMm!).toFixed(1)} mm wide.`,
        remedy: 'Hold one length against the real thing: on the Size step, or by two points on the Trace step.',
      });
    }
    return { version: pictureKind(bytes)!, unit: traced.sized ? 'mm' : null, metric: null, drawing: traced.drawing, leftOut: [], findings };
  },
};
