'use client';
import type { TreeNode } from 'tall-kite/model/design';
import { bytesText } from 'tall-kite/base/figures';
import { MarkShape } from '@/marks/Mark.tsx';
import type { PanelProps } from './panel.ts';
import desk from '@/shell/desk.module.css';
import style from './panels.module.css';

/** A format with its version, which may name the format itself. */
const formatSaid = (of: { format: string | null; version: string | null } | undefined): string =>
  of?.version?.startsWith(of.format ?? '') ? of.version : `${of?.format ?? ''} ${of?.version ?? ''}`.trim();

/** Where the part came from: file, hash, place in the tree, what was odd. */
export function SourcePanel({ part, tools }: PanelProps) {
  const design = tools.job?.designs.find((d) => d.id === part.designId);
  const ownIndex = tools.job?.parts.filter((p) => p.designId === part.designId).findIndex((p) => p.id === part.id) ?? -1;
  return (
    <>
      <h2>Source</h2>
      <dl>
        <dt>File</dt>
        <dd>{part.designName}</dd>
        <dt>Format</dt>
        <dd>{formatSaid(design)}</dd>
        <dt>Unit in the file</dt>
        <dd>{design?.unit ?? 'none'}</dd>
        <dt>Bytes</dt>
        <dd>{bytesText(design?.bytes ?? 0)}</dd>
        {part.summary.partNumber && (
          <>
            <dt>Part number</dt>
            <dd>{part.summary.partNumber}</dd>
          </>
        )}
        <dt>Quantity</dt>
        <dd>{part.quantity}</dd>
        <dt>Colour</dt>
        <dd>
          {part.summary.colour ? (
            <>
              <span className={desk.swatch} style={{ background: part.summary.colour }} />
              {part.summary.colour}
            </>
          ) : (
            'none'
          )}
        </dd>
        <dt>SHA-256</dt>
        <dd className={desk.fine}>{design?.sha256}</dd>
      </dl>
      {part.summary.made && (
        <>
          <h3>Done to it here</h3>
          <ol className={style.history}>
            {part.summary.made.map((m, i) => (
              <li key={i}>{m}</li>
            ))}
          </ol>
        </>
      )}
      <h3>The design, as the file has it</h3>
      <ul className={style.tree} data-test="tree">
        {design?.tree.map((node, i) => (
          <Branch key={i} node={node} own={ownIndex} />
        ))}
      </ul>
      {design?.findings.map((f, i) => (
        <p key={i}>
          <MarkShape mark={f.severity} size={11} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
    </>
  );
}

/** A node of the assembly tree; every place of this part is told by a word and a bold name. */
function Branch({ node, own }: { node: TreeNode; own: number }) {
  const here = node.parts.includes(own);
  return (
    <li>
      {node.colour && <span className={desk.swatch} style={{ background: node.colour }} />}
      {here ? (
        <b>
          {node.name} <span className="context">this part</span>
        </b>
      ) : (
        node.name
      )}
      {node.children.length > 0 && (
        <ul>
          {node.children.map((child, i) => (
            <Branch key={i} node={child} own={own} />
          ))}
        </ul>
      )}
    </li>
  );
}
