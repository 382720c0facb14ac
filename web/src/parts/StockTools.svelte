<script lang="ts">
  // What the stock holds for the hand: brushes, stamps, palettes. One is taken by a click.
  import { onMount } from 'svelte';
  import { api, type KnownStamp, type MadeBrush, type SavedPalette } from '../api/client';
  import { incoming, writeFrom } from '../lib/grime.svelte';
  import { stampAsTip } from '../lib/press.svelte';
  import { shipped, stock } from '../lib/stock.svelte';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import Growing from './Growing.svelte';
  import Into from './Into.svelte';
  import Like from './Like.svelte';
  import Shelves from './Shelves.svelte';
  import Shot from './Shot.svelte';

  type Kind = 'brushes' | 'stamps' | 'palettes';
  interface Item {
    key: string;
    /** of the stock; '': it ships */
    id: string;
    name: string;
    about: string;
    picture?: string;
    colors?: string[];
    take: () => unknown;
  }
  let { session, ui, kind }: { session: Session; ui: UI; kind: Kind } = $props();
  let find = $state('');
  let error = $state('');
  let list = $state.raw<Item[] | null>(null);
  let dropped = $state.raw<Item | null>(null);
  /** which of them are listed: all, those used last, or a collection by its id */
  let shelf = $state('');
  const failed = (why: string) => (error = why);
  const found = $derived.by(() => {
    const words = find.toLowerCase().split(/\s+/).filter(Boolean);
    return stock
      .on(shelf, list ?? [], (i) => i.key)
      .filter((i) => words.every((w) => `${i.name} ${i.about}`.toLowerCase().includes(w)));
  });

  const ofBrush = (m: MadeBrush): Item => ({
    key: m.id || shipped('brush', m.name),
    id: m.id ?? '',
    name: m.name,
    about: m.group,
    picture: `/api/brushes/${encodeURIComponent(m.id || m.name)}/picture`,
    take: () => ui.takeBrush(m),
  });
  const ofStamp = (s: KnownStamp): Item => ({
    key: s.group === 'kept' ? s.id : shipped('stamp', s.id),
    id: s.group === 'kept' ? s.id : '',
    name: s.recipe.name,
    about: s.group,
    picture:
      s.group === 'kept' ? `/api/stock/${s.id}/picture` : `/api/press/stamps/${encodeURIComponent(s.id)}/picture`,
    take: () => stampAsTip(session, ui, s.recipe, 256),
  });
  const ofPalette = (p: SavedPalette): Item => ({
    key: p.id,
    id: p.id,
    name: p.name,
    about: `${p.colors?.length ?? 0} colours`,
    colors: p.colors ?? [],
    take: () => ui.setPalette([...new Set([...ui.palette, ...(p.colors ?? [])])].slice(0, 256), `Take ${p.name}`),
  });
  const read: Record<Kind, () => Promise<Item[]>> = {
    brushes: async () => ((await api.brushes()).list ?? []).map(ofBrush),
    stamps: async () => ((await api.press()).list ?? []).map(ofStamp),
    palettes: async () => (await api.palettes()).map(ofPalette),
  };
  async function act(what: () => Promise<unknown>) {
    error = '';
    try {
      await what();
      list = await read[kind]();
    } catch (e) {
      error = (e as Error).message;
    }
  }
  onMount(() => void act(() => stock.need()));
  $effect(() => {
    if (incoming.taken) void act(async () => {});
  });
  async function take(i: Item) {
    error = '';
    try {
      await i.take();
      stock.used(i.key);
      ui.stock = false;
    } catch (e) {
      error = (e as Error).message;
    }
  }
  const none = {
    brushes: 'No brush is called so.',
    stamps: 'No stamp is called so.',
    palettes: 'No palette is kept, or called so. The colours of a project are kept under a colour, at its palette.',
  };
</script>

<input
  type="search"
  bind:value={find}
  placeholder={`find among the ${kind}`}
  aria-label={`Find among the ${kind}`}
  onkeydown={(e) => (e.stopPropagation(), e.key === 'Escape' && (ui.stock = false))}
/>
<Shelves keys={(list ?? []).map((i) => i.key)} bind:shelf {failed} />
{#if error}<p class="error" role="alert">{error}</p>{/if}
{#if dropped}
  {@const d = dropped}
  <p class="quiet text-sm">
    {d.name} was deleted.
    <button class="chip" onclick={() => act(() => api.restoreStock(d.id)).then(() => (dropped = null))}
      >Bring back</button
    >
  </p>
{/if}
<Growing items={found} key={(i) => i.key}>
  {#snippet item(i: Item)}
    <article>
      <button class="shot" title={`${i.name}: ${i.about}`} aria-label={`Take ${i.name}`} onclick={() => take(i)}>
        {#if i.colors}
          <span class="colors"
            >{#each i.colors.slice(0, 32) as c (c)}<i style:background={c}></i>{/each}</span
          >
        {:else}
          <Shot src={i.picture ?? ''} width={132} height={kind === 'brushes' ? 30 : 132} />
        {/if}
      </button>
      <div class="flex items-center gap-1">
        <Like key={i.key} name={i.name} {failed} />
        <span class="grow truncate">{i.name}</span>
        {#if i.id}
          <a
            class="quiet text-xs"
            href={writeFrom(i.name, [i.id])}
            download
            title="Write it as a .grime file"
            aria-label={`Write ${i.name}`}>write</a
          >
          <button
            class="plain quiet"
            aria-label={`Delete ${i.name}`}
            onclick={() => act(() => api.dropStock(i.id)).then(() => (dropped = i))}>✕</button
          >
        {/if}
      </div>
      <div class="flex items-center gap-1">
        <span class="quiet grow truncate text-xs">{i.about}</span>
        <span class="into"><Into keys={[i.key]} label={`Put ${i.name} into a collection`} {failed} /></span>
      </div>
    </article>
  {/snippet}
</Growing>
{#if list && !found.length}<p class="quiet text-sm">{none[kind]}</p>{/if}

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
  .shot:hover {
    border-color: var(--plum);
  }
  .colors {
    display: grid;
    grid-template-columns: repeat(8, 1fr);
    height: 60px;
  }
  .into {
    opacity: 0;
  }
  article:hover .into,
  .into:focus-within {
    opacity: 1;
  }
  .into :global(select) {
    height: 20px;
    font-size: 12px;
  }
  .error {
    border-left: 3px solid var(--brick);
    padding-left: 6px;
  }
</style>
