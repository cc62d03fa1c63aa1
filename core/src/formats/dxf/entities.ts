import { throughPoints } from '../../curves/through.ts';
import { ellipseFrom, turn, type P2, type Segment } from '../../curves/segment.ts';
import { ahead, bulged, degrees, splineBy, type Chain } from './chains.ts';
import { colourOfNumber } from './colours.ts';
import { hatchPaths } from './hatch.ts';
import { numberAt, type Entity } from './entity.ts';

const allAt = (e: Entity, code: number): number[] => {
  const found: number[] = [];
  for (let i = 0; i < e.codes.length; i++) if (e.codes[i] === code) found.push(Number(e.values[i]));
  return found;
};

const pointsAt = (e: Entity, code: number): P2[] => {
  const x = allAt(e, code);
  const y = allAt(e, code + 10);
  return x.map((v, i): P2 => [v, y[i] ?? 0]);
};

/** The colour that an entity names: true colour (420) before the colour number. */
export function colourIn(e: Entity, index: number): string | null {
  const i = e.codes.indexOf(420);
  if (i >= 0) return `#${(Number(e.values[i]) & 0xffffff).toString(16).padStart(6, '0')}`;
  return colourOfNumber(index);
}

/** Entities whose points are in their own plane; the others are in the world's. */
export const inOwnPlane = new Set(['ARC', 'CIRCLE', 'LWPOLYLINE', 'POLYLINE', 'TEXT', 'INSERT', 'SOLID', 'TRACE', 'HATCH', 'ATTRIB']);

/** The chains of an entity; null when it is a kind that is not read. */
export function chainsOf(e: Entity): Chain[] | null {
  switch (e.type) {
    case 'LINE':
      return [{ segments: [{ kind: 'line', a: [numberAt(e, 10), numberAt(e, 20)], b: [numberAt(e, 11), numberAt(e, 21)] }], closed: false }];
    case 'CIRCLE':
      return [{ segments: [{ kind: 'arc', centre: [numberAt(e, 10), numberAt(e, 20)], radius: numberAt(e, 40), start: 0, sweep: turn }], closed: true }];
    case 'ARC': {
      const start = numberAt(e, 50) * degrees;
      const sweep = ahead(start, numberAt(e, 51) * degrees);
      const arc: Segment = { kind: 'arc', centre: [numberAt(e, 10), numberAt(e, 20)], radius: numberAt(e, 40), start, sweep };
      return [{ segments: [arc], closed: sweep >= turn }];
    }
    case 'ELLIPSE':
      return [ellipse(e)];
    case 'LWPOLYLINE':
      return [lightPolyline(e)];
    case 'POLYLINE':
      return polyline(e);
    case 'SPLINE':
      return spline(e);
    case 'SOLID':
    case 'TRACE':
      return outline([10, 11, 13, 12].map((c) => cornerAt(e, c)));
    case '3DFACE':
      return outline([10, 11, 12, 13].map((c) => cornerAt(e, c)));
    case 'HATCH':
      return hatchPaths(e);
    default:
      return null;
  }
}

const cornerAt = (e: Entity, code: number): P2 | null => (e.codes.includes(code) ? [numberAt(e, code), numberAt(e, code + 10)] : null);

function outline(corners: (P2 | null)[]): Chain[] {
  const points = corners.filter((p): p is P2 => p !== null).filter((p, i, all) => i === 0 || p[0] !== all[i - 1][0] || p[1] !== all[i - 1][1]);
  if (points.length > 1 && points[0][0] === points[points.length - 1][0] && points[0][1] === points[points.length - 1][1]) points.pop();
  if (points.length < 3) return [];
  return [{ segments: points.map((a, i): Segment => ({ kind: 'line', a, b: points[(i + 1) % points.length] })), closed: true }];
}

function ellipse(e: Entity): Chain {
  const centre: P2 = [numberAt(e, 10), numberAt(e, 20)];
  const major = [numberAt(e, 11), numberAt(e, 21), numberAt(e, 31)];
  const n = [numberAt(e, 210), numberAt(e, 220), numberAt(e, 230, 1)];
  const size = Math.hypot(...n) || 1;
  const ratio = numberAt(e, 40, 1);
  // The minor axis is the normal times the major one.
  const minor: P2 = [((n[1] * major[2] - n[2] * major[1]) / size) * ratio, ((n[2] * major[0] - n[0] * major[2]) / size) * ratio];
  const start = numberAt(e, 41, 0);
  const sweep = ahead(start, numberAt(e, 42, turn));
  return { segments: [ellipseFrom(centre, [[major[0], major[1]], minor], start, sweep)], closed: sweep >= turn - 1e-9 };
}

function lightPolyline(e: Entity): Chain {
  const points: P2[] = [];
  const bulges: number[] = [];
  let flags = 0;
  for (let i = 0; i < e.codes.length; i++) {
    const code = e.codes[i];
    const v = e.values[i] as number;
    if (code === 10) {
      points.push([v, 0]);
      bulges.push(0);
    } else if (points.length > 0 && code === 20) points[points.length - 1][1] = v;
    else if (points.length > 0 && code === 42) bulges[points.length - 1] = v;
    else if (code === 70) flags = v;
  }
  return bulged(points, bulges, (flags & 1) === 1);
}

function polyline(e: Entity): Chain[] | null {
  const flags = numberAt(e, 70);
  if (flags & (16 | 64)) return null;
  // Vertices that only steer a fitted curve (flag 16) are not on it.
  const vertices = (e.vertices ?? []).filter((v) => !(numberAt(v, 70) & 16));
  const points = vertices.map((v): P2 => [numberAt(v, 10), numberAt(v, 20)]);
  const chain = bulged(
    points,
    vertices.map((v) => (flags & 8 ? 0 : numberAt(v, 42))),
    (flags & 1) === 1,
  );
  return chain.segments.length ? [chain] : [];
}

function spline(e: Entity): Chain[] {
  const flags = numberAt(e, 70);
  const degree = numberAt(e, 71, 3);
  const points = pointsAt(e, 10);
  const knots = allAt(e, 40);
  const weights = allAt(e, 41);
  const closedFlag = (flags & 1) === 1;
  const curve = splineBy(degree, knots, points, weights);
  if (curve) return [{ segments: [curve], closed: closedFlag }];
  const fit = pointsAt(e, 11);
  if (fit.length < 2) return [];
  const start = e.codes.includes(12) ? ([numberAt(e, 12), numberAt(e, 22)] as P2) : null;
  const end = e.codes.includes(13) ? ([numberAt(e, 13), numberAt(e, 23)] as P2) : null;
  return [{ segments: throughPoints(fit, start, end), closed: closedFlag && fit[0][0] === fit[fit.length - 1][0] && fit[0][1] === fit[fit.length - 1][1] }];
}
