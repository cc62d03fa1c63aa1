'use client';
import type { RefObject } from 'react';
import type { Evidence } from 'tall-kite/prove/evidence';
import { claimFigure, unitText } from 'tall-kite/prove/page';
import { bytesText } from 'tall-kite/base/figures';
import { formatNames, type FileFormat } from 'tall-kite/receivers/receivers';
import { lengthUnits } from 'tall-kite/base/readings';
import { Mark, MarkShape } from '@/marks/Mark.tsx';
import { FileLinks } from '@/shell/FileLinks.tsx';
import type { Scene } from '../Scene.ts';
import { LayersView } from './LayersView.tsx';
import { saveRecipe, type PanelProps } from './panel.ts';
import { NameAndWrite, ReceiverChoice } from './parts.tsx';

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
      <label className="row">
        Format
        <select className="typed" value={file.format} onChange={(e) => set('format', { format: e.target.value as FileFormat })}>
          {receiver.formats.map((f) => (
            <option key={f} value={f}>
              {formatNames[f]}, {formatWords[f]}
            </option>
          ))}
          {!receiver.formats.includes(file.format) && <option value={file.format}>{formatNames[file.format]}, not read by it</option>}
        </select>
      </label>
      {!receiver.formats.includes(file.format) && (
        <p className="c-stop">
          <MarkShape mark="stop" size={12} /> {receiver.name} does not read {formatNames[file.format]}. Choose one of its formats.
        </p>
      )}
      {(file.format === 'stl' || file.format === 'ply') && (
        <label className="row">
          Written as
          <select className="typed" value={file.encoding} onChange={(e) => set('encoding', { encoding: e.target.value as 'binary' | 'ascii' })}>
            <option value="binary">binary</option>
            <option value="ascii">text, about five times larger</option>
          </select>
        </label>
      )}
      {file.format === 'obj' && (
        <label>
          <input type="checkbox" checked={file.quads} onChange={(e) => set('faces', { quads: e.target.checked })} /> Faces with four corners where two triangles
          make a flat one
        </label>
      )}
      <label className="row">
        Numbers are
        <select className="typed" value={file.unit} onChange={(e) => set('unit', { unit: e.target.value })}>
          {lengthUnits.map((u) => (
            <option key={u.id} value={u.id}>
              {u.name} ({u.id})
            </option>
          ))}
        </select>
      </label>
      {file.unit !== receiver.unit && ['stl', 'obj', 'ply'].includes(file.format) && (
        <p className="c-look">
          <MarkShape mark="look" size={12} /> {formatNames[file.format]} can&rsquo;t say its unit, and {receiver.name} takes numbers for {receiver.unit}: the
          part will come out in another size.
        </p>
      )}
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
        <dd style={{ fontSize: 11 }}>{file.sha256}</dd>
      </dl>
      <div className="buttons">
        <FileLinks file={file} />
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
      <ClaimsTable evidence={evidence} />
      <Downloads {...props} />
    </>
  );
}

/** Every claim with its difference, tolerance and verdict. */
export function ClaimsTable({ evidence }: { evidence: Evidence }) {
  return (
    <table className="plainlist" style={{ fontSize: 13 }}>
      <thead>
        <tr>
          <th scope="col">Claim</th>
          <th scope="col">Difference</th>
          <th scope="col">Tolerance</th>
          <th scope="col">Verdict</th>
        </tr>
      </thead>
      <tbody>
        {evidence.claims.map((c) => (
          <tr key={c.quantity}>
            <td style={{ padding: '4px 4px 4px 0' }}>
              {c.quantity} {c.unit && <span className="context">({unitText(c.unit)})</span>}
            </td>
            <td className="figure" style={{ padding: 4 }}>
              {c.difference === null ? (c.designed === c.received ? 'same' : '') : claimFigure(c.difference, c.unit)}
            </td>
            <td className="figure" style={{ padding: 4 }}>
              {c.tolerance === null ? '' : claimFigure(c.tolerance, c.unit)}
            </td>
            <td style={{ padding: 4 }}>
              <Mark mark={c.verdict} size={10} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What the Received step says before anything is written, or when writing failed. */
export function NothingReceived(props: PanelProps) {
  return (
    <>
      <h2>Received</h2>
      <p>Nothing yet. Write the file: the stand-in of {props.part.recipe.receiver.name} then reads its bytes, and nothing else.</p>
      <button className="plain strong" onClick={() => void props.tools.write(props.part)}>
        Write, and read it back
      </button>
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
