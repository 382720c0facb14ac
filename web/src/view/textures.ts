// The maps of one sheet on the graphics card. Tiles are written into the mip
// level they were computed for, and the smaller mips under them are made here,
// so that a change costs what it touches and never the whole texture.
import {
  ExternalTexture,
  LinearFilter,
  LinearMipmapLinearFilter,
  SRGBColorSpace,
  NoColorSpace,
  type WebGLRenderer,
} from 'three';
import type { TileFrame } from '../lib/session.svelte';

export const TILE = 128;
const LAST_LEVEL = 7; // a tile of 128 texels ends there at one texel

export class MapTexture {
  readonly texture: ExternalTexture;
  readonly levels: number;
  private readonly raw: WebGLTexture;
  private base = 0;

  constructor(
    private readonly renderer: WebGLRenderer,
    readonly size: number,
    srgb: boolean,
  ) {
    const gl = renderer.getContext() as WebGL2RenderingContext;
    this.raw = gl.createTexture()!;
    this.levels = Math.log2(size) + 1;
    this.bind();
    gl.texStorage2D(gl.TEXTURE_2D, this.levels, srgb ? gl.SRGB8_ALPHA8 : gl.RGBA8, size, size);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_LINEAR);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAX_LEVEL, Math.min(LAST_LEVEL, this.levels - 1));
    const ext = gl.getExtension('EXT_texture_filter_anisotropic');
    // a renderer on the processor pays for every sample
    if (ext && !onProcessor(gl)) gl.texParameteri(gl.TEXTURE_2D, ext.TEXTURE_MAX_ANISOTROPY_EXT, 4);
    this.texture = new ExternalTexture(this.raw);
    this.texture.flipY = false;
    this.texture.minFilter = LinearMipmapLinearFilter;
    this.texture.magFilter = LinearFilter;
    this.texture.generateMipmaps = false;
    this.texture.colorSpace = srgb ? SRGBColorSpace : NoColorSpace;
  }

  private bind(): WebGL2RenderingContext {
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    this.renderer.state.activeTexture(gl.TEXTURE0);
    this.renderer.state.bindTexture(gl.TEXTURE_2D, this.raw);
    return gl;
  }

  write(t: TileFrame) {
    const gl = this.bind();
    gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, false);
    gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 4);
    gl.pixelStorei(gl.UNPACK_COLORSPACE_CONVERSION_WEBGL, gl.NONE);
    let level = Math.log2(this.size / t.size);
    if (t.draft) this.setBase(gl, Math.max(level, this.base));
    let data = t.data;
    for (let n = TILE; n >= 1 && level < this.levels; n >>= 1, level++) {
      if (t.even) data = even(t.data, n);
      else if (n < TILE) data = halve(data, n);
      gl.texSubImage2D(gl.TEXTURE_2D, level, t.x * n, t.y * n, n, n, gl.RGBA, gl.UNSIGNED_BYTE, data);
    }
  }

  /** Takes over what a smaller texture of the same map holds, to be shown until finer texels come. */
  takeOver(old: MapTexture) {
    const shift = Math.log2(this.size / old.size);
    if (shift < 1) return;
    const gl = this.bind();
    const frame = gl.createFramebuffer();
    gl.bindFramebuffer(gl.READ_FRAMEBUFFER, frame);
    for (let level = old.base; level < old.levels && level + shift < this.levels; level++) {
      const n = old.size >> level;
      gl.framebufferTexture2D(gl.READ_FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, old.raw, level);
      gl.copyTexSubImage2D(gl.TEXTURE_2D, level + shift, 0, 0, 0, 0, n, n);
    }
    gl.bindFramebuffer(gl.READ_FRAMEBUFFER, null);
    gl.deleteFramebuffer(frame);
    this.renderer.resetState();
    this.setBase(this.bind(), old.base + shift);
  }

  /** A draft is shown, so that tiles of the finest level cannot be seen yet. */
  get drafting() {
    return this.base > 0;
  }

  /** Everything is there in full: show the finest level again. */
  settle() {
    if (this.base) this.setBase(this.bind(), 0);
  }

  private setBase(gl: WebGL2RenderingContext, level: number) {
    if (level === this.base) return;
    this.base = level;
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_BASE_LEVEL, level);
  }

  dispose() {
    (this.renderer.getContext() as WebGL2RenderingContext).deleteTexture(this.raw);
    this.texture.dispose();
  }
}

/** Whether the machine has no graphics card and draws on its processor. */
export function onProcessor(gl: WebGL2RenderingContext): boolean {
  const info = gl.getExtension('WEBGL_debug_renderer_info');
  return /llvmpipe|swiftshader|software/i.test(info ? String(gl.getParameter(info.UNMASKED_RENDERER_WEBGL)) : '');
}

function even(rgba: Uint8Array, n: number): Uint8Array {
  const out = new Uint8Array(n * n * 4);
  const word = new DataView(rgba.buffer, rgba.byteOffset, 4).getUint32(0, true);
  new Uint32Array(out.buffer).fill(word);
  return out;
}

function halve(src: Uint8Array, n: number): Uint8Array {
  const out = new Uint8Array(n * n * 4);
  const row = n * 8;
  for (let y = 0; y < n; y++) {
    for (let x = 0; x < n; x++) {
      const a = y * 2 * row + x * 8;
      const o = (y * n + x) * 4;
      for (let c = 0; c < 4; c++)
        out[o + c] = (src[a + c] + src[a + 4 + c] + src[a + row + c] + src[a + row + 4 + c] + 2) >> 2;
    }
  }
  return out;
}
