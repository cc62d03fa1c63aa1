'use client';
import { Button, Checkbox, Input } from 'antd';
import { Choice, Fold } from '@/shell/controls.tsx';
import Link from 'next/link';
import { useEffect, useMemo, useState, type ReactNode, type RefObject } from 'react';
import type { OperationReport } from 'tall-kite/operations/report';
import { usualFlatten, type FlattenChoice } from 'tall-kite/sheet/pattern';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { View } from 'tall-kite/view/view';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { JobTools } from '@/shell/useJob.ts';
import { useOnward } from '@/shell/useOnward.ts';
import { faceOf } from '@/flat-table/draw.ts';
import { DrawnPreview } from '@/flat-table/DrawPanel.tsx';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import type { Scene } from '@/light-table/Scene.ts';
import type { Picking } from '@/light-table/Table.tsx';
import { BendTable, FeatureList, FlatFacts } from './BendTable.tsx';
import { usePress, useReliefs } from './ReliefRows.tsx';
import { MaterialInput } from '@/stores/MaterialInput.tsx';
import { useMaterials } from '@/stores/useMaterials.ts';
import { RipRows } from './RipRows.tsx';
import { flatMaterial, knownOf, shareFits, shareTyped, typedFlatten, type Typed } from './flatten.ts';
import { FoldSlider } from './FoldSlider.tsx';
import { useBendRule } from './useBendRule.tsx';
import { useFold, type FoldedView } from './useFold.ts';
import { LengthInput } from '@/shell/LengthInput.tsx';
import desk from '@/shell/desk.module.css';

interface Props {
  part: PartView;
  tools: JobTools;
  shape: View | null;
  setPicking: (p: Picking) => void;
  setFolded: (view: FoldedView | null) => void;
  scene: RefObject<Scene | null>;
}

/** A folded sheet part unfolded: the choice, then the proposal that folds up and down over the design before it is kept. */
export function FlattenPanel(props: Props) {
  const operation = newest(props.tools.job?.operations ?? [], props.part.id, ['flatten']);
  // What came of it stands at the top of the panel, wherever the button was.
  const id = operation?.id ?? null;
  const state = operation?.state ?? null;
  useEffect(() => {
    if (id) document.querySelector('[data-test=panel]')?.scrollTo({ top: 0 });
  }, [id, state]);
  if (operation && (atWork(operation) || operation.state === 'ready')) return <FlatProposal {...props} />;
  return <FlattenChoices {...props} />;
}

function FlattenChoices({ part, tools, shape, setPicking }: Props) {
  const made = part.strands.find((s) => s.way === 'fold')?.made;
  const operation = newest(tools.job?.operations ?? [], part.id, ['flatten']);
  const [typed, setTyped] = useState<Typed>({ tool: '', tolerance: null, density: '' });
  // What the stores know of a material is taken with it: its bend table, its weight, and by how much its walls may differ.
  const [material, setMaterial] = useState(part.material);
  const materials = useMaterials();
  const known = knownOf(materials, material, part.thickness);
  const { rule, stored, fields } = useBendRule(known.bends);
  const of = flatMaterial(material, stored?.table.material, materials);
  const [choice, setChoice] = useState<FlattenChoice>(usualFlatten);
  const reliefs = useReliefs();
  const press = usePress();
  const set = (change: Partial<FlattenChoice>) => setChoice({ ...choice, ...change });
  const numbers = typedFlatten(typed, { tolerance: known.tolerance, density: of.density });
  const asked = numbers &&
    rule &&
    reliefs.choice &&
    press.choice && { ...choice, ...press.choice, ...numbers, reliefs: reliefs.choice, rule, material: of.material };
  const pick = () =>
    setPicking({
      prompt: 'Pick the wall that stays where it is.',
      take: (p) => {
        setPicking(null);
        const face = shape ? faceOf(shape, p.triangle) : -1;
        if (face >= 0) setChoice((old) => ({ ...old, face, up: 'face' }));
      },
    });
  return (
    <section aria-label="Unfold" data-test="flatten">
      <h2>Unfold</h2>
      {made && (
        <p>
          <MarkShape mark="clear" size={12} /> Its flat pattern is <Link href={made.id}>{made.name}</Link>. Unfold it again for another one.
        </p>
      )}
      <div className={desk.choices}>
        {operation && <Failed operation={operation} tools={tools} />}
        <label className={desk.row}>
          Material
          <MaterialInput width={150} label="Material" value={material} placeholder={stored?.table.material ?? ''} onChange={setMaterial} />
        </label>
        {known.doubt && (
          <p data-test="thickness-doubt">
            <MarkShape mark="look" size={11} /> {known.doubt.message}
          </p>
        )}
        {fields}
        <FixedWall part={part} face={choice.face} pick={pick} largest={() => set({ face: null, up: 'bends-up' })} />
        {part.summary.kind === 'solid' && (
          <RipRows rips={choice.rips} set={(change) => setChoice((old) => ({ ...old, rips: change(old.rips) }))} shape={shape} setPicking={setPicking} />
        )}
        <UpSide choice={choice} set={set} />
        <More {...{ choice, set, typed }} type={(change) => setTyped({ ...typed, ...change })} usual={{ tolerance: known.tolerance, density: of.density }}>
          {reliefs.rows}
          {press.rows}
        </More>
        <Button disabled={!asked} onClick={() => void (asked && tools.operate({ kind: 'flatten', part: part.id, choice: asked }))}>
          Unfold it
        </Button>
        <p className="context">The flat comes as a drawing beside this part, folded again to prove it.</p>
      </div>
    </section>
  );
}

type MoreProps = Chosen & {
  typed: Typed;
  type: (change: Partial<Typed>) => void;
  usual: { tolerance: string; density: number | null };
  children: ReactNode;
};

/** What is seldom changed. */
function More({ choice, set, typed, type, usual, children }: MoreProps) {
  const tolerance = typed.tolerance ?? usual.tolerance;
  return (
    <Fold title="More">
      <div className={desk.choices}>
        <TypedRow label="Tool radius instead">
          <LengthInput label="Tool radius" placeholder="as drawn" value={typed.tool} onChange={(tool) => type({ tool })} />
        </TypedRow>
        <TypedRow label="Walls may differ by" unit="%">
          <Input
            aria-label="Thickness tolerance, % of the thickness"
            inputMode="decimal"
            value={tolerance}
            aria-invalid={!shareFits(shareTyped(tolerance))}
            onChange={(e) => type({ tolerance: e.target.value })}
            className="num"
            size="small"
          />
        </TypedRow>
        <PatternFields choice={choice} set={set} />
        <TypedRow label="Density, for the weight" unit="g/cm³">
          <Input
            aria-label="Density, g/cm³"
            inputMode="decimal"
            value={typed.density}
            placeholder={usual.density === null ? '' : String(usual.density)}
            onChange={(e) => type({ density: e.target.value })}
            className="num"
            size="small"
          />
        </TypedRow>
        {children}
        <Checkbox checked={choice.zoneEdges} onChange={(e) => set({ zoneEdges: e.target.checked })}>
          Edges of bend zones drawn
        </Checkbox>
      </div>
    </Fold>
  );
}

/** A field with its name and its unit. */
function TypedRow({ label, unit, children }: { label: string; unit?: string; children: ReactNode }) {
  return (
    <label className={desk.row}>
      {label}
      <span>
        {children} {unit && <span className="figure">{unit}</span>}
      </span>
    </label>
  );
}

type Chosen = { choice: FlattenChoice; set: (change: Partial<FlattenChoice>) => void };

/** The wall that stays where it is. */
function FixedWall({ part, face, pick, largest }: { part: PartView; face: number | null; pick: () => void; largest: () => void }) {
  return (
    <div className={desk.row}>
      <span>Fixed wall</span>
      <span>
        <span className="figure">{face === null ? 'the largest' : `face ${face + 1}`}</span>{' '}
        {part.summary.kind === 'solid' && (
          <Button onClick={face === null ? pick : largest} size="small">
            {face === null ? 'Pick it' : 'Largest'}
          </Button>
        )}
      </span>
    </div>
  );
}

function UpSide({ choice, set }: Chosen) {
  return (
    <label className={desk.row}>
      Up on the machine
      <Choice
        value={choice.up}
        label="Up on the machine"
        onChange={(value) => set({ up: value as FlattenChoice['up'] })}
        options={[
          { value: 'bends-up', label: 'where most bends rise' },
          { value: 'face', label: 'the side that I picked', disabled: choice.face === null },
          { value: 'back', label: 'the side behind it', disabled: choice.face === null },
        ]}
      />
    </label>
  );
}

/** What the pattern shows, and how it lies in the sheet. */
function PatternFields({ choice, set }: Chosen) {
  return (
    <>
      <label className={desk.row}>
        Formed features leave
        <Choice
          value={choice.leaves}
          onChange={(value) => set({ leaves: value as FlattenChoice['leaves'] })}
          options={[
            { value: 'centre', label: 'a mark at the centre' },
            { value: 'outline', label: 'their outline' },
            { value: 'nothing', label: 'nothing' },
          ]}
        />
      </label>
      <label className={desk.row}>
        Countersinks
        <Choice
          value={choice.countersinks}
          onChange={(value) => set({ countersinks: value as FlattenChoice['countersinks'] })}
          options={[
            { value: 'through', label: 'what goes through' },
            { value: 'cut-side', label: 'as on the side up' },
          ]}
        />
      </label>
      <label className={desk.row}>
        Longest bend to the grain
        <Choice
          value={choice.grain}
          onChange={(value) => set({ grain: value as FlattenChoice['grain'] })}
          options={[
            { value: 'any', label: 'does not matter' },
            { value: 'across', label: 'across' },
            { value: 'along', label: 'along' },
          ]}
        />
      </label>
    </>
  );
}

/** Where on the part the feature that is shown is, in the part's own numbers. */
function marksOf(flat: NonNullable<OperationReport['flat']> | null, shown: number | null, scale: number): [number, number, number][] {
  const place = flat && shown !== null ? flat.places[shown] : undefined;
  return place ? [place.map((v) => v / scale) as [number, number, number]] : [];
}

/** The flat that is proposed: it folds up and down over the design. */
function FlatProposal({ part, tools, setFolded, scene }: Props) {
  const operation = newest(tools.job?.operations ?? [], part.id, ['flatten'])!;
  const flat = operation.report?.flat ?? null;
  const keep = useOnward(tools);
  const [share, setShare] = useState(1);
  const [shown, setShown] = useState<number | null>(null);
  const scale = scaleOf(part.summary, part.recipe);
  const path = operation.state === 'ready' && flat ? `/api/operations/${operation.id}/shape?what=view&n=0` : null;
  const { view, failed } = useFold(path, share, scale);
  useEffect(() => setFolded(view), [view, setFolded]);
  useEffect(() => () => setFolded(null), [setFolded]);
  const marks = useMemo(() => marksOf(flat, shown, scale), [flat, shown, scale]);
  useEffect(() => {
    const stage = scene.current;
    stage?.setMarks(marks);
    return () => stage?.setMarks([]);
  }, [marks, scene]);
  if (atWork(operation)) return <AtWork operation={operation} tools={tools} />;
  return (
    <section className={desk.proposal} aria-label="Proposal" data-test="flatproposal">
      <h2>Flat pattern, nothing changed yet</h2>
      {flat && (
        <>
          <FlatFacts flat={flat} />
          {!flat.flatAlready && <FoldSlider share={share} set={setShare} ready={view !== null} />}
        </>
      )}
      {failed && <p className="c-look">The folded view could not be drawn: {failed}</p>}
      <DrawnPreview part={part} tools={tools} kinds={['flatten']} />
      {flat && (
        <>
          <BendTable flat={flat} />
          <FeatureList flat={flat} show={(n) => setShown(shown === n ? null : n)} shown={shown} />
        </>
      )}
      {operation.report!.said.length > 0 && (
        <ul>
          {operation.report!.said.map((s, i) => (
            <li key={i}>{s}</li>
          ))}
        </ul>
      )}
      {operation.stale && <p className="c-look">The part changed after this was computed. Ask for it again.</p>}
      <div className={desk.buttons}>
        <Button disabled={operation.stale} onClick={() => void keep(operation.id)} type="primary">
          Keep it
        </Button>
        <Button onClick={() => void tools.drop(operation.id)}>Drop it</Button>
      </div>
    </section>
  );
}
