'use client';
import { Segmented } from 'antd';
import { useState } from 'react';
import type { maskColours } from 'tall-kite/boards/choice';
import type { BoardView } from 'tall-kite/boards/view';
import { Glide } from '@/shell/controls.tsx';
import { Len } from '@/shell/unit.tsx';
import style from './boards.module.css';

/** What the stuff of a board looks like. The mask lets what lies under it show through. */
const masks: Record<(typeof maskColours)[number], string> = {
  green: '#1d6a48',
  black: '#24272d',
  white: '#efede4',
  red: '#96302b',
  blue: '#234a80',
  yellow: '#c69f2a',
  none: 'none',
};
const [core, metal, bare] = ['#cdbd8c', '#c98f52', '#d9a566']; // prettier-ignore

/** From the top layer off: how many are still on. */
const lifted = ['all layers', 'without the legend', 'without the mask', 'the board alone'] as const;

/** Both sides as two pages unfolded along one edge, or its layers one above the other; layers lifted off one by one. */
export function BoardStage({ view, maskColour, thickness }: { view: BoardView; maskColour: (typeof maskColours)[number]; thickness: number }) {
  const [off, setOff] = useState(0);
  const [how, setHow] = useState<'sides' | 'stacked'>('sides');
  const [apart, setApart] = useState(0.5);
  return (
    <section className={style.stage} aria-label="The board as its shop reads it">
      <div className={style.bar}>
        <Segmented<'sides' | 'stacked'>
          size="small"
          value={how}
          onChange={(v) => setHow(v)}
          options={[{ value: 'sides', label: 'Both sides' }, { value: 'stacked', label: 'Stacked' }]}
        />
        <label className={style.glide}>
          <span className="context">{how === 'sides' ? lifted[off] : 'layers apart'}</span>
          {how === 'sides' ? (
            <Glide label="Layers lifted off" words={lifted[off]} min={0} max={3} step={1} value={off} onChange={setOff} />
          ) : (
            <Glide label="Layers apart" words={`${Math.round(apart * 100)} %`} min={0} max={1} step={0.05} value={apart} onChange={setApart} />
          )}
        </label>
        <span className="context">
          <Len mm={view.figures.size[0]} /> × <Len mm={view.figures.size[1]} />
        </span>
      </div>
      {how === 'sides' ? <Sides view={view} maskColour={maskColour} off={off} /> : <Stack view={view} maskColour={maskColour} thickness={thickness} apart={apart} />}
    </section>
  ); // prettier-ignore
}

type SideProps = { view: BoardView; side: 'top' | 'bottom'; maskColour: (typeof maskColours)[number]; off: number };

/** One side, seen from the top. */
function Side({ view, side, maskColour, off }: SideProps) {
  const { copper, mask, legend } = view[side];
  // Rings about places that break, large enough to be seen.
  const spot = Math.max(view.box[2] - view.box[0], view.box[3] - view.box[1]) * 0.03;
  const showMask = off < 2 && mask !== '' && maskColour !== 'none';
  return (
    <g fillRule="evenodd">
      <path d={view.board} fill={core} />
      {off < 3 && <path d={copper} fill={off < 2 ? bare : metal} />}
      {showMask && <path d={mask} fill={masks[maskColour]} fillOpacity={0.86} />}
      {off < 1 && <path d={legend} fill={maskColour === 'white' || maskColour === 'none' ? '#22262f' : '#f6f4ec'} />}
      {view.scores !== '' && <path d={view.scores} fill="var(--received)" />}
      <path d={view.drilled} fill="var(--sheet)" />
      {view.plated !== '' && <path d={view.plated} fill="none" stroke={metal} strokeWidth={0.2} />}
      {view.thin.map((t, i) => (
        <circle key={i} cx={t.at[0]} cy={t.at[1]} r={spot} fill="none" stroke="var(--stop)" strokeWidth={spot * 0.22} data-test="thin-web" />
      ))}
    </g>
  );
}

function Sides({ view, maskColour, off }: Omit<SideProps, 'side'>) {
  const [a, b, c, d] = view.box;
  const [w, h] = [c - a, d - b];
  // Long boards stand one above the other, so that both are as large as they can be; they are unfolded along the edge between them either way.
  const wide = w <= 1.4 * h;
  const gap = Math.max(w, h) * 0.06;
  const word = (wide ? 2 * w : 1.5 * h + 0.5 * w) * 0.023;
  const width = wide ? 2 * w + gap : w;
  const height = wide ? h : 2 * h + gap + 2 * word;
  const m = Math.max(width, height) * 0.04;
  const title = (x: number, y: number, words: string) => <text x={x} y={y} fontSize={word} fill="var(--muted)" className={style.words}>{words}</text>; // prettier-ignore
  return (
    <svg viewBox={`${-m} ${-m - word * 1.6} ${width + 2 * m} ${height + 2 * m + word * 1.6}`} role="img" aria-label="Both sides of the board" className={style.picture} data-drawn="yes">
      {title(0, -word * 0.6, 'top')}
      <g transform={`translate(${-a} ${d}) scale(1 -1)`}>
        <Side view={view} side="top" maskColour={maskColour} off={off} />
      </g>
      {wide ? title(w + gap, -word * 0.6, 'bottom, seen from below') : title(0, h + gap + word * 1.2, 'bottom, seen from below')}
      {wide ? (
        <g transform={`translate(${w + gap + c} ${d}) scale(-1 -1)`}>
          <Side view={view} side="bottom" maskColour={maskColour} off={off} />
        </g>
      ) : (
        <g transform={`translate(${-a} ${h + gap + 2 * word - b}) scale(1 1)`}>
          <Side view={view} side="bottom" maskColour={maskColour} off={off} />
        </g>
      )}
      <line x1={wide ? w + gap / 2 : 0} y1={wide ? 0 : h + gap / 2} x2={wide ? w + gap / 2 : w} y2={wide ? h : h + gap / 2} stroke="var(--none)" strokeWidth={word * 0.06} strokeDasharray={`${word * 0.5} ${word * 0.3}`} />
    </svg>
  ); // prettier-ignore
}

/** So many outlines stand for the thickness of the board. */
const slices = 7;

/** The layers one above the other, seen from an edge; the board has its thickness. */
function Stack({ view, maskColour, thickness, apart }: { view: BoardView; maskColour: SideProps['maskColour']; thickness: number; apart: number }) {
  const [a, b, c, d] = view.box;
  const size = Math.max(c - a, d - b);
  // A dimetric view: x to the right and a little up, y to the left and up, height straight up.
  const [ux, uy, vx, vy] = [0.93, 0.2, -0.46, 0.58];
  const lift = apart * size * 0.22;
  const layers: { path: string; fill: string; opacity?: number; words: string; z: number }[] = [];
  let z = 0;
  const add = (path: string, fill: string, words: string, opacity = 1) => {
    if (path !== '') layers.push({ path, fill, words, opacity, z });
    if (path !== '') z += lift;
  };
  // Apart from the board a legend is seen against the page.
  const ink = 'var(--ink)';
  add(view.bottom.legend, ink, 'legend, bottom');
  if (maskColour !== 'none') add(view.bottom.mask, masks[maskColour], 'mask, bottom', 0.9);
  add(view.bottom.copper, metal, 'copper, bottom');
  const low = z;
  z += thickness + lift;
  add(view.top.copper, metal, 'copper, top');
  if (maskColour !== 'none') add(view.top.mask, masks[maskColour], 'mask, top', 0.9);
  add(view.top.legend, ink, 'legend, top');
  const points = [[a, b], [c, b], [c, d], [a, d]].flatMap(([x, y]) => [[ux * x + vx * y, -(uy * x + vy * y)], [ux * x + vx * y, -(uy * x + vy * y) - z]]); // prettier-ignore
  const [x0, x1] = [Math.min(...points.map((p) => p[0])), Math.max(...points.map((p) => p[0]))];
  const [y0, y1] = [Math.min(...points.map((p) => p[1])), Math.max(...points.map((p) => p[1]))];
  const m = (x1 - x0) * 0.05;
  const word = (x1 - x0) * 0.022;
  const at = (h: number) => `matrix(${ux} ${-uy} ${vx} ${-vy} 0 ${-h})`;
  const right = (h: number): [number, number] => [ux * c + vx * b + word, -(uy * c + vy * b) - h];
  const sheet = (l: (typeof layers)[number]) => (
    <g key={l.words}>
      <path d={l.path} transform={at(l.z)} fill={l.fill} fillOpacity={l.opacity} fillRule="evenodd" stroke={l.fill === ink ? 'none' : 'var(--ink)'} strokeWidth={size * 0.0008} />
      {apart > 0.2 && <text x={right(l.z)[0]} y={right(l.z)[1]} fontSize={word} fill="var(--muted)" className={style.words}>{l.words}</text>}
    </g>
  ); // prettier-ignore
  return (
    <svg viewBox={`${x0 - m} ${y0 - m} ${x1 - x0 + 2 * m + word * 9} ${y1 - y0 + 2 * m}`} role="img" aria-label="The layers of the board one above the other" className={style.picture} data-drawn="yes">
      {layers.filter((l) => l.z < low).map(sheet)}
      {Array.from({ length: slices }, (_, i) => (
        <path key={i} d={view.board + view.drilled} transform={at(low + (thickness * i) / (slices - 1))} fill={i === slices - 1 ? core : '#a99a6c'} fillRule="evenodd" />
      ))}
      {layers.filter((l) => l.z >= low).map(sheet)}
    </svg>
  ); // prettier-ignore
}
