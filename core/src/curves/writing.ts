import type { Finding } from '../base/finding.ts';
import type { TextMark } from './drawing.ts';

/** Writing that nobody asked to have drawn: it is kept and told, and no machine cuts it. */
export const writingFinding = (texts: readonly TextMark[]): Finding[] =>
  texts.length === 0
    ? []
    : [
        {
          code: 'texts',
          severity: 'look',
          count: texts.length,
          message: `${texts.length.toLocaleString('en')} ${texts.length === 1 ? 'text is' : 'texts are'} writing, not outlines, for instance "${texts[0].text.slice(0, 30)}"; they are not cut.`,
          remedy: 'Draw them as outlines or single lines (the Text panel, or --text on the command line) if they are to be cut or engraved.',
        },
      ];
