'use client';
import { Fold } from '@/shell/controls.tsx';
import { Button, Form, Select } from 'antd';
import { useState } from 'react';
import type { Field, Form as AskedFor } from 'tall-kite/operations/operation';
import type { OperationKind, OperationRequest } from '@tall-kite/server/operations/requests';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { JobTools } from '@/shell/useJob.ts';
import { LengthInput } from '@/shell/LengthInput.tsx';
import { useLengths } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';

export type OperationFormOf = AskedFor & { kind: OperationKind };

/** What was typed as the value of a field; undefined when it can't be used. */
export function valueOf(field: Field, typed: string): string | number | null | undefined {
  if (field.kind === 'choice') return field.words.find((w) => String(w.value) === typed)?.value;
  if (typed.trim() === '') return field.optional ? null : undefined;
  const value = Number(typed.replace(',', '.'));
  return value >= field.least && value <= field.most ? value : undefined;
}

/** A small operation asked for by plain fields; what they are stands with the operation in the core. */
export function OperationForm({ form, part, tools }: { form: OperationFormOf; part: PartView; tools: JobTools }) {
  const { len } = useLengths();
  const [typed, setTyped] = useState<Record<string, string>>({});
  const textOf = (f: Field) => typed[f.name] ?? String(f.usual ?? '');
  const values = form.fields.map((f) => [f.name, valueOf(f, textOf(f))] as const);
  const valid = values.every(([, v]) => v !== undefined);
  const ask = () => void tools.operate({ kind: form.kind, part: part.id, ...Object.fromEntries(values) } as unknown as OperationRequest);
  const set = (f: Field, text: string) => setTyped({ ...typed, [f.name]: text });
  return (
    <Fold title={<>{form.title}</>} data-test={`form-${form.kind}`}>
      <Form className={desk.choices} layout="horizontal" labelCol={{ span: 9 }} labelAlign="left" size="small" colon={false} onFinish={ask}>
        <p className="context">{form.about}</p>
        {form.fields.map((f) => {
          const id = `${form.kind}-${f.name}`;
          const wrong = valueOf(f, textOf(f)) === undefined;
          const help = wrong && f.kind === 'length' ? `From ${len(f.least)} to ${len(f.most)}.` : undefined;
          return (
            <Form.Item key={f.name} label={f.label} tooltip={f.about} htmlFor={id} help={help} validateStatus={wrong ? 'error' : undefined}>
              {f.kind === 'choice' ? (
                <Select id={id} value={textOf(f)} onChange={(v) => set(f, v)} options={f.words.map((w) => ({ value: String(w.value), label: w.label }))} />
              ) : (
                <LengthInput id={id} width={110} value={textOf(f)} onChange={(mm) => set(f, mm)} />
              )}
            </Form.Item>
          );
        })}
        <Button htmlType="submit" disabled={!valid}>
          {form.button}
        </Button>
      </Form>
    </Fold>
  );
}
