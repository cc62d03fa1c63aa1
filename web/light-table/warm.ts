import {
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  CustomBlending,
  DirectionalLight,
  DoubleSide,
  GridHelper,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  MeshLambertMaterial,
  Plane,
  Points,
  PointsMaterial,
  Scene,
  Vector3,
  type Camera,
  type Object3D,
  type WebGLRenderer,
} from 'three';

/** One of each kind of thing that a light table draws. */
function kinds(): Object3D[] {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(new Float32Array(9), 3));
  geometry.setAttribute('color', new BufferAttribute(new Float32Array(9), 3));
  const lambert = (more: object) => new Mesh(geometry, new MeshLambertMaterial({ side: DoubleSide, ...more }));
  return [
    lambert({ flatShading: true }),
    lambert({ flatShading: true, blending: CustomBlending }),
    lambert({ flatShading: true, vertexColors: true }),
    lambert({ colorWrite: false }),
    new Mesh(geometry, new MeshBasicMaterial({ side: DoubleSide })),
    new Mesh(geometry, new MeshBasicMaterial({ side: DoubleSide, transparent: true })),
    new LineSegments(geometry, new LineBasicMaterial()),
    new LineSegments(geometry, new LineBasicMaterial({ transparent: true })),
    new LineSegments(geometry, new LineBasicMaterial({ blending: CustomBlending })),
    new Points(geometry, new PointsMaterial({ sizeAttenuation: false })),
    new GridHelper(1, 1),
  ];
}

/**
 * Gets every shader ready, whole and cut by a plane, one at each call: later ones would wait until all is drawn that was asked for before, which for
 * millions of triangles is long. Nothing of it is seen.
 * @returns a step to be called until it gives false
 */
export function warming(renderer: WebGLRenderer, camera: Camera): () => boolean {
  const scene = new Scene();
  scene.add(new AmbientLight(), new DirectionalLight());
  const all = kinds();
  for (const one of all) one.frustumCulled = false;
  scene.add(...all);
  const plane = new Plane(new Vector3(1, 0, 0), 0);
  let next = 0;
  return () => {
    if (next >= 2 * all.length) return false;
    all.forEach((one, i) => (one.visible = i === next >> 1));
    renderer.clippingPlanes = next % 2 === 1 ? [plane] : [];
    renderer.render(scene, camera);
    renderer.clippingPlanes = [];
    next++;
    return true;
  };
}
