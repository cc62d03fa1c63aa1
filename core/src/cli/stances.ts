import { Unusable } from '../base/finding.ts';
import { command, solidEndings, type Asked, type Report } from '../command/command.ts';
import { number } from '../command/option.ts';
import { facetOptions, readOptions, wholeOf, type Loaded } from '../command/source.ts';
import { meshFileOptions, partOf, receiverFor, writeOut, writtenText } from '../command/written.ts';
import { nodeEngine } from '../engine/load.ts';
import { stanceCandidates, type StanceCandidate } from '../stance/candidates.ts';
import { placementOf, stand } from '../stance/stance.ts';

const options = { apply: number('N', [1, 1000], 'stances', 'Writes the part standing so; needs --out.'), ...readOptions, ...facetOptions, ...meshFileOptions };

/** So many ways to stand are told. */
const mostStances = 12;

const shown = ({ turn, side, contact, overhang, support, height, steady, cost }: StanceCandidate, i: number) => ({
  rank: i + 1,
  turn,
  side,
  contact,
  overhang,
  support,
  height,
  steady,
  cost,
});

async function run(asked: Asked<typeof options>): Promise<Report> {
  const [input] = asked.files;
  if (asked.apply !== null && asked.out === '')
    throw new Unusable('no-out', '"stances --apply" needs a file to write to.', 'Add --out FILE, ending in .stl, .3mf, .obj, .ply or .step.');
  const whole = await wholeOf(input, asked);
  const receiver = receiverFor(asked.receiver, 'stl');
  const list = (await stanceCandidates(whole.mesh, receiver.overhang, await nodeEngine(), { most: mostStances }))!;
  if (list.length === 0) throw new Unusable('no-stance', 'The part rests on none of its faces.', 'Set it down by three points on the light table.');
  if (asked.apply !== null) return applied(whole, list, receiver.id, asked);
  const stances = list.map(shown);
  const lines = stances.map(
    (s) =>
      `${s.rank}. ${s.side}: support ${s.support.toFixed(0)} mm3, contact ${s.contact.toFixed(1)} mm2, overhang ${s.overhang.toFixed(1)} mm2, height ${s.height.toFixed(1)} mm\n`,
  );
  return { json: { input, receiver: receiver.id, overhangLimit: receiver.overhang, stances }, text: lines.join(''), severities: ['clear'] };
}

/** Written as it stands on one of them. */
async function applied(whole: Loaded, list: readonly StanceCandidate[], receiver: string, asked: Asked<typeof options>): Promise<Report> {
  const chosen = list[asked.apply! - 1];
  if (!chosen)
    throw new Unusable('no-such-stance', `There are ${list.length} stances; ${asked.apply} is none of them.`, 'See "tall-kite stances" without --apply.');
  const { name, mesh, colour } = whole;
  const standing = stand(mesh, placementOf({ turn: chosen.turn, drop: true, how: 'ranked' }, 1, mesh.positions));
  const written = await writeOut(asked.out, [partOf(name, standing, colour)], asked);
  const said = `Stands on its ${chosen.side}: height ${chosen.height.toFixed(2)} mm, contact ${chosen.contact.toFixed(1)} mm2, support ${chosen.support.toFixed(0)} mm3.\n`;
  return {
    json: { input: asked.files[0], receiver, applied: shown(chosen, asked.apply! - 1), written: [written], verdict: written.verdict },
    text: said + writtenText([written]),
    severities: [written.verdict],
  };
}

export const stancesCommand = command({
  word: 'stances',
  takes: 'IN',
  least: 1,
  most: 1,
  out: { kind: 'file', needed: false, endings: solidEndings },
  options,
  does: 'Ways to stand, ranked, with contact, overhang, support and height; --apply writes the part standing so.',
  example: 'stances "WS-103 mast bracket.step"',
  run,
});
