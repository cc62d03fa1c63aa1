'use client';
import { Button, Checkbox, Input } from 'antd';
import { Fold, Glide } from '@/shell/controls.tsx';
import { useEffect, useMemo, useState, type RefObject } from 'react';
import { stretchBounds } from 'tall-kite/drawing/bounds';
import { nothingToMend, safeMend, type DrawingMend } from 'tall-kite/curves/mend';
import { MarkShape } from '@/marks/Mark.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { Figures } from '@/light-table/panels/parts.tsx';
import { atWork, AtWork, Proposal } from '@/light-table/panels/Proposal.tsx';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import type { FlatFound, FlatSpot } from '@/workers/flat.ts';
import type { FlatStage } from '../FlatStage.ts';
import type { Overlay } from '../FlatTable.tsx';
import { useFlatCheck } from '../useFlat.ts';
import type { NodeTools } from '../useNodes.ts';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { Len, useLengths } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';

type SpotKind = Exclude<keyof FlatFound, 'gaps' | 'counts' | 'milliseconds'>;

const kinds: [SpotKind, string, string, string][] = [
  ['doubles', 'piece lies wholly on another', 'pieces lie wholly on another', 'cut twice'],
  ['overlaps', 'piece shares a part of its length', 'pieces share a part of their length', 'cut twice in part'],
  ['crossings', 'crossing', 'crossings', 'parts run into each other'],
  ['touches', 'place where contours touch', 'places where contours touch', 'parts hang together there'],
  ['zero', 'piece without length', 'pieces without length', 'dropped with tiny ones'],
  ['tiny', 'piece under 0.01 mm', 'pieces under 0.01 mm', 'machines stutter there'],
  ['nearlyFull', 'arc that nearly closes', 'arcs that nearly close', 'meant as circles'],
  ['splinters', 'arc broken into short lines', 'arcs broken into short lines', 'fit arcs'],
  ['points', 'single point', 'single points', 'some machines drill them'],
];

/** Gaps, doubles, crossings: each shown where it is, and mended on request. */
export function FlatSoundness({
  part,
  tools,
  setOverlay,
  stage,
  chosen,
  setChosen,
  nodes,
}: PanelProps & {
  setOverlay: (o: Overlay) => void;
  stage: RefObject<FlatStage | null>;
  chosen: number | null;
  setChosen: (n: number | null) => void;
  nodes: NodeTools;
}) {
  const found = useFlatCheck(part, true);
  const proposal = newest(tools.job?.operations ?? [], part.id, ['clean']);
  const working = newest(tools.job?.operations ?? [], part.id, ['node']);
  const [shown, setShown] = useState<SpotKind | 'gaps' | null>('gaps');
  const [tolerance, setTolerance] = useState(0.1);
  const d = part.summary.drawing!;
  const joined = found ? found.gaps.filter((g) => g.distance <= tolerance).length : 0;
  useEffect(() => {
    if (!found || !shown) setOverlay({});
    else if (shown === 'gaps') setOverlay({ gaps: found.gaps.map((g) => ({ ...g, joined: g.distance <= tolerance })) });
    else setOverlay({ spots: { list: found[shown] as FlatSpot[], label: false } });
  }, [found, shown, tolerance, setOverlay]);
  const sound = part.findings.length === 0;
  const pieces = Object.entries(d.segments).filter(([, n]) => n > 0).map(([k, n]) => `${n.toLocaleString('en')} ${pieceWords[k as keyof typeof pieceWords]}`).join(', '); // prettier-ignore
  return (
    <>
      <h2>Soundness</h2>
      <p>
        <MarkShape mark={part.steps.find((s) => s.step === 'Soundness')!.mark} />{' '}
        {sound
          ? 'Clean: every contour closes, nothing lies double.'
          : d.openContours === 0
            ? 'Every contour closes; see what else was found.'
            : `${d.openContours.toLocaleString('en')} of ${d.contours.toLocaleString('en')} contours are open.`}
      </p>
      <Figures
        rows={[
          ['Contours', `${d.contours.toLocaleString('en')}, ${d.holes} holes, ${d.islands} islands`],
          ['Pieces', pieces || 'none'],
        ]}
      />
      {proposal ? (
        <Proposal operation={proposal} tools={tools} />
      ) : (
        <>
          {working && atWork(working) && <AtWork operation={working} tools={tools} />}
          {!found && <p className="context">Looking for gaps, doubles and crossings …</p>}
          {found && (
            <Gaps
              gaps={found.gaps}
              joined={joined}
              tolerance={tolerance}
              setTolerance={setTolerance}
              shown={shown === 'gaps'}
              show={() => setShown(shown === 'gaps' ? null : 'gaps')}
              look={(i) =>
                stage.current?.lookAt(
                  (found.gaps[i].a[0] + found.gaps[i].b[0]) / 2,
                  (found.gaps[i].a[1] + found.gaps[i].b[1]) / 2,
                  Math.max(4, found.gaps[i].distance * 12),
                )
              }
            />
          )}
          {found && (
            <Kinds
              found={found}
              shown={shown}
              show={(k) => {
                setShown(shown === k ? null : k);
                const [first] = found[k];
                if (shown !== k && first && found[k].length === 1) stage.current?.lookAt(first.x, first.y, 30);
              }}
            />
          )}
          <Mending part={part} tools={tools} tolerance={tolerance} />
          <Nodes chosen={chosen} setChosen={setChosen} nodes={nodes} count={d.contours} />
        </>
      )}
    </>
  );
}

/** What else was found, a row a kind. */
function Kinds({ found, shown, show }: { found: FlatFound; shown: SpotKind | 'gaps' | null; show: (kind: SpotKind) => void }) {
  return (
    <ul className={desk.findings} data-test="flatfindings">
      {kinds
        .filter(([k]) => found.counts[k] > 0)
        .map(([k, one, many, why]) => (
          <li key={k}>
            <MarkShape mark="look" size={11} />
            <span className="grow">
              <span className="figure">{found.counts[k].toLocaleString('en')}</span> {found.counts[k] === 1 ? one : many} <span className="context">{why}</span>
            </span>
            <Button aria-pressed={shown === k} onClick={() => show(k)} size="small">
              Show
            </Button>
          </li>
        ))}
    </ul>
  );
}

const pieceWords = { line: 'lines', arc: 'arcs', ellipse: 'ellipses', bezier: 'Béziers', spline: 'splines' };

/** The slider: how many gaps each tolerance would join. */
function Gaps({
  gaps,
  joined,
  tolerance,
  setTolerance,
  shown,
  show,
  look,
}: {
  gaps: FlatFound['gaps'];
  joined: number;
  tolerance: number;
  setTolerance: (v: number) => void;
  shown: boolean;
  show: () => void;
  look: (i: number) => void;
}) {
  const { len } = useLengths();
  if (gaps.length === 0)
    return (
      <p>
        <MarkShape mark="clear" size={12} /> No gaps between loose ends.
      </p>
    );
  return (
    <section aria-label="Gaps" className={desk.gaps}>
      <div className={desk.row}>
        <b>
          {gaps.length.toLocaleString('en')} {gaps.length === 1 ? 'gap' : 'gaps'}
        </b>
        <Button aria-pressed={shown} onClick={show} size="small">
          Show
        </Button>
      </div>
      <div className={desk.row}>
        Join up to
        <Glide
          label="Join gaps up to, mm"
          words={`${len(tolerance)} joins ${joined} of ${gaps.length}`}
          min={-4}
          max={1.3}
          step={0.02}
          value={Math.log10(tolerance)}
          onChange={(v) => setTolerance(Number((10 ** v).toPrecision(3)))}
        />
        <span className="figure">
          <Len mm={tolerance} />
        </span>
      </div>
      <p role="status" data-test="gapcount">
        would join <span className="figure">{joined.toLocaleString('en')}</span> of <span className="figure">{gaps.length.toLocaleString('en')}</span>
      </p>
      <div className={desk.chips}>
        {gaps.slice(0, 8).map((g, i) => (
          <Button key={i} onClick={() => look(i)} title="Look at this gap" size="small">
            <span className={g.distance <= tolerance ? 'c-look' : 'c-stop'}>{g.distance <= tolerance ? 'joins' : 'stays'}</span>{' '}
            <span className="figure">
              <Len mm={g.distance} />
            </span>
          </Button>
        ))}
        {gaps.length > 8 && <span className="context">and {(gaps.length - 8).toLocaleString('en')} wider</span>}
      </div>
    </section>
  );
}

function Mending({ part, tools, tolerance }: Pick<PanelProps, 'part' | 'tools'> & { tolerance: number }) {
  const [choice, setChoice] = useState<DrawingMend>({ ...nothingToMend, dropDoubles: true, closeCircles: true, order: true });
  const [fit, setFit] = useState('0.02');
  const [fits, setFits] = useState(false);
  const [simplifies, setSimplifies] = useState(false);
  const [tiny, setTiny] = useState(true);
  const deviation = Number(fit.replace(',', '.'));
  const valid = deviation >= 0.0001 && deviation <= 10;
  const ask = (c: DrawingMend) => void tools.operate({ kind: 'clean', part: part.id, choice: c });
  const box = (name: 'dropDoubles' | 'dropPoints' | 'closeCircles' | 'smooth' | 'order', label: string) => (
    <Checkbox checked={choice[name]} onChange={(e) => setChoice({ ...choice, [name]: e.target.checked })}>
      {label}
    </Checkbox>
  );
  return (
    <section aria-label="Mending">
      <Button onClick={() => ask({ ...safeMend, joinGaps: tolerance })} type="primary">
        Mend all that is safe
      </Button>
      <p className="context">
        Joins gaps up to <Len mm={tolerance} />, drops doubles and tiny pieces. Shown first, kept only if you say so.
      </p>
      <Fold title="Choose what is mended">
        <div className={desk.choices}>
          {box('dropDoubles', 'drop doubles')}
          <Checkbox checked={tiny} onChange={(e) => setTiny(e.target.checked)}>
            drop pieces up to 0.01 mm
          </Checkbox>
          {box('dropPoints', 'drop single points')}
          {box('closeCircles', 'close arcs that nearly close')}
          {box('order', 'outer contours one way round, holes the other')}
          {box('smooth', 'smooth curves through corners of lines')}
          <Checkbox checked={fits} onChange={(e) => setFits(e.target.checked)}>
            fit arcs and lines
          </Checkbox>
          <Checkbox checked={simplifies} onChange={(e) => setSimplifies(e.target.checked)}>
            simplify runs of lines
          </Checkbox>
          <label className={desk.row}>
            within
            <span>
              <LengthInput label="Deviation of fitted pieces" value={fit} invalid={!valid} onChange={setFit} />
            </span>
          </label>
          <Button
            disabled={!valid}
            onClick={() =>
              ask({ ...choice, joinGaps: tolerance, dropTiny: tiny ? 0.01 : null, fitArcs: fits ? deviation : null, simplify: simplifies ? deviation : null })
            }
          >
            Propose this
          </Button>
        </div>
      </Fold>
    </section>
  );
}

/** A stretch between two nodes made smooth, within a deviation. */
function Stretch({ nodes, own }: { nodes: NodeTools; own: { layer: number; contour: number } }) {
  const { picked, edit } = nodes;
  const [begin, setBegin] = useState<number | null>(null);
  const [within, setWithin] = useState('0.1');
  const fits = Number(within) >= stretchBounds[0] && Number(within) <= stretchBounds[1];
  useEffect(() => setBegin(null), [own.contour]);
  return (
    <div data-test="stretch">
      <div className={desk.row}>
        <Button disabled={picked === null} onClick={() => setBegin(picked)} size="small">
          Begin a stretch
        </Button>
        <span className="context">{begin === null ? 'pick its first node' : `from node ${begin + 1}; pick its last one`}</span>
      </div>
      {begin !== null && (
        <div className={desk.row}>
          <label>
            within <LengthInput label="How far a smooth stretch may lie off" width={84} value={within} onChange={setWithin} />
          </label>
          <Button
            disabled={picked === null || picked === begin || !fits}
            onClick={() => {
              void edit({ action: 'smooth-stretch', ...own, node: begin, to: picked!, within: Number(within) });
              setBegin(null);
            }}
            size="small"
          >
            Make it smooth
          </Button>
        </div>
      )}
    </div>
  );
}

type NodeButtonsProps = { nodes: NodeTools; own: { layer: number; contour: number }; node: number; place: [number, number]; last: number };

/** What can be done with a node. @param last number of the contour's last segment */
function NodeButtons({ nodes: { edit, moveTo }, own, node, place, last }: NodeButtonsProps) {
  return (
    <div className={desk.buttons}>
      <Button disabled={!place.every(Number.isFinite)} onClick={() => void moveTo(node, place)} size="small">
        Move it
      </Button>
      <Button onClick={() => void edit({ action: 'smooth', ...own, node })} size="small">
        Smooth
      </Button>
      <Button onClick={() => void edit({ action: 'sharp', ...own, node })} size="small">
        Sharp
      </Button>
      <Button onClick={() => void edit({ action: 'add', ...own, segment: Math.min(node, last), share: 0.5 })} size="small">
        Add one after
      </Button>
      <Button onClick={() => void edit({ action: 'delete', ...own, node })} size="small">
        Delete
      </Button>
    </div>
  );
}

/** One contour's nodes: moved by dragging or by typed places, added, deleted, made smooth or sharp. */
function Nodes({ chosen, setChosen, nodes, count }: { chosen: number | null; setChosen: (n: number | null) => void; nodes: NodeTools; count: number }) {
  const { unit } = useLengths();
  const { found, picked, setPicked, edit } = nodes;
  const at = found && picked !== null ? found.nodes[picked] : null;
  const [typed, setTyped] = useState<[string, string]>(['', '']);
  const key = at?.join(' ');
  useEffect(() => {
    if (at) setTyped([Number(at[0].toFixed(4)).toString(), Number(at[1].toFixed(4)).toString()]);
  }, [key]);
  const place = useMemo(() => typed.map((t) => Number(t.replace(',', '.'))) as [number, number], [typed]);
  const own = found && { layer: found.layer, contour: found.contour };
  return (
    <Fold title="Change single nodes" open={chosen !== null || undefined}>
      <div className={desk.choices}>
        <label className={desk.row}>
          Contour
          <span>
            <Input
              aria-label="Number of the contour"
              inputMode="numeric"
              value={chosen === null ? '' : chosen + 1}
              placeholder="click one"
              onChange={(e) => setChosen(Number(e.target.value) >= 1 && Number(e.target.value) <= count ? Math.trunc(Number(e.target.value)) - 1 : null)}
              className={`num ${widths.w72}`}
              size="small"
            />{' '}
            of {count.toLocaleString('en')}
          </span>
        </label>
        {found && own && (
          <>
            <div className={desk.row}>
              <span>
                Node{' '}
                <span className="figure">
                  {picked === null ? '–' : picked + 1} of {found.nodes.length}
                </span>
              </span>
              <span className={desk.buttons}>
                <Button
                  disabled={found.nodes.length === 0}
                  onClick={() => setPicked(picked === null ? found.nodes.length - 1 : (picked + found.nodes.length - 1) % found.nodes.length)}
                  size="small"
                >
                  Before
                </Button>
                <Button disabled={found.nodes.length === 0} onClick={() => setPicked(picked === null ? 0 : (picked + 1) % found.nodes.length)} size="small">
                  Next
                </Button>
              </span>
            </div>
            {picked !== null && at && (
              <>
                <div className={desk.row}>
                  {(['X', 'Y'] as const).map((axis, k) => (
                    <label key={axis}>
                      {axis}{' '}
                      <LengthInput
                        label={`${axis} of the node`}
                        bare
                        width={84}
                        value={typed[k]}
                        onChange={(mm) => setTyped(k === 0 ? [mm, typed[1]] : [typed[0], mm])}
                      />
                    </label>
                  ))}
                  <span className="figure">{unit}</span>
                </div>
                <NodeButtons nodes={nodes} own={own} node={picked} place={place} last={found.middles.length - 1} />
              </>
            )}
            {found.nodes.length > 2 && <Stretch nodes={nodes} own={own} />}
            {found.nodes.length === 0 && <p className="context">A circle has no nodes.</p>}
            <Button
              onClick={() => {
                void edit({ action: 'remove', ...own });
                setChosen(null);
              }}
              size="small"
            >
              Remove the whole contour
            </Button>
          </>
        )}
        <p className="context">Click a contour on the sheet, then drag its nodes. Undo takes each step back.</p>
      </div>
    </Fold>
  );
}
