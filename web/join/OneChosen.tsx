'use client';
import { Button } from 'antd';
import Link from 'next/link';
import { Fold, Choice } from '@/shell/controls.tsx';
import { useState } from 'react';
import { sizeOf, type Box } from 'tall-kite/geometry/box';
import { alignment, shifted, toBed, turnedAbout, type AlignBy, type Axis } from 'tall-kite/mesh/join/move';
import { lengthText } from 'tall-kite/base/figures';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { JobTools } from '@/shell/useJob.ts';
import type { FacePick } from './Assembly.ts';
import { Length, numberOf } from './Length.tsx';
import { OpenSurface } from './OpenSurface.tsx';
import { OperationForm, type OperationFormOf } from './OperationForm.tsx';
import { standingBox } from './standing.ts';
import { Len } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';

type P3 = [number, number, number];
const letters = ['X', 'Y', 'Z'] as const;

/** Where the low corner of a part stands, typed as such: the part goes there. */
function StandsAt({ box, to }: { box: Box; to: (by: P3) => void }) {
  const [at, setAt] = useState(() => box.min.map((v) => String(Number(v.toFixed(4)))));
  const values = at.map(numberOf);
  const by = values.map((v, k) => v - box.min[k]) as P3;
  return (
    <div className={desk.row} title="The low corner of its box">
      <span>Stands at</span>
      {letters.map((l, k) => (
        <Length key={l} label={l} unit="" value={at[k]} set={(v) => setAt(at.map((b, i) => (i === k ? v : b)))} />
      ))}
      <Button disabled={!values.every(Number.isFinite)} size="small" onClick={() => to(by)}>
        Set it there
      </Button>
    </div>
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
  const size = sizeOf(standingBox(part));
  const place = (what: string, rows: number[]) => void tools.change(part, `${what} ${part.name}`.slice(0, 80), { place: rows });
  return (
    <>
      <h2>
        {part.name}{' '}
        <Link className={`${frame.plain} ${frame.small}`} href={`parts/${part.id}`}>
          On the light table
        </Link>
      </h2>
      <Moving part={part} axis={axis} setAxis={setAxis} place={place} />
      {others.length > 0 && <Align part={part} others={others} place={place} />}
      <Fold title="Copy, mirror, scale">
        <div className={desk.choices}>
          <div className={desk.buttons}>
            <Button onClick={() => void tools.copy(part)} size="small">
              Copy beside it
            </Button>
            {letters.map((l, k) => (
              <Button key={l} onClick={() => void tools.operate({ kind: 'mirror', part: part.id, axis: k as Axis })} size="small">
                Mirror across {l}
              </Button>
            ))}
          </div>
          <Scale part={part} tools={tools} size={size} />
        </div>
      </Fold>
      <Body part={part} tools={tools} face={face} />
      <Cut part={part} tools={tools} />
      <Fold title="Divide, make solid">
        <div className={desk.choices}>
          <Button disabled={part.summary.shells < 2} onClick={() => void tools.operate({ kind: 'divide', part: part.id })} size="small">
            {part.summary.shells < 2 ? 'One shell: nothing to divide' : `Divide into its ${part.summary.shells} shells`}
          </Button>
          <OpenSurface part={part} tools={tools} />
        </div>
      </Fold>
      {forms.map((form) => (
        <OperationForm key={`${part.id} ${form.kind}`} form={form} part={part} tools={tools} />
      ))}
    </>
  );
}

type MovingProps = { part: PartView; axis: number | null; setAxis: (a: number | null) => void; place: (what: string, rows: number[]) => void };

/** Moved by typed lengths, to typed places, by dragging, turned. */
function Moving({ part, axis, setAxis, place }: MovingProps) {
  const box = standingBox(part);
  const [by, setBy] = useState(['0', '0', '0']);
  const [angle, setAngle] = useState('90');
  const offsets = by.map(numberOf) as P3;
  const middle = [0, 1, 2].map((k) => (box.min[k] + box.max[k]) / 2) as P3;
  return (
    <Fold title="Move" open>
      <form
        className={desk.choices}
        onSubmit={(e) => {
          e.preventDefault();
          if (offsets.every(Number.isFinite)) place('move', shifted(part.place, offsets));
        }}
      >
        <div className={desk.row}>
          {letters.map((l, k) => (
            <Length key={l} label={l} unit="" value={by[k]} set={(v) => setBy(by.map((b, i) => (i === k ? v : b)))} />
          ))}
          <Button disabled={!offsets.every(Number.isFinite)} size="small" htmlType="submit">
            Move
          </Button>
        </div>
        <StandsAt key={box.min.join()} box={box} to={(by) => place('set', shifted(part.place, by))} />
        <div className={desk.buttons}>
          {letters.map((l, k) => (
            <Button key={l} aria-pressed={axis === k} onClick={() => setAxis(axis === k ? null : k)} size="small">
              Drag along {l}
            </Button>
          ))}
          <Button onClick={() => place('set on the bed', shifted(part.place, toBed(box)))} size="small">
            To the bed
          </Button>
        </div>
        <div className={desk.row}>
          <Length label="Turn" unit="°" value={angle} set={setAngle} />
          {letters.map((l, k) => (
            <Button
              key={l}
              disabled={!Number.isFinite(numberOf(angle))}
              onClick={() => place('turn', turnedAbout(part.place, k as Axis, numberOf(angle), middle))}
              size="small"
            >
              about {l}
            </Button>
          ))}
        </div>
      </form>
    </Fold>
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
    <Fold title="Align">
      <div className={desk.choices}>
        <label className={desk.row}>
          With
          <Choice value={other.id} onChange={(value) => setTo(value)} options={[...others.map((o) => ({ value: o.id, label: o.name }))]} />
        </label>
        <div className={desk.row}>
          <Choice
            value={axis}
            label="Axis"
            onChange={(value) => setAxis(Number(value) as Axis)}
            options={[...letters.map((l, k) => ({ value: k, label: `along ${l}` }))]}
          />
          <Choice
            value={by}
            label="How"
            onChange={(value) => setBy(value as AlignBy)}
            options={[...Object.entries(words).map(([k, w]) => ({ value: k, label: w }))]}
          />
        </div>
        <div className={desk.row}>
          <Length label="Gap" value={gap} set={setGap} />
          <Button
            disabled={!Number.isFinite(numberOf(gap))}
            onClick={() => place('align', shifted(part.place, alignment(standingBox(part), standingBox(other), { axis, by, gap: numberOf(gap) })))}
            size="small"
          >
            Align
          </Button>
        </div>
      </div>
    </Fold>
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
      className={desk.row}
      onSubmit={(e) => {
        e.preventDefault();
        if (valid)
          void tools.change(part, `scale ${part.name}`.slice(0, 80), {
            recipe: { ...part.recipe, size: { ...part.recipe.size, factor: part.recipe.size.factor * factor } },
          });
      }}
    >
      <Choice
        value={how}
        label="Scale by"
        onChange={(value) => {
          setHow(value);
          setText(value === 'factor' ? '1' : lengthText(size[Number(value)]));
        }}
        options={[{ value: 'factor', label: 'by a factor' }, ...letters.map((l, k) => ({ value: k, label: `to a size along ${l}` }))]}
      />
      <Length label="" unit={how === 'factor' ? '×' : 'mm'} value={text} set={setText} />
      <Button disabled={!valid} size="small" htmlType="submit">
        Scale
      </Button>
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
    <Fold title="Hole or boss on a face" open={face !== null || undefined}>
      <div className={desk.choices}>
        <p className="context">
          {face ? `On the face at ${face.point.map((v) => lengthText(v * scale)).join(', ')} mm.` : 'Click a face of the part on the table.'}
        </p>
        <div className={desk.row}>
          <Choice
            value={as}
            label="What"
            onChange={(value) => setAs(value as typeof as)}
            options={[
              { value: 'hole', label: 'take out' },
              { value: 'boss', label: 'put on' },
            ]}
          />
          <Choice
            value={kind}
            label="Shape"
            onChange={(value) => setKind(value as typeof kind)}
            options={[
              { value: 'cylinder', label: 'a cylinder' },
              { value: 'box', label: 'a box' },
            ]}
          />
        </div>
        <div className={desk.row}>
          <Length label={kind === 'cylinder' ? 'Diameter' : 'Width'} value={a} set={setA} />
          {kind === 'box' && <Length label="Length" value={b} set={setB} />}
        </div>
        <div className={desk.row}>
          <Length label={as === 'hole' ? 'Depth' : 'Height'} value={depth} set={setDepth} />
          <Button disabled={!valid} onClick={ask} size="small">
            Propose
          </Button>
        </div>
      </div>
    </Fold>
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
    <Fold title="Cut by a plane">
      <div className={desk.choices}>
        <div className={desk.row}>
          <Choice
            value={axis}
            label="Across"
            onChange={(value) => {
              const k = Number(value) as Axis;
              setAxis(k);
              setAt(lengthText(((min[k] + max[k]) / 2) * scale));
            }}
            options={[...letters.map((l, k) => ({ value: k, label: `across ${l}` }))]}
          />
          <Length label={`at ${letters[axis]}`} value={at} set={setAt} />
        </div>
        <p className="context">
          The part reaches from {lengthText(min[axis] * scale)} to <Len mm={max[axis] * scale} /> there.
        </p>
        <div className={desk.row}>
          <Choice
            value={keep}
            label="What stays"
            onChange={(value) => setKeep(value as typeof keep)}
            options={[
              { value: 'both', label: 'keep both halves' },
              { value: 'above', label: 'cut off what is below' },
              { value: 'below', label: 'cut off what is above' },
            ]}
          />
          <Choice
            value={pegs}
            disabled={keep !== 'both'}
            label="Pegs"
            onChange={(value) => setPegs(Number(value))}
            options={[{ value: 0, label: 'flat' }, ...[1, 2, 3, 4].map((n) => ({ value: n, label: `${n} ${n === 1 ? 'peg' : 'pegs'}` }))]}
          />
        </div>
        {pegs > 0 && keep === 'both' && (
          <>
            <div className={desk.row}>
              <Length label="Peg" value={diameter} set={setDiameter} />
              <Length label="deep" value={depth} set={setDepth} />
            </div>
            <Length label="Clearance" value={clearance} set={setClearance} />
          </>
        )}
        <Button
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
          size="small"
        >
          Propose the cut
        </Button>
      </div>
    </Fold>
  );
}
