import type { ArcSegment, P2 } from '../../curves/segment.ts';
import type { Area } from './macro.ts';
import type { Track } from './write.ts';

/** What an aperture is, in mm about its middle. */
export interface Aperture {
  /** Of a round aperture without a hole; null for other shapes. */
  diameter: number | null;
  areas: Area[];
  /** ".AperFunction" and what else was said of it. */
  use: readonly string[];
  /** A block: things of their own. */
  block?: GerberObject[];
}

/** How an aperture is set down: mirrored first, then scaled, then turned (rad). */
export interface Setting {
  mirrorX: boolean;
  mirrorY: boolean;
  scale: number;
  angle: number;
}

/** One thing of the image, in the order of the file. Lengths in mm. */
export type GerberObject = { dark: boolean } & (
  | { kind: 'stroke'; track: Track; aperture: Aperture; setting: Setting }
  | { kind: 'flash'; at: P2; aperture: Aperture; setting: Setting }
  | { kind: 'region'; chains: Track[][] }
);

/** Set down as it is. */
export const plain: Setting = { mirrorX: false, mirrorY: false, scale: 1, angle: 0 };

/** A track about the origin, larger by a factor. */
export const scaledTrack = (t: Track, k: number): Track =>
  k === 1
    ? t
    : t.kind === 'line'
      ? { kind: 'line', a: [t.a[0] * k, t.a[1] * k], b: [t.b[0] * k, t.b[1] * k] }
      : { ...t, centre: [t.centre[0] * k, t.centre[1] * k], radius: t.radius * k };

/** A track moved. */
export const movedTrack = (t: Track, [dx, dy]: P2): Track =>
  t.kind === 'line' ? { kind: 'line', a: [t.a[0] + dx, t.a[1] + dy], b: [t.b[0] + dx, t.b[1] + dy] } : { ...t, centre: [t.centre[0] + dx, t.centre[1] + dy] };

/** A thing moved. */
export function movedObject(o: GerberObject, by: P2): GerberObject {
  if (o.kind === 'stroke') return { ...o, track: movedTrack(o.track, by) };
  if (o.kind === 'flash') return { ...o, at: [o.at[0] + by[0], o.at[1] + by[1]] };
  return { ...o, chains: o.chains.map((c) => c.map((t) => movedTrack(t, by))) };
}

/** A place as a setting puts it: mirrored, scaled, turned. */
export function settled([x, y]: P2, { mirrorX, mirrorY, scale, angle }: Setting): P2 {
  const [u, v] = [(mirrorX ? -x : x) * scale, (mirrorY ? -y : y) * scale];
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  return angle === 0 ? [u, v] : [c * u - s * v, s * u + c * v];
}

/** A track as a setting puts it. */
export function settledTrack(t: Track, setting: Setting): Track {
  if (t.kind === 'line') return { kind: 'line', a: settled(t.a, setting), b: settled(t.b, setting) };
  const flipped = setting.mirrorX !== setting.mirrorY;
  // An angle as its direction, mirrored and turned.
  const from = settled([Math.cos(t.start), Math.sin(t.start)], { ...setting, scale: 1 });
  const arc: ArcSegment = {
    kind: 'arc',
    centre: settled(t.centre, setting),
    radius: t.radius * setting.scale,
    start: Math.atan2(from[1], from[0]),
    sweep: flipped ? -t.sweep : t.sweep,
  };
  return arc;
}

/** Two settings one after the other. */
function both(inner: Setting, outer: Setting): Setting {
  const flips = outer.mirrorX !== outer.mirrorY;
  return {
    mirrorX: inner.mirrorX !== outer.mirrorX,
    mirrorY: inner.mirrorY !== outer.mirrorY,
    scale: inner.scale * outer.scale,
    angle: (flips ? -inner.angle : inner.angle) + outer.angle,
  };
}

/** A thing of a block as it is set down at a place; a clear one turns dark and clear about. */
export function settledObject(o: GerberObject, at: P2, setting: Setting, dark: boolean): GerberObject {
  const polarity = dark ? o.dark : !o.dark;
  if (o.kind === 'stroke') return { ...o, dark: polarity, track: movedTrack(settledTrack(o.track, setting), at), setting: both(o.setting, setting) };
  if (o.kind === 'flash') {
    const [x, y] = settled(o.at, setting);
    return { ...o, dark: polarity, at: [x + at[0], y + at[1]], setting: both(o.setting, setting) };
  }
  return { ...o, dark: polarity, chains: o.chains.map((c) => c.map((t) => movedTrack(settledTrack(t, setting), at))) };
}
