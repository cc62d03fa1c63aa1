import Joi from 'joi';
import { Unusable, type Finding } from '../base/finding.ts';
import { toFile } from '../command/command.ts';
import { choice, flag, millimetres, parsed, within } from '../command/option.ts';
import { mend, safeMend, type MendChoice } from '../mesh/mend/mend.ts';
import { figure, id, yesOrNo } from './fields.ts';
import { Cancelled, onePart, wording, type Operation, type Outcome, type Work } from './operation.ts';
import { madeOf, ownMesh, scaleOfPart } from './shape.ts';

export interface MendRequest {
  kind: 'mend';
  part: string;
  choice: MendChoice;
}

async function run({ request: { choice: asked }, parts: [part], tools, progress }: Work<MendRequest>): Promise<Outcome> {
  const scale = scaleOfPart(part);
  const own = (v: number | null) => (v === null ? null : v / scale);
  const choices = { ...asked, weld: own(asked.weld), widestHole: own(asked.widestHole), wrap: own(asked.wrap) };
  const mended = mend(await ownMesh(part, tools), choices, await tools.engine(), progress);
  if (!mended) throw new Cancelled();
  const { report, mesh } = mended;
  const { steps, proposedWeld } = report;
  const real = { moved: report.moved * scale, added: report.added * scale, proposedWeld: proposedWeld === null ? null : proposedWeld * scale };
  return {
    report: { mend: { ...report, ...real }, said: steps.map((s) => s.sentence) },
    made: steps.length === 0 ? [] : [madeOf(mesh, part, part.summary.name, 'mended')],
    inPlace: true,
  };
}

/** What mending left, and what wants a look: a surface made anew is another one, however near. */
function leftOf({ left, steps }: { left: string[]; steps: { code: string }[] }): Finding[] {
  const remedy = 'Mend it in the program that made it, or choose other settings.';
  const findings: Finding[] = left.map((message) => ({ code: 'left-unmended', severity: 'stop', count: 1, message, remedy }));
  if (steps.some((step) => step.code === 'wrap'))
    findings.push({
      code: 'made-anew',
      severity: 'look',
      count: 1,
      message: 'The surface was made anew: it is another one, however near.',
      remedy: 'Look at how far it moved, and at what is fine on the part.',
    });
  return findings;
}

export const mendOperation: Operation<MendRequest> = {
  kind: 'mend',
  verb: 'mend',
  gives: 'proposal',
  schema: Joi.object({
    part: id,
    choice: Joi.object({
      weld: figure.min(0).max(100).allow(null).required(),
      doubles: yesOrNo,
      normals: yesOrNo,
      holes: Joi.string().valid('flat', 'surface', 'none').required(),
      widestHole: figure.min(0).max(1e6).allow(null).required(),
      crossings: yesOrNo,
      crumbs: yesOrNo,
      largestOnly: yesOrNo,
      wrap: figure.min(0.001).max(1000).allow(null).required(),
    }).required(),
  }),
  parts: onePart,
  run,
  command: wording({
    word: 'mend',
    takes: 'IN',
    least: 1,
    most: 1,
    out: toFile,
    options: {
      weld: millimetres([0, 10], 'Corners within this distance become one.'),
      holes: choice(['flat', 'surface', 'none'], 'flat', 'How holes are closed.'),
      widest: parsed('MM|all', 'Holes up to this width are closed.', (name, typed) =>
        typed === 'all' ? Infinity : within(name, typed, [0, 1_000_000], 'mm, or "all"'),
      ),
      crumbs: flag('Drops shells too small to matter.'),
      largest: flag('Keeps the largest shell only.'),
      wrap: millimetres([0.001, 1000], 'Makes the whole surface anew on a grid of this cell, for scans that nothing else mends.'),
      evenSo: flag('Writes it even when mending would change the part itself.'),
    },
    does: 'Mends what is safe, lists what it did, and measures what moved; what would change the part itself is refused.',
    example: 'mend "WS-109 gauge float.stl" --out mended.stl --weld 0.01',
    request: ({ weld, holes, widest, crumbs, largest, wrap }) => ({
      choice: { ...safeMend, weld, holes, widestHole: widest, crumbs, largestOnly: largest, wrap },
    }),
    tell: ({ report: { mend: report, said } }, _, { evenSo, files, out }) => {
      const { steps, before, after, moved, added, left, proposedWeld, held, refused } = report!;
      if (refused !== null && !evenSo)
        throw new Unusable(
          'mending-destroys',
          left[0],
          `Remake its surface (tall-kite mend ${files[0]} --wrap CELL --out ${out}), or mend it where it was made.`,
        );
      const how = `Moved at most ${moved.toPrecision(3)} mm; new surface up to ${added.toPrecision(3)} mm from the old.`;
      return {
        json: { steps, before, after, moved, added, left, proposedWeld, held, refused },
        said: [...(said.length > 0 ? said : ['Nothing had to be mended.']), how],
        findings: leftOf(report!),
      };
    },
  }),
};
