import { mkdir, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import type { Severity } from '../base/finding.ts';
import { command, type Asked, type Report } from '../command/command.ts';
import { number } from '../command/option.ts';
import { facetOptions, readOptions, wholeOf } from '../command/source.ts';
import { plyFile } from '../formats/ply/write.ts';
import { buildBvh } from '../geometry/bvh/build.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { distancesOf, twoSidedDistance } from '../mesh/lighter/distance.ts';
import { figuresOf } from '../mesh/soundness/figures.ts';
import { choiceLimits } from '../surfaces/presets.ts';

const options = {
  deviation: number('MM', choiceLimits.deviation, 'mm', 'Stop when they are farther apart; exact solids become facets this fine.'),
  ...readOptions,
  angle: facetOptions.angle,
};

async function run(asked: Asked<typeof options>): Promise<Report> {
  const [{ mesh: a }, { mesh: b }] = [await wholeOf(asked.files[0], asked), await wholeOf(asked.files[1], asked)];
  const limit = asked.deviation;
  const { there, back, largest, unsure } = twoSidedDistance(a, b, { limit: limit ?? undefined });
  const distances = distancesOf(a, buildBvh(b));
  const rms = Math.sqrt(distances.reduce((sum, d) => sum + d * d, 0) / Math.max(1, distances.length));
  const [before, after] = [figuresOf(a), figuresOf(b)];
  const severity: Severity = limit !== null && largest > limit ? 'stop' : unsure > (limit ?? 0) ? 'look' : 'clear';
  const at = (point: readonly number[]) => point.map((v) => v.toFixed(3)).join(', ');
  const volumes = before.closed && after.closed ? `${before.volume.toFixed(3)} and ${after.volume.toFixed(3)} mm3` : 'not compared: not both are closed';
  const said = [
    `From the first to the second at most ${there.largest.toPrecision(4)} mm (at X ${at(there.at)}), back at most ${back.largest.toPrecision(4)} mm (at ${at(back.at)}); root mean square at corners ${rms.toPrecision(4)} mm.`,
    `Volume ${volumes}; area ${before.area.toFixed(3)} and ${after.area.toFixed(3)} mm2.`,
  ];
  const coloured = asked.out === '' ? null : asked.out;
  if (coloured !== null) {
    const most = limit ?? (largest || 1);
    await writeColoured(coloured, a, distances, most);
    said.push(`${coloured}: the first, blue where both agree, red at ${most.toPrecision(3)} mm and more.`);
  }
  if (severity === 'look') said.push(`look: they were not compared everywhere; they may be up to ${unsure.toPrecision(3)} mm apart.`);
  if (severity === 'stop') said.push(`stop: farther apart than the ${limit} mm that were asked for.`);
  return {
    json: { inputs: asked.files, largest, there, back, rms, before, after, coloured, limit, verdict: severity, unit: 'mm' },
    text: `${said.join('\n')}\n`,
    severities: [severity],
  };
}

async function writeColoured(file: string, mesh: Mesh, distances: ArrayLike<number>, most: number): Promise<void> {
  const colours = new Uint8Array(mesh.positions.length);
  for (let v = 0; v < distances.length; v++) colours.set(heat(distances[v] / most), v * 3);
  await mkdir(dirname(file), { recursive: true });
  await writeFile(file, Buffer.concat([...plyFile(mesh, { perUnit: 1, unit: 'mm', encoding: 'binary', colours })]));
}

/** Blue over white to red, 0 to 1. */
function heat(share: number): [number, number, number] {
  const s = Math.min(1, Math.max(0, share));
  const mix = (a: number, b: number, k: number) => Math.round(a + (b - a) * k);
  return s < 0.5
    ? [mix(40, 245, s * 2), mix(90, 245, s * 2), mix(200, 245, s * 2)]
    : [mix(245, 200, s * 2 - 1), mix(245, 30, s * 2 - 1), mix(245, 40, s * 2 - 1)];
}

export const compareCommand = command({
  word: 'compare',
  takes: 'A B',
  least: 2,
  most: 2,
  out: { kind: 'file', needed: false, endings: ['ply'] },
  options,
  does: 'How far two surfaces are apart, both ways; stop when farther than --deviation. --out writes the first, coloured by distance.',
  example: 'compare "WS-105 hub.stl" "WS-105 hub.stl" --deviation 0.1 --out coloured.ply',
  run,
});
