// Which tiles the page holds, and what its tables lead to: without a server, without a card.
import { expect, test } from './setup';
import { over, Pages, SHADED, TILE, tableSize, type Tile } from '../web/src/view/pages';
import { toAskFor } from '../web/src/view/finder';

const tile = (size: number, x: number, y: number, sheet = 0): Tile => ({ sheet, size, x, y });
const every = (p: Pages, t: Tile) => [0, 1, 2, 3].forEach((map) => p.came(t, map));

/** What the table of sheet 0 leads to at a tile of a size: the place, and whether it is up to date. */
function looked(p: Pages, size: number, t: Tile, side = 8) {
  const { width, height } = tableSize(size);
  const out = new Uint8Array(4 * width * height);
  p.table(t.sheet, size, SHADED, side, out);
  const n = size / TILE;
  const m = t.size / TILE;
  const o = 4 * (t.y * width + 2 * n - 2 * m + t.x);
  return { place: out[o] + side * out[o + 1], level: out[o + 2], fresh: out[o + 3] === 255, there: out[o + 3] > 0 };
}

test('a table leads to the finest tile that is there, in every size', () => {
  const p = new Pages(64);
  const [whole, quarter, fine] = [tile(128, 0, 0), tile(512, 1, 1), tile(1024, 3, 2)];
  p.see([whole, quarter, fine]);
  expect(looked(p, 1024, fine).there).toBe(false);
  every(p, whole);
  expect(looked(p, 1024, fine)).toMatchObject({ level: 3, there: true });
  every(p, quarter);
  expect(looked(p, 1024, fine)).toMatchObject({ level: 1 });
  expect(looked(p, 1024, tile(1024, 4, 2))).toMatchObject({ level: 3 });
  every(p, fine);
  expect(looked(p, 1024, fine)).toMatchObject({ level: 0, fresh: true });
  // from farther away the coarser one is looked at, however fine there are others
  expect(looked(p, 1024, quarter)).toMatchObject({ level: 1 });
  // a tile is not shown before all maps of the surface are there
  const other = tile(1024, 0, 0);
  p.see([whole, quarter, fine, other]);
  [0, 1, 2].forEach((map) => p.came(other, map));
  expect(looked(p, 1024, other)).toMatchObject({ level: 3 });
  p.came(other, 3);
  expect(looked(p, 1024, other)).toMatchObject({ level: 0 });
  // a sheet that is raised keeps what there is, further down
  expect(looked(p, 4096, tile(4096, 12, 8))).toMatchObject({ level: 2 });
});

test('what is out of date is shown until a coarser one that is not has come', () => {
  const p = new Pages(64);
  const [whole, fine] = [tile(128, 0, 0), tile(512, 2, 1)];
  p.see([whole, fine]);
  [whole, fine].forEach((t) => every(p, t));
  for (const t of [whole, fine]) [0, 1].forEach((map) => p.toCome(t, map, true));
  expect(p.left(SHADED)).toEqual({ left: 2, of: 2 });
  expect(looked(p, 512, fine)).toMatchObject({ level: 0, fresh: false });
  p.came(whole, 0);
  expect(looked(p, 512, fine)).toMatchObject({ level: 0 }); // its other map is still to come
  p.came(whole, 1);
  expect(looked(p, 512, fine)).toMatchObject({ level: 2, fresh: true });
  p.came(fine, 0);
  p.came(fine, 1);
  expect(looked(p, 512, fine)).toMatchObject({ level: 0, fresh: true });
  expect(p.left(SHADED)).toEqual({ left: 0, of: 2 });
  // without coarser ones first, what is there stays in sight
  p.toCome(fine, 0, false);
  expect(looked(p, 512, fine)).toMatchObject({ level: 0, fresh: true });
  expect(p.left(SHADED).left).toBe(1);
  p.settled();
  expect(p.left(SHADED).left).toBe(0);
});

test('there is no more than there is room for; what was not seen for longest goes first', () => {
  const p = new Pages(5); // four and the bare one
  const row = [0, 1, 2, 3, 4, 5].map((x) => tile(1024, x, 0));
  expect(p.see(row.slice(0, 2))).toBe(0);
  expect(p.see(row.slice(1, 4))).toBe(0);
  row.slice(0, 4).forEach((t) => every(p, t));
  expect(p.told(row.slice(1, 4)).pages.length).toBe(20); // the first one aside, with what it holds
  expect(p.told(row.slice(1, 4)).seen).toBe(3);
  expect(p.see([row[1], row[4]])).toBe(0);
  expect(p.came(row[0], 0)).toBe(null); // it made room
  expect(p.came(row[2], 0)).not.toBe(null);
  expect(p.see(row)).toBe(2);
  const places = p.held.map((h) => h.place);
  expect(new Set(places).size).toBe(4);
  expect(places).not.toContain(0);
});

/**
 * A server of tiles after the protocol, and a line on which they are under way for any time.
 * What the page then holds must be what the server has sent it last of all it sees, whatever
 * comes and goes in between.
 */
test('page and server agree on what the page holds, whatever is under way', () => {
  let seed = 7;
  const random = (n: number) => (seed = (seed * 1103515245 + 12345) & 0x7fffffff) % n;
  for (let run = 0; run < 60; run++) {
    const p = new Pages(2 + random(9));
    const content = new Map<string, number>(); // what the page's places hold
    const now = new Map<string, number>(); // what the tiles are
    const have = new Map<string, { version: number; number: number }>(); // what the server thinks
    const id = (t: Tile) => `${t.sheet} ${t.size} ${t.x} ${t.y}`;
    const up: { pages: number[]; seen: number; heard: number }[] = [];
    const down: { t: Tile; version: number; dropped: boolean }[] = [];
    let wish = { pages: [] as number[], seen: 0, heard: 0 };
    let sent = 0;
    const tiles = Array.from({ length: 8 }, (_, i) => tile(1024, i, 0));
    tiles.forEach((t) => now.set(id(t), 1));
    const list = () =>
      Array.from({ length: wish.pages.length / 5 }, (_, i) => {
        const [sheet, size, x, y, held] = wish.pages.slice(5 * i, 5 * i + 5);
        return { t: { sheet, size, x, y }, held, seen: i < wish.seen };
      });
    const server = (heeds: number) => {
      while (up.length && heeds-- > 0) {
        up.splice(0, up.length - 1); // the newest wins
        wish = up.shift()!;
        const room = new Map(list().map((l) => [id(l.t), l.held]));
        for (const [k, h] of have)
          if (!room.has(k) || (h.number <= wish.heard && !(room.get(k)! & 1))) have.delete(k);
      }
      for (const { t, seen } of list()) {
        const h = have.get(id(t));
        if (h?.version === now.get(id(t))) continue;
        if (seen) {
          down.push({ t, version: now.get(id(t))!, dropped: false });
          have.set(id(t), { version: now.get(id(t))!, number: ++sent });
        } else if (h) {
          have.delete(id(t));
          down.push({ t, version: 0, dropped: true });
        }
      }
    };
    const page = (reads: number) => {
      while (down.length && reads-- > 0) {
        const { t, version, dropped } = down.shift()!;
        if (dropped) p.dropped(t, 0);
        else if (p.came(t, 0) !== null) content.set(id(t), version);
      }
    };
    let seen: Tile[] = [];
    for (let step = 0; step < 60; step++) {
      const what = random(5);
      if (what === 0) {
        seen = tiles.filter(() => random(2) === 0).slice(0, p.room - 1);
        p.see(seen);
        up.push({ ...p.told(seen), heard: p.heard });
      } else if (what === 1) now.set(id(tiles[random(8)]), 2 + step);
      else if (what === 2) server(random(3));
      else page(random(4));
    }
    p.see(seen);
    up.push({ ...p.told(seen), heard: p.heard });
    for (let i = 0; i < 3; i++) {
      server(9);
      page(99);
    }
    const held = new Map(p.held.map((h) => [id(h), h]));
    for (const t of seen) {
      expect(held.get(id(t))?.held, `run ${run}: ${id(t)} is seen and not there`).toBe(1);
      expect(content.get(id(t)), `run ${run}: ${id(t)} is out of date`).toBe(now.get(id(t)));
    }
  }
});

test('what is asked for goes from the whole to what is seen most', () => {
  const seen = [
    { tile: tile(2048, 5, 9), pixels: 10 },
    { tile: tile(2048, 6, 9), pixels: 400 },
    { tile: tile(128, 0, 0, 2), pixels: 30 },
  ];
  const asked = toAskFor(seen, [{ size: 2048 }, { size: 1024 }, { size: 512 }, { size: 0 }]);
  const text = asked.map((t) => `${t.sheet}:${t.size}:${t.x},${t.y}`);
  expect(text.slice(0, 2).sort()).toEqual(['0:128:0,0', '2:128:0,0']);
  expect(text.slice(2)).toEqual(['0:256:0,1', '0:512:1,2', '0:2048:6,9', '0:2048:5,9', '1:128:0,0']);
  expect(over(tile(2048, 5, 9), 8)).toEqual(tile(256, 0, 1));
});
