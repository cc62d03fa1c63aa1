import { BufferAttribute, BufferGeometry, Color, DoubleSide, Mesh, MeshLambertMaterial } from 'three';

/** The inks of a difference: outside the design, within it, and where both agree. */
interface DifferenceInks {
  outside: Color;
  within: Color;
  same: Color;
}

interface Colouring {
  /** The distance of full ink, mm. */
  most: number;
  inks: DifferenceInks;
  /** Which triangles are drawn, by how far they lie off; all when absent. */
  wanted?: (off: number) => boolean;
}

/**
 * A print with a colour for each triangle.
 * @param off how far each triangle lies off the other print, mm; outside positive
 */
export function colouredPrint(
  { positions, triangles: t }: { positions: ArrayLike<number>; triangles: ArrayLike<number> },
  off: Float32Array,
  { most, inks: { outside, within, same }, wanted = () => true }: Colouring,
): Mesh {
  const taken = off.reduce((n, d) => n + (wanted(d) ? 1 : 0), 0);
  const corners = new Float32Array(taken * 9);
  const colours = new Float32Array(taken * 9);
  const colour = new Color();
  let at = 0;
  for (let k = 0; k < off.length; k++) {
    if (!wanted(off[k])) continue;
    colour.copy(same).lerp(off[k] > 0 ? outside : within, most > 0 ? Math.min(1, Math.abs(off[k]) / most) : 0);
    for (let c = k * 3; c < k * 3 + 3; c++, at += 3) {
      for (let d = 0; d < 3; d++) corners[at + d] = positions[t[c] * 3 + d];
      colours.set([colour.r, colour.g, colour.b], at);
    }
  }
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(corners, 3));
  geometry.setAttribute('color', new BufferAttribute(colours, 3));
  return new Mesh(geometry, new MeshLambertMaterial({ vertexColors: true, side: DoubleSide, flatShading: true }));
}
