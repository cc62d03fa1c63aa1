'use client';
import { useEffect, useRef, useState } from 'react';
import {
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  Color,
  DirectionalLight,
  DoubleSide,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshLambertMaterial,
  OrthographicCamera,
  Scene,
  Vector3,
  WebGLRenderer,
} from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { inksOf } from '@/light-table/shown.tsx';
import { useTheme } from '@/shell/Shell.tsx';
import { BendTable, FeatureList, FlatFacts } from './BendTable.tsx';
import { FoldSlider } from './FoldSlider.tsx';
import { useFold, type FoldedView } from './useFold.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';

/** A flat pattern's bends: folded up and down, the bend table, and what the press brake gets. */
export function BendsPanel({ part }: { part: PartView }) {
  const flat = part.summary.flat!;
  const [share, setShare] = useState(1);
  const { view, failed } = useFold(`/api/parts/${part.id}/geometry?what=geometry&of=${part.view}`, share, 1);
  const size = Math.max(flat.box[2] - flat.box[0], flat.box[3] - flat.box[1]);
  return (
    <section aria-label="Bends" data-test="bendspanel">
      <h2>Bends</h2>
      <FlatFacts flat={flat} />
      {!flat.flatAlready && (
        <>
          <FoldPicture view={view} size={size} name={part.name} share={share} />
          <FoldSlider share={share} set={setShare} ready={view !== null} />
          {failed && <p className="context">The folded view could not be drawn; the drawing was changed since it was unfolded.</p>}
        </>
      )}
      <BendTable flat={flat} />
      {flat.bends.length > 0 && (
        <p className={desk.buttons}>
          <a className={`${frame.plain} ${frame.small}`} href={`/api/parts/${part.id}/flat?what=bends`} download>
            Bend table, CSV
          </a>
          <a className={`${frame.plain} ${frame.small}`} href={`/api/parts/${part.id}/flat?what=picture`} download>
            Picture for the press brake
          </a>
        </p>
      )}
      <FeatureList flat={flat} />
    </section>
  );
}

/** A small stage of its own: the sheet part, turned by dragging. */
function FoldPicture({ view, size, name, share }: { view: FoldedView | null; size: number; name: string; share: number }) {
  const host = useRef<HTMLDivElement>(null);
  const stage = useRef<{ scene: Scene; draw: () => void; body: Mesh; lines: LineSegments; centre: (v: Vector3) => void } | null>(null);
  const { theme } = useTheme();
  useEffect(() => {
    const element = host.current!;
    const inks = inksOf(document.documentElement.dataset.theme ?? 'light');
    const renderer = new WebGLRenderer({ antialias: true, alpha: true });
    const [w, h] = [element.clientWidth, Math.round(element.clientWidth * 0.62)];
    renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    renderer.setSize(w, h);
    element.appendChild(renderer.domElement);
    const scene = new Scene();
    const reach = size * 0.72;
    const camera = new OrthographicCamera(-reach, reach, (reach * h) / w, (-reach * h) / w, -size * 20, size * 20);
    camera.up.set(0, 0, 1);
    camera.position.set(-0.62, -1, 0.62);
    const light = new DirectionalLight(0xffffff, 1.5);
    light.position.set(-0.4, -0.8, 1);
    camera.add(light);
    const body = new Mesh(
      new BufferGeometry(),
      new MeshLambertMaterial({
        color: new Color(inks.designed).lerp(new Color(inks.sheet), 0.74),
        side: DoubleSide,
        flatShading: true,
        polygonOffset: true,
        polygonOffsetFactor: 1,
        polygonOffsetUnits: 1,
      }),
    );
    const lines = new LineSegments(new BufferGeometry(), new LineBasicMaterial({ color: inks.designed }));
    scene.add(camera, new AmbientLight(0xffffff, 1.9), body, lines);
    const controls = new OrbitControls(camera, renderer.domElement);
    controls.enableDamping = false;
    controls.enableZoom = false;
    const draw = () => renderer.render(scene, camera);
    controls.addEventListener('change', draw);
    stage.current = {
      scene,
      draw,
      body,
      lines,
      centre: (v) => {
        const by = v.clone().sub(controls.target);
        controls.target.copy(v);
        camera.position.add(by);
        controls.update();
      },
    };
    return () => {
      stage.current = null;
      controls.dispose();
      body.geometry.dispose();
      lines.geometry.dispose();
      renderer.dispose();
      renderer.domElement.remove();
    };
  }, [size, theme]);
  useEffect(() => {
    const s = stage.current;
    if (!s || !view) return;
    s.body.geometry.dispose();
    s.body.geometry = new BufferGeometry().setAttribute('position', new BufferAttribute(view.positions, 3)).setIndex(new BufferAttribute(view.triangles, 1));
    s.lines.geometry.dispose();
    s.lines.geometry = new BufferGeometry().setAttribute('position', new BufferAttribute(view.edges, 3));
    s.body.geometry.computeBoundingBox();
    s.centre(s.body.geometry.boundingBox!.getCenter(new Vector3()));
    s.draw();
  }, [view, size, theme]);
  return <div ref={host} className={desk.carved} data-test="carved" role="img" aria-label={`${name}, ${Math.round(share * 100)} % folded`} />;
}
