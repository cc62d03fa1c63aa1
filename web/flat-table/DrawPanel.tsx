'use client';
import { Button } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import Link from 'next/link';
import { useState } from 'react';
import type { ShapeView, ViewName } from 'tall-kite/drawing/from-shape';
import { lengthText } from 'tall-kite/base/figures';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { View } from 'tall-kite/view/view';
import type { OperationView } from '@tall-kite/server/operations/operations';
import type { OperationKind } from '@tall-kite/server/operations/requests';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { JobTools } from '@/shell/useJob.ts';
import { MarkShape } from '@/marks/Mark.tsx';
import type { Picking } from '@/light-table/Table.tsx';
import { atWork, Proposal } from '@/light-table/panels/Proposal.tsx';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { askedView, faceOf, fitTyped, pathOf, type AxisName, type Edges, type Typed } from './draw.ts';
import { useFlatProposal } from './useFlat.ts';
import { LengthInput } from '@/shell/LengthInput.tsx';
import desk from '@/shell/desk.module.css';
import style from './flat.module.css';

const views: ViewName[] = ['top', 'bottom', 'front', 'back', 'left', 'right'];

/** A drawing of a solid or mesh: an outline, a section, sections at a pitch, or a picked face. Shown before it is kept; it becomes a part of its own. */
export function DrawPanel({ part, tools, shape, setPicking }: { part: PartView; tools: JobTools; shape: View | null; setPicking: (p: Picking) => void }) {
  const [chosen, setChosen] = useState(() => firstChosen(part));
  const { kind } = chosen;
  const set = (change: Partial<Typed>) => setChosen({ ...chosen, ...change });
  const made = part.strands.find((s) => s.way === 'cut')?.made;
  const [fit, setFit] = useState('0.05');
  const operation = newest(tools.job?.operations ?? [], part.id, ['draw']);
  const mesh = part.summary.kind === 'mesh';
  const within = mesh ? fitTyped(fit) : null;
  const asked = askedView(chosen);
  const valid = (kind === 'face' || asked !== null) && (!mesh || within !== null);
  const ask = (v: ShapeView) => void tools.operate({ kind: 'draw', part: part.id, view: v, fit: within });
  // A choice is shown as soon as it is made; what is typed when it is left.
  const next = (change: Partial<Typed>) => {
    set(change);
    const then = askedView({ ...chosen, ...change });
    if (valid && then) ask(then);
  };
  const pick = () =>
    setPicking({
      prompt: 'Pick the flat face to be drawn.',
      take: (picked) => {
        setPicking(null);
        const face = shape ? faceOf(shape, picked.triangle) : -1;
        if (face >= 0) ask({ kind: 'face', face });
      },
    });
  return (
    <section aria-label="Draw" data-test="draw">
      <h2>Draw</h2>
      {made && !operation && (
        <p>
          <MarkShape mark="clear" size={12} /> Its drawing is <Link href={made.id}>{made.name}</Link>. Draw it again for another one.
        </p>
      )}
      <div className={desk.choices}>
        <ChosenFields chosen={chosen} mesh={mesh} set={set} next={next} />
        {mesh && <TypedLength words="Arcs fitted within" label="Arcs fitted within" value={fit} set={setFit} />}
        <Button disabled={!valid} onClick={() => (asked ? ask(asked) : pick())}>
          {kind === 'face' ? 'Pick the face' : doWords(operation)}
        </Button>
        <p className="context">As the part stands now. It becomes a drawing beside this part, for laser, router or template.</p>
      </div>
      {operation && (
        <section aria-label="Drawing of it" data-test="drawn">
          {!atWork(operation) && <DrawnPreview part={part} tools={tools} />}
          <Proposal operation={operation} tools={tools} />
        </section>
      )}
    </section>
  );
}

/** What is drawn. @param set keeps what is typed @param next keeps a choice and shows it */
function ChosenFields({ chosen, mesh, set, next }: { chosen: Typed; mesh: boolean; set: (c: Partial<Typed>) => void; next: (c: Partial<Typed>) => void }) {
  const { kind, view, edges, axis, height, pitch } = chosen;
  return (
    <>
      <label className={desk.row}>
        What
        <Choice value={kind} label="What is drawn" onChange={(value) => set({ kind: value as ShapeView['kind'] })} options={kindsOf(mesh)} />
      </label>
      {kind === 'view' && <ViewFields view={view} edges={mesh ? null : edges} set={next} />}
      {kind === 'section' && <SectionFields axis={axis} setAxis={(axis) => next({ axis })} height={height} setHeight={(typed) => set({ height: typed })} />}
      {kind === 'stack' && <TypedLength words="Every" label="Pitch of the sections" value={pitch} set={(typed) => set({ pitch: typed })} />}
    </>
  );
}

const doWords = (before: OperationView | null) => (before ? 'Draw it again' : 'Draw it');

/** What can be drawn of a solid; a mesh has no faces to pick. */
const kindsOf = (mesh: boolean) => [
  { value: 'view', label: 'outline of a view' },
  { value: 'section', label: 'section on a plane' },
  { value: 'stack', label: 'sections at a pitch' },
  ...(mesh ? [] : [{ value: 'face', label: 'a flat face, picked' }]),
];

/** What is drawn before anything is chosen: a section lies at half the height. */
const firstChosen = ({ summary, recipe }: PartView): Typed => {
  const { min, max } = summary.box;
  return { kind: 'view', view: 'top', edges: 'silhouette', axis: 'z', height: lengthText(((max[2] - min[2]) * scaleOf(summary, recipe)) / 2), pitch: '3' };
};

function TypedLength({ words, label, value, set }: { words: string; label: string; value: string; set: (typed: string) => void }) {
  return (
    <label className={desk.row}>
      {words}
      <span>
        <LengthInput label={label} value={value} onChange={set} />
      </span>
    </label>
  );
}

/** From where it is seen. @param edges which of its edges are drawn; null for a mesh, which has only an outline */
function ViewFields({ view, edges, set }: { view: ViewName; edges: Edges | null; set: (change: { view?: ViewName; edges?: Edges }) => void }) {
  return (
    <>
      <label className={desk.row}>
        Seen from
        <Choice value={view} onChange={(v) => set({ view: v as ViewName })} options={views.map((v) => ({ value: v, label: v }))} />
      </label>
      {edges !== null && (
        <label className={desk.row}>
          Edges
          <Choice
            value={edges}
            onChange={(value) => set({ edges: value as Edges })}
            options={[
              { value: 'silhouette', label: 'silhouette only' },
              { value: 'visible', label: 'all that are seen' },
              { value: 'hidden', label: 'hidden ones too, dashed' },
            ]}
          />
        </label>
      )}
    </>
  );
}

type SectionProps = { axis: AxisName; setAxis: (axis: AxisName) => void; height: string; setHeight: (height: string) => void };

/** Where it is cut. */
function SectionFields({ axis, setAxis, height, setHeight }: SectionProps) {
  return (
    <label className={desk.row}>
      At
      <span>
        <Choice
          value={axis}
          label="Axis of the section"
          onChange={(value) => setAxis(value as AxisName)}
          options={[...['z', 'y', 'x'].map((a) => ({ value: a, label: a.toUpperCase() }))]}
        />{' '}
        <LengthInput label="Height of the section" value={height} onChange={setHeight} />
      </span>
    </label>
  );
}

/** The proposed drawing, small, before it is kept. */
export function DrawnPreview({ part, tools, kinds = ['draw'] }: { part: PartView; tools: JobTools; kinds?: OperationKind[] }) {
  const lines = useFlatProposal(newest(tools.job?.operations ?? [], part.id, kinds), null);
  if (!lines) return null;
  const [l, b, r, t] = lines.box;
  const m = Math.max(r - l, t - b) * 0.04 || 1;
  return (
    <svg
      className={`${desk.scaleview} ${style.drawn}`}
      viewBox={`${l - m} ${-t - m} ${r - l + 2 * m} ${t - b + 2 * m}`}
      role="img"
      aria-label={`The drawing, ${lengthText(r - l)} by ${lengthText(t - b)} mm`}
    >
      {[false, true]
        .map((dashed) => ({ dashed, path: pathOf(lines, dashed) }))
        .filter(({ path }) => path !== '')
        .map(({ dashed, path }) => (
          <path
            key={String(dashed)}
            d={path}
            fill="none"
            stroke="var(--designed)"
            strokeWidth={1.4}
            vectorEffect="non-scaling-stroke"
            strokeDasharray={dashed ? '4 3' : undefined}
          />
        ))}
    </svg>
  );
}
