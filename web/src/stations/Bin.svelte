<script lang="ts">
  // The bin: deleted projects until they expire.
  import { Button } from 'flowbite-svelte';
  import { api, type Binned } from '../api/client';
  import Asked from '../parts/Asked.svelte';

  let list = $state<Binned[] | null>(null);
  let error = $state('');
  let back = $state('');
  let discarding = $state<Binned | null>(null);

  const load = () =>
    api.bin().then(
      (l) => (list = l),
      (e) => (error = e.message),
    );
  load();
  const date = (at: string) => new Date(at).toLocaleDateString([], { day: 'numeric', month: 'long', year: 'numeric' });

  async function restore(p: Binned) {
    error = '';
    await api.restore(p.id).then(
      () => (back = p.name),
      (e) => (error = e.message),
    );
    await load();
  }
  async function discard(p: Binned) {
    discarding = null;
    error = '';
    await api.discard(p.id).catch((e) => (error = e.message));
    await load();
  }
</script>

<main class="h-[calc(100%-44px)] overflow-auto p-6">
  <div class="mb-5 flex items-center gap-3">
    <h1 class="grow text-xl font-semibold">Bin</h1>
    <a class="chip" href="#/">All projects</a>
  </div>
  {#if error}<p class="note" style:border-color="var(--brick)" role="alert">{error}</p>{/if}
  {#if back}<p class="note" style:border-color="var(--ochre)" role="status">
      “{back}” is among the projects again, with its ledger.
    </p>{/if}
  {#if list === null}
    <p class="quiet">Looking …</p>
  {:else if !list.length}
    <p class="quiet max-w-prose">Nothing is in the bin. A project that is deleted stays here for thirty days.</p>
  {:else}
    <ul class="flex max-w-3xl flex-col gap-2">
      {#each list as p (p.id)}
        <li class="line">
          {#if p.pictured}<img src={`/api/bin/${p.id}/picture`} alt="" />{:else}<span class="unseen"></span>{/if}
          <span class="grow">
            <span class="block font-semibold">{p.name}</span>
            <span class="quiet text-xs">deleted {date(p.deleted)} · goes for good on {date(p.expires)}</span>
          </span>
          <button class="chip" onclick={() => restore(p)} aria-label={`Bring ${p.name} back`}>Bring back</button>
          <button class="chip" onclick={() => (discarding = p)} aria-label={`Delete ${p.name} for good`}
            >Delete for good …</button
          >
        </li>
      {/each}
    </ul>
  {/if}
</main>
<Asked about={discarding} title={`Delete “${discarding?.name}” for good?`} close={() => (discarding = null)}>
  {#snippet children(p)}
    <p>Its layers, strokes, bakes and deliveries go with it. This is the one thing that cannot be taken back.</p>
    <div class="flex gap-2">
      <Button color="alternative" onclick={() => (discarding = null)}>Keep it</Button>
      <Button color="red" onclick={() => discard(p)}>Delete for good</Button>
    </div>
  {/snippet}
</Asked>

<style>
  .note {
    border-left: 4px solid;
    background: var(--panel);
    margin-bottom: 12px;
    padding: 8px 12px;
  }
  .line {
    display: flex;
    align-items: center;
    gap: 12px;
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 8px 12px 8px 8px;
  }
  .line img,
  .unseen {
    width: 96px;
    aspect-ratio: 400 / 260;
    object-fit: cover;
    background: #5a5a5a;
  }
</style>
