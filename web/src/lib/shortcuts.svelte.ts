// Every key of the Layer station in one list: what it does, and how the sheet of
// shortcuts tells it. Keys that are held act while they are down; they are carried
// out where the view is.
import { SvelteMap } from 'svelte/reactivity';
import type { Session } from './session.svelte';
import { addLayer, doubleLayers, groupLayers, removeLayers } from './stack';
import { removeStroke } from './strokes';
import { target } from './target';
import type { UI } from './ui.svelte';

export interface Shortcut {
  keys: string;
  says: string;
  group: string;
  /** as KeyboardEvent.key in lower case; with ctrl+, shift+, alt+ in this order */
  on?: string;
  run?: (s: Session, ui: UI) => void;
}

const tool = (keys: string, on: string, name: UI['tool'], says: string): Shortcut => ({
  keys,
  on,
  says,
  group: 'Tools',
  run: (_, ui) => (ui.tool = name),
});

/** Goes to the next row of the section, as it is listed. */
function walk(ui: UI, d: number) {
  const rows = [...document.querySelectorAll<HTMLElement>('[aria-label="Layers, outermost first"] .names')];
  const at = rows.findIndex((r) => r.getAttribute('aria-expanded') === 'true');
  const next = rows[Math.min(Math.max(at + d, 0), rows.length - 1)];
  next?.click();
  next?.scrollIntoView({ block: 'nearest' });
}

const setLayer = (path: 'visible' | 'locked') => (s: Session, ui: UI) => {
  const l = s.layer(ui.selected);
  if (l) s.op({ kind: 'layer.set', target: l.id, path, value: !l[path] });
};

const move = (d: number) => (s: Session, ui: UI) => {
  const r = s.place(ui.selected);
  if (r && r.index + d >= 0 && r.index + d < r.count)
    s.op({ kind: 'layer.move', target: r.layer.id, parent: r.parent, index: r.index + d });
};

export const shortcuts: Shortcut[] = [
  tool('O', 'o', 'orbit', 'orbit'),
  tool('P', 'p', 'brush', 'paint with the brush'),
  tool('E', 'e', 'erase', 'erase'),
  tool('G', 'g', 'clone', 'clone what was painted elsewhere'),
  tool('Y', 'y', 'smear', 'smear what is there along'),
  {
    keys: 'U',
    on: 'u',
    says: 'mark where cloning takes from',
    group: 'Tools',
    run: (_, ui) => ((ui.tool = 'clone'), (ui.marking = true)),
  },
  tool('J', 'j', 'lasso', 'lasso: an outline that strokes stay in'),
  tool('I', 'i', 'fill', 'fill a part, an island, all; dragged: fading'),
  tool('Shift L', 'shift+l', 'line', 'lines: take a stroke up again and pull it, or click one place by place'),
  tool('D', 'd', 'drill', 'drill: what every layer adds at a point'),
  tool('R', 'r', 'reach', 'pick the open layer’s reach on the model'),
  {
    keys: 'Shift P',
    on: 'shift+p',
    says: 'the stamp press: make a stamp, or take one',
    group: 'Tools',
    run: (_, ui) => (ui.press = !ui.press),
  },
  {
    keys: 'T',
    on: 't',
    says: 'take what the brush paints from the model',
    group: 'Tools',
    run: (s, ui) => {
      const channels = target(s, ui).channels;
      ui.taking = {
        label: 'take the brush’s values from the model',
        take: (p) => {
          if (channels.includes('baseColor') || !channels.length) ui.brush.color = p.values.baseColor;
          if (channels.includes('emissive')) ui.brush.emissive = p.values.emissive;
          for (const c of channels) if (p.values[c]?.length === 1) ui.brush.values[c] = p.values[c][0];
        },
      };
    },
  },
  {
    keys: 'W',
    on: 'w',
    says: 'swap: a hand step hides or shows, a brush paints or erases',
    group: 'Tools',
    run: (s, ui) => {
      if (target(s, ui).step) ui.brush.mask = ui.brush.mask < 0.5 ? 1 : 0;
      else ui.tool = ui.tool === 'erase' ? 'brush' : 'erase';
    },
  },
  { keys: 'Shift click', says: 'a straight line from where the last stroke ended, or a row of stamps', group: 'Tools' },
  { keys: 'F', says: 'fit the model in the view', group: 'View' },
  { keys: 'arrows, + −', says: 'turn the camera, and bring it nearer, while the view has the focus', group: 'View' },
  {
    keys: 'Shift S',
    on: 'shift+s',
    says: 'fold the layers away, and back',
    group: 'View',
    run: (_, ui) => ui.fold('side'),
  },
  {
    keys: 'Shift W',
    on: 'shift+w',
    says: 'fold the worktop away, and back',
    group: 'View',
    run: (_, ui) => ui.fold('worktop'),
  },
  { keys: 'Shift A', says: 'the part under the pointer alone, framed; again: all', group: 'View' },
  {
    keys: 'Shift F',
    on: 'shift+f',
    says: 'a flat lens, without perspective, and back',
    group: 'View',
    run: (_, ui) => (ui.look.flat = !ui.look.flat),
  },
  { keys: 'hold L', says: 'turn the light by moving the pointer', group: 'View' },
  { keys: 'hold S', says: 'brush size and strength by moving the pointer', group: 'View' },
  { keys: 'hold Z', says: 'move the stencil; with Shift turn it, by the wheel size it', group: 'View' },
  { keys: 'hold M', says: 'the mask of the open layer on the model', group: 'View' },
  {
    keys: 'Shift B',
    on: 'shift+b',
    says: 'the stencil or slide stands behind the model, and before it again',
    group: 'View',
    run: (_, ui) => (ui.behind = !ui.behind),
  },
  {
    keys: 'Shift M',
    on: 'shift+m',
    says: 'pin the mask on the model, or let it go',
    group: 'View',
    run: (_, ui) => (ui.pinned = !ui.pinned),
  },
  {
    keys: 'C',
    on: 'c',
    says: 'the conditions that all agents read',
    group: 'Streams',
    run: (_, ui) => ((ui.over = false), (ui.conditions = !ui.conditions)),
  },
  {
    keys: 'Shift O',
    on: 'shift+o',
    says: 'paint over the view in another program',
    group: 'View',
    run: (_, ui) => ui.paintOver(!ui.over),
  },
  { keys: 'hold X', says: 'the bare form without colours', group: 'View' },
  { keys: 'hold 1 – 9', says: 'one channel alone', group: 'View' },
  {
    keys: 'V',
    on: 'v',
    says: 'model, flat sheet, both',
    group: 'View',
    run: (_, ui) => (ui.mode = ui.mode === 'model' ? 'flat' : ui.mode === 'flat' ? 'both' : 'model'),
  },
  { keys: '↑ ↓', on: 'arrowup', says: 'the layer above, below', group: 'Layers', run: (_, ui) => walk(ui, -1) },
  { keys: '', on: 'arrowdown', says: '', group: 'Layers', run: (_, ui) => walk(ui, 1) },
  { keys: 'Alt ↑ ↓', on: 'alt+arrowup', says: 'move the layer outward, inward', group: 'Layers', run: move(1) },
  { keys: '', on: 'alt+arrowdown', says: '', group: 'Layers', run: move(-1) },
  { keys: 'N', on: 'n', says: 'new fill layer', group: 'Layers', run: (s, ui) => addLayer(s, ui, 'fill', {}) },
  {
    keys: 'Shift N',
    on: 'shift+n',
    says: 'new paint layer',
    group: 'Layers',
    run: (s, ui) => addLayer(s, ui, 'paint', {}),
  },
  { keys: 'B', on: 'b', says: 'bind what is selected into a group', group: 'Layers', run: groupLayers },
  { keys: 'H', on: 'h', says: 'hide or show', group: 'Layers', run: setLayer('visible') },
  { keys: 'A', on: 'a', says: 'show alone', group: 'Layers', run: (_, ui) => (ui.solo = ui.solo ? '' : ui.selected) },
  { keys: 'K', on: 'k', says: 'lock or unlock', group: 'Layers', run: setLayer('locked') },
  {
    keys: 'Delete',
    on: 'delete',
    says: 'delete what is selected; the stroke that was taken up before all',
    group: 'Layers',
    run: (s, ui) => (ui.tool === 'line' && ui.stroke ? removeStroke(s, ui) : removeLayers(s, ui)),
  },
  { keys: 'Ctrl D', on: 'ctrl+d', says: 'double', group: 'Layers', run: doubleLayers },
  {
    keys: 'Ctrl C',
    on: 'ctrl+c',
    says: 'copy layers, for this or another project',
    group: 'Layers',
    run: (s, ui) => s.change({ t: 'copy', layers: [ui.selected, ...ui.many] }),
  },
  {
    keys: 'Ctrl V',
    on: 'ctrl+v',
    says: 'paste layers',
    group: 'Layers',
    run: (s, ui) => {
      const p = s.place(ui.selected);
      s.change({ t: 'paste', parent: p?.parent ?? '', index: p ? p.index + 1 : -1 });
    },
  },
  {
    keys: 'Q',
    on: 'q',
    says: 'add a step to the open stream',
    group: 'Streams',
    run: () => document.getElementById('add-step')?.click(),
  },
  { keys: 'Ctrl ← →', says: 'move the step whose card has the focus', group: 'Streams' },
  { keys: 'Ctrl Z', on: 'ctrl+z', says: 'undo', group: 'Ledger', run: (s) => s.undo() },
  { keys: 'Ctrl Shift Z', on: 'ctrl+shift+z', says: 'redo', group: 'Ledger', run: (s) => s.redo() },
  {
    keys: '?',
    on: '?',
    says: 'the guide, at the page of this station',
    group: 'Ledger',
    run: (_, ui) => ui.openGuide(),
  },
];

/** What a press is called: ctrl+, shift+, alt+ in this order, and the key in lower case. */
export function named(e: Pick<KeyboardEvent, 'key' | 'ctrlKey' | 'metaKey' | 'shiftKey' | 'altKey'>): string {
  const mods = [
    e.ctrlKey || e.metaKey ? 'ctrl+' : '',
    e.shiftKey && e.key.length > 1 ? 'shift+' : '',
    e.altKey ? 'alt+' : '',
  ];
  const key = e.key.toLowerCase();
  return (e.shiftKey && e.key.length === 1 && /[a-z]/.test(key) ? [mods[0], 'shift+', mods[2]] : mods).join('') + key;
}

/** Keys that were changed in this browser: what each is now, by what it was. */
const others = new SvelteMap<string, string>(read());
function read(): [string, string][] {
  try {
    const known = new Set(shortcuts.map((s) => s.on));
    const kept = Object.entries(JSON.parse(localStorage.getItem('keys') ?? '{}') as Record<string, string>);
    return kept.filter(([was, is]) => known.has(was) && typeof is === 'string');
  } catch {
    return [];
  }
}

/** The key of a shortcut as it is now. */
export const bound = (s: Shortcut) => (s.on ? (others.get(s.on) ?? s.on) : '');

/** That in words. */
export function spelled(s: Shortcut): string {
  const on = bound(s);
  if (on === s.on) return s.keys;
  return on
    .split(/\+(?=.)/)
    .map((k) => (k.length > 1 ? k[0].toUpperCase() + k.slice(1) : k.toUpperCase()))
    .join(' ');
}

/** How the key is spelled now that was another at first. */
export const keyNow = (on: string) => spelled(shortcuts.find((s) => s.on === on)!);

/** keys that act while they are held, or belong to what has the focus */
const held = /^(l|s|z|m|x|[0-9])$|^(shift\+a|tab|enter|escape| |f|backspace|arrow.*|ctrl\+(t|w|n|r))$/;

/** Gives a shortcut another key; returns why it cannot, or ''. */
export function changeKey(s: Shortcut, e: Parameters<typeof named>[0]): string {
  const on = named(e);
  if (held.test(on)) return `“${e.key === ' ' ? 'Space' : e.key.toUpperCase()}” has a use of its own.`;
  const taken = shortcuts.find((o) => o !== s && bound(o) === on);
  if (taken) return `That key is taken: ${taken.says || 'part of another'}. Change that first.`;
  if (on === s.on) others.delete(s.on!);
  else others.set(s.on!, on);
  localStorage.setItem('keys', JSON.stringify(Object.fromEntries(others)));
  return '';
}

export function resetKeys() {
  others.clear();
  localStorage.removeItem('keys');
}

export const find = (e: KeyboardEvent): Shortcut | undefined => {
  const name = named(e);
  return shortcuts.find((s) => s.on && bound(s) === name);
};
