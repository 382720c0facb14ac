// What the model and the flat sheets wear: the textures of each sheet, one map of it alone, or
// what covers it.
import {
  DoubleSide,
  MeshBasicMaterial,
  MeshStandardMaterial,
  ShaderChunk,
  ShaderMaterial,
  Vector3,
  type DataTexture,
  type Material,
  type Mesh,
  MeshPhysicalMaterial,
  type Texture,
  type WebGLRenderer,
} from 'three';
import type { ComingFrame, TileFrame } from '../lib/session.svelte';
import { Atlas, edgeFor, emptyTable, pageShader } from './atlas';
import { Ink, inkShader } from './ink';
import { beyond, type More } from './beyond';
import { CLEAR, Pages, SHADED, SOFT, type Tile } from './pages';

export type { More };

export interface Sheet {
  name: string;
  size: number;
  transparent: boolean;
  /** of all its materials: the table, and the facts of the sheet */
  uniforms: { pageTable: { value: DataTexture | null }; pageFacts: { value: Vector3 } };
  /** light goes through some of it */
  pane: boolean;
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

/** Shows one map, or one component of it, without light; on the flat sheets places of the model come with the corners. */
const aloneShader = {
  vertexShader: `varying vec2 vUv; varying vec3 vN; varying vec3 inkPos;
#ifdef PLACED
  attribute vec3 place;
#endif
  void main(){ vUv = uv; vN = normalize(normalMatrix * normal);
#ifdef PLACED
  inkPos = place;
#else
  inkPos = (modelMatrix * vec4(position, 1.0)).xyz;
#endif
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position,1.0); }`,
  fragmentShader: `uniform sampler2D map; uniform int pick; uniform bool inkOn; varying vec2 vUv; varying vec3 vN;
  ${pageShader}
  ${inkShader}
  void main(){ vec4 t = texture2D(map, pageAt(vUv)); vec3 c = t.rgb; if (pick == -3) c = t.rgb; else if (pick == 4) c = vec3(0.6 + 0.4 * vN.z);
  else if (pick >= 0) c = vec3(pick == 0 ? t.r : pick == 1 ? t.g : pick == 2 ? t.b : t.a);
  if (inkOn) { vec3 orm = vec3(0.0); inkOver(inkPos, c, orm); }
  gl_FragColor = vec4(c, 1.0); if (pick < 0) { gl_FragColor = linearToOutputTexel(gl_FragColor); } }`,
};

/** Makes a lit material read its maps by way of the table. */
function paged(m: MeshStandardMaterial, uniforms: Sheet['uniforms'], ink: Ink['uniforms'], more?: More & Beyond) {
  m.onBeforeCompile = (shader) => {
    if (more) Object.assign(shader.uniforms, more.uniforms);
    Object.assign(shader.uniforms, uniforms, ink);
    shader.vertexShader = shader.vertexShader
      .replace('void main() {', 'varying vec3 inkPos;\nvoid main() {')
      .replace(
        '#include <begin_vertex>',
        '#include <begin_vertex>\ninkPos = ( modelMatrix * vec4( position, 1.0 ) ).xyz;',
      );
    let code = shader.fragmentShader.replace(
      'void main() {',
      `#ifdef USE_MAP
${pageShader}
${inkShader}
#endif
void main() {
#ifdef USE_MAP
vec2 pageUv = pageAt(vMapUv);
vec4 pageOrm = texture2D(roughnessMap, pageUv);
#endif
`,
    );
    const chunk = (name: keyof typeof ShaderChunk, from: string, to: string) => {
      code = code.replace(`#include <${name}>`, ShaderChunk[name].replace(from, to));
    };
    chunk('map_fragment', 'vMapUv', 'pageUv');
    chunk('roughnessmap_fragment', 'texture2D( roughnessMap, vRoughnessMapUv )', 'pageOrm');
    chunk('metalnessmap_fragment', 'texture2D( metalnessMap, vMetalnessMapUv )', 'pageOrm');
    chunk('aomap_fragment', 'texture2D( aoMap, vAoMapUv )', 'pageOrm');
    chunk('emissivemap_fragment', 'vEmissiveMapUv', 'pageUv');
    // the ink lies over what the maps say
    code = code.replace(
      '#include <color_fragment>',
      `#ifdef USE_MAP
inkOver(inkPos, diffuseColor.rgb, pageOrm.rgb);
#endif
#include <color_fragment>`,
    );
    // the frame of tangents still comes from the sheet's own coordinates
    code = code.replace(
      '#include <normal_fragment_maps>',
      ShaderChunk.normal_fragment_maps.replaceAll('vNormalMapUv', 'pageUv'),
    );
    shader.fragmentShader = more ? beyond(code, more) : code;
  };
  m.customProgramCacheKey = () => (more ? `paged ${more.clear} ${more.soft}` : 'paged');
}

/** The maps beyond the usual ones. */
interface Beyond {
  uniforms: Record<'clearMap' | 'softMap', { value: Texture | null }>;
}

/** how long a frame may put tiles on the card */
const UPLOAD_MS = 4;

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

export class Sheets {
  readonly list: Sheet[];
  readonly pages: Pages;
  readonly ink: Ink;
  private atlas: Atlas;
  private alone = '';
  private covers: Cover[] | null = null;

  /**
   * @param meshes those that wear the sheets; userData.sheet says which. bytes bounds what the
   * maps take on the card; changed is called when a frame is due.
   */
  constructor(
    private readonly renderer: WebGLRenderer,
    names: string[],
    private readonly meshes: Mesh[],
    bytes: number,
    private readonly changed: () => void,
  ) {
    this.bytesAllowed = bytes;
    this.atlas = new Atlas(renderer, edgeFor(bytes, renderer.capabilities.maxTextureSize));
    this.pages = new Pages(this.atlas.side ** 2);
    this.ink = new Ink(changed);
    this.list = names.map((name) => {
      const uniforms = { pageTable: { value: null }, pageFacts: { value: new Vector3(1, 0, 1) } };
      const material = new MeshStandardMaterial({ name, roughness: 0.6, metalness: 0, color: 0x777777 });
      paged(material, uniforms, this.ink.uniforms);
      const single = () =>
        new ShaderMaterial({
          ...aloneShader,
          uniforms: {
            map: { value: null },
            pick: { value: -1 },
            inkOn: { value: false },
            ...uniforms,
            ...this.ink.uniforms,
          },
        });
      const singleFlat = single();
      singleFlat.defines = { PLACED: 1 };
      singleFlat.side = DoubleSide; // mirrored islands face away
      const bare = new MeshBasicMaterial({ color: 0x777777, side: DoubleSide });
      const none = { size: 0, transparent: false, pane: false, flat: null };
      return { ...none, name, uniforms, material, single: single(), singleFlat, bare };
    });
  }

  /** Gives a sheet its size; what is held of another one stays to be seen. */
  setSize(index: number, size: number) {
    const s = this.list[index];
    if (!s || s.size === size) return;
    s.size = size;
    s.uniforms.pageTable.value?.dispose();
    s.uniforms.pageTable.value = emptyTable(size);
    s.uniforms.pageFacts.value.set(size / 128, Math.log2(size / 128), this.atlas.edge);
    this.pages.changed.add(index);
    this.dress(s.material, s);
    this.present();
  }

  /** which of the maps beyond the usual ones there are */
  more: More = { clear: false, soft: false };
  private readonly others: Beyond['uniforms'] = { clearMap: { value: null }, softMap: { value: null } };
  private bytesAllowed = 0;
  private glows = 1;

  /** The project has channels beyond the usual ones, or has them no more; true: all is to be sent anew. */
  setMore(more: More): boolean {
    if (more.clear === this.more.clear && more.soft === this.more.soft) return false;
    this.more = more;
    for (const s of this.list) {
      const old = s.material;
      const params = { name: s.name, roughness: 0.6, metalness: 0, color: 0x777777 };
      const m = more.clear || more.soft ? new MeshPhysicalMaterial(params) : new MeshStandardMaterial(params);
      paged(
        m,
        s.uniforms,
        this.ink.uniforms,
        m instanceof MeshPhysicalMaterial ? { ...more, uniforms: this.others } : undefined,
      );
      m.transparent = old.transparent;
      m.depthWrite = old.depthWrite;
      s.material = m;
      for (const mesh of this.meshes) if (mesh.material === old) mesh.material = m;
      old.dispose();
      if (s.size) this.dress(m, s);
    }
    this.list.forEach((_, i) => this.pages.changed.add(i));
    this.setGlow(this.glows);
    const anew = this.allow(this.bytesAllowed);
    this.present();
    return anew;
  }

  /** Light goes through some of a sheet, or through none of it. */
  setPane(index: number, on: boolean) {
    const s = this.list[index];
    if (!s || s.pane === on) return;
    s.pane = on;
    if (s.size) this.dress(s.material, s);
    this.changed();
  }

  /** How bright what is emissive is. */
  setGlow(v: number) {
    this.glows = v;
    for (const s of this.list) s.material.emissiveIntensity = v;
    this.changed();
  }

  private dress(m: MeshStandardMaterial, s: Sheet) {
    if (m instanceof MeshPhysicalMaterial) {
      const { clear, soft } = this.more;
      // the maps say how much of each there is where
      m.clearcoat = clear ? 1 : 0;
      m.transmission = clear && s.pane ? 1 : 0;
      m.sheen = soft ? 1 : 0;
      m.sheenColor.set(0xffffff);
      m.sheenRoughness = 0.5;
      m.anisotropy = soft ? 1 : 0;
      m.ior = 1.5;
      this.others.clearMap.value = this.atlas.texture(clear ? CLEAR : 1);
      this.others.softMap.value = this.atlas.texture(soft ? SOFT : 1);
    }
    m.color.set(0xffffff);
    m.emissive.set(0xffffff);
    m.roughness = m.metalness = 1;
    [m.map, m.roughnessMap, m.normalMap, m.emissiveMap] = [0, 1, 2, 3].map((k) => this.atlas.texture(k));
    m.metalnessMap = m.aoMap = m.roughnessMap;
    m.normalScale.set(1, -1); // V grows downward, the map's Y upward
    m.needsUpdate = true;
  }

  /** The card lost all that it held. */
  restore() {
    this.begin(this.atlas.edge);
  }

  /** Bounds what the maps take on the card, in bytes; returns whether that makes all anew. */
  allow(bytes: number): boolean {
    this.bytesAllowed = bytes;
    const maps = 4 + Number(this.more.clear) + Number(this.more.soft);
    const edge = edgeFor(bytes, this.renderer.capabilities.maxTextureSize, maps);
    if (edge === this.atlas.edge) return false;
    this.atlas.dispose();
    this.begin(edge);
    return true;
  }

  /** Begins with nothing on the card. */
  private begin(edge: number) {
    this.atlas = new Atlas(this.renderer, edge);
    this.pages.empty(this.atlas.side ** 2);
    for (const s of this.list) {
      if (!s.size) continue;
      s.uniforms.pageFacts.value.z = edge;
      this.dress(s.material, s);
    }
    this.present();
  }

  setTransparent(index: number, on: boolean) {
    const s = this.list[index];
    if (!s || s.transparent === on) return;
    const m = s.material;
    s.transparent = m.transparent = on;
    m.depthWrite = !on;
    for (const mesh of this.meshes) if (mesh.userData.sheet === index) mesh.castShadow = !on;
    m.needsUpdate = true;
    this.changed();
  }

  /** tiles that came and are not on the card yet: so much of the line */
  private waiting: (TileFrame | ComingFrame | { shown: number })[] = [];

  /** All that came goes up to a request. */
  shows(upTo: number) {
    this.waiting.push({ shown: upTo });
    this.changed();
  }

  /** A tile came; it is put on the card before the next frame. */
  write(t: TileFrame) {
    this.waiting.push(t);
    this.changed();
  }

  /** what the dearest of the last tiles took to be put on the card, ms */
  private each = 0;

  /** Puts what came on the card, within so many milliseconds, or one tile; returns whether all of it is there. */
  private upload(ms: number): boolean {
    let now = performance.now();
    const until = now + ms;
    let n = 0;
    while (n < this.waiting.length && (n === 0 || now + this.each < until)) {
      const t = this.waiting[n++];
      if ('shown' in t) {
        this.ink.shown(t.shown);
        continue;
      }
      if ('tiles' in t) {
        for (const c of t.tiles) {
          if (t.dropped) this.pages.dropped(c, c.map);
          else this.pages.toCome(c, c.map, t.coarser);
        }
        continue;
      }
      const place = this.pages.came(t, t.map);
      if (place !== null) this.atlas.write(t.map, place, t.data, t.even); // else there is no room for it any more
      this.ink.tile(t);
      const then = performance.now();
      this.each = Math.max(this.each * 0.9, Math.min(then - now, UPLOAD_MS)); // a pause of the page's says little
      now = then;
    }
    this.waiting.splice(0, n);
    return !this.waiting.length;
  }

  /** Tiles are to come, or are out of date and do not. */
  coming(c: ComingFrame) {
    this.waiting.push(c);
    this.changed();
  }

  /** The line is a new one: what is still of the old one is forgotten. */
  reconnected() {
    this.waiting = [];
    this.pages.reconnected();
  }

  settle() {
    this.upload(Infinity);
    this.pages.settled();
    this.changed();
  }

  /** Takes in what the camera sees; returns for how many tiles of it there is no room. */
  see(tiles: Tile[]): number {
    return this.pages.see(tiles);
  }

  /** How many tiles of what is seen are still to come. */
  get left() {
    return this.pages.left(this.need);
  }

  /** bytes on the card */
  get bytes() {
    return this.atlas.bytes;
  }

  /** bits of the maps that are to be there for a tile to be shown */
  private get need() {
    if (!this.alone) return SHADED | (this.more.clear ? 1 << CLEAR : 0) | (this.more.soft ? 1 << SOFT : 0);
    return this.alone === 'form' ? 0 : 1 << placeOf(this.alone)[0];
  }

  /**
   * Before a frame is drawn: puts what came on the card, within so many milliseconds, and brings
   * the tables to what is held. Returns whether more is left for the next frame.
   */
  update(ms = UPLOAD_MS): boolean {
    const all = this.upload(ms);
    for (const i of this.pages.changed) {
      const s = this.list[i];
      const table = s?.uniforms.pageTable.value;
      if (!table) continue;
      this.pages.table(i, s.size, this.need, this.atlas.side, table.image.data as Uint8Array);
      table.needsUpdate = true;
    }
    this.pages.changed.clear();
    return !all;
  }

  /** Shows one channel, the mask or the bare form alone, or ('') the shaded surface. */
  showAlone(what: string) {
    this.alone = what;
    this.list.forEach((_, i) => this.pages.changed.add(i));
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
    for (const [i, s] of this.list.entries()) {
      const texture = s.size ? this.atlas.texture(map) : null;
      for (const [m, way] of [
        [s.single, pick],
        [s.singleFlat, pick === 4 ? -1 : pick],
      ] as const) {
        m.uniforms.map.value = texture;
        m.uniforms.pick.value = way;
        m.uniforms.inkOn.value = map === 0 && way === -1; // it is colour
      }
      const cover = this.covers?.[i];
      const solid = cover?.solid ?? (this.alone && texture ? s.single : s.material);
      const flat = cover?.flat ?? (texture ? s.singleFlat : s.bare);
      for (const mesh of this.meshes) if (mesh.userData.sheet === i) mesh.material = solid;
      if (s.flat) s.flat.material = flat;
    }
    this.changed();
  }

  dispose() {
    for (const s of this.list) {
      for (const m of [s.uniforms.pageTable.value, s.material, s.single, s.singleFlat, s.bare]) m?.dispose();
    }
    this.atlas.dispose();
    this.ink.dispose();
  }
}
