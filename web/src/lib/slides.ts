// Slides: placements of a picture before a camera that a layer keeps. What was painted through
// one goes with it when it is moved.
import { pictureName } from './dropped';
import { api, type Layer, type Slide } from '../api/client';
import type { Stage } from '../view/stage';
import { newID } from './id';
import type { Op, Session } from './session.svelte';
import { addLayer } from './stack';
import type { UI } from './ui.svelte';

/** what turns away farther, in degrees, is stretched, and is taken from another view */
const LIMITS = { fades: 60, ends: 80 };

/** Where the camera is, and what it sees. */
export interface Lens {
  view: number[];
  aspect: number;
  eye: number[];
  target: number[];
}

/** The lens of a stage, with where its camera stands. */
export const lensOf = (stage: Stage): Lens => ({
  ...stage.lens(),
  eye: stage.eye.toArray(),
  target: stage.controls.target.toArray(),
});

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
  const stencil = { ...LIMITS, ...s, view, aspect };
  const slide = { id: newID(), name: `Slide ${n}`, stencil, eye, target } as Slide;
  session.op(setSlide(layer.id, slide));
  ui.slide = slide.id;
}

/** Lays a picture of a file over the view, its middle at a place of it: as a slide of the open paint layer, or of
 * a new one. */
export async function dropSlide(session: Session, ui: UI, file: File, lens: Lens, at: [number, number]) {
  const { picture, width, height } = await api.addPicture(session.id, file);
  const form = width / height;
  const look = { turn: 0, tiled: false, invert: false, soft: 0, both: false, colors: true };
  const stencil = { picture, form, at, wide: 1.1 * Math.min(form, 1.6), ...look };
  const { view, aspect, eye, target } = lens;
  const name = pictureName(file.name, 'Slide');
  const slide = { id: newID(), name, stencil: { ...LIMITS, ...stencil, view, aspect }, eye, target } as Slide;
  const open = session.layer(ui.selected);
  if (open?.kind === 'paint' && !open.locked) session.op(setSlide(open.id, slide));
  else addLayer(session, ui, 'paint', {}, { slides: [slide] } as Partial<Layer>);
  ui.tool = 'brush';
  ui.stencil = stencil;
  ui.slide = slide.id;
}

/** A slide's stencil as it is held: its view and what was pushed stay the slide's own. */
export function inHand(s: Slide) {
  const { view: _v, aspect: _a, warp: _w, ...rest } = s.stencil;
  const usual = { turn: 0, tiled: false, invert: false, soft: 0, both: false, colors: false };
  return { ...usual, ...rest } as NonNullable<UI['stencil']>;
}

/** Takes a slide into the hand; the view goes back to where it was held. */
export function holdSlide(ui: UI, s: Slide) {
  ui.stencil = inHand(s);
  ui.slide = s.id;
  if (!ui.painting) ui.tool = 'brush';
  ui.goTo(s.eye!, s.target!, s.stencil.view!);
}

/** The slide in the hand with the stencil's place as it is there now. */
export const moved = (s: Slide, ui: UI): Slide => ({ ...s, stencil: { ...s.stencil, ...ui.stencil } }) as Slide;
