// How two pictures of the view differ, amplified: what is alike is black.
import {
  FramebufferTexture,
  Mesh,
  NoBlending,
  OrthographicCamera,
  PlaneGeometry,
  Scene,
  ShaderMaterial,
  type WebGLRenderer,
} from 'three';

const VERTEX = 'varying vec2 vUv; void main() { vUv = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }';
const APART = `
uniform sampler2D a, b; uniform float times; varying vec2 vUv;
void main() { gl_FragColor = vec4(abs(texture2D(a, vUv).rgb - texture2D(b, vUv).rgb) * times, 1.0); }`;

export class Difference {
  private two: FramebufferTexture[] = [];
  private readonly scene = new Scene();
  private readonly camera = new OrthographicCamera();
  private readonly material = new ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: APART,
    uniforms: { a: { value: null }, b: { value: null }, times: { value: 1 } },
    blending: NoBlending,
    depthTest: false,
    depthWrite: false,
    toneMapped: false,
  });

  constructor(private readonly renderer: WebGLRenderer) {
    const plate = new Mesh(new PlaneGeometry(2, 2), this.material);
    plate.frustumCulled = false;
    this.scene.add(plate);
  }

  /** Keeps what the canvas shows, w × h pixels, as one of the two. */
  take(i: number, w: number, h: number) {
    const had = this.two[i]?.image as { width: number; height: number } | undefined;
    if (had?.width !== w || had.height !== h) {
      this.two[i]?.dispose();
      this.two[i] = new FramebufferTexture(w, h);
    }
    this.renderer.copyFramebufferToTexture(this.two[i]);
  }

  /** Shows how they differ. */
  show(times: number) {
    const u = this.material.uniforms;
    [u.a.value, u.b.value, u.times.value] = [this.two[0], this.two[1], times];
    this.renderer.render(this.scene, this.camera);
  }

  dispose() {
    this.two.forEach((t) => t.dispose());
    this.material.dispose();
    (this.scene.children[0] as Mesh).geometry.dispose();
  }
}
