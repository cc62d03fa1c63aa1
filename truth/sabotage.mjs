// Written files are damaged in one meaningful way each, by libraries that the project does not use; every one has to be told.
import { damages, opened, targetsOf, written } from './corpus.mjs';

/** Damages `wanted` files from number `first` on, spread evenly over formats and ways; gives a row a format and the names of those that were not told. */
export async function sabotage(list, reader, folder, wanted, first = 0) {
  const usable = list.filter((s) => s.family !== 'SVG of librsvg2-tests' && !s.lost && !/heavy/.test(s.file));
  const jobs = new Map(Object.keys(damages).map((f) => [f, { damaged: 0, told: 0 }]));
  const missed = [];
  const parts = new Map();
  const partOf = async (source) => {
    if (parts.size > 40) parts.clear();
    if (!parts.has(source.file)) parts.set(source.file, (await opened(source)).design.parts[0]);
    return parts.get(source.file);
  };
  let done = 0;
  const formats = Object.keys(damages);
  for (let n = first; done < wanted && n < first + wanted * 8; n++) {
    const format = formats[n % formats.length];
    const kind = damages[format][Math.floor(n / formats.length) % damages[format].length];
    const flat = ['dxf', 'svg', 'pdf'].includes(format);
    const fitting = usable.filter(
      (s) =>
        (flat ? /\.(dxf|svg)$/ : /\.(step|stl|obj|ply)$/).test(s.file) &&
        (format !== 'step' || s.file.endsWith('.step')) &&
        (kind !== 'shell' || /two|void|rings|hollow/.test(s.file)),
    );
    if (fitting.length === 0) continue;
    const source = fitting[(n * 7919) % fitting.length];
    const part = await partOf(source);
    const target = targetsOf(part).find((t) => t.format === format && (t.version === undefined || t.version === '2000'));
    if (!target) continue;
    // What looks the same after it is no damage: a mirrored ball is a ball.
    if (['mirror', 'turned', 'move', 'inside out'].includes(kind) && symmetrical(source.file)) continue;
    if (kind === 'hole' && /drilled|tube|torus|revolved|hollow/.test(source.file)) continue;
    const made = await written(part, target, folder, async (path) => {
      const answer = await reader.ask({ op: 'damage', file: path, format, kind, seed: n, deviation: part.geometry.kind === 'solid' ? 0.05 : 0.001 });
      return answer.done ?? null;
    }).catch((thrown) => ({ damaged: kind, evidence: { verdict: 'stop', reason: thrown.message } }));
    if (!made.damaged) continue;
    done++;
    const row = jobs.get(format);
    row.damaged++;
    if (made.evidence.verdict !== 'clear') row.told++;
    else missed.push(`${format} ${kind} of ${source.file} (${n})`);
  }
  const rows = [...jobs].map(([format, r]) => [format, r.damaged, r.told]);
  return { rows: [...rows, ['all', rows.reduce((n, r) => n + r[1], 0), rows.reduce((n, r) => n + r[2], 0)]], missed };
}

const symmetrical = (file) =>
  /cone|revolved|half|sphere|torus|cylinder|tube|box|circle|ellipse|square|rect|crossed|common|rings|void|plate|unit|solid|3dface|line|hatch|colours|two|small|heavy|away/.test(
    file,
  );
