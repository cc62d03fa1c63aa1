'use client';
import { Button } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import Link from 'next/link';
import { useState } from 'react';
import type { ShapeView, ViewName } from 'tall-kite/drawing/from-shape';
import { lengthText } from 'tall-kite/base/figures';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { View } from 'tall-kite/view/view';
import type { OperationKind } from '@tall-kite/server/operations/requests';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { JobTools } from '@/shell/useJob.ts';
import { MarkShape } from '@/marks/Mark.tsx';
import type { Picking } from '@/light-table/Table.tsx';
import { atWork, Proposal } from '@/light-table/panels/Proposal.tsx';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { useFlatProposal } from './useFlat.ts';
import { typedNumber } from './panels/recipe.ts';
import { LengthInput } from '@/shell/LengthInput.tsx';
import desk from '@/shell/desk.module.css';
import style from './flat.module.css';

/** The face that a triangle of the view belongs to. */
export function faceOf(shape: View, triangle: number): number {
  let face = 0;
  while (face + 2 < shape.starts.length && shape.starts[face + 1] <= triangle) face++;
  return shape.starts.length > 1 ? face : -1;
}

const views: ViewName[] = ['top', 'bottom', 'front', 'back', 'left', 'right'];

/** A drawing of a solid or mesh: an outline, a section, sections at a pitch, or a picked face. Shown before it is kept; it becomes a part of its own. */
export function DrawPanel({ part, tools, shape, setPicking }: { part: PartView; tools: JobTools; shape: View | null; setPicking: (p: Picking) => void }) {
  const [kind, setKind] = useState<ShapeView['kind']>('view');
  const [view, setView] = useState<ViewName>('top');
  const [edges, setEdges] = useState<Edges>('silhouette');
  const [axis, setAxis] = useState<AxisName>('z');
  const box = part.summary.box;
  const made = part.strands.find((s) => s.way === 'cut')?.made;
  const scale = scaleOf(part.summary, part.recipe);
  const [height, setHeight] = useState(() => lengthText(((box.max[2] - box.min[2]) * scale) / 2));
  const [pitch, setPitch] = useState('3');
  const [fit, setFit] = useState('0.05');
  const operation = newest(tools.job?.operations ?? [], part.id, ['draw']);
  const mesh = part.summary.kind === 'mesh';
  const [h, p, f] = [typedNumber(height), typedNumber(pitch), typedNumber(fit)];
  const valid = (kind !== 'section' || h !== null) && (kind !== 'stack' || (p !== null && p >= 0.05)) && (!mesh || (f !== null && f > 0 && f <= 5));
  const ask = (v: ShapeView) => void tools.operate({ kind: 'draw', part: part.id, view: v, fit: mesh ? f : null });
  // A choice is shown as soon as it is made; what is typed when it is left.
  const next = (change: { view?: ViewName; edges?: Edges; axis?: AxisName }) => {
    if (change.view) setView(change.view);
    if (change.edges) setEdges(change.edges);
    if (change.axis) setAxis(change.axis);
    if (!valid) return;
    if (kind === 'view') ask({ kind, view: change.view ?? view, edges: change.edges ?? edges });
    else if (kind === 'section') ask({ kind, height: h!, axis: change.axis ?? axis });
  };
  const go = () => {
    if (kind === 'view') ask({ kind, view, edges });
    else if (kind === 'section') ask({ kind, height: h!, axis });
    else if (kind === 'stack') ask({ kind, pitch: p! });
    else
      setPicking({
        prompt: 'Pick the flat face to be drawn.',
        take: (pick) => {
          setPicking(null);
          const face = shape ? faceOf(shape, pick.triangle) : -1;
          if (face >= 0) ask({ kind: 'face', face });
        },
      });
  };
  return (
    <section aria-label="Draw" data-test="draw">
      <h2>Draw</h2>
      {made && !operation && (
        <p>
          <MarkShape mark="clear" size={12} /> Its drawing is <Link href={made.id}>{made.name}</Link>. Draw it again for another one.
        </p>
      )}
      <div className={desk.choices}>
        <label className={desk.row}>
          What
          <Choice
            value={kind}
            label="What is drawn"
            onChange={(value) => setKind(value as ShapeView['kind'])}
            options={[
              { value: 'view', label: 'outline of a view' },
              { value: 'section', label: 'section on a plane' },
              { value: 'stack', label: 'sections at a pitch' },
              ...(!mesh ? [{ value: 'face', label: 'a flat face, picked' }] : []),
            ]}
          />
        </label>
        {kind === 'view' && <ViewFields view={view} edges={mesh ? null : edges} set={next} />}
        {kind === 'section' && <SectionFields axis={axis} setAxis={(axis) => next({ axis })} height={height} setHeight={setHeight} />}
        {kind === 'stack' && (
          <label className={desk.row}>
            Every
            <span>
              <LengthInput label="Pitch of the sections" value={pitch} onChange={setPitch} />
            </span>
          </label>
        )}
        {mesh && (
          <label className={desk.row}>
            Arcs fitted within
            <span>
              <LengthInput label="Arcs fitted within" value={fit} onChange={setFit} />
            </span>
          </label>
        )}
        <Button disabled={!valid} onClick={go}>
          {kind === 'face' ? 'Pick the face' : operation ? 'Draw it again' : 'Draw it'}
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

type Edges = 'silhouette' | 'visible' | 'hidden';
type AxisName = 'x' | 'y' | 'z';

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
  const path = (i: number) => {
    const steps: string[] = [];
    for (let k = lines.starts[i]; k < lines.starts[i + 1]; k++) steps.push(`${lines.points[k * 2].toFixed(3)} ${(-lines.points[k * 2 + 1]).toFixed(3)}`);
    return `M${steps.join('L')}${lines.closed[i] ? 'Z' : ''}`;
  };
  return (
    <svg
      className={`${desk.scaleview} ${style.drawn}`}
      viewBox={`${l - m} ${-t - m} ${r - l + 2 * m} ${t - b + 2 * m}`}
      role="img"
      aria-label={`The drawing, ${lengthText(r - l)} by ${lengthText(t - b)} mm`}
    >
      {lines.starts.slice(0, -1).map((_, i) => (
        <path
          key={i}
          d={path(i)}
          fill="none"
          stroke="var(--designed)"
          strokeWidth={1.4}
          vectorEffect="non-scaling-stroke"
          strokeDasharray={lines.dashed[i] ? '4 3' : undefined}
        />
      ))}
    </svg>
  );
}
