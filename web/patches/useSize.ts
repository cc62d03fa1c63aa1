'use client';
import { useEffect, useState, type RefObject } from 'react';

/** The size of something on the page, in pixels, as it changes; null before it is known. */
export function useSize(of: RefObject<Element | null>): readonly [number, number] | null {
  const [size, setSize] = useState<readonly [number, number] | null>(null);
  useEffect(() => {
    if (!of.current) return;
    const watch = new ResizeObserver(([entry]) => {
      const { width, height } = entry.contentRect;
      if (width > 0 && height > 0) setSize([Math.round(width), Math.round(height)]);
    });
    watch.observe(of.current);
    return () => watch.disconnect();
  }, [of]);
  return size;
}
