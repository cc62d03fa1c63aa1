'use client';
import { useMemo } from 'react';
import { boardMeanings, boardWords, type BoardMeaning } from 'tall-kite/boards/choice';
import { Choice, Fold } from '@/shell/controls.tsx';
import type { BoardTools } from './useBoard.ts';
import desk from '@/shell/desk.module.css';
import style from './boards.module.css';

const options = boardMeanings.map((m) => ({ value: m, label: boardWords[m] }));
/** Longer lists of single contours are not drawn as controls. */
const mostSingle = 60;

type Listed = NonNullable<BoardTools['board']>['contours'];

/** What each layer, and each contour, is on the board, with why; and to be said otherwise. */
export function BoardMeanings({ tools }: { tools: BoardTools }) {
  const { board, choice, set } = tools;
  const layers = useMemo(() => {
    const by = new Map<string, Listed>();
    for (const c of board?.contours ?? []) by.set(c.layer, [...(by.get(c.layer) ?? []), c]);
    return [...by];
  }, [board]);
  const byLayer = (layer: string, value: string) => {
    const { [layer]: _, ...rest } = choice.byLayer;
    set({ byLayer: value === '' ? rest : { ...rest, [layer]: value as BoardMeaning } });
  };
  const byContour = (n: number, value: string) => {
    const { [String(n)]: _, ...rest } = choice.byContour;
    set({ byContour: value === '' ? rest : { ...rest, [String(n)]: value as BoardMeaning } });
  };
  return (
    <nav className={style.meanings} aria-label="What the contours are" tabIndex={0}>
      <h2>What the contours are</h2>
      {layers.length === 0 && <p className="context">Nothing was laid out yet.</p>}
      {layers.map(([layer, list]) => (
        <section key={layer} className={style.layer} data-test={`layer-${layer}`}>
          <div className={desk.row}>
            <b className="oneline" title={layer}>{layer || '(no layer)'}</b>
            <span className="figure">{list.length}</span>
          </div>
          <Choice
            label={`Layer ${layer} is`}
            value={choice.byLayer[layer] ?? ''}
            onChange={(v) => byLayer(layer, v)}
            options={[{ value: '', label: `as found: ${found(list)}` }, ...options]}
          />
          <Colours list={list} tools={tools} />
          <p className="context">{[...new Set(list.map((c) => c.why))].slice(0, 3).join('; ')}</p>
          {list.length <= mostSingle && (
            <Fold title={list.length === 1 ? 'This contour' : 'Each by itself'}>
              {list.map((c) => (
                <div key={c.number} className={style.single}>
                  <span className="figure">{c.number + 1}</span>
                  <Choice
                    label={`Contour ${c.number + 1} is`}
                    value={choice.byContour[String(c.number)] ?? ''}
                    onChange={(v) => byContour(c.number, v)}
                    options={[{ value: '', label: boardWords[c.meaning] }, ...options]}
                  />
                </div>
              ))}
            </Fold>
          )}
        </section>
      ))}
      {(board?.more ?? 0) > 0 && <p className="context">and {board!.more.toLocaleString('en')} more contours, which are on the board too.</p>}
    </nav>
  ); // prettier-ignore
}

/** Colours of a layer that has several, each to be said what it is. */
function Colours({ list, tools: { choice, set } }: { list: Listed; tools: BoardTools }) {
  const colours = [...new Set(list.map((c) => c.colour))].filter((c) => c !== null).slice(0, 12);
  if (colours.length < 2) return null;
  const change = (colour: string, value: string) => {
    const { [colour]: _, ...rest } = choice.byColour;
    set({ byColour: value === '' ? rest : { ...rest, [colour]: value as BoardMeaning } });
  };
  return colours.map((colour) => (
    <div key={colour} className={style.single}>
      <span className={desk.swatch} style={{ background: colour }} title={colour} />
      <Choice
        label={`Colour ${colour} is`}
        value={choice.byColour[colour] ?? ''}
        onChange={(v) => change(colour, v)}
        options={[{ value: '', label: `as found: ${found(list.filter((c) => c.colour === colour))}` }, ...options]}
      />
    </div>
  ));
}

/** "4 bare hole, 1 cut-out": what the contours of a layer were taken for. */
function found(list: Listed): string {
  const by = new Map<BoardMeaning, number>();
  for (const c of list) by.set(c.meaning, (by.get(c.meaning) ?? 0) + 1);
  return by.size === 1 ? boardWords[list[0].meaning] : [...by].map(([m, n]) => `${n} ${boardWords[m]}`).join(', ');
}
