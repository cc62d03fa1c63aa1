'use client';
import { Button, Checkbox, Input } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import type { DrawingRecipe } from 'tall-kite/model/drawing-recipe';
import { MarkShape } from '@/marks/Mark.tsx';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import { ReceiverChoice } from '@/light-table/panels/parts.tsx';
import type { FlatView } from '@/workers/flat.ts';
import { NumberField } from './NumberField.tsx';
import { saveDrawing } from './recipe.ts';
import { Len } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';

const datums: [DrawingRecipe['place']['datum'], string][] = [
  ['corner', 'its low left corner'],
  ['middle', 'its middle'],
  ['drawn', 'its own zero'],
  ['point', 'a point of it'],
];

/** The sheet, and where the drawing lies on it: datum, turn, mirror, with figures of what is left over. */
export function FlatPlace(props: PanelProps & { view: FlatView | null }) {
  const { part, view } = props;
  const how = part.recipe.drawing!;
  const { place, stock } = how;
  const { receiver } = part.recipe;
  const save = (what: string, change: Partial<DrawingRecipe>) => saveDrawing(props, what, change);
  const set = (what: string, change: Partial<DrawingRecipe['place']>) => save(what, { place: { ...place, ...change } });
  const setStock = (change: Partial<Sheet>) => save('the sheet', { stock: { ...stock!, ...change } });
  const box = view?.box;
  const state = part.steps.find((s) => s.step === 'Sheet')!;
  return (
    <>
      <h2>Sheet and datum</h2>
      <ReceiverChoice {...props} />
      <label className={desk.row}>
        Laid by
        <Choice
          value={place.datum}
          label="Datum"
          onChange={(value) => set('datum', { datum: value as typeof place.datum })}
          options={[...datums.map(([id, words]) => ({ value: id, label: words }))]}
        />
      </label>
      {place.datum === 'point' && (
        <>
          <NumberField
            label="Point, X as drawn"
            value={place.point[0]}
            unit="mm"
            low={-1e6}
            high={1e6}
            save={(v) => set('datum', { point: [v, place.point[1]] })}
          />
          <NumberField
            label="Point, Y as drawn"
            value={place.point[1]}
            unit="mm"
            low={-1e6}
            high={1e6}
            save={(v) => set('datum', { point: [place.point[0], v] })}
          />
        </>
      )}
      <div className={desk.row}>
        <NumberField label="at X" value={place.at[0]} unit="mm" low={-20_000} high={20_000} save={(v) => set('place', { at: [v, place.at[1]] })} width={64} />
        <NumberField label="Y" value={place.at[1]} unit="mm" low={-20_000} high={20_000} save={(v) => set('place', { at: [place.at[0], v] })} width={64} />
      </div>
      <div className={desk.row}>
        <NumberField label="Turned by" value={place.turn} unit="°" low={-360} high={360} save={(v) => set('turn', { turn: v })} />
        <Button onClick={() => set('turn', { turn: (place.turn + 90) % 360 })} size="small">
          90° on
        </Button>
      </div>
      <Checkbox checked={place.mirror} onChange={(e) => set('side', { mirror: e.target.checked })}>
        Cut from the back: left and right exchanged
      </Checkbox>
      <fieldset className={desk.boxed}>
        <legend>Sheet</legend>
        {stock === null ? (
          <Button onClick={() => save('the sheet', sheetFor(view, receiver.bed, place))}>Choose a sheet</Button>
        ) : (
          <SheetFields stock={stock} set={setStock} none={() => save('the sheet', { stock: null })} />
        )}
      </fieldset>
      {box && <Fit box={box} stock={stock} bed={receiver.bed} name={receiver.name} />}
      {state.finding && (
        <p role="status">
          <MarkShape mark={state.mark} size={12} /> {state.finding.message} {state.finding.remedy}
        </p>
      )}
    </>
  );
}

type Sheet = NonNullable<DrawingRecipe['stock']>;

/** What the sheet is made of, how large it is, and where its zero lies. */
function SheetFields({ stock, set, none }: { stock: Sheet; set: (change: Partial<Sheet>) => void; none: () => void }) {
  return (
    <>
      <label className={desk.row}>
        Material
        <Input
          className={widths.w150}
          defaultValue={stock.material}
          maxLength={60}
          placeholder="birch ply"
          onBlur={(e) => e.target.value !== stock.material && set({ material: e.target.value })}
          size="small"
        />
      </label>
      <NumberField label="Width X" value={stock.width} unit="mm" low={1} high={20_000} save={(v) => set({ width: v })} />
      <NumberField label="Height Y" value={stock.height} unit="mm" low={1} high={20_000} save={(v) => set({ height: v })} />
      <NumberField label="Thickness Z" value={stock.thickness} unit="mm" low={0.01} high={500} save={(v) => set({ thickness: v })} />
      <label className={desk.row}>
        Z 0 lies
        <Choice
          value={stock.zZero}
          onChange={(value) => set({ zZero: value as 'top' | 'bed' })}
          options={[
            { value: 'top', label: 'on top of the sheet' },
            { value: 'bed', label: 'on the bed' },
          ]}
        />
      </label>
      <Button onClick={none} size="small">
        No sheet
      </Button>
    </>
  );
}

const rim = 10;

/** A sheet that holds the drawing with a rim, in whole centimetres, and the drawing laid inside the rim. */
function sheetFor(view: FlatView | null, bed: readonly number[], place: DrawingRecipe['place']): Partial<DrawingRecipe> {
  const [w, h] = view ? [view.box[2] - view.box[0], view.box[3] - view.box[1]] : [bed[0], bed[1]];
  const side = (v: number, most: number) => Math.min(most, Math.ceil((v + 2 * rim) / 10) * 10);
  const stock = { width: side(w, bed[0]), height: side(h, bed[1]), thickness: Math.min(3, bed[2]), material: '', zZero: 'top' as const };
  const at: [number, number] = place.datum === 'corner' ? [rim, rim] : place.datum === 'middle' ? [stock.width / 2, stock.height / 2] : place.at;
  return { stock, place: { ...place, at } };
}

/** What is left over on each side of the sheet, with figures. */
function Fit({ box, stock, bed, name }: { box: [number, number, number, number]; stock: DrawingRecipe['stock']; bed: readonly number[]; name: string }) {
  const [w, h] = stock ? [stock.width, stock.height] : [bed[0], bed[1]];
  const rows: [string, number][] = [
    ['left', box[0]],
    ['right', w - box[2]],
    ['below', box[1]],
    ['above', h - box[3]],
  ];
  const bad = rows.filter(([, v]) => v < -1e-6);
  return (
    <div role="status">
      <p>
        <MarkShape mark={bad.length === 0 ? 'clear' : 'look'} size={12} /> The drawing takes{' '}
        <span className="figure">
          <Len mm={[box[2] - box[0], box[3] - box[1]]} />
        </span>
        {bad.length === 0
          ? ` and lies on ${stock ? 'the sheet' : `the bed of ${name}`}.`
          : ` and reaches beyond ${stock ? 'the sheet' : `the bed of ${name}`}.`}
      </p>
      <p className="context">
        Left over:{' '}
        {rows.map(([side, v], i) => (
          <span key={side} className={v < -1e-6 ? 'c-stop' : undefined}>
            {i > 0 && ', '}
            {side}{' '}
            <span className="figure">
              <Len mm={v} />
            </span>
          </span>
        ))}
      </p>
    </div>
  );
}
