'use client';
import { bytesText, threeLengths } from 'tall-kite/ledger/steps';
import type { TreeNode } from 'tall-kite/kernel/open-step';
import type { View } from 'tall-kite/view/view';
import { MarkShape } from '@/marks/Mark.tsx';
import type { PanelProps } from './panel.ts';
import { Figures } from './parts.tsx';

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
        <dd>
          {design?.format} {design?.version}
        </dd>
        <dt>Unit in the file</dt>
        <dd>{design?.unit ?? 'none'}</dd>
        <dt>Bytes</dt>
        <dd>{bytesText(design?.bytes ?? 0)}</dd>
        <dt>Quantity</dt>
        <dd>{part.quantity}</dd>
        <dt>Colour</dt>
        <dd>
          {part.summary.colour ? (
            <>
              <span
                style={{ display: 'inline-block', width: 12, height: 12, background: part.summary.colour, border: '1px solid var(--none)', marginRight: 6 }}
              />
              {part.summary.colour}
            </>
          ) : (
            'none'
          )}
        </dd>
        <dt>SHA-256</dt>
        <dd style={{ fontSize: 11 }}>{design?.sha256}</dd>
      </dl>
      <h3 style={{ fontSize: 14 }}>The design, as the file has it</h3>
      <ul className="tree">
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
      {node.colour && <span className="swatch" style={{ background: node.colour }} />}
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

/** Closed or not, shells, volume, area; open edges are drawn on the part. */
export function SoundnessPanel({ part, view }: PanelProps & { view: View | null }) {
  const s = part.summary;
  const rows: [string, string][] = [
    ['Kind', s.kind === 'solid' ? 'solid, exact surfaces' : 'mesh of triangles'],
    ['Box', `${threeLengths([0, 1, 2].map((k) => s.box.max[k] - s.box.min[k]))} ${s.unit || s.format === 'STEP' ? 'mm' : 'as numbered'}`],
    ['Shells', String(s.shells)],
    ['Volume', `${s.volume.toLocaleString('en', { maximumFractionDigits: 2 })} mm³`],
    ['Area', `${s.area.toLocaleString('en', { maximumFractionDigits: 2 })} mm²`],
  ];
  if (s.kind === 'solid') rows.push(['Faces', String(s.faces)]);
  else {
    rows.push(
      ['Triangles', (s.triangles ?? 0).toLocaleString('en')],
      ['Open edges', (s.openEdges ?? 0).toLocaleString('en')],
      ['Non-manifold edges', String(s.nonManifoldEdges)],
      ['Flipped edges', String(s.flippedEdges)],
      ['Triangles without area', String(s.degenerateTriangles)],
    );
  }
  const closed = s.kind === 'solid' || (s.openEdges === 0 && s.nonManifoldEdges === 0 && s.flippedEdges === 0);
  return (
    <>
      <h2>Soundness</h2>
      <p>
        <MarkShape mark={closed ? 'clear' : 'stop'} />{' '}
        {closed ? 'Closed: one inside, one outside.' : 'Not closed: nothing can tell its inside from its outside.'}
      </p>
      <Figures rows={rows} />
      {part.findings.map((f, i) => (
        <p key={i}>
          <MarkShape mark={f.severity} size={11} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
      {(view?.open.length ?? 0) > 0 && <p className="context">Open edges are drawn on the part in the colour of stop, in front of everything.</p>}
    </>
  );
}
