// What the page works out by itself, without a browser.
import { readFileSync } from 'node:fs';
import { expect, test } from './setup';
import { Box3, BufferAttribute, BufferGeometry, PMREMGenerator, Vector3 } from '../web/node_modules/three/build/three.module.js';
import { makeSmaller, sampleLess } from '../web/src/view/environment';
import { Ink, LATE } from '../web/src/view/ink';
import { Lens, lensIn } from '../web/src/view/lens';
import { FROM, clearOf } from '../web/src/view/frame';
import { around, rim } from '../web/src/view/round';
import { viewOf } from '../web/src/view/laid';
import { closed, closing, count, joined, knots, pulled, through, turned, type Onto, type Three } from '../web/src/lib/taken';
import { push } from '../web/src/editor/push';
import { meant } from '../web/src/lib/meant';
import { SIDE, Warp } from '../web/src/lib/warp';
import { cut, mirrorOf, twins } from '../web/src/view/twins';
import { colorsIn, decode, encode, fromHex, fromHSV, toHex, toHSV } from '../web/src/lib/color';
import { chosen, doubleLayers, eachStep, faceCount, groupLayers, modeName, moveLayers, removeLayers, streamOf, toggleFace } from '../web/src/lib/stack';

type Node = { id: string; layers?: Node[] };

/** A stack in the page's form: a(b c) is a group a that holds b and c. */
function tree(text: string): Node[] {
  const stack: Node[][] = [[]];
  for (const t of text.match(/\w+|[()]/g) ?? []) {
    if (t === '(') stack.push((stack.at(-1)!.at(-1)!.layers = []));
    else if (t === ')') stack.pop();
    else stack.at(-1)!.push({ id: t });
  }
  return stack[0];
}
const text = (list: Node[]): string => list.map((n) => n.id + (n.layers ? `(${text(n.layers)})` : '')).join(' ');

/** What a page's session is to these functions: rows, and operations carried out as the server does. */
function session(start: string) {
  const root = tree(start);
  const find = (id: string, list = root): { list: Node[]; at: number } | null => {
    for (const [at, n] of list.entries()) {
      if (n.id === id) return { list, at };
      const inner = n.layers && find(id, n.layers);
      if (inner) return inner;
    }
    return null;
  };
  const children = (id: string) => (id ? (find(id)!.list[find(id)!.at].layers ??= []) : root);
  const insert = (n: Node, parent: string, index: number) => {
    const list = children(parent);
    expect(index).toBeLessThanOrEqual(list.length);
    list.splice(index < 0 ? list.length : index, 0, n);
  };
  const s = {
    sent: [] as any[],
    op(o: any) {
      s.sent.push(o);
      for (const x of o.kind === 'batch' ? o.ops : [o]) {
        if (x.kind === 'layer.add') insert({ id: x.layer.name, layers: x.layer.kind === 'group' ? [] : undefined }, x.parent ?? '', x.index);
        if (x.kind === 'layer.copy') insert({ id: `${x.target}2` }, x.parent ?? '', x.index);
        const at = find(x.target);
        if (x.kind === 'layer.remove') at!.list.splice(at!.at, 1);
        if (x.kind === 'layer.move') {
          const known = ids.get(x.parent) ?? x.parent;
          const [n] = at!.list.splice(at!.at, 1);
          insert(n, known, x.index);
        }
      }
    },
    get rows() {
      const out: any[] = [];
      const into = (list: Node[], parent: string, depth: number) =>
        list.forEach((n, index) => {
          out.push({ layer: { id: n.id, name: n.id, kind: n.layers ? 'group' : 'fill' }, parent, index, depth, count: list.length });
          into(n.layers ?? [], n.id, depth + 1);
        });
      into(root, '', 0);
      return out;
    },
    place: (id: string) => s.rows.find((r) => r.layer.id === id),
  };
  const ids = { get: (id: string) => (find(id) || !id ? id : s.sent.at(-1)?.ops?.[0]?.layer?.name) };
  const rows = (...names: string[]) => names.map((n) => s.place(n)!);
  const ui = (selected: string, ...many: string[]) => ({ selected, many, opened: new Set<string>(), choose(id: string) { this.selected = id; this.many = []; } });
  return { s: s as any, rows, ui: ui as any, shape: () => text(root) };
}

test('layers that are moved together land side by side, wherever they came from', () => {
  const cases: [string, string[], string, number, string][] = [
    ['a b c d', ['a'], '', 4, 'b c d a'],
    ['a b c d', ['a', 'c'], '', 4, 'b d a c'],
    ['a b c d', ['b', 'd'], '', 0, 'b d a c'],
    ['a b c d', ['a', 'd'], '', 2, 'b a d c'],
    ['a g(b c) d', ['a', 'd'], 'g', 1, 'g(b a d c)'],
    ['a g(b c) d', ['b', 'c'], '', 3, 'a g() d b c'],
    ['a g(b c) d', ['b'], 'g', 2, 'a g(c b) d'],
  ];
  for (const [start, which, parent, index, want] of cases) {
    const x = session(start);
    moveLayers(x.s, x.rows(...which), parent, index);
    expect(x.shape(), `${which} of ${start} to ${parent}${index}`).toBe(want);
    expect(x.s.sent).toHaveLength(1); // one entry in the ledger
  }
});

test('what is chosen leaves out what lies in a chosen group; deleting, doubling and grouping are one change', () => {
  const x = session('a g(b h(c)) d');
  expect(chosen(x.s, x.ui('c', 'g', 'd')).map((r) => r.layer.id)).toEqual(['g', 'd']);
  removeLayers(x.s, x.ui('c', 'g', 'a'));
  expect(x.shape()).toBe('d');
  expect(x.s.sent[0].label).toBe('Delete 2 layers');

  const y = session('a b c');
  doubleLayers(y.s, y.ui('a', 'c'));
  expect(y.shape()).toBe('a a2 b c c2');

  const z = session('a b c d');
  groupLayers(z.s, z.ui('d', 'b'));
  expect(z.s.sent).toHaveLength(1);
  expect(z.shape()).toBe('a c Group 1(b d)'.replace('Group 1', 'Group 1'));
});

test('faces come and go in runs', () => {
  let runs: number[] = [];
  for (const f of [5, 7, 6, 20]) runs = toggleFace(runs, f);
  expect(runs).toEqual([5, 3, 20, 1]);
  expect(faceCount(runs)).toBe(4);
  runs = toggleFace(runs, 6);
  expect(runs).toEqual([5, 1, 7, 1, 20, 1]);
  expect(faceCount(null)).toBe(0);
});

test('steps are found in every stream of a layer', () => {
  const l: any = {
    mask: [{ id: 'm', kind: 'bundle', steps: [{ id: 'in', kind: 'noise' }] }],
    channels: { roughness: { stream: [{ id: 'r', kind: 'noise' }] }, metallic: {} },
  };
  expect(eachStep(l).map((s) => s.id)).toEqual(['m', 'in', 'r']);
  expect(streamOf(l, 'step:m').map((s) => s.id)).toEqual(['in']);
  expect(streamOf(l, 'roughness').map((s) => s.id)).toEqual(['r']);
  expect(streamOf(l, 'metallic')).toEqual([]);
  expect(streamOf(undefined, 'mask')).toEqual([]);
  expect([modeName('height', 'lighten'), modeName('normal', 'normal'), modeName('roughness', 'lighten')]).toEqual(['higher', 'replace', 'lighten']);
});

test('what is meant: settings of layers, coats, steps at any depth, decals and lists are as they will be; the rest is for the server', () => {
  const doc: any = {
    sheets: {},
    layers: [
      { id: 'a', name: 'A', visible: true, reach: {}, mask: [{ id: 'm', on: true, params: { seed: 1, old: 2 }, steps: [{ id: 'in', on: true, params: {} }] }] },
      { id: 'g', name: 'G', layers: [{ id: 'b', name: 'B', channels: { roughness: { on: true, stream: [{ id: 'r', amount: 1, params: {} }] }, metallic: { on: true } }, decals: [{ id: 'd', name: 'one' }] }] },
    ],
  };
  const was = structuredClone(doc);
  const all = [
    { kind: 'layer.set', target: 'b', path: 'visible', value: false },
    { kind: 'layer.set', target: 'a', path: 'reach', value: { parts: ['Post'] } },
    { kind: 'layer.set', target: 'b', path: 'channels.metallic', value: null },
    { kind: 'step.set', target: 'a', step: 'in', path: 'params.scale', value: 3 },
    { kind: 'step.set', target: 'a', step: 'm', path: 'params.old', value: null },
    { kind: 'step.set', target: 'b', step: 'r', path: 'amount', value: 0.5 },
    { kind: 'decal.set', target: 'b', value: { id: 'd', name: 'two' } },
    { kind: 'palette.set', value: ['#102030'] },
  ];
  // one after the other, and as one change
  const now: any = all.reduce((d, op) => meant(d, op as any)!, doc);
  expect(meant(doc, { kind: 'batch', ops: all } as any)).toEqual(now);
  const [a, { layers: [b] }] = now.layers;
  expect([b.visible, a.reach, Object.keys(b.channels), a.mask[0].steps[0].params, a.mask[0].params, b.channels.roughness.stream[0].amount, b.decals[0].name, now.palette]).toEqual([
    false, { parts: ['Post'] }, ['roughness'], { scale: 3 }, { seed: 1 }, 0.5, 'two', ['#102030'],
  ]);
  expect(doc).toEqual(was); // what the server told stays as it is
  expect(meant(doc, { kind: 'palette.set', value: null } as any)).not.toHaveProperty('palette');
  for (const other of [
    { kind: 'layer.add', parent: '', index: 0, layer: { id: 'n' } },
    { kind: 'layer.set', target: 'gone', path: 'visible', value: false },
    { kind: 'step.set', target: 'a', step: 'gone', path: 'on', value: false },
    { kind: 'batch', ops: [all[0], { kind: 'layer.remove', target: 'a' }] },
  ])
    expect(meant(doc, other as any), other.kind).toBeNull();
});

test('colours: hex, hue, and linear light by IEC 61966-2-1', () => {
  expect(fromHex('#ff8000')).toEqual([1, 128 / 255, 0]);
  expect(fromHex('#ff80')).toBeUndefined();
  expect(toHex([1, 0.5, -1])).toBe('#ff8000');
  expect(toHSV([1, 0.5, 0]).map(Math.round)).toEqual([30, 1, 1]);
  for (const c of [[0.2, 0.4, 0.9], [0.9, 0.1, 0.5], [0.3, 0.3, 0.3]])
    fromHSV(...toHSV(c)).forEach((v, i) => expect(v).toBeCloseTo(c[i], 6));
  expect(decode(0.5)).toBeCloseTo(0.214041, 5);
  expect(encode(decode(0.02))).toBeCloseTo(0.02, 9);
});

test('colours are found in lists and in JSON, each once', () => {
  expect(colorsIn('C8A13C\n#102030, #102030')).toEqual(['#c8a13c', '#102030']);
  expect(colorsIn('{"colors":[{"name":"rust","hex":"#6b3012"},"00ff80"]}')).toEqual(['#6b3012', '#00ff80']);
  expect(colorsIn('no colour; #12345; 1234567')).toEqual([]);
});

const setting = { x: false, y: false, z: false, plane: null, at: null, times: 1, axis: 'y' as const, fade: 0 };
const unit = new Box3(new Vector3(0, 0, 0), new Vector3(2, 4, 6));
const near = (a: Vector3, b: number[]) => expect(a.distanceTo(new Vector3().fromArray(b))).toBeLessThan(1e-6);

test('symmetry: planes through the middle or a place, of any direction, and turns around an axis', () => {
  expect(mirrorOf(setting, unit)).toBeUndefined();
  const middle = mirrorOf({ ...setting, x: true }, unit)!;
  near(middle.at, [1, 2, 3]);
  const over = twins(middle);
  expect(over).toHaveLength(1);
  near(new Vector3(0.25, 1, 1).applyMatrix4(over[0]), [1.75, 1, 1]);
  // two planes make four places, with three turns twelve
  expect(twins(mirrorOf({ ...setting, x: true, z: true }, unit)!)).toHaveLength(3);
  expect(twins(mirrorOf({ ...setting, x: true, z: true, times: 3 }, unit)!)).toHaveLength(11);
  // half a turn about the upright axis
  near(new Vector3(0.5, 1, 2).applyMatrix4(twins(mirrorOf({ ...setting, times: 2 }, unit)!)[0]), [1.5, 1, 4]);
  // a plane at 45° through a place exchanges x and z about it
  const slant = mirrorOf({ ...setting, plane: [1, 0, -1], at: [1, 0, 1] }, unit)!;
  near(new Vector3(3, 5, 2).applyMatrix4(twins(slant)[0]), [2, 5, 3]);
  // what lies on a plane stays
  near(new Vector3(1.5, 7, 1.5).applyMatrix4(twins(slant)[0]), [1.5, 7, 1.5]);
  // a stroke can have three planes, not four
  expect(mirrorOf({ ...setting, x: true, y: true, z: true, plane: [1, 1, 0] }, unit)!.planes).toHaveLength(3);
});

test('a plane cuts a box in a closed line that lies on both', () => {
  for (const [at, n, corners] of [
    [[1, 2, 3], [1, 0, 0], 4],
    [[1, 2, 2.6], [1, 1, 1], 5],
    [[0.2, 0.2, 0.2], [1, 1, 1], 3],
    [[9, 9, 9], [1, 0, 0], 0],
  ] as [number[], number[], number][]) {
    const [p, normal] = [new Vector3().fromArray(at), new Vector3().fromArray(n).normalize()];
    const line = cut(p, normal, unit);
    expect(new Set(line.map((q) => q.toArray().map((v) => v.toFixed(5)).join())).size).toBe(corners);
    if (!corners) continue;
    expect(line[0].distanceTo(line[line.length - 1])).toBe(0);
    for (const q of line) {
      expect(Math.abs(q.clone().sub(p).dot(normal))).toBeLessThan(1e-6);
      expect(unit.clone().expandByScalar(1e-6).containsPoint(q)).toBe(true);
    }
  }
});

test('on a processor reflections are made of fewer samples; the text that is changed for that is there', () => {
  const source = readFileSync('../web/node_modules/three/src/extras/PMREMGenerator.js', 'utf8');
  const usual = source.match(/const GGX_SAMPLES = (\d+);/)![1];
  const body = source.slice(source.indexOf('function _getGGXMaterial'), source.indexOf('function _getIntegrationMaterial'));
  const shader = body.replace('${ GGX_SAMPLES }', usual);
  const pmrem = {} as any;
  sampleLess(pmrem);
  expect(pmrem._ggxMaterial).toBe(null);
  pmrem._ggxMaterial = { fragmentShader: shader };
  expect(pmrem._ggxMaterial.fragmentShader).toContain('#define GGX_SAMPLES 32u');
  expect(pmrem._ggxMaterial.fragmentShader).toContain('log2( d ) + lodBias + 1.500, 0.0');
  // another shader stays as it is
  pmrem._ggxMaterial = { fragmentShader: 'void main() {}' };
  expect(pmrem._ggxMaterial.fragmentShader).toBe('void main() {}');
});

test('for coarse pixels reflections are half as large; what is changed for that is there', () => {
  const real = new PMREMGenerator({} as any) as any;
  real._setSize(64);
  expect(real._cubeSize).toBe(256);
  makeSmaller(real);
  real._setSize(64);
  expect(real._cubeSize).toBe(128);
  const other = {} as any; // one that works otherwise stays as it is
  makeSmaller(other);
  expect(other).toEqual({});
});

test('a lens keeps what is looked at as large, whatever its focal length; its view says which it was', () => {
  const target = new Vector3(1, 2, 3);
  const c = new Lens();
  c.position.set(4, 3, 5);
  const look = () => {
    c.lookAt(target);
    c.updateMatrixWorld();
    c.updateProjectionMatrix();
    const view = c.projectionMatrix.clone().multiply(c.matrixWorldInverse).toArray() as number[];
    const up = new Vector3(0, 1, 0).applyQuaternion(c.quaternion).multiplyScalar(0.1);
    const size = (p: any) => p.clone().add(up).project(c).distanceTo(p.clone().project(c));
    const behind = target.clone().addScaledVector(target.clone().sub(c.position).normalize(), 1);
    return { view, at: size(target), behind: size(behind) };
  };
  const first = look();
  const usual = c.focal;
  for (const [focal, flat] of [[100, false], [20, false], [42, true], [85, true], [usual, false]] as const) {
    c.turn(focal, flat, target);
    const now = look();
    expect(now.at).toBeCloseTo(first.at, 6);
    if (flat) expect(now.behind).toBeCloseTo(now.at, 6);
    else expect(now.behind).toBeLessThan(now.at);
    const was = lensIn(now.view);
    expect(was.flat).toBe(flat);
    if (flat) expect(was.half).toBeCloseTo(c.half, 6);
    else expect(was.focal).toBeCloseTo(focal, 4);
  }
  expect(look().behind).toBeCloseTo(first.behind, 6); // and back
  // what lies on the surface has a view along its normal
  const laid = viewOf({ at: [1, 2, 3], right: [0, 0, -1], up: [0, 1, 0], out: [1, 0, 0], half: 0.5 });
  expect(lensIn(laid.view)).toMatchObject({ flat: true, half: 0.5 });
});

test('what is pushed in a picture goes along, holds where it is pinned, and is found again', () => {
  for (const form of [1, 1.6, 0.4]) {
    const w = new Warp();
    w.go({ does: 'push', radius: 0.3, strength: 0.7 }, form, [0.5, 0.5], [0.52, 0.51]);
    let off = 0;
    for (let i = 0; i < SIDE * SIDE; i++) {
      const [u, v] = [((i % SIDE) / (SIDE - 1)) * 2 - 0.5, (Math.floor(i / SIDE) / (SIDE - 1)) * 2 - 0.5];
      const d = Math.min(Math.hypot(u - 0.52, (v - 0.51) / form) / 0.3, 1);
      const share = 0.7 * (1 - d * d * (3 - 2 * d));
      const [x, y] = w.at(u, v);
      off = Math.max(off, Math.abs(x - (u - share * 0.02)) + Math.abs(y - (v - share * 0.01)));
    }
    expect(off).toBeLessThan(1e-5);
  }
  const w = new Warp();
  w.go({ does: 'push', radius: 0.25, strength: 1 }, 1.3, [0.3, 0.5], [0.7, 0.45]);
  const [x, y] = w.at(0.7, 0.45);
  expect(Math.hypot(x - 0.3, y - 0.5)).toBeLessThan(0.012);
  for (const p of [[0.3, 0.5], [0.1, 0.9], [0.62, 0.4]]) {
    const [u, v] = w.seen(p[0], p[1]);
    const back = w.at(u, v);
    expect(Math.hypot(back[0] - p[0], back[1] - p[1])).toBeLessThan(2e-3);
  }
  const held = new Warp();
  held.go({ does: 'pin', radius: 0.2, strength: 1 }, 1, null, [0.5, 0.5]);
  held.go({ does: 'push', radius: 0.3, strength: 1 }, 1, [0.4, 0.5], [0.6, 0.5]);
  expect(Math.abs(held.at(0.5, 0.5)[0] - 0.5)).toBeLessThan(0.01);
  // kept as the server keeps it: little-endian 16-bit numbers of 1/8192
  const moved = new Uint8Array(4 * SIDE * SIDE);
  new DataView(moved.buffer).setInt16(4 * 100, -2048, true);
  const read = new Warp({ moved: btoa(String.fromCharCode(...moved)) });
  expect(read.off[200]).toBe(-0.25);
  // a picture that nothing moved is drawn as it is, and nothing beside it
  const picture = { width: 4, height: 4, data: new Uint8ClampedArray(64).fill(200) } as ImageData;
  const out = { width: 8, height: 8, data: new Uint8ClampedArray(256) } as ImageData;
  new Warp().draw(picture, out);
  expect([...out.data].filter((v) => v === 200)).toHaveLength(64);
  expect(out.data[4 * (4 * 8 + 4)]).toBe(200);
  expect(out.data[0]).toBe(0);
});

test('ink that is watched: from each place of the pen to the frame that has it; what only says that something comes does not count', () => {
  let now = 0;
  const ink = new Ink(() => {}, () => now);
  const look = { color: [0.5, 0.25, 1], opacity: 0.5, hardness: 0.5, roughness: 0.3, metallic: -1, grain: { size: 0.01, amount: 0.8, kind: 'weave' } };
  const dab = (x: number) => ({ pos: new Vector3(x, 0, 0), radius: 0.1, strength: 1, sheet: 0, uv: null });
  ink.begin(look);
  ink.add(dab(0)); // nobody looks yet
  const took = ink.watch();
  ink.drawn();
  now = 100;
  ink.add(dab(0.2));
  now = 104;
  ink.add(dab(0.4));
  ink.add(dab(0.4), 1); // a twin's
  now = 112;
  ink.drawn();
  ink.drawn();
  ink.begin({ ...look, late: true });
  ink.add(dab(0.6));
  now = 300;
  ink.drawn();
  expect(took()).toEqual([12, 8]);
  const { data } = ink.uniforms.inkMap.value.image as { data: Float32Array };
  const drawn = () => ink.uniforms.inkCount.value;
  expect([...data.slice(16, 20)]).toEqual([expect.closeTo(0.01, 6), expect.closeTo(0.8, 6), 2, 0.5]);
  // it leads on to where the hand is; the stroke's next place takes that back
  ink.begin(look);
  ink.add(dab(1));
  const before = drawn();
  ink.lead(dab(1.5));
  expect(drawn()).toBe(before + 1);
  ink.lead(dab(1.6));
  expect(drawn()).toBe(before + 1);
  const pieces = ink.count;
  ink.add(dab(1.3));
  expect([ink.count, drawn()]).toEqual([pieces, before]); // straight on: one piece
  ink.lead(dab(1.6));
  ink.lead();
  expect(drawn()).toBe(before);
  ink.lead(dab(1.6));
  ink.cancel();
  ink.lead(dab(1.7)); // no stroke is under way
  expect(drawn()).toBe(before - 1);
  ink.dispose();
});

test('ink: what goes on straight is one piece; what a tile holds, or all of it, gives way to it; what is dropped is gone', () => {
  let frames = 0;
  const ink = new Ink(() => frames++);
  const look = { color: [0.5, 0.25, 1], opacity: 0.5, hardness: 0.5, roughness: 0.3, metallic: -1 };
  const dab = (x: number, y = 0, sheet = 0) => ({ pos: new Vector3(x, y, 0), radius: 0.1, strength: 1, sheet, uv: { x, y: y + 0.5 } });
  ink.add(dab(0.1)); // no stroke has begun
  expect(ink.count).toBe(0);
  ink.begin(look);
  for (const x of [0.1, 0.12, 0.14, 0.16]) ink.add(dab(x));
  expect([ink.count, frames]).toEqual([1, 4]);
  ink.add(dab(0.2, 0.08)); // round a corner
  expect(ink.count).toBe(2);
  ink.sent(7);
  for (const x of [0.5, 0.9]) ink.add(dab(x, 0.08)); // farther than a piece goes
  expect(ink.count).toBe(4);
  const tile = { sheet: 0, size: 1024, map: 0, upTo: 7 }; // eight tiles along each side
  ink.tile({ ...tile, x: 1, y: 4, map: 1 });
  ink.tile({ ...tile, x: 1, y: 4, sheet: 1 });
  ink.tile({ ...tile, x: 1, y: 4, upTo: 6 });
  expect(ink.count).toBe(4);
  ink.tile({ ...tile, x: 1, y: 4 });
  expect(ink.count).toBe(2); // what was not sent when the tile was drawn stays
  ink.tile({ ...tile, x: 7, y: 4 });
  expect(ink.count).toBe(2);
  ink.sent(9);
  ink.shown(8);
  expect(ink.count).toBe(2);
  ink.shown(9);
  expect([ink.count, ink.uniforms.inkCount.value]).toEqual([0, 0]);
  // what the card gets: ends with their radii, the colour as it is encoded, and a sphere around all of it
  ink.begin(look);
  ink.add(dab(0.1));
  ink.add(dab(0.3));
  const data = ink.uniforms.inkMap.value.image.data as Float32Array;
  const near = (at: number, want: number[], digits = 4) => want.forEach((v, i) => expect(data[at + i]).toBeCloseTo(v, digits));
  near(0, [0.1, 0, 0, 0.1, 0.3, 0, 0, 0.1]);
  near(8, [0.5, 0.25, 1, 1, 0.5, 0.3, -1], 1); // encoded by a plain power, and how strong the hand is
  near(19, [0.5]); // the stroke's strength counts after its grain
  expect(ink.uniforms.inkBound.value.toArray().map((v) => Math.round(v * 1000) / 1000)).toEqual([0.2, 0, 0, 0.2]);
  // a twin is a strand of its own
  ink.add(dab(-0.1), 1);
  ink.add(dab(-0.3), 1);
  ink.add(dab(0.34));
  expect(ink.count).toBe(2);
  ink.cancel();
  ink.add(dab(0.5));
  expect(ink.count).toBe(0);
  // a stall of any length keeps its bounds
  ink.begin(look);
  for (let i = 0; i < 2000; i++) ink.add(dab(Math.cos(i), Math.sin(i)));
  expect(ink.count).toBe(160);
});

test('ink that only says that something comes is seen when that takes long, and not at all when it does not', async () => {
  let clock = 0;
  let frames = 0;
  const ink = new Ink(() => frames++, () => clock);
  const look = { color: [0.6, 0.6, 0.6], opacity: 0.3, hardness: 0.5, roughness: -1, metallic: -1, late: true };
  const dab = (x: number) => ({ pos: new Vector3(x, 0, 0), radius: 0.1, strength: 1, sheet: 0, uv: { x, y: 0.5 } });
  const seen = () => ink.uniforms.inkCount.value;
  ink.begin(look);
  ink.add(dab(0.1));
  expect([ink.count, seen()]).toEqual([1, 0]);
  ink.sent(1);
  clock = LATE - 1;
  ink.shown(1); // the tiles were quick
  expect([ink.count, seen()]).toEqual([0, 0]);
  ink.add(dab(0.15));
  clock += LATE;
  frames = 0;
  await expect.poll(() => seen()).toBe(1); // it looks again by itself
  expect(frames).toBe(1);
  ink.sent(2);
  ink.shown(2);
  expect([ink.count, seen()]).toEqual([0, 0]);
});

test('the editor’s push: what lies under the hand goes along, beside it nothing moves, what is clear lends no colour', () => {
  const [w, h] = [64, 48];
  const picture = () => {
    const data = new Uint8ClampedArray(4 * w * h);
    for (let y = 0; y < h; y++) for (let x = 0; x < w; x++) if (x < 32) data.set([200, 120, 40, 255], 4 * (y * w + x));
    return { data, width: w, height: h };
  };
  const a = picture();
  push(a, 32, 24, 6, 0, 16);
  const cover = (b: typeof a, x: number, y: number) => b.data[4 * (y * w + x) + 3];
  expect(cover(a, 35, 24)).toBeGreaterThan(250); // the edge is six texels farther in the middle
  expect(cover(a, 40, 24)).toBe(0);
  expect(cover(a, 33, 4)).toBe(0); // beside the hand it is where it was
  for (let i = 0; i < a.data.length; i += 4) if (a.data[i + 3] > 0) expect([...a.data.slice(i, i + 3)].every((v, k) => Math.abs(v - [200, 120, 40][k]) < 2)).toBe(true);
  // where it is not selected nothing moves, and half of it where it is half
  const share = { data: new Uint8ClampedArray(4 * w * h), width: w, height: h };
  const b = picture();
  push(b, 32, 24, 6, 0, 16, share);
  expect(b.data).toEqual(picture().data);
  share.data.fill(128);
  push(b, 32, 24, 6, 0, 16, share);
  expect([cover(b, 34, 24) > 200, cover(b, 36, 24)]).toEqual([true, 0]);
});

test('a model is framed clear of the tools: tall, wide or far from the middle of its box, and as before where there is room', () => {
  const tan = Math.tan((28 * Math.PI) / 360);
  for (const [w, h, d] of [[0.2, 0.46, 0.2], [0.02, 3, 0.02], [1, 1, 1], [2, 0.1, 2], [5, 0.2, 0.1], [0.1, 1, 3]]) {
    const box = new Box3(new Vector3(-w / 2, 1, -d / 2), new Vector3(w / 2, 1 + h, d / 2));
    const c = box.getCenter(new Vector3());
    const r = box.getSize(new Vector3()).length() / 2;
    const usual = (r / Math.sin(Math.atan(tan))) * 0.92;
    for (const top of [0.5, 0.78, 1]) {
      const at = clearOf(box, c.clone(), FROM, usual, tan, top);
      expect(at.d).toBeGreaterThanOrEqual(usual);
      expect(at.d).toBeLessThan(usual * 2.2);
      const eye = c.clone().add(at.up).addScaledVector(FROM, at.d);
      const way = FROM.clone().normalize();
      const high = way.clone().cross(new Vector3(0, 1, 0).cross(way).normalize());
      for (let i = 0; i < 8; i++) {
        const p = new Vector3(i & 1 ? box.max.x : box.min.x, i & 2 ? box.max.y : box.min.y, i & 4 ? box.max.z : box.min.z).sub(eye);
        const y = p.dot(high) / (-p.dot(way) * tan);
        expect(y, `${w} × ${h} × ${d}, ${top}`).toBeLessThan(top + 0.01);
        expect(y, `${w} × ${h} × ${d}, ${top}`).toBeGreaterThan(-0.98);
      }
    }
  }
  const cube = new Box3(new Vector3(-1, -0.2, -1), new Vector3(1, 0.2, 1));
  expect(clearOf(cube, new Vector3(), FROM, 9, tan, 0.78)).toEqual({ d: 9, up: expect.anything() });
  expect(clearOf(cube, new Vector3(), FROM, 9, tan, 0.78).up.length()).toBe(0);
});

/** a ball of radius 1 about the middle */
const ball: Onto = (at) => {
  const l = Math.hypot(...at) || 1;
  const p = at.map((v) => v / l) as Three;
  return { pos: p, nrm: p };
};
/** points of a stroke round its equator, from one angle to another */
const arc = (from: number, to: number, n: number) =>
  Array.from({ length: n }, (_, i) => from + ((to - from) * i) / (n - 1)).flatMap((a) => [Math.cos(a), 0, Math.sin(a), Math.cos(a), 0, Math.sin(a), 1]);
const place = (p: number[], i: number) => p.slice(7 * i, 7 * i + 3);

test('a line that was taken up is pulled by its knots: what is near goes along, its ends stay, all of it stays on the surface', () => {
  const line = arc(0, 2, 101);
  const list = knots(line, 0.02);
  expect(list[0]).toBe(0);
  expect(list.at(-1)).toBe(100);
  expect(list.length).toBeGreaterThan(3);
  expect(knots(arc(0, 2e-6, 9), 0.02)).toEqual([0, 4, 8]); // a straight one has its middle
  const k = list.length >> 1;
  const to = ball([...place(line, list[k])].map((v, c) => v + (c === 1 ? 0.3 : 0)) as Three, [0, 0, 0], 1)!;
  const out = pulled(line, list, k, to.pos, to.nrm, ball);
  expect(out.length).toBe(line.length);
  expect(place(out, 0)).toEqual(place(line, 0));
  expect(place(out, 100)).toEqual(place(line, 100));
  to.pos.forEach((v, c) => expect(place(out, list[k])[c]).toBeCloseTo(v, 6));
  let last = -1;
  for (let i = 0; i <= list[k]; i++) {
    expect(Math.hypot(...place(out, i))).toBeCloseTo(1, 5);
    expect(out[7 * i + 6]).toBe(1); // the pen's pressure is as it was
    expect(place(out, i)[1]).toBeGreaterThanOrEqual(last - 1e-9); // the nearer the more
    last = place(out, i)[1];
  }
  // an end that is pulled goes itself
  const end = pulled(line, list, 0, [1, 0.1, 0], [1, 0, 0], ball);
  expect(place(end, 0)).toEqual([1, 0.1, 0]);
  expect(place(end, 100)).toEqual(place(line, 100));
});

test('a line is closed over the surface, and pulled where it closes; two lines become one, end to nearest end', () => {
  const open = arc(0, 5, 60);
  expect(closed(open, 0.1)).toBe(false);
  const ring = [...open, ...closing(open, 0.05, ball)];
  expect(closed(ring, 0.1)).toBe(true);
  for (let i = 0; i < count(ring); i++) expect(Math.hypot(...place(ring, i))).toBeCloseTo(1, 5);
  const list = knots(ring, 0.02);
  const out = pulled(ring, list, 0, ball([1, 0.4, 0], [1, 0, 0], 1)!.pos, [1, 0.4, 0], ball, true);
  expect(closed(out, 0.1)).toBe(true);
  expect(place(out, 1)[1]).toBeGreaterThan(0.2); // both sides of the joint go along
  expect(place(out, count(out) - 2)[1]).toBeGreaterThan(0.2);
  const [a, b] = [arc(0, 1, 20), arc(1.2, 2, 20)];
  for (const x of [a, turned(a)])
    for (const y of [b, turned(b)]) {
      const both = joined(x, y);
      expect(count(both)).toBe(40);
      const steps = Array.from({ length: 39 }, (_, i) => Math.hypot(...place(both, i).map((v, c) => v - place(both, i + 1)[c])));
      expect(Math.max(...steps)).toBeLessThan(0.21); // the gap, and no way back
    }
});

test('a line goes through every place that was clicked, smoothly or straight, and closes', () => {
  const spots = [0, 0.6, 1.1, 2].map((a, i) => ball([Math.cos(a), i % 2 ? 0.3 : 0, Math.sin(a)], [0, 0, 0], 1)!);
  for (const straight of [false, true])
    for (const ring of [false, true]) {
      const rail = through(spots, 0.02, ball, ring, straight);
      const at = Array.from({ length: rail.length / 6 }, (_, i) => rail.slice(6 * i, 6 * i + 3));
      for (const s of spots) expect(Math.min(...at.map((p) => Math.hypot(...p.map((v, c) => v - s.pos[c]))))).toBeLessThan(1e-9);
      for (const p of at) expect(Math.hypot(...p)).toBeCloseTo(1, 6);
      for (let i = 1; i < at.length; i++) expect(Math.hypot(...at[i].map((v, c) => v - at[i - 1][c]))).toBeLessThan(0.06);
      expect(at.at(-1)).toEqual(ring ? spots[0].pos : spots[3].pos);
    }
  // the turn at a place is sharp only where it is straight
  const turn = (straight: boolean) => {
    const rail = through(spots, 0.01, ball, false, straight);
    const at = Array.from({ length: rail.length / 6 }, (_, i) => rail.slice(6 * i, 6 * i + 3));
    const way = (i: number) => {
      const d = at[i + 1].map((v, c) => v - at[i][c]);
      return d.map((v) => v / Math.hypot(...d));
    };
    return Math.min(...at.slice(1, -1).map((_, i) => way(i).reduce((s, v, c) => s + v * way(i + 1)[c], 0)));
  };
  expect(turn(false)).toBeGreaterThan(0.97);
  expect(turn(true)).toBeLessThan(0.93);
});

test('the reach of a brush on a sheet laid flat: as far on the model in every direction, over islands, not on what faces away', () => {
  // two boards of 1 m by 1 m beside each other, which lie apart on the sheet, one of them stretched and turned; and their back
  const corners: [Three, Three, [number, number]][] = [
    [[0, 0, 0], [0, 0, 1], [0, 0]], [[1, 0, 0], [0, 0, 1], [0.25, 0]], [[1, 1, 0], [0, 0, 1], [0.25, 0.5]], [[0, 1, 0], [0, 0, 1], [0, 0.5]],
    [[1, 0, 0], [0, 0, 1], [0.9, 0.5]], [[2, 0, 0], [0, 0, 1], [0.9, 0.75]], [[2, 1, 0], [0, 0, 1], [0.7, 0.75]], [[1, 1, 0], [0, 0, 1], [0.7, 0.5]],
    [[0, 0, -0.01], [0, 0, -1], [0, 0.6]], [[2, 0, -0.01], [0, 0, -1], [0.2, 0.6]], [[2, 1, -0.01], [0, 0, -1], [0.2, 0.8]],
  ];
  const g = new BufferGeometry();
  const put = (name: string, n: number, v: number[]) => g.setAttribute(name, new BufferAttribute(new Float32Array(v), n));
  put('place', 3, corners.flatMap((c) => c[0]));
  put('outward', 3, corners.flatMap((c) => c[1]));
  put('position', 3, corners.flatMap((c) => [...c[2], 0]));
  g.setIndex([0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7, 8, 9, 10]);
  const back = ([x, y]: number[]) => (x < 0.3 ? [4 * x, 2 * y] : [1 + (y - 0.5) / 0.25, (0.9 - x) / 0.2]); // from the sheet to the boards
  const lines = (x: number, y: number, r: number) => {
    const list = rim(g, around(g), new Vector3(x, y, 0), new Vector3(0, 0, 1), r);
    let angle = 0;
    for (const line of list) {
      const at = Array.from({ length: line.length / 2 }, (_, i) => back([line[2 * i], line[2 * i + 1]]));
      for (const [px, py] of at) expect(Math.hypot(px - x, py - y)).toBeCloseTo(r, 5);
      for (let i = 1; i < at.length; i++) angle += 2 * Math.asin(Math.hypot(at[i][0] - at[i - 1][0], at[i][1] - at[i - 1][1]) / 2 / r);
    }
    return { list, angle };
  };
  const whole = lines(0.5, 0.5, 0.3); // within one board, over both of its triangles
  expect(whole.angle).toBeCloseTo(2 * Math.PI, 3);
  expect(lines(0.7, 0.3, 0.05).angle).toBeCloseTo(2 * Math.PI, 3); // within one triangle
  const both = lines(0.9, 0.5, 0.3); // a part of it lies on the other island
  expect(both.angle).toBeCloseTo(2 * Math.PI, 3);
  expect(both.list.some((l) => l[0] > 0.6)).toBe(true);
  expect(both.list.some((l) => l[0] < 0.3)).toBe(true);
  // over the rim there is nothing: the line ends there
  expect(lines(0.1, 0.5, 0.2).angle).toBeCloseTo(2 * Math.PI - 2 * Math.acos(0.5), 3);
  expect(lines(0.5, 0.5, 3).list).toEqual([]); // all of it lies within
});
