import { counted } from '../base/figures.ts';

/** How many contours are regular within what the picture tells. */
export interface RegularCounts {
  circles: number;
  rectangles: number;
  rounded: number;
  slots: number;
  /** Alike on both sides of one line: by themselves, or two that mirror each other. */
  mirrored: number;
}

/** What is regular in a picture, in words; empty when nothing is. @example regularText({ circles: 2, rectangles: 0, rounded: 0, slots: 1, mirrored: 0 }) // "2 circles, 1 slot" */
export function regularText({ circles, rectangles, rounded, slots, mirrored }: RegularCounts): string {
  const said = [
    ...(circles > 0 ? [counted(circles, 'circle')] : []),
    ...(rectangles > 0 ? [counted(rectangles, 'rectangle')] : []),
    ...(rounded > 0 ? [`${counted(rounded, 'rectangle')} with round corners`] : []),
    ...(slots > 0 ? [counted(slots, 'slot')] : []),
    ...(mirrored > 0 ? [`${counted(mirrored, 'contour')} alike on both sides of a line`] : []),
  ];
  return said.join(', ');
}

/** Whether making them regular would change anything: circles are circles already. */
export const mayBeRegular = ({ rectangles, rounded, slots, mirrored }: RegularCounts): boolean => rectangles + rounded + slots + mirrored > 0;
