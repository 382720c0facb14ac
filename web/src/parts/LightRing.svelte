<script lang="ts">
  import type { UI } from '../lib/ui.svelte';
  import { keyNow } from '../lib/shortcuts.svelte';
  let { ui }: { ui: UI } = $props();
  const a = $derived(((ui.look.light - 90) * Math.PI) / 180);
  function drag(e: PointerEvent) {
    const el = e.currentTarget as HTMLElement;
    if (e.type === 'pointerdown') el.setPointerCapture(e.pointerId);
    if (!el.hasPointerCapture(e.pointerId)) return;
    const r = el.getBoundingClientRect();
    const deg = (Math.atan2(e.clientY - r.top - r.height / 2, e.clientX - r.left - r.width / 2) * 180) / Math.PI + 90;
    ui.look.light = (deg + 360) % 360;
  }
  function key(e: KeyboardEvent) {
    const d = { ArrowLeft: -5, ArrowRight: 5, ArrowUp: 5, ArrowDown: -5 }[e.key];
    if (d) {
      e.preventDefault();
      ui.look.light = (ui.look.light + d + 360) % 360;
    }
  }
</script>

<div
  class="ring"
  role="slider"
  tabindex="0"
  aria-label="Light"
  aria-valuemin="0"
  aria-valuemax="360"
  aria-valuenow={Math.round(ui.look.light)}
  title="Turn the light: drag here, or hold L and move"
  onpointerdown={drag}
  onpointermove={drag}
  onkeydown={key}
>
  <span class="sun" style:left={`${37 + 32 * Math.cos(a)}px`} style:top={`${37 + 32 * Math.sin(a)}px`}></span>
  <span>light {Math.round(ui.look.light)}°</span>
</div>

{#if !ui.over}
  <button
    class="lens"
    aria-pressed={ui.look.flat}
    title={`The lens: with perspective, or flat (${keyNow('shift+f')})`}
    onclick={() => (ui.look.flat = !ui.look.flat)}>{ui.look.flat ? 'flat' : `${Math.round(ui.look.focal)} mm`}</button
  >
{/if}

<style>
  .lens,
  .ring {
    zoom: var(--scale);
  }
  .lens {
    position: absolute;
    right: 14px;
    bottom: 96px;
    width: 74px;
    min-height: 28px;
    font-size: 12px;
    color: #ddd;
    background: rgb(0 0 0 / 0.25);
    border-radius: 3px;
  }
  .lens[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .ring {
    position: absolute;
    right: 14px;
    bottom: 14px;
    width: 74px;
    height: 74px;
    border: 1px solid #8a8a8a;
    border-radius: 50%;
    display: grid;
    place-content: center;
    font-size: 12px;
    color: #f0f0f0;
    background: rgb(30 30 30 / 0.45);
    cursor: grab;
    touch-action: none;
    user-select: none;
  }
  .sun {
    position: absolute;
    width: 13px;
    height: 13px;
    margin: -7px;
    border-radius: 50%;
    background: #ffe9b0;
    border: 2px solid #3a3a3a;
  }
</style>
