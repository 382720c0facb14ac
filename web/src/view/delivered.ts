// Delivered files, as somebody opens them who receives them: a GLB by its loader, or pictures, put
// together to a material by what the preset says that their components hold.
import {
  ClampToEdgeWrapping,
  DoubleSide,
  LinearFilter,
  LinearMipmapLinearFilter,
  LinearSRGBColorSpace,
  Mesh,
  MeshPhysicalMaterial,
  MeshStandardMaterial,
  NoBlending,
  NoColorSpace,
  OrthographicCamera,
  PlaneGeometry,
  RepeatWrapping,
  Scene,
  ShaderMaterial,
  SRGBColorSpace,
  Texture,
  UnsignedByteType,
  WebGLRenderTarget,
  type Material,
  type WebGLRenderer,
} from 'three';
import type { Component, DeliveryNote, FilePreset, PlannedFile, PresetFile } from '../api/client';

const at = (note: DeliveryNote, file: string) => `/api/jobs/${note.id}/files/${encodeURIComponent(file)}`;

/** Opens a picture without colour management: its numbers are what counts. */
async function picture(url: string): Promise<Texture> {
  const end = /\.(\w+)$/.exec(decodeURIComponent(url))![1];
  if (end === 'exr') {
    const { EXRLoader } = await import('three/addons/loaders/EXRLoader.js');
    const t = await new EXRLoader().loadAsync(url);
    t.colorSpace = NoColorSpace;
    return t;
  }
  if (end === 'tif') {
    const { TIFFLoader } = await import('three/addons/loaders/TIFFLoader.js');
    const t = await new TIFFLoader().loadAsync(url);
    t.colorSpace = NoColorSpace;
    t.flipY = false;
    return t;
  }
  const a = await fetch(url);
  if (!a.ok) throw new Error(`${url}: ${a.status}; its files were cleared away: deliver again`);
  const bitmap = await createImageBitmap(await a.blob(), {
    premultiplyAlpha: 'none',
    colorSpaceConversion: 'none',
  });
  const t = new Texture(bitmap);
  t.flipY = false;
  t.colorSpace = NoColorSpace;
  t.needsUpdate = true;
  return t;
}

/** A number of a picture: which of the sheet's pictures, which component, turned round or not. */
interface Place {
  file: number;
  part: number;
  invert: boolean;
  /** the picture holds linear light */
  linear: boolean;
  /** of EXR: normals are −1..1, and its reader has the lowest row first */
  exr: boolean;
}

const floats = ['exr16', 'exr32', 'tiff32'];

/** Where, among the files of a sheet, a source's part lies; null: nowhere. */
function placeOf(files: PresetFile[], source: string, part: number): Place | null {
  for (const [i, f] of files.entries())
    for (const [k, c] of ([f.r, f.g, f.b, f.a] as (Component | undefined)[]).entries()) {
      if (!c?.source || c.source !== source || (c.part ?? 0) !== part) continue;
      return {
        file: i,
        part: f.g ? k : 0,
        invert: !!c.invert,
        linear: !!f.linear || floats.includes(f.format),
        exr: f.format.startsWith('exr'),
      };
    }
  return null;
}

/** GLSL that reads a place, 0..1. */
function reads(p: Place | null, otherwise: string): string {
  if (!p) return otherwise;
  return p.invert ? `(1.0 - ${sample(p)})` : sample(p);
}

/** The first row of a picture is at V = 0, as glTF has it. */
const sample = (p: Place) => `texture2D(f${p.file}, ${p.exr ? 'vec2(vUv.x, 1.0 - vUv.y)' : 'vUv'}).${'rgba'[p.part]}`;

const encode = (v: string) => `toSrgb(${v})`;

/** The shaders' bodies that make the usual maps of what the files hold. */
function bodies(files: PresetFile[]) {
  const place = (s: string, k = 0) => placeOf(files, s, k);
  const color = (s: string, otherwise: string) =>
    [0, 1, 2].map((k) => {
      const p = place(s, k);
      const v = reads(p, otherwise);
      return p?.linear ? encode(v) : v;
    });
  const has = (s: string) => !!place(s);
  const alpha = reads(place('opacity'), '1.0');
  const diffuse = color('made.diffuse', '0.0');
  const specular = color('made.specular', '0.0');
  let base = `vec3(${color('baseColor', '0.5').join(', ')})`;
  let metal = reads(place('metallic'), '0.0');
  if (!has('baseColor') && has('made.diffuse')) {
    // of what is matt and what mirrors: metal where it mirrors more than 4 %
    metal = `metalOf(vec3(${diffuse.join(', ')}), vec3(${specular.join(', ')}))`;
    base = `baseOf(vec3(${diffuse.join(', ')}), vec3(${specular.join(', ')}))`;
  }
  const multiplied = files.some((f) => f.premultiplied);
  if (multiplied) base = `(${base} / max(${alpha}, 1.0 / 255.0))`;
  const normal = [0, 1, 2].map((k) => {
    const p = place('made.normal', k);
    if (!p) return k === 2 ? '1.0' : '0.5';
    const v = reads(p, '');
    return p.exr ? `(0.5 + 0.5 * ${v})` : v;
  });
  return {
    base: `vec4(${base}, ${alpha})`,
    orm: `vec4(${reads(place('ambientOcclusion'), '1.0')}, ${reads(place('roughness'), '0.6')}, ${metal}, 1.0)`,
    normal: has('made.normal') ? `vec4(${normal.join(', ')}, 1.0)` : '',
    emissive: has('emissive') ? `vec4(${color('emissive', '0.0').join(', ')}, 1.0)` : '',
    clear: has('opacity'),
  };
}

const HELP = `
float toSrgb(float v) { return v <= 0.0031308 ? v * 12.92 : 1.055 * pow(v, 1.0 / 2.4) - 0.055; }
float toLight(float v) { return v <= 0.04045 ? v / 12.92 : pow((v + 0.055) / 1.055, 2.4); }
vec3 lit(vec3 v) { return vec3(toLight(v.r), toLight(v.g), toLight(v.b)); }
vec3 coded(vec3 v) { return vec3(toSrgb(v.r), toSrgb(v.g), toSrgb(v.b)); }
float most(vec3 v) { return max(max(v.r, v.g), v.b); }
// diffuse = base (1 - m), specular = 0.04 + m (base - 0.04): two equations, by their strongest component
float metalOf(vec3 d, vec3 s) {
  float a = most(lit(d)), b = most(lit(s));
  // m with base: a = x (1 - m), b = 0.04 + m (x - 0.04)  =>  0.04 m^2 - (a + b) m + (b - 0.04) = 0 with x = a + b - 0.04 + 0.04 m
  float p = a + b, root = sqrt(max(p * p - 0.16 * (b - 0.04), 0.0));
  return clamp((p - root) / 0.08, 0.0, 1.0);
}
vec3 baseOf(vec3 d, vec3 s) { float m = metalOf(d, s); return coded(max(lit(d) + lit(s) - 0.04 * (1.0 - m), 0.0)); }
`;

/** Draws pictures from pictures, on the card. */
class Composer {
  private readonly scene = new Scene();
  private readonly camera = new OrthographicCamera();
  private readonly plate = new Mesh(new PlaneGeometry(2, 2));

  constructor(private readonly renderer: WebGLRenderer) {
    this.plate.frustumCulled = false;
    this.scene.add(this.plate);
  }

  make(body: string, files: Texture[], size: number, srgb: boolean): Texture {
    const most = Math.min(size, this.renderer.capabilities.maxTextureSize);
    const target = new WebGLRenderTarget(most, most, {
      type: UnsignedByteType,
      colorSpace: srgb ? SRGBColorSpace : NoColorSpace,
      depthBuffer: false,
      generateMipmaps: true,
      minFilter: LinearMipmapLinearFilter,
      magFilter: LinearFilter,
      wrapS: RepeatWrapping,
      wrapT: RepeatWrapping,
      anisotropy: Math.min(8, this.renderer.capabilities.getMaxAnisotropy()),
    });
    const uniforms = Object.fromEntries(files.map((t, i) => [`f${i}`, { value: t }]));
    // a target of sRGB takes light and keeps it coded
    const out = srgb ? `vec4 c = ${body}; gl_FragColor = vec4(lit(c.rgb), c.a);` : `gl_FragColor = ${body};`;
    const material = new ShaderMaterial({
      vertexShader: 'varying vec2 vUv; void main() { vUv = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }',
      fragmentShader: `${files.map((_, i) => `uniform sampler2D f${i};`).join('\n')}\nvarying vec2 vUv;\n${HELP}\nvoid main() { ${out} }`,
      uniforms,
      blending: NoBlending,
      depthTest: false,
      depthWrite: false,
      toneMapped: false,
    });
    this.plate.material = material;
    const was = this.renderer.getRenderTarget();
    const clear = this.renderer.autoClear;
    this.renderer.setScissorTest(false);
    this.renderer.setRenderTarget(target);
    this.renderer.render(this.scene, this.camera);
    this.renderer.setRenderTarget(was);
    this.renderer.autoClear = clear;
    material.dispose();
    target.texture.addEventListener('dispose', () => target.dispose());
    return target.texture;
  }
}

export interface Opened {
  /** what the sheets wear, by the name of the sheet */
  materials: Map<string, MeshStandardMaterial>;
  /** of what it was opened */
  of: string;
}

/** The lines of a delivery's table, told from its note: which file is which of the preset's on which sheet. */
export type Lines = (note: DeliveryNote) => Promise<PlannedFile[]>;

/** Opens a delivery for the sheets of a model. */
export async function openDelivered(
  renderer: WebGLRenderer,
  note: DeliveryNote,
  sheets: string[],
  lines: Lines,
): Promise<Opened> {
  const names = (note.files ?? []).map((f) => f.name);
  const glb = names.find((n) => n.endsWith('.glb'));
  if (glb) {
    const { GLTFLoader } = await import('three/addons/loaders/GLTFLoader.js');
    const { scene } = await new GLTFLoader().loadAsync(at(note, glb));
    const materials = new Map<string, MeshStandardMaterial>();
    scene.traverse((o) => {
      if (!(o instanceof Mesh)) return;
      const m = o.material as MeshStandardMaterial;
      // it is worn by meshes without tangents, whose V grows downward
      if (o.geometry.attributes.tangent && !materials.has(m.name)) m.normalScale.y *= -1;
      materials.set(m.name, m);
      (o.geometry as { dispose(): void }).dispose();
    });
    return { materials, of: glb };
  }
  const preset = note.order.preset as FilePreset | undefined;
  if (!preset) throw new Error('this delivery has neither a GLB nor a preset: deliver it anew');
  const plan = await lines(note);
  const composer = new Composer(renderer);
  const materials = new Map<string, MeshStandardMaterial>();
  for (const sheet of sheets) {
    const of = plan.filter((l) => l.sheet === sheet && names.includes(l.name));
    const rows = of.flatMap((l) => {
      const file = (preset.files ?? []).find((f) => f.map === l.map);
      return file ? [{ file, line: l }] : [];
    });
    if (!rows.length) continue;
    const files = rows.map((r) => r.file);
    const body = bodies(files);
    const opened = await Promise.all(rows.map((r) => picture(at(note, r.line.name))));
    for (const t of opened)
      [t.wrapS, t.wrapT, t.minFilter, t.magFilter, t.generateMipmaps] = [
        ClampToEdgeWrapping,
        ClampToEdgeWrapping,
        LinearFilter,
        LinearFilter,
        false,
      ];
    const size = Math.max(...rows.map((r) => r.line.size));
    const m = new MeshPhysicalMaterial({ name: sheet, roughness: 1, metalness: 1, side: DoubleSide });
    m.map = composer.make(body.base, opened, size, true);
    m.roughnessMap = m.metalnessMap = m.aoMap = composer.make(body.orm, opened, size, false);
    if (body.normal) m.normalMap = composer.make(body.normal, opened, size, false);
    m.normalScale.y = -1; // V grows downward
    if (body.emissive) {
      m.emissiveMap = composer.make(body.emissive, opened, size, true);
      m.emissive.setRGB(1, 1, 1, LinearSRGBColorSpace);
    }
    m.transparent = body.clear;
    opened.forEach((t) => t.dispose());
    materials.set(sheet, m);
  }
  if (!materials.size) throw new Error('the delivery holds no picture of this model');
  return { materials, of: `${names.length} files` };
}

/** Gives back what a delivery took on the card. */
export function close(o: Opened) {
  for (const m of o.materials.values()) {
    for (const t of [m.map, m.roughnessMap, m.normalMap, m.emissiveMap]) t?.dispose();
    (m as Material).dispose();
  }
}
