'use client';
import { useEffect, useRef, type RefObject } from 'react';

/** What a person asked for and waits to see: the written file of a part, or the part that came of a kept proposal. */
type Awaited = `file of ${string}` | `part ${string}`;
let awaited: { what: Awaited; from: Element | null } | null = null;

/** Somebody who went on to something else meanwhile keeps the focus there. @param from what had it when the result was asked for */
const isFree = (from: Element | null): boolean => document.activeElement === document.body || document.activeElement === from;

/** The result of this gets the focus once it is on the page. */
export const awaitFocus = (what: Awaited): void => void (awaited = { what, from: document.activeElement });

/** How often and how long one waits for a result to be drawn, ms. */
const everyMs = 100;
const withinMs = 4000;
let waiting: ReturnType<typeof setInterval> | undefined;

/** Gives the focus to a result once it is drawn, unless somebody went on meanwhile; one that is waited for takes the place of an earlier one. @param selector the result @param from what had the focus when it was asked for */
export function focusOn(selector: string, from: Element | null = document.activeElement): void {
  clearInterval(waiting);
  const until = Date.now() + withinMs;
  const look = () => {
    const found = document.querySelector<HTMLElement>(selector);
    if (!found && Date.now() < until) return;
    clearInterval(waiting);
    if (isFree(from)) found?.focus();
  };
  waiting = setInterval(look, everyMs);
  look();
}

/** An element that takes the focus when it is what was awaited. @param is changes when another one stands there */
export function useAwaited<E extends HTMLElement>(what: Awaited, is: string): RefObject<E | null> {
  const ref = useRef<E>(null);
  useEffect(() => {
    if (awaited?.what !== what || !ref.current) return;
    if (isFree(awaited.from)) ref.current.focus();
    awaited = null;
  }, [what, is]);
  return ref;
}
