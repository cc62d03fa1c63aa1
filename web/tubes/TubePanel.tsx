'use client';
import { Button, Checkbox, Input, Table, Upload } from 'antd';
import Link from 'next/link';
import { useState } from 'react';
import type { TubeFormat } from 'tall-kite/bender/files';
import { shownLength } from 'tall-kite/base/lengths';
import { readBendRules, usualBender, type BenderRules } from 'tall-kite/bender/rules';
import { densityOf } from 'tall-kite/materials/materials';
import { dieLimits } from 'tall-kite/receivers/fields';
import type { BenderReceiver } from 'tall-kite/receivers/receivers';
import type { TubeView } from 'tall-kite/bender/view';
import { Files } from '@/join/Files.tsx';
import { MarkShape } from '@/marks/Mark.tsx';
import { Choice, Fold } from '@/shell/controls.tsx';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { Trouble } from '@/shell/Trouble.tsx';
import { Len, useLengths } from '@/shell/unit.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { SaveRules } from '@/stores/BenderFields.tsx';
import { MaterialInput } from '@/stores/MaterialInput.tsx';
import { useMaterials } from '@/stores/useMaterials.ts';
import { receiverLabel } from '@/stores/useReceivers.ts';
import type { TubeTools } from './useTubes.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';

interface Props {
  tubes: TubeTools;
  tube: TubeView | null;
  tools: JobTools;
  bend: number | null;
  choose: (bend: number | null) => void;
}

/** The table of a tube with what the machine is set to beside it, what was proved, the machine, and the files. */
export function TubePanel({ tubes, tube, tools, bend, choose }: Props) {
  return (
    <aside className={desk.panel} data-test="panel" aria-label="Bend table, machine and files" tabIndex={0}>
      {tube && <TubeTable tube={tube} bend={bend} choose={choose} />}
      {tube && <Proof tube={tube} />}
      <Machine tubes={tubes} />
      <Write tubes={tubes} tools={tools} />
      <Files operations={tools.job!.operations.filter((o) => o.kind === 'tube-files')} tools={tools} />
    </aside>
  );
}

const degrees = (v: number | null) => (v === null ? '–' : `${Number(v.toFixed(2))}°`);

function TubeTable({ tube, bend, choose }: { tube: TubeView; bend: number | null; choose: Props['choose'] }) {
  const { unit } = useLengths();
  const length = (mm: number) => shownLength(mm, unit);
  const { rows, lastLength } = tube.table;
  return (
    <>
      <h2>
        {tube.mark}, {tube.name}
      </h2>
      <Table<TubeView['table']['rows'][number]>
        size="small"
        className={desk.fitted}
        data-test="bend-table"
        rowKey="order"
        dataSource={rows}
        pagination={false}
        onRow={(r) => ({ 'aria-selected': rows.indexOf(r) === bend, onClick: () => choose(rows.indexOf(r) === bend ? null : rows.indexOf(r)) })}
        columns={[
          { title: 'bend', rowScope: 'row', render: (_, r) => r.order },
          { title: `length, ${unit}`, align: 'right', render: (_, r) => length(r.length) },
          { title: 'turn', align: 'right', render: (_, r) => degrees(r.rotation) },
          { title: 'angle', align: 'right', render: (_, r) => degrees(r.angle) },
          { title: `radius, ${unit}`, align: 'right', render: (_, r) => (r.radius > 0 ? length(r.radius) : 'mitre') },
          {
            title: <span title="What the machine bends by, so that the tube springs back to the angle">set to</span>,
            align: 'right',
            render: (_, r) => degrees(tube.set.bends[rows.indexOf(r)].angle),
          },
        ]}
        summary={() => (
          <Table.Summary.Row>
            <Table.Summary.Cell index={0}>end</Table.Summary.Cell>
            <Table.Summary.Cell index={1} align="right">
              {length(lastLength)}
            </Table.Summary.Cell>
            <Table.Summary.Cell index={2} colSpan={4} />
          </Table.Summary.Row>
        )}
      />
      <dl>
        <dt>developed</dt>
        <dd>
          <Len mm={tube.developed} />
        </dd>
        <dt>cut, with allowances</dt>
        <dd>
          <Len mm={tube.set.cut} />
        </dd>
        <dt>weight each</dt>
        <dd>{tube.weight.toFixed(3)} kg</dd>
        {tube.ends.map((e, i) => (
          <End key={i} name={'AB'[i]} end={e} />
        ))}
      </dl>
      {tube.facets.length > 0 && <p className="context">Its bends came as {tube.facets.join(', ')} facets; arcs were taken for them.</p>}
    </>
  );
}

function End({ name, end }: { name: string; end: TubeView['ends'][number] }) {
  const { len: length } = useLengths();
  const says = end.on !== undefined ? `on ${length(end.on)} at ${degrees(end.angle!)}${end.offset! > 0.005 ? `, ${length(end.offset!)} beside` : ''}` : end.kind === 'mitre' ? `slanting ${degrees(end.slant)}` : end.kind === 'cope' ? 'hollowed' : 'square'; // prettier-ignore
  return (
    <>
      <dt>end {name}</dt>
      <dd>{says}</dd>
    </>
  );
}

function Proof({ tube }: { tube: TubeView }) {
  const agree = tube.claims.filter((c) => c.verdict === 'clear').length;
  return (
    <Fold
      open={tube.verdict === 'stop'}
      title={
        <>
          <MarkShape mark={tube.verdict} size={12} /> Bent from the table alone: {agree} of {tube.claims.length} claims agree
        </>
      }
      data-test="tube-proof"
    >
      <dl>
        {tube.claims.map((c) => (
          <ClaimRow key={c.quantity} claim={c} />
        ))}
      </dl>
      {tube.findings.map((f, i) => (
        <p key={i}>
          <MarkShape mark={f.severity} size={12} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
    </Fold>
  );
}

/** A figure of a claim; what is only rounding is not written out. */
const shown = (v: number | string, unit: string) => {
  if (typeof v !== 'number') return v;
  return unit === 'mm' && v > 0 && v < 1e-4 ? 'under 0.0001' : String(Number(v.toFixed(4)));
};

function ClaimRow({ claim: c }: { claim: TubeView['claims'][number] }) {
  return (
    <>
      <dt>
        <MarkShape mark={c.verdict} size={10} /> {c.quantity}
      </dt>
      <dd>
        <span className="nowrap">
          {shown(c.received, c.unit)} {c.unit}
        </span>
      </dd>
    </>
  );
}

/** The machine, of the stores or typed for this job, and what is particular to this work. */
function Machine({ tubes }: { tubes: TubeTools }) {
  const { bender, setBender, benders, chosen } = tubes;
  const materials = useMaterials();
  const material = (text: string) => setBender({ material: text, density: densityOf(text, materials) ?? usualBender.density });
  const options = [...benders.map((b) => ({ value: b.id, label: receiverLabel(b) })), { value: '', label: 'typed here' }];
  const allowance = (k: 0 | 1) => (
    <LengthInput
      bare={k === 0}
      width={70}
      label={`Left on at end ${'AB'[k]}`}
      value={String(bender.allowances[k])}
      onChange={(v) => v !== '' && Number(v) >= 0 && setBender({ allowances: bender.allowances.map((a, i) => (i === k ? Number(v) : a)) as [number, number] })}
    />
  );
  return (
    <Fold title="The bender" data-test="bender">
      <div className={desk.row}>
        machine <Choice label="Machine" value={chosen?.id ?? ''} options={options} onChange={tubes.setMachine} />
      </div>
      {chosen ? <OfTheStores machine={chosen} /> : <TypedHere tubes={tubes} />}
      <Checkbox checked={tubes.toDie && bender.dies.length > 0} disabled={bender.dies.length === 0} onChange={(e) => tubes.setToDie(e.target.checked)}>
        take the nearest die; corners stay
      </Checkbox>
      <label className={desk.row} title="Tubes along free curves are fitted by straights and arcs within this; empty: they are left out and told">
        fit free curves within{' '}
        <LengthInput value={tubes.fit === null ? '' : String(tubes.fit)} onChange={(v) => (v === '' ? tubes.setFit(null) : Number(v) >= 0.001 && tubes.setFit(Number(v)))} placeholder="not" />
      </label>
      <label className={desk.row}>
        material
        <MaterialInput width={170} label="Material" value={bender.material} onChange={material} />
      </label>
      <p className="context" data-test="tube-density">weighed at {bender.density} g/cm³</p>
      <div className={desk.row} title="Tube that the machine holds it by, cut off afterwards; it is in the cut length">
        left on at A, at B <span className="nowrap">{allowance(0)} {allowance(1)}</span>
      </div>
      <div className={desk.buttons}>
        <Button size="small" type="primary" disabled={!tubes.changed} onClick={() => void tubes.look()}>
          Use it
        </Button>
      </div>
    </Fold>
  ); // prettier-ignore
}

const diesText = (dies: readonly number[]) => (dies.length === 0 ? 'any radius' : `${dies.join(', ')} mm`);
const rulesText = (rules: BenderRules['rules']) =>
  rules.length === 0
    ? 'No rules: what the machine is set to is left open.'
    : `${rules.length} ${rules.length === 1 ? 'rule' : 'rules'}: springback and elongation by material and die.`;

/** What a machine of the stores can do. */
function OfTheStores({ machine: { bender, name } }: { machine: BenderReceiver }) {
  return (
    <>
      <dl>
        <dt>least straight in the clamp</dt>
        <dd>
          <Len mm={bender.clamp} />
        </dd>
        <dt>longest tube</dt>
        <dd>
          <Len mm={bender.longest} />
        </dd>
        <dt>dies</dt>
        <dd>{diesText(bender.dies)}</dd>
        {bender.leastRadius > 0 && (
          <>
            <dt>least radius</dt>
            <dd>{bender.leastRadius} × outside size</dd>
          </>
        )}
      </dl>
      <p className="context">
        {rulesText(bender.rules)}{' '}
        <Link className={frame.plain} href="/receivers">
          Change what {name} can do
        </Link>
      </p>
    </>
  );
}

/** A machine for this job alone: sizes, dies, and the rules of the shop. */
function TypedHere({ tubes: { bender, setBender } }: { tubes: TubeTools }) {
  const [dies, setDies] = useState<string | null>(null);
  const [bad, setBad] = useState<{ message: string; remedy: string } | null>(null);
  const takeDies = (text: string) => {
    setDies(text);
    const values = text.split(/[;\s]+/).filter(Boolean).map((v) => Number(v.replace(',', '.'))); // prettier-ignore
    if (values.every((v) => v >= dieLimits[0] && v <= dieLimits[1])) setBender({ dies: [...new Set(values)] });
  };
  const take = async (file: File) => {
    try {
      setBender({ rules: readBendRules(await file.text()) });
      setBad(null);
    } catch (thrown) {
      const { message, remedy } = thrown as { message: string; remedy?: string };
      setBad({ message, remedy: remedy ?? 'Check the file.' });
    }
  };
  const length = (mm: number, key: 'clamp' | 'longest') => (
    <LengthInput value={String(mm)} onChange={(v) => Number(v) >= 0 && v !== '' && setBender({ [key]: Number(v) })} />
  );
  return (
    <>
      <label className={desk.row}>least straight in the clamp {length(bender.clamp, 'clamp')}</label>
      <label className={desk.row}>longest tube {length(bender.longest, 'longest')}</label>
      <label className={desk.row}>
        dies, mm
        <Input size="small" className={widths.w170} placeholder="any radius" value={dies ?? bender.dies.join(' ')} onChange={(e) => takeDies(e.target.value)} />
      </label>
      <p className="context">{rulesText(bender.rules)}</p>
      {bad && <Trouble {...bad} close={() => setBad(null)} />}
      <div className={desk.buttons}>
        <Upload accept=".csv" showUploadList={false} beforeUpload={(file) => (void take(file), false)}>
          <Button size="small" data-test="rules-in">Rules from CSV</Button>
        </Upload>
        {bender.rules.length > 0 && <SaveRules rules={bender.rules} />}
      </div>
    </>
  ); // prettier-ignore
}

const formats: readonly { value: TubeFormat; label: string }[] = [
  { value: 'step', label: 'STEP' },
  { value: 'pdf', label: 'PDF' },
  { value: 'svg', label: 'SVG' },
  { value: 'dxf', label: 'DXF' },
];

function Write({ tubes, tools }: { tubes: TubeTools; tools: JobTools }) {
  const [chosen, setChosen] = useState<TubeFormat[]>(['step', 'pdf']);
  const [quantity, setQuantity] = useState(false);
  const write = () =>
    void tools.operate({
      kind: 'tube-files',
      parts: tubes.operation!.parts,
      ...tubes.wish,
      formats: chosen,
      quantity,
      name: tools.job!.name.slice(0, 100),
    });
  return (
    <>
      <h2>Files</h2>
      <Checkbox.Group value={chosen} onChange={(v) => setChosen(v)} options={[...formats]} />
      <Checkbox checked={quantity} onChange={(e) => setQuantity(e.target.checked)}>
        quantity in the names
      </Checkbox>
      <Button type="primary" disabled={(tubes.tubes ?? []).length === 0 || tubes.changed} onClick={write} data-test="write-tubes">
        Write the tubes, and read them back
      </Button>
      <p className="context">
        For each mark its bend table and points; as STEP the solid built anew, as PDF, SVG and DXF templates of its ends, as PDF and SVG its sheet.
      </p>
    </>
  );
}
