'use client';
import { Button, Dropdown, type MenuProps } from 'antd';
import { wayNamed, waysFor, type WayId } from 'tall-kite/steps/way';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { offered, useReceivers } from '@/stores/useReceivers.ts';
import type { JobTools } from './useJob.ts';
import style from './waymenu.module.css';
import { fieldsForWay, fieldsWithout } from './ways.ts';

/** What is it for? The ways that a part can go, those that it goes ticked; several may stand side by side. */
export function WayMenu({ part, tools, open, size }: { part: PartView; tools: JobTools; open?: (way: WayId) => void; size?: 'small' }) {
  const { kind } = part.summary;
  const receivers = offered(kind, useReceivers(), part.recipe.receiver);
  const takes = (way: WayId) => part.strands.some((s) => s.way === way);
  const add = (way: WayId) => {
    const fields = fieldsForWay(part, way, receivers);
    if (typeof fields === 'string') return;
    void tools.change(part, `make ${part.name} for: ${wayNamed(way).name.toLowerCase()}`, fields);
    open?.(way);
  };
  const pick = (way: WayId) => {
    if (!takes(way)) return add(way);
    const fields = fieldsWithout(part, way);
    if (fields) void tools.change(part, `no longer for ${wayNamed(way).name.toLowerCase()}: ${part.name}`.slice(0, 80), fields);
  };
  const items: MenuProps['items'] = waysFor(kind).map(({ id, name, does }) => {
    const refused = takes(id) ? null : fieldsForWay(part, id, receivers);
    const last = takes(id) && part.strands.length === 1;
    return {
      key: id,
      disabled: typeof refused === 'string',
      onClick: () => pick(id),
      label: (
        <div className={style.choice} role="menuitemcheckbox" aria-checked={takes(id)}>
          <b>
            {takes(id) ? '✓ ' : ''}
            {name}
          </b>
          <span className="context">
            {typeof refused === 'string' ? refused : does[kind]}
            {last ? ' It is the only way this part goes.' : ''}
          </span>
        </div>
      ),
    };
  });
  if (part.ways) {
    const guess = () => void tools.change(part, `leave open what ${part.name} is for`, { ways: null });
    items.push({ type: 'divider' }, { key: 'guess', onClick: guess, label: 'As Tall Kite would guess' });
  }
  return (
    <Dropdown menu={{ items }} trigger={['click']} placement="bottomLeft">
      <Button size={size} data-test="ways" title="Print, carve, cut flat, fold: each has its own steps">
        What is it for?
      </Button>
    </Dropdown>
  );
}
