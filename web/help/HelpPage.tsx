'use client';
import { Button, Input, Table } from 'antd';
import Link from 'next/link';
import { useMemo, useState, type ReactNode } from 'react';
import { ways, type Way } from 'tall-kite/steps/way';
import { useSample } from '@/jobs/useSample.ts';
import { Header } from '@/shell/Header.tsx';
import { keyLists } from '@/shell/keylists.ts';
import { Trouble } from '@/shell/Trouble.tsx';
import frame from '@/shell/frame.module.css';
import widths from '@/shell/widths.module.css';
import style from './help.module.css';
import { words, wordsWith } from './words.ts';

export interface FormatRow {
  name: string;
  opened: string;
  written: boolean;
  unit: string;
}

/** What a claim compares, and how near it must come. */
export interface ClaimRow {
  claim: string;
  tolerance: string;
  of: string;
}

/** Words, ways, formats, claims and keys, and how to begin. */
export function HelpPage({ formats, claims }: { formats: FormatRow[]; claims: ClaimRow[] }) {
  const { make, busy, trouble } = useSample();
  return (
    <div className={frame.page}>
      <Header current="help" />
      <main id="content">
        <div className={frame.title}>
          <h1>Help</h1>
          <nav className={style.contents} aria-label="On this page">
            {['Begin', 'Ways', 'Words', 'Formats', 'Claims', 'Keys'].map((name) => (
              <a key={name} href={`#${name.toLowerCase()}`}>
                {name}
              </a>
            ))}
          </nav>
        </div>
        {trouble && <Trouble {...trouble} />}
        <div className={frame.scroll}>
          <div className={style.columns}>
            <Part id="begin" title="Begin">
              <ol>
                <li>Make a job, and drop design files on it: STEP, IGES, STL, 3MF, OBJ, DXF, SVG, PDF and others.</li>
                <li>Look along the threads. Where one is cut, the sentence at the foot says what is wrong, and a button mends it.</li>
                <li>Ask “What is it for?” if the guess is wrong: print, carve, cut flat, fold, pass on.</li>
                <li>Open a part on the light table to turn it, mend it, unfold it, choose facets or layers.</li>
                <li>Write the file. It is read back from its own bytes; the evidence at the foot shows designed over received.</li>
                <li>Tick parts and press Release to write many at once, named by a pattern, with a report.</li>
              </ol>
              <Button type="primary" disabled={busy} onClick={() => void make()}>
                {busy ? 'Making the sample job …' : 'Make a sample job, and show me around'}
              </Button>
            </Part>
            <Part id="ways" title="Ways">
              <p className="context">What a part can be for. Each way has its own steps on the thread.</p>
              <dl className={style.list}>
                {ways.map((way) => (
                  <WayRow key={way.id} way={way} />
                ))}
              </dl>
            </Part>
            <Part id="words" title="Words">
              <Words />
            </Part>
            <Part id="formats" title="Formats">
              <p className="context">The kind of a file is told by its bytes, not by its ending.</p>
              <Table<FormatRow>
                size="small"
                rowKey="name"
                pagination={false}
                dataSource={formats}
                columns={[
                  { title: 'Format', dataIndex: 'name' },
                  { title: 'Opened as', dataIndex: 'opened' },
                  { title: 'Written', render: (_, f) => (f.written ? 'yes' : '') },
                  { title: 'Its unit', dataIndex: 'unit' },
                ]}
              />
            </Part>
            <Part id="claims" title="Claims, and how near they must come">
              <p className="context">Each is measured twice: on the design, and on what was read from the bytes.</p>
              <Table<ClaimRow>
                size="small"
                rowKey="claim"
                pagination={false}
                dataSource={claims}
                columns={[
                  { title: 'Claim', dataIndex: 'claim' },
                  { title: 'Of', dataIndex: 'of' },
                  { title: 'Must come within', dataIndex: 'tolerance' },
                ]}
              />
            </Part>
            <Part id="keys" title="Keys">
              {keyLists.map((list) => (
                <section key={list.where}>
                  <h3>{list.where}</h3>
                  <dl className={style.keys}>
                    {list.keys.map(([key, what]) => (
                      <div key={key}>
                        <dt>
                          <kbd>{key}</kbd>
                        </dt>
                        <dd>{what}</dd>
                      </div>
                    ))}
                  </dl>
                </section>
              ))}
            </Part>
            <p className="context">
              The command line, running it for a workshop, and the bench are described in the pages of <code>docs/</code>.{' '}
              <Link href="/standing">How this installation is</Link>. <Link href="/">Back to the jobs</Link>
            </p>
          </div>
        </div>
      </main>
    </div>
  );
}

function Part({ id, title, children }: { id: string; title: string; children: ReactNode }) {
  return (
    <section id={id} className={style.part} aria-label={title}>
      <h2>{title}</h2>
      {children}
    </section>
  );
}

function WayRow({ way }: { way: Way }) {
  const { solid, drawing } = way.does;
  const steps = [...new Set(Object.values(way.steps).map((s) => s!.join(', ')))];
  return (
    <>
      <dt>{way.name}</dt>
      <dd>
        {solid && <>Of a solid or mesh: {solid} </>}
        {drawing && <>Of a drawing: {drawing} </>}
        <span className="context">Steps: {steps.join('; or ')}.</span>
      </dd>
    </>
  );
}

function Words() {
  const [search, setSearch] = useState('');
  const shown = useMemo(() => wordsWith(words, search), [search]);
  return (
    <>
      <p>
        <Input
          type="search"
          size="small"
          aria-label="Look for a word"
          placeholder="look for a word"
          className={widths.w240}
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />{' '}
        <span className="context">{shown.length === 0 ? 'No such word here.' : 'Words marked ○ were made for Tall Kite; the others are the trade’s.'}</span>
      </p>
      <dl className={style.list}>
        {shown.map((w) => (
          <div key={w.word} className="contents">
            <dt id={`word-${w.word.toLowerCase().replace(/[^a-z0-9]+/g, '-')}`}>
              {w.word}
              {w.ours ? ' ○' : ''}
            </dt>
            <dd>{w.means}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}
