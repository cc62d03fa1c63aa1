import type { Finding } from '../base/finding.ts';
import type { PartSummary } from '../model/design.ts';
import { scaleOf, type Recipe } from '../recipe/recipe.ts';
import { found, type Cell, type PartState, type Step } from './step.ts';

const datumWords = { drawn: 'zero', corner: 'corner', middle: 'middle', point: 'point' };

/** Whether the drawing fits the sheet as it lies. */
function stockFinding(summary: PartSummary, recipe: Recipe): Finding | null {
  const { place, stock } = recipe.drawing!;
  const scale = scaleOf(summary, recipe);
  const [w, h] = [0, 1].map((k) => (summary.box.max[k] - summary.box.min[k]) * scale);
  const angle = (place.turn * Math.PI) / 180;
  const [c, s] = [Math.abs(Math.cos(angle)), Math.abs(Math.sin(angle))];
  const [tw, th] = [w * c + h * s, w * s + h * c];
  const over = [tw - stock!.width, th - stock!.height];
  if (Math.max(...over) <= 1e-6) return null;
  const k = over[0] > over[1] ? 0 : 1;
  const turns = th <= stock!.width && tw <= stock!.height;
  return {
    code: 'off-the-stock',
    severity: 'stop',
    count: 1,
    message: `The drawing is up to ${over[k].toFixed(1)} mm too long for the sheet along ${'XY'[k]}.`,
    remedy: turns ? 'It fits when turned by 90°.' : 'Take a larger sheet, or check the unit on the Size step.',
  };
}

function state({ summary, recipe }: PartState): Cell {
  const { place, stock } = recipe.drawing!;
  const turned = place.turn === 0 ? '' : `, turned ${place.turn}°`;
  const at = place.at.map((v) => Number(v.toFixed(1))).join(', ');
  const context = stock ? `sheet ${stock.width} × ${stock.height} × ${stock.thickness} mm` : 'no sheet chosen';
  return found(stock ? stockFinding(summary, recipe) : null, `${datumWords[place.datum]} at ${at}${turned}${place.mirror ? ', mirrored' : ''}`, context);
}

/** Where a drawing lies on its sheet. */
export const sheetStep: Step<'Sheet'> = { id: 'Sheet', column: 'Form', beforeFile: true, state };
