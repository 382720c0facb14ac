<script lang="ts">
  // Saturation and value in a field, hue below it, numbers as they are encoded or
  // as linear light, and a value taken from the model: that of the channel, not
  // what the light makes of it.
  import { css, decode, encode, fromHex, fromHSV, toHex, toHSV } from '../lib/color';
  import type { UI } from '../lib/ui.svelte';
  import Palette from './Palette.svelte';
  import NumberField from './NumberField.svelte';

  interface Props {
    value: number[];
    label: string;
    channel: string;
    ui?: UI;
    place: { left: number; top: number };
    commit: (v: number[]) => void;
    preview?: (v: number[]) => void;
    close: () => void;
  }
  let { value, label, channel, ui, place, commit, preview, close }: Props = $props();
  let dragged = $state.raw<[number, number, number] | null>(null);
  let linear = $state(false);
  // svelte-ignore state_referenced_locally
  let lastHue = $state(toHSV(value)[0]);
  const hsv = $derived.by((): [number, number, number] => {
    if (dragged) return dragged;
    const [h, s, v] = toHSV(value);
    return [s > 0.001 ? h : lastHue, s, v]; // a grey keeps the hue one was at
  });
  const now = $derived(dragged ? fromHSV(...dragged) : value);

  function drag(what: 'field' | 'hue', e: PointerEvent) {
    const el = e.currentTarget as HTMLElement;
    if (e.type === 'pointerdown') el.setPointerCapture(e.pointerId);
    if (!el.hasPointerCapture(e.pointerId)) return;
    const r = el.getBoundingClientRect();
    const x = Math.min(Math.max((e.clientX - r.left) / r.width, 0), 1);
    const y = Math.min(Math.max((e.clientY - r.top) / r.height, 0), 1);
    dragged = what === 'hue' ? [x * 359.9, hsv[1], hsv[2]] : [hsv[0], x, 1 - y];
    lastHue = dragged[0];
    preview?.(fromHSV(...dragged));
  }
  function drop() {
    if (dragged) commit(fromHSV(...dragged));
    dragged = null;
  }
  function nudge(what: 'field' | 'hue', e: KeyboardEvent) {
    const d = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
    if (!d) return;
    e.preventDefault();
    e.stopPropagation();
    const clamp = (v: number) => Math.min(Math.max(v, 0), 1);
    const [h, s, v] = hsv;
    lastHue = what === 'hue' ? (h + d[0] * 3 + 360) % 360 : h;
    commit(what === 'hue' ? fromHSV(lastHue, s, v) : fromHSV(h, clamp(s + d[0] * 0.02), clamp(v + d[1] * 0.02)));
  }
  const shown = (v: number) => (linear ? decode(v) : v);
  const stored = (v: number) => (linear ? encode(v) : v);
  const put = (i: number, v: number) => value.map((o, k) => (k === i ? stored(v) : o));
  function take() {
    if (!ui) return;
    ui.taking = {
      label: `take ${label} from the model`,
      take: (p) => {
        const v = p.values[channel] ?? p.values.baseColor;
        if (v) commit(v.length === 3 ? v : [v[0], v[0], v[0]]);
      },
    };
  }
</script>

<svelte:window
  onkeydown={(e) => e.key === 'Escape' && close()}
  onpointerdown={(e) =>
    !ui?.taking && !(e.target as HTMLElement).closest?.('.picker, [aria-expanded="true"], canvas') && close()}
/>
<div
  class="picker"
  role="dialog"
  aria-label={`Choose ${label}`}
  style:left={`${place.left}px`}
  style:top={`${place.top}px`}
  style:max-height={`calc(100vh - ${place.top + 8}px)`}
>
  <div
    class="field"
    role="slider"
    tabindex="0"
    aria-label="Saturation and value"
    aria-valuenow={Math.round(hsv[1] * 100)}
    aria-valuetext={`saturation ${Math.round(hsv[1] * 100)} %, value ${Math.round(hsv[2] * 100)} %`}
    style:--hue={css(fromHSV(hsv[0], 1, 1))}
    onpointerdown={(e) => drag('field', e)}
    onpointermove={(e) => drag('field', e)}
    onpointerup={drop}
    onkeydown={(e) => nudge('field', e)}
  >
    <span style:left={`${hsv[1] * 100}%`} style:top={`${(1 - hsv[2]) * 100}%`} style:background={css(now)}></span>
  </div>
  <div
    class="hue"
    role="slider"
    tabindex="0"
    aria-label="Hue"
    aria-valuemin={0}
    aria-valuemax={360}
    aria-valuenow={Math.round(hsv[0])}
    onpointerdown={(e) => drag('hue', e)}
    onpointermove={(e) => drag('hue', e)}
    onpointerup={drop}
    onkeydown={(e) => nudge('hue', e)}
  >
    <span style:left={`${(hsv[0] / 360) * 100}%`}></span>
  </div>
  <div class="numbers">
    {#each ['red', 'green', 'blue'] as name, i (name)}
      <NumberField
        label={name}
        value={shown(now[i])}
        min={0}
        max={1}
        preview={(v) => preview?.(put(i, v))}
        commit={(v) => commit(put(i, v))}
      />
    {/each}
  </div>
  <div class="foot">
    <button class="chip" aria-pressed={linear} onclick={() => (linear = !linear)} title="What the three numbers are"
      >{linear ? 'linear light' : 'sRGB-encoded'}</button
    >
    <input
      class="hex"
      aria-label="hex"
      value={toHex(now)}
      onkeydown={(e) => e.stopPropagation()}
      onchange={(e) => {
        const v = fromHex(e.currentTarget.value);
        if (v) commit(v);
      }}
    />
  </div>
  {#if ui}<Palette {ui} {now} {commit} />{/if}
  <div class="foot">
    {#if ui}<button class="chip" aria-pressed={!!ui.taking} onclick={take}>Take from the model</button>{/if}
    <button class="chip ml-auto" onclick={close}>Close</button>
  </div>
</div>

<style>
  .picker {
    position: fixed;
    z-index: 40;
    width: 238px;
    padding: 10px;
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 4px;
    display: grid;
    gap: 8px;
    overflow: auto;
  }
  .field {
    position: relative;
    height: 150px;
    background: linear-gradient(transparent, black), linear-gradient(90deg, white, var(--hue));
    cursor: crosshair;
    touch-action: none;
  }
  .field span {
    position: absolute;
    width: 14px;
    height: 14px;
    translate: -50% -50%;
    border: 2px solid white;
    outline: 1px solid black;
    border-radius: 50%;
    pointer-events: none;
  }
  .hue {
    position: relative;
    height: 28px;
    background: linear-gradient(90deg, red, yellow, lime, cyan, blue, magenta, red);
    cursor: ew-resize;
    touch-action: none;
  }
  .hue span {
    position: absolute;
    top: -2px;
    bottom: -2px;
    width: 3px;
    translate: -50%;
    background: white;
    outline: 1px solid black;
    pointer-events: none;
  }
  .numbers {
    display: grid;
    grid-template-columns: 1fr 1fr 1fr;
    gap: 4px;
  }
  .foot {
    display: flex;
    gap: 6px;
  }
  .hex {
    width: 84px;
    border: 1px solid var(--line);
    border-radius: 3px;
    background: var(--field);
    color: var(--text);
    font: inherit;
    padding: 0 6px;
  }
</style>
