import type { CrossSection } from 'manifold-3d';
import { Unusable } from '../../base/finding.ts';
import type { Engine } from '../../engine/engine.ts';
import { endOf, startOf, turn, type ArcSegment, type P2 } from '../../curves/segment.ts';
import type { DrillTool } from '../drill/read.ts';
import type { Area } from './macro.ts';
import { movedTrack, settledTrack, type Aperture, type GerberObject, type Setting } from './objects.ts';
import type { Track } from './write.ts';
import { append } from '../../base/rows.ts';

/**
 * Arcs as polygons that enclose as much as they do: corners lie as far outside as chords lie inside, so that areas are right to higher order.
 * Radius of the corners for an angle a between them: r sqrt(a / sin a), from equal areas of sector and triangle.
 */
const evenRadius = (radius: number, step: number): number => radius * Math.sqrt(step / Math.sin(step));

/** Chords of an arc, so that its points lie within `fine` mm of it. */
const stepsOf = (radius: number, sweep: number, fine: number): number =>
  Math.min(mostSteps, Math.max(2, Math.ceil(Math.abs(sweep) / (2 * Math.acos(Math.max(0.5, 1 - fine / Math.max(radius, fine * 2)))))));
/** So many chords stand for one arc at most: those of a circle of a kilometre to a ten-thousandth of a millimetre. */
const mostSteps = 250_000;
/** Images of more corners than that are no board. */
const mostCorners = 60_000_000;

function arcInto(arc: ArcSegment, fine: number, out: P2[]): void {
  const n = stepsOf(arc.radius, arc.sweep, fine);
  const r = evenRadius(arc.radius, Math.abs(arc.sweep) / n);
  for (let k = 1; k < n; k++) {
    const a = arc.start + (arc.sweep * k) / n;
    out.push([arc.centre[0] + r * Math.cos(a), arc.centre[1] + r * Math.sin(a)]);
  }
}

/** Corners of a closed chain; a full circle all around. */
export function ringOfTracks(tracks: readonly Track[], fine: number): P2[] {
  const out: P2[] = [];
  for (const t of tracks) {
    if (t.kind === 'arc' && Math.abs(t.sweep) >= turn - 1e-9) {
      const n = stepsOf(t.radius, turn, fine);
      const r = evenRadius(t.radius, turn / n);
      for (let k = 0; k < n; k++) out.push([t.centre[0] + r * Math.cos((turn * k) / n), t.centre[1] + r * Math.sin((turn * k) / n)]);
      continue;
    }
    out.push(startOf(t) as P2);
    if (t.kind === 'arc') arcInto(t, fine, out);
  }
  return out;
}

/** A full circle. */
const round = ([x, y]: P2, r: number): Track[] => [{ kind: 'arc', centre: [x, y], radius: r, start: 0, sweep: turn }];

/** What a round pen covers along a track: the band and the rounds at its ends. */
function band(t: Track, width: number): Track[][] {
  const r = width / 2;
  const [a, b] = [startOf(t), endOf(t)];
  if (t.kind === 'line') {
    const length = Math.hypot(b[0] - a[0], b[1] - a[1]);
    if (length === 0) return [round(a, r)];
    const angle = Math.atan2(b[1] - a[1], b[0] - a[0]);
    const [nx, ny] = [-Math.sin(angle) * r, Math.cos(angle) * r];
    const half = (centre: P2, start: number): Track => ({ kind: 'arc', centre, radius: r, start, sweep: Math.PI });
    return [[
      { kind: 'line', a: [a[0] - nx, a[1] - ny], b: [b[0] - nx, b[1] - ny] }, half(b, angle - Math.PI / 2),
      { kind: 'line', a: [b[0] + nx, b[1] + ny], b: [a[0] + nx, a[1] + ny] }, half(a, angle + Math.PI / 2),
    ]]; // prettier-ignore
  }
  const outer: Track = { ...t, radius: t.radius + r };
  const ends = [round(a, r), round(b, r)];
  if (Math.abs(t.sweep) >= turn - 1e-9) return [[outer], ...(t.radius > r ? [[{ ...t, radius: t.radius - r, sweep: -t.sweep } as Track]] : [])];
  if (t.radius <= r) {
    const join = (p: P2, q: P2): Track => ({ kind: 'line', a: p, b: q });
    return [[join(t.centre, startOf(outer)), outer, join(endOf(outer), t.centre)], ...ends];
  }
  const inner: ArcSegment = { ...t, radius: t.radius - r, start: t.start + t.sweep, sweep: -t.sweep };
  const side = (p: P2, q: P2): Track => ({ kind: 'line', a: p, b: q });
  return [[outer, side(endOf(outer), startOf(inner)), inner, side(endOf(inner), startOf(outer))], ...ends];
}

/** Builds images of Gerber layers as areas. Lengths in mm; what it returns is to be deleted by the caller. */
export class Images {
  private readonly engine: Engine;
  /** How far corners of polygons may lie from their arcs, mm. */
  private readonly fine: number;
  private made = 0;
  constructor(engine: Engine, fine = 1e-4) {
    this.engine = engine;
    this.fine = fine;
  }

  /** Chains as rings of corners. @throws Unusable when all of them together are too many */
  private corners(chains: readonly (readonly Track[])[]): P2[][] {
    const out: P2[][] = [];
    for (const c of chains) {
      const ring = ringOfTracks(c, this.fine);
      this.made += ring.length;
      if (this.made > mostCorners) throw new Unusable('too-much', 'The layers of this board draw more than can be laid out.', 'Export them with fewer things.');
      if (ring.length > 2) out.push(ring);
    }
    return out;
  }

  /** Rings as one area, each by its own sense laid right way round. */
  private rings(chains: readonly (readonly Track[])[], fill: 'NonZero' | 'EvenOdd'): CrossSection {
    const rings = this.corners(chains);
    if (fill === 'NonZero') for (const r of rings) if (signed(r) < 0) r.reverse();
    return rings.length === 0 ? this.engine.CrossSection.union([]) : this.engine.CrossSection.ofPolygons(rings, fill);
  }

  private joined(list: CrossSection[]): CrossSection {
    if (list.length === 1) return list[0];
    const all = this.engine.CrossSection.union(list);
    for (const c of list) c.delete();
    return all;
  }

  /** An aperture as it is set down at a place. */
  private flashed({ areas }: Aperture, setting: Setting, [x, y]: P2): CrossSection {
    const put = ({ chains }: Area) => chains.map((c) => c.map((t) => movedTrack(settledTrack(t, setting), [x, y])));
    if (areas.every((a) => a.on)) return this.rings(areas.flatMap(put), 'NonZero');
    let out = this.engine.CrossSection.union([]);
    for (const a of areas) {
      const one = this.rings(put(a), 'NonZero');
      const next = a.on ? out.add(one) : out.subtract(one);
      out.delete();
      one.delete();
      out = next;
    }
    return out;
  }

  private stroked(track: Track, aperture: Aperture, setting: Setting): CrossSection {
    if (aperture.diameter !== null) {
      const chains = band(track, aperture.diameter * setting.scale);
      // A full ring has its opening inside it.
      return this.rings(chains, isRing(track) ? 'EvenOdd' : 'NonZero');
    }
    // Other pens cover the hull of what they cover at both ends of each straight piece.
    const points = track.kind === 'line' ? [track.a, track.b] : [startOf(track), ...inner(track, this.fine), endOf(track)];
    const hulls = points.slice(1).map((q, i) => {
      const ends = [this.flashed(aperture, setting, points[i]), this.flashed(aperture, setting, q)];
      const hull = this.engine.CrossSection.hull(ends);
      for (const e of ends) e.delete();
      return hull;
    });
    return this.joined(hulls);
  }

  private of(o: GerberObject): CrossSection {
    if (o.kind === 'region') return this.region(o.chains);
    return o.kind === 'flash' ? this.flashed(o.aperture, o.setting, o.at) : this.stroked(o.track, o.aperture, o.setting);
  }

  /** A region: what its contours go round, each by itself; one that goes round itself has what it goes round once. */
  private region(chains: Track[][]): CrossSection {
    return this.joined(chains.map((c) => this.rings([c], 'NonZero')));
  }

  /** The rings of a thing, each laid right way round, when what it covers goes round once by them; null for other things. */
  private plain(o: GerberObject): P2[][] | null {
    if (o.kind === 'flash' && o.aperture.areas.every((a) => a.on))
      return this.upright(o.aperture.areas.flatMap((a) => a.chains.map((c) => c.map((t) => movedTrack(settledTrack(t, o.setting), o.at)))));
    if (o.kind === 'stroke' && o.aperture.diameter !== null && !isRing(o.track)) return this.upright(band(o.track, o.aperture.diameter * o.setting.scale));
    return null;
  }

  private upright(chains: readonly (readonly Track[])[]): P2[][] {
    const rings = this.corners(chains);
    for (const r of rings) if (signed(r) < 0) r.reverse();
    return rings;
  }

  /** What all these things cover. Those with plain rings go at once: each counts once wherever it covers, so that what is not counted nought times is covered. */
  private covered(objects: readonly GerberObject[]): CrossSection {
    const rings: P2[][] = [];
    const others: CrossSection[] = [];
    for (const o of objects) {
      const own = this.plain(o);
      if (own) append(rings, own);
      else others.push(this.of(o));
    }
    if (rings.length > 0) others.push(this.engine.CrossSection.ofPolygons(rings, 'NonZero'));
    return this.joined(others);
  }

  /** The image that a layer's things make in their order. */
  layer(objects: readonly GerberObject[]): CrossSection {
    let image = this.engine.CrossSection.union([]);
    for (let i = 0; i < objects.length;) {
      const { dark } = objects[i];
      const from = i;
      while (i < objects.length && objects[i].dark === dark) i++;
      const laid = this.covered(objects.slice(from, i));
      const next = dark ? image.add(laid) : image.subtract(laid);
      image.delete();
      laid.delete();
      image = next;
    }
    return image;
  }

  /** What is drilled and routed away. */
  drilled(tools: readonly DrillTool[]): CrossSection {
    const rings = tools.flatMap(({ diameter, holes, slots }) =>
      this.upright([...holes.map((h) => round(h, diameter / 2)), ...slots.flatMap((s) => s.filter((t) => !isRing(t)).flatMap((t) => band(t, diameter)))]),
    );
    const whole = tools.flatMap(({ diameter, slots }) => slots.flatMap((s) => s.filter(isRing).map((t) => this.rings(band(t, diameter), 'EvenOdd'))));
    return this.joined([...(rings.length > 0 ? [this.engine.CrossSection.ofPolygons(rings, 'NonZero')] : []), ...whole]);
  }

  /** What closed chains go round, even-odd. */
  inside(chains: readonly (readonly Track[])[]): CrossSection {
    return this.rings(chains, 'EvenOdd');
  }
}

/** A full circle, drawn by a pen: it has an opening. */
const isRing = (t: Track): boolean => t.kind === 'arc' && Math.abs(t.sweep) >= turn - 1e-9;
const inner = (arc: ArcSegment, fine: number): P2[] => {
  const out: P2[] = [];
  arcInto(arc, Math.max(fine, 1e-3), out);
  return out;
};
const signed = (ring: readonly P2[]): number => ring.reduce((sum, [x, y], i) => sum + x * ring[(i + 1) % ring.length][1] - ring[(i + 1) % ring.length][0] * y, 0); // prettier-ignore
