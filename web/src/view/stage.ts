// The view: the model under its light, the flat sheets, or both. Frames are drawn
// only when something changed.
import {
  DoubleSide,
  ACESFilmicToneMapping,
  AmbientLight,
  Box3,
  BufferAttribute,
  BufferGeometry,
  CanvasTexture,
  Color,
  DirectionalLight,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  OrthographicCamera,
  PCFShadowMap,
  PerspectiveCamera,
  PlaneGeometry,
  PMREMGenerator,
  Raycaster,
  Scene,
  ShaderMaterial,
  ShadowMaterial,
  Vector2,
  Vector3,
  WebGLRenderer,
  type Intersection,
  type Material,
} from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { acceleratedRaycast, computeBoundsTree } from 'three-mesh-bvh';
import type { TileFrame } from '../lib/session.svelte';
import { SUN, makeEnvironment } from './environment';
import { MapTexture, onProcessor } from './textures';

Mesh.prototype.raycast = acceleratedRaycast;
BufferGeometry.prototype.computeBoundsTree = computeBoundsTree;

export interface Hit {
  pos: Vector3;
  nrm: Vector3;
  sheet: number;
  part: string;
  mesh: Mesh;
  uv?: Vector2;
}

interface Sheet {
  name: string;
  size: number;
  /** of the textures: another one each time they are made anew, and are empty */
  gen: number;
  maps: MapTexture[]; // color, orm, normal, emissive
  alone: MapTexture | null;
  material: MeshStandardMaterial;
  /** shows one map without light, on the model and on the flat sheet */
  single: ShaderMaterial;
  singleFlat: ShaderMaterial;
  bare: Material; // of the flat sheet before there are textures
  flat: Mesh | null;
}

/** What covers the sheets in place of their textures: on the model, and flat. */
export interface Cover {
  solid: Material;
  flat: Material;
}

/** Shows one map, or one component of it, without light. */
const aloneShader = {
  vertexShader: `varying vec2 vUv; varying vec3 vN; void main(){ vUv = uv; vN = normalize(normalMatrix * normal); gl_Position = projectionMatrix * modelViewMatrix * vec4(position,1.0); }`,
  fragmentShader: `uniform sampler2D map; uniform int pick; varying vec2 vUv; varying vec3 vN;
  void main(){ vec4 t = texture2D(map, vUv); vec3 c = t.rgb; if (pick == -3) c = t.rgb; else if (pick == 4) c = vec3(0.6 + 0.4 * vN.z);
  else if (pick >= 0) c = vec3(pick == 0 ? t.r : pick == 1 ? t.g : pick == 2 ? t.b : t.a);
  gl_FragColor = vec4(c, 1.0); if (pick < 0) { gl_FragColor = linearToOutputTexel(gl_FragColor); } }`,
};

/** Which map and component a channel is kept in. */
const PLACE: Record<string, [number, number]> = {
  baseColor: [0, -1],
  opacity: [0, 3],
  ambientOcclusion: [1, 0],
  roughness: [1, 1],
  metallic: [1, 2],
  normal: [2, -2],
  emissive: [3, -1],
  height: [4, 0],
  mask: [4, 0],
  step: [4, -3],
  form: [0, 4],
};

/** Channels that a project added are asked for one at a time, as colours. */
const placeOf = (what: string): [number, number] => PLACE[what] ?? (what.startsWith('added.') ? [4, -1] : [0, -1]);

export class Stage {
  readonly renderer: WebGLRenderer;
  readonly scene = new Scene();
  readonly camera = new PerspectiveCamera(32, 1, 0.001, 100);
  readonly flatScene = new Scene();
  readonly flatCamera = new OrthographicCamera();
  readonly controls: OrbitControls;
  readonly meshes: Mesh[] = [];
  sheets: Sheet[] = [];
  mode: 'model' | 'flat' | 'both' = 'model';
  frames = 0;
  onView: () => void = () => {};
  private pending = false;
  private readonly key = new DirectionalLight(0xfff0dc, 1.6);
  private readonly ray = new Raycaster();
  private readonly box = new Box3();
  private alone = '';
  private covers: Cover[] | null = null;
  private flatCenter = new Vector2(0.5, -0.5);
  private flatZoom = 1;
  private told = { w: 0, h: 0 };
  private ground: Mesh | null = null;
  private viewTimer = 0;
  private readonly slow: boolean;
  private coarse = false;
  private sharpTimer = 0;
  private sharpness = 1;

  constructor(readonly canvas: HTMLCanvasElement) {
    // who asks for coarse pixels wants speed: edges are not smoothed, reflections are softer
    const rough = (Number(localStorage.getItem('sharpness')) || 1) <= 0.5;
    this.renderer = new WebGLRenderer({ canvas, antialias: !rough, preserveDrawingBuffer: true });
    this.slow = onProcessor(this.renderer.getContext() as WebGL2RenderingContext);
    this.renderer.toneMapping = ACESFilmicToneMapping;
    this.renderer.toneMappingExposure = 1.05;
    this.renderer.shadowMap.enabled = true;
    this.renderer.shadowMap.type = PCFShadowMap;
    this.renderer.shadowMap.autoUpdate = false;
    const pmrem = new PMREMGenerator(this.renderer);
    const equirect = makeEnvironment(rough ? 256 : 512);
    this.scene.environment = pmrem.fromEquirectangular(equirect).texture;
    equirect.dispose();
    pmrem.dispose();
    this.scene.background = new Color(0x5a5a5a);
    this.flatScene.background = new Color(0x444444);
    this.flatScene.add(new AmbientLight());
    this.key.castShadow = true;
    this.key.shadow.mapSize.set(1024, 1024);
    this.key.shadow.radius = 5;
    this.key.shadow.bias = -0.0004;
    this.key.shadow.normalBias = 0.002;
    this.scene.add(this.key, this.key.target);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.addEventListener('change', () => {
      this.hurry();
      this.invalidate();
      this.tellView();
    });
    this.ray.firstHitOnly = true;
  }

  async load(url: string) {
    const gltf = await new GLTFLoader().loadAsync(url);
    const materials = gltf.parser.json.materials as { name: string }[];
    this.sheets = materials.map((m) => {
      const material = new MeshStandardMaterial({ name: m.name, roughness: 0.6, metalness: 0, color: 0x777777 });
      const single = () =>
        new ShaderMaterial({ ...aloneShader, uniforms: { map: { value: null }, pick: { value: -1 } } });
      const singleFlat = single();
      singleFlat.side = DoubleSide; // mirrored islands face away
      const bare = new MeshBasicMaterial({ color: 0x777777, side: DoubleSide });
      const none = { size: 0, gen: 0, maps: [], alone: null, flat: null };
      return { ...none, name: m.name, material, single: single(), singleFlat, bare };
    });
    gltf.scene.updateMatrixWorld(true);
    gltf.scene.traverse((o) => {
      if (!(o instanceof Mesh)) return;
      const i = materials.findIndex((m) => m.name === (o.material as Material).name);
      o.material = this.sheets[Math.max(i, 0)].material;
      o.userData.sheet = Math.max(i, 0);
      o.userData.part = (o.parent instanceof Mesh || !o.parent?.name ? o.name : o.userData.name) || o.name;
      o.castShadow = o.receiveShadow = true;
      o.geometry.computeBoundsTree({ indirect: true });
      this.meshes.push(o);
    });
    this.scene.add(gltf.scene);
    this.box.setFromObject(gltf.scene);
    this.makeGround();
    this.makeFlat();
    this.frame();
  }

  /** Gives a sheet its textures; called again when its size changes. */
  setSize(index: number, size: number) {
    const s = this.sheets[index];
    if (!s || s.size === size) return;
    const old = s.maps;
    s.alone?.dispose();
    s.alone = null;
    s.size = size;
    s.gen = (s.gen + 1) & 255;
    s.maps = [true, false, false, true].map((srgb) => new MapTexture(this.renderer, size, srgb));
    old.forEach((m, i) => {
      if (m.size < size) s.maps[i].takeOver(m);
      m.dispose();
    });
    const m = s.material;
    m.color.set(0xffffff);
    m.emissive.set(0xffffff);
    m.roughness = m.metalness = 1;
    [m.map, m.roughnessMap, m.normalMap, m.emissiveMap] = s.maps.map((t) => t.texture);
    m.metalnessMap = m.aoMap = m.roughnessMap;
    m.normalScale.set(1, -1); // V grows downward, the map's Y upward
    m.needsUpdate = true;
    this.present();
  }

  setTransparent(index: number, on: boolean) {
    const m = this.sheets[index]?.material;
    if (!m || m.transparent === on) return;
    m.transparent = on;
    m.depthWrite = !on;
    for (const mesh of this.meshes) if (mesh.userData.sheet === index) mesh.castShadow = !on;
    m.needsUpdate = true;
    this.invalidate();
  }

  write(t: TileFrame) {
    const s = this.sheets[t.sheet];
    if (!s?.size || t.gen !== s.gen) return; // made for textures that are no more
    if (t.map === 4) {
      const size = Math.min(s.size, 512);
      s.alone ??= new MapTexture(this.renderer, size, false);
      if (t.size === s.alone.size) s.alone.write({ ...t, draft: false });
      this.present();
    } else if (t.size <= s.size) {
      s.maps[t.map].write(t);
      if (s.maps[t.map].drafting && !t.draft) return; // not to be seen before it settles
    }
    this.invalidate();
  }

  settle() {
    for (const s of this.sheets) s.maps.forEach((m) => m.settle());
    this.invalidate();
  }

  /** Shows one channel, the mask or the bare form alone, or ('') the shaded surface. */
  showAlone(what: string) {
    this.alone = what;
    this.present();
  }

  /** Covers the sheets, by their order, with something else than their textures; null: with these. */
  cover(covers: Cover[] | null) {
    this.covers = covers;
    this.present();
  }

  /** The one place that decides what the model and the flat sheets wear. */
  private present() {
    const [map, pick] = this.alone ? placeOf(this.alone) : [0, -1];
    for (const [i, s] of this.sheets.entries()) {
      const texture = (map === 4 ? s.alone : s.maps[map])?.texture ?? null;
      for (const [m, way] of [
        [s.single, pick],
        [s.singleFlat, pick === 4 ? -1 : pick],
      ] as const) {
        m.uniforms.map.value = texture;
        m.uniforms.pick.value = way;
      }
      const cover = this.covers?.[i];
      const solid = cover?.solid ?? (this.alone && texture ? s.single : s.material);
      const flat = cover?.flat ?? (texture ? s.singleFlat : s.bare);
      for (const mesh of this.meshes) if (mesh.userData.sheet === i) mesh.material = solid;
      if (s.flat) s.flat.material = flat;
    }
    this.invalidate();
  }

  /** Puts the camera where the whole model fills the view. */
  frame() {
    const c = this.box.getCenter(new Vector3());
    const r = this.box.getSize(new Vector3()).length() / 2;
    this.camera.near = r / 50;
    this.camera.far = r * 40;
    const { model } = this.rects();
    const narrow = model?.h ? Math.min(1, (model.w / model.h) * 0.95) : 1;
    const d = ((r / Math.sin((this.camera.fov * Math.PI) / 360)) * 0.92) / narrow;
    this.camera.position.set(c.x + d * 0.42, c.y + d * 0.24, c.z + d * 0.87);
    this.controls.target.copy(c);
    this.controls.minDistance = r * 0.1;
    this.controls.maxDistance = r * 12;
    this.key.shadow.camera.left = this.key.shadow.camera.bottom = -r * 1.3;
    this.key.shadow.camera.right = this.key.shadow.camera.top = r * 1.3;
    this.key.shadow.camera.near = r * 0.2;
    this.key.shadow.camera.far = r * 8;
    this.flatCenter.set(0.5 * this.flatColumns(), -0.5 * Math.ceil(this.sheets.length / this.flatColumns()));
    this.flatZoom = 1;
    this.controls.update();
    this.invalidate();
    this.tellView();
  }

  setLight(degrees: number) {
    const a = (degrees * Math.PI) / 180;
    this.scene.environmentRotation.y = a;
    this.scene.backgroundRotation.y = a;
    const c = this.box.getCenter(new Vector3());
    const r = this.box.getSize(new Vector3()).length();
    // a point of the environment at azimuth az lies along (cos az, sin az) in X, Z before the turn
    const az = SUN.az - a;
    const dir = new Vector3(Math.cos(az) * Math.cos(SUN.el), Math.sin(SUN.el), Math.sin(az) * Math.cos(SUN.el));
    this.key.position.copy(c).addScaledVector(dir, r * 2);
    this.key.target.position.copy(c);
    this.renderer.shadowMap.needsUpdate = true;
    this.invalidate();
  }

  setLook(o: { exposure: number; background: boolean; blur: number; shadows: boolean }) {
    this.renderer.toneMappingExposure = 1.05 * o.exposure;
    this.scene.background = o.background ? this.scene.environment : new Color(0x5a5a5a);
    this.scene.backgroundBlurriness = o.blur;
    this.key.castShadow = o.shadows;
    if (this.ground) this.ground.visible = o.shadows;
    this.renderer.shadowMap.needsUpdate = true;
    this.invalidate();
  }

  /**
   * Called while a hand is at work: without a graphics card frames are drawn at
   * half the resolution until the hand rests.
   */
  hurry() {
    if (!this.slow) return;
    clearTimeout(this.sharpTimer);
    this.sharpTimer = window.setTimeout(() => {
      this.coarse = false;
      this.resize();
    }, 350);
    if (this.coarse) return;
    this.coarse = true;
    this.resize();
  }

  /** Drawn pixels a pixel of the screen, each way: less for machines that draw slowly. */
  setSharpness(share: number) {
    if (share === this.sharpness) return;
    this.sharpness = share;
    this.resize();
  }

  resize() {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    if (!w || !h) return;
    this.renderer.setPixelRatio(Math.min(this.coarse ? 0.5 : 2, this.sharpness * Math.min(devicePixelRatio, 2)));
    this.renderer.setSize(w, h, false);
    if (w !== this.told.w || h !== this.told.h) {
      this.told = { w, h };
      this.tellView();
    }
    this.invalidate();
  }

  invalidate() {
    if (this.pending) return;
    this.pending = true;
    requestAnimationFrame(() => {
      this.pending = false;
      this.draw();
    });
  }

  /** The rectangles of the model and the flat sheets on the canvas, in pixels. */
  private rects() {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const half = Math.floor(w / 2);
    if (this.mode === 'both') return { model: { x: 0, w: half, h }, flat: { x: half, w: w - half, h } };
    return { model: this.mode === 'model' ? { x: 0, w, h } : null, flat: this.mode === 'flat' ? { x: 0, w, h } : null };
  }

  /** called after a frame was drawn */
  onFrame: () => void = () => {};

  draw() {
    this.frames++;
    const r = this.renderer;
    const { model, flat } = this.rects();
    r.setScissorTest(true);
    if (model?.h) {
      this.camera.aspect = model.w / model.h;
      this.camera.updateProjectionMatrix();
      r.setViewport(model.x, 0, model.w, model.h);
      r.setScissor(model.x, 0, model.w, model.h);
      r.render(this.scene, this.camera);
    }
    if (flat?.h) {
      this.fitFlat(flat.w / flat.h);
      r.setViewport(flat.x, 0, flat.w, flat.h);
      r.setScissor(flat.x, 0, flat.w, flat.h);
      r.render(this.flatScene, this.flatCamera);
    }
    this.onFrame();
  }

  private flatColumns() {
    return Math.min(this.sheets.length, Math.ceil(Math.sqrt(this.sheets.length * 1.4)));
  }

  private fitFlat(aspect: number) {
    const cols = this.flatColumns();
    const rows = Math.ceil(this.sheets.length / cols);
    const half = (Math.max(cols / aspect, rows) / 2) * 1.06 * this.flatZoom;
    const c = this.flatCamera;
    c.left = this.flatCenter.x - half * aspect;
    c.right = this.flatCenter.x + half * aspect;
    c.top = this.flatCenter.y + half;
    c.bottom = this.flatCenter.y - half;
    c.near = -1;
    c.far = 1;
    c.updateProjectionMatrix();
  }

  zoomFlat(factor: number) {
    this.flatZoom = Math.min(Math.max(this.flatZoom * factor, 0.02), 4);
    this.tellView();
    this.invalidate();
  }

  panFlat(dx: number, dy: number) {
    const c = this.flatCamera;
    const rect = this.rects().flat;
    if (!rect) return;
    this.flatCenter.x -= (dx / rect.w) * (c.right - c.left);
    this.flatCenter.y += (dy / rect.h) * (c.top - c.bottom);
    this.invalidate();
  }

  overFlat(x: number): boolean {
    const { flat } = this.rects();
    return !!flat && x >= flat.x;
  }

  /** View times projection of the model's picture, and its width over its height. */
  lens(flat = false): { view: number[]; aspect: number; height: number; flat?: number[] } {
    const rect = this.rects()[flat ? 'flat' : 'model'];
    if (flat && rect) this.fitFlat(rect.w / Math.max(rect.h, 1));
    const camera = flat ? this.flatCamera : this.camera;
    camera.updateMatrixWorld();
    const view = new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse).toArray();
    if (!flat) return { view, aspect: this.camera.aspect, height: rect?.h ?? 1 };
    const corners = this.sheets.flatMap((s) => (s.flat ? [s.flat.position.x, s.flat.position.y] : [1e6, 1e6]));
    return { view, aspect: (rect?.w ?? 1) / Math.max(rect?.h ?? 1, 1), height: rect?.h ?? 1, flat: corners };
  }

  /** A point of the canvas in the picture of the model, or of the flat sheets: −1..1 to the
   * right and up. */
  inPicture(x: number, y: number, flat = false): [number, number] {
    const rect = this.rects()[flat ? 'flat' : 'model'];
    return rect ? [((x - rect.x) / rect.w) * 2 - 1, 1 - (y / rect.h) * 2] : [0, 0];
  }

  /** A place in one of the two pictures as a point of the canvas. */
  onCanvas(x: number, y: number, flat = false): [number, number] {
    const rect = this.rects()[flat ? 'flat' : 'model'];
    return rect ? [rect.x + ((x + 1) / 2) * rect.w, ((1 - y) / 2) * rect.h] : [0, 0];
  }

  /** Aims a ray from the camera through a point of the canvas. */
  aim(ray: Raycaster, x: number, y: number) {
    const { model } = this.rects();
    if (model) ray.setFromCamera(new Vector2((x / model.w) * 2 - 1, 1 - (y / model.h) * 2), this.camera);
  }

  /** The direction from what is looked at to the camera. */
  toCamera(): number[] {
    const d = this.camera.position.clone().sub(this.controls.target).normalize();
    return d.toArray().map((v) => Math.round(v * 1000) / 1000);
  }

  /** The direction from the model to the light. */
  toLight(): number[] {
    const d = this.key.position.clone().sub(this.key.target.position).normalize();
    return d.toArray().map((v) => Math.round(v * 1000) / 1000);
  }

  /** The box around the model. */
  get bounds() {
    return this.box;
  }

  /** Finds the surface under a point of the canvas, on the model or on a flat sheet. */
  pick(x: number, y: number): Hit | null {
    const { model, flat } = this.rects();
    if (flat && x >= flat.x) return this.pickFlat(((x - flat.x) / flat.w) * 2 - 1, 1 - (y / flat.h) * 2);
    if (!model) return null;
    this.ray.setFromCamera(new Vector2((x / model.w) * 2 - 1, 1 - (y / model.h) * 2), this.camera);
    const h = this.ray.intersectObjects(this.meshes, false)[0];
    return h ? this.hit(h, h.object as Mesh) : null;
  }

  private hit(h: Intersection, mesh: Mesh): Hit {
    const nrm = (h.normal ?? h.face!.normal).clone().transformDirection(mesh.matrixWorld);
    return { pos: h.point, nrm, sheet: mesh.userData.sheet, part: mesh.userData.part, mesh, uv: h.uv };
  }

  /** How many other places of the model have the same texels as a place: twins of
   * overlapping UVs, which show at once what is painted here. */
  sharers(h: Hit): number {
    const flat = this.sheets[h.sheet]?.flat;
    if (!h.uv || !flat) return 0;
    const at = new Vector3(h.uv.x, -h.uv.y, 0).add(flat.position);
    flat.updateMatrixWorld();
    const ray = new Raycaster(at.clone().setZ(0.5), new Vector3(0, 0, -1));
    const places = [h.pos];
    const pos = flat.geometry.getAttribute('position');
    const place = flat.geometry.getAttribute('place');
    for (const o of ray.intersectObject(flat, false)) {
      const { a, b, c } = o.face!;
      const bary = barycentric(flat.worldToLocal(o.point.clone()), pos, a, b, c);
      const v = new Vector3();
      [a, b, c].forEach((k, i) => v.addScaledVector(new Vector3().fromBufferAttribute(place, k), bary[i]));
      if (places.every((p) => p.distanceTo(v) > this.box.getSize(new Vector3()).length() * 1e-3)) places.push(v);
    }
    return places.length - 1;
  }

  private pickFlat(x: number, y: number): Hit | null {
    this.ray.setFromCamera(new Vector2(x, y), this.flatCamera);
    for (const s of this.sheets) {
      const h = s.flat && this.ray.intersectObject(s.flat, false)[0];
      if (!h || !s.flat) continue;
      // the same corner numbers hold the place on the model
      const { a, b, c } = h.face!;
      const at = s.flat.geometry.getAttribute('position');
      const bary = barycentric(s.flat.worldToLocal(h.point.clone()), at, a, b, c);
      const mix = (name: string) => {
        const p = s.flat!.geometry.getAttribute(name);
        const v = new Vector3();
        [a, b, c].forEach((k, i) => v.addScaledVector(new Vector3().fromBufferAttribute(p, k), bary[i]));
        return v;
      };
      const mesh = this.meshes.find((m) => m.userData.sheet === this.sheets.indexOf(s))!;
      const local = s.flat.worldToLocal(h.point.clone());
      const uv = new Vector2(local.x, -local.y);
      return {
        pos: mix('place'),
        nrm: mix('outward').normalize(),
        sheet: this.sheets.indexOf(s),
        part: s.name,
        mesh,
        uv,
      };
    }
    return null;
  }

  /** Where what can be pulled lies on the canvas: for tests and for the curious. */
  gripsOnScreen: () => { label: string; x: number; y: number }[] = () => [];

  /** Where points of the model lie on the canvas. */
  project(p: Vector3): Vector2 {
    const { model } = this.rects();
    const q = p.clone().project(this.camera);
    return new Vector2(((q.x + 1) / 2) * (model?.w ?? 0), ((1 - q.y) / 2) * (model?.h ?? 0));
  }

  /** The outline of a circle of a radius on the surface round a hit, as an SVG path. */
  footprint(h: Pick<Hit, 'pos' | 'nrm'>, radius: number, even = false): string {
    const t = new Vector3(0, 1, 0).cross(h.nrm);
    if (t.lengthSq() < 1e-4) t.set(1, 0, 0).cross(h.nrm);
    t.normalize();
    const b = h.nrm.clone().cross(t);
    let path = '';
    for (let i = 0; i < 40; i++) {
      const a = (i / 40) * 2 * Math.PI;
      const p = h.pos
        .clone()
        .addScaledVector(t, Math.cos(a) * radius)
        .addScaledVector(b, Math.sin(a) * radius);
      if (even) {
        const q = this.project(p);
        path += `${i ? 'L' : 'M'}${q.x.toFixed(1)} ${q.y.toFixed(1)}`;
        continue;
      }
      this.ray.set(p.clone().addScaledVector(h.nrm, radius), h.nrm.clone().negate());
      this.ray.far = radius * 2;
      const down = this.ray.intersectObjects(this.meshes, false)[0];
      this.ray.far = Infinity;
      const q = this.project(down ? down.point : p);
      path += `${i ? 'L' : 'M'}${q.x.toFixed(1)} ${q.y.toFixed(1)}`;
    }
    return path + 'Z';
  }

  /** Metres on the surface that a pixel covers at a point. */
  pixel(p: Vector3): number {
    const d = p.distanceTo(this.camera.position);
    return (2 * d * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(this.canvas.clientHeight, 1);
  }

  private tellView() {
    clearTimeout(this.viewTimer);
    this.viewTimer = window.setTimeout(() => this.onView(), 180);
  }

  /** View times projection for a picture of the given aspect, framing the model as now. */
  /** Texels a side that can be seen of a sheet with so many sheet edges a metre. */
  wanted(edges: number): number {
    const { model, flat } = this.rects();
    const ratio = Math.min(devicePixelRatio, 2); // as drawn at rest, not while the hand is at work
    let need = 256;
    if (model && edges > 0) {
      const near = Math.max(this.box.distanceToPoint(this.camera.position), this.camera.near);
      const pixels = (model.h * ratio) / (2 * near * Math.tan((this.camera.fov * Math.PI) / 360)); // a metre
      need = Math.max(need, pixels / edges);
    }
    if (flat) {
      const c = this.flatCamera;
      this.fitFlat(flat.w / Math.max(flat.h, 1));
      need = Math.max(need, (flat.h * ratio) / (c.top - c.bottom));
    }
    return 2 ** Math.ceil(Math.log2(need * 1.15));
  }

  cardsCamera(aspect: number): number[] {
    const c = this.camera.clone();
    c.aspect = aspect;
    // a card is small: it shows the middle of the view, until the camera itself is near
    const fit = this.box.getSize(new Vector3()).length() / c.position.distanceTo(this.controls.target);
    c.zoom = Math.min(Math.max(1.5 / fit, 1), 2.3);
    c.updateProjectionMatrix();
    c.updateMatrixWorld(true);
    return new Matrix4().multiplyMatrices(c.projectionMatrix, c.matrixWorldInverse).toArray();
  }

  /** A small PNG of the model for the project list. */
  async snapshot(): Promise<Blob | null> {
    this.draw();
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const out = document.createElement('canvas');
    [out.width, out.height] = [400, 260];
    const g = out.getContext('2d')!;
    const scale = Math.max(out.width / w, out.height / h);
    g.drawImage(this.canvas, (out.width - w * scale) / 2, (out.height - h * scale) / 2, w * scale, h * scale);
    return new Promise((done) => out.toBlob(done, 'image/png'));
  }

  private makeGround() {
    const s = this.box.getSize(new Vector3());
    const r = Math.max(s.x, s.z);
    const c = document.createElement('canvas');
    c.width = c.height = 256;
    const g = c.getContext('2d')!;
    const shade = g.createRadialGradient(128, 128, 10, 128, 128, 128);
    for (const [at, a] of [
      [0, 0.85],
      [0.36, 0.8],
      [0.44, 0.5],
      [0.6, 0.2],
      [1, 0],
    ])
      shade.addColorStop(at, `rgba(0,0,0,${a})`);
    g.fillStyle = shade;
    g.fillRect(0, 0, 256, 256);
    const contact = new Mesh(
      new PlaneGeometry(r * 2.4, r * 2.4),
      new MeshBasicMaterial({ map: new CanvasTexture(c), transparent: true, depthWrite: false, opacity: 0.5 }),
    );
    contact.rotation.x = -Math.PI / 2;
    contact.position.set(
      (this.box.min.x + this.box.max.x) / 2,
      this.box.min.y - r * 0.002,
      (this.box.min.z + this.box.max.z) / 2,
    );
    const cast = new Mesh(new PlaneGeometry(r * 9, r * 9), new ShadowMaterial({ opacity: 0.28 }));
    cast.receiveShadow = true;
    cast.position.z = -r * 0.001;
    contact.add(cast);
    this.ground = contact;
    this.scene.add(contact);
  }

  /** The flat view: every sheet's islands side by side, with their outlines. */
  private makeFlat() {
    const cols = this.flatColumns();
    this.sheets.forEach((s, i) => {
      const [flat, place, outward, index]: number[][] = [[], [], [], []];
      for (const m of this.meshes) {
        if (m.userData.sheet !== i) continue;
        const g = m.geometry;
        const [p, n, uv] = [g.getAttribute('position'), g.getAttribute('normal'), g.getAttribute('uv')];
        if (!uv) continue;
        const base = flat.length / 3;
        for (let k = 0; k < p.count; k++) {
          flat.push(uv.getX(k), -uv.getY(k), 0);
          const v = new Vector3().fromBufferAttribute(p, k).applyMatrix4(m.matrixWorld);
          const o = new Vector3().fromBufferAttribute(n, k).transformDirection(m.matrixWorld);
          place.push(v.x, v.y, v.z);
          outward.push(o.x, o.y, o.z);
        }
        for (let k = 0; k < g.index!.count; k++) index.push(base + g.index!.getX(k));
      }
      const g = new BufferGeometry();
      const set = (name: string, v: number[]) => g.setAttribute(name, new BufferAttribute(new Float32Array(v), 3));
      set('position', flat);
      set('place', place);
      set('outward', outward);
      const uv = new Float32Array((flat.length / 3) * 2);
      for (let k = 0; k < uv.length / 2; k++) uv.set([flat[k * 3], -flat[k * 3 + 1]], k * 2);
      g.setAttribute('uv', new BufferAttribute(uv, 2));
      g.setAttribute(
        'normal',
        new BufferAttribute(
          new Float32Array(flat.length).map((_, k) => (k % 3 === 2 ? 1 : 0)),
          3,
        ),
      );
      g.setIndex(index);
      s.flat = new Mesh(g, s.bare);
      s.flat.position.set((i % cols) + 0.02 * (i % cols), -Math.floor(i / cols) * 1.02, 0);
      g.computeBoundsTree({ indirect: true });
      const edge = new LineSegments(
        new BufferGeometry().setFromPoints(
          [0, 0, 1, 0, 1, 0, 1, -1, 1, -1, 0, -1, 0, -1, 0, 0].reduce<Vector3[]>(
            (a, v, k, all) => (k % 2 ? a : [...a, new Vector3(v, all[k + 1], 0.1)]),
            [],
          ),
        ),
        new LineBasicMaterial({ color: 0x6b6b6b }),
      );
      s.flat.add(edge);
      this.flatScene.add(s.flat);
    });
  }

  dispose() {
    this.controls.dispose();
    for (const s of this.sheets) {
      for (const m of [...s.maps, s.alone, s.material, s.single, s.singleFlat, s.bare]) m?.dispose();
    }
    this.renderer.dispose();
  }
}

function barycentric(
  p: Vector3,
  at: { getX(i: number): number; getY(i: number): number },
  a: number,
  b: number,
  c: number,
): number[] {
  const [ax, ay, bx, by, cx, cy] = [at.getX(a), at.getY(a), at.getX(b), at.getY(b), at.getX(c), at.getY(c)];
  const det = (by - cy) * (ax - cx) + (cx - bx) * (ay - cy) || 1e-20;
  const u = ((by - cy) * (p.x - cx) + (cx - bx) * (p.y - cy)) / det;
  const v = ((cy - ay) * (p.x - cx) + (ax - cx) * (p.y - cy)) / det;
  return [u, v, 1 - u - v];
}
