'use client';
import { Button, Input, Table, Upload } from 'antd';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { families } from 'tall-kite/text/fonts';
import type { StoredFont } from '@tall-kite/server/stores/fonts';
import { hidden } from '@/shell/controls.tsx';
import { ask, Refused } from '@/shell/ask.ts';
import { Notice, type Told } from './Notice.tsx';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';

/** What the samples say until something else is typed. */
const usualSample = 'Kite field 12 – wind station';

interface Shown {
  id: string;
  name: string;
  about: string;
  /** Where its bytes are; null for single lines, which no page can show as letters. */
  from: string | null;
  bytes: number | null;
}

/** Fonts: those of the app and those that people brought, each shown in its own letters. */
export function Fonts() {
  const client = useQueryClient();
  const kept = useQuery({ queryKey: ['fonts'], queryFn: () => ask<StoredFont[]>('/api/stores/fonts') });
  const [notice, setNotice] = useState<Told | null>(null);
  const [sample, setSample] = useState(usualSample);
  const guarded = async (work: () => Promise<Told | null>) => {
    try {
      setNotice(await work());
    } catch (thrown) {
      setNotice({ message: (thrown as Error).message, remedy: thrown instanceof Refused ? thrown.remedy : 'Try again.' });
    } finally {
      await client.invalidateQueries({ queryKey: ['fonts'] });
    }
  };
  const bring = (file: File) =>
    guarded(async () => {
      const { name } = await ask<StoredFont>('/api/stores/fonts', { method: 'POST', file });
      return { message: `"${name}" is kept.`, remedy: 'It stands among the letters wherever text is set.' };
    });
  const remove = (f: Shown) =>
    guarded(async () => {
      await ask(`/api/stores/fonts/${f.id}`, { method: 'DELETE' });
      return {
        message: `"${f.name}" was taken away.`,
        remedy: 'Drawings that were made with it hold it themselves.',
        undo: () => void guarded(async () => (await ask(`/api/stores/fonts/${f.id}`, { method: 'POST' }), null)),
      };
    });
  const own = (kept.data ?? []).map((f): Shown => ({
    id: f.id,
    name: f.name,
    about: 'brought by you',
    from: `/api/stores/fonts/${f.id}?as=file`,
    bytes: f.bytes,
  }));
  const shipped = families.map((f): Shown => ({
    id: f.id,
    name: f.name,
    about: f.about,
    from: f.files ? `/kernel/letters/${f.files[0].replace(/\.woff2$/, '.ttf')}` : null,
    bytes: null,
  }));
  return (
    <>
      <div className={frame.title}>
        <span className="context">Letters for text that is cut, engraved or raised.</span>
        <span className={frame.right}>
          <Input
            size="small"
            className={widths.w240}
            maxLength={80}
            value={sample}
            onChange={(e) => setSample(e.target.value)}
            aria-label="What the samples say"
          />{' '}
          <Upload
            data-test="keep-font"
            accept=".ttf,.otf,.woff,.woff2"
            showUploadList={false}
            beforeUpload={(file) => (void bring(file), false)}
            aria-label="A font file"
          >
            <Button type="primary">Keep a font…</Button>
          </Upload>
        </span>
      </div>
      <Notice told={notice} close={() => setNotice(null)} />
      {kept.isError && <p className="c-stop">The fonts could not be fetched. {(kept.error as Refused).remedy}</p>}
      <Listed list={[...own, ...shipped]} sample={sample || usualSample} remove={(f) => void remove(f)} />
    </>
  );
}

function Listed({ list, sample, remove }: { list: Shown[]; sample: string; remove: (f: Shown) => void }) {
  return (
    <div className={frame.scroll} tabIndex={0} role="group" aria-label="Fonts" data-test="fonts">
      <Table
        size="small"
        pagination={false}
        rowKey="id"
        dataSource={list}
        columns={[
          { title: 'name', dataIndex: 'name' },
          {
            title: 'sample',
            render: (_, f) => (f.from ? <Sample from={f.from} text={sample} /> : <span className="context">single lines, no outlines</span>),
          },
          { title: hidden('About it'), render: (_, f) => <span className="context">{f.about}</span> },
          { title: 'size', align: 'right', render: (_, f) => (f.bytes === null ? '' : `${Math.round(f.bytes / 1024).toLocaleString('en')} kB`) },
          {
            title: hidden('What to do'),
            align: 'right',
            render: (_, f) =>
              f.bytes === null ? (
                <span className="context">comes with the app</span>
              ) : (
                <Button size="small" onClick={() => remove(f)} aria-label={`Take ${f.name} away`}>
                  Take away
                </Button>
              ),
          },
        ]}
      />
    </div>
  );
}

/** A text in the letters of a font file, once it has come. */
function Sample({ from, text }: { from: string; text: string }) {
  const [family, setFamily] = useState<string | null>(null);
  const [bad, setBad] = useState(false);
  useEffect(() => {
    let gone = false;
    const name = `sample ${from}`.replace(/[^\w ]/g, '-');
    const face = new FontFace(name, `url("${from}")`);
    face.load().then(
      () => {
        document.fonts.add(face);
        if (!gone) setFamily(name);
      },
      () => !gone && setBad(true),
    );
    return () => {
      gone = true;
      document.fonts.delete(face);
    };
  }, [from]);
  if (bad) return <span className="context">this page can not show it</span>;
  return (
    <span
      data-test="sample"
      data-ready={family ? 'yes' : 'no'}
      style={family ? { fontFamily: `"${family}"`, fontSize: 20, lineHeight: '26px' } : { visibility: 'hidden' }}
    >
      {text}
    </span>
  );
}
