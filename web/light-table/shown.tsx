'use client';

/** Which of the two pictures are laid on the table, and how. */
export type Shown = 'designed' | 'both' | 'received' | 'beside';

const names: [Shown, string][] = [
  ['designed', 'Designed'],
  ['both', 'Both, overlaid'],
  ['received', 'Received'],
  ['beside', 'Side by side'],
];

/** The next way of showing, in a ring. */
export const nextShown = (shown: Shown): Shown => names[(names.findIndex(([s]) => s === shown) + 1) % names.length][0];

/** Buttons for what is shown; those that need a received file wait for one. */
export function ShownButtons({ shown, setShown, received }: { shown: Shown; setShown: (s: Shown) => void; received: boolean }) {
  return (
    <div className="float" style={{ left: 18, top: 12 }} role="group" aria-label="What is shown">
      {names.map(([id, name]) => (
        <Button
          key={id}
          aria-pressed={shown === id}
          disabled={!received && id !== 'designed' && id !== 'both'}
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
