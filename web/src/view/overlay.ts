// What Prepare lays over the model and the flat sheets: a checker, a baked map,
// colours by triangle, edges.
import {
  BufferAttribute,
  BufferGeometry,
  CanvasTexture,
  DoubleSide,
  Group,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  SRGBColorSpace,
  TextureLoader,
  type Material,
  type Object3D,
} from 'three';
import { LineMaterial } from 'three/addons/lines/LineMaterial.js';
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js';
import { decode } from '../lib/color';
import type { Stage } from './stage';

/** Edges with their ends in space (six numbers each) and on the flat sheets (sheet, u, v, u, v). */
export interface Edges {
  space: Float32Array;
  flat: Float32Array;
}

/** Triangles with a colour each, as the server sends them. */
export interface Tinted {
  count: number;
  pos: Float32Array;
  uv: Float32Array;
  sheet: Uint16Array;
  island: Int32Array;
  color: Uint8Array;
}

export async function fetchTinted(url: string): Promise<Tinted> {
  const answer = await fetch(url);
  if (!answer.ok) throw new Error((await answer.json().catch(() => ({}))).detail ?? 'the overlay cannot be made');
  const b = await answer.arrayBuffer();
  const n = new DataView(b).getUint32(0, true);
  let at = 4;
  const take = (bytes: number) => (at += bytes) - bytes;
  const pos = new Float32Array(b, take(36 * n), 9 * n);
  const uv = new Float32Array(b, take(24 * n), 6 * n);
  const sheet = new Uint16Array(b, take(2 * n + (n % 2) * 2), n);
  const island = new Int32Array(b, take(4 * n), n);
  return { count: n, pos, uv, sheet, island, color: new Uint8Array(b, take(3 * n), 3 * n) };
}

/** sRGB bytes in linear light (IEC 61966-2-1). */
const linear = Float32Array.from({ length: 256 }, (_, i) => decode(i / 255));

export class Overlay {
  private readonly solid = new Group();
  private readonly flat = new Group();
  private readonly lines = new Group();
  private readonly flatLines = new Group();
  private covers: Material[] = [];

  constructor(private readonly stage: Stage) {
    stage.scene.add(this.solid, this.lines);
    stage.flat.scene.add(this.flat, this.flatLines);
  }

  /** Takes everything away again. */
  clear() {
    this.drop(this.solid);
    this.drop(this.flat);
    for (const m of this.stage.meshes) m.visible = true;
    this.stage.worn.cover(null);
    for (const m of this.covers) m.dispose();
    this.covers = [];
    this.stage.invalidate();
  }

  private drop(g: Object3D) {
    for (const o of [...g.children]) {
      (o as Mesh).geometry?.dispose();
      ((o as Mesh).material as Material)?.dispose();
      g.remove(o);
    }
  }

  /** Shows triangles in their colours in place of the model; chosen islands stand out. */
  tint(t: Tinted, chosen: number[] = [], ghost = false) {
    if (!ghost) this.clear();
    else this.drop(this.solid);
    const color = new Float32Array(9 * t.count); // linear light, as vertex colours are
    const picked = new Set(chosen);
    for (let i = 0; i < t.count; i++) {
      const dim = picked.size && !picked.has(t.island[i]);
      for (let k = 0; k < 9; k++) {
        const c = t.color[3 * i + (k % 3)];
        color[9 * i + k] = linear[Math.round(dim ? 70 + c * 0.25 : c)];
      }
    }
    const tints = new BufferAttribute(color, 3);
    const g = new BufferGeometry();
    g.setAttribute('position', new BufferAttribute(t.pos, 3));
    g.setAttribute('color', tints);
    g.computeVertexNormals();
    const look = ghost
      ? { transparent: true, opacity: 0.35, depthWrite: false }
      : { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 };
    this.solid.add(
      new Mesh(g, new MeshStandardMaterial({ vertexColors: true, roughness: 0.95, side: DoubleSide, ...look })),
    );
    if (!ghost) {
      for (const m of this.stage.meshes) m.visible = false;
      this.tintFlat(t, tints);
    }
    this.stage.invalidate();
  }

  private tintFlat(t: Tinted, tints: BufferAttribute) {
    const at = new Float32Array(9 * t.count);
    for (let i = 0; i < t.count; i++) {
      const o = this.stage.worn.list[t.sheet[i]]?.flat?.position;
      for (let k = 0; k < 3; k++) {
        at[9 * i + 3 * k] = t.uv[6 * i + 2 * k] + (o?.x ?? 0);
        at[9 * i + 3 * k + 1] = -t.uv[6 * i + 2 * k + 1] + (o?.y ?? 0);
        at[9 * i + 3 * k + 2] = 0.05;
      }
    }
    const g = new BufferGeometry();
    g.setAttribute('position', new BufferAttribute(at, 3));
    g.setAttribute('color', tints);
    this.flat.add(
      new Mesh(g, new MeshBasicMaterial({ vertexColors: true, side: DoubleSide, transparent: true, opacity: 0.92 })),
    );
  }

  /** Covers each sheet with a texture, or leaves it grey (''). */
  async cover(urls: string[], lit: boolean) {
    this.clear();
    const loader = new TextureLoader();
    const maps = await Promise.all(urls.map((u) => (u === 'checker' ? checker() : u ? loader.loadAsync(u) : null)));
    const covers = this.stage.worn.list.map((_, i) => {
      const map = maps[i];
      if (map) {
        map.flipY = false;
        map.colorSpace = SRGBColorSpace;
        map.anisotropy = 4;
        map.needsUpdate = true;
      }
      const offset = { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 };
      const color = map ? 0xffffff : 0x6a6a6a;
      const plain = () => new MeshBasicMaterial({ map, color, toneMapped: false, ...offset });
      const m = lit || !map ? new MeshStandardMaterial({ map, color, roughness: 0.8, ...offset }) : plain();
      const flat = plain();
      flat.side = DoubleSide;
      this.covers.push(m, flat);
      return { solid: m, flat };
    });
    this.stage.worn.cover(covers);
  }

  /** Draws edges in space and on the sheets: UV borders, marked seams, and what a click would take. */
  edges(rows: { edges: Edges | null; color: number; width: number }[]) {
    this.drop(this.lines);
    this.drop(this.flatLines);
    rows.forEach((r, i) => {
      const draw = (group: Group, at: Float32Array) => {
        if (!at.length) return;
        const g = new LineSegmentsGeometry();
        g.setPositions(at);
        const l = new LineSegments2(g, new LineMaterial({ color: r.color, linewidth: r.width, toneMapped: false }));
        l.renderOrder = 2 + i;
        group.add(l);
      };
      if (!r.edges) return;
      draw(this.lines, r.edges.space);
      draw(this.flatLines, this.laidOut(r.edges.flat));
    });
    this.stage.invalidate();
  }

  /** Places of the sheets' edges in the flat view. */
  private laidOut(flat: Float32Array): Float32Array {
    const out = new Float32Array((flat.length / 5) * 6);
    for (let i = 0; i < flat.length / 5; i++) {
      const o = this.stage.worn.list[flat[5 * i]]?.flat?.position;
      for (let e = 0; e < 2; e++) {
        out[6 * i + 3 * e] = flat[5 * i + 1 + 2 * e] + (o?.x ?? 0);
        out[6 * i + 3 * e + 1] = -flat[5 * i + 2 + 2 * e] + (o?.y ?? 0);
        out[6 * i + 3 * e + 2] = 0.1;
      }
    }
    return out;
  }
}

/** Squares that are read: a letter for the column, a number for the row. */
function checker(): CanvasTexture {
  const n = 16;
  const size = 1024;
  const c = document.createElement('canvas');
  c.width = c.height = size;
  const g = c.getContext('2d')!;
  const cell = size / n;
  g.textAlign = 'center';
  g.textBaseline = 'middle';
  g.font = `600 ${cell * 0.42}px sans-serif`;
  for (let y = 0; y < n; y++) {
    for (let x = 0; x < n; x++) {
      const dark = (x + y) % 2;
      g.fillStyle = dark ? '#4f5654' : '#c9c7c0';
      g.fillRect(x * cell, y * cell, cell, cell);
      // the lower left corner of each square is cut: it shows mirroring and turning
      g.fillStyle = dark ? '#7a8f86' : '#a1688a';
      g.beginPath();
      g.moveTo(x * cell, (y + 1) * cell);
      g.lineTo(x * cell, (y + 0.66) * cell);
      g.lineTo((x + 0.34) * cell, (y + 1) * cell);
      g.fill();
      g.fillStyle = dark ? '#e8e6df' : '#2c2f2e';
      g.fillText(`${String.fromCharCode(65 + x)}${n - y}`, (x + 0.54) * cell, (y + 0.44) * cell);
    }
  }
  return new CanvasTexture(c);
}
