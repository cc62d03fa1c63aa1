'use client';
import { Button, Checkbox } from 'antd';
import { useQueries } from '@tanstack/react-query';
import Link from 'next/link';
import { useCallback, useEffect, useMemo, useRef, useState, type RefObject } from 'react';
import { sizeOf } from 'tall-kite/geometry/box';
import { shifted } from 'tall-kite/mesh/join/move';
import { unpackView, type View } from 'tall-kite/view/view';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { OperationView } from '@tall-kite/server/operations/operations';
import { useShortcuts } from '@/shell/Keys.tsx';
import { useTheme } from '@/shell/Shell.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { TurnBox } from '@/light-table/TurnBox.tsx';
import type { Side } from '@/light-table/Scene.ts';
import { Proposal } from '@/light-table/panels/Proposal.tsx';
import { Assembly, type FacePick } from './Assembly.ts';
import { Files } from './Files.tsx';
import { along, standingBox, standingMade, standingParts } from './standing.ts';
import type { OperationFormOf } from './OperationForm.tsx';
import { OneChosen } from './OneChosen.tsx';
import { SeveralChosen } from './SeveralChosen.tsx';
import { Len } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';
import style from './join.module.css';

function inks(theme: string) {
  const computed = getComputedStyle(document.documentElement);
  const ink = (name: string) => computed.getPropertyValue(`--${name}`).trim();
  return {
    sheet: ink('sheet'),
    designed: ink('designed'),
    received: ink('received'),
    rule: ink('none'),
    faint: ink('rule'),
    stop: ink('stop'),
    dark: theme === 'dark',
  };
}

async function viewAt(path: string): Promise<View> {
  const response = await fetch(path);
  if (!response.ok) throw new Error(`The server answered ${response.status}.`);
  return unpackView(await response.arrayBuffer());
}

/** Proposals that are shown on the light table of their part. */
const elsewhere = ['mend', 'lighter', 'draw', 'clean', 'node', 'raise'];

const useViews = (shown: readonly PartView[]) =>
  useQueries({
    queries: shown.map((p) => ({ queryKey: ['view', p.id, p.view], staleTime: Infinity, queryFn: () => viewAt(`/api/parts/${p.id}/geometry?what=view`) })),
  });

const useMadeViews = (proposal: OperationView | null, count: number) =>
  useQueries({
    queries: Array.from({ length: count }, (_, n) => ({
      queryKey: ['proposal', proposal?.id, n],
      staleTime: Infinity,
      queryFn: () => viewAt(`/api/operations/${proposal!.id}/shape?what=view&n=${n}`),
    })),
  });

/** The table in space, in the inks of the theme. */
function useAssembly() {
  const host = useRef<HTMLDivElement>(null);
  const scene = useRef<Assembly | null>(null);
  const { theme } = useTheme();
  useEffect(() => {
    const table = new Assembly(host.current!, inks(document.documentElement.dataset.theme ?? 'light'));
    scene.current = table;
    if (navigator.webdriver) (window as unknown as { joinTable: Assembly }).joinTable = table;
    return () => {
      scene.current = null;
      table.close();
    };
  }, []);
  useEffect(() => scene.current?.recolour(inks(theme)), [theme]);
  return { host, scene };
}

type Picks = {
  picked: PartView[];
  axis: number | null;
  tools: JobTools;
  choose: (id: string, more: boolean) => void;
  setFace: (face: FacePick) => void;
  setDragged: (mm: number) => void;
};

/** What a click on the table chooses, and what dragging moves. */
function usePicks(scene: RefObject<Assembly | null>, { picked, axis, tools, choose, setFace, setDragged }: Picks): void {
  useEffect(() => {
    if (!scene.current) return;
    scene.current.onPick = (pick) => {
      if (!pick || pick.id.startsWith('made')) return;
      if (picked.length === 1 && pick.id === picked[0].id) {
        setFace(pick);
        scene.current?.mark(pick.point, pick.id);
      } else choose(pick.id, true);
    };
    scene.current.onDrag = (mm, done) => {
      const rounded = Math.round(mm * 10) / 10;
      setDragged(done ? 0 : rounded);
      const [part] = picked;
      if (done && part && axis !== null && rounded !== 0) {
        void tools.change(part, `move ${part.name}`.slice(0, 80), {
          place: shifted(part.place, along(axis, rounded)),
        });
      }
    };
  }, [picked, axis, tools, choose]);
}

/** The parts on the table, the list beside them, and what can be done with those chosen. */
export function JoinTable({ tools, forms }: { tools: JobTools; forms: OperationFormOf[] }) {
  const { host, scene } = useAssembly();
  const job = tools.job!;
  // Drawings are flat: they have no place in space.
  const parts = useMemo(() => job.parts.filter((p) => p.summary.kind !== 'drawing'), [job.parts]);
  const [chosen, setChosen] = useState<string[]>([]);
  const [side, setSide] = useState<Side | null>('corner');
  const [axis, setAxis] = useState<number | null>(null);
  const [dragged, setDragged] = useState(0);
  const [face, setFace] = useState<FacePick | null>(null);
  const [apart, setApart] = useState(false);
  const shown = useMemo(() => parts.filter((p) => !p.leftOut), [parts]);
  const picked = useMemo(() => chosen.map((id) => parts.find((p) => p.id === id)).filter((p) => p !== undefined), [chosen, parts]);
  const views = useViews(shown);
  const proposal: OperationView | null = job.operations.filter((o) => o.gives === 'proposal' && !elsewhere.includes(o.kind)).pop() ?? null;
  const made = proposal?.state === 'ready' ? proposal.made : [];
  const madeViews = useMadeViews(proposal, made.length);
  const key = `${views.map((v) => v.dataUpdatedAt).join()} ${madeViews.map((v) => v.dataUpdatedAt).join()}`;
  const fitted = useRef('');
  useEffect(() => {
    const place = (part: PartView) => (axis !== null && chosen[0] === part.id ? shifted(part.place, along(axis, dragged)) : part.place);
    const standing = [
      ...standingParts(shown, { views: views.map((v) => v.data), chosen, place, apart, under: made.length > 0 ? proposal!.parts : [] }),
      ...standingMade(proposal, made, { views: madeViews.map((v) => v.data), first: parts.find((p) => p.id === proposal?.parts[0]) }),
    ];
    // The camera is set when the parts on the table are others than before.
    const set = `${shown.map((p) => p.id).join()} ${apart}`;
    const ready = standing.length > 0 && views.every((v) => v.data);
    scene.current?.set(standing, ready && fitted.current !== set);
    if (ready) fitted.current = set;
  }, [key, parts, chosen, axis, dragged, apart, proposal?.id, proposal?.state]);

  const choose = useCallback((id: string, more: boolean) => {
    setFace(null);
    setChosen((old) => (more ? (old.includes(id) ? old.filter((o) => o !== id) : [...old, id]) : [id]));
  }, []);
  usePicks(scene, { picked, axis, tools, choose, setFace, setDragged });
  useEffect(() => scene.current?.dragAlong(picked.length === 1 ? axis : null), [axis, picked.length]);
  useEffect(() => {
    if (!face) scene.current?.mark(null, null);
  }, [face]);
  const turn = useCallback((to: Side) => {
    scene.current?.turnTo(to);
    setSide(to);
  }, []);
  useShortcuts({
    f: () => turn('front'),
    k: () => turn('back'),
    l: () => turn('left'),
    r: () => turn('right'),
    t: () => turn('top'),
    u: () => turn('under'),
    a: () => turn('corner'),
    Escape: () => {
      setAxis(null);
      setFace(null);
      setChosen([]);
    },
  });
  return (
    <div className={desk.table}>
      <div className={desk.stage}>
        <div ref={host} className={desk.whole} data-test="stage" data-drawn={views.length > 0 && views.every((v) => v.data) ? 'yes' : 'no'} />
        {parts.length > 0 && <Prompt picked={picked} axis={axis} dragged={dragged} stop={() => setAxis(null)} />}
        {shown.length > 1 && <Apart apart={apart} set={setApart} />}
        <TurnBox side={side} turn={turn} />
        {made.length > 0 && (
          <p className={`context ${desk.float} ${desk.downright}`}>
            <span className="c-received">as proposed</span>
          </p>
        )}
      </div>
      <aside className={desk.panel} data-test="panel" aria-label="Parts and what can be done" tabIndex={0}>
        {parts.length === 0 && (
          <p data-test="nothing">
            No body is in this job: join and divide is for solids and meshes, drawings are set beside each other on a sheet. Bring in STEP, STL, 3MF or OBJ on
            the <Link href={`/jobs/${job.id}`}>ledger</Link>.
          </p>
        )}
        <PartList parts={parts} chosen={chosen} choose={choose} tools={tools} />
        {proposal ? (
          <Proposal operation={proposal} tools={tools} kept={(ids) => ids.length > 0 && setChosen(ids)} />
        ) : (
          <ForChosen {...{ forms, picked, shown, tools, axis, setAxis, face }} />
        )}
        <Files operations={job.operations.filter((o) => o.kind === 'together')} tools={tools} />
      </aside>
    </div>
  );
}

/** The parts of the job: ticked to be chosen, left out or taken in again. */
function PartList({ parts, chosen, choose, tools }: { parts: PartView[]; chosen: string[]; choose: (id: string, more: boolean) => void; tools: JobTools }) {
  return (
    <ul className={desk.partlist} data-test="partlist">
      {parts.map((p) => (
        <li key={p.id} className={p.leftOut ? desk.out : ''}>
          <Checkbox checked={chosen.includes(p.id)} disabled={p.leftOut} onChange={() => choose(p.id, true)}>
            {p.name}{' '}
            <span className="context">
              <Len mm={sizeOf(standingBox(p))} />
            </span>
          </Checkbox>
          <Button
            title={p.leftOut ? 'Take it in again' : 'Leave it out'}
            onClick={() => void tools.change(p, `${p.leftOut ? 'take in' : 'leave out'} ${p.name}`.slice(0, 80), { left_out: !p.leftOut })}
            size="small"
          >
            {p.leftOut ? 'In again' : 'Out'}
          </Button>
        </li>
      ))}
    </ul>
  );
}

type ForChosenProps = {
  forms: OperationFormOf[];
  picked: PartView[];
  shown: PartView[];
  tools: JobTools;
  axis: number | null;
  setAxis: (axis: number | null) => void;
  face: FacePick | null;
};

/** What can be done with the parts that are chosen. */
function ForChosen({ forms, picked, shown, tools, axis, setAxis, face }: ForChosenProps) {
  if (picked.length === 1)
    return (
      <OneChosen
        forms={forms}
        key={picked[0].id}
        part={picked[0]}
        others={shown.filter((p) => p.id !== picked[0].id)}
        tools={tools}
        axis={axis}
        setAxis={setAxis}
        face={face}
      />
    );
  if (picked.length > 1) return <SeveralChosen parts={picked} tools={tools} jobName={tools.job!.name} />;
  return (
    <p className="context">
      One part: move, align, copy, mirror, cut, take a hole out. Several: join, subtract, keep what is common, measure the gaps, write as one file.
    </p>
  );
}

/** Shows the parts side by side, or where they stand. */
function Apart({ apart, set }: { apart: boolean; set: (apart: boolean) => void }) {
  return (
    <>
      <div className={`${desk.float} ${desk.upright}`}>
        <Button size="small" aria-pressed={apart} onClick={() => set(!apart)} title="Only as they are shown: nothing is moved">
          Show them apart
        </Button>
      </div>
      {apart && <p className={`context ${desk.float} ${desk.downright}`}>shown apart; where they stand is not changed</p>}
    </>
  );
}

/** What to do next on the table: choose parts, or drag the one chosen. */
function Prompt({ picked, axis, dragged, stop }: { picked: PartView[]; axis: number | null; dragged: number; stop: () => void }) {
  if (picked.length === 0) return <p className={`context ${desk.float} ${desk.upleft}`}>Choose parts in the list, or click them here.</p>;
  if (axis === null || picked.length !== 1) return null;
  return (
    <div className={`${desk.float} ${style.prompt}`} role="status">
      Drag {picked[0].name} along {'XYZ'[axis]}: <span className="figure">{dragged.toFixed(1)} mm</span>
      <Button onClick={stop} size="small">
        Stop
      </Button>
    </div>
  );
}
