'use client';
import { Button, Input, Checkbox } from 'antd';
import { cross } from 'tall-kite/geometry/vector';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState, type RefObject } from 'react';
import { afterTurn, turnAbout } from 'tall-kite/geometry/placement';
import { asModelled, normalOfThree, setDown, sideDown, type Stance } from 'tall-kite/stance/stance';
import type { StanceCandidate } from 'tall-kite/stance/candidates';
import type { View } from 'tall-kite/view/view';
import type { OperationView } from '@tall-kite/server/operations/operations';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { MarkShape } from '@/marks/Mark.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import type { Stood } from '@/workers/part.worker.ts';
import type { Pick } from '../picking.ts';
import type { Scene } from '../Scene.ts';
import type { Picking } from '../Table.tsx';
import { partWorker } from '../worker.ts';
import { saveRecipe, type PanelProps } from './panel.ts';
import { Figures } from './parts.tsx';
import { atWork, AtWork, Failed } from './Proposal.tsx';
import { newest } from './SoundnessPanel.tsx';
import { Len, useLengths } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';
import style from './panels.module.css';

type P3 = [number, number, number];

/** Which side is down: pick a flat face or three points, turn by typed angles, drop to the bed. */
export function StancePanel(props: PanelProps & { view: View | null; scale: number; setPicking: (p: Picking) => void; scene: RefObject<Scene | null> }) {
  const { len } = useLengths();
  const { part, tools, view, scale, setPicking, scene } = props;
  const { stance } = part.recipe;
  const { receiver } = part.recipe;
  const [note, setNote] = useState<string | null>(null);
  // A very heavy mesh is shaded on request only.
  const [shaded, setShaded] = useState((part.summary.triangles ?? 0) <= 150_000);
  const { stood, before, failed } = useStood(part, scale, shaded);
  const standing = stood?.standing ?? null;
  const save = (what: string, next: Stance) => {
    setNote(null);
    setPicking(null);
    saveRecipe(props, `${what} ${part.name}`, { stance: next });
  };
  const onFace = (pick: Pick) => {
    const normal = view && pick.triangle >= 0 ? flatNormal(view, pick.triangle) : null;
    if (!normal) return setNote('That face is not flat, so nothing can rest on it. Pick a flat one, or three points.');
    save('set down', setDown(normal, stance.turn));
  };
  const three: P3[] = [];
  const onPoint = (pick: Pick) => {
    three.push(pick.point);
    scene.current?.setMarks(three);
    if (three.length < 3) return;
    const normal = normalOfThree(three[0], three[1], three[2], part.summary.centre);
    scene.current?.setMarks([]);
    if (normal) save('set down on three points', { ...setDown(normal, stance.turn), how: 'set down on three points' });
    else {
      three.length = 0;
      setNote('The three points lie on one line. Pick three that span a plane.');
    }
  };
  const rows = standing ? rowsOf(standing, stance, receiver.overhang, len) : [];
  const found = newest(tools.job?.operations ?? [], part.id, ['stances']);
  return (
    <>
      <h2>Stance</h2>
      {failed && (
        <p role="alert" className="c-look">
          How it stands could not be worked out: {failed} Reload the page.
        </p>
      )}
      <Figures rows={before ? rows.map(([name]) => [name, '…']) : rows} />
      <Shading limit={receiver.overhang} on={shaded} set={setShaded} stood={stood} scene={scene} />
      <Candidates found={found} tools={tools} part={part} now={stance} pick={(c) => save('stand', { turn: c.turn, drop: true, how: `${c.side} picked` })} />
      <p className="context">
        An overhang of 0° is a wall, 90° a ceiling; {receiver.name} prints {receiver.overhang}° without support.
      </p>
      <div className={desk.buttons}>
        <Button onClick={() => setPicking({ prompt: 'Pick the flat face to set down.', take: onFace })}>Set down a face</Button>
        <Button onClick={() => setPicking({ prompt: 'Pick three points to stand on.', take: onPoint })}>Three points</Button>
        <Button disabled={stance.drop && Math.abs(standing?.lowest ?? 0) < 1e-6} onClick={() => save('drop', { ...stance, drop: true })}>
          Drop to the bed
        </Button>
      </div>
      {note && (
        <p role="alert" className="c-look">
          {note}
        </p>
      )}
      <Turning turn={stance.turn} save={save} note={setNote} />
      <Button disabled={stance.how === asModelled.how} onClick={() => save('put back', asModelled)}>
        Back to as modelled
      </Button>
    </>
  );
}

/** How the part stands, as rows. @param len writes a length */
function rowsOf(standing: Stood['standing'], stance: Stance, overhang: number, len: (mm: number) => string): [string, string][] {
  return [
    ['Side down', `${sideDown(stance.turn)}, ${stance.how}`],
    ['Height', len(standing.height)],
    ['Lowest point', `Z ${len(standing.lowest)}`],
    ['Rests on', `${standing.contact.toFixed(1)} mm²`],
    [`Overhang past ${overhang}°`, `${standing.overhang.toFixed(1)} mm²`],
    ['Steepest overhang', standing.overhang > 0 ? `${standing.steepest.toFixed(0)}°` : 'none'],
  ];
}

const axes: P3[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];

/** Turned by typed angles, or by quarters. @param now the turn it stands by */
function Turning({ turn: now, save, note }: { turn: Stance['turn']; save: (what: string, next: Stance) => void; note: (sentence: string) => void }) {
  const [angles, setAngles] = useState(['0', '0', '0']);
  const turn = () => {
    const values = angles.map((a) => Number(a.replace(',', '.')));
    if (values.some((v) => !Number.isFinite(v))) return note('Type angles as numbers, in degrees.');
    const next = values.reduce((q, v, k) => afterTurn(turnAbout(axes[k], (v * Math.PI) / 180), q), now);
    setAngles(['0', '0', '0']);
    save('turn', { turn: next, drop: true, how: 'turned' });
  };
  return (
    <fieldset className={desk.fenced}>
      <legend>Turn by degrees</legend>
      <form
        className={desk.row}
        onSubmit={(e) => {
          e.preventDefault();
          turn();
        }}
      >
        {['X', 'Y', 'Z'].map((axis, k) => (
          <label key={axis}>
            {axis}{' '}
            <Input
              inputMode="decimal"
              value={angles[k]}
              onChange={(e) => setAngles(angles.map((a, i) => (i === k ? e.target.value : a)))}
              className={`num ${widths.w58}`}
              size="small"
            />
          </label>
        ))}
        <Button size="small" htmlType="submit">
          Turn
        </Button>
      </form>
      <div className={`${desk.buttons} ${frame.below}`}>
        {(['X', 'Y', 'Z'] as const).map((axis, k) => (
          <Button
            key={axis}
            onClick={() =>
              save('turn', {
                turn: afterTurn(turnAbout(axes[k], Math.PI / 2), now),
                drop: true,
                how: 'turned',
              })
            }
            size="small"
          >
            90° about {axis}
          </Button>
        ))}
      </div>
    </fieldset>
  );
}

/** What hangs over more than a receiver can print by so much hangs far over, degrees. Common practice, no source. */
const farBeyond = 25;
const farOver = (limit: number): number => Math.min(90, limit + farBeyond);

/** How a part stands as its stance is now; null until it is known, and while `before` is true as it stood before. @param shaded what hangs over is wanted, too */
function useStood(part: PartView, scale: number, shaded: boolean): { stood: Stood | null; before: boolean; failed: string | null } {
  const { stance, receiver } = part.recipe;
  const limit = receiver.overhang;
  const name = `${part.id} ${part.view}`;
  const query = useQuery({
    queryKey: ['stood', name, stance, scale, limit, shaded],
    gcTime: 0,
    staleTime: Infinity,
    // The one before holds the room; of another shape its triangles are none of this one's.
    placeholderData: (old: Stood | undefined, before) => (before?.queryKey[1] === name ? old : undefined),
    retry: false,
    queryFn: () => partWorker().stands({ name, path: `/api/parts/${part.id}/geometry?what=view`, stance, scale, limit, far: farOver(limit) }, shaded),
  });
  return { stood: query.data ?? null, before: query.isPlaceholderData, failed: query.error?.message ?? null };
}

interface ShadingProps {
  /** Degrees from the vertical. */
  limit: number;
  on: boolean;
  set: (on: boolean) => void;
  stood: Stood | null;
  scene: RefObject<Scene | null>;
}

/** Overhang drawn on the part: two inks, said in words. */
function Shading({ limit, on, set, stood, scene }: ShadingProps) {
  const far = farOver(limit);
  const rounds = on ? (stood?.rounds ?? []) : [];
  const over = on ? stood?.over : null;
  useEffect(() => {
    const drawn = scene.current;
    drawn?.setShades(over ?? null);
    return () => drawn?.setShades(null);
  }, [over, scene]);
  return (
    <div>
      <Checkbox checked={on} onChange={(e) => set(e.target.checked)}>
        Show what hangs over
      </Checkbox>
      {on && (
        <p className="context">
          <span className={`${desk.swatch} ${style.looks}`} />
          hangs {limit}° to {far}° <span className={`${desk.swatch} ${style.stops}`} />
          hangs more than {far}°
        </p>
      )}
      {rounds.length > 0 && (
        <p data-test="rounds">
          <MarkShape mark="look" size={11} /> {rounds.length === 1 ? 'A round' : `${rounds.length} rounds`} on the underside steepen
          {rounds.length === 1 ? 's' : ''} to <span className="figure">{rounds[0].steepest.toFixed(0)}°</span> and will droop (
          {rounds.reduce((n, r) => n + r.area, 0).toFixed(0)} mm²); a straight chamfer of <span className="figure">{rounds[0].chamfer}°</span> from the vertical
          would print.
        </p>
      )}
    </div>
  );
}

/** The middle of the weight lies so near the rim of the base, as a share of the size, that a push tips the part. Common practice, no source. */
const tipping = 0.02;

/** Ways to stand, the best first, each with its picture and figures. */
function Candidates({
  found,
  tools,
  part,
  now,
  pick,
}: {
  found: OperationView | null;
  tools: JobTools;
  part: PartView;
  now: Stance;
  pick: (c: StanceCandidate) => void;
}) {
  const ask = () => void tools.operate({ kind: 'stances', part: part.id });
  // A part that is soon stood is stood at once; a heavy mesh waits until it is asked for.
  const light = (part.summary.triangles ?? 0) <= 150_000;
  const missing = found === null && light;
  useEffect(() => {
    if (missing) ask();
    // Once for a part.
  }, [part.id, missing]);
  if (found && atWork(found)) return <AtWork operation={found} tools={tools} />;
  if (found && (found.state === 'failed' || found.state === 'cancelled')) return <Failed operation={found} tools={tools} />;
  const list = found?.state === 'ready' ? (found.report?.stances ?? []) : null;
  if (!list)
    return (
      <Button onClick={ask} type="primary">
        Find stances
      </Button>
    );
  const same = (c: StanceCandidate) => Math.abs(c.turn.reduce((n, v, k) => n + v * now.turn[k], 0)) > 0.99999;
  return (
    <section aria-label="Stances found" data-test="stances">
      <p className="context">Best first: support volume, overhang, height and contact weighed together.</p>
      <ol className={style.stances}>
        {list.map((c, i) => (
          <li key={i}>
            <button aria-pressed={same(c)} onClick={() => pick(c)}>
              <svg width="40" height="40" viewBox="0 0 40 40" aria-hidden="true">
                <path d={c.picture} fill="var(--faint)" stroke="var(--designed)" />
                <path d="M2 38.5H38" stroke="var(--ink)" />
              </svg>
              <span>
                <b>{c.side === 'tilted' ? 'tilted' : `${c.side} down`}</b>
                {c.steady < tipping && (
                  <span className="c-look">
                    {' '}
                    <MarkShape mark="look" size={10} /> tips easily
                  </span>
                )}
                <br />
                <span className="figure">
                  <Len mm={c.height} /> high, rests&nbsp;on&nbsp;{c.contact.toFixed(0)}&nbsp;mm²
                </span>
                <br />
                <span className="figure">
                  support&nbsp;{(c.support / 1000).toFixed(1)}&nbsp;cm³, overhang&nbsp;{c.overhang.toFixed(0)}&nbsp;mm²
                </span>
              </span>
            </button>
          </li>
        ))}
      </ol>
      {list.length === 0 && <p>It rests on none of its faces. Set it down by three points.</p>}
    </section>
  );
}

/** The normal of the flat face that a triangle belongs to; for a mesh the triangle's own. Null for a round face. */
function flatNormal(view: View, triangle: number): P3 | null {
  const own = normalOf(view, triangle);
  if (!own || view.starts.length === 0) return own;
  let face = 0;
  while (face + 1 < view.starts.length - 1 && view.starts[face + 1] <= triangle) face++;
  for (let i = view.starts[face]; i < view.starts[face + 1]; i++) {
    const n = normalOf(view, i);
    if (n && n[0] * own[0] + n[1] * own[1] + n[2] * own[2] < 0.99999) return null;
  }
  return own;
}

function normalOf(view: View, triangle: number): P3 | null {
  const at = (k: number) => [0, 1, 2].map((j) => view.positions[view.triangles[triangle * 3 + k] * 3 + j]);
  const [a, b, c] = [at(0), at(1), at(2)];
  const u = [b[0] - a[0], b[1] - a[1], b[2] - a[2]];
  const v = [c[0] - a[0], c[1] - a[1], c[2] - a[2]];
  const n: P3 = cross(u, v);
  const length = Math.hypot(...n);
  return length > 1e-12 ? [n[0] / length, n[1] / length, n[2] / length] : null;
}
