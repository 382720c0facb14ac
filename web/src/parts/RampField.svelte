<script lang="ts">
  // A ramp: stops along the greys. Drag a stop sideways, click the bar for a new
  // one; the chosen stop's place and colour stand below.
  import { css } from '../lib/color';
  import type { UI } from '../lib/ui.svelte';
  import ColorField from './ColorField.svelte';
  import NumberField from './NumberField.svelte';

  interface Props {
    value: number[][];
    label: string;
    between: string;
    ui: UI;
    preview: (v: number[][]) => void;
    commit: (v: number[][]) => void;
  }
  let { value, label, between, ui, preview, commit }: Props = $props();
  let at = $state(0);
  let dragged = $state.raw<number[][] | null>(null);
  let bar: HTMLElement;
  const stops = $derived(dragged ?? value);
  const chosen = $derived(Math.min(at, stops.length - 1));
  const color = (s: number[]) => css(s.slice(1));
  const picture = $derived(
    stops.length < 2
      ? color(stops[0])
      : `linear-gradient(90deg, ${stops
          .flatMap((s, i) => {
            const here = `${color(s)} ${s[0] * 100}%`;
            return between === 'steps' && i + 1 < stops.length
              ? [here, `${color(s)} ${stops[i + 1][0] * 100}%`]
              : [here];
          })
          .join(', ')})`,
  );

  const share = (e: PointerEvent | MouseEvent) => {
    const r = bar.getBoundingClientRect();
    return Math.min(Math.max((e.clientX - r.left) / r.width, 0), 1);
  };
  /** stop i at x, kept between its neighbours */
  const moved = (i: number, x: number) =>
    value.map((s, k) =>
      k === i ? [Math.min(Math.max(x, value[i - 1]?.[0] ?? 0), value[i + 1]?.[0] ?? 1), ...s.slice(1)] : s,
    );
  function drag(e: PointerEvent, i: number) {
    const el = e.currentTarget as HTMLElement;
    if (e.type === 'pointerdown') el.setPointerCapture(e.pointerId);
    if (!el.hasPointerCapture(e.pointerId)) return;
    at = i;
    if (e.type === 'pointermove') preview((dragged = moved(i, share(e))));
  }
  function drop() {
    if (dragged) commit(dragged);
    dragged = null;
  }
  function insert(e: MouseEvent) {
    const x = share(e);
    let i = value.findIndex((s) => s[0] > x);
    if (i < 0) i = value.length;
    const [a, b] = [value[Math.max(i - 1, 0)], value[Math.min(i, value.length - 1)]];
    const t = b[0] > a[0] ? (x - a[0]) / (b[0] - a[0]) : 0;
    at = i;
    commit([...value.slice(0, i), [x, ...[1, 2, 3].map((c) => a[c] + (b[c] - a[c]) * t)], ...value.slice(i)]);
  }
  const recolor = (c: number[]) => value.map((s, k) => (k === chosen ? [s[0], ...c] : s));
</script>

<div class="ramp" role="group" aria-label={label}>
  <div class="stops">
    {#each stops as s, i (i)}
      <button
        class:chosen={i === chosen}
        aria-label={`Stop ${i + 1} at ${Math.round(s[0] * 100)} %`}
        style:left={`${s[0] * 100}%`}
        onpointerdown={(e) => drag(e, i)}
        onpointermove={(e) => drag(e, i)}
        onpointerup={drop}
        onclick={() => (at = i)}><span style:background={color(s)}></span></button
      >
    {/each}
  </div>
  <!-- svelte-ignore a11y_click_events_have_key_events -->
  <div
    class="bar"
    bind:this={bar}
    role="presentation"
    style:background={picture}
    onclick={insert}
    title="Click for another stop"
  ></div>
  <div class="one">
    <NumberField
      label="place of the stop"
      value={stops[chosen][0]}
      min={0}
      max={1}
      scale={100}
      unit="%"
      commit={(v) => commit(moved(chosen, v))}
    />
    <ColorField
      label="colour of the stop"
      {ui}
      value={stops[chosen].slice(1)}
      preview={(c) => preview(recolor(c))}
      commit={(c) => commit(recolor(c))}
    />
    <button
      class="chip"
      disabled={value.length < 2}
      aria-label="Delete the stop"
      title="Delete the stop"
      onclick={() => commit(value.filter((_, k) => k !== chosen))}>✕</button
    >
  </div>
</div>

<style>
  .ramp {
    grid-column: 1 / -1;
    min-width: 250px;
  }
  .bar {
    height: 22px;
    border: 1px solid var(--line);
    cursor: copy;
  }
  .stops {
    position: relative;
    height: 22px;
    margin: 0 1px;
  }
  .stops button {
    position: absolute;
    bottom: 0;
    width: 18px;
    height: 22px;
    translate: -50%;
    display: grid;
    place-items: end center;
    cursor: ew-resize;
    touch-action: none;
  }
  .stops span {
    width: 12px;
    height: 15px;
    border: 1px solid var(--quiet);
  }
  .stops .chosen span {
    border: 2px solid var(--plum);
    height: 19px;
  }
  .one {
    display: grid;
    grid-template-columns: 70px 1fr 30px;
    gap: 4px;
    margin-top: 4px;
  }
  .one .chip {
    padding: 0;
  }
</style>
