import type { PointerEvent, RefObject } from 'react';

/** Where a pointer is in the coordinates of a drawing (SVG), y downwards. */
export function placeIn(svg: RefObject<SVGSVGElement | null>, e: PointerEvent): [number, number] {
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.current!.getScreenCTM()!.inverse());
  return [p.x, p.y];
}

/** The way that an arrow key moves a part by one: along X, and upwards. */
export const arrowSteps: Readonly<Record<string, [number, number]>> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
