'use client';
import { Button, Checkbox, Segmented } from 'antd';
import { useCallback, useMemo, useState } from 'react';
import type { Mesh } from 'tall-kite/geometry/mesh';
import type { Vec3 } from 'tall-kite/geometry/vector';
import { mostDabs, mostLines, mostPlaces, spreadBounds, type Area } from 'tall-kite/patches/choice';
import { edgeWays } from 'tall-kite/patches/edge-way';
import { someTriangles } from 'tall-kite/patches/faced';
import { scaleOf } from 'tall-kite/recipe/recipe';
import { LengthInput } from '@/shell/LengthInput.tsx';
import type { Inks } from './inks.ts';
import { SurfaceCanvas } from './SurfaceCanvas.tsx';
import type { SpreadTools } from './useSpread.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import style from './patches.module.css';

/** What is chosen on the part: its faces, a part of them, cuts, lines to draw, edges that keep their length. */
export type Chosen = 'faces' | 'area' | 'cuts' | 'lines' | 'kept';

type Dab = { at: Vec3; radius: number };

/** Dabs of one stroke are set so far apart, as a share of the brush's radius. */
const dabStep = 0.4;

/** The part with what is taken of it inked, the rest pale; what is drawn by hand lies over it. */
export function Choosing({ it, what }: { it: SpreadTools; what: Chosen }) {
  const { faces, choice, set } = it;
  const scale = it.part ? scaleOf(it.part.summary, it.part.recipe) : 1;
  const drawing = useDrawing(what);
  const taken = useMemo(() => new Set(choice.faces ?? []), [choice.faces]);
  const all = choice.faces === null;
  const colour = useCallback(
    ({ sheet, longer }: Inks, t: number, light: number) => {
      const share = all || taken.has(faces!.face[t]) ? 0.42 : 0.04;
      return `rgb(${sheet.map((v, k) => Math.round((v + (longer[k] - v) * share) * light)).join(',')})`;
    },
    [all, taken, faces],
  );
  const area = choice.area ?? null;
  const ways = useMemo(() => {
    const own = (way: readonly Vec3[]) => way.map((p) => p.map((v) => v / scale));
    const loop = area?.by === 'loop' ? [[...area.through, area.through[0]]] : [];
    const cuts = choice.lines.map(({ from, through = [], to }) => [from, ...through, ...(to ? [to] : [])]);
    const lines = (choice.drawn ?? []).map(({ through, closed }) => (closed ? [...through, through[0]] : through));
    const now = drawing.places.length > 0 && !(what === 'area' && drawing.by === 'edges') ? [drawing.places] : [];
    return [...cuts, ...lines, ...loop, ...now].map(own);
  }, [choice.lines, choice.drawn, area, drawing.places, drawing.by, what, scale]);
  const edges = useEdges(it, { what, drawing, scale });
  const dabs = useMemo(() => {
    const list = what === 'area' && drawing.by === 'painted' ? drawing.dabs : area?.by === 'painted' ? area.dabs : [];
    return list.map(({ at, radius }) => ({ at: at.map((v) => v / scale), radius: radius / scale }));
  }, [what, drawing.by, drawing.dabs, area, scale]);
  if (!faces) return <p className={`context ${frame.waiting}`}>Fetching the part …</p>; // prettier-ignore
  const pick = (t: number, place: Vec3) => {
    if (what === 'faces') return set({ faces: toggled(taken, faces.face[t]) });
    const at = place.map((v) => v * scale) as Vec3;
    if (what === 'kept') return (choice.keep ?? []).length < mostLines && set({ keep: [...(choice.keep ?? []), at] });
    if (what === 'area' && drawing.closed) {
      const { places: through, round } = drawing;
      set({ area: drawing.by === 'edges' ? { by: 'edges', at: through, inside: at } : { by: 'loop', through, round, inside: at } });
      return drawing.begin();
    }
    return drawing.add(at);
  };
  const paints = what === 'area' && drawing.by === 'painted';
  return (
    <div className={style.choosing}>
      <SurfaceCanvas
        positions={faces.positions}
        triangles={faces.triangles}
        colour={colour}
        rims={faces.rims}
        closed={faces.closed}
        pick={paints ? undefined : pick}
        paint={paints ? (place) => drawing.dab(place.map((v) => v * scale) as Vec3) : undefined}
        ways={ways}
        edges={edges}
        dabs={dabs}
        label="The part with its faces"
      />
      {what === 'cuts' && <CutBar it={it} drawing={drawing} />}
      {what === 'lines' && <LineBar it={it} drawing={drawing} />}
      {what === 'kept' && (choice.keep ?? []).length >= mostLines && (
        <p className={style.scale} role="status">
          There are {mostLines} edges: take one out first.
        </p>
      )}
      {what === 'area' && <AreaBar it={it} drawing={drawing} />}
    </div>
  );
}

/** Edges that stand out: those up to which a part is taken, or those that keep their length. */
function useEdges({ faces, choice }: SpreadTools, { what, drawing, scale }: { what: Chosen; drawing: Drawing; scale: number }) {
  const { area = null, keep, faces: chosen } = choice;
  const upTo = what === 'area' && drawing.by === 'edges' ? drawing.places : null;
  const found = area?.by === 'edges' ? area.at : null;
  return useMemo(() => {
    if (!faces) return [];
    const it: { mesh: Mesh; face: Int32Array } = { mesh: { positions: Float64Array.from(faces.positions), triangles: faces.triangles }, face: faces.face };
    const kept = what === 'kept' && keep && keep.length > 0 ? keep : null;
    const places = upTo && upTo.length > 0 ? upTo : what === 'area' ? found : null;
    const own = (list: readonly Vec3[]) => list.map((p) => p.map((v) => v / scale) as Vec3);
    const shown = (from: typeof it, ways: readonly number[][]) => ways.map((way) => way.map((v) => Array.from(from.mesh.positions.subarray(v * 3, v * 3 + 3))));
    if (kept) {
      const taken = chosen === null ? it : someTriangles(it, (t) => chosen.includes(it.face[t]));
      return shown(taken, edgeWays(taken, 'border', own(kept)));
    }
    return places ? shown(it, edgeWays(it, 'between faces', own(places))) : [];
  }, [faces, chosen, keep, upTo, found, what, scale]);
}

function toggled(taken: ReadonlySet<number>, face: number): number[] | null {
  const next = new Set(taken);
  if (!next.delete(face)) next.add(face);
  return next.size === 0 ? null : [...next].sort((a, b) => a - b);
}

/** What is being drawn by hand: places of a cut or a loop, or dabs of a brush; mm. */
function useDrawing(what: Chosen) {
  const [places, setPlaces] = useState<Vec3[]>([]);
  const [closed, setClosed] = useState(false);
  const [round, setRound] = useState(true);
  const [by, setBy] = useState<Area['by']>('loop');
  const [brush, setBrush] = useState(20);
  const [dabs, setDabs] = useState<Dab[]>([]);
  const [was, setWas] = useState(what);
  // Each place of these is an edge of its own.
  const most = what === 'area' && by === 'edges' ? mostLines : mostPlaces;
  const begin = () => {
    setPlaces([]);
    setClosed(false);
    setDabs([]);
  };
  // What was begun for one thing is no part of the next.
  if (was !== what) {
    setWas(what);
    begin();
  }
  return {
    places,
    closed,
    round,
    setRound,
    by,
    brush,
    setBrush,
    dabs,
    setBy: (next: Area['by']) => {
      setPlaces([]);
      setClosed(false);
      setBy(next);
    },
    most,
    add: (at: Vec3) => setPlaces((now) => (now.length < most ? [...now, at] : now)),
    back: () => (closed ? setClosed(false) : setPlaces((now) => now.slice(0, -1))),
    close: () => setClosed(true),
    /** Forgets what was drawn. */
    begin,
    dab: (at: Vec3) =>
      setDabs((now) => {
        const last = now[now.length - 1];
        const near = last && last.radius === brush && Math.hypot(...at.map((v, k) => v - last.at[k])) < dabStep * brush;
        return near || now.length >= mostDabs ? now : [...now, { at, radius: brush }];
      }),
  };
}

type Drawing = ReturnType<typeof useDrawing>;

const Round = ({ drawing }: { drawing: Drawing }) => (
  <Checkbox checked={drawing.round} onChange={(e) => drawing.setRound(e.target.checked)}>
    as a smooth curve
  </Checkbox>
);

/** A cut that is being drawn: ended where it is, run to the border, or taken back. */
function CutBar({ it, drawing }: { it: SpreadTools; drawing: Drawing }) {
  const { choice, set } = it;
  const { places, round } = drawing;
  if (places.length === 0) return null;
  const end = (toBorder: boolean) => {
    const [from, ...others] = places;
    const to = toBorder ? null : others[others.length - 1];
    set({ lines: [...choice.lines, { from, to, through: toBorder ? others : others.slice(0, -1), round }] });
    drawing.begin();
  };
  return (
    <div className={style.scale} data-test="cut-bar">
      <Button size="small" type="primary" disabled={places.length < 2} onClick={() => end(false)}>
        End the cut
      </Button>
      <Button size="small" onClick={() => end(true)} data-test="cut-to-border">
        Run it to the border
      </Button>
      <Round drawing={drawing} />
      <Button size="small" onClick={drawing.back}>
        Last place back
      </Button>
      <span className="context">
        {places.length} {places.length === 1 ? 'place' : 'places'}
        {places.length === mostPlaces ? ', and no more' : ''}
      </span>
    </div>
  );
}

/** A line that is being drawn: ended where it is, or closed. */
function LineBar({ it, drawing }: { it: SpreadTools; drawing: Drawing }) {
  const { choice, set } = it;
  const { places, round } = drawing;
  if (places.length === 0) return null;
  const full = (choice.drawn ?? []).length >= mostLines;
  const end = (closed: boolean) => {
    set({ drawn: [...(choice.drawn ?? []), { through: places, round, closed }] });
    drawing.begin();
  };
  return (
    <div className={style.scale} data-test="line-bar">
      <Button size="small" type="primary" disabled={places.length < 2 || full} onClick={() => end(false)}>
        End the line
      </Button>
      <Button size="small" disabled={places.length < 3 || full} onClick={() => end(true)}>
        Close it
      </Button>
      <Round drawing={drawing} />
      <Button size="small" onClick={drawing.back}>
        Last place back
      </Button>
      {full && <b role="status">There are {mostLines} lines: take one out first.</b>}
    </div>
  );
}

const ways = [
  { value: 'loop' as const, label: 'Within a loop' },
  { value: 'edges' as const, label: 'Up to edges' },
  { value: 'painted' as const, label: 'Painted' },
];

/** A part of the faces: a loop place by place or some edges with a place within, or what a brush paints. */
function AreaBar({ it, drawing }: { it: SpreadTools; drawing: Drawing }) {
  const { choice, set } = it;
  const { by, places, closed, dabs, brush } = drawing;
  const [least, most] = spreadBounds.brush;
  return (
    <div className={style.scale} data-test="area-bar">
      <Segmented size="small" aria-label="How a part is chosen" value={by} onChange={drawing.setBy} options={ways} />
      {by !== 'painted' && closed && <b role="status">Click a place within {by === 'loop' ? 'the loop' : 'the edges'}.</b>}
      {by === 'loop' && !closed && (
        <>
          <Button size="small" type="primary" disabled={places.length < 3} onClick={drawing.close}>
            Close the loop
          </Button>
          <Round drawing={drawing} />
        </>
      )}
      {by === 'edges' && !closed && (
        <Button size="small" type="primary" disabled={places.length === 0} onClick={drawing.close}>
          These are all
        </Button>
      )}
      {by === 'edges' && places.length === mostLines && <span className="context">{mostLines} edges, and no more</span>}
      {by !== 'painted' && places.length > 0 && (
        <Button size="small" onClick={drawing.back}>
          Last place back
        </Button>
      )}
      {by === 'painted' && (
        <>
          <label className={desk.row}>
            Radius
            <LengthInput width={86} label="Radius of the brush" value={String(brush)} onChange={(v) => Number(v) >= least && Number(v) <= most && drawing.setBrush(Number(v))} />
          </label>
          <Button
            size="small"
            type="primary"
            disabled={dabs.length === 0}
            onClick={() => {
              set({ area: { by: 'painted', dabs } });
              drawing.begin();
            }}
          >
            Take what is painted
          </Button>
        </>
      )}
      {choice.area && (
        <Button size="small" onClick={() => set({ area: null })}>
          Take all of it again
        </Button>
      )}
    </div>
  ); // prettier-ignore
}
