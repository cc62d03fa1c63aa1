import { unzipSync } from 'fflate';
import { lossFinding, type Loss } from '../../base/loss.ts';
import type { Reader } from '../format.ts';
import { layersOfDrills } from '../gerber/drawing.ts';
import { receiveBoard } from '../gerber/pack.ts';
import { Unusable } from '../../base/finding.ts';

/** Names by which a zip is known to hold a board. */
const boards = /\.(gbr|gbrjob|ger|gtl|gbl|gko|gm1|drl|xnc|xln)$/i;

/** Whether bytes are a zip with layers or drill files; nothing of it is unpacked. */
function looksLikeBoard(bytes: Uint8Array): boolean {
  if (!(bytes[0] === 0x50 && bytes[1] === 0x4b && bytes[2] === 3 && bytes[3] === 4)) return false;
  let found = false;
  let count = 0;
  try {
    unzipSync(bytes, { filter: ({ name }) => ((found ||= ++count <= 1000 && boards.test(name)), false) });
  } catch {
    return false;
  }
  return found;
}

export const reader: Reader = {
  kind: 'drawing',
  looksLike: looksLikeBoard,
  read(bytes) {
    const { outline, drills, layers, findings } = receiveBoard(bytes);
    if (outline.length === 0) {
      const why = findings.find((f) => f.severity === 'stop');
      throw new Unusable(why?.code ?? 'no-outline', why?.message ?? 'The zip holds no outline of a board.', why?.remedy ?? 'Pack the profile, too.');
    }
    const noUnit = findings.find((f) => f.code === 'no-unit');
    if (noUnit) throw new Unusable('no-unit', noUnit.message, noUnit.remedy);
    const rest = layers.filter((l) => l.kind !== 'profile');
    const leftOut: Loss[] = rest.map((l) => ({
      what: l.function,
      count: l.gerber.objects.length,
      why: 'a drawing of the board has its outline, holes and slots',
    }));
    return {
      version: 'X2',
      unit: 'mm',
      metric: null,
      drawing: {
        layers: [
          { name: 'outline', colour: null, lineType: 'CONTINUOUS', contours: outline },
          ...drills.flatMap((d) => layersOfDrills(d.drill.tools, d.plated)),
        ],
        texts: [],
        points: [],
      },
      leftOut,
      findings: [...findings, ...(lossFinding(leftOut) ? [lossFinding(leftOut)!] : [])],
    };
  },
};
