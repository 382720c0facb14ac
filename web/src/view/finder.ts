// Which tiles of which sheets the camera sees, and how finely: found by drawing the surface
// small, each pixel saying where it lies.
import {
  DoubleSide,
  FrontSide,
  NoBlending,
  NearestFilter,
  ShaderMaterial,
  WebGLRenderTarget,
  type Camera,
  type Mesh,
  type Scene,
  type WebGLRenderer,
} from 'three';
import { levelShader } from './atlas';
import { over, TILE, type Tile } from './pages';

/** drawn pixels for one of the finder's, each way */
const COARSER = 4;
/** the layer of what the finder sees */
export const SURFACE = 1;

interface Seen {
  size: number;
  transparent: boolean;
}

export class Finder {
  private readonly target = new WebGLRenderTarget(1, 1, { minFilter: NearestFilter, magFilter: NearestFilter });
  private materials: ShaderMaterial[] = [];

  constructor(private readonly renderer: WebGLRenderer) {
    this.target.texture.generateMipmaps = false;
  }

  /**
   * Draws meshes (userData.sheet says whose) as a camera sees them in a rectangle of so many
   * drawn pixels, and adds how many pixels see each tile; bias makes all coarser by levels.
   */
  async find(
    scene: Scene,
    camera: Camera,
    meshes: Mesh[],
    sheets: Seen[],
    width: number,
    height: number,
    bias: number,
    counts: Map<number, { tile: Tile; pixels: number }>,
  ) {
    const [w, h] = [Math.max(Math.ceil(width / COARSER), 1), Math.max(Math.ceil(height / COARSER), 1)];
    this.target.setSize(w, h);
    // what lies behind what is transparent is seen, too
    for (const through of sheets.some((s) => s.transparent) ? [false, true] : [false]) {
      this.draw(scene, camera, meshes, sheets, bias, through);
      const drawn = sheets.map((s) => s.size); // they may be others when the picture comes
      const pixels = new Uint8Array(4 * w * h);
      await this.renderer.readRenderTargetPixelsAsync(this.target, 0, 0, w, h, pixels);
      count(pixels, drawn, counts);
    }
  }

  private draw(scene: Scene, camera: Camera, meshes: Mesh[], sheets: Seen[], bias: number, through: boolean) {
    sheets.forEach((s, i) => {
      const m = (this.materials[i] ??= finderMaterial(i));
      m.uniforms.facts.value = [s.size / TILE, Math.log2(Math.max(s.size / TILE, 1)), bias - Math.log2(COARSER)];
    });
    const r = this.renderer;
    const [background, worn] = [scene.background, meshes.map((m) => m.material)];
    const scissor = r.getScissorTest();
    const shown = meshes.map((m) => m.visible);
    scene.background = null;
    meshes.forEach((m) => {
      const sheet = m.userData.sheet as number;
      if (through && sheets[sheet]?.transparent) m.visible = false;
      const f = this.materials[sheet];
      if (f) {
        f.side = (Array.isArray(m.material) ? m.material[0] : m.material).side === DoubleSide ? DoubleSide : FrontSide;
        m.material = f;
      }
      m.layers.enable(SURFACE);
    });
    const seen = camera.layers.mask;
    camera.layers.set(SURFACE);
    r.setRenderTarget(this.target);
    r.setScissorTest(false);
    r.setClearColor(0, 0);
    r.clear();
    r.render(scene, camera);
    r.setRenderTarget(null);
    r.setScissorTest(scissor);
    camera.layers.mask = seen;
    scene.background = background;
    meshes.forEach((m, i) => {
      m.material = worn[i];
      m.visible = shown[i];
    });
  }

  dispose() {
    this.target.dispose();
    for (const m of this.materials) m.dispose();
  }
}

function count(pixels: Uint8Array, sizes: number[], counts: Map<number, { tile: Tile; pixels: number }>) {
  const words = new Uint32Array(pixels.buffer);
  for (let i = 0; i < words.length; i++) {
    const known = words[i] && counts.get(words[i]);
    if (known) known.pixels++;
    else if (words[i]) {
      const [x, y, level, n] = pixels.subarray(4 * i, 4 * i + 4);
      const sheet = n - 1;
      if (sizes[sheet]) counts.set(words[i], { tile: { sheet, size: sizes[sheet] >> level, x, y }, pixels: 1 });
    }
  }
}

function finderMaterial(sheet: number): ShaderMaterial {
  return new ShaderMaterial({
    uniforms: { facts: { value: [1, 0, 0] }, sheet: { value: sheet } },
    vertexShader:
      'varying vec2 vUv; void main() { vUv = uv; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }',
    fragmentShader: `uniform vec3 facts; uniform float sheet; varying vec2 vUv;
${levelShader}
void main() {
  float level = pageLevel(vUv, facts.x, facts.y, facts.z);
  float m = facts.x / exp2(level);
  vec2 p = min(floor(fract(vUv) * m), m - 1.0);
  gl_FragColor = vec4(p, level, sheet + 1.0) / 255.0;
}`,
    blending: NoBlending,
    toneMapped: false,
  });
}

/**
 * The tiles to ask for, what is to come first first: for each sheet one that shows it whole,
 * then those of 256 texels a side, those of a quarter of the fineness that is seen, and what is
 * seen, most pixels first. Tiles of a sheet that was larger when they were seen are left out.
 */
export function toAskFor(counts: Iterable<{ tile: Tile; pixels: number }>, sheets: { size: number }[]): Tile[] {
  const seen = [...counts]
    .sort((a, b) => b.pixels - a.pixels)
    .map((c) => c.tile)
    .filter((t) => t.size <= sheets[t.sheet].size);
  const out = new Map<string, Tile>();
  const add = (t: Tile) => out.set(`${t.sheet} ${t.size} ${t.x} ${t.y}`, t);
  const above = (t: Tile, size: number) => (size < t.size && size >= TILE ? [over(t, t.size / size)] : []);
  const whole = (sheet: number) => ({ sheet, size: TILE, x: 0, y: 0 });
  for (const t of seen) add(whole(t.sheet));
  for (const t of seen) above(t, 2 * TILE).forEach(add);
  for (const t of seen) above(t, t.size / 4).forEach(add);
  seen.forEach(add);
  sheets.forEach((s, i) => s.size && add(whole(i)));
  return [...out.values()];
}
