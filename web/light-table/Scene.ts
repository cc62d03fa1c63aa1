import {
  AdditiveBlending,
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  CustomBlending,
  DirectionalLight,
  DoubleSide,
  DstColorFactor,
  GridHelper,
  Group,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  MeshLambertMaterial,
  OrthographicCamera,
  Points,
  PointsMaterial,
  Quaternion,
  Raycaster,
  Scene as ThreeScene,
  Vector2,
  Vector3,
  Plane,
  WebGLRenderer,
  ZeroFactor,
  AddEquation,
  Color,
  type Material,
} from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { Differences } from 'tall-kite/surfaces/difference';
import { heavyAbove } from 'tall-kite/view/light';
import type { View } from 'tall-kite/view/view';
import { clear, dispose, lines, struckBy, triangles, wireGeometry } from './drawn.ts';
import { colouredPrint } from './coloured.ts';
import type { MeasuredPicks, Picture } from '@/workers/part.worker.ts';
import { hiddenBy, nearEdge, type Pick } from './picking.ts';
import { warming } from './warm.ts';
import type { Shown } from './shown.tsx';
import { cutPrint, fillCut, reachAlong, type CutPrint, type SectionFigures, type SectionPlane } from './section-cut.ts';

export type Side = 'front' | 'back' | 'left' | 'right' | 'top' | 'under' | 'corner';

interface Palette {
  sheet: string;
  designed: string;
  received: string;
  rule: string;
  look: string;
  stop: string;
  ink: string;
  dark: boolean;
}

/** What of a design lies this much farther off the file than anything of the file off the design was not received. */
const missed = 1.2;

/** So long after its last move the camera rests, ms. */
const restMs = 200;

/** Layers of what is drawn only while the camera rests, and only while it moves; all else is in the first. */
const inMotion = { rests: 1, moves: 2 };

/** Names of what is drawn of every triangle of a print. */
const finer = new Set(['wires', 'shades']);

/** Where each view looks from; one home for both stages. */
export const directions: Record<Side, [number, number, number]> = {
  front: [0, -1, 0],
  back: [0, 1, 0],
  left: [-1, 0, 0],
  right: [1, 0, 0],
  top: [0, -1e-4, 1],
  under: [0, -1e-4, -1],
  corner: [-0.62, -1, 0.62],
};

/**
 * Draws a part as designed and as received with one camera. Overlaid, the second is multiplied onto the first (added up
 * on the dark ground): where both agree the inks darken to one, where they differ two colours show.
 */
export class Scene {
  onPick: ((pick: Pick | null) => void) | null = null;
  onTurn: (() => void) | null = null;
  private readonly renderer: WebGLRenderer;
  private readonly three = new ThreeScene();
  private readonly camera = new OrthographicCamera(-1, 1, 1, -1, -1e5, 1e5);
  private readonly controls: OrbitControls;
  private readonly designed = new Group();
  private readonly received = new Group();
  private readonly difference = new Group();
  private readonly ground = new Group();
  private readonly marks = new Group();
  private readonly places = new Group();
  private readonly layers = new Group();
  private readonly cuts = { designed: new Group(), received: new Group() };
  private section: SectionPlane | null = null;
  private print: (CutPrint & { own: boolean }) | null = null;
  private differences: Differences | null = null;
  private layered = false;
  private shades: readonly [Uint32Array, Uint32Array] | null = null;
  private readonly raycaster = new Raycaster();
  private readonly host: HTMLElement;
  private readonly resize: ResizeObserver;
  private body: Mesh | null = null;
  private view: View | null = null;
  private radius = 50;
  private centre = new Vector3();
  private shown: Shown = 'both';
  private split = 0.5;
  private wires = false;
  private palette: Palette;
  private queued = 0;
  private pressed: [number, number] | null = null;
  /** The camera moves: heavy prints are drawn light until it has rested. */
  private moving = false;
  private drawnMoving = false;
  private warm: (() => boolean) | null = null;
  private rested: ReturnType<typeof setTimeout> | undefined;

  constructor(host: HTMLElement, palette: Palette) {
    this.host = host;
    this.palette = palette;
    this.renderer = new WebGLRenderer({ antialias: true, preserveDrawingBuffer: false });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.renderer.autoClear = false;
    // Asking how a shader came out waits until all is drawn that was asked for before.
    this.renderer.debug.checkShaderErrors = process.env.NODE_ENV !== 'production';
    host.appendChild(this.renderer.domElement);
    this.renderer.domElement.setAttribute('role', 'img');
    this.renderer.domElement.setAttribute('aria-label', 'The part, turned by dragging or by the squares of the unfolded box');
    this.camera.up.set(0, 0, 1);
    this.controls = new OrbitControls(this.camera, this.renderer.domElement);
    this.controls.enableDamping = false;
    this.controls.addEventListener('start', () => {
      clearTimeout(this.rested);
      this.moving = true;
    });
    this.controls.addEventListener('end', () => {
      clearTimeout(this.rested);
      this.rested = setTimeout(() => {
        this.moving = false;
        if (this.drawnMoving) this.draw();
      }, restMs);
    });
    this.controls.addEventListener('change', () => {
      this.draw();
      this.onTurn?.();
    });
    this.raycaster.params.Line.threshold = 0.5;
    const light = new DirectionalLight(0xffffff, 1.5);
    light.position.set(-0.4, -0.8, 1);
    this.camera.add(light);
    this.three.add(
      new AmbientLight(0xffffff, 1.9),
      this.camera,
      this.ground,
      this.designed,
      this.received,
      this.difference,
      this.marks,
      this.places,
      this.layers,
      this.cuts.designed,
      this.cuts.received,
    );
    this.resize = new ResizeObserver(() => this.fitCanvas());
    this.resize.observe(host);
    const canvas = this.renderer.domElement;
    canvas.addEventListener('pointerdown', (e) => (this.pressed = [e.clientX, e.clientY]));
    canvas.addEventListener('pointerup', (e) => this.released(e));
    this.fitCanvas();
  }

  /** New colours, after the theme turned. */
  recolour(palette: Palette): void {
    this.palette = palette;
    for (const group of [this.designed, this.received, this.ground, this.marks]) {
      group.traverse((object) => {
        const material = (object as Mesh).material as (Material & { color?: Color; userData: { ink?: keyof Palette; tint?: number } }) | undefined;
        if (material?.color && material.userData.ink) material.color.set(this.inkOf(material.userData.ink, material.userData.tint ?? 0));
        if (material?.colorWrite && group === this.received) this.overlay(material);
      });
    }
    this.setDifference(this.differences);
    this.draw();
  }

  /** The part as designed. Keeps the camera when only the triangles changed. */
  setDesigned(view: View, keepCamera: boolean): void {
    this.view = view;
    clear(this.designed);
    const geometry = triangles(view.positions, view.triangles);
    this.body = new Mesh(geometry, this.paint('designed', 0.76));
    // A heavy part is drawn once all shaders are ready.
    if (view.triangles.length > 3 * heavyAbove) {
      this.body.layers.set(inMotion.rests);
      this.warm ??= warming(this.renderer, this.camera);
    }
    this.designed.add(this.body, lines(view.edges, this.line('designed')));
    if (view.open.length > 0) {
      const open = lines(view.open, this.line('stop'));
      open.renderOrder = 5;
      this.designed.add(open);
      (open.material as LineBasicMaterial).depthTest = false;
    }
    // What hangs over may have been known before the part was here.
    this.drawShades();
    if (!keepCamera) {
      this.centre.copy(geometry.boundingSphere!.center);
      this.radius = Math.max(1e-3, geometry.boundingSphere!.radius);
    }
    this.wireframe(this.wires);
    this.draw();
  }

  /** What is drawn of a heavy design while the camera moves; null for one that is not heavy. */
  setLight(light: Picture | null): void {
    this.lighten(this.designed, this.body ? [this.body] : [], light);
  }

  /** Meshes of a group that are drawn while the camera rests, and one light picture in place of each while it moves; null: they are drawn always. */
  private lighten(group: Group, heavy: readonly Mesh[], light: Picture | null): void {
    for (const old of group.children.filter((c) => c.name === 'light')) {
      group.remove(old);
      (old as Mesh).geometry.dispose();
    }
    for (const mesh of heavy) mesh.layers.set(light || mesh.geometry.index!.count > 3 * heavyAbove ? inMotion.rests : 0);
    for (const child of group.children) if (finer.has(child.name)) child.layers.set(light ? inMotion.rests : 0);
    if (!light) return;
    const geometry = triangles(light.positions, light.triangles);
    for (const { material, renderOrder, visible } of heavy) {
      const drawn = new Mesh(geometry, material);
      drawn.layers.set(inMotion.moves);
      Object.assign(drawn, { renderOrder, visible, name: 'light' });
      group.add(drawn);
    }
    this.draw();
  }

  /** Facets to be shown as the design's own triangles (a preview), or null to go back. */
  setPreview(preview: Picture | null): void {
    const old = this.designed.getObjectByName('preview');
    if (old) {
      this.designed.remove(old);
      dispose(old as Mesh);
    }
    if (preview) {
      const mesh = new Mesh(triangles(preview.positions, preview.triangles), this.paint('designed', 0.76));
      mesh.name = 'preview';
      this.designed.add(mesh);
    }
    for (const drawn of [this.body, this.designed.getObjectByName('light')]) if (drawn) drawn.visible = !preview;
    this.wireframe(this.wires);
    this.draw();
  }

  /** What was received, or what an operation proposes: `own` says that its coordinates are the part's own. */
  setReceived(view: (Picture & { edges: Float32Array; light?: Picture | null }) | null, own = false): void {
    clear(this.received);
    this.received.matrixAutoUpdate = false;
    if (own) this.received.matrix.copy(this.designed.matrix);
    else this.received.matrix.identity();
    this.received.matrixWorldNeedsUpdate = true;
    this.print = view && { positions: view.positions, triangles: view.triangles, own };
    if (view) {
      const mesh = new Mesh(triangles(view.positions, view.triangles), this.overlay(this.paint('received', 0.76)));
      // Depth first, so that only the nearest surface is multiplied and not every one behind it.
      const hidden = new Mesh(
        mesh.geometry,
        new MeshLambertMaterial({ colorWrite: false, side: DoubleSide, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 }),
      );
      this.received.add(hidden);
      const edges = lines(view.edges, this.overlay(this.line('received')));
      mesh.renderOrder = 2;
      edges.renderOrder = 3;
      this.received.add(mesh, edges);
      this.lighten(this.received, [hidden, mesh], view.light ?? null);
    }
    this.wireframe(this.wires);
    this.show(this.shown);
  }

  /** Both prints coloured by how far they lie apart; null takes the colours away. */
  setDifference(map: Differences | null): void {
    this.differences = map;
    clear(this.difference);
    if (map && this.view && this.print && map.designed.length * 3 === this.view.triangles.length && map.received.length * 3 === this.print.triangles.length) {
      const { dark, sheet, designed, received } = this.palette;
      const inks = { outside: new Color(received), within: new Color(designed), same: new Color(dark ? '#5a6275' : sheet) };
      this.difference.add(colouredPrint(this.print, map.received, { most: map.largest, inks }));
      // Where both are, one picture is enough; of the design only what was not received at all.
      const most = map.received.reduce((m, d) => Math.max(m, Math.abs(d)), 0);
      const missing = colouredPrint(this.view, map.designed, { most: map.largest, inks, wanted: (d) => Math.abs(d) > missed * most });
      missing.matrixAutoUpdate = false;
      missing.matrix.copy(this.designed.matrix);
      this.difference.add(missing);
    }
    this.draw();
  }

  /** How the part stands: turn and scale of the design, so that received coordinates fall on it. */
  setStance(turn: readonly number[], scale: number, shift: readonly number[]): void {
    const matrix = new Matrix4().compose(
      new Vector3(...(shift as [number, number, number])),
      new Quaternion(...(turn as [number, number, number, number])),
      new Vector3(scale, scale, scale),
    );
    for (const group of [this.designed, this.marks]) {
      group.matrixAutoUpdate = false;
      group.matrix.copy(matrix);
      group.matrixWorldNeedsUpdate = true;
    }
    this.draw();
  }

  /** A rectangle of mm lines under the part: the bed, or nothing. */
  setBed(bed: readonly number[] | null): void {
    clear(this.ground);
    if (bed) {
      const grid = new GridHelper(Math.max(bed[0], bed[1]), Math.max(bed[0], bed[1]) / 10, new Color(this.palette.rule), new Color(this.palette.rule));
      grid.rotation.x = Math.PI / 2;
      grid.position.set(this.placedCentre().x, this.placedCentre().y, -0.01);
      (grid.material as Material).userData.ink = 'rule';
      this.ground.add(grid);
    }
    this.draw();
  }

  /** Where a finding is, drawn in front of everything; nothing for null. In the part's own coordinates. */
  setPlaces(places: { shape: 'lines' | 'triangles' | 'points'; points: Float32Array }[]): void {
    clear(this.places);
    for (const { shape, points } of places) {
      if (points.length === 0) continue;
      const geometry = new BufferGeometry().setAttribute('position', new BufferAttribute(points, 3));
      const color = this.palette.stop;
      const drawn =
        shape === 'lines'
          ? new LineSegments(geometry, new LineBasicMaterial({ color, depthTest: false }))
          : shape === 'points'
            ? new Points(geometry, new PointsMaterial({ color, size: 9, sizeAttenuation: false, depthTest: false }))
            : new Mesh(geometry, new MeshBasicMaterial({ color, side: DoubleSide, depthTest: false, transparent: true, opacity: 0.75 }));
      drawn.renderOrder = 7;
      this.places.add(drawn);
    }
    this.places.matrixAutoUpdate = false;
    this.places.matrix.copy(this.designed.matrix);
    this.places.matrixWorldNeedsUpdate = true;
    this.draw();
  }

  /** Draws triangles of the design, three corners each, in an ink of warning and in the next; null takes them away. */
  setShades(shades: readonly [Uint32Array, Uint32Array] | null): void {
    this.shades = shades;
    this.drawShades();
  }

  private drawShades(): void {
    for (const old of this.designed.children.filter((c) => c.name === 'shades')) {
      this.designed.remove(old);
      dispose(old as Mesh);
    }
    for (const [k, corners] of (this.body && this.shades ? this.shades : []).entries()) {
      if (corners.length === 0) continue;
      const geometry = new BufferGeometry().setAttribute('position', this.body!.geometry.getAttribute('position'));
      geometry.setIndex(new BufferAttribute(corners, 1));
      geometry.boundingSphere = this.body!.geometry.boundingSphere;
      const mesh = new Mesh(geometry, new MeshBasicMaterial({ color: k === 0 ? this.palette.look : this.palette.stop, side: DoubleSide }));
      mesh.name = 'shades';
      mesh.layers.mask = this.body!.layers.mask;
      mesh.renderOrder = 1;
      this.designed.add(mesh);
    }
    this.draw();
  }

  /** Layers as segments (xyz, mm as received): all up to one, the last one strong. Null takes them away and shows the part again. */
  setLayers(stack: { segments: Float32Array; starts: Uint32Array } | null, upTo = 0): void {
    clear(this.layers);
    this.layered = stack !== null;
    if (stack) {
      const end = stack.starts[upTo + 1] * 3;
      const from = stack.starts[upTo] * 3;
      const below = lines(stack.segments.slice(0, from), new LineBasicMaterial({ color: this.palette.received, transparent: true, opacity: 0.28 }));
      const now = lines(stack.segments.slice(from, end), new LineBasicMaterial({ color: this.palette.ink }));
      now.renderOrder = 6;
      this.layers.add(below, now);
    }
    this.draw();
  }

  /** Points (crosses) and lines over the part, in its own coordinates. */
  setMarks(points: readonly (readonly number[])[], segments: readonly (readonly number[])[] = []): void {
    clear(this.marks);
    if (points.length > 0) {
      const geometry = new BufferGeometry().setAttribute('position', new BufferAttribute(Float32Array.from(points.flat()), 3));
      const dots = new Points(geometry, new PointsMaterial({ color: this.palette.stop, size: 9, sizeAttenuation: false, depthTest: false }));
      dots.renderOrder = 9;
      this.marks.add(dots);
    }
    if (segments.length > 0) {
      const drawn = lines(Float32Array.from(segments.flat()), new LineBasicMaterial({ color: this.palette.stop, depthTest: false }));
      drawn.renderOrder = 8;
      this.marks.add(drawn);
    }
    this.draw();
  }

  /** What is measured: the places picked, the faces and edges that they belong to, and the line between them. */
  setMeasured(picks: readonly Pick[], said: MeasuredPicks | null): void {
    this.setMarks(
      picks.map((p) => p.point),
      said?.between ? [said.between.from, said.between.to] : [],
    );
    if (!said || !this.view) return;
    const { positions, triangles: t } = this.view;
    for (const { triangles: face, line } of said.picks) {
      const corners = new Float32Array(face.length * 9);
      face.forEach((n, i) => {
        for (let k = 0; k < 9; k++) corners[i * 9 + k] = positions[t[n * 3 + ((k / 3) | 0)] * 3 + (k % 3)];
      });
      if (corners.length > 0) {
        const geometry = new BufferGeometry().setAttribute('position', new BufferAttribute(corners, 3));
        const shown = new Mesh(geometry, new MeshBasicMaterial({ color: this.palette.look, side: DoubleSide, transparent: true, opacity: 0.35 }));
        shown.renderOrder = 6;
        this.marks.add(shown);
      }
      const pieces = Float32Array.from(line.slice(1).flatMap((p, i) => [...line[i], ...p]));
      if (pieces.length > 0) this.marks.add(lines(pieces, new LineBasicMaterial({ color: this.palette.look, depthTest: false })));
    }
    this.draw();
  }

  /** Extent of the standing part along an axis, mm: where a section can lie. */
  reachAlong(axis: 0 | 1 | 2): [number, number] {
    return this.view ? reachAlong(this.view.positions, this.designed.matrix, axis) : [0, 0];
  }

  /** Cuts both prints by a plane, the cut faces hatched in their inks; null puts them together again. Gives what the plane cuts of each. */
  setSection(plane: SectionPlane | null): SectionFigures {
    this.section = plane;
    for (const cut of Object.values(this.cuts)) clear(cut);
    const figures: SectionFigures = { designed: null, received: null };
    if (plane && this.view) {
      const identity = new Matrix4();
      const cut = (ink: 'designed' | 'received', mesh: CutPrint, matrix: Matrix4) => {
        const { figures: found, outline, hatch } = cutPrint(mesh, matrix, plane, this.reach() / 30);
        fillCut(this.cuts[ink], matrix, [lines(outline, this.line(ink)), lines(hatch, this.line(ink))]);
        return found;
      };
      figures.designed = cut('designed', this.view, this.designed.matrix);
      if (this.print) figures.received = cut('received', this.print, this.print.own ? this.designed.matrix : identity);
    }
    this.draw();
    return figures;
  }

  show(shown: Shown): void {
    this.shown = shown;
    this.draw();
  }

  /** Where the line between both prints stands when the picture is split: a share of its width from the left. */
  setSplit(share: number): void {
    this.split = share;
    this.draw();
  }

  wireframe(on: boolean): void {
    this.wires = on;
    for (const group of [this.designed, this.received]) {
      for (const child of [...group.children])
        if (child.name === 'wires') {
          group.remove(child);
          dispose(child as Mesh);
        }
      if (!on) continue;
      for (const child of [...group.children]) {
        if (!(child instanceof Mesh) || !child.visible || child.name === 'shades' || child.name === 'light' || !(child.material as Material).colorWrite)
          continue;
        const material = new LineBasicMaterial({
          color: group === this.designed ? this.palette.designed : this.palette.received,
          transparent: true,
          opacity: 0.4,
        });
        const wires = new LineSegments(wireGeometry(child.geometry), material);
        wires.name = 'wires';
        wires.renderOrder = 4;
        wires.layers.mask = child.layers.mask;
        group.add(wires);
      }
    }
    this.draw();
  }

  /** Turns the camera to one of the six standard views, or to a corner. */
  turnTo(side: Side, fit = true): void {
    const target = this.placedCentre();
    this.camera.position.copy(target).addScaledVector(new Vector3(...directions[side]).normalize(), this.reach() * 4);
    this.controls.target.copy(target);
    if (fit) this.fit();
    this.controls.update();
    this.draw();
  }

  /** The standard view that the camera has now, if any. */
  side(): Side | null {
    const now = this.camera.position.clone().sub(this.controls.target).normalize();
    for (const side of Object.keys(directions) as Side[]) if (now.dot(new Vector3(...directions[side]).normalize()) > 0.9995) return side;
    return null;
  }

  close(): void {
    this.resize.disconnect();
    this.controls.dispose();
    for (const group of [this.designed, this.received, this.difference, this.ground, this.marks, this.places, this.layers, ...Object.values(this.cuts)])
      clear(group);
    this.renderer.dispose();
    this.renderer.domElement.remove();
    cancelAnimationFrame(this.queued);
    clearTimeout(this.rested);
  }

  private placedCentre(): Vector3 {
    return this.centre.clone().applyMatrix4(this.designed.matrix);
  }

  private reach(): number {
    return this.radius * this.designed.matrix.getMaxScaleOnAxis();
  }

  private fit(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    const beside = this.shown === 'beside' ? 2 : 1;
    const aspect = Math.max(0.2, w / beside / Math.max(1, h));
    const half = this.reach() * 1.12 * Math.max(1, 1 / aspect);
    this.camera.zoom = 1;
    this.camera.top = half;
    this.camera.bottom = -half;
    this.setSides();
  }

  private setSides(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    const aspect = w / (this.shown === 'beside' ? 2 : 1) / Math.max(1, h);
    this.camera.left = -this.camera.top * aspect;
    this.camera.right = this.camera.top * aspect;
    this.camera.near = -this.reach() * 40;
    this.camera.far = this.reach() * 40;
    this.camera.updateProjectionMatrix();
  }

  private fitCanvas(): void {
    this.renderer.setSize(this.host.clientWidth, Math.max(1, this.host.clientHeight));
    this.draw();
  }

  private draw(): void {
    cancelAnimationFrame(this.queued);
    this.queued = requestAnimationFrame(() => this.drawNow());
  }

  private drawNow(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    const r = this.renderer;
    r.setClearColor(this.palette.sheet);
    r.setScissorTest(false);
    r.setViewport(0, 0, w, h);
    r.clear();
    this.setSides();
    this.drawnMoving = this.moving;
    this.camera.layers.set(0);
    const cold = this.warm?.() ?? false;
    if (cold) this.draw();
    const lightened = [this.designed, this.received].some((group) => group.getObjectByName('light'));
    this.camera.layers.enable(cold || (this.moving && lightened) ? inMotion.moves : inMotion.rests);
    if (this.shown === 'split') return this.drawSplit();
    if (this.shown !== 'beside') {
      this.only(this.shown === 'received' ? this.received : this.shown === 'difference' && this.differences ? this.difference : this.designed);
      this.renderCut();
      if (this.shown !== 'both' || this.received.children.length === 0) return;
      // The second is laid over the first whole, with its own depth: two prints on one sheet.
      r.clearDepth();
      this.only(this.received);
      this.ground.visible = false;
      this.marks.visible = false;
      this.places.visible = false;
      this.renderCut();
      this.marks.visible = true;
      this.places.visible = true;
      this.ground.visible = true;
      return;
    }
    r.setScissorTest(true);
    for (const [i, half] of [this.designed, this.received].entries()) {
      this.only(half);
      r.setViewport((i * w) / 2, 0, w / 2, h);
      r.setScissor((i * w) / 2, 0, w / 2, h);
      this.renderCut();
    }
    r.setScissorTest(false);
  }

  /** Both prints in one place, each on its own side of the line. */
  private drawSplit(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    const r = this.renderer;
    const line = Math.round(w * this.split);
    r.setScissorTest(true);
    for (const [print, from, to] of [
      [this.designed, 0, line],
      [this.received, line, w],
    ] as const) {
      if (to <= from) continue;
      this.only(print);
      r.setScissor(from, 0, to - from, h);
      this.renderCut();
    }
    r.setScissorTest(false);
  }

  /** One print, cut by the section's plane if there is one; the cut face itself is drawn whole. */
  private renderCut(): void {
    const r = this.renderer;
    const cuts = this.designed.visible ? this.cuts.designed : this.cuts.received;
    for (const cut of Object.values(this.cuts)) cut.visible = false;
    if (!this.section) return r.render(this.three, this.camera);
    const { axis, at, behind } = this.section;
    const normal = new Vector3().setComponent(axis, behind ? 1 : -1);
    r.clippingPlanes = [new Plane(normal, behind ? -at : at)];
    r.render(this.three, this.camera);
    r.clippingPlanes = [];
    const shown = this.three.children.map((c) => c.visible);
    for (const child of this.three.children) child.visible = child === cuts || child === this.camera;
    r.render(this.three, this.camera);
    this.three.children.forEach((c, i) => (c.visible = shown[i]));
  }

  private only(group: Group): void {
    this.designed.visible = group === this.designed && !this.layered;
    this.received.visible = group === this.received && !this.layered;
    this.difference.visible = group === this.difference && !this.layered;
  }

  private released(event: PointerEvent): void {
    const moved = this.pressed ? Math.hypot(event.clientX - this.pressed[0], event.clientY - this.pressed[1]) : 99;
    if (moved > 4 || event.button !== 0 || !this.onPick) return;
    this.onPick(this.pick(event));
  }

  private pick(event: PointerEvent): Pick | null {
    if (!this.body || !this.view) return null;
    const rect = this.renderer.domElement.getBoundingClientRect();
    // Side by side the same place is there twice.
    const width = rect.width / (this.shown === 'beside' ? 2 : 1);
    const at = new Vector2((((event.clientX - rect.left) % width) / width) * 2 - 1, -((event.clientY - rect.top) / rect.height) * 2 + 1);
    const hit = this.hitAt(this.body, at);
    const near = this.edgeAt(this.view, { at, width, behind: hit?.point });
    if (!hit && !near) return null;
    const { point, vertex, edge } = near ?? { point: this.body.worldToLocal(hit!.point.clone()).toArray(), vertex: false, edge: null };
    return { point, triangle: hit?.triangle ?? -1, vertex, edge };
  }

  /** The surface under the pointer, of what a section leaves. */
  private hitAt(body: Mesh, at: Vector2) {
    this.raycaster.setFromCamera(at, this.camera);
    body.updateMatrixWorld(true);
    return struckBy(this.raycaster, [body]).find(({ point }) => this.uncut(point));
  }

  /** The edge near the pointer that can be seen. */
  private edgeAt(view: View, { at, width, behind }: { at: Vector2; width: number; behind?: Vector3 }) {
    const { camera, designed } = this;
    const matrix = new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse).multiply(designed.matrixWorld);
    // What a picture is deep by for each pixel that it is wide by.
    const pixel = (camera.right - camera.left) / camera.zoom / Math.max(1, width);
    const deep = (hiddenBy * pixel * 2) / (camera.far - camera.near);
    return nearEdge(view.edges, matrix, at, {
      clientWidth: width,
      clientHeight: this.host.clientHeight,
      behind: behind && behind.clone().project(camera).z + deep,
      shown: this.section ? (p) => this.uncut(new Vector3(...p).applyMatrix4(designed.matrixWorld)) : undefined,
    });
  }

  /** Whether a place of the table is on the side of the section that is left. */
  private uncut(place: Vector3): boolean {
    if (!this.section) return true;
    const { axis, at, behind } = this.section;
    return behind ? place.getComponent(axis) >= at : place.getComponent(axis) <= at;
  }

  private inkOf(ink: keyof Palette, tint: number): Color {
    return new Color(this.palette[ink] as string).lerp(new Color(this.palette.dark ? '#10141d' : '#ffffff'), tint);
  }

  private paint(ink: keyof Palette, tint: number): MeshLambertMaterial {
    const material = new MeshLambertMaterial({
      color: this.inkOf(ink, tint),
      side: DoubleSide,
      flatShading: true,
      polygonOffset: true,
      polygonOffsetFactor: 1,
      polygonOffsetUnits: 1,
    });
    material.userData = { ink, tint };
    return material;
  }

  private line(ink: keyof Palette): LineBasicMaterial {
    const material = new LineBasicMaterial({ color: this.palette[ink] as string });
    material.userData = { ink, tint: 0 };
    return material;
  }

  /** Multiply on paper; on the dark ground the inks add up like light. */
  private overlay<M extends Material>(material: M): M {
    material.transparent = true;
    if (this.palette.dark) {
      material.blending = AdditiveBlending;
      material.opacity = 0.75;
    } else {
      material.blending = CustomBlending;
      material.blendEquation = AddEquation;
      material.blendSrc = DstColorFactor;
      material.blendDst = ZeroFactor;
      material.opacity = 1;
    }
    material.needsUpdate = true;
    return material;
  }
}
