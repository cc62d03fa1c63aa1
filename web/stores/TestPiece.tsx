'use client';
import { Alert, Button, Drawer, Form, Select } from 'antd';
import { useState } from 'react';
import { kerfOf, kerfStrips, testGaps, testWalls, withMeasured } from 'tall-kite/processes/test-pieces';
import type { Receiver } from 'tall-kite/receivers/receivers';
import type { Refused } from '@/shell/ask.ts';
import { partWorker } from '@/light-table/worker.ts';
import { LengthInput } from '@/shell/LengthInput.tsx';
import frame from '@/shell/frame.module.css';

interface Props {
  rules: Receiver;
  keep: (rules: Receiver) => Promise<void>;
  close: () => void;
}

/** A test piece for a machine: made, measured, and what was measured kept as its rule. */
export function TestPiece({ rules, keep, close }: Props) {
  const [trouble, setTrouble] = useState<Refused | null>(null);
  const take = async (measured: Parameters<typeof withMeasured>[1]) => {
    try {
      await keep(withMeasured(rules, measured));
      close();
    } catch (thrown) {
      setTrouble(thrown as Refused);
    }
  };
  return (
    <Drawer title={`A test piece for ${rules.name}`} open onClose={close} size={460} destroyOnHidden data-test="test-piece">
      {trouble && <Alert type="error" title={trouble.message} description={trouble.remedy} className={frame.above} />}
      {rules.cutter ? <Kerf rules={rules} take={take} /> : <Print rules={rules} take={take} />}
    </Drawer>
  );
}

/** Makes the piece in the page's own worker and saves it. */
function Download({ rules, label }: { rules: Receiver; label: string }) {
  const [busy, setBusy] = useState(false);
  const [stopped, setStopped] = useState<string | null>(null);
  const save = async () => {
    setBusy(true);
    try {
      const { fileName, bytes, stopped: why } = await partWorker().testPiece(rules);
      setStopped(why);
      if (why) return;
      const link = document.createElement('a');
      link.href = URL.createObjectURL(new Blob([new Uint8Array(bytes)]));
      link.download = fileName;
      link.click();
      URL.revokeObjectURL(link.href);
    } catch (thrown) {
      setStopped((thrown as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <Button type="primary" loading={busy} onClick={() => void save()}>
        {label}
      </Button>
      {stopped && <span role="alert"> {stopped} Correct the rules of the machine first.</span>}
    </>
  );
}

type Take = (measured: Parameters<typeof withMeasured>[1]) => Promise<void>;

function Kerf({ rules, take }: { rules: Receiver; take: Take }) {
  const { count, width, length } = kerfStrips;
  const [together, setTogether] = useState('');
  const kerf = kerfOf(Number(together));
  return (
    <>
      <ol>
        <li>
          Cut the {count} strips of {width} × {length} mm from the sheet that you work with, on the line, without any correction at the machine.
        </li>
        <li>Push them together on a straight edge and measure their whole width.</li>
        <li>Type it here: each strip is narrower by one kerf.</li>
      </ol>
      <p>
        <Download rules={rules} label="Download the strips" />
      </p>
      <Form layout="horizontal" labelCol={{ span: 12 }} labelAlign="left" size="small" colon={false} onFinish={() => kerf !== null && void take({ kerf })}>
        <Form.Item label="All of them together" htmlFor="together">
          <LengthInput id="together" width={110} value={together} onChange={setTogether} invalid={together !== '' && kerf === null} />
        </Form.Item>
        <p role="status">
          {together === ''
            ? `The rule now: ${rules.cutter!.kerf} mm.`
            : kerf === null
              ? `No kerf gives that: the strips are ${count * width} mm wide as drawn, and a little narrower when they are cut.`
              : `The kerf is ${kerf} mm; the rule now is ${rules.cutter!.kerf} mm.`}
        </p>
        <Button type="primary" htmlType="submit" disabled={kerf === null}>
          Keep it as the kerf
        </Button>
      </Form>
    </>
  );
}

function Print({ rules, take }: { rules: Receiver; take: Take }) {
  const [bead, setBead] = useState<number>();
  const [clearance, setClearance] = useState<number>();
  const choices = (list: readonly number[]) => list.map((v) => ({ value: v, label: `${v} mm` }));
  return (
    <>
      <ol>
        <li>Print the piece as it comes, with the settings that you work with.</li>
        <li>Walls of {testWalls.join(', ')} mm stand in a row, the thinnest first: which is the thinnest that stands whole?</li>
        <li>Pins stand in holes with gaps of {testGaps.join(', ')} mm, the tightest first: which is the tightest that turns?</li>
      </ol>
      <p>
        <Download rules={rules} label="Download the piece" />
      </p>
      <Form
        layout="horizontal"
        labelCol={{ span: 12 }}
        labelAlign="left"
        size="small"
        colon={false}
        onFinish={() => void take({ ...(bead === undefined ? {} : { bead }), ...(clearance === undefined ? {} : { clearance }) })}
      >
        <Form.Item label="Thinnest wall that stands" htmlFor="bead">
          <Select id="bead" allowClear placeholder={`now ${rules.bead} mm`} value={bead} onChange={setBead} options={choices(testWalls)} />
        </Form.Item>
        <Form.Item label="Tightest pin that turns" htmlFor="clearance">
          <Select id="clearance" allowClear placeholder={`now ${rules.clearance} mm`} value={clearance} onChange={setClearance} options={choices(testGaps)} />
        </Form.Item>
        <Button type="primary" htmlType="submit" disabled={bead === undefined && clearance === undefined}>
          Keep them as rules
        </Button>
      </Form>
    </>
  );
}
