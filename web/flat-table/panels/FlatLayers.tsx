'use client';
import { Button, Checkbox, Input } from 'antd';
import { Choice, Fold, Ink } from '@/shell/controls.tsx';
import { useEffect, useState } from 'react';
import type { Meaning } from 'tall-kite/curves/drawing';
import { lengthText } from 'tall-kite/base/figures';
import { lookOf } from 'tall-kite/receivers/looks';
import { meanings, type DrawingRecipe, type LayerLook } from 'tall-kite/model/drawing-recipe';
import { MarkShape } from '@/marks/Mark.tsx';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { PanelProps } from '@/light-table/panels/panel.ts';
import type { FlatLine, FlatView } from '@/workers/flat.ts';
import { patterns } from '../FlatStage.ts';
import type { Overlay } from '../FlatTable.tsx';
import { withDrawing } from '../useFlat.ts';
import { NumberField } from './NumberField.tsx';
import { meaningWords as words } from './meaning-words.ts';
import { saveDrawing } from './recipe.ts';
import { Len } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';
import style from '@/flat-table/flat.module.css';

/** What each contour is for, and what the tool takes: layers by meaning, kerf, tabs, reliefs. */
export function FlatLayers(
  props: PanelProps & {
    view: FlatView | null;
    chosen: number | null;
    hidden: ReadonlySet<Meaning>;
    setHidden: (h: ReadonlySet<Meaning>) => void;
    setOverlay: (o: Overlay) => void;
  },
) {
  const { part, view, chosen, hidden, setHidden } = props;
  const how = part.recipe.drawing!;
  const cutter = part.recipe.receiver.cutter!;
  const save = (what: string, change: Partial<DrawingRecipe>) => saveDrawing(props, what, change);
  const lines = view?.lines ?? [];
  const present = meanings.filter((m) => lines.some((l) => l.meaning === m));
  const line = chosen === null ? null : (lines.find((l) => l.number === chosen) ?? null);
  const flip = (m: Meaning) => {
    const next = new Set(hidden);
    if (!next.delete(m)) next.add(m);
    setHidden(next);
  };
  return (
    <>
      <h2>Layers by meaning</h2>
      <ul className={style.meanings} data-test="meanings" aria-label="Layers in the file">
        {present.map((m) => (
          <LookRow
            key={m}
            meaning={m}
            count={lines.filter((l) => l.meaning === m).length}
            look={lookOf(m, how, cutter)}
            hidden={hidden.has(m)}
            flip={() => flip(m)}
            save={(look) => save(`layer ${m}`, { looks: { ...how.looks, [m]: look } })}
          />
        ))}
      </ul>
      {line && <OneContour line={line} how={how} save={save} />}
      {!line && <p className="context">Click a contour on the sheet to see why it has its meaning, or to change it.</p>}
      <Rules part={part} lines={lines} save={save} />
      <h3>What the tool takes</h3>
      <Kerf part={part} save={save} />
      <Tabs how={how} save={save} />
      <Reach {...props} save={save} />
      {view?.findings.map((f, i) => (
        <p key={i}>
          <MarkShape mark={f.severity} size={11} /> {f.message}
        </p>
      ))}
    </>
  );
}

type Save = (what: string, change: Partial<DrawingRecipe>) => void;

/** The contour that was clicked: what it is for and why. */
function OneContour({ line, how, save }: { line: FlatLine; how: DrawingRecipe; save: Save }) {
  return (
    <p className={desk.boxed} role="status">
      Contour <span className="figure">{line.number + 1}</span>: {words[line.meaning]}, since {line.why}
      {line.closed && (
        <>
          ; <span className="figure">{lengthText(line.area)} mm²</span>
        </>
      )}
      .{' '}
      <Choice
        value={line.meaning}
        label="Meaning of this contour"
        onChange={(value) => save('meaning of a contour', { byContour: { ...how.byContour, [String(line.number)]: value as Meaning } })}
        options={[...meanings.map((m) => ({ value: m, label: words[m] }))]}
      />
    </p>
  );
}

/** What layers and colours mean, and from which size on. */
function Rules({ part, lines, save }: { part: PartView; lines: readonly FlatLine[]; save: Save }) {
  const how = part.recipe.drawing!;
  const sources = part.summary.drawing!.layers.filter((l) => l.contours > 0);
  const colours = [...new Set(lines.map((l) => l.colour).filter((c) => c !== null))];
  return (
    <Fold title="Rules">
      <div className={desk.choices}>
        {sources.slice(0, 12).map((l) => (
          <MeaningRule
            key={l.name}
            name={`layer ${l.name}`}
            count={l.contours}
            value={how.byLayer[l.name]}
            save={(m) => save(`layer ${l.name}`, { byLayer: withRule(how.byLayer, l.name, m) })}
          />
        ))}
        {colours.length > 1 &&
          colours
            .slice(0, 12)
            .map((c) => (
              <MeaningRule
                key={c}
                name={`colour ${c}`}
                swatch={c}
                count={lines.filter((l) => l.colour === c).length}
                value={how.byColour[c]}
                save={(m) => save(`colour ${c}`, { byColour: withRule(how.byColour, c, m) })}
              />
            ))}
        <NumberField
          label="Circles inside are holes up to"
          value={how.holeMost}
          unit="mm"
          low={0}
          high={1000}
          save={(v) => save('hole size', { holeMost: v })}
        />
        <NumberField label="Small parts are under" value={how.smallArea} unit="mm²" low={0} high={1e6} save={(v) => save('small parts', { smallArea: v })} />
        {Object.keys(how.byContour).length > 0 && (
          <Button onClick={() => save('contours by hand', { byContour: {} })} size="small">
            Forget {Object.keys(how.byContour).length} set by hand
          </Button>
        )}
      </div>
    </Fold>
  );
}

/** How far contours move, beside what the machine takes away. */
function Kerf({ part, save }: { part: PartView; save: Save }) {
  const how = part.recipe.drawing!;
  const { receiver } = part.recipe;
  const cutter = receiver.cutter!;
  return (
    <>
      <NumberField label="Kerf" value={how.kerf} unit="mm" low={0} high={10} save={(v) => save('kerf', { kerf: v })} />
      <p className="context">
        {how.kerf > 0
          ? `Contours move by ${lengthText(how.kerf / 2)} mm to the waste side; the grey line is the part's edge.`
          : 'Contours are written on the line.'}{' '}
        {receiver.name} takes away <span className="figure">{cutter.kerf} mm</span>.{' '}
        {how.kerf !== cutter.kerf && cutter.kerf > 0 && (
          <Button onClick={() => save('kerf', { kerf: cutter.kerf })} size="small">
            Take {cutter.kerf} mm
          </Button>
        )}
      </p>
    </>
  );
}

function LookRow({
  meaning,
  count,
  look,
  hidden,
  flip,
  save,
}: {
  meaning: Meaning;
  count: number;
  look: LayerLook;
  hidden: boolean;
  flip: () => void;
  save: (look: LayerLook) => void;
}) {
  const [name, setName] = useState(look.name);
  useEffect(() => setName(look.name), [look.name]);
  return (
    <li>
      <b>
        {words[meaning]}
        <svg width="44" height="5" aria-hidden="true" className={style.pattern}>
          <path
            d="M0 2.5H44"
            stroke="var(--designed)"
            strokeWidth={meaning === 'cut' || meaning === 'small' ? 2 : 1.4}
            strokeDasharray={patterns[meaning]?.join(' ')}
          />
        </svg>
      </b>
      <span className="figure" title="contours">
        {count.toLocaleString('en')}
      </span>
      <Ink label={`Colour of ${words[meaning]}`} value={look.colour} onChange={(colour) => save({ ...look, colour })} />
      <Input
        aria-label={`Layer name of ${words[meaning]}`}
        value={name}
        maxLength={60}
        onChange={(e) => setName(e.target.value)}
        onBlur={() => name.trim() && name.trim() !== look.name && save({ ...look, name: name.trim() })}
        onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
        size="small"
      />
      <Choice
        value={look.lineType}
        label={`Line type of ${words[meaning]}`}
        onChange={(value) => save({ ...look, lineType: value as LayerLook['lineType'] })}
        options={[
          { value: 'CONTINUOUS', label: 'solid' },
          { value: 'DASHED', label: 'dashed' },
          { value: 'CENTER', label: 'long-short' },
          { value: 'DOT', label: 'dotted' },
        ]}
      />
      <Button aria-pressed={!hidden} title="Shown on the sheet or not" onClick={flip} size="small">
        {hidden ? 'off' : 'on'}
        <span className="visually-hidden">, {words[meaning]} on the sheet</span>
      </Button>
    </li>
  );
}

const withRule = (rules: Record<string, Meaning>, key: string, meaning: Meaning | null): Record<string, Meaning> => {
  const rest = Object.fromEntries(Object.entries(rules).filter(([k]) => k !== key));
  return meaning ? { ...rest, [key]: meaning } : rest;
};

/** What all contours of a layer or a colour are for; empty leaves it to the other rules. */
function MeaningRule({
  name,
  count,
  value,
  swatch,
  save,
}: {
  name: string;
  count: number;
  value: Meaning | undefined;
  swatch?: string;
  save: (m: Meaning | null) => void;
}) {
  return (
    <label className={desk.row}>
      <span className={style.cutoff} title={name}>
        {swatch && <span className={desk.swatch} style={{ background: swatch }} />} {name} <span className="context">({count})</span>
      </span>
      <Choice
        value={value ?? ''}
        label={`Meaning of ${name}`}
        onChange={(value) => save((value || null) as Meaning | null)}
        options={[{ value: '', label: 'by name, depth, size' }, ...meanings.map((m) => ({ value: m, label: words[m] }))]}
      />
    </label>
  );
}

function Tabs({ how, save }: { how: DrawingRecipe; save: (what: string, change: Partial<DrawingRecipe>) => void }) {
  const { tabs } = how;
  return (
    <div className={desk.choices}>
      <Checkbox checked={tabs !== null} onChange={(e) => save('tabs', { tabs: e.target.checked ? { count: 3, width: 2 } : null })}>
        Leave tabs at outer contours
      </Checkbox>
      {tabs && (
        <>
          <NumberField
            label="Tabs on each"
            value={tabs.count}
            unit=""
            low={1}
            high={50}
            save={(v) => save('tabs', { tabs: { ...tabs, count: Math.round(v) } })}
          />
          <NumberField label="Width of a tab" value={tabs.width} unit="mm" low={0.1} high={50} save={(v) => save('tabs', { tabs: { ...tabs, width: v } })} />
        </>
      )}
    </div>
  );
}

/** Where a round bit does not reach, shown in place; with reliefs on request. */
function Reach({ part, setOverlay, save }: PanelProps & { setOverlay: (o: Overlay) => void; save: (what: string, change: Partial<DrawingRecipe>) => void }) {
  const how = part.recipe.drawing!;
  const [bit, setBit] = useState(how.relief ?? 6);
  const [found, setFound] = useState<{ area: number; contours: number; smallest: number } | null>(null);
  const [busy, setBusy] = useState(false);
  const look = async () => {
    setBusy(true);
    try {
      const { points, starts, ...figures } = await withDrawing(part, (w) => w.flatReach(part.summary, part.recipe, bit));
      setFound(figures);
      setOverlay({ unreached: { points, starts } });
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className={desk.choices}>
      <NumberField label="A bit of" value={bit} unit="mm" low={0.1} high={50} save={setBit} />
      <div className={desk.buttons}>
        <Button disabled={busy} onClick={() => void look()} size="small">
          {busy ? 'Looking …' : 'Where does it not reach?'}
        </Button>
        <Button aria-pressed={how.relief !== null} onClick={() => save('corner reliefs', { relief: how.relief === null ? bit : null })} size="small">
          Reliefs in corners
        </Button>
      </div>
      {found && (
        <p role="status" data-test="reach">
          {found.contours === 0 ? (
            <>
              <MarkShape mark="clear" size={12} /> It reaches everywhere.
            </>
          ) : (
            <>
              <MarkShape mark="look" size={12} /> It leaves <span className="figure">{lengthText(found.area)} mm²</span> in {found.contours}{' '}
              {found.contours === 1 ? 'contour' : 'contours'}, shown filled;{' '}
              {found.smallest === 0 ? (
                'corners are sharp'
              ) : (
                <>
                  smallest inner radius{' '}
                  <span className="figure">
                    <Len mm={found.smallest} />
                  </span>
                </>
              )}
              .
            </>
          )}
        </p>
      )}
    </div>
  );
}
