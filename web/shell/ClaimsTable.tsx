'use client';
import { Table } from 'antd';
import type { Evidence } from 'tall-kite/prove/evidence';
import { claimFigure, designedFigure, unitText } from 'tall-kite/prove/page';
import { Mark } from '@/marks/Mark.tsx';
import desk from './desk.module.css';

type Claim = Evidence['claims'][number];

/** How far apart the two figures of a claim are, in words. */
function differenceOf({ difference, designed, received, unit }: Claim): string {
  if (difference !== null) return claimFigure(difference, unit);
  return designed === received ? 'same' : '';
}

/** Every claim with its difference, tolerance and verdict. @param both also what was designed and received, where there is room */
export function ClaimsTable({ claims, both = false }: { claims: Claim[]; both?: boolean }) {
  return (
    <Table<Claim>
      size="small"
      className={desk.fitted}
      data-test="claimlist"
      rowKey="quantity"
      dataSource={claims}
      pagination={false}
      columns={[
        {
          title: 'Claim',
          rowScope: 'row',
          render: (_, c) => (
            <>
              {c.quantity} {c.unit && <span className="context">({unitText(c.unit)})</span>}
            </>
          ),
        },
        ...(both
          ? [
              { title: 'Designed', render: (_: unknown, c: Claim) => <span className="figure c-designed">{designedFigure(c)}</span> },
              { title: 'Received', render: (_: unknown, c: Claim) => <span className="figure c-received">{claimFigure(c.received, c.unit)}</span> },
            ]
          : []),
        { title: 'Difference', render: (_, c) => <span className="figure">{differenceOf(c)}</span> },
        { title: 'Tolerance', render: (_, c) => <span className="figure">{c.tolerance === null ? '' : claimFigure(c.tolerance, c.unit)}</span> },
        { title: 'Verdict', render: (_, c) => <Mark mark={c.verdict} size={10} /> },
      ]}
    />
  );
}
