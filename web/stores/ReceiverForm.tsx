'use client';
import { Alert, Button, Checkbox, ColorPicker, Drawer, Form, Input, InputNumber, Select, Space } from 'antd';
import { useState } from 'react';
import { lengthUnits } from 'tall-kite/base/readings';
import { usualLooks } from 'tall-kite/model/drawing-recipe';
import { dxfVersions } from 'tall-kite/model/dxf-version';
import { benderFormats, flatFormats, formatNames, takesOf, type Cutter, type FileFormat, type Receiver } from 'tall-kite/receivers/receivers';
import { benderRules, boardRules, commonRules, sheetRules, solidRules, type RuleField } from 'tall-kite/receivers/fields';
import { meaningWords as words } from '@/flat-table/panels/meaning-words.ts';
import type { Refused } from '@/shell/ask.ts';
import { BendRuleRows, DiesField } from './BenderFields.tsx';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';
import style from './stores.module.css';

/** What was typed as a number; thousands may be apart, the decimal sign may be a comma when there is but one. */
const numberOf = (text: string | undefined): number => {
  const plain = (text ?? '').trim();
  return Number(/^-?\d+,\d{1,2}$/.test(plain) ? plain.replace(',', '.') : plain.replaceAll(',', ''));
};

/** A number with its unit, its limits and what it means. */
function Rule({ field, path }: { field: RuleField; path: (string | number)[] }) {
  const { label, unit, about, least, most, whole } = field;
  const limits = `${label} from ${least.toLocaleString('en')} to ${most.toLocaleString('en')} ${unit}`.trim();
  return (
    <Form.Item
      name={path}
      label={label}
      tooltip={about}
      rules={[{ required: true, type: whole ? 'integer' : 'number', min: least, max: most, message: `${limits}.` }]}
    >
      <InputNumber
        className={`num ${widths.w200}`}
        suffix={unit}
        controls={false}
        formatter={(v) => (whole && v !== undefined ? Number(v).toLocaleString('en') : String(v ?? ''))}
        parser={numberOf}
      />
    </Form.Item>
  );
}

const rulesOf = (fields: readonly RuleField[], path: string[]) => fields.map((f) => <Rule key={f.key} field={f} path={[...path, f.key]} />);

/** Meanings that machines have layers of their own for. */
const named = ['cut', 'hole', 'pocket', 'engrave', 'score', 'bend-up', 'bend-down', 'mark'] as const;

type Looks = NonNullable<Cutter['looks']>;

/** What is shown of the layers: those of the machine, the others with the usual colour and no name. */
const looksShown = (looks: Looks = {}): Looks => Object.fromEntries(named.map((m) => [m, looks[m] ?? { ...usualLooks[m], name: '' }]));

/** The layers that got a name; undefined when there is none. */
function looksTyped(typed: Looks | undefined, before: Looks | undefined): Looks | undefined {
  const kept = Object.entries(before ?? {}).filter(([m]) => !(named as readonly string[]).includes(m));
  const own = Object.entries(typed ?? {}).filter(([, look]) => look?.name?.trim());
  return kept.length + own.length === 0 ? undefined : Object.fromEntries([...kept, ...own]);
}

/** What only machines that work on sheets have. */
function SheetRules() {
  const kinds: { value: Cutter['kind']; label: string }[] = [
    { value: 'laser', label: 'cuts through' },
    { value: 'router', label: 'mills, with pockets and passes' },
    { value: 'template', label: 'draws on paper' },
  ];
  return (
    <>
      <h3 className={style.ruled}>Sheets</h3>
      <Form.Item name={['cutter', 'kind']} label="How it works">
        <Select options={kinds} />
      </Form.Item>
      <Form.Item name={['cutter', 'versions']} label="DXF it reads" tooltip="Another version is refused.">
        <Select mode="multiple" options={dxfVersions.map((v) => ({ value: v, label: v }))} />
      </Form.Item>
      <Form.Item name={['cutter', 'curves']} valuePropName="checked" label="Curves" tooltip="Whether its software takes splines and ellipses.">
        <Checkbox>takes more than lines and arcs</Checkbox>
      </Form.Item>
      <Form.Item
        name={['cutter', 'readsUnit']}
        valuePropName="checked"
        label="Unit in DXF"
        tooltip="Whether it looks at $INSUNITS; if not, numbers are its own unit."
      >
        <Checkbox>is obeyed</Checkbox>
      </Form.Item>
      <Form.Item
        name={['cutter', 'perInch']}
        label="SVG per inch"
        tooltip="Numbers are taken at so many per inch, whatever width and height say; empty obeys them."
      >
        <InputNumber className="num" min={1} max={10_000} controls={false} />
      </Form.Item>
      {rulesOf(sheetRules, ['cutter'])}
      <h3 className={style.ruled}>Layers that it expects</h3>
      <p className="context">A name left empty is written as usual. Its software knows the layers by these names.</p>
      {named.map((m) => (
        <Form.Item key={m} label={words[m]}>
          <Space.Compact>
            <Form.Item name={['cutter', 'looks', m, 'name']} noStyle rules={[{ max: 60, message: 'A name of at most 60 letters.' }]}>
              <Input aria-label={`Layer for ${words[m]}`} placeholder={usualLooks[m].name} className={widths.w130} />
            </Form.Item>
            <Form.Item name={['cutter', 'looks', m, 'colour']} noStyle getValueFromEvent={(c: { toHexString(): string }) => c.toHexString()}>
              <ColorPicker disabledAlpha size="small" aria-label={`Colour for ${words[m]}`} />
            </Form.Item>
            <Form.Item name={['cutter', 'looks', m, 'lineType']} noStyle>
              <Select
                aria-label={`Line type for ${words[m]}`}
                className={widths.w110}
                options={['CONTINUOUS', 'DASHED', 'CENTER', 'DOT'].map((v) => ({ value: v, label: v.toLowerCase() }))}
              />
            </Form.Item>
          </Space.Compact>
        </Form.Item>
      ))}
    </>
  );
}

/** What machines have that make parts of solids or of sheet. */
function PartRules({ sheet }: { sheet: boolean }) {
  return (
    <>
      <Form.Item name="unit" label="Bare numbers are" tooltip="What it takes a number without a unit for.">
        <Select options={lengthUnits.map((u) => ({ value: u.id, label: u.name }))} />
      </Form.Item>
      <Form.Item label={sheet ? 'Sheet, X × Y × thickness' : 'Bed, X × Y × height'} required>
        <Space.Compact>
          {[0, 1, 2].map((k) => (
            <Form.Item
              key={k}
              name={['bed', k]}
              noStyle
              rules={[{ required: true, type: 'number', min: 0.1, max: 100_000, message: 'From 0.1 to 100,000 mm.' }]}
            >
              <InputNumber className="num" controls={false} suffix="mm" aria-label={`Bed ${'XYZ'[k]}`} />
            </Form.Item>
          ))}
        </Space.Compact>
      </Form.Item>
      {rulesOf(commonRules, [])}
      {!sheet && (
        <>
          <h3 className={style.ruled}>Solids</h3>
          <Form.Item name="up" label="Up" tooltip="Which axis its software takes for up in formats that do not say.">
            <Select options={['z', 'y'].map((v) => ({ value: v, label: v.toUpperCase() }))} />
          </Form.Item>
          {rulesOf(solidRules, [])}
        </>
      )}
      {sheet && <SheetRules />}
    </>
  );
}

/** What only board shops have. */
function BoardRules() {
  return (
    <>
      {rulesOf(
        commonRules.filter((f) => f.key === 'mostBytes'),
        [],
      )}
      <h3 className={style.ruled}>Boards</h3>
      <Form.Item label="Largest board" required>
        <Space.Compact>
          {[0, 1].map((k) => (
            <Form.Item
              key={k}
              name={['boardShop', 'largest', k]}
              noStyle
              rules={[{ required: true, type: 'number', min: 1, max: 9000, message: 'From 1 to 9,000 mm.' }]}
            >
              <InputNumber className="num" controls={false} suffix="mm" aria-label={`Largest board ${'XY'[k]}`} />
            </Form.Item>
          ))}
        </Space.Compact>
      </Form.Item>
      {rulesOf(boardRules, ['boardShop'])}
    </>
  );
}

/** A machine's rules to be typed; every figure with its meaning, unit and limits. */
export function ReceiverForm({
  title,
  start,
  save,
  close,
}: {
  title: string;
  start: Omit<Receiver, 'id'>;
  save: (rules: Omit<Receiver, 'id'>) => Promise<void>;
  close: () => void;
}) {
  const [form] = Form.useForm<Omit<Receiver, 'id'>>();
  const [trouble, setTrouble] = useState<Refused | null>(null);
  const [saving, setSaving] = useState(false);
  const sheet = start.cutter !== undefined;
  const takes = takesOf(start);
  const all = Object.keys(formatNames) as FileFormat[];
  const formats = takes === 'tubes' ? benderFormats : takes === 'boards' ? [] : all.filter((f) => flatFormats.includes(f) === sheet);
  const send = async (typed: Omit<Receiver, 'id'>) => {
    setSaving(true);
    try {
      // Rules that this kind of machine has no field for stay as they were.
      const cutter = start.cutter && {
        ...start.cutter,
        ...typed.cutter,
        perInch: typed.cutter?.perInch ?? null,
        looks: looksTyped(typed.cutter?.looks, start.cutter.looks),
      };
      const bender = start.bender && { ...start.bender, ...typed.bender };
      const boardShop = start.boardShop && { ...start.boardShop, ...typed.boardShop };
      await save({ ...start, ...typed, ...(cutter ? { cutter } : {}), ...(bender ? { bender } : {}), ...(boardShop ? { boardShop } : {}) });
    } catch (thrown) {
      setTrouble(thrown as Refused);
    }
    setSaving(false);
  };
  return (
    <Drawer title={title} open onClose={close} size={520} destroyOnHidden data-test="receiver-form">
      <Form
        form={form}
        layout="horizontal"
        labelCol={{ span: 9 }}
        labelAlign="left"
        size="small"
        colon={false}
        requiredMark={false}
        initialValues={sheet ? { ...start, cutter: { ...start.cutter, looks: looksShown(start.cutter!.looks) } } : start}
        onFinish={send}
        scrollToFirstError
      >
        {trouble && <Alert type="error" title={trouble.message} description={trouble.remedy} className={frame.above} />}
        <Form.Item name="name" label="Name" rules={[{ required: true, whitespace: true, max: 60, message: 'A name of at most 60 letters.' }]}>
          <Input autoFocus />
        </Form.Item>
        <Form.Item name="process" label="Process" rules={[{ required: true, whitespace: true, max: 60, message: 'What it does, in a few words.' }]}>
          <Input />
        </Form.Item>
        {takes !== 'boards' && (
          <Form.Item
            name="formats"
            label={takes === 'tubes' ? 'Along with the table' : 'Reads'}
            tooltip={takes === 'tubes' ? 'What is written beside each bend table (CSV).' : 'The first one is what a new file is written in.'}
            rules={[{ required: true, message: 'At least one format.' }]}
          >
            <Select mode="multiple" options={formats.map((f) => ({ value: f, label: formatNames[f] }))} />
          </Form.Item>
        )}
        {takes === 'boards' ? (
          <BoardRules />
        ) : takes === 'tubes' ? (
          <>
            {rulesOf(
              commonRules.filter((f) => f.key === 'mostBytes'),
              [],
            )}
            <h3 className={style.ruled}>Tubes</h3>
            {rulesOf(benderRules, ['bender'])}
            <DiesField />
            <BendRuleRows />
          </>
        ) : (
          <PartRules sheet={sheet} />
        )}
        <Space>
          <Button type="primary" htmlType="submit" loading={saving}>
            Keep these rules
          </Button>
          <Button onClick={close}>Cancel</Button>
        </Space>
      </Form>
    </Drawer>
  );
}
