import {
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  Color,
  DirectionalLight,
  DoubleSide,
  GridHelper,
  Group,
  LineBasicMaterial,
  Matrix4,
  Mesh,
  MeshLambertMaterial,
  OrthographicCamera,
  Points,
  PointsMaterial,
  Raycaster,
  Scene as ThreeScene,
  Sphere,
  Vector2,
  Vector3,
  WebGLRenderer,
  type Material,
} from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { View } from 'tall-kite/view/view';
import { clear, lines, normalAt, struckBy, triangles } from '@/light-table/drawn.ts';
import { directions, type Side } from '@/light-table/Scene.ts';
import { labelsApart } from './labels.ts';
import style from './join.module.css';

/** Of a name with its frame, px. */
const labelHeight = 19;

export interface Standing {
  id: string;
  view: View;
  /** Where it stands: 12 numbers, mm. */
  rows: number[];
  scale: number;
  ink: 'designed' | 'received' | 'rule';
  /** Its number among the parts, which tells its tint. */
  tint: number;
  /** What is written at it; empty for nothing. */
  label: string;
}

/** A tint for each part of a table, told apart by hue and never as strong as the two inks (turned by the golden angle each time). */
const tintOf = (n: number, dark: boolean): Color => new Color().setHSL((0.09 + n * 0.381_966) % 1, 0.26, dark ? 0.4 : 0.76);

/** A place on a face: in the part's own coordinates. */
export interface FacePick {
  id: string;
  point: [number, number, number];
  normal: [number, number, number];
}

export interface Inks {
  sheet: string;
  designed: string;
  received: string;
  rule: string;
  faint: string;
  stop: string;
  dark: boolean;
}

/** Several parts where they stand to each other. One can be dragged along an axis; a click says which part and which face. */
export class Assembly {
  onPick: ((pick: FacePick | null) => void) | null = null;
  /** While an axis is set, dragging moves the chosen part along it: mm so far, and whether it was let go. */
  onDrag: ((mm: number, done: boolean) => void) | null = null;
  private readonly renderer: WebGLRenderer;
  private readonly three = new ThreeScene();
  private readonly camera = new OrthographicCamera(-1, 1, 1, -1, -1e6, 1e6);
  private readonly controls: OrbitControls;
  private readonly group = new Group();
  private readonly ground = new Group();
  private readonly marks = new Group();
  private readonly raycaster = new Raycaster();
  private readonly host: HTMLElement;
  /** Names over the parts; they are in the list beside too. */
  private widths: number[] | null = null;
  private readonly labels = document.createElement('div');
  private readonly resize: ResizeObserver;
  private readonly geometries = new Map<View, BufferGeometry>();
  private parts: Standing[] = [];
  private inks: Inks;
  private queued = 0;
  private pressed: [number, number] | null = null;
  private axis: Vector3 | null = null;
  private span = 100;

  constructor(host: HTMLElement, inks: Inks) {
    this.host = host;
    this.inks = inks;
    this.renderer = new WebGLRenderer({ antialias: true });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    host.appendChild(this.renderer.domElement);
    this.labels.className = style.partlabels;
    this.labels.setAttribute('aria-hidden', 'true');
    host.appendChild(this.labels);
    const canvas = this.renderer.domElement;
    canvas.setAttribute('role', 'img');
    canvas.setAttribute('aria-label', 'The parts where they stand to each other');
    this.camera.up.set(0, 0, 1);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.addEventListener('change', () => this.draw());
    const light = new DirectionalLight(0xffffff, 1.5);
    light.position.set(-0.4, -0.8, 1);
    this.camera.add(light);
    this.three.add(new AmbientLight(0xffffff, 1.9), this.camera, this.ground, this.group, this.marks);
    this.resize = new ResizeObserver(() => this.fitCanvas());
    this.resize.observe(host);
    canvas.addEventListener('pointerdown', (e) => {
      this.pressed = [e.clientX, e.clientY];
      if (this.axis) canvas.setPointerCapture(e.pointerId);
    });
    canvas.addEventListener('pointermove', (e) => this.axis && this.pressed && this.onDrag?.(this.along(e), false));
    canvas.addEventListener('pointerup', (e) => this.released(e));
    this.fitCanvas();
  }

  recolour(inks: Inks): void {
    this.inks = inks;
    this.set(this.parts);
  }

  /** Lays the parts out; the camera stays unless `fit`. */
  set(parts: Standing[], fit = false): void {
    this.parts = parts;
    for (const child of [...this.group.children]) {
      this.group.remove(child);
      for (const drawn of child.children as Mesh[]) (drawn.material as Material).dispose();
    }
    for (const part of parts) {
      let geometry = this.geometries.get(part.view);
      if (!geometry) {
        geometry = triangles(part.view.positions, part.view.triangles);
        this.geometries.set(part.view, geometry);
      }
      const ink = this.inks[part.ink];
      const body = new Mesh(
        geometry,
        new MeshLambertMaterial({
          color: part.ink === 'rule' ? tintOf(part.tint, this.inks.dark) : new Color(ink).lerp(new Color(this.inks.dark ? '#10141d' : '#ffffff'), 0.7),
          side: DoubleSide,
          flatShading: true,
          polygonOffset: true,
          polygonOffsetFactor: 1,
          polygonOffsetUnits: 1,
        }),
      );
      body.userData = { id: part.id };
      const one = new Group();
      one.matrixAutoUpdate = false;
      one.matrix.copy(matrixOf(part));
      one.add(body, lines(part.view.edges, new LineBasicMaterial({ color: ink })));
      this.group.add(one);
    }
    this.group.updateMatrixWorld(true);
    this.widths = null;
    this.labels.replaceChildren(...parts.filter((p) => p.label !== '').map((p) => labelOf(p)));
    if (fit) this.turnTo('corner');
    this.drawGround();
    this.draw();
  }

  /** A cross where a body would be set. */
  mark(point: [number, number, number] | null, id: string | null): void {
    clear(this.marks);
    const part = this.parts.find((p) => p.id === id);
    if (point && part) {
      const at = new Vector3(...point).applyMatrix4(matrixOf(part));
      const geometry = new BufferGeometry().setAttribute('position', new BufferAttribute(Float32Array.from(at.toArray()), 3));
      const dot = new Points(geometry, new PointsMaterial({ color: this.inks.stop, size: 10, sizeAttenuation: false, depthTest: false }));
      dot.renderOrder = 9;
      this.marks.add(dot);
    }
    this.draw();
  }

  /** Dragging moves along this axis (0, 1, 2), or turns the view again (null). */
  dragAlong(axis: number | null): void {
    this.axis = axis === null ? null : new Vector3(+(axis === 0), +(axis === 1), +(axis === 2));
    this.controls.enabled = axis === null;
  }

  turnTo(side: Side): void {
    const sphere = this.sphere();
    this.span = Math.max(1e-3, sphere.radius);
    this.camera.position.copy(sphere.center).addScaledVector(new Vector3(...directions[side]).normalize(), this.span * 4);
    this.controls.target.copy(sphere.center);
    this.camera.zoom = 1;
    this.fitCanvas();
    this.controls.update();
    this.draw();
  }

  close(): void {
    this.resize.disconnect();
    this.controls.dispose();
    this.set([]);
    for (const geometry of this.geometries.values()) geometry.dispose();
    clear(this.ground);
    clear(this.marks);
    this.renderer.dispose();
    this.renderer.domElement.remove();
    this.labels.remove();
    cancelAnimationFrame(this.queued);
  }

  private sphere(): Sphere {
    const all = new Sphere(new Vector3(), -1);
    for (const part of this.parts) {
      const own = this.geometries.get(part.view)!.boundingSphere!.clone().applyMatrix4(matrixOf(part));
      if (all.radius < 0) all.copy(own);
      else all.union(own);
    }
    if (all.radius < 0) all.radius = 50;
    return all;
  }

  private drawGround(): void {
    clear(this.ground);
    const sphere = this.sphere();
    const size = Math.max(10, 10 ** Math.ceil(Math.log10(sphere.radius * 2)));
    const grid = new GridHelper(size, 20, new Color(this.inks.faint), new Color(this.inks.faint));
    grid.rotation.x = Math.PI / 2;
    grid.position.set(sphere.center.x, sphere.center.y, -0.01);
    this.ground.add(grid);
  }

  private fitCanvas(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    this.renderer.setSize(w, Math.max(1, h));
    const aspect = Math.max(0.2, w / Math.max(1, h));
    const half = this.span * 1.15 * Math.max(1, 1 / aspect);
    this.camera.top = half;
    this.camera.bottom = -half;
    this.camera.left = -half * aspect;
    this.camera.right = half * aspect;
    this.camera.near = -this.span * 60;
    this.camera.far = this.span * 60;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  private draw(): void {
    cancelAnimationFrame(this.queued);
    this.queued = requestAnimationFrame(() => {
      this.renderer.setClearColor(this.inks.sheet);
      this.renderer.render(this.three, this.camera);
      this.placeLabels();
    });
  }

  /** Each name at the middle of its part, as the camera sees it now. */
  private placeLabels(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    const labelled = this.parts.filter((p) => p.label !== '');
    const elements = [...this.labels.children].slice(0, labelled.length) as HTMLElement[];
    this.widths ??= elements.map((e) => e.offsetWidth);
    const places = labelled.map((part, i) => {
      const middle = (this.geometries.get(part.view)?.boundingSphere?.center ?? new Vector3()).clone().applyMatrix4(matrixOf(part)).project(this.camera);
      return { x: ((middle.x + 1) * w) / 2, y: ((1 - middle.y) * h) / 2, width: this.widths![i] };
    });
    const ys = labelsApart(places, labelHeight);
    elements.forEach((e, i) => (e.style.transform = `translate(-50%, -50%) translate(${places[i].x.toFixed(1)}px, ${ys[i].toFixed(1)}px)`));
  }

  /** mm along the axis for the pointer's way on the screen. */
  private along(event: PointerEvent): number {
    if (!this.axis || !this.pressed) return 0;
    const { clientWidth: w, clientHeight: h } = this.host;
    const from = this.controls.target.clone().project(this.camera);
    const to = this.controls.target.clone().add(this.axis).project(this.camera);
    const way = new Vector2(((to.x - from.x) * w) / 2, (-(to.y - from.y) * h) / 2);
    const moved = new Vector2(event.clientX - this.pressed[0], event.clientY - this.pressed[1]);
    const length = way.lengthSq();
    // Seen end on, the axis has no direction on the screen.
    return length < 1e-9 ? 0 : moved.dot(way) / length;
  }

  private released(event: PointerEvent): void {
    const moved = this.pressed ? Math.hypot(event.clientX - this.pressed[0], event.clientY - this.pressed[1]) : 99;
    if (this.axis && this.pressed && moved > 3) {
      const mm = this.along(event);
      this.pressed = null;
      this.onDrag?.(mm, true);
      return;
    }
    this.pressed = null;
    if (moved > 4 || event.button !== 0) return;
    const rect = this.renderer.domElement.getBoundingClientRect();
    const at = new Vector2(((event.clientX - rect.left) / rect.width) * 2 - 1, -((event.clientY - rect.top) / rect.height) * 2 + 1);
    this.raycaster.setFromCamera(at, this.camera);
    const [hit] = struckBy(
      this.raycaster,
      this.group.children.map((g) => g.children[0] as Mesh),
    );
    if (!hit) return this.onPick?.(null);
    this.onPick?.({ id: hit.body.userData.id as string, point: hit.body.worldToLocal(hit.point.clone()).toArray(), normal: normalAt(hit).toArray() });
  }
}

function labelOf({ label, ink }: Standing): HTMLElement {
  const element = document.createElement('span');
  element.textContent = label;
  if (ink === 'designed') element.className = style.chosen;
  return element;
}

function matrixOf({ rows: m, scale: s }: Pick<Standing, 'rows' | 'scale'>): Matrix4 {
  return new Matrix4().set(m[0] * s, m[1] * s, m[2] * s, m[3], m[4] * s, m[5] * s, m[6] * s, m[7], m[8] * s, m[9] * s, m[10] * s, m[11], 0, 0, 0, 1);
}
