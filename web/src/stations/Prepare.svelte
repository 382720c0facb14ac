<script lang="ts">
  import { api, type Facts } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  let { session, id }: { session: Session; id: string } = $props();
  let facts = $state.raw<Facts | null>(null);
  let error = $state('');
  // svelte-ignore state_referenced_locally
  api.facts(id).then(
    (f) => (facts = f),
    (e) => (error = e.message),
  );
  const sizes = [128, 256, 512, 1024, 2048, 4096, 8192];
  const mm = (v: number) => `${(v * 1000).toFixed(0)}`;
</script>

<div class="h-full overflow-auto p-3">
  {#if error}<p role="alert">{error}</p>{/if}
  {#if facts}
    <h2 class="mb-2 font-semibold">Model</h2>
    <dl>
      <dt>triangles</dt>
      <dd>{facts.triangles.toLocaleString()}</dd>
      <dt>vertices</dt>
      <dd>{facts.vertices.toLocaleString()}</dd>
      <dt>size</dt>
      <dd>{facts.size?.map(mm).join(' × ')} mm</dd>
      <dt>UV islands</dt>
      <dd>{facts.islands}</dd>
      <dt>open edges</dt>
      <dd>{facts.openEdges}</dd>
    </dl>
    <h2 class="mt-4 mb-2 font-semibold">Findings</h2>
    {#each facts.problems ?? [] as p (p)}
      <p class="finding">{p}</p>
    {:else}
      <p class="quiet">Nothing stands in the way of painting.</p>
    {/each}
    <h2 class="mt-4 mb-2 font-semibold">Sheets</h2>
    {#each facts.sheets ?? [] as s (s.name)}
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
    <label class="mt-4 flex items-center gap-2">
      <span class="grow font-semibold">Colours are mixed as</span>
      <select
        class="pick"
        value={session.doc?.light || 'encoded'}
        title="Encoded looks as most painters expect; linear light mixes as light does"
        onchange={(e) => session.op({ kind: 'light.set', value: e.currentTarget.value })}
      >
        <option value="encoded">encoded values</option>
        <option value="linear">linear light</option>
      </select>
    </label>
    <h2 class="mt-4 mb-2 font-semibold">Parts</h2>
    <ul>
      {#each facts.parts ?? [] as p (p.name)}<li class="flex">
          <span class="grow">{p.name}</span><span class="quiet">{p.triangles.toLocaleString()}</span>
        </li>{/each}
    </ul>
  {/if}
</div>

<style>
  dl {
    display: grid;
    grid-template-columns: 1fr auto;
  }
  dt {
    color: var(--quiet);
  }
  .finding {
    border-left: 3px solid var(--ochre);
    padding-left: 8px;
    margin-bottom: 6px;
  }
  .sheet {
    border-top: 1px solid var(--line);
    padding: 5px 0;
  }
</style>
