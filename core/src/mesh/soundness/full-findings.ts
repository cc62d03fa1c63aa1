import { countText } from '../../base/figures.ts';
import type { Finding, Severity } from '../../base/finding.ts';
import type { Receiver } from '../../receivers/receivers.ts';
import type { FullSoundness } from './full-check.ts';

const many = (count: number, one: string, more = `${one}s`) => `${countText(count)} ${count === 1 ? one : more}`;

/** A finding of the full check, with the kind of place that shows it on the part. */
export interface PlacedFinding extends Finding {
  place: PlaceKind | null;
}

export type PlaceKind = 'open' | 'nonManifold' | 'flipped' | 'crossing' | 'lying' | 'doubled' | 'needles' | 'inside' | 'crumbs' | 'touching' | 'thin';

/** What goes with the check. Lengths in mm of the finished part. */
export interface CheckContext {
  /** mm of the finished part a number of the mesh. */
  scale: number;
  heavy: number;
  deviation: number;
  thickness: { least: number; thinArea: number; bead: number; beads: number } | null;
  receiver: Receiver;
}

/** What was found, told with where it is seen, when there is any of it. */
type Tell = (what: [place: PlaceKind | null, code: string, severity: Severity], count: number, message: string, remedy: string) => void;

const safe = 'Mending does it.';

/** Everything that the full check found, in sentences, the worst first. */
export function fullFindings(found: FullSoundness, context: CheckContext): PlacedFinding[] {
  const out: PlacedFinding[] = [];
  const tell: Tell = ([place, code, severity], count, message, remedy) => {
    if (count > 0) out.push({ place, code, severity, count, message, remedy });
  };
  tellSurface(found, context.scale, tell);
  tellBodies(found, tell);
  tellForReceiver(found, context, tell);
  const rank = { stop: 0, look: 1, clear: 2 };
  return out.sort((a, b) => rank[a.severity] - rank[b.severity]);
}

/** Edges, corners and triangles that are not as they should be. */
function tellSurface(found: FullSoundness, scale: number, tell: Tell): void {
  const mm = (v: number) => `${(v * scale).toPrecision(3)} mm`;
  const [widest] = [...found.holes].sort((a, b) => b.size - a.size);
  tell(
    ['open', 'open-edges', 'stop'],
    found.openEdges,
    `${many(found.openEdges, 'open edge')} in ${many(found.holes.length, 'hole')}${widest ? `, the widest ${mm(widest.size)} across and ${mm(widest.length)} round` : ''}.`,
    safe,
  );
  tell(['nonManifold', 'non-manifold-edges', 'stop'], found.nonManifoldEdges, `${many(found.nonManifoldEdges, 'edge')} with more than two triangles.`, safe);
  tell(['flipped', 'flipped-triangles', 'stop'], found.flippedEdges, `${many(found.flippedEdges, 'edge')} between triangles that face opposite ways.`, safe);
  tell(
    ['crossing', 'self-intersections', 'stop'],
    found.selfIntersections,
    `${many(found.selfIntersections, 'pair')} of triangles go through each other${found.cutShort ? ', and more that were not counted' : ''}.`,
    safe,
  );
  tell(['lying', 'lying-on', 'look'], found.lyingOn, `${many(found.lyingOn, 'pair')} of triangles lie on each other in one plane.`, safe);
  tell(['doubled', 'doubled-triangles', 'look'], found.doubledTriangles, `${many(found.doubledTriangles, 'doubled triangle')}.`, safe);
  tell([null, 'degenerate-triangles', 'look'], found.degenerateTriangles, `${many(found.degenerateTriangles, 'triangle')} without area.`, safe);
  tell(
    ['needles', 'needles', 'clear'],
    found.needles,
    `${many(found.needles, 'needle')}: triangles a thousand times longer than high.`,
    'Harmless, unless another program refuses them.',
  );
  tell(
    [null, 'near-vertices', 'look'],
    found.nearVertices,
    `${many(found.nearVertices, 'vertex', 'vertices')} a hair from another one.`,
    'Welding joins them.',
  );
  tell(
    ['touching', 'touching', 'look'],
    found.nonManifoldEdges === 0 && found.openEdges === 0 ? found.nonManifoldVertices : 0,
    `${many(found.nonManifoldVertices, 'vertex', 'vertices')} where surfaces only touch in a point.`,
    safe,
  );
  tell([null, 'stray-edges', 'look'], found.strayEdges, `${many(found.strayEdges, 'stray edge')} that bound no surface.`, safe);
}

/** What the shells are: crumbs, voids, bodies, walls inside. */
function tellBodies(found: FullSoundness, tell: Tell): void {
  const count = (role: string) => found.roles.filter((r) => r.role === role).length;
  tell(
    ['inside', 'faces-inside', 'look'],
    found.inside,
    `${many(found.inside, 'triangle')} with solid on both sides: a second wall inside.`,
    'Resolving self-intersections takes them out.',
  );
  tell(
    ['crumbs', 'crumbs', 'look'],
    count('crumb'),
    `${many(count('crumb'), 'stray crumb')}, each below 2 % of the part.`,
    'Drop them, if they are no part of it.',
  );
  tell(
    [null, 'voids', 'look'],
    count('void'),
    `${many(count('void'), 'void')} inside: closed hollows.`,
    'Right for a hollow part; resin and powder stay in them.',
  );
  tell(
    [null, 'several-shells', 'look'],
    count('outer') > 1 ? count('outer') : 0,
    `${many(count('outer'), 'separate body', 'separate bodies')} where one part is meant.`,
    'Join them, or divide the part (Join and divide).',
  );
  tell([null, 'inside-out', 'stop'], count('inside-out'), `${many(count('inside-out'), 'shell')} turned inside out.`, safe);
}

/** What its receiver can't make, or not well. */
function tellForReceiver(found: FullSoundness, context: CheckContext, tell: Tell): void {
  const { thickness, receiver } = context;
  if (thickness && thickness.thinArea > 0) {
    tell(
      ['thin', 'thin-walls', 'stop'],
      1,
      `Walls down to ${thickness.least.toPrecision(3)} mm over ${thickness.thinArea.toFixed(1)} mm²: thinner than one bead of ${receiver.name} (${thickness.bead} mm).`,
      'Thicken them in the program that made the part, or choose a receiver with a finer bead.',
    );
  }
  const triangles = found.triangles > receiver.mostTriangles;
  tell(
    [null, 'too-heavy', triangles ? 'stop' : 'look'],
    triangles || (context.heavy > 4 && found.triangles > 20_000) ? 1 : 0,
    `${countText(found.triangles)} triangles, about ${context.heavy >= 100 ? 'a hundred' : Math.round(context.heavy)} times what a deviation of ${context.deviation} mm needs.`,
    'Make it lighter below.',
  );
}
