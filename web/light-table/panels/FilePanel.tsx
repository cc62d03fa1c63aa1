'use client';
import { Button, Checkbox } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import type { RefObject } from 'react';
import type { Evidence } from 'tall-kite/prove/evidence';
import { bytesText } from 'tall-kite/base/figures';
import { flatFormats, formatNames, type FileFormat } from 'tall-kite/receivers/receivers';
import { lengthUnits } from 'tall-kite/base/readings';
import { Mark, MarkShape } from '@/marks/Mark.tsx';
import { FileLinks } from '@/shell/FileLinks.tsx';
import type { Scene } from '../Scene.ts';
import { LayersView } from './LayersView.tsx';
import { saveRecipe, type PanelProps } from './panel.ts';
import { NameAndWrite, ReceiverChoice } from './parts.tsx';
import { ClaimsTable } from '@/shell/ClaimsTable.tsx';
import desk from '@/shell/desk.module.css';

/** Format, unit and name of the file, and the file itself. */
export function FilePanel(props: PanelProps) {
  const { part } = props;
  const { recipe } = part;
  const { file } = recipe;
  const { receiver } = recipe;
  const set = (what: string, change: Partial<typeof file>) => saveRecipe(props, `${what} of ${part.name}`, { file: { ...file, ...change } });
  return (
    <>
      <h2>File</h2>
      <ReceiverChoice {...props} />
      <label className={desk.row}>
        Format
        <Choice
          value={file.format}
          onChange={(value) => set('format', { format: value as FileFormat })}
          options={[
            ...receiver.formats.filter((f) => !flatFormats.includes(f)).map((f) => ({ value: f, label: `${formatNames[f]}, ${formatWords[f]}` })),
            ...(!receiver.formats.includes(file.format) ? [{ value: file.format, label: `${formatNames[file.format]}, not read by it` }] : []),
          ]}
        />
      </label>
      {!receiver.formats.includes(file.format) && (
        <p className="c-stop">
          <MarkShape mark="stop" size={12} /> {receiver.name} does not read {formatNames[file.format]}. Choose one of its formats.
        </p>
      )}
      {(file.format === 'stl' || file.format === 'ply') && (
        <label className={desk.row}>
          Written as
          <Choice
            value={file.encoding}
            onChange={(value) => set('encoding', { encoding: value as 'binary' | 'ascii' })}
            options={[
              { value: 'binary', label: 'binary' },
              { value: 'ascii', label: 'text, about five times larger' },
            ]}
          />
        </label>
      )}
      {file.format === 'obj' && (
        <Checkbox checked={file.quads} onChange={(e) => set('faces', { quads: e.target.checked })}>
          Faces with four corners where two triangles make a flat one
        </Checkbox>
      )}
      <label className={desk.row}>
        Numbers are
        <Choice
          value={file.unit}
          onChange={(value) => set('unit', { unit: value })}
          options={[...lengthUnits.map((u) => ({ value: u.id, label: `${u.name} (${u.id})` }))]}
        />
      </label>
      {file.unit !== receiver.unit && ['stl', 'obj', 'ply'].includes(file.format) && (
        <p className="c-look">
          <MarkShape mark="look" size={12} /> {formatNames[file.format]} can&rsquo;t say its unit, and {receiver.name} takes numbers for {receiver.unit}: the
          part will come out in another size.
        </p>
      )}
      <p className="context" data-test="flatways">
        DXF, SVG or PDF of it:{' '}
        <Button size="small" onClick={() => props.go('Unfold')}>
          Unfold it
        </Button>{' '}
        <Button size="small" onClick={() => props.go('Draw')}>
          Draw a view or section
        </Button>
      </p>
      <NameAndWrite {...props} />
      <Downloads {...props} />
    </>
  );
}

/** What each format is good for, in a few words. */
export const formatWords: Record<FileFormat, string> = {
  stl: 'triangles only',
  '3mf': 'with unit, name, colour',
  obj: 'text, objects by name',
  ply: 'shared vertices',
  step: 'exact surfaces',
  dxf: 'layers, true arcs',
  svg: 'paths in mm',
  pdf: 'paper at true scale',
};

export function Downloads({ part }: PanelProps) {
  const file = part.file;
  if (file?.state === 'failed')
    return (
      <p role="alert">
        <MarkShape mark="stop" /> {file.failure?.message} {file.failure?.remedy}
      </p>
    );
  if (file?.state !== 'written') return null;
  return (
    <>
      <dl>
        <dt>Written</dt>
        <dd>{file.createdAt.slice(0, 16).replace('T', ' ')} UTC</dd>
        <dt>Bytes</dt>
        <dd>{bytesText(file.bytes ?? 0)}</dd>
        <dt>SHA-256</dt>
        <dd className={desk.fine}>{file.sha256}</dd>
      </dl>
      <div className={desk.buttons}>
        <FileLinks file={file} part={part.id} />
      </div>
    </>
  );
}

/** Every claim with its difference and tolerance, and what the receiver found odd. */
export function ReceivedPanel(props: PanelProps & { scene: RefObject<Scene | null> }) {
  const { part } = props;
  const evidence = part.file?.state === 'written' ? part.file.evidence : null;
  if (!evidence) return <NothingReceived {...props} />;
  return (
    <>
      <ReceivedHead evidence={evidence} />
      <LayersView {...props} />
      <ClaimsTable claims={evidence.claims} />
      <Downloads {...props} />
    </>
  );
}

/** What the Received step says before anything is written, or when writing failed. */
export function NothingReceived(props: PanelProps) {
  return (
    <>
      <h2>Received</h2>
      <p>Nothing yet. Write the file: the stand-in of {props.part.recipe.receiver.name} then reads its bytes, and nothing else.</p>
      <Button onClick={() => void props.tools.write(props.part)} type="primary">
        Write, and read it back
      </Button>
      <Downloads {...props} />
    </>
  );
}

/** The verdict, and what the machine found odd. */
export function ReceivedHead({ evidence }: { evidence: Evidence }) {
  return (
    <>
      <h2>
        Received: <Mark mark={evidence.verdict} />
      </h2>
      {evidence.reason && !evidence.findings.some((f) => f.message === evidence.reason) && <p data-test="verdict-reason">Because: {evidence.reason}</p>}
      {evidence.findings.map((f, i) => (
        <p key={i}>
          <MarkShape mark={f.severity} size={12} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
    </>
  );
}
