import { Button, Dropdown, type MenuProps } from 'antd';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { counted } from 'tall-kite/base/figures';
import { receiversFor, takesParts } from 'tall-kite/receivers/receivers';
import { wayNamed, ways } from 'tall-kite/steps/way';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { keepChosen } from '@/releases/chosen.ts';
import type { Fields } from '@/shell/useChanges.ts';
import type { JobTools } from '@/shell/useJob.ts';
import { fieldsForWay, recipeFor } from '@/shell/ways.ts';
import { receiverLabel, useReceivers } from '@/stores/useReceivers.ts';
import { Properties } from './Properties.tsx';
import style from './ledger.module.css';

/** What can be done with the ticked parts. @param like the part in whose likeness others can be made ready */
export function ChosenBar({
  jobId,
  chosen,
  like,
  none,
  tools,
}: {
  jobId: string;
  chosen: PartView[];
  like: PartView | null;
  none: () => void;
  tools: JobTools;
}) {
  const router = useRouter();
  const [open, setOpen] = useState<'properties' | 'variant' | null>(null);
  const out = chosen.every((p) => p.leftOut);
  const count = counted(chosen.length, 'part');
  const release = () => {
    keepChosen(
      jobId,
      chosen.map((p) => p.id),
    );
    router.push(`/jobs/${jobId}/releases/new`);
  };
  return (
    <div className={style.chosenbar} role="group" aria-label="The chosen parts">
      <b className="figure">{count}</b> chosen
      <Button onClick={release} disabled={out} data-test="release" type="primary">
        Release…
      </Button>
      <MakeReady chosen={chosen} like={like} tools={tools} />
      <Button onClick={() => setOpen('properties')}>Number, material, thickness…</Button>
      <Button onClick={() => setOpen('variant')}>Make a variant…</Button>
      <Button onClick={() => void tools.changeAll(chosen, `${out ? 'take in' : 'leave out'} ${count}`, { left_out: !out })}>
        {out ? 'Take in again' : 'Leave out'}
      </Button>
      <Button onClick={none} size="small">
        Choose none
      </Button>
      {open && <Properties kind={open} jobId={jobId} chosen={chosen} close={() => setOpen(null)} tools={tools} />}
    </div>
  );
}

/** Ways, receivers and recipes for several parts at once: those that a choice does not suit stay as they are, and are counted. */
function MakeReady({ chosen, like, tools }: { chosen: PartView[]; like: PartView | null; tools: JobTools }) {
  const receivers = useReceivers();
  const items: MenuProps['items'] = [];
  /** A choice with how many parts it suits; it changes those and no others. */
  const add = (key: string, label: string, what: string, fieldsFor: (part: PartView) => Fields | null) => {
    const suits = chosen.filter((p) => fieldsFor(p) !== null);
    return {
      key,
      disabled: suits.length === 0,
      label: suits.length === chosen.length ? label : `${label} (${suits.length} of ${chosen.length})`,
      onClick: () => void tools.changeAll(suits, `${what}: ${counted(suits.length, 'part')}`, (p) => fieldsFor(p)!),
    };
  };
  items.push({
    key: 'ways',
    type: 'group',
    label: 'What are they for?',
    children: ways.map(({ id, name }) =>
      add(`way ${id}`, name, `make for ${name.toLowerCase()}`, (part) => {
        if (!wayNamed(id).steps[part.summary.kind]) return null;
        const fields = fieldsForWay(part, id, receivers);
        return typeof fields === 'string' ? null : fields;
      }),
    ),
  });
  items.push({
    key: 'receivers',
    type: 'group',
    label: 'Which machine?',
    children: receivers
      .filter(takesParts)
      .map((r) =>
        add(`receiver ${r.id}`, receiverLabel(r), `send to ${r.name}`, (part) =>
          receiversFor(part.summary.kind, [r]).length > 0 ? { recipe: recipeFor(part.recipe, r) } : null,
        ),
      ),
  });
  if (like)
    items.push({
      key: 'like',
      type: 'group',
      label: `Made ready like "${like.name}", the row that is chosen`,
      children: [
        add('like all', 'Receiver, facets or layers, format and unit', `make ready like ${like.name}`, (part) =>
          part.id === like.id || (part.summary.kind === 'drawing') !== (like.summary.kind === 'drawing')
            ? null
            : {
                recipe: {
                  ...like.recipe,
                  size: part.recipe.size,
                  stance: part.recipe.stance,
                  file: { ...like.recipe.file, name: part.recipe.file.name },
                  ...placeKept(part, like),
                },
              },
        ),
      ],
    });
  return (
    <Dropdown menu={{ items, style: { maxHeight: 460, overflow: 'auto' } }} trigger={['click']}>
      <Button data-test="makeready">For what, where to…</Button>
    </Dropdown>
  );
}

/** A drawing lies where it lay and keeps what was said of its own layers and contours. */
function placeKept({ recipe: { drawing } }: PartView, like: PartView): Partial<PartView['recipe']> {
  if (!drawing || !like.recipe.drawing) return {};
  const { place, byLayer, byColour, byContour } = drawing;
  return { drawing: { ...like.recipe.drawing, place, byLayer, byColour, byContour } };
}
