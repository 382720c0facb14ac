<script lang="ts">
  // What the server notes about a step, and the bake that would mend it.
  import { api, type BakeOrder, type BakeSettings, type Layer, type Step } from '../api/client';
  import type { Session } from '../lib/session.svelte';

  let { session, layer, step }: { session: Session; layer: Layer; step: Step } = $props();
  const unbaked = 'not baked yet: ';
  const note = $derived(session.notes[`${layer.id}/${step.id}`]);
  const missing = $derived(note?.startsWith(unbaked) ? note.slice(unbaked.length).split(', ') : []);
  let asking = $state('');
  /** Bakes what an agent lacks, with the last bake's settings. */
  async function bake() {
    asking = 'The bake is in the queue.';
    try {
      const last = (session.doc?.prepared?.settings ?? session.about.bake) as BakeSettings;
      const size = Math.max(...Object.values(session.doc?.sheets ?? {}).map((s) => s.size), 256);
      const settings = { ...last, size: Math.min(size, 2048) };
      const dense = (session.doc?.prepared?.dense ?? []).map((d) => d.name);
      const job = await api.bake(session.id, { settings, maps: missing, dense } as unknown as BakeOrder);
      session.jobs = { ...session.jobs, [job.id]: job };
    } catch (e) {
      asking = (e as Error).message;
    }
  }
</script>

{#if missing.length}
  <span class="note"
    >not baked yet: {missing.join(', ')}
    <button class="chip" onclick={bake}>Bake {missing.length === 1 ? 'it' : 'them'}</button>
    {#if asking}<span class="quiet">{asking}</span>{/if}</span
  >
{:else if note}<span class="note">{note}</span>{/if}

<style>
  .note {
    grid-column: 1 / -1;
    border-left: 3px solid var(--ochre);
    padding-left: 6px;
  }
</style>
