<script lang="ts">
  // The model made ready, in the order of the work: each line tells its state and
  // its first finding, the open one has its controls.
  import { untrack } from 'svelte';
  import type { Job } from '../api/client';
  import type { Prep } from '../lib/prep.svelte';
  import type { Session } from '../lib/session.svelte';
  import Bakes from './prepare/Bakes.svelte';
  import IDs from './prepare/IDs.svelte';
  import JobLine from './prepare/JobLine.svelte';
  import ModelFacts from './prepare/ModelFacts.svelte';
  import Parts from './prepare/Parts.svelte';
  import UVs from './prepare/UVs.svelte';
  let { session, prep, id, jobs, parts }: { session: Session; prep: Prep; id: string; jobs: Job[]; parts: string[] } =
    $props();
  let open = $state('UVs');

  // whatever changes the model or the sheets' sizes has the checks look again
  $effect(() => {
    void session.model;
    void JSON.stringify([session.doc?.sheets, session.doc?.prepared?.owners, missed]);
    if (session.doc) untrack(() => prep.load());
  });
  const findings = $derived(prep.report?.findings ?? []);
  const of = (kinds: string[]) => findings.filter((f) => kinds.includes(f.kind));
  const meshKinds = ['degenerate', 'open', 'nonmanifold'];
  const uvKinds = ['noUV', 'overlap', 'outside', 'padding', 'stretch', 'density', 'mirrored'];
  const baked = $derived(session.doc?.prepared?.baked ?? {});
  const sheets = $derived(prep.report?.sheets ?? []);
  const unbaked = $derived(sheets.filter((s) => !baked[s.sheet]));
  const withID = $derived(sheets.filter((s) => baked[s.sheet]?.id));
  const missed = $derived(
    sheets.flatMap((s) => Object.values(baked[s.sheet] ?? {})).reduce((m, b) => Math.max(m, b.missed ?? 0), 0),
  );
  const many = (n: number, of: string) => `${n} ${of}${n === 1 ? '' : 's'}`;
  const partNames = $derived(new Set(parts));
  const lines = $derived([
    { name: 'Model', grave: of(meshKinds).some((f) => f.grave), says: of(meshKinds)[0]?.text ?? 'the mesh is sound' },
    {
      name: 'Parts',
      grave: false,
      says: `${many(partNames.size, 'part')} on ${many(Object.keys(session.doc?.sheets ?? {}).length, 'sheet')}`,
    },
    {
      name: 'UVs',
      grave: of(uvKinds).some((f) => f.grave),
      says: of(uvKinds)[0]?.text ?? 'every island is in its place',
    },
    {
      name: 'Bakes',
      grave: missed > 0,
      says: !sheets.length
        ? 'waits for UVs'
        : unbaked.length === sheets.length
          ? 'nothing is baked yet'
          : unbaked.length
            ? `${unbaked[0].sheet} is not baked${unbaked.length > 1 ? `, nor ${unbaked.length - 1} more` : ''}`
            : missed
              ? `${missed.toLocaleString()} texels missed the dense model`
              : 'every sheet is baked',
    },
    { name: 'ID', grave: false, says: withID.length ? `on ${withID.map((s) => s.sheet).join(', ')}` : 'no ID map' },
  ]);
  const mine = $derived(jobs.filter((j) => j.kind !== 'deliver' && j.state !== 'done').slice(0, 4));
</script>

<div class="h-full overflow-auto">
  {#if prep.error}<p class="notice" role="alert">{prep.error}</p>{/if}
  {#each mine as j (j.id)}<JobLine {j} />{/each}
  <ol>
    {#each lines as l, i (l.name)}
      <li>
        <button class="line" aria-expanded={open === l.name} onclick={() => (open = open === l.name ? '' : l.name)}>
          <span class="number" class:grave={l.grave}>{i + 1}</span>
          <span class="font-semibold">{l.name}</span>
          <span class="says" class:grave={l.grave}>{prep.report ? l.says : 'looking …'}</span>
        </button>
        {#if open === l.name}
          <div class="controls settings">
            {#if l.name === 'Model'}<ModelFacts {session} {prep} {id} {jobs} findings={of(meshKinds)} />
            {:else if l.name === 'Parts'}<Parts {session} {prep} {id} />
            {:else if l.name === 'UVs'}<UVs {prep} {id} findings={of(uvKinds)} />
            {:else if l.name === 'Bakes'}<Bakes {session} {prep} {id} findings={of(['misses'])} />
            {:else}<IDs {session} {prep} {id} />{/if}
          </div>
        {/if}
      </li>
    {/each}
  </ol>
</div>

<style>
  .line {
    display: grid;
    grid-template-columns: 24px auto 1fr;
    gap: 8px;
    align-items: center;
    width: 100%;
    min-height: 40px;
    padding: 4px 12px;
    text-align: left;
    border-bottom: 1px solid var(--line);
  }
  .line[aria-expanded='true'] {
    background: var(--raised);
    box-shadow: inset 3px 0 var(--plum);
  }
  .number {
    display: grid;
    place-content: center;
    width: 22px;
    height: 22px;
    border: 1px solid var(--verdigris);
    border-radius: 3px;
    font-size: 12px;
  }
  .number.grave {
    border-color: var(--ochre);
    box-shadow: inset 0 -3px var(--ochre);
  }
  .says {
    color: var(--quiet);
    font-size: 13px;
    text-align: right;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .says.grave {
    color: var(--text);
  }
  .controls {
    padding: 10px 12px 16px;
    border-bottom: 1px solid var(--line);
  }
  .notice {
    border-left: 4px solid var(--brick);
    padding: 6px 10px;
    margin: 8px 12px;
  }
</style>
