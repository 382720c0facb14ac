<script lang="ts">
  import { Button, Modal, Progressbar } from 'flowbite-svelte';
  import { api, type Job, type Order, type PlannedFile } from '../api/client';
  import type { Session } from '../lib/session.svelte';

  let { session, id, jobs, refresh }: { session: Session; id: string; jobs: Job[]; refresh: () => void } = $props();
  const presets: { name: string; maps: string[]; glb: boolean; deep?: boolean }[] = [
    { name: 'glTF metal-rough', maps: [], glb: true },
    { name: 'Packed maps and GLB', maps: ['base color', 'occlusion roughness metallic', 'normal'], glb: true },
    {
      name: 'Every map, 16 bit where it helps',
      maps: ['base color with opacity', 'occlusion roughness metallic', 'normal', 'height', 'emissive'],
      glb: false,
      deep: true,
    },
  ];
  let maps = $state<string[]>(presets[1].maps);
  let glb = $state(true);
  let deep = $state(false);
  let size = $state(0);
  let sheets = $state<string[]>([]);
  let plan = $state.raw<PlannedFile[]>([]);
  let error = $state('');
  let table = $state(false);
  const names = $derived(Object.keys(session.doc?.sheets ?? {}));
  const order = $derived<Order>({
    maps,
    glb,
    size,
    sheets,
    depth: deep ? Object.fromEntries(session.about.maps!.filter((m) => m.depth16).map((m) => [m.name, 16])) : {},
  });
  $effect(() => {
    const o = $state.snapshot(order) as Order;
    void session.doc;
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
  {#each presets as p (p.name)}
    <button class="chip mb-1 text-left" onclick={() => ((maps = p.maps), (glb = p.glb), (deep = !!p.deep))}
      >{p.name}</button
    >
  {/each}
  <h2 class="mt-3 mb-1 font-semibold">What is written</h2>
  {#each session.about.maps ?? [] as m (m.name)}
    <label title={m.packing}
      ><input type="checkbox" checked={maps.includes(m.name)} onchange={() => (maps = toggle(maps, m.name))} />
      {m.name}</label
    >
  {/each}
  <label><input type="checkbox" bind:checked={glb} /> GLB with its maps</label>
  <label><input type="checkbox" bind:checked={deep} /> 16 bit for normal and height</label>
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
