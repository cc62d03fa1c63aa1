'use client';
import { Button } from 'antd';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { CarveRecipe } from 'tall-kite/model/drawing-recipe';
import { MarkShape } from '@/marks/Mark.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { Choice } from '@/shell/controls.tsx';
import { carveChoice, CarvedPicture, firstCarve } from '../CarvedView.tsx';
import { withDrawing } from '../useFlat.ts';
import { NumberField } from './NumberField.tsx';
import { saveDrawing } from './recipe.ts';
import desk from '@/shell/desk.module.css';

/** Bit and depths for a router, chosen beside the sheet as it would be carved; they go into the names of the layers and the evidence. */
export function DepthsPanel(props: PanelProps) {
  const { part } = props;
  const how = part.recipe.drawing!;
  const { receiver } = part.recipe;
  const carve = how.carve ?? firstCarve(receiver, how);
  const choice = carveChoice(receiver, { ...how, carve });
  const state = part.steps.find((s) => s.step === 'Depths');
  const set = (what: string, change: Partial<CarveRecipe>) => saveDrawing(props, what, { carve: { ...carve, ...change } });
  const carved = useQuery({
    queryKey: ['carve', part.view, JSON.stringify(part.recipe)],
    staleTime: Infinity,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => withDrawing(part, (w) => w.flatCarveDesigned(part.summary, { ...part.recipe, drawing: { ...how, carve } }, choice)),
  });
  return (
    <>
      <h2>Depths</h2>
      <NumberField label="Bit" value={carve.bit} unit="mm" low={0.1} high={50} save={(bit) => set('the bit', { bit })} />
      <label className={desk.row}>
        It runs
        <Choice
          value={carve.side}
          label="Where the bit runs"
          onChange={(side) => set('where the bit runs', { side: side as CarveRecipe['side'] })}
          options={[
            { value: 'waste', label: 'on the waste side of the line' },
            { value: 'on', label: 'on the line: the file is its path' },
          ]}
        />
      </label>
      <NumberField label="Pockets deep" value={carve.pocket} unit="mm" low={0.1} high={100} save={(pocket) => set('pockets', { pocket })} />
      <NumberField label="Engraving deep" value={carve.engrave} unit="mm" low={0.05} high={20} save={(engrave) => set('engraving', { engrave })} />
      <NumberField label="Through cuts below the sheet" value={carve.below} unit="mm" low={0} high={5} save={(below) => set('through cuts', { below })} />
      {!how.carve && (
        <p>
          The machine&rsquo;s own figures are shown; they are not in the file yet.{' '}
          <Button size="small" onClick={() => set('depths', {})}>
            Put them in the file
          </Button>
        </p>
      )}
      {how.carve && <p className="context">The depths stand in the names of the layers, as in POCKET_3MM, and in the evidence.</p>}
      {how.carve && (
        <Button size="small" onClick={() => saveDrawing(props, 'no depths', { carve: undefined })}>
          Leave them out
        </Button>
      )}
      {state?.finding && (
        <p role="status">
          <MarkShape mark={state.mark} size={12} /> {state.finding.message} {state.finding.remedy}
        </p>
      )}
      <section aria-label="Carved sheet" data-test="carving" data-ready={carved.data && !carved.isPlaceholderData ? 'yes' : 'no'}>
        <h3>What the router would leave</h3>
        <CarvedPicture made={carved.data ?? null} failure={carved.error?.message ?? null} stock={choice.stock} />
      </section>
    </>
  );
}
