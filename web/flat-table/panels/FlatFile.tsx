'use client';
import { Checkbox } from 'antd';
import { Choice } from '@/shell/controls.tsx';
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
import desk from '@/shell/desk.module.css';

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
      <label className={desk.row}>
        Format
        <Choice
          value={file.format}
          onChange={(value) => set('format', { format: value as FileFormat, unit: value === 'svg' && cutter.perInch !== null ? `${cutter.perInch}dpi` : 'mm' })}
          options={[
            ...receiver.formats.map((f) => ({ value: f, label: `${formatNames[f]}, ${formatWords[f]}` })),
            ...(!receiver.formats.includes(file.format) ? [{ value: file.format, label: `${formatNames[file.format]}, not read by it` }] : []),
          ]}
        />
      </label>
      {file.format === 'dxf' && (
        <>
          <label className={desk.row}>
            DXF version
            <Choice
              value={how.version}
              label="DXF version"
              onChange={(value) => saveDrawing(props, 'DXF version', { version: value as DxfVersion })}
              options={[...dxfVersions.map((v) => ({ value: v, label: `${v} ${cutter.versions.includes(v) ? '' : ', not read by it'}` }))]}
            />
          </label>
          {unread && (
            <p className="c-stop">
              <MarkShape mark="stop" size={12} /> {receiver.name} reads {cutter.versions.join(', ')} only.
            </p>
          )}
          <Checkbox checked={how.blocks} onChange={(e) => saveDrawing(props, 'blocks', { blocks: e.target.checked })}>
            Repeated parts written once, as blocks
          </Checkbox>
        </>
      )}
      {file.format !== 'pdf' && (
        <label className={desk.row}>
          Numbers are
          <Choice
            value={file.unit}
            onChange={(unit) => set('unit', { unit })}
            options={
              file.format === 'svg'
                ? [
                    { value: 'mm', label: 'mm, one unit is one mm' },
                    { value: '72dpi', label: 'points, 72 per inch, and the true size' },
                    { value: '90dpi', label: 'points, 90 per inch, and the true size' },
                    { value: '96dpi', label: '96 per inch, no unit stated' },
                  ]
                : lengthUnits.map((u) => ({ value: u.id, label: `${u.name} (${u.id})` }))
            }
          />
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
          <Checkbox
            checked={how.fit !== null || mustFit}
            disabled={mustFit && how.fit === null}
            onChange={(e) => saveDrawing(props, 'curves', { fit: e.target.checked ? 0.01 : null })}
          >
            Curves become lines and arcs
            {mustFit && <span className="context"> ({how.version === 'R12' ? 'R12 has no curves' : `${receiver.name} takes no others`})</span>}
          </Checkbox>
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
