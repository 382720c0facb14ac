// What a lens does to a picture, while nothing moves: several pictures are gathered, from places on
// its opening and within a pixel, and are developed with their tones, darker corners and grain.
import {
  AdditiveBlending,
  FloatType,
  HalfFloatType,
  Mesh,
  NearestFilter,
  NoBlending,
  OrthographicCamera,
  PlaneGeometry,
  Scene,
  ShaderMaterial,
  Vector2,
  WebGLRenderTarget,
  type WebGLRenderer,
} from 'three';
import type { Lens } from './lens';

export interface Opening {
  /** focal length over diameter; 0: all is sharp */
  fStop: number;
  /** metres from the eye; 0: what is looked at */
  focus: number;
  vignette: number;
  grain: number;
}

const VERTEX = 'varying vec2 vUv; void main() { vUv = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }';

const ADD = `
uniform sampler2D map; uniform float share; varying vec2 vUv;
void main() { gl_FragColor = texture2D(map, vUv) * share; }`;

const DEVELOP = `
uniform sampler2D map; uniform float whole, vignette, grain, clear; uniform vec2 size; varying vec2 vUv;
float noise(vec2 p) { // Hoskins' hash without sine
  vec3 q = fract(vec3(p.xyx) * 0.1031);
  q += dot(q, q.yzx + 33.33);
  return fract((q.x + q.y) * q.z);
}
void main() {
  vec4 c = texture2D(map, vUv) / whole;
  float a = clear > 0.5 ? clamp(c.a, 0.0, 1.0) : 1.0;
  if (clear > 0.5) c.rgb /= max(a, 1e-4);
  // natural fall-off: the fourth power of the cosine, at the strength that was asked for
  vec2 d = (vUv - 0.5) * vec2(size.x / size.y, 1.0) * 2.0;
  float cosine = 1.0 / sqrt(1.0 + dot(d, d) * vignette * 0.9);
  c.rgb *= cosine * cosine * cosine * cosine;
  gl_FragColor = vec4(c.rgb, 1.0);
  #include <tonemapping_fragment>
  #include <colorspace_fragment>
  if (grain > 0.0) {
    vec2 at = floor(vUv * size);
    float n = noise(at) + noise(at + 71.7) + noise(at + 13.1) - 1.5; // about normal
    float light = dot(gl_FragColor.rgb, vec3(0.2126, 0.7152, 0.0722));
    gl_FragColor.rgb += n * grain * 0.16 * sqrt(max(light * (1.0 - light), 0.02)) * 2.0;
  }
  gl_FragColor.a = a;
}`;

/** Points of the unit disc, even: the sunflower's. */
export function sunflower(i: number, of: number): [number, number] {
  if (of < 2 || i === 0) return [0, 0];
  const r = Math.sqrt(i / (of - 1));
  const a = i * Math.PI * (3 - Math.sqrt(5));
  return [r * Math.cos(a), r * Math.sin(a)];
}

/** The n-th number of van der Corput's sequence in a base. */
function corput(n: number, base: number): number {
  let [v, f] = [0, 1 / base];
  for (let i = n; i > 0; i = Math.floor(i / base), f /= base) v += f * (i % base);
  return v;
}

export class Finish {
  private one: WebGLRenderTarget | null = null;
  private sum: WebGLRenderTarget | null = null;
  private gathered = 0;
  private readonly camera = new OrthographicCamera();
  private readonly scene = new Scene();
  private readonly plate: Mesh<PlaneGeometry, ShaderMaterial>;
  private readonly add: ShaderMaterial;
  private readonly develop: ShaderMaterial;
  opening: Opening = { fStop: 0, focus: 0, vignette: 0, grain: 0 };

  /** @param most how many pictures are gathered at rest */
  constructor(
    private readonly renderer: WebGLRenderer,
    private readonly most: number,
  ) {
    this.add = new ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: ADD,
      uniforms: { map: { value: null }, share: { value: 1 } },
      blending: AdditiveBlending,
      premultipliedAlpha: true,
      transparent: true,
      depthTest: false,
      depthWrite: false,
      toneMapped: false,
    });
    this.develop = new ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: DEVELOP,
      uniforms: {
        map: { value: null },
        whole: { value: 1 },
        vignette: { value: 0 },
        grain: { value: 0 },
        clear: { value: 0 },
        size: { value: new Vector2() },
      },
      blending: NoBlending,
      depthTest: false,
      depthWrite: false,
    });
    this.plate = new Mesh(new PlaneGeometry(2, 2), this.develop);
    this.plate.frustumCulled = false;
    this.scene.add(this.plate);
  }

  /** how many pictures make one, as it is set */
  get of(): number {
    return this.opening.fStop > 0 ? this.most : Math.max(this.most >> 1, 4);
  }

  /** how many were gathered */
  get now(): number {
    return this.gathered;
  }

  /** what has been gathered is of another view */
  restart() {
    this.gathered = 0;
  }

  private rooms(w: number, h: number) {
    if (this.one?.width === w && this.one.height === h) return;
    this.free();
    const float =
      this.renderer.extensions.has('EXT_color_buffer_float') && this.renderer.extensions.has('EXT_float_blend');
    const filters = { minFilter: NearestFilter, magFilter: NearestFilter };
    this.one = new WebGLRenderTarget(w, h, { type: HalfFloatType, ...filters });
    this.sum = new WebGLRenderTarget(w, h, { type: float ? FloatType : HalfFloatType, depthBuffer: false, ...filters });
  }

  /** Adds one more picture; at: how far away what is looked at is. True: there are more to come. */
  gather(scene: Scene, camera: Lens, w: number, h: number, at: number): boolean {
    const r = this.renderer;
    this.rooms(w, h);
    const n = this.gathered++;
    if (n === 0) {
      r.setRenderTarget(this.sum);
      r.setClearColor(0, 0);
      r.clear();
    }
    r.setRenderTarget(this.one);
    r.setClearColor(0, 0);
    this.through(camera, n, at, w, h, () => {
      r.clear();
      r.render(scene, camera);
    });
    this.plate.material = this.add;
    this.add.uniforms.map.value = this.one!.texture;
    this.add.uniforms.share.value = 1;
    r.setRenderTarget(this.sum);
    const auto = r.autoClear;
    r.autoClear = false;
    r.render(this.scene, this.camera);
    r.autoClear = auto;
    r.setRenderTarget(null);
    r.setClearColor(0x5a5a5a, 1);
    return this.gathered < this.of;
  }

  /** Has a camera look from the n-th place of its opening while f runs. */
  private through(camera: Lens, n: number, at: number, w: number, h: number, f: () => void) {
    const projection = camera.projectionMatrix.clone();
    const place = camera.position.clone();
    const p = camera.projectionMatrix.elements;
    // within a pixel
    if (n > 0) {
      const [x, y] = [(corput(n, 2) - 0.5) * (2 / w), (corput(n, 3) - 0.5) * (2 / h)];
      if (camera.flat) {
        p[12] += x;
        p[13] += y;
      } else {
        p[8] -= x;
        p[9] -= y;
      }
    }
    const { fStop, focus } = this.opening;
    if (fStop > 0 && !camera.flat) {
      const [u, v] = sunflower(n, this.of);
      const radius = camera.focal / 1000 / fStop / 2;
      const far = focus || at;
      camera.updateMatrixWorld();
      const e = camera.matrixWorld.elements;
      const [dx, dy] = [u * radius, v * radius];
      camera.position.x += e[0] * dx + e[4] * dy;
      camera.position.y += e[1] * dx + e[5] * dy;
      camera.position.z += e[2] * dx + e[6] * dy;
      // what is sharp stays where it is
      p[8] -= (p[0] * dx) / far;
      p[9] -= (p[5] * dy) / far;
    }
    camera.projectionMatrixInverse.copy(camera.projectionMatrix).invert();
    camera.updateMatrixWorld();
    f();
    camera.position.copy(place);
    camera.projectionMatrix.copy(projection);
    camera.projectionMatrixInverse.copy(projection).invert();
    camera.updateMatrixWorld();
  }

  /** Shows what was gathered, in the viewport that is set; clear: where nothing is, nothing is. */
  show(clear = false) {
    const u = this.develop.uniforms;
    this.plate.material = this.develop;
    u.map.value = this.sum!.texture;
    u.whole.value = this.gathered;
    u.vignette.value = this.opening.vignette;
    u.grain.value = this.opening.grain;
    u.clear.value = clear ? 1 : 0;
    u.size.value.set(this.sum!.width, this.sum!.height);
    this.renderer.setRenderTarget(null);
    this.renderer.render(this.scene, this.camera);
  }

  /** A picture of the view at its own size, w × h: pixels from below upwards, not multiplied by coverage. */
  async picture(scene: Scene, camera: Lens, w: number, h: number, at: number, clear: boolean): Promise<Uint8Array> {
    const r = this.renderer;
    const was = scene.background;
    if (clear) scene.background = null;
    this.restart();
    while (this.gather(scene, camera, w, h, at));
    scene.background = was;
    // the canvas is what is toned: the picture is read from there
    const pixels = new Uint8Array(w * h * 4);
    const size = r.getSize(new Vector2());
    const ratio = r.getPixelRatio();
    r.setPixelRatio(1);
    r.setSize(w, h, false);
    r.setScissorTest(false);
    r.setViewport(0, 0, w, h);
    this.show(clear);
    const gl = r.getContext();
    gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
    if (clear) this.coverage(pixels, w, h);
    r.setPixelRatio(ratio);
    r.setSize(size.x, size.y, false);
    this.restart();
    return pixels;
  }

  /** Puts how much each pixel covers where a canvas without coverage lost it. */
  private coverage(pixels: Uint8Array, w: number, h: number) {
    const sum = this.sum!;
    const part = sum.texture.type === FloatType ? new Float32Array(w * h * 4) : new Uint16Array(w * h * 4);
    this.renderer.readRenderTargetPixels(sum, 0, 0, w, h, part);
    const half = (v: number) => {
      const e = (v >> 10) & 31;
      const m = v & 1023;
      return e ? 2 ** (e - 15) * (1 + m / 1024) : 2 ** -14 * (m / 1024);
    };
    for (let i = 3; i < pixels.length; i += 4) {
      const a = (part instanceof Float32Array ? part[i] : half(part[i])) / this.gathered;
      pixels[i] = Math.round(Math.min(Math.max(a, 0), 1) * 255);
    }
  }

  private free() {
    this.one?.dispose();
    this.sum?.dispose();
    this.one = this.sum = null;
    this.gathered = 0;
  }

  dispose() {
    this.free();
    this.add.dispose();
    this.develop.dispose();
    this.plate.geometry.dispose();
  }
}
