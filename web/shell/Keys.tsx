'use client';
import dynamic from 'next/dynamic';
import { useEffect, useRef } from 'react';

const Dialog = dynamic(() => import('./Dialog.tsx').then((m) => m.Dialog), { ssr: false });

const lists: { where: string; keys: [string, string][] }[] = [
  {
    where: 'Everywhere',
    keys: [
      ['?', 'this list'],
      ['Ctrl Z', 'undo in this job'],
      ['Ctrl Shift Z', 'do it again'],
    ],
  },
  {
    where: 'Ledger',
    keys: [
      ['↑ ↓', 'choose a part'],
      ['Enter', 'lay it on the light table'],
      ['B', 'bring in files'],
      ['W', 'write the chosen part'],
      ['X', 'tick it for a release'],
      ['Ctrl A', 'tick all that are shown'],
    ],
  },
  {
    where: 'Light table',
    keys: [
      ['[ ]', 'step before, step after'],
      ['F K L R T U', 'front, back, left, right, top, under'],
      ['A', 'a view from the corner'],
      ['D', 'Designed, overlaid, Received, side by side'],
      ['M', 'measure'],
      ['E', 'edges of triangles'],
      ['Esc', 'stop picking'],
      ['W', 'write the file'],
    ],
  },
  {
    where: 'Sheet table, for a drawing',
    keys: [
      ['F', 'all of it in the picture'],
      ['+ −', 'closer, further away'],
      ['[ ] D W Esc', 'as on the light table'],
    ],
  },
  {
    where: 'Join and divide',
    keys: [
      ['F K L R T U A', 'views, as on the light table'],
      ['Esc', 'choose nothing'],
    ],
  },
  {
    where: 'Beds',
    keys: [
      ['Tab', 'the next part on the bed'],
      ['← → ↑ ↓', 'move it 1 mm, with Shift 10 mm'],
    ],
  },
];

/** The list of shortcuts. */
export function Keys({ open, close }: { open: boolean; close: () => void }) {
  if (!open) return null;
  return (
    <Dialog title="Keys" close={close}>
      {lists.map((list) => (
        <section key={list.where} style={{ marginBottom: 14 }}>
          <h3 style={{ fontSize: 14, marginBottom: 4 }}>{list.where}</h3>
          {list.keys.map(([key, what]) => (
            <div key={key} style={{ display: 'flex', gap: 14, padding: '2px 0' }}>
              <span style={{ width: 130, flex: 'none' }}>
                <kbd>{key}</kbd>
              </span>
              {what}
            </div>
          ))}
        </section>
      ))}
    </Dialog>
  );
}

/** Single keys, off while something is typed. Names: the key, with "Ctrl+" or "Ctrl+Shift+" before it. */
export function useShortcuts(handlers: Record<string, () => void>) {
  const latest = useRef(handlers);
  useEffect(() => {
    latest.current = handlers;
  });
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      const typing = target.matches('input:not([type=range]):not([type=checkbox]), textarea, select, [contenteditable]');
      const control = event.ctrlKey || event.metaKey;
      if (typing || event.altKey || document.querySelector('[role=dialog]')) return;
      const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
      const name = control ? `Ctrl+${event.shiftKey ? 'Shift+' : ''}${key}` : key;
      const handler = latest.current[name];
      if (!handler) return;
      event.preventDefault();
      handler();
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, []);
}
