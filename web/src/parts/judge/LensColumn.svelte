<script lang="ts">
  // The lens and how the picture is toned and drawn: for looking, none of it reaches a map.
  import type { Session } from '../../lib/session.svelte';
  import type { Tone } from '../../lib/look.svelte';
  import type { UI } from '../../lib/ui.svelte';
  import { FOCAL } from '../../view/lens';
  import NumberField from '../NumberField.svelte';
  let { ui, session }: { ui: UI; session: Session } = $props();
  const { look } = $derived(ui);
  const channels = $derived(session.about.channels!);
  function alone(what: string) {
    ui.alone = what;
    session.alone(what === 'height' ? 'height' : '');
  }
  function keep(what: 'sharpness' | 'maps', v: number) {
    look[what] = v;
    localStorage.setItem(what, String(v));
  }
</script>

<div title="What is looked at stays as large; none of it reaches a delivered map">
  <h2 class="mb-1 font-semibold">Lens <span class="quiet font-normal">none of it reaches a delivered map</span></h2>
  <div class="fields">
    <span class="quiet">focal</span><NumberField
      label="Focal length"
      value={look.focal}
      min={14}
      max={300}
      unit="mm"
      log
      fallback={FOCAL}
      preview={(v) => ((look.focal = v), (look.flat = false))}
      commit={(v) => ((look.focal = v), (look.flat = false))}
    />
    <label class="whitespace-nowrap"><input type="checkbox" bind:checked={look.flat} /> flat</label>
    <label class="whitespace-nowrap">
      <span class="quiet">tones</span>
      <select
        class="pick"
        aria-label="Tones"
        value={look.tone}
        onchange={(e) => (look.tone = e.currentTarget.value as Tone)}
      >
        <option value="filmic">filmic</option>
        <option value="neutral">neutral</option>
        <option value="none">none</option>
      </select>
    </label>
    <span class="quiet">f-stop</span><NumberField
      label="F-stop"
      value={look.fStop}
      min={0}
      max={32}
      nought="all sharp"
      fallback={0}
      preview={(v) => (look.fStop = v)}
      commit={(v) => (look.fStop = v)}
    />
    <button
      class="chip whitespace-nowrap"
      aria-pressed={ui.focusing}
      title="Click what is to be sharp"
      onclick={() => (ui.focusing = !ui.focusing)}>pick focus</button
    >
    <NumberField
      label="Focus"
      value={look.focus}
      min={0}
      max={100}
      unit="m"
      nought="the middle"
      fallback={0}
      preview={(v) => (look.focus = v)}
      commit={(v) => (look.focus = v)}
    />
    <span class="quiet">vignette</span><NumberField
      label="Vignette"
      value={look.vignette}
      min={0}
      max={1}
      fallback={0}
      preview={(v) => (look.vignette = v)}
      commit={(v) => (look.vignette = v)}
    />
    <span class="quiet text-right">grain</span><NumberField
      label="Grain"
      value={look.grain}
      min={0}
      max={1}
      fallback={0}
      preview={(v) => (look.grain = v)}
      commit={(v) => (look.grain = v)}
    />
  </div>
  <div class="mt-1.5 flex flex-wrap items-center gap-x-3 gap-y-1">
    <label class="whitespace-nowrap">
      <span class="quiet">channel alone</span>
      <select class="pick" value={ui.alone} onchange={(e) => alone(e.currentTarget.value)}>
        <option value="">none: shaded</option>
        {#each channels as c (c.channel)}<option value={c.channel}>{c.label}</option>{/each}
        <option value="normal">normal</option>
      </select>
    </label>
    <label class="whitespace-nowrap" title="Fewer drawn pixels suit machines without a graphics card">
      <span class="quiet">sharpness</span>
      <select class="pick" value={look.sharpness} onchange={(e) => keep('sharpness', Number(e.currentTarget.value))}>
        {#each [1, 0.75, 0.5] as v (v)}<option value={v}>{v * 100} %</option>{/each}
      </select>
    </label>
    <label
      class="whitespace-nowrap"
      title="What the maps of all sheets may take on the graphics card; what does not fit is shown less finely"
    >
      <span class="quiet">room for maps</span>
      <select class="pick" value={look.maps} onchange={(e) => keep('maps', Number(e.currentTarget.value))}>
        <option value={0}>as suits</option>
        {#each [64, 128, 256, 512, 1024] as v (v)}
          <option value={v} disabled={v > look.most}
            >{v} MB{v > look.most ? `: this card takes ${look.most} MB` : ''}</option
          >
        {/each}
      </select>
    </label>
  </div>
</div>

<style>
  .fields {
    display: grid;
    grid-template-columns: auto minmax(56px, 1fr) auto minmax(70px, 1fr);
    gap: 4px 8px;
    align-items: center;
  }
</style>
