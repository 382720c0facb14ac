<script lang="ts">
  import { Button, Modal, Progressbar } from 'flowbite-svelte';
  import { onMount } from 'svelte';
  import { api, type Deliveries, type FilePreset, type Job, type Order, type PlannedFile } from '../api/client';
  import PresetFiles from '../parts/PresetFiles.svelte';
  import type { Session } from '../lib/session.svelte';

  let {
    session,
    id,
    name,
    jobs,
    refresh,
  }: { session: Session; id: string; name: string; jobs: Job[]; refresh: () => void } = $props();
  let known = $state.raw<Deliveries>({ presets: [], kept: [], sources: [] });
  /** what is written: one of the known ones, or changed */
  let preset = $state.raw<FilePreset | null>(null);
  let editing = $state(false);
  let size = $state(0);
  async function load(name?: string) {
    try {
      known = await api.presets(id);
      preset = known.presets!.find((p) => p.name === name) ?? preset ?? known.presets![0];
    } catch (e) {
      error = (e as Error).message;
    }
  }
  onMount(() => load());
  const ours = $derived((known.presets?.length ?? 0) - (known.kept?.length ?? 0));
  const same = (a: FilePreset, b: FilePreset) => JSON.stringify(a) === JSON.stringify(b);
  const changed = $derived(!!preset && !known.presets!.some((p) => same(p, preset!)));
  /** Keeps the changed preset in the stock, under its name; one of the same name there is changed. */
  async function keep() {
    const i = known.presets!.findIndex((p, k) => k >= ours && p.name === preset!.name);
    try {
      await api.keepPreset(preset!, i < 0 ? '' : known.kept![i - ours]);
      await load(preset!.name);
    } catch (e) {
      error = (e as Error).message;
    }
  }
  function copy() {
    preset = { ...preset!, name: `${preset!.name}, mine` };
    editing = true;
  }
  let sheets = $state<string[]>([]);
  let plan = $state.raw<PlannedFile[]>([]);
  let error = $state('');
  let table = $state(false);
  const names = $derived(Object.keys(session.doc?.sheets ?? {}));
  const order = $derived<Order>({
    maps: [],
    glb: false,
    sheets,
    preset: preset ? { ...preset, size: size || preset.size, share: size ? 0 : preset.share } : undefined,
    project: name,
  });
  $effect(() => {
    const o = $state.snapshot(order) as Order;
    void session.doc;
    if (!o.preset) return;
    api.plan(id, o).then(
      (p) => ((plan = p), (error = '')),
      (e) => ((plan = []), (error = e.message)),
    );
  });
  const mb = (n: number) => (n > 1e6 ? `${(n / 1e6).toFixed(1)} MB` : `${Math.ceil(n / 1000)} kB`);
  const toggle = (list: string[], v: string) => (list.includes(v) ? list.filter((x) => x !== v) : [...list, v]);
  async function start() {
    table = false;
    await api.deliver(id, $state.snapshot(order) as Order).catch((e) => (error = e.message));
    refresh();
  }
</script>

<div class="flex h-full flex-col overflow-auto p-3">
  <h2 class="mb-2 font-semibold">Delivery presets</h2>
  {#each known.presets ?? [] as p, i (i)}
    <button
      class="chip preset"
      class:own={i >= ours}
      title={p.note}
      aria-pressed={preset?.name === p.name}
      onclick={() => (preset = p)}>{p.name}</button
    >
  {/each}
  <div class="mt-1 flex flex-wrap gap-2">
    <button class="chip" onclick={() => (editing = true)}>What is written …</button>
    <button class="chip" onclick={copy}>Copy</button>
    {#if changed}<button class="chip" onclick={keep}>Keep in the stock</button>{/if}
  </div>
  <h2 class="mt-3 mb-1 font-semibold">Sheets</h2>
  {#each names as s (s)}
    <label
      ><input
        type="checkbox"
        checked={!sheets.length || sheets.includes(s)}
        onchange={() => (sheets = toggle(sheets.length ? sheets : names, s))}
      />
      {s}</label
    >
  {/each}
  <label class="mt-2 flex items-center gap-2"
    >size
    <select class="pick" bind:value={size}>
      <option value={0}>each sheet's own</option>
      {#each [256, 512, 1024, 2048, 4096] as n (n)}<option value={n}>{n}</option>{/each}
    </select>
  </label>
  {#if error}<p class="mt-2 border-l-4 pl-2" style:border-color="var(--brick)" role="alert">{error}</p>{/if}
  <p class="quiet mt-3">{plan.length} files, about {mb(plan.reduce((n, f) => n + f.estimate, 0))}</p>
  <div class="mt-1 flex gap-2">
    <button class="chip" disabled={!plan.length} onclick={() => (table = true)}>Show the table</button>
    <Button size="sm" color="primary" disabled={!plan.length} onclick={start}>Deliver</Button>
  </div>
  <h2 class="mt-4 mb-1 font-semibold">Deliveries</h2>
  {#each jobs as j (j.id)}
    <article class="job" data-state={j.state}>
      <div class="flex items-center gap-2">
        <span class="grow"
          >{new Date(j.at).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' })} · {j.state}</span
        >
        {#if j.state === 'running' || j.state === 'waiting'}
          <button class="chip" onclick={() => api.cancel(j.id).then(refresh)}>Cancel</button>
        {:else if j.state === 'done'}
          <a class="chip grid place-content-center" href={`/api/jobs/${j.id}/files/all.zip`} download>All as zip</a>
        {/if}
      </div>
      {#if j.state === 'running'}<Progressbar progress={Math.round(j.progress * 100)} size="h-1.5" color="primary" />
        <p class="quiet truncate text-xs">{j.note}</p>{/if}
      {#if j.state === 'failed'}<p style:color="var(--brick)">{j.note}</p>{/if}
      {#each j.files ?? [] as f (f.name)}
        <a class="file" href={`/api/jobs/${j.id}/files/${f.name}`} download
          >{f.name}<span class="quiet">{mb(f.size)}</span></a
        >
      {/each}
    </article>
  {:else}
    <p class="quiet">Nothing has been delivered yet.</p>
  {/each}
</div>
<Modal bind:open={editing} title="What a preset writes" aria-label="What a preset writes" size="xl">
  {#if preset}
    <div class="flex flex-wrap gap-3">
      <label
        >name <input
          class="text"
          aria-label="Name of the preset"
          value={preset.name}
          oninput={(e) => (preset = { ...preset!, name: e.currentTarget.value })}
        /></label
      >
      <label title={'{project} {model} {sheet} {udim} {map} {size}'}
        >file names <input
          class="text wide"
          aria-label="Names of files"
          placeholder={'{model}_{sheet}_{map}'}
          value={preset.pattern ?? ''}
          oninput={(e) => (preset = { ...preset!, pattern: e.currentTarget.value })}
        /></label
      >
      <label
        >around islands
        <select
          class="pick"
          aria-label="Around islands"
          value={preset.padding ?? 0}
          onchange={(e) => (preset = { ...preset!, padding: Number(e.currentTarget.value) })}
        >
          <option value={0}>filled to the border</option>
          {#each [2, 4, 8, 16, 32] as v (v)}<option value={v}>{v} texels</option>{/each}
          <option value={-1}>nothing</option>
        </select></label
      >
      <label
        ><input type="checkbox" checked={!!preset.glb} onchange={() => (preset = { ...preset!, glb: !preset!.glb })} /> GLB
        with its maps</label
      >
    </div>
    <PresetFiles {preset} sources={known.sources ?? []} change={(p) => (preset = p)} />
    {#if error}<p class="border-l-4 pl-2" style:border-color="var(--brick)" role="alert">{error}</p>
    {:else if plan.length}<p class="quiet" aria-label="An example">
        {plan[0].name}: {plan[0].packing}, {plan[0].encoding}, {plan[0].depth} bits
      </p>{/if}
    {#if changed}<Button size="sm" color="primary" onclick={keep}>Keep in the stock</Button>{/if}
  {/if}
</Modal>
<Modal bind:open={table} title="What will be written" aria-label="What will be written" size="xl">
  <table class="w-full text-sm">
    <thead
      ><tr class="quiet text-left"
        ><th>sheet</th><th>map</th><th>channels</th><th>encoding</th><th>bits</th><th>size</th><th>file</th><th
          class="text-right">about</th
        ></tr
      ></thead
    >
    <tbody>
      {#each plan as f (f.name)}
        <tr class="border-t" style:border-color="var(--line)"
          ><td>{f.sheet}</td><td>{f.map}</td><td class="quiet">{f.packing}</td><td>{f.encoding}</td><td>{f.depth}</td
          ><td>{f.size || ''}</td><td>{f.name}</td><td class="text-right">{mb(f.estimate)}</td></tr
        >
      {/each}
    </tbody>
  </table>
  <p class="quiet">Where to: your browser's download folder, file by file or as one zip.</p>
  <Button size="sm" color="primary" onclick={start}>Deliver {plan.length} files</Button>
</Modal>

<style>
  label {
    min-height: 26px;
  }
  .preset {
    margin-bottom: 4px;
    text-align: left;
    white-space: normal;
  }
  .preset[aria-pressed='true'] {
    box-shadow: inset 3px 0 var(--plum);
  }
  .own {
    font-style: italic;
  }
  .text {
    background: var(--field);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 2px 6px;
    font: inherit;
  }
  .wide {
    width: 22em;
  }
  .job {
    border-top: 1px solid var(--line);
    padding: 6px 0;
  }
  .file {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    font-size: 12.5px;
    padding: 2px 0;
    overflow-wrap: anywhere;
    color: var(--text);
  }
  .file:hover {
    color: var(--plum);
  }
</style>
