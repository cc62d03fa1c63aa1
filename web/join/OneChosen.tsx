'use client';
import { useState } from 'react';
import { sizeOf } from 'tall-kite/geometry/box';
import { alignment, shifted, toBed, turnedAbout, type AlignBy, type Axis } from 'tall-kite/mesh/join/move';
import { lengthText } from 'tall-kite/base/figures';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { PartView } from '@tall-kite/server/jobs/jobs';
import type { JobTools } from '@/shell/useJob.ts';
import type { FacePick } from './Assembly.ts';
import { OperationForm, type OperationFormOf } from './OperationForm.tsx';
import { standingBox } from './JoinTable.tsx';

type P3 = [number, number, number];
const letters = ['X', 'Y', 'Z'] as const;
const numberOf = (text: string) => (text.trim() === '' ? NaN : Number(text.replace(',', '.')));

/** A typed length (or angle) with its unit. */
function Length({ label, value, set, unit = 'mm' }: { label: string; value: string; set: (v: string) => void; unit?: string }) {
  return (
    <label className="length">
      {label}{' '}
      <input
        className="typed num"
        style={{ width: 66 }}
        inputMode="decimal"
        value={value}
        aria-invalid={Number.isNaN(numberOf(value))}
        onChange={(e) => set(e.target.value)}
      />{' '}
      <span className="figure">{unit}</span>
    </label>
  );
}

/** What can be done with one part: move, turn, align, copy, mirror, scale, holes, cuts, divide, make solid. */
export function OneChosen({
  part,
  others,
  tools,
  axis,
  setAxis,
  face,
  forms,
}: {
  forms: OperationFormOf[];
  part: PartView;
  others: PartView[];
  tools: JobTools;
  axis: number | null;
  setAxis: (a: number | null) => void;
  face: FacePick | null;
}) {
  const box = standingBox(part);
  const size = sizeOf(box);
  const place = (what: string, rows: number[]) => void tools.change(part, `${what} ${part.name}`.slice(0, 80), { place: rows });
  const [by, setBy] = useState(['0', '0', '0']);
  const [angle, setAngle] = useState('90');
  const offsets = by.map(numberOf) as P3;
  const middle = [0, 1, 2].map((k) => (box.min[k] + box.max[k]) / 2) as P3;
  return (
    <>
      <h2>{part.name}</h2>
      <details open>
        <summary>Move</summary>
        <form
          className="choices"
          onSubmit={(e) => {
            e.preventDefault();
            if (offsets.every(Number.isFinite)) place('move', shifted(part.place, offsets));
          }}
        >
          <div className="row">
            {letters.map((l, k) => (
              <Length key={l} label={l} unit="" value={by[k]} set={(v) => setBy(by.map((b, i) => (i === k ? v : b)))} />
            ))}
            <span className="figure">mm</span>
            <button className="plain small" disabled={!offsets.every(Number.isFinite)}>
              Move
            </button>
          </div>
          <div className="buttons">
            {letters.map((l, k) => (
              <button key={l} type="button" className="plain small" aria-pressed={axis === k} onClick={() => setAxis(axis === k ? null : k)}>
                Drag along {l}
              </button>
            ))}
            <button type="button" className="plain small" onClick={() => place('set on the bed', shifted(part.place, toBed(box)))}>
              To the bed
            </button>
          </div>
          <div className="row">
            <Length label="Turn" unit="°" value={angle} set={setAngle} />
            {letters.map((l, k) => (
              <button
                key={l}
                type="button"
                className="plain small"
                disabled={!Number.isFinite(numberOf(angle))}
                onClick={() => place('turn', turnedAbout(part.place, k as Axis, numberOf(angle), middle))}
              >
                about {l}
              </button>
            ))}
          </div>
        </form>
      </details>
      {others.length > 0 && <Align part={part} others={others} place={place} />}
      <details>
        <summary>Copy, mirror, scale</summary>
        <div className="choices">
          <div className="buttons">
            <button className="plain small" onClick={() => void tools.copy(part)}>
              Copy beside it
            </button>
            {letters.map((l, k) => (
              <button key={l} className="plain small" onClick={() => void tools.operate({ kind: 'mirror', part: part.id, axis: k as Axis })}>
                Mirror across {l}
              </button>
            ))}
          </div>
          <Scale part={part} tools={tools} size={size} />
        </div>
      </details>
      <Body part={part} tools={tools} face={face} />
      <Cut part={part} tools={tools} />
      <details>
        <summary>Divide, make solid</summary>
        <div className="choices">
          <button className="plain small" disabled={part.summary.shells < 2} onClick={() => void tools.operate({ kind: 'divide', part: part.id })}>
            {part.summary.shells < 2 ? 'One shell: nothing to divide' : `Divide into its ${part.summary.shells} shells`}
          </button>
          <Relief part={part} tools={tools} />
        </div>
      </details>
      {forms.map((form) => (
        <OperationForm key={`${part.id} ${form.kind}`} form={form} part={part} tools={tools} />
      ))}
    </>
  );
}

function Align({ part, others, place }: { part: PartView; others: PartView[]; place: (what: string, rows: number[]) => void }) {
  const [to, setTo] = useState(others[0].id);
  const [axis, setAxis] = useState<Axis>(2);
  const [by, setBy] = useState<AlignBy>('low to high');
  const [gap, setGap] = useState('0');
  const other = others.find((o) => o.id === to) ?? others[0];
  const words: Record<AlignBy, string> = {
    'low to low': 'low faces level',
    'high to high': 'high faces level',
    'middle to middle': 'middles in line',
    'low to high': 'after its high face',
    'high to low': 'before its low face',
  };
  return (
    <details>
      <summary>Align</summary>
      <div className="choices">
        <label className="row">
          With
          <select className="typed" value={other.id} onChange={(e) => setTo(e.target.value)}>
            {others.map((o) => (
              <option key={o.id} value={o.id}>
                {o.name}
              </option>
            ))}
          </select>
        </label>
        <div className="row">
          <select className="typed" aria-label="Axis" value={axis} onChange={(e) => setAxis(Number(e.target.value) as Axis)}>
            {letters.map((l, k) => (
              <option key={l} value={k}>
                along {l}
              </option>
            ))}
          </select>
          <select className="typed" aria-label="How" value={by} onChange={(e) => setBy(e.target.value as AlignBy)}>
            {Object.entries(words).map(([k, w]) => (
              <option key={k} value={k}>
                {w}
              </option>
            ))}
          </select>
        </div>
        <div className="row">
          <Length label="Gap" value={gap} set={setGap} />
          <button
            className="plain small"
            disabled={!Number.isFinite(numberOf(gap))}
            onClick={() => place('align', shifted(part.place, alignment(standingBox(part), standingBox(other), axis, by, numberOf(gap))))}
          >
            Align
          </button>
        </div>
      </div>
    </details>
  );
}

function Scale({ part, tools, size }: { part: PartView; tools: JobTools; size: P3 }) {
  const [how, setHow] = useState('factor');
  const [text, setText] = useState('1');
  const value = numberOf(text);
  const own = [0, 1, 2].map((k) => (part.summary.box.max[k] - part.summary.box.min[k]) * scaleOf(part.summary, part.recipe));
  const factor = how === 'factor' ? value : value / own[Number(how)];
  const valid = factor > 1e-6 && factor < 1e6;
  return (
    <form
      className="row"
      onSubmit={(e) => {
        e.preventDefault();
        if (valid)
          void tools.change(part, `scale ${part.name}`.slice(0, 80), {
            recipe: { ...part.recipe, size: { ...part.recipe.size, factor: part.recipe.size.factor * factor } },
          });
      }}
    >
      <select
        className="typed"
        aria-label="Scale by"
        value={how}
        onChange={(e) => {
          setHow(e.target.value);
          setText(e.target.value === 'factor' ? '1' : lengthText(size[Number(e.target.value)]));
        }}
      >
        <option value="factor">by a factor</option>
        {letters.map((l, k) => (
          <option key={l} value={k}>
            to a size along {l}
          </option>
        ))}
      </select>
      <Length label="" unit={how === 'factor' ? '×' : 'mm'} value={text} set={setText} />
      <button className="plain small" disabled={!valid}>
        Scale
      </button>
    </form>
  );
}

/** A hole or boss of typed size on a face that was clicked. */
function Body({ part, tools, face }: { part: PartView; tools: JobTools; face: FacePick | null }) {
  const [kind, setKind] = useState<'cylinder' | 'box'>('cylinder');
  const [as, setAs] = useState<'hole' | 'boss'>('hole');
  const [a, setA] = useState('5');
  const [b, setB] = useState('10');
  const [depth, setDepth] = useState('10');
  const scale = scaleOf(part.summary, part.recipe);
  const numbers = [a, kind === 'box' ? b : '1', depth].map(numberOf);
  const valid = face !== null && numbers.every((v) => v > 0);
  const ask = () => {
    if (!face) return;
    const at = face.point.map((v) => v * scale) as P3;
    const body =
      kind === 'cylinder'
        ? ({ kind, at, normal: face.normal, diameter: numbers[0], depth: numbers[2] } as const)
        : ({ kind, at, normal: face.normal, width: numbers[0], length: numbers[1], depth: numbers[2], turn: 0 } as const);
    void tools.operate({ kind: 'body', part: part.id, as, body });
  };
  return (
    <details open={face !== null || undefined}>
      <summary>Hole or boss on a face</summary>
      <div className="choices">
        <p className="context">
          {face ? `On the face at ${face.point.map((v) => lengthText(v * scale)).join(', ')} mm.` : 'Click a face of the part on the table.'}
        </p>
        <div className="row">
          <select className="typed" aria-label="What" value={as} onChange={(e) => setAs(e.target.value as typeof as)}>
            <option value="hole">take out</option>
            <option value="boss">put on</option>
          </select>
          <select className="typed" aria-label="Shape" value={kind} onChange={(e) => setKind(e.target.value as typeof kind)}>
            <option value="cylinder">a cylinder</option>
            <option value="box">a box</option>
          </select>
        </div>
        <div className="row">
          <Length label={kind === 'cylinder' ? 'Diameter' : 'Width'} value={a} set={setA} />
          {kind === 'box' && <Length label="Length" value={b} set={setB} />}
        </div>
        <div className="row">
          <Length label={as === 'hole' ? 'Depth' : 'Height'} value={depth} set={setDepth} />
          <button className="plain small" disabled={!valid} onClick={ask}>
            Propose
          </button>
        </div>
      </div>
    </details>
  );
}

function Cut({ part, tools }: { part: PartView; tools: JobTools }) {
  const scale = scaleOf(part.summary, part.recipe);
  const { min, max } = part.summary.box;
  const [axis, setAxis] = useState<Axis>(2);
  const [at, setAt] = useState(lengthText(((min[2] + max[2]) / 2) * scale));
  const [keep, setKeep] = useState<'both' | 'above' | 'below'>('both');
  const [pegs, setPegs] = useState(0);
  const [diameter, setDiameter] = useState('4');
  const [depth, setDepth] = useState('5');
  const [clearance, setClearance] = useState(String(part.recipe.receiver.clearance));
  const numbers = [at, diameter, depth, clearance].map(numberOf);
  const valid = Number.isFinite(numbers[0]) && (pegs === 0 || (numbers[1] > 0 && numbers[2] > 0 && numbers[3] >= 0));
  return (
    <details>
      <summary>Cut by a plane</summary>
      <div className="choices">
        <div className="row">
          <select
            className="typed"
            aria-label="Across"
            value={axis}
            onChange={(e) => {
              const k = Number(e.target.value) as Axis;
              setAxis(k);
              setAt(lengthText(((min[k] + max[k]) / 2) * scale));
            }}
          >
            {letters.map((l, k) => (
              <option key={l} value={k}>
                across {l}
              </option>
            ))}
          </select>
          <Length label={`at ${letters[axis]}`} value={at} set={setAt} />
        </div>
        <p className="context">
          The part reaches from {lengthText(min[axis] * scale)} to {lengthText(max[axis] * scale)} mm there.
        </p>
        <div className="row">
          <select className="typed" aria-label="What stays" value={keep} onChange={(e) => setKeep(e.target.value as typeof keep)}>
            <option value="both">keep both halves</option>
            <option value="above">cut off what is below</option>
            <option value="below">cut off what is above</option>
          </select>
          <select className="typed" aria-label="Pegs" value={pegs} disabled={keep !== 'both'} onChange={(e) => setPegs(Number(e.target.value))}>
            <option value={0}>flat</option>
            {[1, 2, 3, 4].map((n) => (
              <option key={n} value={n}>
                {n} {n === 1 ? 'peg' : 'pegs'}
              </option>
            ))}
          </select>
        </div>
        {pegs > 0 && keep === 'both' && (
          <>
            <div className="row">
              <Length label="Peg" value={diameter} set={setDiameter} />
              <Length label="deep" value={depth} set={setDepth} />
            </div>
            <Length label="Clearance" value={clearance} set={setClearance} />
          </>
        )}
        <button
          className="plain small"
          disabled={!valid}
          onClick={() =>
            void tools.operate({
              kind: 'cut',
              part: part.id,
              keep,
              plane: { normal: [+(axis === 0), +(axis === 1), +(axis === 2)], offset: numbers[0] },
              pegs: pegs > 0 && keep === 'both' ? { count: pegs as 1 | 2 | 3 | 4, diameter: numbers[1], depth: numbers[2], clearance: numbers[3] } : null,
            })
          }
        >
          Propose the cut
        </button>
      </div>
    </details>
  );
}

/** An open surface becomes a solid. */
function Relief({ part, tools }: { part: PartView; tools: JobTools }) {
  const scale = scaleOf(part.summary, part.recipe);
  const [kind, setKind] = useState<'base' | 'thicken' | 'block'>('base');
  const [text, setText] = useState(lengthText(part.summary.box.min[2] * scale - 2));
  const [margin, setMargin] = useState('1');
  if (!part.summary.openEdges) return <p className="context">Closed already: a base or a thickness is for open surfaces.</p>;
  const value = numberOf(text);
  const valid = Number.isFinite(value) && (kind !== 'thicken' || value > 0) && (kind !== 'block' || numberOf(margin) >= 0);
  return (
    <>
      <label className="row">
        Open surface
        <select
          className="typed"
          value={kind}
          onChange={(e) => {
            const k = e.target.value as typeof kind;
            setKind(k);
            setText(k === 'thicken' ? '2' : lengthText(part.summary.box.min[2] * scale - 2));
          }}
        >
          <option value="base">close to a flat base</option>
          <option value="thicken">thicken straight down</option>
          <option value="block">cut out of a block</option>
        </select>
      </label>
      <div className="row">
        <Length label={kind === 'thicken' ? 'Thickness' : 'Base at Z'} value={text} set={setText} />
        {kind === 'block' && <Length label="Margin" value={margin} set={setMargin} />}
        <button
          className="plain small"
          disabled={!valid}
          onClick={() =>
            void tools.operate({
              kind: 'relief',
              part: part.id,
              choice:
                kind === 'thicken' ? { kind, thickness: value } : kind === 'base' ? { kind, height: value } : { kind, height: value, margin: numberOf(margin) },
            })
          }
        >
          Propose
        </button>
      </div>
    </>
  );
}
