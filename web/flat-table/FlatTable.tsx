'use client';
import { Button } from 'antd';
import dynamic from 'next/dynamic';
import { useCallback, useEffect, useMemo, useRef, useState, type ComponentProps, type ReactNode, type RefObject } from 'react';
import type { StepName } from 'tall-kite/steps/registry';
import type { Meaning } from 'tall-kite/curves/drawing';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { useShortcuts } from '@/shell/Keys.tsx';
import { useTheme } from '@/shell/Shell.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { SizePanel } from '@/light-table/panels/SizePanel.tsx';
import { SourcePanel } from '@/light-table/panels/SourcePanel.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { inksOf, nextShown, ShownButtons, shownNow, type Shown } from '@/light-table/shown.tsx';
import { SplitLine } from '@/light-table/SplitLine.tsx';
import { BendsPanel } from '@/sheet/BendsPanel.tsx';
import type { FlatReceived } from '@/workers/flat.ts';
import { FlatStage, nearestLine, type FlatPicture } from './FlatStage.ts';
import { aligned } from './aligned.ts';
import { FlatFile } from './panels/FlatFile.tsx';
import { FlatLayers } from './panels/FlatLayers.tsx';
import { FlatPlace } from './panels/FlatPlace.tsx';
import { FlatReceivedPanel } from './panels/FlatReceived.tsx';
import { FlatSoundness } from './panels/FlatSoundness.tsx';
import { BoardWay } from './panels/BoardWay.tsx';
import { ArrangePanel } from './panels/ArrangePanel.tsx';
import { StencilPanel } from './panels/StencilPanel.tsx';
import { RaisePanel } from './panels/RaisePanel.tsx';
import { TracePanel, type PixelPicking } from './panels/TracePanel.tsx';
import { invertedPlane, throughPlane } from 'tall-kite/trace/plane';
import { OntoPanel } from './panels/OntoPanel.tsx';
import { PutText } from '@/letters/PutText.tsx';
import { WordsPanel } from '@/letters/WordsPanel.tsx';
import { useFlatProposal, useFlatReceived, useFlatView, usePicture } from './useFlat.ts';
import { useNodes } from './useNodes.ts';
import desk from '@/shell/desk.module.css';

const DepthsPanel = dynamic(() => import('./panels/DepthsPanel.tsx').then((m) => m.DepthsPanel), { ssr: false });

/** Proposals that are laid over the drawing, by step. */
const proposedOn: Partial<Record<StepName, string[]>> = {
  Soundness: ['clean'],
  Trace: ['trace'],
  Words: ['text'],
  Layers: ['bridge', 'put-text', 'draw-writing'],
};

/** Steps that show the picture beneath its contours. */
const underlaid: readonly StepName[] = ['Source', 'Trace', 'Size', 'Soundness'];

/** What a step's controls lay over the drawing. */
export type Overlay = Partial<Pick<FlatPicture, 'spots' | 'gaps' | 'unreached' | 'order'>>;

/** The sheet's stage, in the inks of the theme. */
function useFlatStage() {
  const host = useRef<HTMLDivElement>(null);
  const stage = useRef<FlatStage | null>(null);
  const { theme } = useTheme();
  useEffect(() => {
    const made = new FlatStage(host.current!, inksOf(document.documentElement.dataset.theme ?? 'light'));
    stage.current = made;
    if (process.env.NODE_ENV !== 'production' || navigator.webdriver) (window as unknown as { flatTable: FlatStage }).flatTable = made;
    return () => {
      stage.current = null;
      made.close();
    };
  }, []);
  useEffect(() => stage.current?.recolour(inksOf(theme)), [theme]);
  return { host, stage };
}

/** What is drawn on the sheet, and for which step. */
type Drawn = Pick<FlatPicture, 'view' | 'received' | 'shown' | 'split' | 'chosen' | 'nodes' | 'hidden' | 'beneath'> & {
  part: PartView;
  step: StepName;
  proposal: FlatPicture['proposed'];
  /** What a trace would come to, on its own step. */
  foreseen: FlatPicture['proposed'];
  overlay: Overlay;
  pins: [number, number][];
};

/** Draws it, whenever any of it is another. */
function useDrawn(stage: RefObject<FlatStage | null>, drawn: Drawn): void {
  const { part, step, view, received, proposal, foreseen, shown, split, chosen, nodes, overlay, hidden, beneath, pins } = drawn;
  const { stock } = part.recipe.drawing!;
  const { receiver } = part.recipe;
  useEffect(() => {
    const placing = step === 'Sheet';
    stage.current?.show(
      {
        view,
        received,
        proposed: proposal ?? (step === 'Trace' ? foreseen : null),
        shown,
        split,
        stock,
        bed: placing || !stock ? [receiver.bed[0], receiver.bed[1]] : null,
        chosen,
        nodes,
        spots: overlay.spots ?? null,
        gaps: overlay.gaps ?? null,
        unreached: overlay.unreached ?? null,
        order: overlay.order ?? null,
        hidden,
        beneath,
        pins: step === 'Trace' && view?.picture ? pins.map(([x, y]) => throughPlane(view.picture!, x, y)) : [],
      },
      `${part.name}: ${part.summary.drawing?.contours ?? 0} contours from above`,
    );
  }, [
    view,
    received,
    proposal,
    foreseen,
    shown,
    split,
    stock,
    receiver,
    chosen,
    nodes,
    overlay,
    hidden,
    beneath,
    pins,
    step,
    part.name,
    part.summary.drawing?.contours,
  ]);
}

type Clicks = {
  step: StepName;
  view: ReturnType<typeof useFlatView>['view'];
  picking: PixelPicking | null;
  setChosen: (line: number | null) => void;
  drag: ReturnType<typeof useNodes>['drag'];
};

/** A click picks a pixel for the trace, or chooses a contour; a corner is dragged. */
function useClicks(stage: RefObject<FlatStage | null>, { step, view, picking, setChosen, drag }: Clicks): void {
  const pick = useCallback(
    (at: [number, number], within: number) => {
      if (step === 'Trace') {
        if (view?.picture && picking) picking.take(throughPlane(invertedPlane(view.picture), at[0], at[1]));
      } else if (view) setChosen(nearestLine(view, at, within));
    },
    [view, step, picking, setChosen],
  );
  useEffect(() => {
    if (!stage.current) return;
    stage.current.onPick = step === 'Trace' || step === 'Soundness' || step === 'Layers' ? pick : null;
    stage.current.onNode = drag;
  }, [pick, drag, step, stage]);
}

/** The sheet from above with the drawing on it, and the controls of the step at hand beside it. */
export function FlatTable({ part, step, go, tools }: { part: PartView; step: StepName; go: (step: StepName) => void; tools: JobTools }) {
  const { host, stage } = useFlatStage();
  const [shown, setShown] = useState<Shown>('both');
  const [split, setSplit] = useState(0.5);
  const [overlay, setOverlay] = useState<Overlay>({});
  const [chosen, setChosen] = useState<number | null>(null);
  const [hidden, setHidden] = useState<ReadonlySet<Meaning>>(new Set());
  const { view, failure } = useFlatView(part);
  const written = useFlatReceived(part);
  const received = ['Layers', 'File', 'Received'].includes(step) ? written : null;
  const showable = { received: received !== null };
  const now = shownNow(shown, showable);
  const proposal = useFlatProposal(proposedAt(step, part, tools), part);
  const [foreseen, setForeseen] = useState<FlatPicture['proposed']>(null);
  const [pins, setPins] = useState<[number, number][]>([]);
  const [picking, setPicking] = useState<PixelPicking | null>(null);
  const beneath = useBeneath(part, view, step);
  const nodes = useNodes(part, step === 'Soundness' ? chosen : null, tools);
  const how = part.recipe.drawing!;

  useEffect(() => {
    setOverlay({});
    if (step !== 'Soundness' && step !== 'Layers') setChosen(null);
  }, [step]);
  const moved = useAligned(received, view, part);
  useDrawn(stage, { part, step, view, received: moved, proposal, foreseen, shown: now, split, chosen, nodes: nodes.picture, overlay, hidden, beneath, pins });

  // A sheet that was just chosen, or another side of it, comes into the picture whole.
  const sheet = `${how.stock?.width} ${how.stock?.height} ${how.place.turn} ${how.place.datum} ${step === 'Sheet'}`;
  useEffect(() => stage.current?.fitSoon(), [sheet]);

  useClicks(stage, { step, view, picking, setChosen, drag: nodes.drag });
  useShortcuts({
    f: () => stage.current?.fit(),
    d: () => setShown(nextShown(now, showable)),
    '+': () => stage.current?.zoom(1.4),
    '-': () => stage.current?.zoom(1 / 1.4),
    Escape: () => {
      setChosen(null);
      setPicking(null);
    },
  });

  return (
    <div className={desk.table}>
      <div className={desk.stage}>
        <div ref={host} className={desk.whole} data-test="flatstage" data-drawn={view ? 'yes' : 'no'} data-received={received ? 'yes' : 'no'} />
        <ShownButtons shown={now} setShown={setShown} {...showable} />
        {now === 'split' && <SplitLine at={split} setAt={setSplit} />}
        <StageButtons stage={stage} />
        <Told prompt={picking?.prompt ?? null} fetching={!view && !failure} failure={failure} />
        <Legend part={part} step={step} proposed={proposal !== null} beneath={beneath !== null} taken={received?.taken ?? null} />
      </div>
      <aside className={desk.panel} data-test="panel" aria-label={step} tabIndex={0}>
        {step in panels &&
          panels[step]!({
            part,
            tools,
            go,
            view,
            written,
            stage,
            nodes,
            ...{ chosen, setChosen, hidden, setHidden, setOverlay, setPins, picking, setPicking, setForeseen },
          })}
      </aside>
    </div>
  );
}

/** The proposal that is laid over the drawing on a step. */
function proposedAt(step: StepName, part: PartView, tools: JobTools) {
  const kinds = proposedOn[step];
  return kinds ? newest(tools.job?.operations ?? [], part.id, kinds) : null;
}

/** The picture as it was received, where the drawing lies. */
function useAligned(received: FlatReceived | null, view: ReturnType<typeof useFlatView>['view'], part: PartView) {
  const format = part.file?.recipe.file.format ?? 'dxf';
  return useMemo(() => (received && view ? aligned(received, view, format) : null), [received, view, format]);
}

type Controls = PanelProps & {
  view: ReturnType<typeof useFlatView>['view'];
  /** The last written file, as it was received. */
  written: FlatReceived | null;
  stage: RefObject<FlatStage | null>;
  nodes: ReturnType<typeof useNodes>;
} & Pick<ComponentProps<typeof LayersStep>, 'chosen' | 'hidden' | 'setHidden' | 'setOverlay'> &
  Pick<ComponentProps<typeof FlatSoundness>, 'setChosen'> &
  Pick<ComponentProps<typeof TracePanel>, 'setPins' | 'picking' | 'setPicking' | 'setForeseen'>;

/** The controls of each step. */
const panels: Partial<Record<StepName, (given: Controls) => ReactNode>> = {
  Source: ({ part, tools, go }) => <SourcePanel {...{ part, tools, go }} />,
  Trace: ({ part, tools, go, setPins, picking, setPicking, setForeseen }) => <TracePanel {...{ part, tools, go, setPins, picking, setPicking, setForeseen }} />,
  Words: ({ part, tools, go }) => <WordsPanel {...{ part, tools, go }} />,
  Size: ({ part, tools, go }) => <SizePanel {...{ part, tools, go }} />,
  Soundness: ({ part, tools, go, setOverlay, stage, chosen, setChosen, nodes }) => (
    <FlatSoundness {...{ part, tools, go, setOverlay, stage, chosen, setChosen, nodes }} />
  ),
  Sheet: ({ part, tools, go, view }) => <FlatPlace {...{ part, tools, go, view }} />,
  Layers: ({ part, tools, go, view, chosen, hidden, setHidden, setOverlay }) => (
    <LayersStep {...{ part, tools, go, view, chosen, hidden, setHidden, setOverlay }} />
  ),
  Board: ({ part, tools }) => <BoardWay part={part} jobId={tools.job!.id} />,
  Raise: ({ part, tools, go }) => <RaisePanel {...{ part, tools, go }} />,
  Depths: ({ part, tools, go }) => <DepthsPanel {...{ part, tools, go }} />,
  File: ({ part, tools, go, view }) => <FlatFile {...{ part, tools, go, view }} />,
  Received: ({ part, tools, go, written, setOverlay }) => <FlatReceivedPanel {...{ part, tools, go, setOverlay }} received={written} />,
};

/** The picture that lies beneath the drawing on some steps. */
function useBeneath(part: PartView, view: ReturnType<typeof useFlatView>['view'], step: StepName): FlatPicture['beneath'] {
  const image = usePicture(part);
  return useMemo(() => {
    const { traced } = part.summary;
    return image && traced && view?.picture && underlaid.includes(step) ? { image, width: traced.width, height: traced.height, map: view.picture } : null;
  }, [image, part.summary, view?.picture, step]);
}

/** All that the step Layers offers. */
function LayersStep(props: ComponentProps<typeof FlatLayers>) {
  const { part, tools, go, view } = props;
  const panel = { part, tools, go };
  return (
    <>
      {part.summary.flat && <BendsPanel part={part} />}
      <FlatLayers {...props} />
      <OntoPanel {...panel} />
      <PutText {...panel} view={view} />
      <ArrangePanel {...panel} />
      <StencilPanel {...panel} />
    </>
  );
}

/** What is asked of the next click, and whether the drawing is here. */
function Told({ prompt, fetching, failure }: { prompt: string | null; fetching: boolean; failure: string | null }) {
  return (
    <>
      {prompt !== null && (
        <p className={`${desk.float} ${desk.told}`} role="status">
          {prompt} <span className="context">Escape ends it.</span>
        </p>
      )}
      {fetching && <p className={`context ${desk.float} ${desk.told}`}>Fetching the drawing …</p>}
      {failure && (
        <p className={`${desk.float} c-stop ${desk.told}`} role="alert">
          {failure}
        </p>
      )}
    </>
  );
}

function StageButtons({ stage }: { stage: RefObject<FlatStage | null> }) {
  return (
    <div className={`${desk.float} ${desk.upright}`}>
      <Button onClick={() => stage.current?.fit()} size="small">
        All of it
      </Button>
      <Button aria-label="Closer" onClick={() => stage.current?.zoom(1.4)} size="small">
        +
      </Button>
      <Button aria-label="Further away" onClick={() => stage.current?.zoom(1 / 1.4)} size="small">
        −
      </Button>
    </div>
  );
}

type LegendProps = {
  part: PartView;
  step: StepName;
  /** A proposal is drawn. */
  proposed: boolean;
  /** A picture lies beneath. */
  beneath: boolean;
  /** For what the machine took the file's numbers; null when nothing received is drawn. */
  taken: string | null;
};

/** Which ink is what. */
function Legend({ part, step, proposed, beneath, taken }: LegendProps) {
  return (
    <p className={`context ${desk.float} ${desk.legend}`}>
      {proposed ? (
        <>
          {!beneath && (
            <>
              <span className="c-designed">as it is</span>,{' '}
            </>
          )}
          <span className="c-received">as proposed</span>
        </>
      ) : taken !== null ? (
        <>
          <span className="c-received">{part.file?.fileName}</span>, numbers taken for {taken} by {(part.file?.recipe ?? part.recipe).receiver.name}
        </>
      ) : ['File', 'Received'].includes(step) ? (
        'Nothing received yet'
      ) : null}
    </p>
  );
}
