// What the next stroke will hit.
import type { Step } from '../api/client';
import type { Session } from './session.svelte';
import { addStep, eachStep, title } from './stack';
import type { UI } from './ui.svelte';

/** What the next stroke will hit, or why it can hit nothing and what helps. */
export interface Target {
  ok: boolean;
  layer: string;
  step: string;
  channels: string[];
  text: string;
  /** the stroke takes off, or puts back, what is a picture or words */
  decal?: boolean;
  remedy?: { label: string; run: () => void };
}

export function target(s: Session, ui: UI): Target {
  const none = { ok: false, layer: '', step: '', channels: [] };
  const l = s.layer(ui.selected);
  if (!l) return { ...none, text: 'no layer is selected' };
  if (!l.visible) {
    const remedy = {
      label: 'Show it',
      run: () => s.op({ kind: 'layer.set', target: l.id, path: 'visible', value: true }),
    };
    return { ...none, text: `${l.name} is hidden`, remedy };
  }
  const locked = lockedBy(s, l.id);
  if (locked) {
    const remedy = {
      label: 'Unlock it',
      run: () => s.op({ kind: 'layer.set', target: locked.id, path: 'locked', value: false }),
    };
    return { ...none, text: `${locked.name} is locked`, remedy };
  }
  const decal = l.kind === 'decals' && !ui.step && l.decals?.find((d) => d!.id === ui.decal);
  if (decal) {
    const verb = { erase: 'takes off', brush: 'puts back' }[ui.tool as string];
    const what = `${l.name} · ${decal.name}`;
    if (decal.locked) return { ...none, text: `${decal.name} is locked` };
    if (!verb) {
      const remedy = { label: 'Take the eraser', run: () => (ui.tool = 'erase') };
      return { ...none, text: `${what} is only taken off by the eraser, and put back by the brush`, remedy };
    }
    return {
      ok: true,
      layer: l.id,
      step: `decal:${decal.id}`,
      channels: ['mask'],
      text: `${what} · ${verb}`,
      decal: true,
    };
  }
  const picked = eachStep(l).find((m) => m.kind === 'hand' && m.id === ui.step);
  const hand =
    picked ?? (l.kind === 'paint' ? undefined : ((l.mask ?? []) as Step[]).findLast((m) => m.kind === 'hand'));
  if (hand || l.kind !== 'paint') {
    if (!hand) {
      const remedy = {
        label: 'Add a hand step',
        run: () => {
          ui.stream = 'mask';
          addStep(s, ui, 'hand');
        },
      };
      return {
        ...none,
        text: `${l.name} is a ${l.kind === 'group' ? 'group' : l.kind + ' layer'} without a hand step`,
        remedy,
      };
    }
    const verb =
      { erase: 'brings back', clone: 'clones', smear: 'smears' }[ui.tool as string] ??
      (ui.brush.mask < 0.5 ? 'hides' : 'shows');
    const where = ((l.mask ?? []) as Step[]).some((m) => m.id === hand.id) ? 'mask' : 'stream';
    const name = title(s.about.steps!, hand).toLowerCase();
    return {
      ok: true,
      layer: l.id,
      step: hand.id,
      channels: ['mask'],
      text: `${l.name} · ${where} · ${name} · ${verb}`,
    };
  }
  const on = s.channels.filter((c) => l.channels?.[c.channel]?.on);
  if (!on.length) return { ...none, text: `${l.name} has no channel switched on` };
  const names = on.map((c) => c.label).join(', ');
  return {
    ok: true,
    layer: l.id,
    step: '',
    channels: on.map((c) => c.channel),
    text: `${l.name} · ${{ clone: 'clone', smear: 'smear' }[ui.tool as string] ?? 'paint'} · ${names}`,
  };
}

/** The layer itself or the group around it that is locked. */
export function lockedBy(s: Session, id: string) {
  for (let r = s.place(id); r; r = r.parent ? s.place(r.parent) : undefined) if (r.layer.locked) return r.layer;
}
