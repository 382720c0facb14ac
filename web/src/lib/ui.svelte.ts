// What this page looks at and paints with; nothing here is kept by the server.
import type { Session } from './session.svelte';

export type Station = 'Prepare' | 'Layer' | 'Judge' | 'Deliver';
export type Tool = 'orbit' | 'brush' | 'erase' | 'drill';
export type ViewMode = 'model' | 'flat' | 'both';
/** What the view shows: the shaded surface, or one thing alone. */
export type Alone = '' | 'mask' | string;

export class UI {
  station = $state<Station>('Layer');
  tool = $state<Tool>('orbit');
  mode = $state<ViewMode>('model');
  /** selected layer id */
  selected = $state('');
  /** id of a layer that was asked for and is not in the document yet */
  fresh = $state('none');
  /** selected step of the layer's mask, or '' for the layer itself */
  step = $state('');
  alone = $state<Alone>('');
  light = $state(312);
  exposure = $state(1);
  blur = $state(0.6);
  background = $state(false);
  shadows = $state(true);
  brush = $state({
    size: 0.008, // radius in metres
    strength: 1,
    hardness: 0.4,
    penSize: false,
    penFlow: true,
    color: [0.85, 0.83, 0.78] as number[],
    values: { roughness: 0.8, metallic: 0, height: 0.0003, opacity: 1, ambientOcclusion: 1 } as Record<string, number>,
    emissive: [1, 0.7, 0.4] as number[],
    mask: 0, // what a stroke in a hand step leaves: 0 hides, 1 shows
  });
}

/** What the next stroke will hit, or why it can hit nothing and what helps. */
export interface Target {
  ok: boolean;
  layer: string;
  step: string;
  channels: string[];
  text: string;
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
  const hand = (l.mask ?? []).findLast((m) => m.kind === 'hand' && (m.id === ui.step || !ui.step || l.kind === 'fill'));
  const inMask = l.kind === 'fill' || (hand && hand.id === ui.step);
  if (inMask) {
    if (!hand) {
      const remedy = { label: 'Add a hand step', run: () => addStep(s, ui, 'hand') };
      return { ...none, text: `${l.name} is a fill layer without a hand step`, remedy };
    }
    const verb = ui.tool === 'erase' ? 'brings back' : ui.brush.mask < 0.5 ? 'hides' : 'shows';
    return { ok: true, layer: l.id, step: hand.id, channels: ['mask'], text: `${l.name} · mask · hand · ${verb}` };
  }
  const on = s.about.channels!.filter((c) => l.channels?.[c.channel]?.on);
  if (!on.length) return { ...none, text: `${l.name} has no channel switched on` };
  const names = on.map((c) => c.label).join(', ');
  return { ok: true, layer: l.id, step: '', channels: on.map((c) => c.channel), text: `${l.name} · paint · ${names}` };
}

import { newID } from './session.svelte';

export function addStep(s: Session, ui: UI, kind: string) {
  const l = s.layer(ui.selected);
  const d = s.about.steps!.find((k) => k.kind === kind);
  if (!l || !d) return;
  const id = newID();
  const source = d.role === 'source' && kind !== 'hand';
  const blend = source ? ((l.mask ?? []).length ? 'multiply' : 'normal') : '';
  const params: Record<string, unknown> = kind === 'noise' ? { seed: Math.floor(Math.random() * 1000) } : {};
  s.op({ kind: 'step.add', target: l.id, index: -1, newStep: { id, kind, on: true, amount: 1, blend, params } });
  ui.step = id;
}

export function addLayer(s: Session, ui: UI, kind: 'fill' | 'paint', reach: { sheets?: string[]; parts?: string[] }) {
  const id = newID();
  const n = (s.doc?.layers ?? []).filter((l) => l.kind === kind).length + 1;
  const channels: Record<string, unknown> = {};
  for (const c of s.about.channels!) {
    const on = c.channel === 'baseColor' || (kind === 'fill' && c.channel === 'roughness');
    if (on) channels[c.channel] = { on, value: c.suggested, blend: c.blend, amount: 1 };
  }
  const at = s.doc?.layers?.findIndex((l) => l.id === ui.selected) ?? -1;
  const name = kind === 'fill' ? `Coat ${n}` : `Paint ${n}`;
  s.op({
    kind: 'layer.add',
    index: at < 0 ? -1 : at + 1,
    layer: { id, name, kind, visible: true, amount: 1, reach, channels, mask: [] } as never,
  });
  ui.fresh = ui.selected = id;
  ui.step = '';
  if (kind === 'paint') ui.tool = 'brush';
}
