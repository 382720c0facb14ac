<script lang="ts">
  import { Button, Modal, Progressbar } from 'flowbite-svelte';
  import { onMount, untrack } from 'svelte';
  import { api, type DeliveryNote, type Job, type Since } from '../api/client';
  import { LineUp } from '../lib/lineup.svelte';
  import { bytes, Ordering } from '../lib/ordering.svelte';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import PresetFiles from '../parts/PresetFiles.svelte';

  let {
    session,
    ui,
    id,
    name,
    jobs,
    refresh,
  }: { session: Session; ui: UI; id: string; name: string; jobs: Job[]; refresh: () => void } = $props();
  // svelte-ignore state_referenced_locally
  const o = new Ordering(id, name);
  onMount(() => {
    ui.ordering = o;
    void o.load();
    return () => {
      ui.ordering = null;
      if (ui.lineup?.title === 'Delivered') ui.lineup = null;
    };
  });
  let editing = $state(false);
  const names = $derived(Object.keys(session.doc?.sheets ?? {}));
  const order = $derived(o.order);
  let timer = 0;
  $effect(() => {
    const now = $state.snapshot(order) as typeof order;
    void session.doc;
    clearTimeout(timer);
    timer = window.setTimeout(() => void o.look(now), 60);
  });
  const finished = $derived(jobs.filter((j) => j.state === 'done').length);
  $effect(() => {
    void finished;
    void o.list();
    if (untrack(() => o.folder)) void o.look(untrack(() => order)); // what is in the folder now
  });
  const toggle = (list: string[], v: string) => (list.includes(v) ? list.filter((x) => x !== v) : [...list, v]);
  const kinds: [string, string, string][] = [
    ['glb', 'GLB', 'glTF 2.0 in one file; into the file that came in, where that was one'],
    ['gltf', 'glTF', 'with its buffer and pictures beside it'],
    ['obj', 'OBJ', 'with its materials (MTL) and pictures beside it'],
    ['usda', 'USD text', 'UsdPreviewSurface, pictures beside it'],
    ['usdz', 'USDZ', 'USD in one file'],
    ['mtlx', 'MaterialX', 'OpenPBR surfaces, without geometry'],
  ];
  const scene = (k: string) =>
    (o.preset = {
      ...o.preset!,
      scenes: kinds.map(([n]) => n).filter((n) => toggle(o.preset!.scenes ?? [], k).includes(n)) as never,
    });
  function copy() {
    o.preset = { ...o.preset!, name: `${o.preset!.name}, mine` };
    editing = true;
  }
  let back = $state.raw<{ name: string; bring: () => Promise<void> } | null>(null);
  async function drop(i: number) {
    const gone = o.known.presets![i].name;
    try {
      back = { name: gone, bring: await o.dropPreset(i) };
    } catch (e) {
      o.error = (e as Error).message;
    }
  }
  async function start() {
    await api.deliver(id, $state.snapshot(order) as typeof order).catch((e) => (o.error = e.message));
    refresh();
  }
  /** the delivery of which is asked what would change */
  let since = $state.raw<{ note: DeliveryNote; says: Since | null } | null>(null);
  async function ask(note: DeliveryNote) {
    if (since?.note.id === note.id) return void (since = null);
    since = { note, says: null };
    try {
      const says = await api.since(id, note.id);
      if (since?.note === note) since = { note, says };
    } catch (e) {
      o.error = (e as Error).message;
      since = null;
    }
  }
  async function again(note: DeliveryNote) {
    since = null;
    await api.deliverAgain(id, note.id).catch((e) => (o.error = e.message));
    refresh();
  }
  function beside(note: DeliveryNote) {
    ui.lineup = new LineUp(
      'Delivered',
      [{ label: 'as it is here' }, { label: 'delivered', delivered: note }],
      'divided',
    );
    void o.compare(note);
  }
  const noteOf = (j: Job) => o.notes.find((n) => n.id === j.id);
  const listed = $derived(new Set(jobs.map((j) => j.id)));
  const time = (at: string) =>
    new Date(at).toLocaleString([], { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });
  const differ = (s: Since, state: string) => (s.files ?? []).filter((f) => f.state === state);
</script>

<div class="flex h-full flex-col overflow-auto p-3">
  <h2 class="mb-2 font-semibold">Delivery presets</h2>
  {#each o.known.presets ?? [] as p, i (i)}
    <div class="preset">
      <button
        class="chip grow"
        class:own={i >= o.ours}
        title={p.note}
        aria-pressed={o.preset?.name === p.name}
        onclick={() => (o.preset = p)}>{p.name}</button
      >
      {#if i >= o.ours}<button class="chip" aria-label={`Take ${p.name} out of the stock`} onclick={() => drop(i)}
          >✕</button
        >{/if}
    </div>
  {/each}
  {#if back}<p class="quiet">
      {back.name} is out of the stock.
      <button class="chip" onclick={() => void back!.bring().then(() => (back = null))}>Bring it back</button>
    </p>{/if}
  <div class="mt-1 flex flex-wrap gap-2">
    <button class="chip" onclick={() => (editing = true)}>What is written …</button>
    <button class="chip" onclick={copy}>Copy</button>
    {#if o.changed}<button class="chip" onclick={() => o.keep()}>Keep in the stock</button>{/if}
  </div>
  {#if o.preset}
    <h2 class="mt-3 mb-1 font-semibold">The model with its maps</h2>
    <div class="flex flex-wrap gap-1" role="group" aria-label="The model with its maps">
      {#each kinds as [k, label, help] (k)}
        <button
          class="chip"
          title={help}
          aria-pressed={(o.preset.scenes ?? []).includes(k as never)}
          onclick={() => scene(k)}>{label}</button
        >
      {/each}
    </div>
    {#if o.preset.scenes?.length}<label
        class="mt-1 flex items-center gap-2"
        title="How much brighter than white the emissive channel is there"
        >emissive strength
        <input
          class="text short"
          type="number"
          min="0"
          max="10000"
          step="0.5"
          aria-label="Emissive strength"
          value={o.preset.glow || 1}
          onchange={(e) => (o.preset = { ...o.preset!, glow: Number(e.currentTarget.value) })}
        /></label
      >{/if}
  {/if}
  <h2 class="mt-3 mb-1 font-semibold">Sheets</h2>
  {#each names as s (s)}
    <label
      ><input
        type="checkbox"
        checked={!o.sheets.length || o.sheets.includes(s)}
        onchange={() => (o.sheets = toggle(o.sheets.length ? o.sheets : names, s))}
      />
      {s}</label
    >
  {/each}
  <label class="mt-2 flex items-center gap-2"
    >size
    <select class="pick" bind:value={o.size}>
      <option value={0}>{o.preset?.size || o.preset?.share ? 'as the preset says' : "each sheet's own"}</option>
      <option value={-2}>half of its own</option>
      <option value={-4}>a quarter</option>
      <option value={-8}>an eighth</option>
      {#each [128, 256, 512, 1024, 2048, 4096, 8192] as n (n)}<option value={n}>{n}</option>{/each}
    </select>
  </label>
  {#if o.known.folders}
    <label class="mt-1 flex items-center gap-2"
      >folder
      <input
        class="text grow"
        aria-label="Folder on the server"
        placeholder="none: to your browser alone"
        bind:value={o.folder}
      /></label
    >
  {/if}
  {#if o.error}<p class="mt-2 border-l-4 pl-2" style:border-color="var(--brick)" role="alert">{o.error}</p>{/if}
  <p class="quiet mt-3">
    {o.plan.length} files, about {bytes(o.plan.reduce((n, f) => n + f.estimate, 0))}{o.warnings?.length
      ? `, ${o.warnings.length} to know`
      : ''}
  </p>
  <div class="mt-1 flex gap-2">
    <button class="chip" aria-pressed={o.open} disabled={!o.plan.length} onclick={() => (o.open = !o.open)}
      >{o.open ? 'Hide the table' : 'Show the table'}</button
    >
    <Button size="sm" color="primary" disabled={!o.plan.length} onclick={start}>Deliver</Button>
  </div>
  <h2 class="mt-4 mb-1 font-semibold">Deliveries</h2>
  {#each jobs as j (j.id)}
    {@const note = noteOf(j)}
    <article class="job" data-state={j.state}>
      <div class="flex items-center gap-2">
        <span class="grow">{time(j.at)} · {j.state}{note ? `, after entry ${note.seq}` : ''}</span>
        {#if j.state === 'running' || j.state === 'waiting'}
          <button class="chip" onclick={() => api.cancel(j.id).then(refresh)}>Cancel</button>
        {:else if j.state === 'done'}
          <a class="chip grid place-content-center" href={`/api/jobs/${j.id}/files/all.zip`} download>All as zip</a>
        {/if}
      </div>
      <p class="quiet truncate text-xs">{j.label}</p>
      {#if j.state === 'running'}<Progressbar progress={Math.round(j.progress * 100)} size="h-1.5" color="primary" />
        <p class="quiet truncate text-xs">{j.note}</p>{/if}
      {#if j.state === 'done' && j.note}<p class="quiet text-xs">{j.note}</p>{/if}
      {#if j.state === 'failed'}<p style:color="var(--brick)">{j.note}</p>{/if}
      {#if note && j.state === 'done'}
        {@render deeds(note)}
        <details>
          <summary>{(j.files ?? []).length} files</summary>
          {#each j.files ?? [] as f (f.name)}
            <a class="file" href={`/api/jobs/${j.id}/files/${f.name}`} download title={`SHA-256 ${f.blob}`}
              >{f.name}<span class="quiet">{bytes(f.size)}</span></a
            >
          {/each}
        </details>
      {/if}
    </article>
  {/each}
  {#each o.notes.filter((n) => !listed.has(n.id)) as n (n.id)}
    <article class="job">
      <span>{time(n.at)} · {n.order.preset?.name ?? 'maps'}, after entry {n.seq}</span>
      <p class="quiet text-xs">its files are not here any more: {(n.files ?? []).length} of them can be made again</p>
      <button class="chip" onclick={() => ask(n)}>Deliver again …</button>
      {@render told(n)}
    </article>
  {:else}
    {#if !jobs.length}<p class="quiet">Nothing has been delivered yet.</p>{/if}
  {/each}
</div>
{#snippet deeds(note: DeliveryNote)}
  <div class="mt-1 flex flex-wrap gap-1">
    <button class="chip" title="The written files, opened again, beside what is here" onclick={() => beside(note)}
      >Look at it</button
    >
    <button class="chip" onclick={() => ask(note)}>Deliver again …</button>
    <a class="chip grid place-content-center" title="As somebody sees it who receives it" href={`#/target/${note.id}`}
      >Target view</a
    >
  </div>
  {@render told(note)}
{/snippet}
{#snippet told(note: DeliveryNote)}
  {#if since?.note.id === note.id}
    <div class="since" role="status">
      {#if !since.says}<p class="quiet">looking what would change …</p>
      {:else}
        {@const s = since.says}
        {#if differ(s, 'same').length === (s.files ?? []).length}
          <p>All {(s.files ?? []).length} files would be the same.</p>
        {:else}
          {#each [['changed', 'would change'], ['new', 'would be new'], ['gone', 'would not be written any more']] as [state, says] (state)}
            {#if differ(s, state).length}<p>
                {differ(s, state).length}
                {says}:
                <span class="quiet"
                  >{differ(s, state)
                    .map((f) => f.name)
                    .join(', ')}</span
                >
              </p>{/if}
          {/each}
        {/if}
        {#if s.entries}<p class="quiet">
            since then: {(s.labels ?? []).join(' · ')}{s.entries > (s.labels ?? []).length ? ' …' : ''}
          </p>{/if}
        <button class="chip" onclick={() => again(note)}>Deliver again</button>
      {/if}
    </div>
  {/if}
{/snippet}
<Modal bind:open={editing} title="What a preset writes" aria-label="What a preset writes" size="xl">
  {#if o.preset}
    <div class="flex flex-wrap gap-3">
      <label
        >name <input
          class="text"
          aria-label="Name of the preset"
          value={o.preset.name}
          oninput={(e) => (o.preset = { ...o.preset!, name: e.currentTarget.value })}
        /></label
      >
      <label title={'{project} {model} {sheet} {udim} {map} {size}'}
        >file names <input
          class="text wide"
          aria-label="Names of files"
          placeholder={'{model}_{sheet}_{map}'}
          value={o.preset.pattern ?? ''}
          oninput={(e) => (o.preset = { ...o.preset!, pattern: e.currentTarget.value })}
        /></label
      >
      <label
        >around islands
        <select
          class="pick"
          aria-label="Around islands"
          value={o.preset.padding ?? 0}
          onchange={(e) => (o.preset = { ...o.preset!, padding: Number(e.currentTarget.value) })}
        >
          <option value={0}>filled to the border</option>
          {#each [2, 4, 8, 16, 32] as v (v)}<option value={v}>{v} texels</option>{/each}
          <option value={-1}>nothing</option>
        </select></label
      >
    </div>
    <PresetFiles preset={o.preset} sources={o.known.sources ?? []} change={(p) => (o.preset = p)} />
    {#if o.error}<p class="border-l-4 pl-2" style:border-color="var(--brick)" role="alert">{o.error}</p>
    {:else if o.plan.length}<p class="quiet" aria-label="An example">
        {o.plan[0].name}: {o.plan[0].packing}, {o.plan[0].encoding}, {o.plan[0].depth} bits
      </p>{/if}
    {#if o.changed}<Button size="sm" color="primary" onclick={() => o.keep()}>Keep in the stock</Button>{/if}
  {/if}
</Modal>

<style>
  label {
    min-height: 28px;
  }
  .preset {
    display: flex;
    gap: 4px;
    margin-bottom: 4px;
  }
  .preset .grow {
    text-align: left;
    white-space: normal;
  }
  .preset [aria-pressed='true'] {
    box-shadow: inset 3px 0 var(--plum);
  }
  [role='group'] [aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
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
    min-width: 0;
  }
  .wide {
    width: 22em;
  }
  .short {
    width: 6em;
  }
  .job {
    border-top: 1px solid var(--line);
    padding: 6px 0;
  }
  .since {
    margin-top: 4px;
    padding-left: 8px;
    border-left: 2px solid var(--ochre);
    overflow-wrap: anywhere;
  }
  summary {
    min-height: 28px;
    cursor: pointer;
    color: var(--quiet);
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
