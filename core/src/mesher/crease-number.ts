/** The number that creases are kept by in a triangulation: above those of all edges. */
export const creaseNumber = 1 << 29;

/** Whether an edge of a triangulation that is kept under a number is a crease. */
export const isCrease = (number: number): boolean => number >= creaseNumber;
