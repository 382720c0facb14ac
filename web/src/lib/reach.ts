// What a thing that is put down on the model covers there.
import { toHex } from './color';
import type { Picked, Session } from './session.svelte';
import { faceCount, type Reach } from './stack';
import type { UI } from './ui.svelte';

/** What a material covers where it falls. */
export const COVERS = [
  'the part',
  'the island',
  'the sheet',
  'the ID colour',
  'what the open layer reaches',
  'everything',
] as const;
export type Covers = (typeof COVERS)[number];

export interface Covered {
  /** tells two places apart that are not covered alike */
  key: string;
  reach: Reach;
}

/** A place on the surface, as the page knows it by itself. */
interface Place {
  part: string;
  sheet: string;
  pos: number[];
  nrm: number[];
}

/**
 * What is covered when something falls on a place; the island and the ID colour are asked of the
 * server. Null: nothing is there, or no ID map, which is then said.
 */
export async function covered(session: Session, ui: UI, at: Place | null): Promise<Covered | null> {
  if (!at) return null;
  const open = session.layer(ui.selected)?.reach;
  switch (ui.covers) {
    case 'the part':
      return { key: `part ${at.part}`, reach: { parts: [at.part] } };
    case 'the sheet':
      return { key: `sheet ${at.sheet}`, reach: { sheets: [at.sheet] } };
    case 'everything':
      return { key: 'all', reach: {} };
    case 'what the open layer reaches':
      return { key: `open ${ui.selected} ${faceCount(open?.faces ?? [])}`, reach: open ?? {} };
  }
  const p = await new Promise<Picked>((then) => session.pick(at.pos, at.nrm, then));
  if (ui.covers === 'the island') return { key: `island ${p.island}`, reach: { islands: [p.island] } };
  if (!p.idColor) {
    session.message = `${p.sheet} has no ID map; bake one in Prepare, or make one from a layer there.`;
    return null;
  }
  return { key: `id ${toHex(p.idColor)}`, reach: { ids: [{ color: p.idColor, tolerance: 0.02 }] } };
}
