<script lang="ts">
  // The brushes that can be taken, each with a stroke as it will be.
  import { onMount } from 'svelte';
  import { api, type Brushes, type MadeBrush } from '../api/client';
  import type { UI } from '../lib/ui.svelte';

  let { ui, close }: { ui: UI; close: () => void } = $props();
  let shelf = $state.raw<Brushes | null>(null);
  let find = $state('');
  let error = $state('');
  let name = $state('');
  const load = () =>
    api.brushes().then(
      (b) => (shelf = b),
      (e) => (error = e.message),
    );
  onMount(load);
  const found = $derived(
    (shelf?.list ?? []).filter((m) =>
      `${m.name} ${m.group} ${m.help}`.toLowerCase().includes(find.trim().toLowerCase()),
    ),
  );
  const groups = $derived([...new Set(found.map((m) => m.group))]);
  function take(m: MadeBrush) {
    ui.takeBrush(m);
    close();
  }
  async function act(what: () => Promise<unknown>) {
    error = '';
    try {
      await what();
      await load();
    } catch (e) {
      error = (e as Error).message;
    }
  }
</script>

<div class="shelf" role="dialog" aria-label="Brushes">
  <div class="head">
    <h2 class="font-semibold">Brushes</h2>
    <!-- svelte-ignore a11y_autofocus -->
    <input class="pick" placeholder="find" aria-label="Find a brush" bind:value={find} autofocus />
    <form
      class="flex grow justify-end gap-1"
      onsubmit={(e) => {
        e.preventDefault();
        void act(() => api.keepBrush({ ...ui.brush.made(), name: name.trim() }));
        name = '';
      }}
    >
      <input
        class="pick"
        placeholder="keep the set brush as …"
        aria-label="Name to keep the brush by"
        bind:value={name}
      />
      <button class="chip" disabled={!name.trim()}>Keep</button>
    </form>
    <button class="chip" onclick={close} aria-label="Close the brushes">✕</button>
  </div>
  {#if error}<p class="notice" role="alert">{error}</p>{/if}
  <div class="list">
    {#each groups as g (g)}
      <h3>{g}</h3>
      <div class="cells">
        {#each found.filter((m) => m.group === g) as m (m.id ?? m.name)}
          <div class="cell" class:set={ui.brush.name === m.name}>
            <button onclick={() => take(m)} title={m.help} aria-label={`Take ${m.name}`}>
              <img
                src={`/api/brushes/${encodeURIComponent(m.id || m.name)}/picture`}
                alt=""
                width="200"
                height="44"
                loading="lazy"
              />
              <span>{m.name}</span>
            </button>
            {#if m.id}
              <button
                class="drop"
                aria-label={`Drop ${m.name} from the stock`}
                onclick={() => act(() => api.dropStock(m.id!))}>✕</button
              >
            {/if}
          </div>
        {/each}
      </div>
    {:else}
      <p class="quiet p-4">{shelf ? 'No brush is called so.' : 'looking …'}</p>
    {/each}
  </div>
</div>

<svelte:window
  onkeydown={(e) => {
    if (e.key === 'Escape') close();
  }}
/>

<style>
  .shelf {
    position: fixed;
    right: 12px;
    top: 64px;
    bottom: 12px;
    width: 700px;
    max-width: calc(100vw - 24px);
    z-index: 30;
    display: flex;
    flex-direction: column;
    background: var(--panel);
    border: 1px solid var(--line);
    border-top: 3px solid var(--plum);
    box-shadow: 0 12px 40px rgb(0 0 0 / 0.5);
  }
  .head {
    display: flex;
    gap: 10px;
    align-items: center;
    padding: 8px 12px;
    border-bottom: 1px solid var(--line);
  }
  .head input {
    width: 170px;
    border: 1px solid var(--line);
    border-radius: 3px;
  }
  .list {
    overflow: auto;
    padding: 0 12px 12px;
  }
  h3 {
    color: var(--quiet);
    margin: 10px 0 4px;
    font-size: 13px;
  }
  .cells {
    display: grid;
    grid-template-columns: repeat(3, 1fr);
    gap: 6px;
  }
  .cell {
    position: relative;
    border: 1px solid var(--line);
    border-radius: 3px;
    background: var(--raised);
  }
  .cell.set {
    border-color: var(--plum);
    box-shadow: inset 0 -3px var(--plum);
  }
  .cell > button:first-child {
    display: block;
    width: 100%;
    text-align: left;
    padding: 3px 3px 2px;
    font-size: 12.5px;
  }
  .cell > button:first-child:hover {
    background: var(--plum-soft);
  }
  .cell img {
    width: 100%;
    height: 44px;
    object-fit: cover;
    border-radius: 2px;
  }
  .drop {
    position: absolute;
    right: 2px;
    bottom: 1px;
    padding: 2px 6px;
    color: var(--quiet);
  }
  .notice {
    border-left: 4px solid var(--brick);
    padding: 6px 10px;
    margin: 8px 12px;
  }
</style>
