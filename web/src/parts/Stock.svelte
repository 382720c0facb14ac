<script lang="ts">
  // The stock: what was kept for use in any project. It slides in from the right and
  // goes away after use.
  import { onMount } from 'svelte';
  import { api, type SavedMask, type Step } from '../api/client';
  import { incoming, writeFrom } from '../lib/grime.svelte';
  import { newID, type Session } from '../lib/session.svelte';
  import { streamOf } from '../lib/stack';
  import { stock } from '../lib/stock.svelte';
  import type { UI } from '../lib/ui.svelte';
  import Growing from './Growing.svelte';
  import Into from './Into.svelte';
  import Like from './Like.svelte';
  import LeftBehind from './LeftBehind.svelte';
  import Materials from './Materials.svelte';
  import NameField from './NameField.svelte';
  import Shelves from './Shelves.svelte';
  import StockTools from './StockTools.svelte';
  import Drawer from './Drawer.svelte';

  let { session, ui, project }: { session: Session; ui: UI; project: string } = $props();
  let masks = $state.raw<SavedMask[] | null>(null);
  let find = $state('');
  let error = $state('');
  let naming = $state('');
  let dropped = $state.raw<SavedMask | null>(null);
  let keeping = $state(false);
  let left = $state.raw<string[]>([]);
  const layer = $derived(session.layer(ui.selected));
  const steps = $derived(streamOf(layer, 'mask'));
  let shelf = $state('');
  const failed = (why: string) => (error = why);
  const found = $derived(
    stock.on(shelf, masks ?? [], (m) => m.id).filter((m) => m.name.toLowerCase().includes(find.trim().toLowerCase())),
  );
  const load = () =>
    api.masks().then(
      (m) => (masks = m),
      (e) => (error = e.message),
    );
  onMount(() => {
    void stock.need();
    void load();
  });
  $effect(() => {
    if (incoming.taken) void load();
  });

  async function act(what: () => Promise<unknown>) {
    error = '';
    try {
      await what();
      await load();
    } catch (e) {
      error = (e as Error).message;
    }
  }
  async function keep() {
    if (!layer) return;
    keeping = true;
    left = [];
    await act(async () => (left = (await api.keepMask(project, layer.id)).left ?? []));
    keeping = false;
  }
  /** Puts a kept stream into the open one as a bundle, at its end. */
  async function use(m: SavedMask) {
    if (!layer) return;
    if (m.pictures?.length) {
      error = '';
      try {
        await api.useMask(m.id, project); // its pictures are the project's own from now on
      } catch (e) {
        error = (e as Error).message;
        return;
      }
    }
    const fresh = (list: Step[]): Step[] =>
      list.map((s) => ({ ...s, id: newID(), steps: fresh((s.steps ?? []) as Step[]) }));
    const id = newID();
    const first = !steps.length;
    const step = { id, kind: 'bundle', name: m.name, on: true, amount: 1, blend: first ? 'normal' : 'multiply' };
    session.op({
      kind: 'step.add',
      target: layer.id,
      path: ui.stream,
      index: -1,
      newStep: { ...step, steps: fresh(m.steps as Step[]) } as Step,
    });
    stock.used(m.id);
    ui.step = id;
    ui.stock = false;
  }
</script>

<Drawer
  label="Stock"
  close={() => (ui.stock = false)}
  style="right: 0; top: 0; bottom: 0; width: 322px; z-index: 6; overflow: auto; padding: 8px 12px; gap: 8px"
>
  <header class="flex flex-wrap items-center gap-2">
    <h2 class="grow font-semibold">Stock</h2>
    <button class="chip" onclick={() => (ui.stock = false)}>Close</button>
    <span class="kinds" role="group" aria-label="What is shown">
      {#each ['materials', 'masks', 'stamps', 'brushes', 'palettes'] as const as k (k)}
        <button class="chip" aria-pressed={ui.shelf === k} onclick={() => (ui.shelf = k)}>{k}</button>
      {/each}
    </span>
  </header>
  {#if ui.shelf === 'materials'}
    <Materials {session} {ui} />
  {:else if ui.shelf !== 'masks'}
    {#key ui.shelf}<StockTools {session} {ui} kind={ui.shelf} />{/key}
  {:else}
    <input
      type="search"
      bind:value={find}
      placeholder="find a mask"
      aria-label="Find in the stock"
      onkeydown={(e) => (e.stopPropagation(), e.key === 'Escape' && (ui.stock = false))}
    />
    <button class="chip w-full" disabled={!steps.length || keeping} onclick={keep}
      >{keeping ? 'Taking its picture …' : layer ? `Keep the mask of ${layer.name}` : 'No layer is open'}</button
    >
    {#if error}<p class="error" role="alert">{error}</p>{/if}
    <LeftBehind {left} />
    <Shelves keys={(masks ?? []).map((m) => m.id)} bind:shelf {failed} />
    {#if dropped}
      {@const d = dropped}
      <p class="quiet text-sm">
        {d.name} was deleted.
        <button class="chip" onclick={() => act(() => api.restoreStock(d.id)).then(() => (dropped = null))}
          >Bring back</button
        >
      </p>
    {/if}
    <Growing items={found} key={(m) => m.id}>
      {#snippet item(m: SavedMask)}
        <article>
          <button
            class="shot"
            title={`Put ${m.name} into the open stream`}
            aria-label={`Use ${m.name}`}
            disabled={!layer}
            onclick={() => use(m)}><img src={`/api/stock/${m.id}/picture`} alt="" width="132" height="96" /></button
          >
          <div class="flex items-center gap-1">
            <Like key={m.id} name={m.name} {failed} />
            {#if naming === m.id}
              <NameField
                value={m.name}
                label="Name of the mask"
                done={(v) => {
                  naming = '';
                  if (v) act(() => api.renameStock(m.id, v));
                }}
              />
            {:else}
              <button
                class="plain grow truncate text-left"
                title="Double click to rename"
                ondblclick={() => (naming = m.id)}>{m.name}</button
              >
            {/if}
            <button
              class="plain quiet"
              aria-label={`Delete ${m.name}`}
              onclick={() => act(() => api.dropStock(m.id)).then(() => (dropped = m))}>✕</button
            >
          </div>
          <a class="quiet text-xs" href={writeFrom(m.name, [m.id])} download title="Write it as a .grime file"
            >write ·</a
          >
          <span class="quiet text-xs">{m.steps?.length} step{m.steps?.length === 1 ? '' : 's'}</span>
          <Into keys={[m.id]} label={`Put ${m.name} into a collection`} {failed} />
        </article>
      {/snippet}
    </Growing>
    {#if masks && !masks.length}<p class="quiet text-sm">
        Nothing is kept yet. A mask that turned out well can be kept here and used on the next object.
      </p>{/if}
  {/if}
</Drawer>

<style>
  input {
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 3px 8px;
  }
  .shot {
    display: block;
    width: 100%;
    border: 1px solid var(--line);
    border-radius: 3px;
    overflow: hidden;
  }
  .shot:hover:enabled {
    border-color: var(--plum);
  }
  img {
    width: 100%;
    height: auto;
    display: block;
  }
  .kinds {
    display: flex;
    gap: 2px;
    width: 100%;
  }
  .kinds .chip {
    padding: 0 2px;
    flex: 1 1 auto;
    font-size: 13px;
  }
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .error {
    border-left: 3px solid var(--brick);
    padding-left: 6px;
  }
</style>
