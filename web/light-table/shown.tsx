'use client';

/** Which of the two pictures are laid on the table, and how. */
export type Shown = 'designed' | 'both' | 'received' | 'beside' | 'split' | 'difference';

const names: [Shown, string][] = [
  ['designed', 'Designed'],
  ['both', 'Both, overlaid'],
  ['received', 'Received'],
  ['beside', 'Side by side'],
  ['split', 'Split'],
  ['difference', 'Difference'],
];

const titles: Partial<Record<Shown, string>> = {
  split: 'The design left of a line, what was received right of it; the line is moved',
  difference: 'How far both lie apart, as colours',
};

/** What there is to show: something received; and whether how far it lies from the design can be shown (absent where that is never shown). */
export interface Showable {
  received: boolean;
  differs?: boolean;
}

const can = (shown: Shown, { received, differs = false }: Showable): boolean =>
  shown === 'difference' ? differs : received || shown === 'designed' || shown === 'both';

/** The way of showing that was chosen, or both where there is nothing for it: it comes back with the step that has it. */
export const shownNow = (chosen: Shown, what: Showable): Shown => (can(chosen, what) ? chosen : 'both');

/** The next way of showing, in a ring of those that there is something for. */
export function nextShown(shown: Shown, what: Showable): Shown {
  const ring = names.map(([s]) => s).filter((s) => can(s, what));
  return ring[(ring.indexOf(shown) + 1) % ring.length];
}

interface ButtonsProps extends Showable {
  shown: Shown;
  setShown: (s: Shown) => void;
}

/** Buttons for what is shown; those that need a received file wait for one. */
export function ShownButtons({ shown, setShown, received, differs }: ButtonsProps) {
  return (
    <div className={`${desk.float} ${desk.upleft}`} role="group" aria-label="What is shown">
      {names
        .filter(([id]) => differs !== undefined || id !== 'difference')
        .map(([id, name]) => (
          <Button
            key={id}
            data-test={`show-${id}`}
            aria-pressed={shown === id}
            disabled={!can(id, { received, differs })}
            title={titles[id]}
            style={shown === id ? undefined : { color: id === 'designed' ? 'var(--designed)' : id === 'received' ? 'var(--received)' : undefined }}
            onClick={() => setShown(id)}
            size="small"
          >
            {name}
          </Button>
        ))}
    </div>
  );
}

/** The theme's inks, for what is drawn outside the page's own styles. */
export function inksOf(theme: string) {
  const style = getComputedStyle(document.documentElement);
  const ink = (name: string) => style.getPropertyValue(`--${name}`).trim();
  return {
    sheet: ink('sheet'),
    designed: ink('designed'),
    received: ink('received'),
    rule: ink('rule'),
    faint: ink('faint'),
    muted: ink('muted'),
    look: ink('look'),
    stop: ink('stop'),
    ink: ink('ink'),
    dark: theme === 'dark',
  };
}
import { Button } from 'antd';
import desk from '@/shell/desk.module.css';
