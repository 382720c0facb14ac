// Layered pictures in the page: OpenRaster files are read and written here by other code than the
// server's.
import { strFromU8, strToU8, unzip, zip, type AsyncZippable, type Unzipped } from 'fflate';

/** A layer of a picture, or a group of them. */
export interface Node {
  name: string;
  opacity: number;
  /** as OpenRaster names it: svg:src-over … */
  mode: string;
  hidden: boolean;
  /** of a group, uppermost first */
  layers?: Node[];
  isolated?: boolean;
  /** where its own picture lies in the whole */
  x: number;
  y: number;
  /** of a layer; none while it has no texels */
  canvas?: HTMLCanvasElement;
  /** its file, while nothing in it was changed */
  png?: Uint8Array;
}

export interface Picture {
  w: number;
  h: number;
  /** uppermost first */
  nodes: Node[];
  /** what lies beside the layers, and is kept as it is */
  rest: Unzipped;
}

const FORM = 'image/openraster';

export function surface(w: number, h: number): HTMLCanvasElement {
  const c = document.createElement('canvas');
  [c.width, c.height] = [w, h];
  return c;
}

export const context = (c: HTMLCanvasElement) => c.getContext('2d', { willReadFrequently: true })!;

const unpack = (bytes: Uint8Array) =>
  new Promise<Unzipped>((done, fail) => unzip(bytes, (err, files) => (err ? fail(err) : done(files))));
const pack = (files: AsyncZippable) =>
  new Promise<Uint8Array>((done, fail) => zip(files, (err, bytes) => (err ? fail(err) : done(bytes))));

const png = (bytes: Uint8Array) => new Blob([bytes as BlobPart], { type: 'image/png' });

/** Reads a file. Its errors say what is wrong with it. */
export async function read(bytes: Uint8Array): Promise<Picture> {
  let files: Unzipped;
  try {
    files = await unpack(bytes);
  } catch {
    throw new Error('It is no OpenRaster file; save it as .ora.');
  }
  const stack = files['stack.xml'];
  if (!stack) throw new Error('It has no stack.xml, so it is no OpenRaster file; save it as .ora.');
  const doc = new DOMParser().parseFromString(strFromU8(stack), 'application/xml');
  const image = doc.documentElement;
  const [w, h] = [Number(image.getAttribute('w')), Number(image.getAttribute('h'))];
  if (image.nodeName !== 'image' || !(w > 0 && h > 0)) throw new Error('Its stack.xml does not say how large it is.');
  const nodes: Node[] = [];
  const used = new Set(['stack.xml', 'mimetype', 'mergedimage.png', 'Thumbnails/thumbnail.png']);
  async function list(from: Element, into: Node[]) {
    for (const e of from.children) {
      if (e.nodeName !== 'stack' && e.nodeName !== 'layer') continue;
      const number = (name: string, usual: number) => Number(e.getAttribute(name) ?? usual) || 0;
      const n: Node = {
        name: e.getAttribute('name') ?? '',
        opacity: Math.min(Math.max(number('opacity', 1), 0), 1),
        mode: e.getAttribute('composite-op') ?? 'svg:src-over',
        hidden: e.getAttribute('visibility') === 'hidden',
        x: number('x', 0),
        y: number('y', 0),
      };
      into.push(n);
      if (e.nodeName === 'stack') {
        n.isolated = e.getAttribute('isolation') === 'isolate';
        await list(e, (n.layers = []));
        continue;
      }
      const src = e.getAttribute('src') ?? '';
      n.png = files[src];
      if (!n.png) throw new Error(`The picture of the layer “${n.name}” is not in the file.`);
      used.add(src);
      const bitmap = await createImageBitmap(png(n.png), { premultiplyAlpha: 'premultiply' });
      n.canvas = surface(bitmap.width, bitmap.height);
      context(n.canvas).drawImage(bitmap, 0, 0);
      bitmap.close();
    }
  }
  const root = [...image.children].find((e) => e.nodeName === 'stack');
  if (!root) throw new Error('Its stack.xml has no stack of layers.');
  await list(root, nodes);
  const rest = Object.fromEntries(Object.entries(files).filter(([name]) => !used.has(name)));
  return { w, h, nodes, rest };
}

async function encoded(c: HTMLCanvasElement): Promise<Uint8Array> {
  const blob = await new Promise<Blob | null>((done) => c.toBlob(done, 'image/png'));
  if (!blob) throw new Error('The browser could not write a layer; the picture may be too large for it.');
  return new Uint8Array(await blob.arrayBuffer());
}

/** Writes a picture; merged is how all of it looks. */
export async function write(p: Picture, merged: HTMLCanvasElement): Promise<Uint8Array> {
  const files: AsyncZippable = { mimetype: [strToU8(FORM), { level: 0 }] };
  const doc = document.implementation.createDocument(null, 'image');
  const image = doc.documentElement;
  const set = (e: Element, values: Record<string, string | number>) =>
    Object.entries(values).forEach(([k, v]) => e.setAttribute(k, String(v)));
  set(image, { version: '0.0.3', w: p.w, h: p.h });
  let count = 0;
  async function list(from: Node[], into: Element) {
    for (const n of from) {
      const e = into.appendChild(doc.createElement(n.layers ? 'stack' : 'layer'));
      set(e, {
        name: n.name,
        opacity: Math.round(n.opacity * 1e4) / 1e4,
        visibility: n.hidden ? 'hidden' : 'visible',
        'composite-op': n.mode,
      });
      if (n.layers) {
        if (n.isolated) set(e, { isolation: 'isolate' });
        await list(n.layers, e);
        continue;
      }
      const src = `data/${String(count++).padStart(3, '0')}.png`;
      set(e, { src, x: n.x, y: n.y });
      files[src] = [(n.png ??= await encoded(n.canvas ?? surface(1, 1))), { level: 0 }];
    }
  }
  await list(p.nodes, image.appendChild(doc.createElement('stack')));
  files['stack.xml'] = strToU8('<?xml version="1.0" encoding="UTF-8"?>\n' + new XMLSerializer().serializeToString(doc));
  files['mergedimage.png'] = [await encoded(merged), { level: 0 }];
  const share = Math.min(256 / Math.max(p.w, p.h), 1);
  const small = surface(Math.max(Math.round(p.w * share), 1), Math.max(Math.round(p.h * share), 1));
  context(small).drawImage(merged, 0, 0, small.width, small.height);
  files['Thumbnails/thumbnail.png'] = [await encoded(small), { level: 0 }];
  return pack({ ...files, ...p.rest });
}
