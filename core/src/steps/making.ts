import { counted } from '../base/figures.ts';
import { clear, notReached, type Cell, type MadePart, type PartState, type Step } from './step.ts';

/** What a step shows whose result is a part of its own beside this one. */
function cell({ made = [] }: PartState, of: (made: MadePart) => boolean, todo: string): Cell {
  const mine = made.filter(of);
  if (mine.length === 0) return notReached('a drawing comes of it', todo);
  const [first] = mine;
  const more = mine.length > 1 ? `, ${counted(mine.length - 1, 'more', 'more')}` : '';
  return { ...clear(first.size.figure, first.name + more), mark: first.size.mark === 'none' ? 'clear' : first.size.mark, finding: first.size.finding };
}

/** Which of the parts made of it a step of making has made. */
export const madeBy: Record<'Unfold' | 'Spread' | 'Stock' | 'Draw' | 'Raise', (made: MadePart) => boolean> = {
  Unfold: (m) => m.kind === 'drawing' && m.flat,
  Spread: (m) => m.kind === 'drawing' && m.spread === true,
  Stock: (m) => m.relief === true,
  Draw: (m) => m.kind === 'drawing' && !m.flat && m.spread !== true,
  Raise: (m) => m.kind !== 'drawing',
};

/** Unfolded as a sheet part: its flat pattern is a drawing of its own beside the part. */
export const unfoldStep: Step<'Unfold'> = {
  id: 'Unfold',
  column: 'Form',
  beforeFile: false,
  state: (part) => cell(part, madeBy.Unfold, 'not unfolded yet'),
};

/** A surface laid flat in pieces, as a drawing beside the part; chosen and looked at on the page Spread. */
export const spreadStep: Step<'Spread'> = {
  id: 'Spread',
  column: 'Form',
  beforeFile: false,
  state: (part) => cell(part, madeBy.Spread, 'not spread yet'),
};

/** Set into a stock: a closed block beside it; chosen and looked at on the page Relief. */
export const stockStep: Step<'Stock'> = {
  id: 'Stock',
  column: 'Form',
  beforeFile: false,
  state: (part) => {
    const shown = cell(part, madeBy.Stock, 'not set into stock yet');
    return shown.mark === 'none' ? { ...shown, context: 'a block comes of it' } : shown;
  },
};

/** A view, an outline or a section of it, as a drawing beside the part. */
export const drawStep: Step<'Draw'> = { id: 'Draw', column: 'Form', beforeFile: false, state: (part) => cell(part, madeBy.Draw, 'not drawn yet') };

/** The closed contours of a drawing as a solid beside it. */
export const raiseStep: Step<'Raise'> = {
  id: 'Raise',
  column: 'Form',
  beforeFile: false,
  state: (part) => {
    const shown = cell(part, madeBy.Raise, 'not raised yet');
    return shown.mark === 'none' ? { ...shown, context: 'a solid comes of it' } : shown;
  },
};
