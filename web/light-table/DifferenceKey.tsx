'use client';
import { Spin } from 'antd';
import { claimFigure } from 'tall-kite/prove/page';
import type { Coloured } from './useDifference.ts';
import style from './difference.module.css';

/** A distance that is nothing to see is said as such. */
const nothing = 0.0005;

/** What the inks of a difference mean, in words and figures. */
export function DifferenceKey({ coloured }: { coloured: Coloured }) {
  const { map, failed } = coloured;
  if (failed) return <p className={style.key} role="status">{failed}</p>; // prettier-ignore
  if (!map)
    return (
      <p className={style.key} role="status">
        <Spin size="small" /> Measuring how far both lie apart …
      </p>
    );
  const facets = map.byFacets > 0 && (
    <span className="c-look">{map.byFacets === 1 ? '1 face' : `${map.byFacets} faces`} only by the facets that are drawn</span>
  );
  if (map.largest < nothing)
    return (
      <p className={style.key} data-test="difference" role="status">
        Both lie within half a thousandth of a millimetre of each other. {facets}
      </p>
    );
  return (
    <p className={style.key} data-test="difference" role="status">
      <span className={style.within}>within the design</span>
      <span className="figure nowrap">−{claimFigure(map.largest, 'mm')} mm</span>
      <span className={style.ramp} aria-hidden />
      <span className="figure nowrap">+{claimFigure(map.largest, 'mm')} mm</span>
      <span className={style.outside}>outside it</span>
      <span className="context nowrap">
        farthest at <span className="figure">{map.at.map((v) => v.toFixed(1)).join(', ')} mm</span>
      </span>
      {facets}
    </p>
  );
}
