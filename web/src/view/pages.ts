// Which tiles of the sheets the page holds, and where: a bounded number of places, a table a
// sheet that leads from a place on it to the finest tile there is. Nothing here draws.

/** Texels a side of a tile, and with the ring around them, as they come from the server. */
export const TILE = 128;
export const RING = 1;
export const PITCH = TILE + 2 * RING;
/** color, occlusion-roughness-metallic, normal, emissive, one thing alone, and what a surface can have beyond: clear
 * (specular, coat, its roughness, transmission) and soft (fuzz, scattering, anisotropy) */
export const MAPS = 7;
/** bits of the maps of the shaded surface */
export const SHADED = 0b1111;
export const [CLEAR, SOFT] = [5, 6];

/** A tile of a sheet: x, y of those that a size of the whole sheet has. */
export interface Tile {
  sheet: number;
  size: number;
  x: number;
  y: number;
}

/** A tile that has a place. Bits a map: what is there, what of it is out of date while coarser
 * tiles come first, and what is to come. */
export interface Page extends Tile {
  place: number;
  held: number;
  late: number;
  coming: number;
  /** when it was seen last */
  seen: number;
}

const id = (t: Tile) => ((t.sheet * 16 + Math.log2(t.size)) * 64 + t.y) * 64 + t.x;

/** The tile that shows a tile at a share of its size. */
export function over(t: Tile, times = 2): Tile {
  return { sheet: t.sheet, size: t.size / times, x: Math.floor(t.x / times), y: Math.floor(t.y / times) };
}

/** How many tiles a table has in a row, and in a column. */
export const tableSize = (size: number) => ({ width: (2 * size) / TILE, height: size / TILE });

export class Pages {
  /** tiles that came over the line, seen or not */
  heard = 0;
  /** sheets whose tables are not what is held any more */
  readonly changed = new Set<number>();
  private readonly all = new Map<number, Page>();
  private free: number[] = [];
  private tick = 0;

  /** @param room places there are; the first is kept for what is not there */
  constructor(public room: number) {
    this.empty(room);
  }

  /** Begins anew with so many places, of which none holds anything: the card lost it, or has other room. */
  empty(room: number) {
    this.room = room;
    this.free = Array.from({ length: room - 1 }, (_, i) => room - 1 - i);
    for (const p of this.all.values()) this.changed.add(p.sheet);
    this.all.clear();
  }

  /**
   * Takes in what the camera sees, what is to come first first. What was seen before stays as
   * long as there is room. Returns how many of them have no place.
   */
  see(tiles: Tile[]): number {
    this.tick++;
    const fresh: Tile[] = [];
    for (const t of tiles) {
      const p = this.all.get(id(t));
      if (p) p.seen = this.tick;
      else fresh.push(t);
    }
    const old = [...this.all.values()].filter((p) => p.seen < this.tick).sort((a, b) => b.seen - a.seen);
    let without = 0;
    for (const t of fresh) {
      if (!this.free.length && old.length) this.drop(old.pop()!);
      const place = this.free.pop();
      if (place === undefined) without++;
      else this.all.set(id(t), { ...t, place, held: 0, late: 0, coming: 0, seen: this.tick });
    }
    return without;
  }

  /** What is told to the server: five numbers a tile, those that are seen first. */
  told(tiles: Tile[]): { pages: number[]; seen: number } {
    const pages: number[] = [];
    const tell = (p: Page) => pages.push(p.sheet, p.size, p.x, p.y, p.held);
    let seen = 0;
    for (const t of tiles) {
      const p = this.all.get(id(t));
      if (!p) continue;
      tell(p);
      seen++;
    }
    const aside = [...this.all.values()].filter((p) => p.seen < this.tick).sort((a, b) => b.seen - a.seen);
    aside.forEach(tell);
    return { pages, seen };
  }

  /** A map of a tile came: where it goes, or null when there is no place for it any more. */
  came(t: Tile, map: number): number | null {
    this.heard++;
    const p = this.all.get(id(t));
    if (!p) return null;
    const bit = 1 << map;
    if (!(p.held & bit) || p.late & bit) this.changed.add(p.sheet);
    p.held |= bit;
    p.late &= ~bit;
    p.coming &= ~bit;
    return p.place;
  }

  /** A map of a tile is to come; coarser ones are to be seen meanwhile, or what is there. */
  toCome(t: Tile, map: number, coarser: boolean) {
    const p = this.all.get(id(t));
    if (!p) return;
    p.coming |= 1 << map;
    if (!coarser) return;
    p.late |= 1 << map;
    this.changed.add(p.sheet);
  }

  /** A map of a tile is out of date and does not come, since it is not seen. */
  dropped(t: Tile, map: number) {
    const p = this.all.get(id(t));
    if (!p) return;
    p.held &= ~(1 << map);
    this.changed.add(p.sheet);
    if (!p.held) this.drop(p);
  }

  /** All that was to come has come. */
  settled() {
    for (const p of this.all.values()) {
      if (p.late) this.changed.add(p.sheet);
      p.late = p.coming = 0;
    }
  }

  /** The line is a new one: what is held is as the server last told, and it counts anew. */
  reconnected() {
    this.heard = 0;
  }

  /** How many seen tiles are not there, or out of date, and of how many. */
  left(need: number): { left: number; of: number } {
    let [left, of] = [0, 0];
    for (const p of this.all.values()) {
      if (p.seen < this.tick) continue;
      of++;
      if ((p.held & need) !== need || p.coming & need) left++;
    }
    return { left, of };
  }

  /** Texels that the places hold, by map. */
  get held(): Page[] {
    return [...this.all.values()];
  }

  private drop(p: Page) {
    this.all.delete(id(p));
    this.free.push(p.place);
    this.changed.add(p.sheet);
  }

  /**
   * Writes the table of a sheet: for each tile of each size, the widest row first, the place
   * of the finest tile that holds the needed maps and is up to date (its column and row among
   * so many a side, its level) and whether it is; else of the finest that holds them at all.
   */
  table(sheet: number, size: number, need: number, side: number, out: Uint8Array) {
    const n = size / TILE;
    const top = Math.log2(n);
    const row = 8 * n;
    const mine: Page[][] = Array.from({ length: top + 1 }, () => []);
    for (const p of this.all.values()) {
      const level = Math.log2(size / p.size);
      if (p.sheet === sheet && level >= 0 && level <= top && (p.held & need) === need) mine[level].push(p);
    }
    for (let level = top; level >= 0; level--) {
      const m = n >> level;
      const start = 4 * (2 * n - 2 * m);
      const up = 4 * (2 * n - m);
      for (let y = 0; y < m; y++)
        for (let x = 0; x < m; x++) {
          const o = y * row + start + 4 * x;
          const a = (y >> 1) * row + up + 4 * (x >> 1);
          for (let c = 0; c < 4; c++) out[o + c] = level === top ? [0, 0, top, 0][c] : out[a + c];
        }
      for (const p of mine[level]) {
        const o = p.y * row + start + 4 * p.x;
        const fresh = p.late & need ? 128 : 255;
        if (fresh === 128 && out[o + 3] === 255) continue; // a coarser one is up to date
        out[o] = p.place % side;
        out[o + 1] = Math.floor(p.place / side);
        out[o + 2] = level;
        out[o + 3] = fresh;
      }
    }
  }
}
