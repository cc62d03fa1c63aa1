import type { Finding } from '../base/finding.ts';
import { lengthText } from '../base/figures.ts';
import { measureMesh, type Mesh } from '../geometry/mesh.ts';
import type { ReliefOrigin } from './origin.ts';
import { blockOf } from './block.ts';
import type { StockChoice } from './choice.ts';
import { compose, type Composed } from './compose.ts';
import { differenceOf } from './differ.ts';
import { carvePlan, type CarveFigures } from './plan.ts';

/** A block with its figures. */
export interface MadeBlock {
  mesh: Mesh;
  composed: Composed;
  origin: ReliefOrigin;
  /** What a person should see; what was left out of the reliefs is among them. */
  findings: Finding[];
  plan: CarveFigures | null;
}

/** How far a block on the stock's middle and the bed is moved so that it stands by the datum that was asked for, mm. */
export function datumShift({ stock, datum, zeroZ }: Pick<StockChoice, 'stock' | 'datum' | 'zeroZ'>): [number, number, number] {
  return [datum === 'corner' ? stock[0] / 2 : 0, datum === 'corner' ? stock[1] / 2 : 0, zeroZ === 'top' ? -stock[2] : 0];
}

/** Said now and then; what it throws ends the work. */
export type Going = (share: number, what: string) => void;

/**
 * Reliefs set into a stock, as one closed solid that stands by its datum, with what a person should know of it.
 * @param named the reliefs, in mm, with their names
 * @throws Unusable when they can not be set so. @example reliefOnStock([{ name: 'waves', mesh }], { ...usualStock, stock: [300, 200, 20] }).mesh
 */
export function reliefOnStock(named: readonly { name: string; mesh: Mesh }[], choice: StockChoice, going: Going = () => {}): MadeBlock {
  going(0.05, 'heights of the reliefs');
  const composed = compose(
    named.map((n) => n.mesh),
    choice,
  );
  going(0.4, 'making the block');
  const mesh = blockOf(composed);
  const { volume } = measureMesh(mesh);
  going(0.6, 'comparing it with the reliefs');
  const differ = differenceOf(composed, mesh);
  going(0.75, 'bits');
  const plan = choice.plan && carvePlan(composed.field, choice.stock[2], choice.plan);
  const shift = datumShift(choice);
  for (let i = 0; i < mesh.positions.length; i++) mesh.positions[i] += shift[i % 3];
  const { step, columns, rows } = composed.field;
  const [x, y, z] = choice.stock;
  const origin: ReliefOrigin = {
    stock: choice.stock,
    choice,
    base: choice.base,
    datum: choice.datum,
    zeroZ: choice.zeroZ,
    step: [step[0], step[1]],
    heights: [columns, rows],
    reliefs: composed.reliefs.map(({ size, factors, undercut, undercutShare }, i) => ({ name: named[i].name, size, factors, undercut, undercutShare })),
    differ,
    volume,
    away: x * y * z - volume,
    plan: plan && planFigures(plan, choice),
  };
  const findings = [...composed.findings, ...coarse(origin), ...reach(origin)];
  return { mesh, composed, origin, findings, plan };
}

function planFigures({ fine, coarse, ridge, left, alone }: CarveFigures, { plan }: StockChoice): ReliefOrigin['plan'] {
  const { kind, diameter, between } = plan!.fine;
  return {
    fine: { kind, diameter, between, minutes: fine.minutes },
    coarse: coarse && { kind: plan!.coarse!.kind, diameter: plan!.coarse!.diameter, minutes: coarse.minutes, layers: coarse.layers },
    ridge,
    left,
    alone,
  };
}

/** So far on average a block may lie from its relief before it is worth a look, as a share of what the relief is high. Common practice, no source. */
const coarseShare = 0.005;

function coarse({ differ, step, reliefs }: ReliefOrigin): Finding[] {
  const high = Math.max(...reliefs.map((r) => r.size[2]));
  if (!(differ.mean > coarseShare * high)) return [];
  return [
    {
      code: 'heights-apart',
      severity: 'look',
      count: 1,
      message: `Heights ${lengthText(Math.max(...step))} mm apart lose ${lengthText(differ.mean)} mm of the relief on average, ${lengthText(differ.largest)} mm at most.`,
      remedy: 'Take heights nearer together.',
    },
  ];
}

function reach({ plan }: ReliefOrigin): Finding[] {
  if (!plan || plan.left.share < 0.01) return [];
  return [
    {
      code: 'bit-does-not-reach',
      severity: 'look',
      count: 1,
      message: `A ${plan.fine.kind === 'ball' ? 'ball' : 'flat bit'} of ${lengthText(plan.fine.diameter)} mm leaves more than 0.05 mm on ${(100 * plan.left.share).toPrecision(2)} % of it, ${lengthText(plan.left.most)} mm at most.`,
      remedy: 'Take a smaller bit or passes nearer together, or accept what is left.',
    },
  ];
}

/** Findings that say what of the reliefs is missing in the block: told in the evidence of every file made from it. */
export const lostOfBlock = (findings: readonly Finding[]): Finding[] =>
  findings.filter((f) => ['undercut', 'cut-at-zero', 'beyond-the-margin', 'heights-apart'].includes(f.code));
