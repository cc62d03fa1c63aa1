'use client';
import { Button } from 'antd';
import { Choice } from '@/shell/controls.tsx';
import { transfer } from 'comlink';
import { useEffect, useRef, useState } from 'react';
import {
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  Color,
  DirectionalLight,
  Mesh,
  MeshLambertMaterial,
  OrthographicCamera,
  Scene,
  WebGLRenderer,
} from 'three';
import type { Carved } from 'tall-kite/processes/carve';
import type { PartView } from '@tall-kite/server/jobs/jobs';
import { bytesOf } from '@/light-table/usePart.ts';
import { partWorker } from '@/light-table/worker.ts';
import { MarkShape } from '@/marks/Mark.tsx';
import { NumberField } from './panels/NumberField.tsx';
import { timeText } from './panels/FlatReceived.tsx';
import { Len } from '@/shell/unit.tsx';

/** Most cells along a side of the picture; the field itself is finer. */
const mostDrawn = 320;

/** The sheet as the router leaves it, carved from the bytes of the file alone. */
export function CarvedView({ part }: { part: PartView }) {
  const file = part.file!;
  const { receiver } = file.recipe;
  const how = file.recipe.drawing;
  const stock = how?.stock ?? { width: receiver.bed[0], height: receiver.bed[1], thickness: 12, material: '', zZero: 'top' as const };
  const [bit, setBit] = useState(receiver.cutter!.kerf);
  const [pocket, setPocket] = useState(receiver.cutter!.pocketDepth);
  const [engrave, setEngrave] = useState(1);
  const [side, setSide] = useState<'on' | 'waste'>(how && how.kerf > 0 ? 'on' : 'waste');
  const [made, setMade] = useState<Carved | null>(null);
  const [failure, setFailure] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => setMade(null), [file.id]);
  const ask = async () => {
    setBusy(true);
    setFailure(null);
    try {
      const bytes = await bytesOf(`/api/files/${file.id}`);
      setMade(
        await partWorker().flatCarve(transfer(bytes, [bytes]), file.recipe.file.format, receiver, {
          stock,
          bit,
          side,
          below: 0.2,
          pocketDepth: pocket,
          engraveDepth: engrave,
        }),
      );
    } catch (thrown) {
      setFailure((thrown as Error).message);
    } finally {
      setBusy(false);
    }
  };
  useEffect(() => {
    if (!made || !host.current) return;
    return draw(host.current, made, stock.thickness);
  }, [made, stock.thickness]);
  return (
    <section aria-label="Carved sheet" data-test="carved" data-ready={made ? 'yes' : 'no'}>
      <h3>What the router leaves</h3>
      <div className="choices">
        <NumberField label="Bit" value={bit} unit="mm" low={0.1} high={50} save={setBit} />
        <label className="row">
          It runs
          <Choice
            value={side}
            onChange={(value) => setSide(value as 'on' | 'waste')}
            options={[
              { value: 'on', label: 'on the line: the file is its path' },
              { value: 'waste', label: 'on the waste side of the line' },
            ]}
          />
        </label>
        <NumberField label="Pockets deep" value={pocket} unit="mm" low={0.1} high={100} save={setPocket} />
        <NumberField label="Engraving deep" value={engrave} unit="mm" low={0.05} high={20} save={setEngrave} />
        <Button disabled={busy} onClick={() => void ask()}>
          {busy ? 'Carving …' : made ? 'Carve again' : 'Carve it'}
        </Button>
      </div>
      {failure && <p role="alert">{failure}</p>}
      {made && (
        <>
          <div ref={host} className="carved" role="img" aria-label={`The carved sheet, ${stock.width} × ${stock.height} mm, seen from a corner`} />
          <p>
            <span className="figure">{made.passes}</span> {made.passes === 1 ? 'pass' : 'passes'},{' '}
            <span className="figure">
              <Len mm={made.length} />
            </span>
            , about {timeText(made.time)}; deepest{' '}
            <span className="figure">
              <Len mm={made.deepest} />
            </span>{' '}
            in a sheet of <span className="figure">{stock.thickness} mm</span>; <span className="figure">{(made.removed / 1000).toFixed(1)} cm³</span> of chips.
          </p>
          {made.findings.map((f, i) => (
            <p key={i}>
              <MarkShape mark={f.severity} size={12} /> {f.message} <span className="context">{f.remedy}</span>
            </p>
          ))}
        </>
      )}
    </section>
  );
}

/** Draws the height field once, from a corner; gives back how to take it away. */
function draw(host: HTMLElement, made: Carved, thickness: number): () => void {
  const renderer = new WebGLRenderer({ antialias: true, alpha: true });
  const [w, h] = [host.clientWidth, Math.round(host.clientWidth * 0.66)];
  renderer.setPixelRatio(window.devicePixelRatio);
  renderer.setSize(w, h);
  host.appendChild(renderer.domElement);
  const scene = new Scene();
  const geometry = fieldGeometry(made, thickness);
  const mesh = new Mesh(geometry, new MeshLambertMaterial({ vertexColors: true, flatShading: true }));
  const sx = made.columns * made.cell;
  const sy = made.rows * made.cell;
  scene.add(mesh, new AmbientLight(0xffffff, 1.1));
  const sun = new DirectionalLight(0xffffff, 2.2);
  sun.position.set(-0.4, -0.7, 1.3);
  scene.add(sun);
  const reach = Math.hypot(sx, sy) * 0.56;
  const camera = new OrthographicCamera(-reach, reach, (reach * h) / w, (-reach * h) / w, 0.1, reach * 10);
  camera.up.set(0, 0, 1);
  camera.position.set(sx / 2 - reach * 0.9, sy / 2 - reach * 2, reach * 3);
  camera.lookAt(sx / 2, sy / 2, -thickness / 2);
  renderer.render(scene, camera);
  return () => {
    geometry.dispose();
    mesh.material.dispose();
    renderer.dispose();
    renderer.domElement.remove();
  };
}

function fieldGeometry(made: Carved, thickness: number): BufferGeometry {
  const every = Math.max(1, Math.ceil(Math.max(made.columns, made.rows) / mostDrawn));
  const [c, r] = [Math.floor(made.columns / every), Math.floor(made.rows / every)];
  const positions = new Float32Array(c * r * 3);
  const colours = new Float32Array(c * r * 3);
  // Bare wood on top, darker the deeper it is cut.
  const [top, deep] = [new Color('#e6d3ab'), new Color('#6d4d2a')];
  const shade = new Color();
  const index: number[] = [];
  for (let y = 0; y < r; y++) {
    for (let x = 0; x < c; x++) {
      const d = made.depths[y * every * made.columns + x * every];
      positions.set([(x + 0.5) * every * made.cell, (y + 0.5) * every * made.cell, -Math.min(d, thickness)], (y * c + x) * 3);
      shade
        .copy(top)
        .lerp(deep, d > 0 ? 0.35 + 0.65 * Math.min(1, d / thickness) : 0)
        .toArray(colours, (y * c + x) * 3);
      if (x + 1 < c && y + 1 < r) {
        const a = y * c + x;
        // Cut through on all four corners: nothing is left there.
        const gone = [a, a + 1, a + c, a + c + 1].every((i) => {
          const [ix, iy] = [i % c, Math.floor(i / c)];
          return made.depths[iy * every * made.columns + ix * every] >= thickness;
        });
        if (!gone) index.push(a, a + 1, a + c, a + 1, a + c + 1, a + c);
      }
    }
  }
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(positions, 3));
  geometry.setAttribute('color', new BufferAttribute(colours, 3));
  geometry.setIndex(index);
  geometry.computeVertexNormals();
  return geometry;
}
