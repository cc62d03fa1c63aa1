import Joi from 'joi';
import type { Mesh } from '../geometry/mesh.ts';
import { heavinessOf } from '../mesh/lighter/lighter.ts';
import { fullCheck } from '../mesh/soundness/full-check.ts';
import { fullFindings } from '../mesh/soundness/full-findings.ts';
import { beadsOf, wallThickness } from '../mesh/soundness/thickness.ts';
import type { Receiver } from '../receivers/receivers.ts';
import { packPlaces } from '../view/places.ts';
import { id, yesOrNo } from './fields.ts';
import { Cancelled, onePart, type Operation, type Outcome, type Progress, type Work } from './operation.ts';
import { ownMesh, scaleOfPart } from './shape.ts';

export interface CheckRequest {
  kind: 'check';
  part: string;
  thickness: boolean;
}

/** How a mesh is checked. `scale` is mm of the finished part for one of its numbers; `deviation` and `bead` are mm. */
export interface CheckWish {
  scale: number;
  receiver: Receiver;
  bead: number;
  deviation: number;
  thickness: boolean;
  progress?: Progress;
}

/** All that is known of a mesh's soundness, walls too when they are asked for and can be measured. @throws Cancelled */
export function checked(mesh: Mesh, { scale, receiver, bead, deviation, thickness: walls, progress = () => false }: CheckWish) {
  const found = fullCheck(mesh, { crossings: true, progress: (s, w) => progress(s * (walls ? 0.5 : 1), w) });
  if (!found) throw new Cancelled();
  const measured = walls && found.closed ? wallThickness(mesh, bead / scale, (s) => progress(0.5 + s / 2, 'measuring walls')) : null;
  if (walls && found.closed && !measured) throw new Cancelled();
  const thickness = measured && {
    least: measured.least * scale,
    thinArea: measured.thinArea * scale ** 2,
    bead,
    beads: beadsOf(measured.least * scale, bead),
  };
  const thin = measured ? Uint32Array.from([...measured.of.keys()].filter((i) => measured.of[i] * scale < bead)) : new Uint32Array(0);
  const heavy = { ...heavinessOf(mesh, deviation / scale), deviation };
  const findings = fullFindings(found, { scale, heavy: heavy.times, deviation, thickness, receiver });
  return { found, thickness, thin, heavy, findings };
}

async function run({ request, parts: [part], tools, progress }: Work<CheckRequest>): Promise<Outcome> {
  const mesh = await ownMesh(part, tools);
  const { receiver, facets } = part.recipe;
  const { deviation } = facets;
  const wish = { scale: scaleOfPart(part), receiver, bead: receiver.bead, deviation, thickness: request.thickness, progress };
  const { found, thickness, thin, heavy, findings } = checked(mesh, wish);
  const { where, ...counts } = found;
  const shown = { openEdgeVertices: undefined, holes: counts.holes.slice(0, 100), roles: counts.roles.slice(0, 200) };
  return {
    report: { check: { ...counts, ...shown, heavy, thickness, findings }, said: [] },
    made: [],
    inPlace: false,
    places: packPlaces(mesh, where, thin),
  };
}

/** The whole check: edges, holes, self-intersections, what each shell is, thin walls. */
export const checkOperation: Operation<CheckRequest> = {
  kind: 'check',
  verb: 'check',
  gives: 'report',
  schema: Joi.object({ part: id, thickness: yesOrNo }),
  parts: onePart,
  run,
};
