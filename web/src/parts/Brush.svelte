<script lang="ts">
  // The brush, with a drawn preview of a stroke as it will be.
  import type { Session } from '../lib/session.svelte';
  import type { Target, UI } from '../lib/ui.svelte';
  import ColorField from './ColorField.svelte';
  import NumberField from './NumberField.svelte';

  let { session, ui, t }: { session: Session; ui: UI; t: Target } = $props();
  const b = $derived(ui.brush);
  const inMask = $derived(t.channels.includes('mask'));
  let canvas: HTMLCanvasElement;

  $effect(() => {
    const g = canvas.getContext('2d')!;
    const [w, h] = [canvas.width, canvas.height];
    const rgb = inMask ? Array(3).fill(b.mask * 255) : b.color.map((v) => v * 255);
    const img = g.createImageData(w, h);
    for (let y = 0; y < h; y++) {
      for (let x = 0; x < w; x++) {
        const s = Math.min(Math.max((x - 16) / (w - 32), 0), 1);
        const p = b.penSize || b.penFlow ? Math.sin(Math.PI * (0.08 + 0.84 * s)) : 1;
        const r = (h / 2 - 8) * (b.penSize ? Math.max(p, 0.02) : 1);
        const d = Math.hypot(x - (16 + s * (w - 32)), y - h / 2 - Math.sin(s * 6) * 3) / r;
        const u = Math.min(Math.max((d - b.hardness) / (1.001 - b.hardness), 0), 1);
        const a = (1 - u * u * (3 - 2 * u)) * b.strength * (b.penFlow ? p : 1);
        img.data.set([...rgb.map((c) => 110 + (c - 110) * a), 255], (y * w + x) * 4);
      }
    }
    g.putImageData(img, 0, 0);
  });
</script>

<section class="brush" aria-label="Brush">
  <div class="flex items-center gap-2">
    <h3 class="font-semibold">{ui.tool === 'erase' ? 'Eraser' : 'Brush'}</h3>
    <span class="quiet truncate text-xs">{t.text}</span>
  </div>
  <canvas bind:this={canvas} width="220" height="24" aria-label="Preview of a stroke"></canvas>
  <div class="grid">
    <span class="quiet">size</span>
    <NumberField
      label="Brush size"
      value={b.size}
      min={0.0002}
      max={0.5}
      log
      unit="mm"
      scale={2000}
      fallback={0.008}
      commit={(v) => (b.size = v)}
      preview={(v) => (b.size = v)}
    />
    <span class="quiet">strength</span>
    <NumberField
      label="Strength"
      value={b.strength}
      min={0}
      max={1}
      unit="%"
      scale={100}
      fallback={1}
      commit={(v) => (b.strength = v)}
      preview={(v) => (b.strength = v)}
    />
    <span class="quiet">hardness</span>
    <NumberField
      label="Hardness"
      value={b.hardness}
      min={0}
      max={1}
      unit="%"
      scale={100}
      fallback={0.4}
      commit={(v) => (b.hardness = v)}
      preview={(v) => (b.hardness = v)}
    />
    {#if inMask}
      <span class="quiet">leaves</span>
      <span class="flex gap-1">
        <button class="chip" aria-pressed={b.mask < 0.5} class:on={b.mask < 0.5} onclick={() => (b.mask = 0)}
          >hide</button
        >
        <button class="chip" aria-pressed={b.mask >= 0.5} class:on={b.mask >= 0.5} onclick={() => (b.mask = 1)}
          >show</button
        >
      </span>
    {/if}
    {#each session.channels.filter((c) => t.channels.includes(c.channel) && c.channel !== 'normal') as c (c.channel)}
      <span class="quiet">{c.label}</span>
      {#if c.channel === 'baseColor'}
        <ColorField label="Brush color" {ui} value={b.color} commit={(v) => (b.color = v)} />
      {:else if c.channel === 'emissive'}
        <ColorField
          label="Brush emissive"
          channel="emissive"
          {ui}
          value={b.emissive}
          commit={(v) => (b.emissive = v)}
        />
      {:else if c.components === 3}
        <span class="quiet">the brush's color</span>
      {:else}
        <NumberField
          label={`Brush ${c.label}`}
          value={b.values[c.channel] ?? 0}
          min={c.channel === 'height' ? -0.002 : c.min}
          max={c.channel === 'height' ? 0.002 : c.max}
          unit={c.unit}
          scale={c.scale}
          commit={(v) => (b.values[c.channel] = v)}
        />
      {/if}
    {/each}
    <span class="quiet">pen drives</span>
    <span class="flex gap-3">
      <label><input type="checkbox" bind:checked={b.penSize} /> size</label>
      <label><input type="checkbox" bind:checked={b.penFlow} /> strength</label>
    </span>
  </div>
</section>

<style>
  .brush {
    flex: none;
    width: 410px;
    border: 1px solid var(--verdigris);
    border-radius: 4px;
    background: var(--raised);
    padding: 4px 8px;
    margin-left: auto;
    overflow: auto;
  }
  canvas {
    width: 100%;
    height: 24px;
    border-radius: 3px;
    margin-bottom: 4px;
  }
  .grid {
    display: grid;
    grid-template-columns: auto 1fr auto 1fr;
    gap: 3px 7px;
    align-items: center;
    font-size: 12.5px;
  }
  .on {
    border-color: var(--verdigris);
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
