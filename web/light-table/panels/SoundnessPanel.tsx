'use client';
import { Button, Input, Checkbox } from 'antd';
import { Choice, Fold } from '@/shell/controls.tsx';
import { useCallback, useEffect, useState, type RefObject } from 'react';
import { safeMend, type MendChoice } from 'tall-kite/mesh/mend/choice';
import type { PlaceKind, PlacedFinding } from 'tall-kite/mesh/soundness/full-findings';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { Place } from 'tall-kite/view/places';
import type { OperationView } from '@tall-kite/server/operations/operations';
import { OpenSurface } from '@/join/OpenSurface.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import type { Scene } from '../Scene.ts';
import { usePlaces } from '../usePart.ts';
import type { PanelProps } from './panel.ts';
import { Figures } from './parts.tsx';
import { atWork, AtWork, Failed, Proposal } from './Proposal.tsx';
import { soundnessOf } from './soundness.ts';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { Len, useLengths } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';

/** The newest operation of some kinds for a part. */
export function newest(operations: OperationView[], part: string, kinds: string[]): OperationView | null {
  return operations.filter((o) => kinds.includes(o.kind) && o.parts[0] === part).pop() ?? null;
}

/** Closed or not, what is wrong and where, and what mends it. */
export function SoundnessPanel(props: PanelProps & { scene: RefObject<Scene | null> }) {
  const { lens } = useLengths();
  const { part, tools, scene } = props;
  const show = useCallback((places: Place[]) => scene.current?.setPlaces(places), [scene]);
  const s = part.summary;
  const operations = tools.job?.operations ?? [];
  const check = newest(operations, part.id, ['check']);
  const proposal = newest(operations, part.id, ['mend', 'lighter', 'relief']);
  const scale = scaleOf(s, part.recipe);
  const { mark, sentence, patch, kind, holds } = soundnessOf(s, scale);
  const rows: [string, string][] = [
    ['Kind', kind],
    ['Box', lens([0, 1, 2].map((k) => (s.box.max[k] - s.box.min[k]) * scale))],
    ['Shells', String(s.shells)],
    holds,
  ];
  if (s.kind === 'solid') rows.push(['Faces', String(s.faces)]);
  return (
    <>
      <h2>Soundness</h2>
      <p>
        <MarkShape mark={mark} /> {sentence}
      </p>
      <Figures rows={rows} />
      {proposal ? (
        <Proposal operation={proposal} tools={tools} />
      ) : (
        <>
          <Checked {...{ part, tools, check, show }} go={props.go} />
          {patch && (
            <section aria-label="Made a body" data-test="madebody" className={desk.choices}>
              <OpenSurface key={scale} part={part} tools={tools} />
            </section>
          )}
          {s.kind === 'mesh' && <Mending {...props} />}
          {s.kind === 'mesh' && <Lightening {...props} />}
        </>
      )}
    </>
  );
}

/** The whole check: at work, come to nothing, or what it found; before it what reading told. */
function Checked(props: PanelProps & { check: OperationView | null; show: (places: Place[]) => void }) {
  const { check, tools } = props;
  return (
    <>
      {check && atWork(check) && <AtWork operation={check} tools={tools} />}
      {check && (check.state === 'failed' || check.state === 'cancelled') && <Failed operation={check} tools={tools} />}
      {check?.state === 'ready' && !check.stale ? <Found {...props} check={check} /> : <Known {...props} />}
    </>
  );
}

/** What reading already told, before the whole check. */
function Known({ part, tools }: PanelProps) {
  const busy = (tools.job?.operations ?? []).some((o) => o.kind === 'check' && o.parts[0] === part.id && atWork(o));
  return (
    <>
      {part.findings.map((f, i) => (
        <p key={i}>
          <MarkShape mark={f.severity} size={11} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
      <div className={desk.buttons}>
        <Button disabled={busy} onClick={() => void tools.operate({ kind: 'check', part: part.id, thickness: true })}>
          Check everything, walls too
        </Button>
      </div>
    </>
  );
}

/** Every finding of the check; one at a time is shown on the part. */
function Found({ check, show, part, tools }: PanelProps & { check: OperationView; show: (places: Place[]) => void }) {
  const report = check.report!.check!;
  const places = usePlaces(check);
  const [shown, setShown] = useState<PlaceKind | null>(null);
  useEffect(() => {
    show(shown && places ? [places[shown]] : []);
    return () => show([]);
  }, [shown, places, show]);
  const findings = report.findings as PlacedFinding[];
  const { thickness } = report;
  return (
    <section aria-label="Findings" data-test="findings">
      {findings.length === 0 && (
        <p>
          <MarkShape mark="clear" size={12} /> Nothing is wrong: no crossings, doubles, needles or loose pieces.
        </p>
      )}
      <ul className={desk.findings}>
        {findings.map((f) => (
          <li key={f.code}>
            <MarkShape mark={f.severity} size={11} />
            <span className="grow">
              {f.message} <span className="context">{f.remedy}</span>
            </span>
            {f.place && (
              <Button aria-pressed={shown === f.place} onClick={() => setShown(shown === f.place ? null : f.place)} size="small">
                Show
              </Button>
            )}
          </li>
        ))}
      </ul>
      {thickness && (
        <p>
          Thinnest wall{' '}
          <span className="figure">
            <Len mm={thickness.least} />
          </span>
          : <span className="figure">{thickness.beads}</span> {thickness.beads === 1 ? 'bead' : 'beads'} of {part.recipe.receiver.name} (
          <span className="figure">{thickness.bead} mm</span>).
        </p>
      )}
      <Button onClick={() => void tools.operate({ kind: 'check', part: part.id, thickness: true })} size="small">
        Check again
      </Button>
    </section>
  );
}

function Mending({ part, tools }: PanelProps) {
  const [choice, setChoice] = useState<MendChoice>(safeMend);
  const [typed, setTyped] = useState({ weld: '', widestHole: '', wrap: '' });
  const value = (name: keyof typeof typed) => (typed[name].trim() === '' ? null : Number(typed[name].replace(',', '.')));
  const [weld, widestHole, wrap] = [value('weld'), value('widestHole'), value('wrap')];
  const fits = {
    weld: weld === null || (weld >= 0 && weld <= 100),
    widestHole: widestHole === null || (widestHole >= 0 && widestHole <= 1e6),
    wrap: wrap === null || (wrap >= 0.001 && wrap <= 1000),
  };
  const valid = fits.weld && fits.widestHole && fits.wrap;
  const length = (name: keyof typeof typed, label: string, usual: string) => (
    <label className={desk.row}>
      {label}
      <span>
        <LengthInput width={76} placeholder={usual} value={typed[name]} invalid={!fits[name]} onChange={(mm) => setTyped({ ...typed, [name]: mm })} />
      </span>
    </label>
  );
  const ask = (c: MendChoice) => void tools.operate({ kind: 'mend', part: part.id, choice: c });
  const box = (name: 'doubles' | 'normals' | 'crossings' | 'crumbs' | 'largestOnly', label: string) => (
    <Checkbox checked={choice[name]} onChange={(e) => setChoice({ ...choice, [name]: e.target.checked })}>
      {label}
    </Checkbox>
  );
  return (
    <section aria-label="Mending">
      <Button onClick={() => ask(safeMend)} type="primary">
        Mend all that is safe
      </Button>
      <p className="context">Shown first, kept only if you say so.</p>
      <Fold title="Choose what is mended">
        <div className={desk.choices}>
          <label className={desk.row}>
            Close holes
            <Choice
              value={choice.holes}
              onChange={(value) => setChoice({ ...choice, holes: value as MendChoice['holes'] })}
              options={[
                { value: 'flat', label: 'flat' },
                { value: 'surface', label: 'as the surface goes on' },
                { value: 'none', label: 'leave them open' },
              ]}
            />
          </label>
          {length('widestHole', 'Widest hole', 'usual')}
          {length('weld', 'Weld within', 'a hair')}
          {box('doubles', 'take out doubles')}
          {box('normals', 'make normals agree')}
          {box('crossings', 'resolve self-intersections')}
          {box('crumbs', 'drop stray crumbs')}
          {box('largestOnly', 'keep the largest shell only')}
          {length('wrap', 'Or remake it all on a grid of', 'not')}
          <Button disabled={!valid} onClick={() => ask({ ...choice, weld, widestHole, wrap })}>
            Propose this
          </Button>
        </div>
      </Fold>
    </section>
  );
}

function Lightening({ part, tools }: PanelProps) {
  const [by, setBy] = useState<'triangles' | 'deviation'>('deviation');
  const [text, setText] = useState('0.05');
  const value = Number(text.replace(',', '.'));
  const valid = text.trim() !== '' && (by === 'triangles' ? Number.isInteger(value) && value >= 4 && value <= 2e7 : value >= 1e-4 && value <= 100);
  return (
    <form
      className={desk.buttons}
      onSubmit={(e) => {
        e.preventDefault();
        if (valid)
          void tools.operate({ kind: 'lighter', part: part.id, triangles: by === 'triangles' ? value : null, deviation: by === 'deviation' ? value : null });
      }}
    >
      <label className="nowrap">
        At most{' '}
        {by === 'deviation' ? (
          <LengthInput width={62} value={text} onChange={setText} />
        ) : (
          <Input inputMode="numeric" value={text} onChange={(e) => setText(e.target.value)} className={`num ${widths.w80}`} size="small" />
        )}
      </label>
      <Choice
        value={by}
        label="Limit of"
        onChange={(value) => {
          setBy(value as typeof by);
          setText(value === 'triangles' ? String(Math.max(4, Math.round((part.summary.triangles ?? 1000) / 4))) : '0.05');
        }}
        options={[
          { value: 'deviation', label: 'off the surface' },
          { value: 'triangles', label: 'triangles' },
        ]}
      />
      <Button disabled={!valid} size="small" htmlType="submit">
        Make it lighter
      </Button>
    </form>
  );
}
