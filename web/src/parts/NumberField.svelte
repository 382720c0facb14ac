<script lang="ts">
  // A number that can be typed, dragged sideways, stepped with the arrow keys, and
  // brought back to its default by a double click.
  import { getContext } from 'svelte';
  import { panel } from '../lib/panel';
  import { spread, type Compare, type LineUp } from '../lib/lineup.svelte';

  interface Props {
    value: number;
    min: number;
    max: number;
    label: string;
    unit?: string;
    scale?: number;
    whole?: boolean;
    log?: boolean;
    fallback?: number;
    /** what 0 means, where it is no amount */
    nought?: string;
    preview?: (v: number) => void;
    commit: (v: number) => void;
  }
  let {
    value,
    min,
    max,
    label,
    unit = '',
    scale = 1,
    whole = false,
    log = false,
    fallback,
    nought,
    preview,
    commit,
  }: Props = $props();
  const compare = getContext<Compare | undefined>('compare');
  const lineUp = getContext<((l: LineUp) => void) | undefined>('lineup');
  /** what a line-up of its values would show, while its menu is open */
  let menu = $state.raw<LineUp | null>(null);
  function open(e: MouseEvent) {
    if (!compare) return;
    e.preventDefault();
    const values = spread(value, min, max, { whole, log });
    menu = compare(label, value, values, commit, (v) => `${label} ${says(v)} ${unit}`.trim());
  }
  let dragged = $state<number | null>(null);
  let typing = $state<string | null>(null);
  /** what was set by keys and has not come back yet: the next key goes on from there */
  let pending = $state<number | null>(null);
  $effect(() => {
    if (pending !== null && Math.abs(pending - value) <= 1e-6 * Math.max(1, Math.abs(value))) pending = null;
  });
  function forget() {
    pending = null;
  }
  let start = 0;
  let from = 0;
  let moved = false;

  const shown = $derived(dragged ?? pending ?? value);
  const digits = (v: number) => (whole ? 0 : Math.abs(v * scale) >= 100 ? 0 : Math.abs(v * scale) >= 10 ? 1 : 2);
  const says = (v: number) => (v * scale).toFixed(digits(v));
  const share = $derived(
    log && min > 0 ? Math.log(Math.max(shown, min) / min) / Math.log(max / min) : (shown - min) / (max - min),
  );
  const fit = (v: number) => Math.min(Math.max(whole ? Math.round(v) : v, min), max);

  function down(e: PointerEvent) {
    if (typing !== null || e.button) return;
    (e.currentTarget as HTMLElement).setPointerCapture(e.pointerId);
    start = e.clientX;
    from = value;
    moved = false;
  }
  function move(e: PointerEvent) {
    if (!(e.currentTarget as HTMLElement).hasPointerCapture(e.pointerId)) return;
    const d = (e.clientX - start) * (e.shiftKey ? 0.1 : 1);
    if (Math.abs(d) < 3 && !moved) return;
    moved = true;
    dragged = fit(log ? from * Math.exp(d / 90) : from + ((max - min) * d) / 240);
    preview?.(dragged);
  }
  function up() {
    if (dragged !== null) commit(dragged);
    dragged = null;
  }
  function key(e: KeyboardEvent) {
    if (typing !== null) return;
    const sign = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[e.key];
    if (sign) {
      e.preventDefault();
      const from = pending ?? value;
      const step = whole ? 1 : ((max - min) / 100) * (e.shiftKey ? 10 : 1);
      pending = fit(log ? from * Math.exp(sign * (e.shiftKey ? 0.5 : 0.05)) : from + sign * step);
      commit(pending);
    } else if (e.key === 'Enter' || /^[-\d.]$/.test(e.key)) {
      typing = e.key === 'Enter' ? String(+(value * scale).toPrecision(5)) : e.key;
      e.preventDefault();
    }
  }
  function done(keep: boolean) {
    const v = Number(typing?.replace(',', '.')) / scale;
    if (keep && typing !== null && typing.trim() !== '' && Number.isFinite(v)) commit(fit(v));
    typing = null;
  }
  const focus = (el: HTMLInputElement) => {
    el.focus();
    el.setSelectionRange(el.value.length, el.value.length);
  };
</script>

<svelte:window onpointerdown={(e) => menu && ((e.target as Element).closest('.menu') || (menu = null))} />

{#if typing !== null}
  <input
    class="field typing"
    aria-label={label}
    bind:value={typing}
    use:focus
    onblur={() => done(true)}
    onkeydown={(e) => (e.key === 'Enter' ? done(true) : e.key === 'Escape' ? done(false) : 0, e.stopPropagation())}
  />
{:else}
  <div
    class="field"
    role="slider"
    tabindex="0"
    aria-label={label}
    aria-valuemin={min}
    aria-valuemax={max}
    aria-valuenow={shown}
    aria-valuetext={`${says(shown)} ${unit}`}
    title={`${label}: drag, type, or arrow keys; double click for the default${compare ? '; right click to line up values' : ''}`}
    style:--share={`${share * 100}%`}
    onpointerdown={down}
    onpointermove={move}
    onpointerup={up}
    ondblclick={() => (fallback === undefined ? (typing = String(+(value * scale).toPrecision(5))) : commit(fallback))}
    onkeydown={key}
    onblur={forget}
    oncontextmenu={open}
  >
    {#if nought && shown === 0}<span class="unit">{nought}</span>{:else}{says(shown)}<span class="unit">{unit}</span
      >{/if}
  </div>
  {#if menu}
    <div class="menu" role="menu" aria-label={label} {@attach panel(() => (menu = null))}>
      <button
        role="menuitem"
        onclick={() => {
          lineUp?.(menu!);
          menu = null;
        }}>Line up values</button
      >
      {#if fallback !== undefined}
        <button role="menuitem" onclick={() => ((menu = null), commit(fallback))}>Default</button>
      {/if}
    </div>
  {/if}
{/if}

<style>
  .field {
    min-height: 28px;
    line-height: 26px;
    padding: 0 7px;
    border: 1px solid var(--line);
    border-radius: 3px;
    background: linear-gradient(var(--plum), var(--plum)) 0 100% / var(--share) 2px no-repeat var(--field);
    cursor: ew-resize;
    text-align: right;
    user-select: none;
    touch-action: none;
    white-space: nowrap;
    width: 100%;
  }
  .menu {
    position: absolute;
    z-index: 30;
    margin-top: 2px;
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 3px;
    display: grid;
  }
  .menu button {
    min-height: 28px;
    padding: 0 12px;
    text-align: left;
  }
  .menu button:hover {
    background: var(--raised);
  }
  .typing {
    cursor: text;
    color: var(--text);
    font: inherit;
  }
  .unit {
    color: var(--quiet);
    margin-left: 3px;
    font-size: 12px;
  }
</style>
