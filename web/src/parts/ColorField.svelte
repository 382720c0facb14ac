<script lang="ts">
  // A colour: its patch opens a picker beside it, its hex can be typed.
  import { css, fromHex, toHex } from '../lib/color';
  import type { UI } from '../lib/ui.svelte';
  import ColorPicker from './ColorPicker.svelte';

  interface Props {
    value: number[];
    label: string;
    channel?: string;
    ui?: UI;
    commit: (v: number[]) => void;
    preview?: (v: number[]) => void;
  }
  let { value, label, channel = 'baseColor', ui, commit, preview }: Props = $props();
  let place = $state<{ left: number; top: number } | null>(null);

  function open(e: MouseEvent) {
    const r = (e.currentTarget as HTMLElement).getBoundingClientRect();
    const left = Math.min(r.right + 8, innerWidth - 250);
    place = place ? null : { left, top: Math.max(50, Math.min(r.top - 40, innerHeight - 500)) };
  }
  function typed(e: Event) {
    const el = e.currentTarget as HTMLInputElement;
    const v = fromHex(el.value);
    if (v) commit(v);
    else el.value = toHex(value);
  }
</script>

<span class="color">
  <button class="patch" aria-label={label} aria-expanded={!!place} title={`${label}: choose`} onclick={open}>
    <span style:background={css(value)}></span>
  </button>
  <input
    class="hex"
    aria-label={`${label} as hex`}
    value={toHex(value)}
    onchange={typed}
    onkeydown={(e) => e.stopPropagation()}
  />
</span>
{#if place}
  <ColorPicker {value} {label} {channel} {ui} {place} {preview} {commit} close={() => (place = null)} />
{/if}

<style>
  .color {
    display: flex;
    box-shadow: inset 0 0 0 1px var(--line); /* a border would take two pixels of what is pressed */
    border-radius: 3px;
    background: var(--field);
    min-height: 28px;
  }
  .patch {
    width: 28px;
    flex: none;
    padding: 3px 2px 3px 3px;
  }
  .patch span {
    display: block;
    height: 20px;
    border-radius: 2px;
  }
  .hex {
    width: 100%;
    min-width: 0;
    border: 0;
    background: none;
    color: var(--text);
    font: inherit;
    font-size: 12.5px;
    padding: 0 2px;
  }
</style>
