'use client';
import { Button } from 'antd';
import { useCallback, useEffect, useMemo, useRef, useState, type ReactNode, type RefObject } from 'react';
import type { StepName } from 'tall-kite/steps/registry';
import { scaleOf } from 'tall-kite/recipe/recipe';
import { placementOf } from 'tall-kite/stance/stance';
import type { View } from 'tall-kite/view/view';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { Preview } from '@/workers/part.worker.ts';
import { useShortcuts } from '@/shell/Keys.tsx';
import { useTheme } from '@/shell/Shell.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { FlattenPanel } from '@/sheet/FlattenPanel.tsx';
import type { FoldedView } from '@/sheet/useFold.ts';
import { DrawPanel } from '@/flat-table/DrawPanel.tsx';
import { Engrave } from '@/letters/Engrave.tsx';
import { DifferenceKey } from './DifferenceKey.tsx';
import { MeasureBox } from './MeasureBox.tsx';
import { FacetsPanel } from './panels/FacetsPanel.tsx';
import type { PanelProps } from './panels/panel.ts';
import { FilePanel, ReceivedPanel } from './panels/FilePanel.tsx';
import { ReliefWay } from './panels/ReliefWay.tsx';
import { SpreadWay } from './panels/SpreadWay.tsx';
import { RunPanel } from './panels/RunPanel.tsx';
import { SizePanel } from './panels/SizePanel.tsx';
import { newest, SoundnessPanel } from './panels/SoundnessPanel.tsx';
import { SourcePanel } from './panels/SourcePanel.tsx';
import { StancePanel } from './panels/StancePanel.tsx';
import type { Pick } from './picking.ts';
import { Scene, type Side } from './Scene.ts';
import { SectionBar } from './SectionBar.tsx';
import { inksOf, nextShown, ShownButtons, shownNow, type Shown } from './shown.tsx';
import { SplitLine } from './SplitLine.tsx';
import { TurnBox } from './TurnBox.tsx';
import { useDifference } from './useDifference.ts';
import { useMeasure } from './useMeasure.ts';
import { useLight, useProposal, useReceived, useView } from './usePart.ts';
import desk from '@/shell/desk.module.css';

/** What a step wants from the next click on the part. */
export type Picking = { prompt: string; take: (pick: Pick) => void } | null;

/** Steps on which what was received is laid over the design. */
const withFile: readonly StepName[] = ['Facets', 'File', 'Received'];

/** The grid under a part is fainter than rules on paper. */
const tableInks = (theme: string) => {
  const inks = inksOf(theme);
  return { ...inks, rule: inks.faint };
};

/** The stage in space, in the inks of the theme; the side from which it is seen, and the turn to another. */
function useScene() {
  const host = useRef<HTMLDivElement>(null);
  const scene = useRef<Scene | null>(null);
  const { theme } = useTheme();
  const [side, setSide] = useState<Side | null>('corner');
  useEffect(() => {
    const made = new Scene(host.current!, tableInks(document.documentElement.dataset.theme ?? 'light'));
    made.onTurn = () => setSide(made.side());
    scene.current = made;
    if (process.env.NODE_ENV !== 'production' || navigator.webdriver) (window as unknown as { lightTable: Scene }).lightTable = made;
    return () => {
      scene.current = null;
      made.close();
    };
  }, []);
  useEffect(() => scene.current?.recolour(tableInks(theme)), [theme]);
  const turn = useCallback((to: Side) => {
    scene.current?.turnTo(to);
    setSide(to);
  }, []);
  return { host, scene, side, turn };
}

type Prints = {
  part: PartView;
  view: View | null;
  light: ReturnType<typeof useLight>;
  placement: ReturnType<typeof placementOf> | null;
  scale: number;
  received: ReturnType<typeof useReceived> | ReturnType<typeof useProposal>;
  proposed: ReturnType<typeof useProposal>;
  folded: FoldedView | null;
};

/** Lays the part and what is held against it on the stage. @returns how often the second print became another */
function usePrints(scene: RefObject<Scene | null>, { part, view, light, placement, scale, received, proposed, folded }: Prints): number {
  const [prints, setPrints] = useState(0);
  useEffect(() => {
    if (!view || !placement) return;
    scene.current?.setDesigned(view, false);
    scene.current?.setStance(part.recipe.stance.turn, scale, placement.shift);
    scene.current?.turnTo('corner');
    // The camera is set once for a part; a later stance keeps it.
  }, [view]);
  useEffect(() => scene.current?.setLight(light), [light, view]);
  useEffect(() => {
    if (!placement) return;
    scene.current?.setStance(part.recipe.stance.turn, scale, placement.shift);
    scene.current?.turnTo(scene.current.side() ?? 'corner');
  }, [placement, part.recipe.stance.turn, scale]);
  // A proposed flat pattern is laid over the part as it is folded.
  useEffect(() => {
    scene.current?.setReceived(folded ?? received, folded !== null || proposed !== null);
    // A section is cut anew after the print that it cuts.
    setPrints((n) => n + 1);
  }, [folded, received, proposed, placement]);
  return prints;
}

type Look = Omit<Prints, 'light' | 'scale' | 'proposed' | 'folded'> & {
  step: StepName;
  now: Shown;
  split: number;
  difference: ReturnType<typeof useDifference>['map'];
  preview: Preview | null;
  wires: boolean;
};

/** How it is shown: which prints, their difference, edges of triangles, the bed. */
function useLook(scene: RefObject<Scene | null>, { part, step, view, placement, received, now, split, difference, preview, wires }: Look): void {
  useEffect(() => scene.current?.show(now), [now]);
  useEffect(() => scene.current?.setSplit(split), [split]);
  useEffect(() => scene.current?.setDifference(now === 'difference' ? difference : null), [now, difference, view, received, placement]);
  useEffect(() => scene.current?.setPreview(step === 'Facets' ? preview : null), [preview, step]);
  useEffect(() => scene.current?.wireframe(wires), [wires, preview, received]);
  useEffect(() => scene.current?.setBed(step === 'Stance' ? part.recipe.receiver.bed : null), [step, part.recipe.receiver, placement]);
}

/** A click on the part goes to the step that asked for it, else it is measured. */
function useClicks(scene: RefObject<Scene | null>, picking: Picking, measuring: ReturnType<typeof useMeasure>): void {
  const onPick = useCallback(
    (pick: Pick | null) => {
      if (!pick) return;
      if (picking) picking.take(pick);
      else measuring.take(pick);
    },
    [picking, measuring.take],
  );
  useEffect(() => {
    if (scene.current) scene.current.onPick = picking || measuring.on ? onPick : null;
  }, [onPick, picking, measuring.on]);
  useEffect(() => scene.current?.setMeasured(measuring.picks, measuring.said), [measuring.picks, measuring.said]);
}

type StageButtonsProps = {
  wires: boolean;
  setWires: (on: boolean) => void;
  cutting: boolean;
  setCutting: (on: boolean) => void;
  measuring: ReturnType<typeof useMeasure>;
};

function StageButtons({ wires, setWires, cutting, setCutting, measuring }: StageButtonsProps) {
  return (
    <div className={`${desk.float} ${desk.upright}`}>
      <Button aria-pressed={wires} onClick={() => setWires(!wires)} size="small">
        Edges of triangles
      </Button>
      <Button aria-pressed={cutting} onClick={() => setCutting(!cutting)} size="small">
        Section
      </Button>
      <Button aria-pressed={measuring.on} onClick={measuring.toggle} size="small">
        Measure
      </Button>
    </div>
  );
}

/** What there is to show of a part on a step, and what of it is shown. */
function useShowing(part: PartView, step: StepName, tools: JobTools, folded: FoldedView | null) {
  const [shown, setShown] = useState<Shown>('both');
  const written = useReceived(part);
  // On the Soundness step a proposal is laid over the part like a print of it.
  const proposed = useProposal(step === 'Soundness' ? newest(tools.job?.operations ?? [], part.id, ['mend', 'lighter', 'engrave', 'relief']) : null);
  // What was received is laid over the design where the file matters; the other steps are about the part itself.
  const received = step === 'Soundness' ? proposed : withFile.includes(step) ? written : null;
  const differs = written !== null && received === written && folded === null;
  const showable = { received: received !== null || folded !== null, differs };
  return { proposed, received, showable, now: shownNow(shown, showable), setShown };
}

/** Where the part stands, and its size: from its numbers to mm. */
function useStand(part: PartView, view: View | null) {
  const scale = scaleOf(part.summary, part.recipe);
  const { stance } = part.recipe;
  const placement = useMemo(() => (view ? placementOf(stance, scale, view.positions) : null), [view, stance, scale]);
  return { scale, placement };
}

/** The stage with the part on it, and the controls of the step at hand beside it. */
export function Table({ part, step, go, tools }: { part: PartView; step: StepName; go: (step: StepName) => void; tools: JobTools }) {
  const { host, scene, side, turn } = useScene();
  const [split, setSplit] = useState(0.5);
  const [wires, setWires] = useState(false);
  const measuring = useMeasure(part);
  const [cutting, setCutting] = useState(false);
  const [picking, setPicking] = useState<Picking>(null);
  const [preview, setPreview] = useState<Preview | null>(null);
  const [folded, setFolded] = useState<FoldedView | null>(null);
  const { view, failed } = useView(part.id, part.view);
  const light = useLight(part.id, part.view, view);
  const { proposed, received, showable, now, setShown } = useShowing(part, step, tools, folded);
  const coloured = useDifference(part, now === 'difference');
  const { scale, placement } = useStand(part, view);

  const prints = usePrints(scene, { part, view, light, placement, scale, received, proposed, folded });
  useLook(scene, { part, step, view, placement, received, now, split, difference: coloured.map, preview, wires });
  useEffect(() => setPicking(null), [step]);
  useEffect(() => {
    if (step !== 'Received') scene.current?.setLayers(null);
  }, [step]);

  useClicks(scene, picking, measuring);
  const stopAll = () => {
    setPicking(null);
    measuring.stop();
  };
  useShortcuts({
    f: () => turn('front'),
    k: () => turn('back'),
    l: () => turn('left'),
    r: () => turn('right'),
    t: () => turn('top'),
    u: () => turn('under'),
    a: () => turn('corner'),
    d: () => setShown(nextShown(now, showable)),
    e: () => setWires(!wires),
    m: measuring.toggle,
    s: () => setCutting(!cutting),
    Escape: stopAll,
  });

  const lower = cutting || now === 'difference';
  const yes = (there: unknown) => (there ? 'yes' : 'no');
  return (
    <div className={desk.table}>
      <div className={desk.stage}>
        <div ref={host} className={desk.whole} data-test="stage" data-drawn={yes(view)} data-received={yes(received)} />
        <ShownButtons shown={now} setShown={setShown} {...showable} />
        {now === 'split' && <SplitLine at={split} setAt={setSplit} />}
        <StageButtons wires={wires} setWires={setWires} cutting={cutting} setCutting={setCutting} measuring={measuring} />
        {now === 'difference' && !cutting && <DifferenceKey coloured={coloured} />}
        {cutting && view && placement && (
          <SectionBar
            scene={scene}
            drawn={`${part.view} ${prints}`}
            triangles={view.triangles.length / 3}
            solid={view.starts.length > 0}
            close={() => setCutting(false)}
          />
        )}
        {picking && <Prompt words={picking.prompt} lower={lower} stop={stopAll} />}
        {measuring.on && !picking && <MeasureBox measuring={measuring} scale={scale} lower={lower} unseen={now === 'received' || now === 'difference'} />}
        {!view && <Fetching failed={failed} />}
        <TurnBox side={side} turn={turn} />
        <Legend part={part} step={step} received={received !== null} proposed={proposed !== null} folded={folded !== null} />
      </div>
      <aside className={desk.panel} data-test="panel" aria-label={step} tabIndex={0}>
        <Controls step={step} given={{ part, tools, go, view, scale, scene, preview, setPreview, setPicking, setFolded }} />
      </aside>
    </div>
  );
}

/** What is asked of the next click, and the way out of it. */
const Prompt = ({ words, lower, stop }: { words: string; lower: boolean; stop: () => void }) => (
  <div className={`${desk.float} ${desk.prompt} ${lower ? desk.lower : ''}`} role="status" data-test="prompt">
    {words}
    <Button onClick={stop} size="small">
      Stop
    </Button>
  </div>
);

const Fetching = ({ failed }: { failed: boolean }) =>
  failed ? (
    <p className={`${desk.float} c-stop ${desk.told}`}>The part could not be fetched. Reload the page.</p>
  ) : (
    <p className={`context ${desk.float} ${desk.told}`}>Fetching the part …</p>
  );

type Given = PanelProps & {
  view: View | null;
  scale: number;
  scene: RefObject<Scene | null>;
  preview: Preview | null;
  setPreview: (preview: Preview | null) => void;
  setPicking: (picking: Picking) => void;
  setFolded: (view: FoldedView | null) => void;
};

/** The controls of each step. */
const controls: Partial<Record<StepName, (given: Given) => ReactNode>> = {
  Source: ({ part, tools, go }) => <SourcePanel {...{ part, tools, go }} />,
  Size: ({ part, tools, go }) => <SizePanel {...{ part, tools, go }} />,
  Soundness: ({ part, tools, go, view, scale, scene, setPicking }) => (
    <>
      <SoundnessPanel {...{ part, tools, go }} scene={scene} />
      <Engrave {...{ part, tools, go, view, scale, setPicking }} />
    </>
  ),
  Stance: ({ part, tools, go, view, scale, scene, setPicking }) => <StancePanel {...{ part, tools, go, view, scale, setPicking, scene }} />,
  Unfold: ({ part, tools, view, scene, setPicking, setFolded }) => <FlattenPanel {...{ part, tools, setPicking, setFolded, scene }} shape={view} />,
  Spread: ({ part, tools }) => <SpreadWay part={part} jobId={tools.job!.id} />,
  Stock: ({ part, tools }) => <ReliefWay part={part} jobId={tools.job!.id} />,
  Run: ({ part, tools }) => <RunPanel part={part} jobId={tools.job!.id} />,
  Draw: ({ part, tools, view, setPicking }) => <DrawPanel part={part} tools={tools} shape={view} setPicking={setPicking} />,
  Facets: ({ part, tools, go, preview, setPreview, scale }) => <FacetsPanel {...{ part, tools, go, preview, setPreview, scale }} />,
  File: ({ part, tools, go }) => <FilePanel {...{ part, tools, go }} />,
  Received: ({ part, tools, go, scene }) => <ReceivedPanel {...{ part, tools, go, scene }} />,
};

const Controls = ({ step, given }: { step: StepName; given: Given }) => controls[step]?.(given) ?? null;

type LegendProps = { part: PartView; step: StepName; received: boolean; proposed: boolean; folded: boolean };

/** Which ink is what, where there may be two. */
function Legend({ part, step, received, proposed, folded }: LegendProps) {
  if (!folded && !proposed && !withFile.includes(step)) return null;
  if (folded)
    return (
      <p className={`context ${desk.float} ${desk.legend}`}>
        <span className="c-designed">as designed</span>, <span className="c-received">the flat, folded again</span>
      </p>
    );
  const { receiver } = part.file?.recipe ?? part.recipe;
  return (
    <p className={`context ${desk.float} ${desk.legend}`}>
      {proposed ? (
        <>
          <span className="c-designed">as it is</span>, <span className="c-received">as proposed</span>
        </>
      ) : received ? (
        <>
          <span className="c-received">{part.file?.fileName}</span>, read as {receiver.unit} by {receiver.name}
        </>
      ) : (
        'Nothing received yet'
      )}
    </p>
  );
}
