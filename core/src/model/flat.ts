import type { P2 } from '../curves/segment.ts';
import type { Contour } from '../curves/drawing.ts';
import type { Vec3 } from '../geometry/vector.ts';

/** One bend of the flat: all bend lines on one axis. Lengths in mm, angles in degrees. */
export interface Bend {
  /** Order in which it is bent. */
  order: number;
  /** Bent through. */
  angle: number;
  /** Inside radius of the design, and of the tool. */
  radius: number;
  tool: number;
  direction: 'up' | 'down';
  length: number;
  allowance: number;
  deduction: number;
  /** K-factor that the allowance comes to. */
  k: number;
  /** Width of the bend zone on the flat: the allowance, or what another tool radius leaves. */
  zone: number;
  rule: string;
  /** A large radius rolled or bumped rather than bent: no bend line. */
  rolled: boolean;
  cone: boolean;
  lines: [P2, P2][];
}

/** Something stamped, formed or fastened on that is no part of the flat. Lengths in mm. */
export interface Feature {
  kind: 'formed' | 'dimple' | 'louvre' | 'extruded hole' | 'boss' | 'pocket';
  side: 'up' | 'down' | 'both';
  /** Size of its foot, and how far it stands out or goes in. */
  size: [number, number];
  height: number;
  at: Vec3;
  centre: P2;
  faces: number[];
  leftOut: boolean;
  /** Its border on the flat, as first laid out; null when it does not show on the up side. */
  outline: Contour | null;
  round: boolean;
  /** A round hole that stays where it was, mm; null for none. */
  hole: number | null;
  /** Hole to be cut before it is drawn up (extruded holes), mm; null where none is needed or known. */
  pilot: number | null;
}

/** The flat folded again and laid over the design. Lengths in mm. */
export interface FoldBack {
  /** Largest distance from the folded flat to the designed edges, and from these to it. */
  there: number;
  back: number;
  distance: number;
  /** Folded thickness off the design's own, measured at every edge; at the worst place. */
  thickness: number;
  /** Volume folded and designed, mm3. */
  volume: number;
  designed: number;
}

/** What a press needs for one bend. Lengths in mm, force in kN. */
export interface Pressed {
  order: number;
  opening: number;
  /** kN for the whole length of the bend. */
  force: number;
  /** The shortest flange that the die holds, measured on the flat from the bend line, and the shortest there is. */
  leastFlange: number;
  flange: number;
  /** The nearest hole to the bend line on the flat; null when there is none near. */
  hole: number | null;
  /** What the sheet runs into when this bend is made in its turn: the punch and ram, or the die and bed. */
  hits: 'punch' | 'die' | null;
}
