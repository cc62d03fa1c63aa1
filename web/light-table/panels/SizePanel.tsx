'use client';
import { Button } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import { useState } from 'react';
import { sizeFinding } from 'tall-kite/steps/size';
import { mayBeBare, usualReading } from 'tall-kite/formats/registry';
import { factorFor, knownObject, readings } from 'tall-kite/base/readings';
import { MarkShape } from '@/marks/Mark.tsx';
import { saveRecipe, type PanelProps } from './panel.ts';
import { ReceiverChoice } from './parts.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { useLengths } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';
import style from './panels.module.css';

/** The unit and the scale: candidate readings drawn to scale beside the bed, or one known length. */
export function SizePanel(props: PanelProps) {
  const { part } = props;
  const { summary, recipe } = part;
  const numbers = [0, 1, 2].map((k) => summary.box.max[k] - summary.box.min[k]) as [number, number, number];
  const { receiver } = recipe;
  const flat = summary.kind === 'drawing';
  const unitless = summary.unit === null && mayBeBare(summary.format);
  const usual = recipe.size.reading ?? usualReading(summary.format);
  const all = readings(numbers, receiver.bed, flat);
  const now = unitless ? all.find((r) => r.unit === usual)! : all[0];
  const { lens } = useLengths();
  const shown = (s: readonly number[]) => lens(flat ? s.slice(0, 2) : s);
  const size = now.size.map((s) => s * recipe.size.factor) as [number, number, number];
  const finding = sizeFinding(summary, recipe);
  return (
    <>
      <h2>Size</h2>
      <p>
        <span className="figure">{shown(size)}</span>
        <br />
        <span className="context">
          {unitless
            ? 'The file has no unit. What were its numbers meant as?'
            : `The file says its unit: ${summary.unit ?? 'none'}; converted to mm when it was read.`}
        </span>
      </p>
      {finding && (
        <p role="status">
          <MarkShape mark={finding.severity} size={12} /> {finding.message} {finding.remedy}
        </p>
      )}
      {unitless && (
        <div role="radiogroup" aria-label="Unit of the numbers" className={style.readings}>
          {all.map((r) => (
            <button
              key={r.unit}
              role="radio"
              className={style.reading}
              data-test="reading"
              aria-checked={usual === r.unit}
              onClick={() => saveRecipe(props, `read ${part.name} as ${r.name}`, { size: { ...recipe.size, reading: r.unit } })}
            >
              <b aria-label={r.name} title={r.name}>
                {{ in: 'inch', ft: 'foot', '96dpi': '96/in', '90dpi': '90/in', '72dpi': '72/in', ptcm: 'pt/cm' }[r.unit] ?? r.unit}
              </b>
              <span className="figure">{shown(r.size.map((s) => s * recipe.size.factor))}</span>
              <span className="context">{r.likely === 2 ? 'likely' : r.likely === 1 ? 'small' : r.fitsBed ? 'too small' : 'too large'}</span>
            </button>
          ))}
        </div>
      )}
      <ScaleDrawing size={size} bed={receiver.bed} name={receiver.name} />
      <KnownLength {...props} numbers={numbers} perNumber={size[0] / (numbers[0] * recipe.size.factor || 1)} />
      <ReceiverChoice {...props} />
    </>
  );
}

/** The part from above, to scale, on the bed and beside a coin. A part too small to see gets a line that says so. */
function ScaleDrawing({ size, bed, name }: { size: [number, number, number]; bed: readonly number[]; name: string }) {
  const [w, h] = [304, 170];
  const reach = Math.max(bed[0] + 40, size[0] * 1.05, 10);
  const scale = Math.min((w - 16) / reach, (h - 46) / Math.max(bed[1], size[1] * 1.05));
  const [bw, bh] = [bed[0] * scale, bed[1] * scale];
  const [pw, ph] = [size[0] * scale, size[1] * scale];
  const cx = 8 + bw / 2;
  const cy = 8 + bh / 2;
  const coin = (knownObject.diameter * scale) / 2;
  const tiny = Math.max(pw, ph) < 4;
  return (
    <svg className={`${desk.scaleview} ${style.scale}`} viewBox={`0 0 ${w} ${h}`} role="img" aria-label={`The part from above on the bed of ${name}, to scale`}>
      <rect x="8" y="8" width={bw} height={bh} fill="none" stroke="var(--none)" strokeDasharray="4 3" />
      <rect
        x={cx - pw / 2}
        y={cy - ph / 2}
        width={Math.max(1, pw)}
        height={Math.max(1, ph)}
        fill="var(--designed)"
        fillOpacity="0.25"
        stroke="var(--designed)"
        strokeWidth="1.4"
      />
      {tiny && <circle cx={cx} cy={cy} r="11" fill="none" stroke="var(--stop)" strokeWidth="1.5" />}
      <circle cx={Math.min(w - 10 - coin, 8 + bw + 10 + coin)} cy={8 + coin} r={coin} fill="none" stroke="var(--received)" strokeWidth="1.3" />
      <text x="8" y={h - 20} fontSize="12" fill="var(--muted)">
        dashed: bed of {name}, {bed[0]} × {bed[1]} mm
      </text>
      <text x="8" y={h - 5} fontSize="12" fill="var(--muted)">
        round: {knownObject.name}, {knownObject.diameter} mm{tiny ? '; ringed: the part' : ''}
      </text>
    </svg>
  );
}

/** One known length gives the factor, and the factor its name. */
function KnownLength({ part, tools, numbers, perNumber }: PanelProps & { numbers: [number, number, number]; perNumber: number }) {
  const [axis, setAxis] = useState(0);
  const [typed, setTyped] = useState('');
  const known = Number(typed.replace(',', '.'));
  const valid = typed.trim() !== '' && known > 0 && Number.isFinite(known);
  const found = valid && numbers[axis] > 0 ? factorFor(numbers[axis] * perNumber, known) : null;
  return (
    <fieldset className={desk.fenced}>
      <legend>A known length</legend>
      <div className={desk.row}>
        <Choice
          value={axis}
          label="Along"
          onChange={(value) => setAxis(Number(value))}
          options={[...(part.summary.kind === 'drawing' ? ['X', 'Y'] : ['X', 'Y', 'Z']).map((a, k) => ({ value: k, label: `along ${a}` }))]}
        />
        <span className="nowrap">
          <LengthInput label="Known length" width={70} value={typed} onChange={setTyped} />
        </span>
        <Button
          disabled={!found}
          onClick={() => found && saveRecipe({ part, tools }, `size ${part.name} by a known length`, { size: { ...part.recipe.size, factor: found.factor } })}
          size="small"
        >
          Make it so
        </Button>
      </div>
      <p className="context" role="status">
        {found
          ? `Factor ${Number(found.factor.toPrecision(6))}${found.name ? `: ${found.name}.` : ': no usual mistake of units.'}`
          : typed.trim() !== ''
            ? 'Type a length above 0.'
            : `Now × ${Number(part.recipe.size.factor.toPrecision(6))}.`}
      </p>
      {part.recipe.size.factor !== 1 && (
        <Button onClick={() => saveRecipe({ part, tools }, `take the factor off ${part.name}`, { size: { ...part.recipe.size, factor: 1 } })} size="small">
          Back to factor 1
        </Button>
      )}
    </fieldset>
  );
}
