'use client';

/** Which of the two pictures are laid on the table, and how. */
export type Shown = 'designed' | 'both' | 'received' | 'beside' | 'difference';

const names: [Shown, string][] = [
  ['designed', 'Designed'],
  ['both', 'Both, overlaid'],
  ['received', 'Received'],
  ['beside', 'Side by side'],
  ['difference', 'Difference'],
];

/** The next way of showing, in a ring. @param differs whether how far both lie apart can be shown */
export function nextShown(shown: Shown, differs = false): Shown {
  const ring = names.filter(([s]) => differs || s !== 'difference');
  return ring[(ring.findIndex(([s]) => s === shown) + 1) % ring.length][0];
}

interface ButtonsProps {
  shown: Shown;
  setShown: (s: Shown) => void;
  received: boolean;
  /** Whether how far both lie apart can be shown; absent where that is never shown. */
  differs?: boolean;
}

/** Buttons for what is shown; those that need a received file wait for one. */
export function ShownButtons({ shown, setShown, received, differs }: ButtonsProps) {
  return (
    <div className="float" style={{ left: 18, top: 12 }} role="group" aria-label="What is shown">
      {names
        .filter(([id]) => differs !== undefined || id !== 'difference')
        .map(([id, name]) => (
          <Button
            key={id}
            aria-pressed={shown === id}
            disabled={id === 'difference' ? !differs : !received && id !== 'designed' && id !== 'both'}
            title={id === 'difference' ? 'How far both lie apart, as colours' : undefined}
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
