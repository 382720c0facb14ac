// Decals: pictures and words on the surface, as the page sets and changes them.
import { api, type Decal, type Layer } from '../api/client';
import { newID } from './id';
import type { Op, Session } from './session.svelte';
import type { UI } from './ui.svelte';

type Three = [number, number, number];

/** How much wider than tall pictures and words are, by what they are; asked for once. */
const aspects = $state<Record<string, number>>({});
const asked: Record<string, true> = {};

const nameOf = (d: Decal) => (d.text ? `words ${d.font ?? ''} ${d.text}` : `picture ${d.picture}`);

/** How much wider than tall a decal is by itself; 1 until it is known. */
export function aspect(project: string, d: Decal): number {
  const name = nameOf(d);
  if (!asked[name] && (d.text || d.picture)) {
    asked[name] = true;
    const found = d.text
      ? api.lettering(d.text, d.font ?? '').then((l) => l.aspect)
      : new Promise<number>((done, fail) => {
          const img = new Image();
          img.onload = () => done(img.naturalWidth / img.naturalHeight);
          img.onerror = fail;
          img.src = `/api/projects/${project}/pictures/${d.picture}`;
        });
    found.then(
      (a) => (aspects[name] = a),
      () => delete asked[name],
    );
  }
  return aspects[name] ?? 1;
}

export const tallOf = (project: string, d: Decal) => d.tall || d.wide / aspect(project, d);

/** Towards the head of a decal on a surface that faces n: up in the world, or on the screen where the surface lies flat. */
export function upOn(n: number[], screen: number[]): Three {
  return (Math.abs(n[1]) < 0.9 ? [0, 1, 0] : screen) as Three;
}

export const setDecal = (l: Layer, d: Decal, label = ''): Op => ({ kind: 'decal.set', target: l.id, value: d, label });

/** Waits for a click on the model, and sets a decal there. */
export function placeDecal(session: Session, ui: UI, layer: Layer, what: { text?: string; picture?: string }) {
  const size = ui.extentOf(layer.reach) / (what.text ? 4 : 6);
  const name = what.text ? what.text.split('\n')[0] : 'Picture';
  ui.taking = {
    label: `set “${name}”`,
    take: (_, pos, nrm) => {
      const decal = {
        id: newID(),
        name,
        ...what,
        color: [0.92, 0.9, 0.85],
        key: [1, 1, 1],
        pos,
        nrm,
        up: upOn(nrm, ui.screenUp()),
        wide: Number(size.toPrecision(2)),
        depth: Number((size / 2).toPrecision(2)),
        facing: 75,
        amount: 1,
      } as unknown as Decal;
      session.op({ kind: 'decal.add', target: layer.id, index: -1, value: decal });
      ui.decal = decal.id;
    },
  };
}

/** Sets a decal elsewhere, with its size and all else. */
export function replaceDecal(session: Session, ui: UI, layer: Layer, d: Decal) {
  ui.taking = {
    label: `set “${d.name}” there`,
    take: (_, pos, nrm) =>
      session.op(
        setDecal(layer, { ...d, pos: pos as Three, nrm: nrm as Three, up: upOn(nrm, ui.screenUp()) }, `Move ${d.name}`),
      ),
  };
}
