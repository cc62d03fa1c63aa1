'use client';
import { Button, Checkbox } from 'antd';
import { useQueries } from '@tanstack/react-query';
import Link from 'next/link';
import { useCallback, useEffect, useMemo, useRef, useState, type RefObject } from 'react';
import { boxOf, sizeOf, type Box } from 'tall-kite/geometry/box';
import { identityRows, type Rows } from 'tall-kite/geometry/rows';
import { shifted } from 'tall-kite/mesh/join/move';
import { scaleOf } from 'tall-kite/recipe/recipe';
import { unpackView, type View } from 'tall-kite/view/view';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { OperationView } from '@tall-kite/server/operations/operations';
import { useShortcuts } from '@/shell/Keys.tsx';
import { useTheme } from '@/shell/Shell.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { TurnBox } from '@/light-table/TurnBox.tsx';
import type { Side } from '@/light-table/Scene.ts';
import { Proposal } from '@/light-table/panels/Proposal.tsx';
import { Assembly, type FacePick, type Standing } from './Assembly.ts';
import { Files } from './Files.tsx';
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

/** Box of a part where it stands, mm. */
export function standingBox(part: PartView): Box {
  const s = scaleOf(part.summary, part.recipe);
  const { min, max } = part.summary.box;
  const corners: number[] = [];
  const m = part.place;
  for (let i = 0; i < 8; i++) {
    const c = [i & 1 ? max[0] : min[0], i & 2 ? max[1] : min[1], i & 4 ? max[2] : min[2]].map((v) => v * s);
    for (let r = 0; r < 3; r++) corners.push(m[r * 4] * c[0] + m[r * 4 + 1] * c[1] + m[r * 4 + 2] * c[2] + m[r * 4 + 3]);
  }
  return boxOf(corners);
}

/** Parts on the table that bear their names. */
const mostLabels = 24;

/** How far each part is moved for the picture, so that they lie side by side along X with a gap. */
function setApartBy(parts: readonly PartView[]): [number, number, number][] {
  const boxes = parts.map(standingBox);
  const gap = 0.15 * Math.max(1, ...boxes.map((b) => b.max[0] - b.min[0]));
  let at = 0;
  return boxes.map((b) => {
    const by: [number, number, number] = [at - b.min[0], -(b.min[1] + b.max[1]) / 2, -b.min[2]];
    at += b.max[0] - b.min[0] + gap;
    return by;
  });
}

async function viewAt(path: string): Promise<View> {
  const response = await fetch(path);
  if (!response.ok) throw new Error(`The server answered ${response.status}.`);
  return unpackView(await response.arrayBuffer());
}

/** Proposals that are shown on the light table of their part. */
const elsewhere = ['mend', 'lighter', 'draw', 'clean', 'node', 'raise'];

const along = (axis: number, mm: number): [number, number, number] => [+(axis === 0) * mm, +(axis === 1) * mm, +(axis === 2) * mm];

interface PartsShown {
  views: readonly (View | undefined)[];
  chosen: readonly string[];
  place: (part: PartView) => Rows;
  /** Side by side instead of where they stand. */
  apart: boolean;
  /** Parts that a proposal stands for. */
  under: readonly string[];
}

/** The job's parts as they stand on the table, those whose shape is here. */
function standingParts(shown: PartView[], { views, chosen, place, apart, under }: PartsShown): Standing[] {
  const away = apart ? setApartBy(shown) : null;
  return shown.flatMap((part, i) => {
    const view = views[i];
    if (!view || under.includes(part.id)) return [];
    const rows = away ? shifted(place(part), away[i]) : place(part);
    const isChosen = chosen.includes(part.id);
    // With very many parts the names would cover them: then only those chosen bear theirs.
    const label = shown.length <= mostLabels || isChosen ? part.name : '';
    return [{ id: part.id, view, rows, scale: scaleOf(part.summary, part.recipe), ink: isChosen ? 'designed' : 'rule', tint: i, label }];
  });
}

/** What a proposal would make, where it would stand. */
function standingMade(
  proposal: OperationView | null,
  made: OperationView['made'],
  { views, first }: { views: readonly (View | undefined)[]; first: PartView | undefined },
): Standing[] {
  if (!proposal || !first) return [];
  const inSpace = ['join', 'subtract', 'common'].includes(proposal.kind);
  const labelled = made.length > 1 && made.length <= mostLabels;
  return made.flatMap(({ name }, n) => {
    const view = views[n];
    if (!view) return [];
    const rows = inSpace ? identityRows : first.place;
    const scale = inSpace ? 1 : scaleOf(first.summary, first.recipe);
    return [{ id: `made ${n}`, view, rows, scale, ink: 'received', tint: 0, label: labelled ? name : '' }];
  });
}

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
