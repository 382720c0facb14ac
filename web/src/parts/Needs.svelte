<script lang="ts">
  // What a material reads and the project has not baked; one click bakes it.
  import { api, type Layer } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { keyOf, stock } from '../lib/stock.svelte';

  let { session, layer }: { session: Session; layer: Layer } = $props();
  /** which map gives what an agent reads */
  const FROM: Record<string, string> = {
    edges: 'curvature',
    creases: 'curvature',
    curvature: 'curvature',
    occlusion: 'ao',
    thickness: 'thickness',
    'sky exposure': 'sky',
  };
  $effect(() => void stock.need());
  const made = $derived(layer.made);
  const needs = $derived(
    stock.materials.find((m) => made && (made.item ? keyOf(m) === made.item : m.name === made.name))?.needs ?? [],
  );
  const lacking = $derived.by(() => {
    const baked = Object.values(session.doc?.prepared?.baked ?? {});
    const maps = [...new Set(needs.flatMap((n) => FROM[n] ?? []))];
    return maps.filter((m) => !baked.length || baked.some((b) => !b[m]));
  });
  const runs = (kind: string) =>
    Object.values(session.jobs).some((j) => j.kind === kind && ['waiting', 'running', 'ready'].includes(j.state));
  const running = $derived(runs('bake'));
  const unwrapping = $derived(runs('unwrap'));
  /** no sheet has UVs: nothing can lie on the model */
  let bare = $state(false);
  $effect(() => {
    if (!session.model) return;
    api.facts(session.id).then(
      (f) => (bare = !(f.sheets ?? []).some((s) => s.hasUV)),
      () => {},
    );
  });
  let asked = $state(false);
  async function ask(what: () => Promise<unknown>) {
    asked = true;
    try {
      await what();
    } catch (e) {
      session.message = (e as Error).message;
    }
    asked = false;
  }
  const bake = () =>
    ask(() => {
      const dense = (session.doc?.prepared?.dense ?? []).map((d) => d.name);
      return api.bake(session.id, { settings: session.about.bake, maps: lacking, sheets: [], dense, floats: false });
    });
  const unwrap = () => ask(() => api.unwrap(session.id, session.about.unwrap));
  const label = (m: string) => session.about.baked?.find((k) => k.name === m)?.label ?? m;
</script>

{#if bare}
  <p class="needs">
    The model has no UVs, so nothing that lies on it is seen yet.
    <button class="chip" disabled={asked || unwrapping} onclick={unwrap}
      >{unwrapping ? 'Unwrapping …' : 'Unwrap it'}</button
    >
  </p>
{:else if lacking.length}
  <p class="needs">
    It reads {lacking.map(label).join(', ')}, which {lacking.length === 1 ? 'is' : 'are'} not baked, and does with less.
    <button class="chip" disabled={asked || running} onclick={bake}>{running ? 'Baking …' : 'Bake them'}</button>
  </p>
{/if}

<style>
  .needs {
    border-left: 3px solid var(--ochre);
    padding: 2px 8px;
    font-size: 13px;
  }
</style>
