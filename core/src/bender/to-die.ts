import type { Finding } from '../base/finding.ts';
import { Unusable } from '../base/finding.ts';
import { cornersOf, piecesThrough, type Run } from '../tubes/run.ts';
import { centreDistance } from './received.ts';
import { nearestDie } from './rules.ts';
import type { TubesFound } from './source.ts';

/**
 * Every bend by the nearest die: corners stay, straights and lengths change.
 * @returns the tubes, how far each may differ from its design by that (mm), and what is told
 * @throws Unusable when there are no dies, or the bends do not fit between their corners any more
 */
export function toDies(found: TubesFound, dies: readonly number[]): { found: TubesFound; findings: Finding[] } {
  if (dies.length === 0) throw new Unusable('no-dies', 'There are no dies to choose from.', 'Say their radii: --die 60 --die 80');
  const findings: Finding[] = [];
  const runs = found.runs.map((r) => {
    const { points, radii } = cornersOf(r.run);
    const wanted = radii.map((radius) => (radius > 0 ? nearestDie(dies, radius)! : 0));
    if (wanted.every((w, i) => Math.abs(w - radii[i]) <= 1e-9)) return r;
    const { pieces, short } = piecesThrough(points, wanted);
    if (short !== null) throw new Unusable('no-room', `With the nearest dies there is no room for bend ${short}.`, 'Add a smaller die.');
    const run: Run = { ...r.run, pieces };
    const moved = centreDistance(r.run, run);
    const changed = wanted.flatMap((w, i) => (Math.abs(w - radii[i]) > 1e-9 ? [`${Number(radii[i].toFixed(3))} to ${Number(w.toFixed(3))}`] : []));
    findings.push({
      code: 'die-taken',
      severity: 'look',
      count: changed.length,
      message: `Radius ${[...new Set(changed)].join(', ')} mm: the nearest ${changed.length === 1 ? 'die was' : 'dies were'} taken. The centre line moves by up to ${moved.toFixed(3)} mm.`,
      remedy: 'Leave --to-die away to keep the radii of the design.',
    });
    return { ...r, run, moved: (r.moved ?? 0) + moved };
  });
  return { found: { ...found, runs }, findings };
}
