/**
 * The one colour that a part gets whose faces have colours of their own: that of all faces where they agree, else what the part itself is given, else what most of
 * them have; and how many faces have another one.
 * @param own colour of the part, #rrggbb; null for none
 * @param faces colour of each face; null where it has none of its own
 * @example colourOfFaces('#ffffff', ['#ff0000', null]) // { colour: '#ffffff', others: 1 }
 */
export function colourOfFaces(own: string | null, faces: readonly (string | null)[]): { colour: string | null; others: number } {
  const many = new Map<string | null, number>();
  for (const face of faces) many.set(face ?? own, (many.get(face ?? own) ?? 0) + 1);
  const most = [...many].filter(([colour]) => colour !== null).sort((a, b) => b[1] - a[1]);
  if (most.length === 0) return { colour: own, others: 0 };
  const colour = many.size === 1 ? most[0][0] : (own ?? most[0][0]);
  return { colour, others: faces.length - (many.get(colour) ?? 0) };
}
