// What the model and the flat sheets wear: the textures of each sheet, one map of it alone, or
// what covers it.
import {
  DoubleSide,
  MeshBasicMaterial,
  MeshStandardMaterial,
  ShaderMaterial,
  type Material,
  type Mesh,
  type WebGLRenderer,
} from 'three';
import type { TileFrame } from '../lib/session.svelte';
import { MapTexture } from './textures';

export interface Sheet {
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

export class Sheets {
  readonly list: Sheet[];
  private alone = '';
  private covers: Cover[] | null = null;

  /** @param meshes those that wear the sheets; userData.sheet says which. changed is called when a frame is due. */
  constructor(
    private readonly renderer: WebGLRenderer,
    names: string[],
    private readonly meshes: Mesh[],
    private readonly changed: () => void,
  ) {
    this.list = names.map((name) => {
      const material = new MeshStandardMaterial({ name, roughness: 0.6, metalness: 0, color: 0x777777 });
      const single = () =>
        new ShaderMaterial({ ...aloneShader, uniforms: { map: { value: null }, pick: { value: -1 } } });
      const singleFlat = single();
      singleFlat.side = DoubleSide; // mirrored islands face away
      const bare = new MeshBasicMaterial({ color: 0x777777, side: DoubleSide });
      const none = { size: 0, gen: 0, maps: [], alone: null, flat: null };
      return { ...none, name, material, single: single(), singleFlat, bare };
    });
  }

  /** Gives a sheet its textures; called again when its size changes. */
  setSize(index: number, size: number) {
    const s = this.list[index];
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
    const m = this.list[index]?.material;
    if (!m || m.transparent === on) return;
    m.transparent = on;
    m.depthWrite = !on;
    for (const mesh of this.meshes) if (mesh.userData.sheet === index) mesh.castShadow = !on;
    m.needsUpdate = true;
    this.changed();
  }

  write(t: TileFrame) {
    const s = this.list[t.sheet];
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
    this.changed();
  }

  settle() {
    for (const s of this.list) s.maps.forEach((m) => m.settle());
    this.changed();
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
    for (const [i, s] of this.list.entries()) {
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
    this.changed();
  }

  dispose() {
    for (const s of this.list) {
      for (const m of [...s.maps, s.alone, s.material, s.single, s.singleFlat, s.bare]) m?.dispose();
    }
  }
}
