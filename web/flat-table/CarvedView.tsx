'use client';
import { transfer } from 'comlink';
import { useEffect, useRef } from 'react';
import { useQuery } from '@tanstack/react-query';
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
import { secondsText } from 'tall-kite/base/figures';
import type { CarveRecipe, DrawingRecipe } from 'tall-kite/model/drawing-recipe';
import type { Carved, CarveChoice } from 'tall-kite/processes/carve';
import type { Receiver } from 'tall-kite/receivers/receivers';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { bytesOf } from '@/light-table/usePart.ts';
import { partWorker } from '@/light-table/worker.ts';
import { MarkShape } from '@/marks/Mark.tsx';
import { Len } from '@/shell/unit.tsx';
import desk from '@/shell/desk.module.css';

/** Most cells along a side of the picture; the field itself is finer. */
const mostDrawn = 320;

/** The sheet as the router leaves it, carved from the bytes of the file alone: depths are those that its layers name. */
export function CarvedView({ part }: { part: PartView }) {
  const file = part.file!;
  const { receiver, drawing } = file.recipe;
  const choice = carveChoice(receiver, drawing!);
  const carved = useQuery({
    queryKey: ['carved', file.id],
    staleTime: Infinity,
    retry: false,
    queryFn: async () => {
      const bytes = await bytesOf(`/api/files/${file.id}`);
      return partWorker().flatCarve(transfer(bytes, [bytes]), file.recipe.file.format, receiver, choice);
    },
  });
  return (
    <section aria-label="Carved sheet" data-test="carved" data-ready={carved.data ? 'yes' : 'no'}>
      <h3>What the router leaves of the file</h3>
      <CarvedPicture made={carved.data ?? null} failure={carved.error?.message ?? null} stock={choice.stock} />
    </section>
  );
}

/** What a router is to do with a drawing: what was chosen on the step Depths, else its own rules. */
export function carveChoice(receiver: Receiver, drawing: DrawingRecipe): CarveChoice {
  const stock = drawing.stock ?? { width: receiver.bed[0], height: receiver.bed[1], thickness: 12 };
  const { bit, side, pocket, engrave, below } = drawing.carve ?? firstCarve(receiver, drawing);
  return { stock, bit, side, below, pocketDepth: pocket, engraveDepth: engrave };
}

/** Depths and bit while nobody has said any: those of the machine. A file moved by the kerf holds the path of the bit. */
export const firstCarve = ({ cutter }: Receiver, { kerf }: DrawingRecipe): CarveRecipe => ({
  bit: Math.max(0.1, cutter!.kerf),
  side: kerf > 0 ? 'on' : 'waste',
  pocket: Math.max(0.1, cutter!.pocketDepth),
  engrave: 1,
  below: 0.2,
});

/** The carved sheet from a corner, with its figures and what is wrong with it. */
export function CarvedPicture({ made, failure, stock }: { made: Carved | null; failure: string | null; stock: CarveChoice['stock'] }) {
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!made || !host.current) return;
    return draw(host.current, made, stock.thickness);
  }, [made, stock.thickness]);
  if (failure) return <p role="alert">{failure}</p>;
  if (!made) return <p className="context">Carving it …</p>;
  return (
    <>
      <div
        ref={host}
        className={desk.carved}
        data-test="carved"
        role="img"
        aria-label={`The carved sheet, ${stock.width} × ${stock.height} mm, seen from a corner`}
      />
      <p>
        <span className="figure">{made.passes}</span> {made.passes === 1 ? 'pass' : 'passes'},{' '}
        <span className="figure">
          <Len mm={made.length} />
        </span>
        , about {secondsText(made.time)}; deepest{' '}
        <span className="figure">
          <Len mm={made.deepest} />
        </span>{' '}
        in a sheet of{' '}
        <span className="figure">
          <Len mm={stock.thickness} />
        </span>
        ; <span className="figure">{(made.removed / 1000).toFixed(1)} cm³</span> of chips.
      </p>
      {made.findings.map((f, i) => (
        <p key={i}>
          <MarkShape mark={f.severity} size={12} /> {f.message} <span className="context">{f.remedy}</span>
        </p>
      ))}
    </>
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
