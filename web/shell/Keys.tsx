'use client';
import dynamic from 'next/dynamic';
import { useEffect, useRef } from 'react';

import { keyLists } from './keylists.ts';
import frame from './frame.module.css';

const Dialog = dynamic(() => import('./Dialog.tsx').then((m) => m.Dialog), { ssr: false });

/** The list of shortcuts. */
export function Keys({ open, close }: { open: boolean; close: () => void }) {
  if (!open) return null;
  return (
    <Dialog title="Keys" close={close}>
      {keyLists.map((list) => (
        <section key={list.where} className={frame.keylist}>
          <h3>{list.where}</h3>
          {list.keys.map(([key, what]) => (
            <div key={key}>
              <span>
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

/** What Enter presses where it has the focus. */
const pressed = 'a[href], button, summary, [role=button], [role=tab], [role=menuitem], [role=option]';

/** Single keys, off while something is typed; Enter is left to a link or button that has the focus. Names: the key, with "Ctrl+" or "Ctrl+Shift+" before it. */
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
      if (key === 'Enter' && target.matches(pressed)) return;
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
