// The view: the model under its light, the flat sheets, or both. Frames are drawn
// only when something changed.
import { BARS, FROM, clearOf } from './frame';
import {
  ACESFilmicToneMapping,
  Box3,
  BufferGeometry,
  Color,
  DirectionalLight,
  LinearToneMapping,
  Matrix4,
  Mesh,
  NeutralToneMapping,
  Raycaster,
  Scene,
  Vector2,
  Vector3,
  type WebGLRenderer,
  type Intersection,
  type Material,
  Spherical,
} from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { acceleratedRaycast, computeBoundsTree } from 'three-mesh-bvh';
import { giveBack, takeCard, type Card } from './card';
import { evening, type Lamp } from './lamp';
import { Flat } from './flat';
import { makeGround } from './ground';
import { Lens, lensIn } from './lens';
import { Sheets } from './sheets';
import { Finder, toAskFor } from './finder';
import { Parted, type Axis } from './parted';
import type { Space } from './handles';
import type { Tile } from './pages';
import { Cell, DeliveredCell, grid, TITLE, type Rect, type Shown } from './cells';
import type { Finish, Opening } from './finish';
import type { Tone } from '../lib/look.svelte';
import { Difference } from './difference';
import { clears, type Alternative, type Compared } from '../lib/lineup.svelte';
import type { Session } from '../lib/session.svelte';

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

export class Stage {
  readonly renderer: WebGLRenderer;
  readonly scene = new Scene();
  readonly camera = new Lens();
  readonly controls: OrbitControls;
  readonly meshes: Mesh[] = [];
  /** what the sheets wear; empty until the model is there */
  worn: Sheets;
  /** the flat view; empty until the model is there */
  flat: Flat;
  mode: 'model' | 'flat' | 'both' = 'model';
  frames = 0;
  /** pixels at the right that something lies over */
  private covered = 0;
  onView: () => void = () => {};
  private pending = false;
  /** its project was left: what it drew with is another's */
  gone = false;
  private readonly key = new DirectionalLight(0xfff0dc, 1.6);
  private readonly ray = new Raycaster();
  private readonly box = new Box3();
  private told = { w: 0, h: 0 };
  private ground: Mesh | null = null;
  private viewTimer = 0;
  private viewSince = 0;
  private readonly finder: Finder;
  private readonly slow: boolean;
  private coarse = false;
  private sharpTimer = 0;
  private sharpness = 1;

  private readonly card: Card;
  readonly canvas: HTMLCanvasElement;

  /** @param holder what the picture fills */
  constructor(holder: HTMLElement) {
    // who asks for coarse pixels wants speed
    this.card = takeCard((Number(localStorage.getItem('sharpness')) || 1) <= 0.5);
    this.canvas = this.card.canvas;
    this.renderer = this.card.renderer;
    this.slow = this.card.slow;
    const { canvas } = this;
    holder.append(canvas);
    this.scene.background = new Color(0x5a5a5a);
    this.finder = new Finder(this.renderer);
    this.worn = this.sheets([]);
    this.flat = new Flat([], this.meshes);
    this.key.castShadow = true;
    this.key.shadow.mapSize.set(1024, 1024);
    this.key.shadow.radius = 5;
    this.key.shadow.bias = -0.0004;
    this.key.shadow.normalBias = 0.002;
    this.scene.add(this.key, this.key.target);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.addEventListener('change', () => {
      if (!this.cells.length) this.camera.settle();
      this.hurry();
      this.invalidate();
      this.tellView();
    });
    this.ray.firstHitOnly = true;
    canvas.addEventListener('webglcontextrestored', this.restore);
  }

  /** Lays the light from all sides. */
  private surround() {
    const shown = this.scene.background === this.scene.environment;
    this.scene.environment = this.card.surround();
    if (shown) this.scene.background = this.scene.environment;
    if (this.lamp !== evening) void this.setAround(this.lamp.id, this.lamp);
  }

  /** the key light as it comes with the environment, before any turn */
  private lamp: Lamp = evening;
  private turned = { degrees: 0, tilt: 0 };

  /** Takes another environment; lamp tells its key light. It is drawn until it is there in the old one. */
  async setAround(id: string, lamp: Lamp) {
    this.lamp = lamp;
    const light = lamp === evening ? this.card.surround() : await this.card.around(id, () => lamp.read(id));
    if (this.gone || this.lamp !== lamp) return;
    const shown = this.scene.background === this.scene.environment;
    this.scene.environment = light;
    if (shown) this.scene.background = light;
    this.key.color.setRGB(...lamp.color);
    this.key.intensity = lamp.strength;
    this.key.shadow.radius = Math.min(1 + lamp.radius * 130, 14);
    this.setLight(this.turned.degrees, this.turned.tilt);
  }

  /** called when the card lost all that it held, and all of it was made anew, empty */
  onRestored: () => void = () => {};

  private readonly restore = () => {
    this.surround();
    this.worn.restore();
    this.renderer.shadowMap.needsUpdate = true;
    this.finding = Promise.resolve(); // what was asked of the old context is never answered
    this.onRestored();
    this.invalidate();
  };

  async load(url: string) {
    const gltf = await new GLTFLoader().loadAsync(url);
    if (this.gone) return;
    const materials = gltf.parser.json.materials as { name: string }[];
    const names = materials.map((m) => m.name);
    this.worn = this.sheets(names);
    gltf.scene.updateMatrixWorld(true);
    gltf.scene.traverse((o) => {
      if (!(o instanceof Mesh)) return;
      const i = materials.findIndex((m) => m.name === (o.material as Material).name);
      o.material = this.worn.list[Math.max(i, 0)].material;
      o.userData.sheet = Math.max(i, 0);
      o.userData.part = (o.parent instanceof Mesh || !o.parent?.name ? o.name : o.userData.name) || o.name;
      o.castShadow = o.receiveShadow = true;
      this.meshes.push(o);
    });
    this.scene.add(gltf.scene);
    this.box.setFromObject(gltf.scene);
    this.ground = makeGround(this.box);
    this.scene.add(this.ground);
    this.flat = new Flat(this.worn.list, this.meshes);
    this.surround();
    this.frame();
  }

  private sheets(names: string[]) {
    return new Sheets(this.renderer, names, this.meshes, this.room(0), () => this.finer());
  }

  /** Bytes for the maps of all sheets, of so many MB; 0: as suits the machine. */
  private room(megabytes: number): number {
    // without a card the maps lie in the same memory as all else
    return (megabytes || (this.slow ? 96 : 256)) * 2 ** 20;
  }

  /** MB that the maps of all sheets can take at most: four textures as large as the card has them. */
  get mostMaps(): number {
    return Math.floor((this.renderer.capabilities.maxTextureSize ** 2 * 16) / 2 ** 20);
  }

  /** Makes the pictures of a line-up, which share what the maps of all sheets may take. */
  cell(alternative: Alternative, of: Session, among: number): Shown {
    if (alternative.delivered)
      return new DeliveredCell(alternative, of.id, this.renderer, this.worn.list, () => this.invalidate());
    const bytes = (this.room(this.megabytes) / among) | 0;
    const { list } = this.worn;
    const clear = (i: number) => clears(alternative.op, list[i].name, this.partsOn(i));
    return new Cell(alternative, of, this.renderer, list, clear, bytes, this.worn.more, (what) => {
      const last =
        what === 'draft'
          ? this.cells.every((c) => c.ready)
          : what === 'all' && this.cells.every((c) => c.session.settled);
      if (last) this.invalidate();
      else this.finer();
    });
  }

  private megabytes = 0;

  /** Gives the maps of all sheets so many MB on the card. */
  setMaps(megabytes: number) {
    this.megabytes = megabytes;
    if (this.worn.allow(this.room(megabytes))) this.onRestored();
  }

  private part = '';
  /** where the camera was before a part was shown alone */
  private before: { eye: number[]; target: number[]; view: number[] } | null = null;

  /** Shows one part alone, framed; '': all, from where they were seen before. */
  only(part: string) {
    if (part === this.part) return;
    if (part && !this.part)
      this.before = { eye: this.eye.toArray(), target: this.controls.target.toArray(), view: this.lens().view };
    this.part = part;
    for (const m of this.meshes) m.visible = !part || m.userData.part === part;
    if (this.ground) this.ground.visible = !part && this.key.castShadow;
    this.renderer.shadowMap.needsUpdate = true;
    this.frame();
    if (part || !this.before) return;
    this.goTo(this.before.eye, this.before.target, this.before.view);
    this.before = null;
  }

  private parted: Parted | null = null;

  /** Takes the model apart to be looked at: by how much parts move away, along which axis, and whether
   * those beside the one that is shown are ghosts. */
  takeApart(share: number, axis: Axis, ghosts: boolean) {
    if (!this.parted && !share && !ghosts) return;
    if (!this.parted) {
      this.parted = new Parted(this.meshes);
      this.scene.add(this.parted.group);
    }
    this.parted.explode(share, axis, this.box.getCenter(new Vector3()));
    this.parted.ghost(ghosts ? this.part : '');
    this.renderer.shadowMap.needsUpdate = true;
    this.invalidate();
    this.tellView();
  }

  /** Turns the camera round what it looks at by so many radians, and brings it nearer by a factor: for
   * the keys, as a drag and the wheel do. */
  turn(right: number, up: number, nearer = 1) {
    const { target } = this.controls;
    const at = new Spherical().setFromVector3(this.camera.position.clone().sub(target));
    at.theta += right;
    at.phi = Math.min(Math.max(at.phi - up, 0.02), Math.PI - 0.02);
    at.radius = Math.min(Math.max(at.radius / nearer, this.controls.minDistance), this.controls.maxDistance);
    this.camera.position.setFromSpherical(at).add(target);
    if (this.camera.flat) this.camera.half /= nearer;
    this.camera.updateProjectionMatrix();
    this.controls.update();
    this.invalidate();
    this.tellView();
  }

  /** Puts the camera where the whole model, or the part that is shown alone, fills the view. */
  frame() {
    const box = this.part ? new Box3() : this.box;
    if (this.part) for (const m of this.meshes) if (m.visible) box.expandByObject(m);
    const c = box.getCenter(new Vector3());
    const r = Math.max(box.getSize(new Vector3()).length() / 2, 1e-5);
    this.camera.near = r / 50;
    this.camera.far = (this.box.getSize(new Vector3()).length() / 2) * 40;
    const { model } = this.rects();
    const narrow = this.cells.length ? this.narrow(this.whole()) : this.narrow(model);
    const tan = Math.tan((this.camera.fov * Math.PI) / 360);
    const usual = ((r / Math.sin((this.camera.fov * Math.PI) / 360)) * 0.92) / narrow;
    const { d, up } = clearOf(box, c, FROM, usual, tan, 1 - (2 * BARS) / Math.max(model?.h ?? 0, 4 * BARS));
    c.addScaledVector(up, 1);
    this.camera.position.copy(c).addScaledVector(FROM, d);
    this.camera.half = d * tan;
    this.controls.target.copy(c);
    this.controls.minDistance = r * 0.1;
    this.controls.maxDistance = r * 12;
    this.key.shadow.camera.left = this.key.shadow.camera.bottom = -r * 1.3;
    this.key.shadow.camera.right = this.key.shadow.camera.top = r * 1.3;
    this.key.shadow.camera.near = r * 0.2;
    this.key.shadow.camera.far = r * 8;
    this.flat.frame();
    this.controls.update();
    this.invalidate();
    this.tellView();
  }

  /** Turns the light about the vertical, and tilts it about the model's X. */
  setLight(degrees: number, tilt = 0) {
    this.turned = { degrees, tilt };
    const [a, b] = [(degrees * Math.PI) / 180, (tilt * Math.PI) / 180];
    this.scene.environmentRotation.set(b, a, 0);
    this.scene.backgroundRotation.set(b, a, 0);
    const c = this.box.getCenter(new Vector3());
    const r = this.box.getSize(new Vector3()).length();
    const dir = new Vector3(...this.lamp.dir).applyEuler(this.scene.environmentRotation);
    this.key.position.copy(c).addScaledVector(dir, r * 2);
    this.key.target.position.copy(c);
    this.renderer.shadowMap.needsUpdate = true;
    this.invalidate();
  }

  setLook(o: { exposure: number; background: boolean; blur: number; shadows: boolean }) {
    // the first environment comes as it was drawn, all others by their gauge
    this.renderer.toneMappingExposure = (this.lamp === evening ? 1.05 : 1) * o.exposure;
    this.scene.background = o.background ? this.scene.environment : new Color(0x5a5a5a);
    this.scene.backgroundBlurriness = o.blur;
    this.key.castShadow = o.shadows;
    if (this.ground) this.ground.visible = o.shadows && !this.part;
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
    this.drawn = 0;
    this.resize();
  }

  /** drawn pixels a pixel of the screen while a hand is at work on a machine without a card */
  private coarseness = 0.5;
  private drawn = 0;

  /** Finds how coarse frames are to be while something moves, from how they follow each other. */
  private pace() {
    if (!this.slow || !this.coarse) return;
    const now = performance.now();
    const took = this.drawn && now - this.drawn;
    this.drawn = now;
    if (!took || took > 600) return; // the hand rested
    if (took > 120 && this.coarseness > 0.3) this.coarseness = Math.max(this.coarseness * 0.95, 0.3);
    else if (took < 70 && this.coarseness < 0.5) this.coarseness = Math.min(this.coarseness * 1.02, 0.5);
  }

  /** Drawn pixels a pixel of the screen, each way: less for machines that draw slowly. */
  setSharpness(share: number) {
    if (share === this.sharpness) return;
    this.sharpness = share;
    this.resize();
  }

  resize() {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    if (!w || !h || this.gone) return;
    this.renderer.setPixelRatio(
      Math.min(this.coarse ? this.coarseness : 2, this.sharpness * Math.min(devicePixelRatio, 2)),
    );
    this.renderer.setSize(w, h, false);
    if (w !== this.told.w || h !== this.told.h) {
      this.told = { w, h };
      this.tellView();
    }
    this.invalidate();
  }

  invalidate() {
    this.changed = true;
    if (this.pending) return;
    this.pending = true;
    requestAnimationFrame(() => {
      this.pending = false;
      this.draw();
    });
  }

  /** How long a frame may put tiles on the card, ms: at rest, without a card, another frame costs
   * more than what it would spread. */
  private get uploads(): number | undefined {
    return this.slow && !this.coarse ? 100 : undefined;
  }

  private finerTimer = 0;

  /**
   * What the sheets wear has changed. Without a graphics card a frame takes from the server
   * what it makes the next tiles with, if both are one machine: while no hand is at work
   * several tiles are drawn at a time, and frames take an eighth of the time; and none before
   * all pictures of a line-up have something to show, unless that takes long.
   */
  private finer() {
    if (!this.slow || this.coarse) return this.invalidate();
    this.finerTimer ||= window.setTimeout(
      () => {
        this.finerTimer = 0;
        const begun = performance.now();
        this.invalidate();
        // the second frame after begins when the first is drawn
        requestAnimationFrame(() => requestAnimationFrame(() => (this.cost = performance.now() - begun)));
      },
      this.cells.every((c) => c.ready) ? Math.min(Math.max(400, 8 * this.cost), 3000) : 3000,
    );
  }

  /** what a frame of new tiles took, ms */
  private cost = 0;

  /** the pictures of a line-up; empty: the view is one picture */
  private cells: readonly Shown[] = [];

  /** Divides the view into the pictures of a line-up. */
  lineUp(cells: readonly Shown[]) {
    this.cells = cells;
    this.camera.zoom = 1;
    if (cells.length) this.camera.zoom = this.narrow(this.rects().model) / this.narrow(this.whole());
    this.tellView();
    this.invalidate();
  }

  private compared: { way: Compared; at: number; times: number } = { way: 'beside', at: 0.5, times: 8 };

  /** Says how the two pictures of a line-up are compared. */
  compare(c: { way: Compared; at: number; times: number }) {
    const was = this.compared.way;
    this.compared = c;
    if (was !== c.way) this.tellView();
    this.invalidate();
  }

  /** two pictures lie upon each other */
  private get over(): boolean {
    return this.cells.length === 2 && this.compared.way !== 'beside';
  }

  /** Where the pictures of a line-up are on the canvas. */
  places(): Rect[] {
    const { w, h } = this.whole();
    if (this.over) return [0, 1].map(() => ({ x: 0, y: 0, w, h: h - TITLE }));
    return grid(this.cells.length, w, h - TITLE);
  }

  private whole() {
    return { w: this.canvas.clientWidth, h: this.canvas.clientHeight };
  }

  /** By how much less than its height a picture shows of what lies beside one another. */
  private narrow(r: { w: number; h: number } | null) {
    return r?.h ? Math.min(1, (r.w / r.h) * 0.95) : 1;
  }

  /** The rectangles of the model and the flat sheets on the canvas, in pixels. */
  private rects() {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const half = Math.floor(w / 2);
    if (this.cells.length) return { model: this.places()[0], flat: null };
    if (this.mode === 'both') return { model: { x: 0, w: half, h }, flat: { x: half, w: w - half, h } };
    return { model: this.mode === 'model' ? { x: 0, w, h } : null, flat: this.mode === 'flat' ? { x: 0, w, h } : null };
  }

  /** called after a frame was drawn */
  onFrame: () => void = () => {};

  /** nothing is drawn until the server knows what is seen: it has that to do first */
  private asleep = true;

  private linked = false;

  /** Has the programs of the first frame linked while the server makes the first tiles; that takes
   * as long as a frame, and longer. */
  private link() {
    if (this.linked || !this.scene.environment) return;
    this.linked = true;
    this.renderer.compile(this.scene, this.camera);
  }

  /** From now on frames are drawn. */
  wake() {
    if (!this.asleep || this.gone) return;
    this.asleep = false;
    this.invalidate();
    window.setTimeout(() => this.trees(), 3000);
  }

  draw() {
    if (this.asleep) return;
    this.frames++;
    this.pace();
    if (this.worn.update(this.uploads)) this.invalidate();
    const r = this.renderer;
    const { model, flat } = this.rects();
    r.setScissorTest(true);
    if (this.cells.length) {
      this.drawCells();
      return this.onFrame();
    }
    if (model?.h) {
      this.setUp(model, !!flat);
      r.setViewport(model.x, 0, model.w, model.h);
      r.setScissor(model.x, 0, model.w, model.h);
      if (this.finishes && !flat) {
        if (!this.gathering) this.finish!.restart();
        this.gathering = false;
        this.developed(model);
      } else r.render(this.scene, this.camera);
    }
    if (flat?.h) {
      this.flat.fit(flat.w / flat.h);
      r.setViewport(flat.x, 0, flat.w, flat.h);
      r.setScissor(flat.x, 0, flat.w, flat.h);
      r.render(this.flat.scene, this.flat.camera);
    }
    this.worn.ink.drawn();
    this.onFrame();
  }

  private finish: Finish | null = null;
  private finishes = false;
  /** the frame that is drawn next goes on with what was gathered */
  private gathering = false;

  /** Says what the lens does to the picture; gather: it is finer at rest even where it does nothing. */
  async setOpening(o: Opening, gather: boolean) {
    const does = o.fStop > 0 || o.vignette > 0 || o.grain > 0;
    if (does && !this.finish) {
      const { Finish } = await import('./finish');
      if (this.gone) return;
      this.finish ??= new Finish(this.renderer, this.slow ? 16 : 48);
    }
    if (this.finish) this.finish.opening = o;
    this.finishes = !!this.finish && (does || (gather && !this.slow));
    this.invalidate();
  }

  /** how many pictures the one that is shown is made of, and how many it will be */
  get gathers(): { now: number; of: number } {
    return this.finishes && this.finish ? { now: this.finish.now, of: this.finish.of } : { now: 1, of: 1 };
  }

  /** how far away what is looked at is, along the view, metres */
  private get away(): number {
    return this.camera.position.distanceTo(this.controls.target);
  }

  private developed({ w, h }: { w: number; h: number }) {
    const ratio = this.renderer.getPixelRatio();
    const more = this.finish!.gather(
      this.scene,
      this.camera,
      Math.max(Math.floor(w * ratio), 1),
      Math.max(Math.floor(h * ratio), 1),
      this.away,
    );
    this.finish!.show();
    if (!more || this.coarse || this.pending) return;
    // the next one, unless something changes before
    this.pending = true;
    requestAnimationFrame(() => {
      this.pending = false;
      this.gathering = !this.changed;
      this.draw();
    });
    this.changed = false;
  }

  /** something else is to be drawn than what was gathered */
  private changed = false;

  /** How far away, along the view, lies what is under a point of the canvas; null: nothing is there. */
  depthAt(x: number, y: number): number | null {
    const hit = this.pick(x, y);
    if (!hit) return null;
    const ahead = this.camera.getWorldDirection(new Vector3());
    return hit.pos.clone().sub(this.camera.position).dot(ahead);
  }

  /** A picture of the model, w × h pixels; clear: with nothing around it. */
  async quick(w: number, h: number, clear: boolean): Promise<Blob | null> {
    const { Finish } = await import('./finish');
    const most = this.renderer.capabilities.maxTextureSize;
    const k = Math.min(1, most / w, most / h);
    [w, h] = [Math.floor(w * k), Math.floor(h * k)];
    const finish = new Finish(this.renderer, this.slow ? 8 : 32);
    if (this.finish) finish.opening = this.finish.opening;
    const { covered } = this;
    this.covered = 0;
    this.setUp({ w, h }, false);
    const ground = this.ground?.visible;
    if (this.ground && clear) this.ground.visible = false;
    const pixels = await finish.picture(this.scene, this.camera, w, h, this.away, clear);
    if (this.ground) this.ground.visible = !!ground;
    finish.dispose();
    this.covered = covered;
    this.resize();
    const out = new ImageData(w, h);
    for (let y = 0; y < h; y++) out.data.set(pixels.subarray((h - 1 - y) * w * 4, (h - y) * w * 4), y * w * 4);
    const canvas = new OffscreenCanvas(w, h);
    canvas.getContext('2d')!.putImageData(out, 0, 0);
    return canvas.convertToBlob({ type: 'image/png' });
  }

  /** Where the camera of a still stands that shows what the view shows, for a picture of w × h. */
  stillView(w: number, h: number) {
    const { target } = this.controls;
    const { camera } = this;
    const flat = camera.flat;
    // as much from foot to head; a still that is upright sees as much from side to side
    const { clientWidth, clientHeight } = this.canvas;
    const fit = Math.min(1, w / h / Math.min((clientWidth - this.covered) / clientHeight, 1));
    const tan = Math.tan((camera.fov * Math.PI) / 360) / fit;
    return {
      eye: camera.position.toArray(),
      at: target.toArray(),
      angle: flat ? 0 : (2 * Math.atan(tan) * 180) / Math.PI,
      height: flat ? (2 * camera.half) / fit : 0,
      aperture:
        this.finish && this.finishes && this.finish.opening.fStop > 0
          ? camera.focal / 1000 / this.finish.opening.fStop
          : 0,
      focus: this.finish?.opening.focus || this.away,
      parts: this.part ? [this.part] : [],
    };
  }

  /** Tones of the picture. */
  setTone(tone: Tone) {
    const was = this.renderer.toneMapping;
    this.renderer.toneMapping = { filmic: ACESFilmicToneMapping, neutral: NeutralToneMapping, none: LinearToneMapping }[
      tone
    ];
    if (was !== this.renderer.toneMapping) this.invalidate();
  }

  /** How bright what is emissive is, by white. */
  setGlow(v: number) {
    this.worn.setGlow(v);
  }

  /** Says how many pixels of the view something covers at its right: the model moves over, so
   * that it is in the middle of what is left. */
  cover(pixels: number) {
    if (pixels === this.covered) return;
    this.covered = pixels;
    const { model, flat } = this.rects();
    if (model?.h) this.setUp(model, !!flat); // at once: what is pointed at next lies there
    this.tellView();
    this.invalidate();
  }

  /** Where in the view lies now what lies at shares of its width and height while nothing covers it. */
  moved(x: number, y: number): [number, number] {
    const v = this.camera.view;
    if (!v?.enabled || this.rects().flat) return [x, y];
    return [(x * v.fullWidth - v.offsetX) / v.width, (y * v.fullHeight - v.offsetY) / v.height];
  }

  /** Sets the camera up for a picture of the model; beside is that there is another one. */
  private setUp({ w, h }: { w: number; h: number }, beside: boolean) {
    this.camera.aspect = w / h;
    if (this.covered && !beside) {
      // smaller, too, where what is left is narrow: k pixels then show what one did
      const k = Math.max(1, h / Math.max(w - this.covered, h / 3));
      this.camera.setViewOffset(w, h, (w - w * k + this.covered * k) / 2, (h - h * k) / 2, w * k, h * k);
    } else this.camera.clearViewOffset();
    this.camera.updateProjectionMatrix();
  }

  private difference: Difference | null = null;
  private apart(): Difference {
    return (this.difference ??= new Difference(this.renderer));
  }

  /** Draws the model once for every picture of a line-up, in what that wears. */
  private drawCells() {
    const r = this.renderer;
    const worn = this.meshes.map((m) => m.material);
    const places = this.places();
    this.setUp(places[0], true);
    let more = false;
    this.cells.forEach((cell, i) => {
      more = cell.worn.update(this.uploads) || more;
      const { x, y, w, h } = places[i];
      r.setViewport(x, y, w, h);
      r.setScissor(x, y, w, h);
      // without a card six pictures of nothing take what the first six drafts are made with
      if (this.slow && !cell.ready) return r.clear();
      for (const m of this.meshes) m.material = cell.worn.list[m.userData.sheet as number].material;
      if (this.over && this.compared.way === 'divided') {
        const left = Math.round(this.compared.at * w);
        r.setScissor(i ? x + left : x, y, Math.max(i ? w - left : left, 0), h);
      }
      r.render(this.scene, this.camera);
      if (this.over && this.compared.way === 'amplified') this.apart().take(i, this.canvas.width, this.canvas.height);
    });
    if (this.over && this.compared.way === 'amplified') {
      const { w, h } = this.whole();
      r.setViewport(0, 0, w, h);
      r.setScissor(0, 0, w, h);
      this.apart().show(this.compared.times);
    }
    this.meshes.forEach((m, i) => (m.material = worn[i]));
    if (more) this.invalidate();
  }

  zoomFlat(factor: number) {
    this.flat.zoom(factor);
    this.tellView();
    this.invalidate();
  }

  panFlat(dx: number, dy: number) {
    const rect = this.rects().flat;
    if (!rect) return;
    this.flat.pan(dx / rect.w, dy / rect.h);
    this.tellView();
    this.invalidate();
  }

  overFlat(x: number): boolean {
    const { flat } = this.rects();
    return !!flat && x >= flat.x;
  }

  /** View times projection of the model's picture, and its width over its height. */
  lens(flat = false): { view: number[]; aspect: number; height: number; flat?: number[] } {
    const rect = this.rects()[flat ? 'flat' : 'model'];
    if (flat && rect) this.flat.fit(rect.w / Math.max(rect.h, 1));
    const camera = flat ? this.flat.camera : this.camera;
    camera.updateMatrixWorld();
    const view = new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse).toArray();
    if (!flat) return { view, aspect: this.camera.aspect, height: rect?.h ?? 1 };
    const corners = this.flat.corners();
    return { view, aspect: (rect?.w ?? 1) / Math.max(rect?.h ?? 1, 1), height: rect?.h ?? 1, flat: corners };
  }

  /** That of the model's picture as it is while nothing lies over it, and its width. */
  bareLens() {
    const { covered } = this;
    const { model } = this.rects();
    const rect = model ?? { w: this.canvas.clientWidth, h: this.canvas.clientHeight };
    this.covered = 0;
    this.setUp(rect, false);
    const lens = { ...this.lens(), width: rect.w, height: rect.h };
    this.covered = covered;
    this.setUp(rect, rect.w < this.canvas.clientWidth);
    return lens;
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

  /** Takes another lens: its focal length in mm, or one without perspective. */
  setLens(focal: number, flat: boolean) {
    if (flat === this.camera.flat && Math.abs(focal - this.camera.focal) < 1e-6) return;
    this.camera.turn(focal, flat, this.controls.target);
    this.controls.update();
    this.invalidate();
    this.tellView();
  }

  /** Where the view is seen from: of one without perspective very far away. */
  get eye(): Vector3 {
    const { position } = this.camera;
    if (!this.camera.flat) return position.clone();
    const { target } = this.controls;
    const far = this.box.getSize(new Vector3()).length() * 1000;
    return position.clone().sub(target).setLength(far).add(target);
  }

  /** Puts the camera where an eye was, that looked at a target; view, when it is known, says through which lens. */
  goTo(eye: number[], target: number[], view?: number[]): { focal: number; flat: boolean } {
    const lens = view ? lensIn(view) : { focal: this.camera.focal, flat: this.camera.flat, half: 0 };
    this.controls.target.fromArray(target);
    this.camera.position.fromArray(eye);
    if (lens.flat) {
      const away = this.camera.position.clone().sub(this.controls.target);
      this.camera.position
        .copy(this.controls.target)
        .addScaledVector(away.normalize(), this.box.getSize(new Vector3()).length() * 2);
    }
    const at = this.camera.position.clone();
    this.camera.turn(lens.focal, lens.flat, this.controls.target);
    if (!lens.flat) this.camera.position.copy(at);
    else if (lens.half) this.camera.half = lens.half;
    this.camera.updateProjectionMatrix();
    this.controls.update();
    this.wake();
    this.invalidate();
    this.tellView();
    return lens;
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

  /** The parts that lie on a sheet, by its number. */
  partsOn(sheet: number): string[] {
    return this.meshes.filter((m) => m.userData.sheet === sheet).map((m) => m.userData.part as string);
  }

  /** The longest way through the box of what some parts and sheets wear; of all without any. */
  extent(parts: string[], sheets: number[]): number {
    if (!parts.length && !sheets.length) return this.box.getSize(new Vector3()).length();
    const box = new Box3();
    for (const m of this.meshes)
      if (parts.includes(m.userData.part) || sheets.includes(m.userData.sheet)) box.expandByObject(m);
    return box.isEmpty() ? 0 : box.getSize(new Vector3()).length();
  }

  /** Makes what finds the surface under a point quickly. */
  private trees() {
    for (const m of this.meshes) if (!m.geometry.boundsTree) m.geometry.computeBoundsTree({ indirect: true });
  }

  /** the surface, for what looks for places on it */
  get surface(): Mesh[] {
    this.trees();
    return this.shownMeshes;
  }

  /** what a ray can meet: hidden parts are not there */
  private get shownMeshes(): Mesh[] {
    return this.part ? this.meshes.filter((m) => m.visible) : this.meshes;
  }

  /** Finds the surface under a point of the canvas, on the model or on a flat sheet. */
  pick(x: number, y: number): Hit | null {
    const { model, flat } = this.rects();
    if (flat && x >= flat.x) return this.flat.pick(this.ray, ((x - flat.x) / flat.w) * 2 - 1, 1 - (y / flat.h) * 2);
    if (!model) return null;
    this.trees();
    this.ray.setFromCamera(new Vector2((x / model.w) * 2 - 1, 1 - (y / model.h) * 2), this.camera);
    const h = this.ray.intersectObjects(this.shownMeshes, false)[0];
    return h ? this.hit(h, h.object as Mesh) : null;
  }

  private hit(h: Intersection, mesh: Mesh): Hit {
    const nrm = (h.normal ?? h.face!.normal).clone().transformDirection(mesh.matrixWorld);
    // a part that was moved away to be looked at is where it was
    return {
      pos: h.point.clone().sub(mesh.position),
      nrm,
      sheet: mesh.userData.sheet,
      part: mesh.userData.part,
      mesh,
      uv: h.uv,
    };
  }

  /** How many other places of the model have the same texels as a place. */
  sharers(h: Hit): number {
    return this.flat.sharers(h, this.box.getSize(new Vector3()).length() * 1e-3);
  }

  /** Where what can be pulled lies on the canvas: for tests and for the curious. */
  gripsOnScreen: () => { label: string; x: number; y: number }[] = () => [];

  /** Where points of the model lie on the canvas. */
  project(p: Vector3): Vector2 {
    const { model } = this.rects();
    const q = p.clone().project(this.camera);
    return new Vector2(((q.x + 1) / 2) * (model?.w ?? 0), ((1 - q.y) / 2) * (model?.h ?? 0));
  }

  /** The model's space, for what is drawn and pulled there. */
  get space(): Space {
    return {
      scene: this.scene,
      project: (p) => this.project(p),
      aim: (ray, x, y) => this.aim(ray, x, y),
      size: () => this.box.getSize(new Vector3()).length(),
    };
  }

  /** The plane of the sheets laid flat. */
  get flatSpace(): Space {
    const rect = () => this.rects().flat ?? { x: 0, w: 1, h: 1 };
    return {
      scene: this.flat.scene,
      project: (p) => {
        const { w, h } = rect();
        this.flat.fit(w / h);
        const q = p.clone().project(this.flat.camera);
        return new Vector2(...this.onCanvas(q.x, q.y, true));
      },
      aim: (ray, x, y) => ray.setFromCamera(new Vector2(...this.inPicture(x, y, true)), this.flat.camera),
      size: () => (this.flat.camera.top - this.flat.camera.bottom) * 0.7,
    };
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
      const down = this.ray.intersectObjects(this.shownMeshes, false)[0];
      this.ray.far = Infinity;
      const q = this.project(down ? down.point : p);
      path += `${i ? 'L' : 'M'}${q.x.toFixed(1)} ${q.y.toFixed(1)}`;
    }
    return path + 'Z';
  }

  /** The same on the flat sheets, island by island, as an SVG path. */
  footprintFlat(h: Pick<Hit, 'pos' | 'nrm'>, radius: number): string {
    const { flat } = this.rects();
    if (!flat) return '';
    this.flat.fit(flat.w / flat.h);
    const at = (p: Vector3) => {
      const q = p.project(this.flat.camera);
      return this.onCanvas(q.x, q.y, true)
        .map((v) => v.toFixed(1))
        .join(' ');
    };
    return this.flat
      .footprint(h, radius)
      .map((line) => 'M' + line.map(at).join('L'))
      .join('');
  }

  /** Metres on the surface that a pixel covers at a point. */
  pixel(p: Vector3): number {
    return (2 * this.camera.seen(p.distanceTo(this.camera.position))) / Math.max(this.canvas.clientHeight, 1);
  }

  /** Tells of another view when it rests, and now and then while it moves. */
  private tellView() {
    const now = performance.now();
    if (!this.viewTimer) this.viewSince = now;
    clearTimeout(this.viewTimer);
    this.viewTimer = window.setTimeout(
      () => {
        this.viewTimer = 0;
        this.onView();
      },
      Math.max(Math.min(120, 400 - (now - this.viewSince)), 0),
    );
  }

  private finding: Promise<unknown> = Promise.resolve();
  private seeking = 0;

  /** what is seen is another, and was not told yet */
  get telling(): boolean {
    return this.viewTimer !== 0 || this.seeking > 0;
  }

  /** The tiles that are seen, what is to come first first; bias makes all coarser by levels. */
  seen(bias: number): Promise<Tile[]> {
    const found = this.finding.then(() => this.findSeen(bias));
    this.seeking++;
    this.finding = found.catch(() => {}).finally(() => this.seeking--);
    return found;
  }

  private async findSeen(bias: number): Promise<Tile[]> {
    if (this.gone) return [];
    const { model, flat } = this.rects();
    const ratio = this.sharpness * Math.min(devicePixelRatio, 2); // as drawn at rest, not while the hand is at work
    const counts = new Map<number, { tile: Tile; pixels: number }>();
    const sheets = this.worn.list;
    const look = (r: { w: number; h: number }) => [Math.ceil(r.w * ratio), Math.ceil(r.h * ratio), bias] as const;
    if (model?.h) {
      this.setUp(model, !!flat);
      const found = this.finder.find(this.scene, this.camera, this.meshes, sheets, ...look(model), counts);
      this.link();
      await found;
    }
    if (flat?.h) {
      this.flat.fit(flat.w / flat.h);
      const laid = sheets.flatMap((s) => s.flat ?? []);
      await this.finder.find(this.flat.scene, this.flat.camera, laid, sheets, ...look(flat), counts);
    }
    return toAskFor(counts.values(), sheets);
  }

  /** View times projection for a picture of the given aspect, framing the model as now. */
  cardsCamera(aspect: number): number[] {
    const c = this.camera.clone();
    c.clearViewOffset();
    c.aspect = aspect;
    // a card is small: it shows the middle of the view, until the camera itself is near
    const fit = this.box.getSize(new Vector3()).length() / c.position.distanceTo(this.controls.target);
    c.zoom = Math.min(Math.max(1.5 / fit, 1), 2.3);
    c.updateProjectionMatrix();
    c.updateMatrixWorld(true);
    return new Matrix4().multiplyMatrices(c.projectionMatrix, c.matrixWorldInverse).toArray();
  }

  /** How the view looks, as the data: URL of a small picture. */
  small(): string {
    this.draw();
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const out = document.createElement('canvas');
    [out.width, out.height] = [144, 84];
    const g = out.getContext('2d')!;
    const scale = Math.max(out.width / w, out.height / h);
    g.drawImage(this.canvas, (out.width - w * scale) / 2, (out.height - h * scale) / 2, w * scale, h * scale);
    return out.toDataURL('image/webp', 0.8);
  }

  /** A small PNG of the model for the project list. */
  async snapshot(): Promise<Blob | null> {
    const { covered } = this;
    this.covered = 0; // the model in the middle
    this.draw();
    this.covered = covered;
    this.invalidate();
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const out = document.createElement('canvas');
    [out.width, out.height] = [400, 260];
    const g = out.getContext('2d')!;
    const scale = Math.max(out.width / w, out.height / h);
    g.drawImage(this.canvas, (out.width - w * scale) / 2, (out.height - h * scale) / 2, w * scale, h * scale);
    return new Promise((done) => out.toBlob(done, 'image/png'));
  }

  dispose() {
    this.gone = this.asleep = true;
    clearTimeout(this.viewTimer);
    clearTimeout(this.sharpTimer);
    clearTimeout(this.finerTimer);
    this.controls.dispose();
    this.canvas.removeEventListener('webglcontextrestored', this.restore);
    giveBack(this.card); // before its materials go, whose programs stay
    for (const scene of [this.scene, this.flat.scene])
      scene.traverse((o) => {
        const m = o as Mesh;
        m.geometry?.dispose();
        for (const material of [m.material ?? []].flat()) {
          (material as { map?: { dispose(): void } }).map?.dispose();
          material.dispose();
        }
      });
    this.key.dispose();
    this.worn.dispose();
    this.finder.dispose();
    this.finish?.dispose();
    this.difference?.dispose();
    this.parted?.dispose();
  }
}
