'use client';
import { Glide } from '@/shell/controls.tsx';
import { Input, Button } from 'antd';
import { transfer } from 'comlink';
import { useEffect, useRef, useState, type RefObject } from 'react';
import { durationText } from 'tall-kite/base/figures';
import { usualPrint, type LayerPaths, type PrintChoice } from 'tall-kite/processes/print';
import type { SlicedView } from '@/workers/part.worker.ts';
import { MarkShape } from '@/marks/Mark.tsx';
import { useTheme } from '@/shell/Shell.tsx';
import type { Scene } from '../Scene.ts';
import { partWorker } from '../worker.ts';
import type { PanelProps } from './panel.ts';
import desk from '@/shell/desk.module.css';
import widths from '@/shell/widths.module.css';
import style from './panels.module.css';

/** The file printed in the mind: layers as a stack on the table, one of them with its beads here, and what a careful eye sees. */
export function LayersView({ part, scene }: PanelProps & { scene: RefObject<Scene | null> }) {
  const file = part.file!;
  const { receiver } = file.recipe;
  const [choice, setChoice] = useState<PrintChoice>(usualPrint(receiver));
  const [made, setMade] = useState<SlicedView | null>(null);
  const [at, setAt] = useState(0);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);
  useEffect(() => {
    setMade(null);
    return () => scene.current?.setLayers(null);
  }, [file.id, scene]);
  useEffect(() => scene.current?.setLayers(made, at), [made, at, scene]);
  const run = async () => {
    setBusy(true);
    setTrouble(null);
    try {
      const bytes = await fetch(`/api/files/${file.id}`).then((r) => r.arrayBuffer());
      const sliced = await partWorker().slice(transfer(bytes, [bytes]), file.recipe.file.format ?? 'stl', file.recipe.receiver, choice);
      setMade(sliced);
      setAt(Math.floor(sliced.heights.length / 2));
    } catch (thrown) {
      setTrouble((thrown as Error).message);
    }
    setBusy(false);
  };
  const r = made?.report;
  return (
    <section aria-label="Layers" className={style.layers} data-test="layers" data-layers={made?.heights.length ?? 0}>
      <h3>Layers, from the bytes</h3>
      <div className={desk.buttons}>
        <PrintFields choice={choice} set={setChoice} />
        <Button disabled={busy} onClick={() => void run()}>
          {busy ? 'Slicing …' : made ? 'Slice again' : 'Slice it'}
        </Button>
        {made && (
          <Button onClick={() => setMade(null)} size="small">
            Show the part again
          </Button>
        )}
      </div>
      {trouble && (
        <p role="alert" className="c-stop">
          {trouble}
        </p>
      )}
      {made && r && (
        <>
          <label className={desk.row}>
            <span>
              Layer <span className="figure">{at + 1}</span> of <span className="figure">{made.heights.length}</span>
            </span>
            <span className="figure">
              {made.heights[at].toFixed(2)} mm, {made.areas[at].toFixed(1)} mm²
            </span>
          </label>
          <Glide label="Layer" words={`layer ${at + 1} of ${made.heights.length}`} min={0} max={made.heights.length - 1} value={at} onChange={setAt} />
          <OneLayer index={at} made={made} bead={choice.bead} />
          <Seen report={r} />
        </>
      )}
    </section>
  );
}

/** How the part is thought to be printed. */
function PrintFields({ choice, set }: { choice: PrintChoice; set: (choice: PrintChoice) => void }) {
  const number = (key: 'layer' | 'bead' | 'walls', label: string, unit: string, step: number) => (
    <label>
      {label}{' '}
      <Input
        type="number"
        min={step}
        step={step}
        value={choice[key]}
        onChange={(e) => Number(e.target.value) > 0 && set({ ...choice, [key]: Number(e.target.value) })}
        className={`num ${widths.w58}`}
        size="small"
      />{' '}
      <span className="figure">{unit}</span>
    </label>
  );
  return (
    <>
      {number('layer', 'Layer', 'mm', 0.05)}
      {number('bead', 'Bead', 'mm', 0.05)}
      {number('walls', 'Walls', '', 1)}
      <label>
        Infill{' '}
        <Input
          type="number"
          min={0}
          max={100}
          step={5}
          value={Math.round(choice.infill * 100)}
          onChange={(e) => set({ ...choice, infill: Math.min(100, Math.max(0, Number(e.target.value))) / 100 })}
          className={`num ${widths.w50}`}
          size="small"
        />{' '}
        <span className="figure">%</span>
      </label>
    </>
  );
}

/** Time, weight, and what a careful eye sees in the layers. */
function Seen({ report: r }: { report: SlicedView['report'] }) {
  return (
    <>
      <p>
        About <span className="figure">{durationText(r.minutes)}</span>, <span className="figure">{r.filamentMass.toFixed(1)} g</span>,{' '}
        <span className="figure">{(r.filamentLength / 1000).toFixed(2)} m</span> of filament
        {r.supportVolume > 0 && (
          <>
            , support <span className="figure">{(r.supportVolume / 1000).toFixed(1)} cm³</span>
          </>
        )}
        .
      </p>
      <p className="context">Taken for this: filament 1.75 mm, 1.24 g/cm³; 60 mm/s; four solid layers below and above; support 15 % full.</p>
      {r.findings.map((f) => (
        <p key={f.code}>
          <MarkShape mark={f.severity} size={11} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
      {r.findings.length === 0 && (
        <p>
          <MarkShape mark="clear" size={11} /> Every layer closes; nothing hangs, floats or is too thin.
        </p>
      )}
    </>
  );
}

/** One layer from above: walls as beads, infill as lines, open contours in the ink of stop. */
function OneLayer({ index, made, bead }: { index: number; made: SlicedView; bead: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { theme } = useTheme();
  const [paths, setPaths] = useState<LayerPaths | null>(null);
  useEffect(() => {
    let gone = false;
    void partWorker()
      .paths(index)
      .then((p) => !gone && setPaths(p));
    return () => {
      gone = true;
    };
  }, [index, made]);
  useEffect(() => {
    const c = canvas.current;
    const g = c?.getContext('2d');
    if (!c || !g || !paths) return;
    const computed = getComputedStyle(document.documentElement);
    const ink = (name: string) => computed.getPropertyValue(`--${name}`).trim();
    const ratio = Math.min(2, window.devicePixelRatio);
    c.width = c.clientWidth * ratio;
    c.height = c.clientHeight * ratio;
    // The whole part's extent, so that layers do not jump.
    let [x0, x1, y0, y1] = [Infinity, -Infinity, Infinity, -Infinity];
    for (let i = 0; i < made.segments.length; i += 3) {
      x0 = Math.min(x0, made.segments[i]);
      x1 = Math.max(x1, made.segments[i]);
      y0 = Math.min(y0, made.segments[i + 1]);
      y1 = Math.max(y1, made.segments[i + 1]);
    }
    const scale = 0.94 * Math.min(c.width / Math.max(1e-9, x1 - x0), c.height / Math.max(1e-9, y1 - y0));
    g.setTransform(scale, 0, 0, -scale, c.width / 2 - (scale * (x0 + x1)) / 2, c.height / 2 + (scale * (y0 + y1)) / 2);
    g.clearRect(x0 - 1e5, y0 - 1e5, 2e5 + x1 - x0, 2e5 + y1 - y0);
    const draw = (points: Float32Array, closed: boolean) => {
      g.beginPath();
      for (let i = 0; i < points.length; i += 2) g.lineTo(points[i], points[i + 1]);
      if (closed) g.closePath();
      g.stroke();
    };
    g.lineJoin = 'round';
    g.lineWidth = Math.max(0.9 * bead, 1 / scale);
    g.strokeStyle = ink('received');
    g.globalAlpha = 0.35;
    g.beginPath();
    for (let i = 0; i < paths.infill.length; i += 4) {
      g.moveTo(paths.infill[i], paths.infill[i + 1]);
      g.lineTo(paths.infill[i + 2], paths.infill[i + 3]);
    }
    g.stroke();
    g.globalAlpha = 0.85;
    for (const wall of paths.walls) draw(wall, true);
    g.globalAlpha = 1;
    g.strokeStyle = ink('stop');
    g.lineWidth = Math.max(bead, 2 / scale);
    for (const open of paths.open) draw(open, false);
  }, [paths, made, bead, theme]);
  return <canvas ref={canvas} className={style.onelayer} role="img" aria-label={`Layer ${index + 1} from above`} />;
}
