'use client';
import { Button, Checkbox, Radio, Switch } from 'antd';
import { useEffect, useMemo, useState } from 'react';
import { counted, countText } from 'tall-kite/base/figures';
import type { Finding } from 'tall-kite/base/finding';
import { traceWays, type PictureSize, type TraceChoice, type TraceWay } from 'tall-kite/trace/choice';
import type { TracedFigures } from 'tall-kite/trace/figures';
import type { PictureOrigin } from 'tall-kite/trace/origin';
import { mayBeRegular, regularText } from 'tall-kite/trace/regular-words';
import type { OperationView } from '@tall-kite/server/operations/operations';
import { MarkShape } from '@/marks/Mark.tsx';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { Figures } from '@/light-table/panels/parts.tsx';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { Choice, Fold, Glide } from '@/shell/controls.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { useLengths } from '@/shell/unit.tsx';
import type { FlatPicture } from '../FlatStage.ts';
import { useForeseen, type Seen } from '../useForeseen.ts';
import { NumberField } from './NumberField.tsx';
import desk from '@/shell/desk.module.css';
import style from './trace.module.css';

/** What is picked on the picture, in its pixels. */
export interface PixelPicking {
  prompt: string;
  take: (at: [number, number]) => void;
}

type Traced = Omit<PictureOrigin, 'edge'>;
type Change = (change: Partial<TraceChoice>) => void;
interface Picks {
  setPins: (pins: [number, number][]) => void;
  picking: PixelPicking | null;
  setPicking: (picking: PixelPicking | null) => void;
}

/** A picture's contours: ways side by side, what counts as inside, the size; what would come of it is laid over the picture while it is chosen. */
export function TracePanel(props: PanelProps & Picks & { setForeseen: (lines: FlatPicture['proposed']) => void }) {
  const { part, tools, setPins, setPicking, setForeseen } = props;
  const traced = part.summary.traced!;
  const [choice, setChoice] = useState(traced.choice);
  useEffect(() => setChoice(traced.choice), [traced.choice]);
  const operations = tools.job?.operations ?? [];
  const proposal = newest(operations, part.id, ['trace']);
  const change: Change = (next) => setChoice((old) => ({ ...old, ...next }));
  useEffect(() => () => setPicking(null), [setPicking]);
  const pins = useMemo(() => pinsOf(choice), [choice]);
  useEffect(() => setPins(pins), [pins, setPins]);
  const changed = JSON.stringify(choice) !== JSON.stringify(traced.choice);
  const { seen, busy } = useForeseen(part, changed && !proposal ? choice : null);
  const lines = seen && !seen.failed ? seen.lines : null;
  useEffect(() => setForeseen(lines), [lines, setForeseen]);
  useEffect(() => () => setForeseen(null), [setForeseen]);
  const [keeping, setKeeping] = useState(false);
  const settled = proposal && !atWork(proposal) ? proposal : null;
  useEffect(() => {
    if (!keeping || !settled) return;
    setKeeping(false);
    if (settled.state === 'ready' && !settled.stale) void tools.keep(settled.id);
    // What was seen in the page is made of all pixels first, then kept without asking again.
  }, [keeping, settled?.id, settled?.state]);
  const show = (kept: boolean) => {
    setPicking(null);
    setKeeping(kept);
    void tools.operate({ kind: 'trace', part: part.id, choice });
  };
  return (
    <>
      <h2>Trace</h2>
      <Ways found={newest(operations, part.id, ['trace-ways'])} part={part} tools={tools} choice={choice} pick={(way) => change({ way, level: null })} />
      {proposal ? (
        <Proposed operation={proposal} tools={tools} />
      ) : changed ? (
        <BeforeHand seen={seen} busy={busy} show={show} back={() => setChoice(traced.choice)} />
      ) : (
        <p className="context">Change a setting below: the contours that would come of it are shown at once, and kept only when you say so.</p>
      )}
      <Inside choice={choice} change={change} level={traced.level} />
      <RegularShapes traced={traced} choice={choice} change={change} />
      <Sizes choice={choice} change={change} traced={traced} {...props} />
      <Finer choice={choice} change={change} {...props} />
    </>
  );
}

/** Places that are marked on the picture: what the size rests on, and what was left out. */
function pinsOf({ size, leave }: TraceChoice): [number, number][] {
  if (size.kind === 'points') return [size.a, size.b];
  if (size.kind === 'rectangle') return size.corners;
  return leave;
}

/** The ways as small prints side by side; found by themselves once, again with other settings by the button. */
function Ways({
  found,
  part,
  tools,
  choice,
  pick,
}: {
  found: OperationView | null;
  part: PanelProps['part'];
  tools: JobTools;
  choice: TraceChoice;
  pick: (way: TraceWay) => void;
}) {
  const { len } = useLengths();
  const wanted = found === null;
  useEffect(() => {
    if (wanted) void tools.operate({ kind: 'trace-ways', part: part.id, choice });
    // Asked once for a picture; a person asks again by the button.
  }, [wanted, part.id]);
  const ways = found?.report?.ways ?? [];
  const perMm = part.summary.traced!.perNumber;
  return (
    <div data-test="prints">
      <Radio.Group className={style.ways} value={choice.way} onChange={(e) => pick(e.target.value as TraceWay)} aria-label="How the edge is seen">
        {traceWays.map(({ way, name, about }) => {
          const print = ways.find((w) => w.way === way);
          return (
            <Radio key={way} value={way} className={style.way} title={print?.failed ?? about}>
              <svg viewBox="0 0 46 46" aria-hidden="true">
                <path d={print?.thumb ?? ''} />
              </svg>
              <span>
                <b>{name}</b>
                <span className="context">
                  {print?.failed
                    ? 'finds nothing'
                    : print
                      ? `${counted(print.contours, 'contour')}, ${counted(print.pieces, 'piece')}${print.distance ? `, ${len(print.distance.mean / perMm)} off` : ''}`
                      : about}
                </span>
              </span>
            </Radio>
          );
        })}
      </Radio.Group>
      {found && atWork(found) && <AtWork operation={found} tools={tools} />}
      {found && !atWork(found) && (
        <Button size="small" onClick={() => void tools.operate({ kind: 'trace-ways', part: part.id, choice })}>
          Prints with these settings
        </Button>
      )}
    </div>
  );
}

/** What the choice at hand would make, as the page sees it, and the ways on. */
function BeforeHand({ seen, busy, show, back }: { seen: Seen | null; busy: boolean; show: (kept: boolean) => void; back: () => void }) {
  const failed = seen?.failed ?? null;
  const told = seen && !seen.failed ? seen : null;
  return (
    <section className={desk.proposal} aria-label="Contours as they would be" data-test="foreseen" aria-busy={busy}>
      <h2>{told ? 'Contours in coral, nothing changed yet' : 'Contours as they would be'}</h2>
      <div className={desk.buttons}>
        {failed ? (
          <Button onClick={() => show(false)}>Show the contours</Button>
        ) : (
          <Button type="primary" disabled={seen === null || busy} onClick={() => show(true)}>
            Keep these
          </Button>
        )}
        <Button onClick={back}>As they are</Button>
      </div>
      <p className="context" role="status">
        {busy
          ? 'Following the edges …'
          : told && told.block > 1
            ? `Seen with ${told.block} × ${told.block} pixels as one; kept are those of all pixels.`
            : null}
      </p>
      {told && (
        <>
          <TracedRows figures={told.figures} />
          <FindingLines findings={told.findings} />
        </>
      )}
      {failed && (
        <p role="alert">
          <MarkShape mark="stop" size={11} /> {failed.message} <span className="context">{failed.remedy}</span>
        </p>
      )}
    </section>
  );
}

/** Figures of contours before they are kept. */
function TracedRows({ figures: { contours, holes, pieces, area, distance, perMm, sized } }: { figures: TracedFigures }) {
  const { len } = useLengths();
  return (
    <Figures
      rows={[
        ['Contours', `${countText(contours)}, ${counted(holes, 'hole')}`],
        ['Pieces', countText(pieces)],
        ['Area', `${area.toLocaleString('en', { maximumFractionDigits: 1 })} mm²${sized ? '' : ' at 96 an inch'}`],
        ['Off the edge', `${len(distance.mean / perMm)} in the mean (${distance.mean.toFixed(3)} px)`],
        ['At most', `${len(distance.largest / perMm)} (${distance.largest.toFixed(2)} px)`],
        ['Corners beyond it', `up to ${len(distance.beyond / perMm)} (${distance.beyond.toFixed(2)} px)`],
      ]}
    />
  );
}

const FindingLines = ({ findings }: { findings: readonly Finding[] }) =>
  findings.map((f) => (
    <p key={f.code}>
      <MarkShape mark={f.severity} size={11} /> {f.message} <span className="context">{f.remedy}</span>
    </p>
  ));

/** What would come of it: figures, what to know, and the two ways on. */
function Proposed({ operation, tools }: { operation: OperationView; tools: JobTools }) {
  if (atWork(operation)) return <AtWork operation={operation} tools={tools} />;
  if (operation.state !== 'ready') return <Failed operation={operation} tools={tools} />;
  const { traced, findings } = operation.report!;
  return (
    <section className={desk.proposal} aria-label="Proposal" data-test="traced">
      <h2>Contours in coral, nothing changed yet</h2>
      <TracedRows figures={traced!} />
      <FindingLines findings={findings ?? []} />
      {operation.stale && <p className="c-look">The drawing changed after this was computed. Ask for it again.</p>}
      <div className={desk.buttons}>
        <Button type="primary" disabled={operation.stale} onClick={() => void tools.keep(operation.id)}>
          Keep these
        </Button>
        <Button onClick={() => void tools.drop(operation.id)}>Drop them</Button>
      </div>
    </section>
  );
}

/** What counts as inside, by the way that is chosen. */
function Inside({ choice, change, level }: { choice: TraceChoice; change: Change; level: number | null }) {
  const { way } = choice;
  const slid = choice.level ?? level ?? 0.5;
  return (
    <section aria-label="What lies inside">
      <h3>What lies inside</h3>
      {(way === 'brightness' || way === 'outside' || way === 'strokes') && (
        <>
          <Glide
            label={way === 'outside' ? 'Least distance from the ground' : 'Brightness level'}
            words={`${(slid * 100).toFixed(0)} %`}
            min={0.01}
            max={0.99}
            step={0.01}
            value={slid}
            onChange={(v) => change({ level: v })}
          />
          <p className={desk.row}>
            <span>
              {way === 'outside' ? 'differs from the ground by more than ' : 'darker than '}
              <span className="figure">{(slid * 100).toFixed(0)} %</span>
              {choice.level === null ? ', found by itself' : ''}
            </span>
            {choice.level !== null && (
              <Button size="small" onClick={() => change({ level: null })}>
                Find it
              </Button>
            )}
          </p>
        </>
      )}
      {way === 'colours' && (
        <NumberField label="Colours, with the ground" value={choice.colours} unit="" low={2} high={12} save={(v) => change({ colours: Math.round(v) })} />
      )}
      <label className={desk.row}>
        {way === 'colours' ? 'The ground is drawn too' : way === 'outside' ? 'The ground itself' : 'What is bright lies inside'}
        <Switch size="small" checked={choice.invert} onChange={(invert) => change({ invert })} />
      </label>
      <label className={desk.row}>
        Where it comes from
        <Choice
          label="Where the picture comes from"
          value={choice.mixed}
          onChange={(mixed) => change({ mixed: mixed as TraceChoice['mixed'] })}
          options={[
            { value: 'values', label: 'a drawing program' },
            { value: 'light', label: 'a camera or scanner' },
          ]}
        />
      </label>
    </section>
  );
}

const sizeWords: Record<PictureSize['kind'], string> = {
  stated: 'as the file says',
  'per inch': 'pixels an inch',
  width: 'width of the picture',
  points: 'two points and a length',
  rectangle: 'four corners of a rectangle',
};

/** How large it is: by what the file says, a typed width, two points, or four corners that set it upright. */
function Sizes({ choice, change, traced, setPicking, picking, setPins }: { choice: TraceChoice; change: Change; traced: Traced } & Picks) {
  const { len } = useLengths();
  const { size } = choice;
  const wide = traced.width / traced.perNumber;
  const pick = (count: 2 | 4) => {
    const points: [number, number][] = [];
    const ask = (): PixelPicking => ({
      prompt:
        count === 2 ? `Click point ${points.length + 1} of 2 of the known length.` : `Click corner ${points.length + 1} of 4, round it from the top left.`,
      take: (at) => {
        points.push(at);
        setPins([...points]);
        if (points.length < count) return setPicking(ask());
        setPicking(null);
        change({
          size:
            count === 2
              ? {
                  kind: 'points',
                  a: points[0],
                  b: points[1],
                  mm:
                    size.kind === 'points'
                      ? size.mm
                      : Number((Math.hypot(points[1][0] - points[0][0], points[1][1] - points[0][1]) / traced.perNumber).toFixed(2)),
                }
              : {
                  kind: 'rectangle',
                  corners: points,
                  width: size.kind === 'rectangle' ? size.width : 210,
                  height: size.kind === 'rectangle' ? size.height : 297,
                },
        });
      },
    });
    setPicking(ask());
  };
  const take = (kind: PictureSize['kind']) => {
    setPicking(null);
    if (kind === 'stated') change({ size: { kind } });
    else if (kind === 'per inch') change({ size: { kind, value: Math.round(traced.perNumber * 25.4) } });
    else if (kind === 'width') change({ size: { kind, mm: Number(wide.toFixed(2)) } });
    else pick(kind === 'points' ? 2 : 4);
  };
  const shown = picking?.prompt.includes('corner') ? 'rectangle' : picking?.prompt.includes('point') ? 'points' : size.kind;
  return (
    <section aria-label="Size of the picture">
      <h3>Size</h3>
      <label className={desk.row}>
        By
        <Choice
          label="How the size is told"
          value={shown}
          onChange={(kind) => take(kind as PictureSize['kind'])}
          options={Object.entries(sizeWords).map(([value, label]) => ({ value, label }))}
        />
      </label>
      {size.kind === 'per inch' && (
        <NumberField label="Pixels an inch" value={size.value} unit="" low={0.1} high={100_000} save={(value) => change({ size: { ...size, value } })} />
      )}
      {size.kind === 'width' && (
        <NumberField label="Width" value={size.mm} unit="mm" low={0.001} high={100_000} save={(mm) => change({ size: { ...size, mm } })} />
      )}
      {size.kind === 'points' && (
        <NumberField label="Between 1 and 2" value={size.mm} unit="mm" low={0.001} high={100_000} save={(mm) => change({ size: { ...size, mm } })} />
      )}
      {size.kind === 'rectangle' && (
        <>
          <NumberField label="From 1 to 2" value={size.width} unit="mm" low={0.001} high={100_000} save={(width) => change({ size: { ...size, width } })} />
          <NumberField label="From 2 to 3" value={size.height} unit="mm" low={0.001} high={100_000} save={(height) => change({ size: { ...size, height } })} />
        </>
      )}
      {(size.kind === 'points' || size.kind === 'rectangle') && (
        <Button size="small" onClick={() => pick(size.kind === 'points' ? 2 : 4)}>
          Pick them again
        </Button>
      )}
      <p className="context">
        Now <span className="figure">{`${traced.width} × ${traced.height} px`}</span>, <span className="figure">{len(wide)}</span> wide.
      </p>
    </section>
  );
}

/** What in the picture is regular, and whether it is made exactly so. */
function RegularShapes({ traced, choice, change }: { traced: Traced; choice: TraceChoice; change: Change }) {
  const { regular } = traced;
  if (!regular || regularText(regular) === '') return null;
  return (
    <div data-test="regular">
      <p>
        {traced.choice.regular ? 'Made regular' : 'Regular as near as the picture tells'}: {regularText(regular)}.
      </p>
      {mayBeRegular(regular) && (
        <Checkbox checked={choice.regular ?? false} onChange={(e) => change({ regular: e.target.checked })}>
          made exactly so
        </Checkbox>
      )}
    </div>
  );
}

/** Specks, holes, what is left out, and how near the contours keep to the edge. */
function Finer({ choice, change, setPicking }: { choice: TraceChoice; change: Change } & Picks) {
  const leave = () =>
    setPicking({
      prompt: 'Click into a region or a hole that is to be left out.',
      take: (at) => change({ leave: [...choice.leave, at] }),
    });
  return (
    <Fold title="Specks, accuracy, curves" open={choice.leave.length > 0} data-test="finer">
      <NumberField label="Regions are dropped under" value={choice.speckle} unit="mm²" low={0} high={1e6} save={(speckle) => change({ speckle })} />
      <NumberField label="Holes are filled under" value={choice.holes} unit="mm²" low={0} high={1e6} save={(holes) => change({ holes })} />
      <NumberField
        label="Off the edge, at most (0: as near as it tells)"
        value={choice.deviation ?? 0}
        unit="mm"
        low={0}
        high={100}
        save={(v) => change({ deviation: v > 0 ? v : null })}
      />
      <label className={desk.row}>
        Round ways
        <Choice
          label="Round ways"
          value={choice.curves}
          onChange={(curves) => change({ curves: curves as TraceChoice['curves'] })}
          options={[
            { value: 'arcs', label: 'arcs' },
            { value: 'beziers', label: 'Béziers' },
          ]}
        />
      </label>
      <div className={desk.row}>
        <Button size="small" onClick={leave}>
          Leave out by clicking
        </Button>
        {choice.leave.length > 0 && (
          <Button size="small" onClick={() => change({ leave: [] })}>
            Take all {choice.leave.length} in again
          </Button>
        )}
      </div>
    </Fold>
  );
}
