'use client';
import { useEffect, useRef, type RefObject } from 'react';

/** What somebody types in keeps the focus. */
const typedIn = 'input:not([type=checkbox], [type=radio], [type=file]), textarea, [contenteditable]';

/** What a person asked for and waits to see: the written file of a part, or the part that came of a kept proposal. */
type Awaited = `file of ${string}` | `part ${string}`;
let awaited: Awaited | null = null;

/** The result of this gets the focus once it is on the page. */
export const awaitFocus = (what: Awaited): void => void (awaited = what);

/** Gives the focus to the result of what was asked for, unless somebody types meanwhile. @param selector the result @returns whether it is there */
export function focusOn(selector: string): boolean {
  const found = document.querySelector<HTMLElement>(selector);
  if (found && !document.activeElement?.matches(typedIn)) found.focus();
  return found !== null;
}

/** An element that takes the focus when it is what was awaited. @param is changes when another one stands there */
export function useAwaited<E extends HTMLElement>(what: Awaited, is: string): RefObject<E | null> {
  const ref = useRef<E>(null);
  useEffect(() => {
    if (awaited !== what || !ref.current) return;
    awaited = null;
    if (!document.activeElement?.matches(typedIn)) ref.current.focus();
  }, [what, is]);
  return ref;
}
