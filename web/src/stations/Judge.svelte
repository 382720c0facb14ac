<script lang="ts">
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import NumberField from '../parts/NumberField.svelte';
  import { FOCAL } from '../view/lens';
  let { ui, session }: { ui: UI; session: Session } = $props();
  const looks = [
    { name: 'Quay, evening', light: 312, exposure: 1, background: false, blur: 0.6 },
    { name: 'Boathouse door', light: 200, exposure: 1.1, background: true, blur: 0.75 },
    { name: 'Against the sun', light: 95, exposure: 0.9, background: true, blur: 0.5 },
    { name: 'Dull morning', light: 20, exposure: 0.6, background: true, blur: 1 },
  ];
  const channels = $derived(session.about.channels!);
  function alone(what: string) {
    ui.alone = what;
    session.alone(what === 'height' ? 'height' : '');
  }
  function sharpness(v: number) {
    ui.look.sharpness = v;
    localStorage.setItem('sharpness', String(v));
  }
  function maps(v: number) {
    ui.look.maps = v;
    localStorage.setItem('maps', String(v));
  }
</script>

<section class="flex flex-wrap items-center gap-x-4 gap-y-2 p-3">
  <div class="flex gap-2" role="group" aria-label="Looks">
    {#each looks as l (l.name)}
      <button
        class="chip"
        onclick={() =>
          Object.assign(ui.look, { light: l.light, exposure: l.exposure, background: l.background, blur: l.blur })}
        >{l.name}</button
      >
    {/each}
  </div>
  <div class="fields">
    <span class="quiet">light</span><NumberField
      label="Light"
      value={ui.look.light}
      min={0}
      max={360}
      unit="°"
      fallback={312}
      preview={(v) => (ui.look.light = v)}
      commit={(v) => (ui.look.light = v)}
    />
    <span class="quiet">exposure</span><NumberField
      label="Exposure"
      value={ui.look.exposure}
      min={0.1}
      max={4}
      log
      fallback={1}
      preview={(v) => (ui.look.exposure = v)}
      commit={(v) => (ui.look.exposure = v)}
    />
    <span class="quiet">blur</span><NumberField
      label="Background blur"
      value={ui.look.blur}
      min={0}
      max={1}
      fallback={0.6}
      preview={(v) => (ui.look.blur = v)}
      commit={(v) => (ui.look.blur = v)}
    />
  </div>
  <div class="flex items-center gap-1.5" title="What is looked at stays as large; none of it reaches a delivered map">
    <span class="quiet">lens</span>
    <span class="w-20"
      ><NumberField
        label="Focal length"
        value={ui.look.focal}
        min={14}
        max={300}
        unit="mm"
        log
        fallback={FOCAL}
        preview={(v) => ((ui.look.focal = v), (ui.look.flat = false))}
        commit={(v) => ((ui.look.focal = v), (ui.look.flat = false))}
      /></span
    >
    <label class="whitespace-nowrap"><input type="checkbox" bind:checked={ui.look.flat} /> flat</label>
  </div>
  <label class="whitespace-nowrap"><input type="checkbox" bind:checked={ui.look.background} /> background</label>
  <label class="whitespace-nowrap"><input type="checkbox" bind:checked={ui.look.shadows} /> shadows</label>
  <label class="whitespace-nowrap" title="Fewer drawn pixels suit machines without a graphics card">
    <span class="quiet">sharpness</span>
    <select class="pick" value={ui.look.sharpness} onchange={(e) => sharpness(Number(e.currentTarget.value))}>
      {#each [1, 0.75, 0.5] as v (v)}<option value={v}>{v * 100} %</option>{/each}
    </select>
  </label>
  <label
    class="whitespace-nowrap"
    title="What the maps of all sheets may take on the graphics card; what does not fit is shown less finely"
  >
    <span class="quiet">room for maps</span>
    <select class="pick" value={ui.look.maps} onchange={(e) => maps(Number(e.currentTarget.value))}>
      <option value={0}>as suits</option>
      {#each [64, 128, 256, 512, 1024] as v (v)}
        <option value={v} disabled={v > ui.look.most}
          >{v} MB{v > ui.look.most ? `: this card takes ${ui.look.most} MB` : ''}</option
        >
      {/each}
    </select>
  </label>
  <label class="ml-auto whitespace-nowrap">
    <span class="quiet">channel alone</span>
    <select class="pick" value={ui.alone} onchange={(e) => alone(e.currentTarget.value)}>
      <option value="">none: shaded</option>
      {#each channels as c (c.channel)}<option value={c.channel}>{c.label}</option>{/each}
      <option value="normal">normal</option>
    </select>
  </label>
</section>

<style>
  .fields {
    display: grid;
    grid-template-columns: repeat(3, auto 76px);
    gap: 6px;
    align-items: center;
  }
</style>
