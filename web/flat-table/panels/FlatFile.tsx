'use client';
import { dxfVersions, type DxfVersion } from 'tall-kite/model/dxf-version';
import { formatNames, type FileFormat } from 'tall-kite/receivers/receivers';
import { lengthUnits } from 'tall-kite/base/readings';
import { MarkShape } from '@/marks/Mark.tsx';
import { Downloads, formatWords } from '@/light-table/panels/FilePanel.tsx';
import { saveRecipe, type PanelProps } from '@/light-table/panels/panel.ts';
import { NameAndWrite, ReceiverChoice } from '@/light-table/panels/parts.tsx';
import type { FlatView } from '@/workers/flat.ts';
import { NumberField } from './NumberField.tsx';
import { saveDrawing } from './recipe.ts';

/** Format, version, unit and name of a drawing's file, and the file itself. */
export function FlatFile(props: PanelProps & { view: FlatView | null }) {
  const { part, view } = props;
  const { recipe } = part;
  const { file } = recipe;
  const how = recipe.drawing!;
  const { receiver } = recipe;
  const cutter = receiver.cutter!;
  const set = (what: string, change: Partial<typeof file>) => saveRecipe(props, `${what} of ${part.name}`, { file: { ...file, ...change } });
  const curves = Object.entries(part.summary.drawing!.segments).some(([kind, n]) => n > 0 && kind !== 'line' && kind !== 'arc');
  const mustFit = curves && file.format === 'dxf' && (how.version === 'R12' || !cutter.curves);
  const unread = file.format === 'dxf' && !cutter.versions.includes(how.version);
  const bare =
    (file.format === 'dxf' && !cutter.readsUnit && file.unit !== receiver.unit) ||
    (file.format === 'svg' && cutter.perInch !== null && file.unit !== `${cutter.perInch}dpi`);
  return (
    <>
      <h2>File</h2>
      <ReceiverChoice {...props} />
      <label className="row">
        Format
        <select
          className="typed"
          value={file.format}
          onChange={(e) =>
            set('format', { format: e.target.value as FileFormat, unit: e.target.value === 'svg' && cutter.perInch !== null ? `${cutter.perInch}dpi` : 'mm' })
          }
        >
          {receiver.formats.map((f) => (
            <option key={f} value={f}>
              {formatNames[f]}, {formatWords[f]}
            </option>
          ))}
          {!receiver.formats.includes(file.format) && <option value={file.format}>{formatNames[file.format]}, not read by it</option>}
        </select>
      </label>
      {file.format === 'dxf' && (
        <>
          <label className="row">
            DXF version
            <select
              className="typed"
              aria-label="DXF version"
              value={how.version}
              onChange={(e) => saveDrawing(props, 'DXF version', { version: e.target.value as DxfVersion })}
            >
              {dxfVersions.map((v) => (
                <option key={v} value={v}>
                  {v}
                  {cutter.versions.includes(v) ? '' : ', not read by it'}
                </option>
              ))}
            </select>
          </label>
          {unread && (
            <p className="c-stop">
              <MarkShape mark="stop" size={12} /> {receiver.name} reads {cutter.versions.join(', ')} only.
            </p>
          )}
          <label>
            <input type="checkbox" checked={how.blocks} onChange={(e) => saveDrawing(props, 'blocks', { blocks: e.target.checked })} /> Repeated parts written
            once, as blocks
          </label>
        </>
      )}
      {file.format !== 'pdf' && (
        <label className="row">
          Numbers are
          <select className="typed" value={file.unit} onChange={(e) => set('unit', { unit: e.target.value })}>
            {file.format === 'svg'
              ? [
                  <option key="mm" value="mm">
                    mm, one unit is one mm
                  </option>,
                  <option key="96dpi" value="96dpi">
                    96 per inch, no unit stated
                  </option>,
                ]
              : lengthUnits.map((u) => (
                  <option key={u.id} value={u.id}>
                    {u.name} ({u.id})
                  </option>
                ))}
          </select>
        </label>
      )}
      {bare && (
        <p className="c-look">
          <MarkShape mark="look" size={12} /> {receiver.name} looks at no unit and takes numbers for{' '}
          {file.format === 'svg' ? `${cutter.perInch} per inch` : receiver.unit}: the drawing will come out in another size.
        </p>
      )}
      {curves && (
        <>
          <label>
            <input
              type="checkbox"
              checked={how.fit !== null || mustFit}
              disabled={mustFit && how.fit === null}
              onChange={(e) => saveDrawing(props, 'curves', { fit: e.target.checked ? 0.01 : null })}
            />{' '}
            Curves become lines and arcs
            {mustFit && <span className="context"> ({how.version === 'R12' ? 'R12 has no curves' : `${receiver.name} takes no others`})</span>}
          </label>
          {(how.fit !== null || mustFit) && (
            <NumberField label="within" value={how.fit ?? 0.01} unit="mm" low={0.0001} high={5} save={(v) => saveDrawing(props, 'curves', { fit: v })} />
          )}
          {view && view.fitted > 0 && (
            <p className="context">
              Measured: <span className="figure">{Number(view.fitted.toPrecision(3))} mm</span>
            </p>
          )}
        </>
      )}
      <NameAndWrite {...props} />
      <Downloads {...props} />
    </>
  );
}
