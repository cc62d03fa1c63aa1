import Joi from 'joi';
import { Unusable } from '../../base/finding.ts';
import { seriesSchema, textSchema, type TextChoice, type TextSeries } from '../../text/choice.ts';

/** Text of one's own is a design like any other: a small file of JSON, kept, revised and read again. */
export interface TextFile {
  choice: TextChoice;
  /** One drawing for each row of a list; absent: one drawing. */
  series?: TextSeries;
}

const decoder = new TextDecoder();
/** Largest such file, bytes: a font of one's own is in it. */
const mostBytes = 20 * 1024 * 1024;
const schema = Joi.object<TextFile>({ choice: textSchema.required(), series: seriesSchema }).required();

/** Whether bytes are text of one's own. */
export function looksLikeText(bytes: Uint8Array): boolean {
  return bytes[0] === 0x7b && /^\{\s*"lettering"\s*:/.test(decoder.decode(bytes.subarray(0, 64)));
}

/** @throws Unusable when it is no JSON, or a value is wrong or missing. */
export function readTextFile(bytes: Uint8Array): TextFile {
  if (bytes.length > mostBytes) throw new Unusable('too-large', `The text has more than ${mostBytes / 2 ** 20} MB.`, 'Use a smaller font.');
  let given: unknown;
  try {
    given = (JSON.parse(decoder.decode(bytes)) as { lettering: unknown }).lettering;
  } catch (thrown) {
    throw new Unusable('bad-lettering', `The file of text is not whole: ${(thrown as Error).message}.`, 'Write it again.');
  }
  return checkedText(given);
}

/** @throws Unusable with the field and its limits. */
export function checkedText(given: unknown): TextFile {
  const { value, error } = schema.validate(given, { convert: false });
  if (error) throw new Unusable('bad-lettering', `${error.message}.`.replace(/\.\.$/, '.'), 'Correct the value.');
  return value;
}

/** Text as such a file. @example textFile({ choice: { ...usualText, words: 'Kite' } }) */
export const textFile = (file: TextFile): string => `${JSON.stringify({ lettering: file }, null, 2)}\n`;
