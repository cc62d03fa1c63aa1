'use client';
import { Button, Checkbox, Input } from 'antd';
import { Choice, Glide } from '@/shell/controls.tsx';
import dynamic from 'next/dynamic';
import { useCallback, useEffect, useRef, useState } from 'react';
import { anyAngle, choiceLimits, facetsPerQuarter, presets } from 'tall-kite/surfaces/presets';
import { recommend } from 'tall-kite/surfaces/survey';
import { bytesText, countText } from 'tall-kite/base/figures';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { Preview } from '@/workers/part.worker.ts';
import { MarkShape } from '@/marks/Mark.tsx';
import { useOpened } from '../usePart.ts';
import { partWorker } from '../worker.ts';
import type { CurvePoint } from './FacetCurve.tsx';
import { saveRecipe, type PanelProps } from './panel.ts';
import { NumberField } from '@/flat-table/panels/NumberField.tsx';
import { Len } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';

const FacetCurve = dynamic(() => import('./FacetCurve.tsx').then((m) => m.FacetCurve), { ssr: false });

const surfaceNames: Record<string, string> = {
  plane: 'an edge of a flat face',
  cylinder: 'a cylinder',
  cone: 'a cone',
  sphere: 'a sphere',
  torus: 'a round rim',
  bspline: 'a free-form face',
  extrusion: 'an extruded face',
  revolution: 'a turned face',
  offset: 'an offset face',
};
const [low, high] = choiceLimits.deviation;
const toSlider = (d: number) => Math.log(d / low) / Math.log(high / low);
const fromSlider = (s: number) => Number((low * (high / low) ** s).toPrecision(2));

type Choice = PartView['recipe']['facets'];

/** How fine: a deviation and a turn angle, a preset named after the surface, or a budget; measured live. */
export function FacetsPanel(props: PanelProps & { preview: Preview | null; setPreview: (p: Preview | null) => void; scale: number }) {
  const { part } = props;
  if (part.summary.kind === 'mesh') {
    return (
      <>
        <h2>Facets</h2>
        <p>
          This part came as a mesh: its {(part.summary.triangles ?? 0).toLocaleString('en')} triangles are written as they are, and every corner is compared
          with what is received.
        </p>
        <p className="context">For other facets, bring in the solid (STEP) that the mesh was made from.</p>
      </>
    );
  }
  return <SolidFacets {...props} />;
}

/** Facets of the choice, measured live: while some are made only the last choice waits. */
function usePreview(ready: boolean, choice: Choice, scale: number, setPreview: (p: Preview | null) => void): { busy: boolean; trouble: string | null } {
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);
  const wanted = useRef<Choice | null>(null);
  const running = useRef(false);
  const refresh = useCallback(async () => {
    if (running.current) return;
    running.current = true;
    setBusy(true);
    try {
      while (wanted.current) {
        const now = wanted.current;
        wanted.current = null;
        const most = now.budget ? (now.budget.kind === 'triangles' ? now.budget.most : Math.floor((now.budget.most - 84) / 50)) : null;
        const made =
          most === null
            ? await partWorker().facets({ deviation: now.deviation / scale, angle: now.angle, balanced: now.balanced })
            : await partWorker().within(most, now.balanced);
        if (wanted.current) continue;
        setTrouble(made ? null : 'Even at 5 mm deviation the part has more triangles than that. Allow more.');
        setPreview(made);
      }
    } catch (thrown) {
      setTrouble((thrown as Error).message);
    }
    running.current = false;
    setBusy(false);
  }, [scale, setPreview]);
  useEffect(() => {
    if (!ready) return;
    wanted.current = choice;
    void refresh();
  }, [ready, choice, refresh]);

  return { busy, trouble };
}

type Save = (next: Choice, what: string) => void;

function Presets({ choice, save }: { choice: Choice; save: Save }) {
  return (
    <div className={`${desk.buttons} ${desk.tight}`} role="radiogroup" aria-label="Presets">
      {presets.map((p) => (
        <Button
          key={p.id}
          role="radio"
          aria-checked={!choice.budget && choice.preset === p.id}
          title={`${p.suits}: ${p.deviation} mm, ${p.angle}°`}
          onClick={() => save({ ...choice, deviation: p.deviation, angle: p.angle, preset: p.id, budget: null }, `${p.name} for`)}
          size="small"
        >
          {p.name}
        </Button>
      ))}
    </div>
  );
}

type TolerancesProps = { choice: Choice; setChoice: (choice: Choice) => void; save: Save; survey: NonNullable<PartView['summary']['survey']>; scale: number };

/** How far off and how much turned facets may be. */
function Tolerances({ choice, setChoice, save, survey, scale }: TolerancesProps) {
  return (
    <div>
      <NumberField
        label="Deviation, at most"
        unit="mm"
        value={choice.deviation}
        low={choiceLimits.deviation[0]}
        high={choiceLimits.deviation[1]}
        disabled={choice.budget !== null}
        save={(v) => save({ ...choice, deviation: v, preset: null, budget: null }, 'deviation of')}
      />
      <Glide
        label="Deviation, from fine to coarse"
        words={`${choice.deviation} mm`}
        min={0}
        max={1}
        step={0.005}
        value={toSlider(choice.deviation)}
        disabled={choice.budget !== null}
        onChange={(v) => setChoice({ ...choice, deviation: fromSlider(v), preset: null, budget: null })}
        done={(v) => save({ ...choice, deviation: fromSlider(v), preset: null, budget: null }, 'deviation of')}
      />
      <NumberField
        label="Turn angle, at most"
        unit="°"
        value={choice.angle}
        low={choiceLimits.angle[0]}
        high={choiceLimits.angle[1]}
        disabled={choice.budget !== null}
        save={(v) => save({ ...choice, angle: v, preset: null, budget: null }, 'turn angle of')}
      />
      {choice.angle === anyAngle && !choice.budget && <p className="context">At {anyAngle}° the deviation alone decides.</p>}
      {survey.bothWays > 0 && (
        <Checkbox
          checked={choice.balanced === true}
          onChange={(e) => save({ ...choice, balanced: e.target.checked }, e.target.checked ? 'balanced facets for' : 'facets not balanced for')}
        >
          Balanced: half as many; sizes move by up to the deviation.
        </Checkbox>
      )}
      {survey.smallestRadius !== null && !choice.budget && (
        <div className={desk.row}>
          <span>Facets per quarter turn</span>
          <span className="figure">
            {facetsPerQuarter(survey.smallestRadius * scale, choice)} on R <Len mm={survey.smallestRadius * scale} />
          </span>
        </div>
      )}
    </div>
  );
}

type PreviewProps = {
  preview: Preview | null;
  busy: boolean;
  trouble: string | null;
  ready: boolean;
  /** Why the solid could not be opened here. */
  failed: string | null;
  /** Measured deviation, mm. */
  measured: number | null;
  clear: boolean;
  /** The receiver for which they are too many. */
  tooMany: string | null;
};

/** What the facets came to, in words. */
function PreviewSaid({ preview, busy, trouble, ready, failed, measured, clear, tooMany }: PreviewProps) {
  return (
    <div data-test="preview" data-busy={busy ? 'yes' : 'no'} aria-live="polite">
      {failed && <p className="c-stop">The solid could not be opened here: {failed}. The file can still be written.</p>}
      {trouble && <p className="c-look">{trouble}</p>}
      {!ready && !failed && <p className="context">Opening the solid …</p>}
      {ready && !preview && !trouble && <p className="context">Measuring …</p>}
      {preview && <Measured {...{ preview, busy, clear, tooMany }} measured={measured!} />}
    </div>
  );
}

type MeasuredProps = Pick<PreviewProps, 'busy' | 'clear' | 'tooMany'> & { preview: Preview; measured: number };

/** How many they are, and how far off. */
function Measured({ preview, busy, measured, clear, tooMany }: MeasuredProps) {
  const { step, least, surface } = preview;
  // What rounds to nothing is at no place.
  const off = measured >= 5e-5;
  return (
    <>
      <p style={{ opacity: busy ? 0.6 : 1 }}>
        <MarkShape mark={clear ? 'clear' : 'stop'} size={12} /> <span className="figure">{countText(step.triangles)}</span> triangles,{' '}
        <span className="figure">{bytesText(step.bytes)}</span>; measured deviation <span className="figure">{measured.toFixed(4)} mm</span>
        {off && `, at ${surfaceNames[surface] ?? 'a face'}`}.
      </p>
      <p className="context">
        {(step.triangles / Math.max(1, least)).toFixed(2)} times the least possible ({countText(least)}).
        {tooMany !== null && ` More than ${tooMany} takes.`}
      </p>
    </>
  );
}

function SolidFacets(props: PanelProps & { preview: Preview | null; setPreview: (p: Preview | null) => void; scale: number }) {
  const { part, preview, setPreview, scale } = props;
  const saved = part.recipe.facets;
  const [choice, setChoice] = useState<Choice>(saved);
  const { ready, failed } = useOpened(part);
  const { busy, trouble } = usePreview(ready, choice, scale, setPreview);
  const { receiver } = part.recipe;
  const survey = part.summary.survey!;
  const advice = recommend(survey);
  useEffect(() => setChoice(saved), [saved]);

  const curve = useCurve(ready && !busy && preview !== null, part.id, choice, scale);
  const save = (next: Choice, what: string) => {
    setChoice(next);
    saveRecipe(props, `${what} ${part.name}`, { facets: next });
  };
  const measured = preview ? preview.step.measured * scale : null;
  const promise = choice.budget ? null : choice.deviation;
  const kept = preview !== null && (promise === null || measured! <= promise);
  const overLimit = preview !== null && (preview.step.triangles > receiver.mostTriangles || preview.step.bytes > receiver.mostBytes);
  return (
    <>
      <div>
        <h2>Facets</h2>
        <p className="context">
          Surfaces: {survey.flat} flat, {survey.oneWay} round one way, {survey.bothWays} round both ways. <b>{advice.preset.name}</b> suits: {advice.reason}
        </p>
      </div>
      <Presets choice={choice} save={save} />
      <Tolerances choice={choice} setChoice={setChoice} save={save} survey={survey} scale={scale} />
      <Budget
        key={JSON.stringify(saved.budget)}
        budget={choice.budget}
        save={(budget) => save({ ...choice, budget, preset: null }, budget ? 'budget for' : 'no budget for')}
      />
      <PreviewSaid {...{ preview, busy, trouble, ready, failed, measured }} clear={kept && !overLimit} tooMany={overLimit ? receiver.name : null} />
      {curve.length > 1 && (
        <FacetCurve
          points={curve}
          now={preview ? { deviation: promise ?? measured!, triangles: preview.step.triangles } : null}
          limit={receiver.mostTriangles}
          receiver={receiver.name}
        />
      )}
    </>
  );
}

function Budget({ budget, save }: { budget: Choice['budget']; save: (b: Choice['budget']) => void }) {
  const [kind, setKind] = useState<'triangles' | 'bytes'>(budget?.kind ?? 'triangles');
  const [text, setText] = useState(budget ? String(budget.kind === 'bytes' ? budget.most / 1000 : budget.most) : '');
  const most = Number(text) * (kind === 'bytes' ? 1000 : 1);
  const valid = text.trim() !== '' && Number.isFinite(most) && most >= 100 && most <= 1e9;
  return (
    <form
      className={desk.row}
      onSubmit={(e) => {
        e.preventDefault();
        if (valid) save({ kind, most: Math.round(most) });
      }}
    >
      <label className="nowrap">
        Budget <Input inputMode="numeric" value={text} onChange={(e) => setText(e.target.value)} className={`num ${widths.w72}`} size="small" />
      </label>
      <Choice
        value={kind}
        label="Budget of"
        onChange={(value) => setKind(value as 'triangles' | 'bytes')}
        options={[
          { value: 'triangles', label: 'triangles' },
          { value: 'bytes', label: 'kB' },
        ]}
      />
      <Button disabled={!valid} size="small" htmlType="submit">
        Keep
      </Button>
      {budget && (
        <Button onClick={() => save(null)} size="small">
          Off
        </Button>
      )}
    </form>
  );
}

/** The curve of triangles against deviation, a point at a time while nothing else is asked of the worker. */
function useCurve(idle: boolean, partId: string, { angle, balanced }: Choice, scale: number): CurvePoint[] {
  const [curve, setCurve] = useState<{ key: string; points: CurvePoint[] }>({ key: '', points: [] });
  const key = `${partId} ${angle} ${balanced === true} ${scale}`;
  const steps = [0.5, 0.2, 0.1, 0.05, 0.02, 0.01];
  const points = curve.key === key ? curve.points : [];
  const next = steps[points.length];
  useEffect(() => {
    if (!idle || next === undefined) return;
    let gone = false;
    const timer = setTimeout(async () => {
      const point = await partWorker()
        .curvePoint({ deviation: next / scale, angle, balanced })
        .catch(() => null);
      if (gone || !point) return;
      setCurve((old) => ({
        key,
        points: [
          ...(old.key === key ? old.points : []),
          { deviation: next, measured: point.step.measured * scale, triangles: point.step.triangles, least: point.least },
        ],
      }));
    }, 60);
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, [idle, next, key, angle, balanced, scale]);
  return points;
}
