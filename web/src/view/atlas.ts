// The maps of all sheets on the graphics card: one texture a map, of places for tiles. A sheet
// is never a texture: what is not seen takes no room, and a change costs what it touches.
import { DataTexture, ExternalTexture, LinearFilter, NearestFilter, NoColorSpace, SRGBColorSpace } from 'three';
import { RGBAFormat, UnsignedByteType, type WebGLRenderer } from 'three';
import { MAPS, PITCH, tableSize } from './pages';

const SRGB = [true, false, false, true, false, false, false];
/** what is seen where nothing is held yet: grey, rough, flat, dark */
const BARE = [
  [119, 119, 119, 255],
  [255, 153, 0, 255],
  [128, 128, 255, 255],
  [0, 0, 0, 255],
  [119, 119, 119, 255],
  [255, 0, 26, 0],
  [0, 0, 0, 255],
];

/** Texels a side of an atlas of so many maps within so many bytes, as far as the card allows. */
export function edgeFor(bytes: number, most: number, maps = 4): number {
  return Math.max(PITCH * 8, Math.min(Math.floor(Math.sqrt(bytes / 4 / maps)), most));
}

export class Atlas {
  /** places a side */
  readonly side: number;
  private textures: (ExternalTexture | null)[] = Array(MAPS).fill(null);
  private raw: (WebGLTexture | null)[] = Array(MAPS).fill(null);

  constructor(
    private readonly renderer: WebGLRenderer,
    readonly edge: number,
  ) {
    this.side = Math.floor(edge / PITCH);
  }

  /** bytes on the card */
  get bytes() {
    return this.raw.filter(Boolean).length * this.edge * this.edge * 4;
  }

  /** The texture of a map, made when it is first asked for. */
  texture(map: number): ExternalTexture {
    const known = this.textures[map];
    if (known) return known;
    const gl = this.gl;
    const raw = (this.raw[map] = gl.createTexture()!);
    this.bind(map);
    gl.texStorage2D(gl.TEXTURE_2D, 1, SRGB[map] ? gl.SRGB8_ALPHA8 : gl.RGBA8, this.edge, this.edge);
    for (const [name, value] of [
      [gl.TEXTURE_MIN_FILTER, gl.LINEAR],
      [gl.TEXTURE_MAG_FILTER, gl.LINEAR],
      [gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE],
      [gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE],
    ])
      gl.texParameteri(gl.TEXTURE_2D, name, value);
    const t = new ExternalTexture(raw);
    t.flipY = false;
    t.minFilter = t.magFilter = LinearFilter;
    t.generateMipmaps = false;
    t.colorSpace = SRGB[map] ? SRGBColorSpace : NoColorSpace;
    this.textures[map] = t;
    this.write(map, 0, new Uint8Array(BARE[map]), true);
    return t;
  }

  /** Puts a tile with its ring into a place; of an even one a single texel is given. */
  write(map: number, place: number, data: Uint8Array, even: boolean) {
    this.texture(map);
    const gl = this.bind(map);
    gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, false);
    gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 4);
    gl.pixelStorei(gl.UNPACK_COLORSPACE_CONVERSION_WEBGL, gl.NONE);
    const [x, y] = [(place % this.side) * PITCH, Math.floor(place / this.side) * PITCH];
    const texels = even ? filled(data) : data;
    gl.texSubImage2D(gl.TEXTURE_2D, 0, x, y, PITCH, PITCH, gl.RGBA, gl.UNSIGNED_BYTE, texels);
  }

  private get gl() {
    return this.renderer.getContext() as WebGL2RenderingContext;
  }

  private bind(map: number): WebGL2RenderingContext {
    const gl = this.gl;
    this.renderer.state.activeTexture(gl.TEXTURE0);
    this.renderer.state.bindTexture(gl.TEXTURE_2D, this.raw[map]!);
    return gl;
  }

  dispose() {
    for (const raw of this.raw) if (raw) this.gl.deleteTexture(raw);
    for (const t of this.textures) t?.dispose();
  }
}

function filled(rgba: Uint8Array): Uint8Array {
  const out = new Uint8Array(PITCH * PITCH * 4);
  new Uint32Array(out.buffer).fill(new DataView(rgba.buffer, rgba.byteOffset, 4).getUint32(0, true));
  return out;
}

/** The table of a sheet of a size, empty. */
export function emptyTable(size: number): DataTexture {
  const { width, height } = tableSize(size);
  const t = new DataTexture(new Uint8Array(4 * width * height), width, height, RGBAFormat, UnsignedByteType);
  t.minFilter = t.magFilter = NearestFilter;
  t.generateMipmaps = false;
  return t;
}

/** Whether the machine has no graphics card and draws on its processor. */
export function onProcessor(gl: WebGL2RenderingContext): boolean {
  const info = gl.getExtension('WEBGL_debug_renderer_info');
  return /llvmpipe|swiftshader|software/i.test(info ? String(gl.getParameter(info.UNMASKED_RENDERER_WEBGL)) : '');
}

/** GLSL: at which level a pixel sees a sheet of so many tiles a side, up to the coarsest. */
export const levelShader = `
float pageLevel(vec2 uv, float side, float top, float bias) {
  vec2 dx = dFdx(uv), dy = dFdy(uv);
  float rho = max(dot(dx, dx), dot(dy, dy)) * side * side * ${(128 * 128).toFixed(1)};
  return clamp(floor(0.5 * log2(max(rho, 1e-12)) + 0.5 + bias), 0.0, top);
}`;

/**
 * GLSL: pageAt leads from a place on a sheet into the atlas, by the sheet's table.
 * pageFacts: tiles a side, the coarsest level, texels a side of the atlas.
 */
export const pageShader = `
uniform sampler2D pageTable;
uniform vec3 pageFacts;
${levelShader}
vec2 pageAt(vec2 uv) {
  vec2 w = fract(uv);
  float n = pageFacts.x;
  float m = n / exp2(pageLevel(uv, n, pageFacts.y, 0.0));
  vec2 p = min(floor(w * m), m - 1.0);
  vec4 e = floor(texelFetch(pageTable, ivec2(int(2.0 * n - 2.0 * m + p.x + 0.5), int(p.y + 0.5)), 0) * 255.0 + 0.5);
  float k = n / exp2(e.z);
  vec2 q = w * k;
  q -= min(floor(q), k - 1.0);
  return (e.xy * ${PITCH.toFixed(1)} + 1.0 + q * 128.0) / pageFacts.z;
}`;
