// Slides: placements of a picture before a camera that a layer keeps. What was painted through
// one goes with it when it is moved.
import type { Layer, Slide } from '../api/client';
import { newID } from './id';
import type { Op, Session } from './session.svelte';
import type { UI } from './ui.svelte';

/** Where the camera is, and what it sees. */
export interface Lens {
  view: number[];
  aspect: number;
  eye: number[];
  target: number[];
}

export const setSlide = (layer: string, slide: Slide, label = ''): Op => ({
  kind: 'slide.set',
  target: layer,
  value: slide,
  index: -1,
  label,
});

/** The slide in the hand, when it is one of a layer. */
export const slideOf = (l: Layer | undefined, ui: UI): Slide | undefined =>
  (l?.slides ?? []).find((s) => s!.id === ui.slide) ?? undefined;

/** Keeps the stencil in the hand as a slide of a layer. */
export function keepSlide(session: Session, ui: UI, layer: Layer, lens: Lens) {
  const s = ui.stencil;
  if (!s) return;
  const n = (layer.slides ?? []).length + 1;
  const { view, aspect, eye, target } = lens;
  // what turns away farther is stretched, and is taken from another view
  const stencil = { fades: 60, ends: 80, ...s, view, aspect };
  const slide = { id: newID(), name: `Slide ${n}`, stencil, eye, target } as Slide;
  session.op(setSlide(layer.id, slide));
  ui.slide = slide.id;
}

/** Takes a slide into the hand; the view goes back to where it was held. */
export function holdSlide(ui: UI, s: Slide) {
  const { view: _v, aspect: _a, warp: _w, ...rest } = s.stencil; // what was pushed stays the slide's own
  ui.stencil = { turn: 0, tiled: false, invert: false, soft: 0, both: false, colors: false, ...rest } as NonNullable<
    UI['stencil']
  >;
  ui.slide = s.id;
  if (!ui.painting) ui.tool = 'brush';
  ui.goTo(s.eye!, s.target!);
}

/** The slide in the hand with the stencil's place as it is there now. */
export const moved = (s: Slide, ui: UI): Slide => ({ ...s, stencil: { ...s.stencil, ...ui.stencil } }) as Slide;
