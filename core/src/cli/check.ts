import { worst, type Finding, type Severity } from '../base/finding.ts';
import { command, type Asked, type Report } from '../command/command.ts';
import { millimetres } from '../command/option.ts';
import { facetOptions, meshesOf, readOptions, type Loaded } from '../command/source.ts';
import { receiverFor, receiverOption } from '../command/written.ts';
import { checked, type CheckWish } from '../operations/check.ts';

const options = { bead: millimetres([0.05, 5], "Thinnest wall that is made; usually the receiver's."), ...receiverOption, ...readOptions, ...facetOptions };

/** How heavy a mesh is is told against this deviation when none is typed, mm. */
const usualDeviation = 0.05;

/** What reading found of a mesh and the whole check finds again. */
const foundAgain = new Set([
  'open-edges',
  'non-manifold-edges',
  'flipped-triangles',
  'degenerate-triangles',
  'several-shells',
  'inside-out',
  'self-intersections',
  'shells-overlap',
  'shell-inside-out',
  'wall-in-solid',
]);

/** One part: its figures, and what is said of it. */
function partOf({ name, mesh, findings: read }: Loaded, wish: CheckWish) {
  const { found, thickness, findings: own } = checked(mesh, wish);
  const findings: Finding[] = [...own, ...read.filter((f) => !foundAgain.has(f.code))];
  const { where: _, openEdgeVertices: __, measures, ...counts } = found;
  const sound = found.closed && found.selfIntersections === 0;
  const state = !found.closed ? 'not closed' : sound ? `closed, ${measures.volume.toFixed(3)} mm3` : 'closed, through itself';
  const wall = thickness && Number.isFinite(thickness.least) ? `, thinnest wall ${thickness.least.toPrecision(4)} mm` : '';
  const line = `${name}: ${found.triangles} triangles, ${state}, ${found.roles.map((r) => r.role).join(', ') || 'no shell'}${wall}`;
  const { box, area, volume } = measures;
  return { line, json: { name, ...counts, box, area, volume: sound ? volume : null, thickness, findings } };
}

async function run(asked: Asked<typeof options>): Promise<Report> {
  const loaded = await meshesOf(asked.files[0], { ...asked, places: 'one' });
  const receiver = receiverFor(asked.receiver, 'stl');
  const wish = { scale: 1, receiver, bead: asked.bead ?? receiver.bead, deviation: asked.deviation ?? usualDeviation, thickness: true };
  const told = loaded.map((part) => partOf(part, wish));
  const parts = told.map((t) => t.json);
  const severities: Severity[] = parts.map((p) => worst(p.findings.map((f) => f.severity)));
  const lines = told.flatMap(({ line, json }) => [line, ...json.findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}`)]);
  return { json: { input: asked.files[0], receiver: receiver.id, parts, verdict: worst(severities) }, text: `${lines.join('\n')}\n`, severities };
}

export const checkCommand = command({
  word: 'check',
  takes: 'IN',
  least: 1,
  most: 1,
  out: null,
  options,
  does: 'The whole check: edges, holes, self-intersections, what each shell is, thin walls.',
  example: 'check "WS-109 gauge float.stl"',
  run,
});
