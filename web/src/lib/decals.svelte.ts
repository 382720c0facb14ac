// Decals: pictures and words on the surface, as the page sets and changes them.
import { pictureName } from './dropped';
import { api, type Decal, type Layer } from '../api/client';
import { newID } from './id';
import type { Op, Session } from './session.svelte';
import { addLayer } from './stack';
import type { UI } from './ui.svelte';

type Three = [number, number, number];

/** How much wider than tall pictures and words are, by what they are; asked for once. */
const aspects = $state<Record<string, number>>({});
const asked: Record<string, true> = {};

const nameOf = (d: Decal) => (d.text ? `words ${d.font ?? ''} ${d.apart ?? 0} ${d.text}` : `picture ${d.picture}`);

/** How much wider than tall a decal is by itself; 1 until it is known. */
export function aspect(project: string, d: Decal): number {
  const name = nameOf(d);
  if (!asked[name] && (d.text || d.picture)) {
    asked[name] = true;
    const found = d.text
      ? api.lettering(d.text, d.font ?? '', d.apart).then((l) => l.aspect)
      : new Promise<number>((done, fail) => {
          const img = new Image();
          img.onload = () => done(img.naturalWidth / img.naturalHeight);
          img.onerror = fail;
          img.src = `/api/projects/${project}/pictures/${d.picture}?edge=1024`;
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

/** Across which of the model's planes lies the other side of what faces n; up and down are none. */
export const sideways = (n: number[]): Three => (Math.abs(n[2]) > Math.abs(n[0]) ? [0, 0, 1] : [1, 0, 0]);

export const setDecal = (l: Layer, d: Decal, label = ''): Op => ({ kind: 'decal.set', target: l.id, value: d, label });

type What = Pick<Decal, 'text' | 'picture' | 'cover'> & { name?: string };

const called = (what: What) => what.name ?? (what.text ? what.text.split('\n')[0] : 'Picture');

/** A decal as it is set first, on a place that faces nrm. */
function newDecal(ui: UI, reach: Layer['reach'], what: What, pos: number[], nrm: number[]): Decal {
  const size = ui.extentOf(reach) / (what.text ? 4 : 6);
  return {
    id: newID(),
    ...what,
    name: called(what),
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
}

function add(session: Session, ui: UI, layer: Layer, decal: Decal) {
  session.op({ kind: 'decal.add', target: layer.id, index: -1, value: decal });
  ui.decal = decal.id;
}

/** Waits for a click on the model, and sets a decal there. */
export function placeDecal(session: Session, ui: UI, layer: Layer, what: What) {
  ui.taking = {
    label: `set “${called(what)}”`,
    take: ({ sheet }, pos, nrm) => {
      add(session, ui, layer, newDecal(ui, layer.reach, what, pos, nrm));
      // it is there once the sheet has UVs
      if (ui.bare(sheet)) session.message = `“${sheet}” has no UVs, so nothing shows on it. Unwrap it in Prepare.`;
    },
  };
}

/** Sets a picture of a file where it was dropped: on the open layer of decals, or on a new one. */
export async function dropDecal(session: Session, ui: UI, file: File, pos: number[], nrm: number[]) {
  const { picture } = await api.addPicture(session.id, file);
  const what = { picture, name: pictureName(file.name) };
  const open = session.layer(ui.selected);
  if (open?.kind === 'decals' && !open.locked) return add(session, ui, open, newDecal(ui, open.reach, what, pos, nrm));
  const decal = newDecal(ui, {}, what, pos, nrm);
  addLayer(session, ui, 'decals', {}, { decals: [decal] } as Partial<Layer>);
  ui.decal = decal.id;
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
