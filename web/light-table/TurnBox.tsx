import { Button } from 'antd';
import type { Side } from './Scene.ts';
import style from './turnbox.module.css';

const squares: { side: Side; name: string; row: number; column: number; key: string }[] = [
  { side: 'top', name: 'Top', row: 1, column: 2, key: 'T' },
  { side: 'left', name: 'Left', row: 2, column: 1, key: 'L' },
  { side: 'front', name: 'Front', row: 2, column: 2, key: 'F' },
  { side: 'right', name: 'Right', row: 2, column: 3, key: 'R' },
  { side: 'back', name: 'Back', row: 2, column: 4, key: 'K' },
  { side: 'under', name: 'Under', row: 3, column: 2, key: 'U' },
  { side: 'corner', name: 'Corner', row: 3, column: 4, key: 'A' },
];

/** The view is turned by an unfolded box: six squares laid flat, and one for a view from the corner. */
export function TurnBox({ side, turn }: { side: Side | null; turn: (side: Side) => void }) {
  return (
    <div className={style.turnbox} role="group" aria-label="Turn the view">
      <div className={style.faces}>
        {squares.map((s) => (
          <Button
            key={s.side}
            style={{ gridRow: s.row, gridColumn: s.column }}
            aria-pressed={side === s.side}
            title={`${s.name} (${s.key})`}
            onClick={() => turn(s.side)}
          >
            {s.name}
          </Button>
        ))}
      </div>
    </div>
  );
}
