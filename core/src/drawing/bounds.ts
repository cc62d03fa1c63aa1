/** How far a stretch that is made smooth may lie off what was there, mm of the finished part: least and most. */
export const stretchBounds = [0.001, 100] as const;
