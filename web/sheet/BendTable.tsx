import { Button, Table } from 'antd';
import { lengthText } from 'tall-kite/base/figures';
import type { FlatFigures } from 'tall-kite/model/design';
import { hidden } from '@/shell/controls.tsx';
import { Len } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';

const degrees = (v: number) => `${Number(v.toFixed(2))}°`;

/** Below a micrometre nothing on a press brake tells the difference. */
const foldText = (mm: number) => (mm < 1e-3 ? 'under 0.001 mm' : `${mm.toFixed(3)} mm`);

/** What a flat is: sheet, size, weight, and how well it folds back. */
export function FlatFacts({ flat }: { flat: FlatFigures }) {
  const [l, b, r, t] = flat.box;
  return (
    <dl data-test="flatfacts">
      <dt>Sheet</dt>
      <dd>
        <span className="figure">
          <Len mm={flat.thickness} />
        </span>
        <span className="context"> ± {flat.spread / 2 < 5e-4 ? '0.000' : (flat.spread / 2).toFixed(3)} mm</span>
        {flat.material && `, ${flat.material}`}
      </dd>
      <dt>Flat</dt>
      <dd>
        <span className="figure">
          <Len mm={[r - l, t - b]} />
        </span>
      </dd>
      <dt>{flat.weight === null ? 'Holes' : 'Holes, weight'}</dt>
      <dd>
        <span className="figure">
          {flat.holes}
          {flat.weight !== null && `, ${flat.weight < 1000 ? `${flat.weight.toFixed(1)} g` : `${(flat.weight / 1000).toFixed(2)} kg`}`}
        </span>
      </dd>
      {flat.fit > 1e-4 && (
        <>
          <dt>Source</dt>
          <dd>
            walls and bends fit within <span className="figure">{flat.fit < 1e-3 ? '0.001' : flat.fit.toFixed(3)} mm</span>
          </dd>
        </>
      )}
      <dt>Fold-back</dt>
      <dd>
        <span className="figure">{foldText(flat.foldBack.distance)}</span> off the design
      </dd>
    </dl>
  );
}

/** The bends in their order, with the rule beside each. */
export function BendTable({ flat }: { flat: FlatFigures }) {
  if (flat.bends.length === 0) return <p className="context">No bends: the part is flat already.</p>;
  return (
    <Table<FlatFigures['bends'][number]>
      size="small"
      className={desk.fitted}
      data-test="bends"
      aria-label="Bends in the order in which they are made"
      rowKey="order"
      dataSource={flat.bends}
      pagination={false}
      columns={[
        { title: hidden('Order'), rowScope: 'row', render: (_, b) => <span className="figure">{b.order}</span> },
        { title: 'bend', render: (_, b) => <BendSaid bend={b} pressed={flat.press?.find((p) => p.order === b.order)} /> },
        {
          title: 'R mm',
          align: 'right',
          render: (_, b) => (
            <span className="figure">
              {lengthText(b.tool)}
              {Math.abs(b.tool - b.radius) > 1e-6 && (
                <>
                  <br />
                  <span className="context">not {lengthText(b.radius)}</span>
                </>
              )}
            </span>
          ),
        },
        { title: 'long mm', align: 'right', render: (_, b) => <span className="figure">{lengthText(b.length)}</span> },
        { title: 'allowance mm', align: 'right', render: (_, b) => <span className="figure">{b.allowance.toFixed(3)}</span> },
      ]}
    />
  );
}

/** Which way a bend goes, how far, and by which rule it was counted. */
function BendSaid({ bend: b, pressed }: { bend: FlatFigures['bends'][number]; pressed: NonNullable<FlatFigures['press']>[number] | undefined }) {
  return (
    <>
      {b.direction === 'up' ? '↑ up' : '↓ down'} <span className="figure">{degrees(b.angle)}</span>
      {b.rolled && <span className="context"> rolled</span>}
      <br />
      <span className="context">{b.rule}</span>
      <PressText pressed={pressed} />
    </>
  );
}

/** What a press brake needs for one bend, where it was asked. */
function PressText({ pressed }: { pressed: NonNullable<FlatFigures['press']>[number] | undefined }) {
  if (!pressed) return null;
  return (
    <>
      <br />
      <span className="context">
        V{' '}
        <span className="figure">
          <Len mm={pressed.opening} />
        </span>
        , <span className="figure">{pressed.force.toFixed(1)} kN</span>; flange <span className="figure">{pressed.flange.toFixed(1)}</span> of at least{' '}
        <span className="figure">{pressed.leastFlange.toFixed(1)} mm</span>
        {pressed.hits && `; runs into the ${pressed.hits}`}
      </span>
    </>
  );
}

/** Formed and fastened features that the flat leaves out. */
export function FeatureList({ flat, show, shown }: { flat: FlatFigures; show?: (n: number) => void; shown?: number | null }) {
  if (flat.features.length === 0) return null;
  return (
    <>
      <h3>Left out of the flat</h3>
      <ul className={desk.findings} data-test="features">
        {flat.features.map((f, i) => (
          <li key={i}>
            <span className="grow">
              {f.kind}, {f.side}{' '}
              <span className="figure">
                <Len mm={[f.size[0], f.size[1]]} />
              </span>
              <span className="context">
                {' '}
                {f.kind === 'pocket' ? 'deep' : 'high'} <Len mm={f.height} />
                {f.hole !== null ? `; its hole of ${lengthText(f.hole)} mm stays` : ''}
              </span>
            </span>
            {show && (
              <Button aria-pressed={shown === i} aria-label={`Show ${f.kind} ${i + 1}`} onClick={() => show(i)} size="small">
                Show
              </Button>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}
