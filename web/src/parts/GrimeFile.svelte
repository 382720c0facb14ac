<script lang="ts">
  // A .grime file that was dropped on the window: what is in it, before anything is taken.
  import { Button, Modal, Spinner } from 'flowbite-svelte';
  import { SvelteSet } from 'svelte/reactivity';
  import { incoming, isGrime, look, take, type GrimeLook } from '../lib/grime.svelte';

  let seen = $state.raw<GrimeLook | null>(null);
  let error = $state('');
  let busy = $state<AbortController | null>(null);
  const wanted = new SvelteSet<number>();
  let project = $state(true);
  let done = $state('');
  const file = $derived(incoming.file);
  $effect(() => {
    if (!file) return;
    [seen, error, done, busy] = [null, '', '', null];
    wanted.clear();
    look(file).then(
      (l) => {
        seen = l;
        project = l.project;
        l.items.forEach((_, i) => wanted.add(i));
      },
      (e) => (error = e.message),
    );
  });
  async function begin() {
    if (!file || !seen) return;
    busy = new AbortController();
    error = '';
    try {
      const got = await take(file, [...wanted], project, busy.signal);
      incoming.taken++;
      if (got.project) {
        incoming.file = null;
        location.hash = `#/project/${got.project}`;
      } else
        done = `${got.items.length === 1 ? `“${got.items[0].name}” is` : `${got.items.length} things are`} in the stock.`;
    } catch (e) {
      if (!busy?.signal.aborted) error = (e as Error).message;
    }
    busy = null;
  }
  function close() {
    busy?.abort();
    incoming.file = null;
  }
  const toggle = (i: number) => (wanted.has(i) ? wanted.delete(i) : wanted.add(i));
  /** Files of ours go no further than the window; all others go to where they were dropped. */
  function drop(e: DragEvent) {
    const f = e.dataTransfer?.files[0];
    if (!isGrime(f)) return;
    e.preventDefault();
    e.stopPropagation();
    incoming.file = f!;
  }
  const over = (e: DragEvent) => e.dataTransfer?.types.includes('Files') && e.preventDefault();
</script>

<svelte:window ondropcapture={drop} ondragover={over} />
{#if file}
  <Modal open title={seen?.name || file.name} aria-label={seen?.name || file.name} size="md" onclose={close}>
    {#if error}<p class="error" role="alert">{error}</p>{/if}
    {#if done}
      <p>{done}</p>
    {:else if seen}
      {#if seen.project}
        <label class="flex items-center gap-2"
          ><input type="checkbox" bind:checked={project} /> the project “{seen.name}” with its model, layers, strokes,
          bakes and ledger</label
        >
      {/if}
      {#if seen.items.length}
        <ul class="items">
          {#each seen.items as it, i (i)}
            <li>
              <button
                class="item"
                aria-pressed={wanted.has(i)}
                aria-label={`${it.kind} ${it.name}`}
                onclick={() => toggle(i)}
              >
                {#if it.picture}<img src={it.picture} alt="" />{:else}<span class="none quiet">{it.kind}</span>{/if}
                <span class="block truncate">{it.name}</span>
                <span class="quiet text-xs">{[it.kind, ...(it.tags ?? [])].join(', ')}</span>
              </button>
            </li>
          {/each}
        </ul>
      {/if}
      <p class="quiet text-sm">{(seen.bytes / 2 ** 20).toFixed(2)} MB; nothing is taken yet.</p>
    {:else if !error}
      <p class="flex items-center gap-2"><Spinner size="5" /> Looking into it …</p>
    {/if}
    <div class="flex justify-end gap-2">
      {#if busy}<span class="quiet flex grow items-center gap-2"><Spinner size="5" /> Taking it …</span>{/if}
      <Button color="alternative" onclick={close}>{done ? 'Close' : busy ? 'Stop' : 'Leave it'}</Button>
      {#if seen && !done}
        <Button color="primary" disabled={!!busy || !(wanted.size || project)} onclick={begin}
          >Take {[project ? 'the project' : '', wanted.size ? `${wanted.size} of ${seen.items.length}` : '']
            .filter(Boolean)
            .join(' and ')}</Button
        >
      {/if}
    </div>
  </Modal>
{/if}

<style>
  .items {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(132px, 1fr));
    gap: 10px;
    max-height: 320px;
    overflow: auto;
  }
  .item {
    width: 100%;
    text-align: left;
    padding: 3px;
    border: 1px solid var(--line);
    border-radius: 3px;
    opacity: 0.55;
  }
  .item[aria-pressed='true'] {
    opacity: 1;
    border-color: var(--verdigris);
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .item img,
  .none {
    display: grid;
    place-content: center;
    width: 100%;
    aspect-ratio: 132 / 96;
    background: #5a5a5a;
  }
  .error {
    border-left: 3px solid var(--brick);
    padding-left: 8px;
  }
</style>
