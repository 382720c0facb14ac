// The view of the target: a delivery as somebody sees it who has nothing but its files. Its light, its
// camera and its materials are its own; nothing of the view of a project is used.
import {
  Box3,
  Color,
  DirectionalLight,
  Mesh,
  MeshStandardMaterial,
  NeutralToneMapping,
  PerspectiveCamera,
  PMREMGenerator,
  Scene,
  ShaderChunk,
  Vector3,
  WebGLRenderer,
  type Object3D,
} from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { RoomEnvironment } from 'three/addons/environments/RoomEnvironment.js';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import type { DeliveryNote } from '../api/client';
import { openDelivered, type Lines } from './delivered';

export interface Turned {
  roughness: number;
  metallic: number;
  brightness: number;
  normal: number;
}

export const AS_IT_IS: Turned = { roughness: 1, metallic: 1, brightness: 1, normal: 1 };

export class TargetView {
  readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new PerspectiveCamera(32, 1, 0.001, 100);
  private readonly controls: OrbitControls;
  private readonly sun = new DirectionalLight(0xffffff, 2.2);
  private materials: { m: MeshStandardMaterial; normal: [number, number] }[] = [];
  private waiting = false;
  /** frames that were drawn */
  frames = 0;

  constructor(readonly canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    this.renderer.toneMapping = NeutralToneMapping;
    this.scene.background = new Color(0xb9bec2);
    const pmrem = new PMREMGenerator(this.renderer);
    const room = new RoomEnvironment();
    this.scene.environment = pmrem.fromScene(room, 0.04).texture;
    room.dispose();
    pmrem.dispose();
    this.sun.position.set(2, 4, 3);
    this.scene.add(this.sun);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.addEventListener('change', () => this.draw());
  }

  /** Opens a delivery: its GLB, or its pictures on the bare model. */
  async open(project: string, note: DeliveryNote, lines: Lines): Promise<string> {
    const glb = (note.files ?? []).map((f) => f.name).find((n) => n.endsWith('.glb'));
    const url = glb ? `/api/jobs/${note.id}/files/${encodeURIComponent(glb)}` : `/api/projects/${project}/model.glb`;
    const { scene } = await new GLTFLoader().loadAsync(url);
    let of = glb ?? '';
    if (!glb) {
      const names = new Set<string>();
      scene.traverse((o) => o instanceof Mesh && names.add((o.material as MeshStandardMaterial).name));
      const opened = await openDelivered(this.renderer, note, [...names], lines);
      of = opened.of;
      scene.traverse((o) => {
        if (!(o instanceof Mesh)) return;
        o.material = opened.materials.get((o.material as MeshStandardMaterial).name) ?? o.material;
      });
    }
    this.wear(scene);
    this.scene.add(scene);
    const box = new Box3().setFromObject(scene);
    const middle = box.getCenter(new Vector3());
    const far = Math.max(box.getSize(new Vector3()).length(), 1e-4);
    this.camera.near = far / 100;
    this.camera.far = far * 20;
    this.camera.position.copy(middle).add(new Vector3(0.75, 0.45, 1.5).multiplyScalar(far));
    this.controls.target.copy(middle);
    this.controls.update();
    this.draw();
    return of;
  }

  private wear(scene: Object3D) {
    const seen = new Set<MeshStandardMaterial>();
    scene.traverse((o) => {
      if (!(o instanceof Mesh)) return;
      for (const m of [o.material].flat() as MeshStandardMaterial[]) {
        if (seen.has(m) || !m.isMeshStandardMaterial) continue;
        seen.add(m);
        // what is multiplied stays within what there is
        m.onBeforeCompile = (s) => {
          s.fragmentShader = s.fragmentShader
            .replace(
              '#include <map_fragment>',
              `${ShaderChunk.map_fragment}\ndiffuseColor.rgb = min(diffuseColor.rgb, vec3(1.0));`,
            )
            .replace(
              '#include <roughnessmap_fragment>',
              `${ShaderChunk.roughnessmap_fragment}\nroughnessFactor = min(roughnessFactor, 1.0);`,
            )
            .replace(
              '#include <metalnessmap_fragment>',
              `${ShaderChunk.metalnessmap_fragment}\nmetalnessFactor = min(metalnessFactor, 1.0);`,
            );
        };
        this.materials.push({ m, normal: [m.normalScale.x, m.normalScale.y] });
      }
    });
  }

  turn(t: Turned) {
    for (const { m, normal } of this.materials) {
      m.roughness = t.roughness;
      m.metalness = t.metallic;
      m.color.setRGB(t.brightness, t.brightness, t.brightness);
      m.normalScale.set(normal[0] * t.normal, normal[1] * t.normal);
    }
    this.draw();
  }

  resize() {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    if (!w || !h) return;
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2) * (Number(localStorage.getItem('sharpness')) || 1));
    this.renderer.setSize(w, h, false);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  draw() {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame(() => {
      this.waiting = false;
      this.renderer.render(this.scene, this.camera);
      this.frames++;
    });
  }

  dispose() {
    this.controls.dispose();
    this.scene.traverse((o) => {
      const m = o as Mesh;
      m.geometry?.dispose();
      for (const x of [m.material ?? []].flat()) x.dispose();
    });
    this.scene.environment?.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
  }
}
