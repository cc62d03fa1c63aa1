import { Button, Form, Input, InputNumber, Select, Upload } from 'antd';
import { useState } from 'react';
import { bendRulesCsv, readBendRules, type BenderRules } from 'tall-kite/bender/rules';
import { bendRuleFields, dieLimits } from 'tall-kite/receivers/fields';
import { Trouble } from '@/shell/Trouble.tsx';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import style from './stores.module.css';

/** Springback and elongation as a file. */
export const SaveRules = ({ rules }: { rules: BenderRules['rules'] }) => (
  <a className={`${frame.plain} ${frame.small}`} download="bend-rules.csv" href={`data:text/csv;charset=utf-8,${encodeURIComponent(bendRulesCsv(rules))}`}>
    Save as CSV
  </a>
);

/** Dies typed as numbers, each once. */
export function DiesField() {
  return (
    <Form.Item
      name={['bender', 'dies']}
      label="Dies"
      tooltip="Centre-line radii of the dies that there are, mm; empty for any radius."
      normalize={(typed: (string | number)[]) => [...new Set(typed.map((v) => Number(String(v).replace(',', '.'))))].sort((a, b) => a - b)}
      rules={[
        {
          validator: (_, dies: number[]) =>
            dies.every((d) => d >= dieLimits[0] && d <= dieLimits[1])
              ? Promise.resolve()
              : Promise.reject(new Error(`Radii from ${dieLimits[0]} to ${dieLimits[1].toLocaleString('en')} mm.`)),
        },
      ]}
    >
      <Select mode="tags" open={false} suffixIcon={<span>mm</span>} tokenSeparators={[' ', ';']} placeholder="any radius" data-test="dies" />
    </Form.Item>
  );
}

/** Springback and elongation by material and die: rows to be typed, or brought in as CSV. */
export function BendRuleRows() {
  const form = Form.useFormInstance();
  const rules = (Form.useWatch(['bender', 'rules'], form) ?? []) as BenderRules['rules'];
  const [bad, setBad] = useState<{ message: string; remedy: string } | null>(null);
  const take = async (file: File) => {
    try {
      form.setFieldValue(['bender', 'rules'], readBendRules(await file.text()));
      setBad(null);
    } catch (thrown) {
      const { message, remedy } = thrown as { message: string; remedy?: string };
      setBad({ message, remedy: remedy ?? 'Check the file.' });
    }
  };
  return (
    <>
      <h3 className={style.ruled}>Springback and elongation</h3>
      <p className="context">
        The machine bends by the angle × ratio + offset, so that the tube springs back to the angle. A row without a material is for all. Without a row for a die
        the machine’s angle is left open.
      </p>
      {bad && <Trouble {...bad} close={() => setBad(null)} />}
      <Form.List name={['bender', 'rules']}>
        {(rows, { add, remove }) => (
          <>
            {rows.length > 0 && (
              <div className={`${style.ruleRow} context`} aria-hidden>
                <span>material</span>
                {bendRuleFields.map(({ key, label, unit }) => (
                  <span key={key}>{[label.toLowerCase(), unit].filter(Boolean).join(', ')}</span>
                ))}
                <span />
              </div>
            )}
            {rows.map(({ key, name }) => (
              <Form.Item key={key} className={style.ruleLine}>
              <div className={style.ruleRow}>
                <Form.Item name={[name, 'material']} noStyle rules={[{ max: 60, message: 'At most 60 letters.' }]}>
                  <Input aria-label={`Material of row ${name + 1}`} placeholder="any" />
                </Form.Item>
                {bendRuleFields.map((f) => (
                  <Form.Item
                    key={f.key}
                    name={[name, f.key]}
                    noStyle
                    rules={[{ required: true, type: 'number', min: f.least, max: f.most, message: `Row ${name + 1}: ${f.label.toLowerCase()} from ${f.least} to ${f.most} ${f.unit}.`.replace(' .', '.') }]}
                  >
                    <InputNumber className="num" controls={false} aria-label={`${f.label} of row ${name + 1}`} title={f.about} />
                  </Form.Item>
                ))}
                <Button size="small" type="text" aria-label={`Take out row ${name + 1}`} onClick={() => remove(name)}>
                  ×
                </Button>
              </div>
              </Form.Item>
            ))}
            <div className={`${desk.buttons} ${style.rows}`}>
              <Button size="small" onClick={() => add({ material: '', radius: null, ratio: 1, offset: 0, elongation: 0 })} data-test="add-rule">
                Add a row
              </Button>
              <Upload accept=".csv" showUploadList={false} beforeUpload={(file) => (void take(file), false)}>
                <Button size="small" data-test="machine-rules-in">
                  Rules from CSV
                </Button>
              </Upload>
              {rules.length > 0 && rules.every((r) => typeof r?.radius === 'number') && <SaveRules rules={rules} />}
            </div>
          </>
        )}
      </Form.List>
    </>
  ); // prettier-ignore
}
