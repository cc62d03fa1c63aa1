'use client';
import { Checkbox } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import { dxfVersions, type DxfVersion } from 'tall-kite/model/dxf-version';
import { formatNames, type Cutter, type FileFormat } from 'tall-kite/receivers/receivers';
import type { Recipe } from 'tall-kite/recipe/recipe';
import { lengthUnits } from 'tall-kite/base/readings';
import { MarkShape } from '@/marks/Mark.tsx';
import { Downloads, formatWords } from '@/light-table/panels/FilePanel.tsx';
import { saveRecipe, type PanelProps } from '@/light-table/panels/panel.ts';
import { NameAndWrite, ReceiverChoice } from '@/light-table/panels/parts.tsx';
import type { FlatView } from '@/workers/flat.ts';
import { NumberField } from './NumberField.tsx';
import { mustFit, saveDrawing, takenFor } from './recipe.ts';
import desk from '@/shell/desk.module.css';

/** Format, version, unit and name of a drawing's file, and the file itself. */
export function FlatFile(props: PanelProps & { view: FlatView | null }) {
  const { part } = props;
  const { recipe } = part;
  const { file } = recipe;
  const { receiver } = recipe;
  const cutter = receiver.cutter!;
  const set = (what: string, change: Partial<typeof file>) => saveRecipe(props, `${what} of ${part.name}`, { file: { ...file, ...change } });
  const curves = Object.entries(part.summary.drawing!.segments).some(([kind, n]) => n > 0 && kind !== 'line' && kind !== 'arc');
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
      {file.format === 'dxf' && <DxfRows {...props} cutter={cutter} />}
      {file.format !== 'pdf' && (
        <label className={desk.row}>
          Numbers are
          <Choice value={file.unit} onChange={(unit) => set('unit', { unit })} options={file.format === 'svg' ? svgUnits : dxfUnits} />
        </label>
      )}
      <OtherSize recipe={recipe} cutter={cutter} />
      {curves && <CurveRows {...props} cutter={cutter} />}
      <NameAndWrite {...props} />
      <Downloads {...props} />
    </>
  );
}

const svgUnits = [
  { value: 'mm', label: 'mm, one unit is one mm' },
  { value: '72dpi', label: 'points, 72 per inch, and the true size' },
  { value: '90dpi', label: 'points, 90 per inch, and the true size' },
  { value: '96dpi', label: '96 per inch, no unit stated' },
];

const dxfUnits = lengthUnits.map((u) => ({ value: u.id, label: `${u.name} (${u.id})` }));

/** The version of a DXF, and whether repeated parts are blocks. */
function DxfRows(props: PanelProps & { cutter: Cutter }) {
  const { part, cutter } = props;
  const how = part.recipe.drawing!;
  const reads = (v: DxfVersion) => cutter.versions.includes(v);
  return (
    <>
      <label className={desk.row}>
        DXF version
        <Choice
          value={how.version}
          label="DXF version"
          onChange={(value) => saveDrawing(props, 'DXF version', { version: value as DxfVersion })}
          options={dxfVersions.map((v) => ({ value: v, label: reads(v) ? v : `${v}, not read by it` }))}
        />
      </label>
      {!reads(how.version) && (
        <p className="c-stop">
          <MarkShape mark="stop" size={12} /> {part.recipe.receiver.name} reads {cutter.versions.join(', ')} only.
        </p>
      )}
      <Checkbox checked={how.blocks} onChange={(e) => saveDrawing(props, 'blocks', { blocks: e.target.checked })}>
        Repeated parts written once, as blocks
      </Checkbox>
    </>
  );
}

/** For a machine that looks at no unit, and takes the numbers for others than they are. */
function OtherSize({ recipe, cutter }: { recipe: Recipe; cutter: Cutter }) {
  const takes = takenFor(recipe.file, recipe.receiver.unit, cutter);
  if (takes === null) return null;
  return (
    <p className="c-look">
      <MarkShape mark="look" size={12} /> {recipe.receiver.name} looks at no unit and takes numbers for {takes}: the drawing will come out in another size.
    </p>
  );
}

/** Whether curves are written as lines and arcs, and how near. */
function CurveRows(props: PanelProps & { cutter: Cutter; view: FlatView | null }) {
  const { part, cutter, view } = props;
  const { file, receiver } = part.recipe;
  const how = part.recipe.drawing!;
  const must = mustFit(file.format, how.version, cutter);
  return (
    <>
      <Checkbox
        checked={how.fit !== null || must}
        disabled={must && how.fit === null}
        onChange={(e) => saveDrawing(props, 'curves', { fit: e.target.checked ? 0.01 : null })}
      >
        Curves become lines and arcs
        {must && <span className="context"> ({how.version === 'R12' ? 'R12 has no curves' : `${receiver.name} takes no others`})</span>}
      </Checkbox>
      {(how.fit !== null || must) && (
        <NumberField label="within" value={how.fit ?? 0.01} unit="mm" low={0.0001} high={5} save={(v) => saveDrawing(props, 'curves', { fit: v })} />
      )}
      {view && view.fitted > 0 && (
        <p className="context">
          Measured: <span className="figure">{Number(view.fitted.toPrecision(3))} mm</span>
        </p>
      )}
    </>
  );
}
