<script lang="ts">
  import { api, type Facts, type Finding, type Job } from '../../api/client';
  import { accepts } from '../../lib/forms';
  import type { Prep } from '../../lib/prep.svelte';
  import type { Session } from '../../lib/session.svelte';
  import Findings from './Findings.svelte';
  let {
    session,
    prep,
    id,
    jobs,
    findings,
  }: { session: Session; prep: Prep; id: string; jobs: Job[]; findings: Finding[] } = $props();
  let facts = $state.raw<Facts | null>(null);
  const carried = $derived(
    jobs.filter((j) => j.kind === 'newer model' && j.state === 'done').sort((a, b) => b.at.localeCompare(a.at))[0],
  );
  const lost = $derived(carried?.note ? carried.note.split('\n') : []);
  let busy = $state(false);
  let tiles = $state(false);
  $effect(() => {
    void session.model;
    api.facts(id).then(
      (f) => (facts = f),
      (e) => (prep.error = e.message),
    );
  });
  const mm = (v: number) => `${(v * 1000).toFixed(0)}`;
  async function replace(e: Event) {
    const files = (e.currentTarget as HTMLInputElement).files;
    if (!files?.length) return;
    busy = true;
    await prep.run(() => api.replace(id, files));
    busy = false;
  }
</script>

{#if facts}
  <dl>
    <dt>triangles</dt>
    <dd>{facts.triangles.toLocaleString()}</dd>
    <dt>vertices</dt>
    <dd>{facts.vertices.toLocaleString()}</dd>
    <dt>size</dt>
    <dd>{facts.size?.map(mm).join(' × ')} mm</dd>
    <dt>open edges</dt>
    <dd>{facts.openEdges}</dd>
  </dl>
{/if}
<Findings {prep} {findings} />
<div class="mt-3 flex flex-wrap gap-2">
  <label class="chip file">
    {busy ? 'Sending …' : 'Newer version …'}
    <input
      type="file"
      class="sr-only"
      multiple
      accept={accepts(session.about.forms)}
      onchange={replace}
      disabled={busy}
      aria-label="Replace the model by a newer version"
    />
  </label>
  {#each session.about.forms!.filter((f) => f.writes) as { ext, label } (ext)}
    <a class="chip file" title={label} href={`/api/projects/${id}/save/model${ext}${tiles ? '?tiles=1' : ''}`} download
      >Save {ext.slice(1).toUpperCase()}</a
    >
  {/each}
  <label class="flex items-center gap-1" title="The sheets stand side by side as tiles 1001, 1002 … of one material">
    <input type="checkbox" bind:checked={tiles} /> sheets as UDIM tiles
  </label>
</div>
{#if carried}
  <p class="mt-2 text-sm">{lost.length ? 'Not carried over:' : 'Everything was carried over.'}</p>
  {#each lost as l, i (i)}<p class="quiet text-sm">{l}</p>{/each}
{/if}

<style>
  dl {
    display: grid;
    grid-template-columns: 1fr auto;
    margin-bottom: 8px;
  }
  dt {
    color: var(--quiet);
  }
  .file {
    display: grid;
    place-content: center;
    cursor: pointer;
  }
</style>
