<script lang="ts">
  import { api, type Facts } from '../../api/client';
  import type { Prep } from '../../lib/prep.svelte';
  import type { Session } from '../../lib/session.svelte';
  import Looks from './Looks.svelte';
  let { session, prep, id }: { session: Session; prep: Prep; id: string } = $props();
  let facts = $state.raw<Facts | null>(null);
  $effect(() => {
    void session.model;
    api.facts(id).then(
      (f) => (facts = f),
      (e) => (prep.error = e.message),
    );
  });
  const sizes = [128, 256, 512, 1024, 2048, 4096, 8192];
</script>

<Looks
  {prep}
  list={[
    ['parts', 'Parts', 'A colour for each part'],
    ['sheets', 'Sheets', 'A colour for each sheet'],
  ]}
/>
{#each facts?.sheets ?? [] as s (s.name)}
  <div class="sheet">
    <div class="flex items-center gap-2">
      <b class="grow truncate">{s.name}</b>
      {#if s.hasUV}
        <select
          class="pick"
          aria-label={`Size of ${s.name}`}
          value={session.doc?.sheets?.[s.name]?.size}
          onchange={(e) => session.op({ kind: 'sheet.size', target: s.name, value: Number(e.currentTarget.value) })}
        >
          {#each sizes as n (n)}<option value={n}>{n} × {n}</option>{/each}
        </select>
      {/if}
    </div>
    <p class="quiet text-sm">
      {s.triangles.toLocaleString()} triangles · {s.islands} islands · {Math.round(s.coverage * 100)} % filled ·
      {(((s.density / 1024) * (session.doc?.sheets?.[s.name]?.size ?? 1024)) / 1000).toFixed(1)} texels/mm
    </p>
  </div>
{/each}
<label class="mt-3 flex items-center gap-2">
  <span class="grow font-semibold">Colours are mixed as</span>
  <select
    class="pick"
    value={session.doc?.light || 'encoded'}
    title="Encoded looks as most painters expect; linear light mixes as light does"
    onchange={(e) => session.op({ kind: 'light.set', value: e.currentTarget.value as 'encoded' | 'linear' })}
  >
    <option value="encoded">encoded values</option>
    <option value="linear">linear light</option>
  </select>
</label>
<ul class="mt-3">
  {#each facts?.parts ?? [] as p, i (i)}<li class="flex">
      <span class="grow">{p.name}</span><span class="quiet">{p.triangles.toLocaleString()}</span>
    </li>{/each}
</ul>

<style>
  .sheet {
    border-top: 1px solid var(--line);
    padding: 5px 0;
  }
</style>
