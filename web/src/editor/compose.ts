// How layers look together.
import { context, surface, type Node } from './ora';

export interface Rect {
  x: number;
  y: number;
  w: number;
  h: number;
}

/** What the canvas calls the blend modes of OpenRaster. */
export const MODES: Record<string, GlobalCompositeOperation> = {
  'svg:src-over': 'source-over',
  'svg:multiply': 'multiply',
  'svg:screen': 'screen',
  'svg:overlay': 'overlay',
  'svg:darken': 'darken',
  'svg:lighten': 'lighten',
  'svg:color-dodge': 'color-dodge',
  'svg:color-burn': 'color-burn',
  'svg:hard-light': 'hard-light',
  'svg:soft-light': 'soft-light',
  'svg:difference': 'difference',
  'svg:plus': 'lighter',
  'svg:hue': 'hue',
  'svg:saturation': 'saturation',
  'svg:color': 'color',
  'svg:luminosity': 'luminosity',
};

/** In words. */
export const modeName = (mode: string) =>
  mode === 'svg:src-over' ? 'normal' : mode === 'svg:plus' ? 'add' : mode.replace('svg:', '').replaceAll('-', ' ');

/** A layer as it looks while it is worked on, within a place of the whole. */
export type Instead = (n: Node, r: Rect) => { canvas: CanvasImageSource; x: number; y: number } | null;

/** Draws layers, uppermost first, into a canvas of the whole, within a place of it. */
export function compose(to: CanvasRenderingContext2D, list: Node[], r: Rect, instead?: Instead) {
  to.save();
  to.beginPath();
  to.rect(r.x, r.y, r.w, r.h);
  to.clip();
  draw(to, list, r, instead);
  to.restore();
}

function draw(to: CanvasRenderingContext2D, list: Node[], r: Rect, instead?: Instead) {
  for (const n of list.toReversed()) {
    if (n.hidden || n.opacity <= 0) continue;
    const mode = MODES[n.mode] ?? 'source-over';
    if (n.layers && n.opacity === 1 && mode === 'source-over' && !n.isolated) {
      draw(to, n.layers, r, instead);
      continue;
    }
    to.globalAlpha = n.opacity;
    to.globalCompositeOperation = mode;
    if (n.layers) {
      const own = surface(r.w, r.h);
      const g = context(own);
      g.translate(-r.x, -r.y);
      draw(g, n.layers, r, instead);
      to.drawImage(own, r.x, r.y);
    } else {
      const now = instead?.(n, r);
      if (now) to.drawImage(now.canvas, now.x, now.y);
      else if (n.canvas) part(to, n.canvas, n, r);
    }
    to.globalAlpha = 1;
    to.globalCompositeOperation = 'source-over';
  }
}

/** Draws of a layer's picture what lies within a place of the whole. */
export function part(to: CanvasRenderingContext2D, c: HTMLCanvasElement, at: { x: number; y: number }, r: Rect) {
  const [x, y] = [Math.max(r.x, at.x), Math.max(r.y, at.y)];
  const [w, h] = [Math.min(r.x + r.w, at.x + c.width) - x, Math.min(r.y + r.h, at.y + c.height) - y];
  if (w > 0 && h > 0) to.drawImage(c, x - at.x, y - at.y, w, h, x, y, w, h);
}

/** The place around two. */
export function around(a: Rect | null, b: Rect | null): Rect | null {
  if (!a || !b) return a ?? b;
  const [x, y] = [Math.min(a.x, b.x), Math.min(a.y, b.y)];
  return { x, y, w: Math.max(a.x + a.w, b.x + b.w) - x, h: Math.max(a.y + a.h, b.y + b.h) - y };
}

/** What of a place lies within the whole, in whole texels; null: nothing. */
export function within(r: Rect, w: number, h: number): Rect | null {
  const [x, y] = [Math.max(Math.floor(r.x), 0), Math.max(Math.floor(r.y), 0)];
  const [x1, y1] = [Math.min(Math.ceil(r.x + r.w), w), Math.min(Math.ceil(r.y + r.h), h)];
  return x1 > x && y1 > y ? { x, y, w: x1 - x, h: y1 - y } : null;
}
