'use client';
import { Input, Button } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import { useState } from 'react';
import { fileNameOf } from 'tall-kite/recipe/recipe';
import { isStopped } from 'tall-kite/steps/registry';
import { recipeFor } from '@/shell/ways.ts';
import { offered, receiverLabel, useReceivers } from '@/stores/useReceivers.ts';
import { saveRecipe, type PanelProps } from './panel.ts';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';

/** Figures with their names, one a line. */
export function Figures({ rows }: { rows: [string, string][] }) {
  return (
    <dl>
      {rows.map(([name, value]) => (
        <div key={name} className="contents">
          <dt>{name}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}

/** The file's name, what it will be called, and the button that writes it. */
export function NameAndWrite({ part, tools }: Pick<PanelProps, 'part' | 'tools'>) {
  const { recipe } = part;
  const { file } = recipe;
  const [name, setName] = useState(file.name ?? '');
  const busy = part.file?.state === 'queued' || part.file?.state === 'writing';
  const save = () => {
    if (name.trim() !== (file.name ?? '')) saveRecipe({ part, tools }, `file name of ${part.name}`, { file: { ...file, name: name.trim() || null } });
  };
  return (
    <>
      <label className={desk.row}>
        Name
        <Input
          className={widths.w200}
          value={name}
          maxLength={100}
          placeholder={part.name}
          onChange={(e) => setName(e.target.value)}
          onBlur={save}
          onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
          size="small"
        />
      </label>
      <p className="context">
        The file will be <span className="figure">{fileNameOf({ name: part.name }, { ...recipe, file: { ...file, name: name.trim() || null } })}</span>
      </p>
      <Button disabled={busy || isStopped(part.steps)} onClick={() => void tools.write(part)} type="primary">
        {busy ? 'Writing …' : 'Write, and read it back'}
      </Button>
    </>
  );
}

/** Which receiver the part is for. */
export function ReceiverChoice({ part, tools }: Pick<PanelProps, 'part' | 'tools'>) {
  const list = offered(part.summary.kind, useReceivers(), part.recipe.receiver);
  const choose = (id: string) => {
    const receiver = list.find((r) => r.id === id)!;
    void saveRecipe({ part, tools }, `send ${part.name} to ${receiver.name}`, recipeFor(part.recipe, receiver));
  };
  return (
    <label className={desk.row}>
      Receiver
      <Choice value={part.recipe.receiver.id} onChange={(value) => choose(value)} options={[...list.map((r) => ({ value: r.id, label: receiverLabel(r) }))]} />
    </label>
  );
}
