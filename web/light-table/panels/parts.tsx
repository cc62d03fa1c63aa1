'use client';
import { receiverOf, receivers } from 'tall-kite/receivers/receivers';
import { saveRecipe, type PanelProps } from './panel.ts';

/** Figures with their names, one a line. */
export function Figures({ rows }: { rows: [string, string][] }) {
  return (
    <dl>
      {rows.map(([name, value]) => (
        <div key={name} style={{ display: 'contents' }}>
          <dt>{name}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}

/** Which receiver the part is for. */
export function ReceiverChoice({ part, tools }: Pick<PanelProps, 'part' | 'tools'>) {
  const choose = (id: string) => saveRecipe({ part, tools }, `send ${part.name} to ${receiverOf(id).name}`, { receiver: id });
  return (
    <label className="row">
      Receiver
      <select className="typed" value={part.recipe.receiver} onChange={(e) => choose(e.target.value)}>
        {receivers.map((r) => (
          <option key={r.id} value={r.id}>
            {r.name}, {r.process}
          </option>
        ))}
      </select>
    </label>
  );
}
