<script lang="ts">
  // The materials of the stock: dragged onto a part of the model, or clicked to lie over
  // the open layer.
  import { onMount } from 'svelte';
  import { api, type MaterialInfo } from '../api/client';
  import { incoming, writeFrom } from '../lib/grime.svelte';
  import { COVERS } from '../lib/reach';
  import { LineUp, MOST } from '../lib/lineup.svelte';
  import { groupOf, Held, inPlaceOf, overOpen } from '../lib/materials';
  import { keyOf, stock } from '../lib/stock.svelte';
  import Growing from './Growing.svelte';
  import Into from './Into.svelte';
  import Like from './Like.svelte';
  import Shelves from './Shelves.svelte';
  import Shot from './Shot.svelte';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  const all = $derived(stock.materials);
  let find = $state('');
  let kind = $state('');
  let error = $state('');
  const load = () => stock.load().catch((e) => (error = e.message));
  let dropped = $state.raw<MaterialInfo | null>(null);
  async function drop(m: MaterialInfo) {
    await api.dropStock(m.id).catch((e) => (error = e.message));
    dropped = m;
    void load();
  }
  async function restore(m: MaterialInfo) {
    await api.restoreStock(m.id).catch((e) => (error = e.message));
    dropped = null;
    void load();
  }
  /** blobs of the pictures that came with the model, or were brought in */
  let brought = $state.raw<string[]>([]);
  onMount(() => {
    void load();
    api.pictures(session.id).then(
      (all) => (brought = all.slice(0, 40).map((p) => p.picture)),
      () => {},
    );
    return () => (ui.held = null);
  });
  /** which of them are listed: all, those used last, or a collection by its id */
  let shelf = $state('');
  const kinds = $derived([...new Set(all.map((m) => m.kind))]);
  const found = $derived.by(() => {
    const words = find.toLowerCase().split(/\s+/).filter(Boolean);
    return stock.on(shelf, all, keyOf).filter((m) => {
      const text = [m.name, m.kind, ...(m.tags ?? [])].join(' ').toLowerCase();
      return (!kind || m.kind === kind) && words.every((w) => text.includes(w));
    });
  });
  const key = keyOf;
  /** those that are to be compared */
  let marked = $state.raw<MaterialInfo[]>([]);
  const mark = (m: MaterialInfo) =>
    (marked = marked.some((o) => key(o) === key(m)) ? marked.filter((o) => key(o) !== key(m)) : [...marked, m]);
  /** the open material, in whose place others can be compared */
  const open = $derived.by(() => {
    const l = session.layer(ui.selected);
    return l?.made ? l : undefined;
  });
  /** where what is compared lies: 'open', a part as 'part:name', or everywhere */
  let where = $state('');
  const place = $derived(where || (open ? 'open' : 'all'));
  const write = $derived(
    writeFrom(
      marked.length === 1 ? marked[0].name : 'materials',
      marked.flatMap((m) => m.id || []),
      marked.flatMap((m) => (m.id ? [] : m.name)),
    ),
  );
  $effect(() => {
    if (incoming.taken) void load();
  });
  let making = $state(false);
  async function lineUp() {
    error = '';
    making = true;
    try {
      const reach =
        place === 'open' && open ? open.reach : place.startsWith('part:') ? { parts: [place.slice(5)] } : {};
      const groups = await Promise.all(marked.map((m) => groupOf(m, session.id, ui.extentOf(reach))));
      const list = groups.map((g, i) => ({
        label: g.name,
        op: place === 'open' && open ? inPlaceOf(session, open, g) : overOpen(session, ui, g, reach),
        taken: () => {
          ui.choose(g.id, true);
          stock.used(keyOf(marked[i]));
        },
      }));
      const on = place === 'open' ? ` in place of ${open?.name}` : place === 'all' ? '' : ` on ${place.slice(5)}`;
      ui.lineup = new LineUp(`Materials${on}`, [...(list.length < MOST ? [{ label: 'As it is' }] : []), ...list]);
      ui.stock = false;
    } catch (e) {
      error = (e as Error).message;
    }
    making = false;
  }
  const take = (m: MaterialInfo) => (ui.held = new Held(m, session, ui));
  const shot = (m: MaterialInfo) =>
    m.id ? `/api/stock/${m.id}/picture` : `/api/materials/${encodeURIComponent(m.name)}/picture`;
  async function put(m: MaterialInfo) {
    error = '';
    try {
      await take(m).put({});
      stock.used(keyOf(m));
    } catch (e) {
      error = (e as Error).message;
    }
    ui.held = null;
  }
</script>

<div class="find">
  <input
    type="search"
    bind:value={find}
    placeholder="find by name or what it is good for"
    aria-label="Find a material"
    onkeydown={(e) => (e.stopPropagation(), e.key === 'Escape' && (ui.stock = false))}
  />
  <select class="pick" aria-label="Kind" bind:value={kind}>
    <option value="">every kind</option>
    {#each kinds as k (k)}<option>{k}</option>{/each}
  </select>
</div>
<Shelves keys={all.map(keyOf)} bind:shelf failed={(why) => (error = why)}>
  <label class="chip"
    >Of pictures …<input
      type="file"
      multiple
      hidden
      accept=".png,.jpg,.jpeg,.tif,.tiff,.webp,.exr,.hdr,.svg,.zip"
      aria-label="Pictures of a material"
      onchange={(e) => {
        const files = [...(e.currentTarget.files ?? [])];
        if (files.length) ui.pictures = { files, known: [] };
        e.currentTarget.value = '';
      }}
    /></label
  >
  {#if brought.length}
    <button
      class="chip"
      title="Make a material of the pictures that this project has, such as the model's own"
      onclick={() => (ui.pictures = { files: [], known: brought })}>Of the project's own</button
    >
  {/if}
</Shelves>
{#if error}<p class="error" role="alert">{error}</p>{/if}
{#if dropped}
  {@const d = dropped}
  <p class="quiet text-sm">{d.name} was deleted. <button class="chip" onclick={() => restore(d)}>Bring back</button></p>
{/if}
{#if marked.length}
  <div class="compare">
    <select
      class="pick grow"
      aria-label="Where they are compared"
      value={place}
      onchange={(e) => (where = e.currentTarget.value)}
    >
      {#if open}<option value="open">in place of {open.name}</option>{/if}
      <option value="all">over everything</option>
      {#each ui.parts as p (p)}<option value={`part:${p}`}>on {p}</option>{/each}
    </select>
    <button class="chip" disabled={making} onclick={lineUp}>Line up {marked.length}</button>
    <Into keys={marked.map(keyOf)} label="Put what is marked into a collection" failed={(why) => (error = why)} />
    <a class="chip" href={write} download title="Write what is marked as a .grime file">Write</a>
    <button class="plain quiet" aria-label="Unmark all" title="Unmark all" onclick={() => (marked = [])}>✕</button>
  </div>
{:else}
  <p class="quiet text-sm">
    Drag one onto the model: it covers
    <select class="pick" aria-label="What it covers where it falls" bind:value={ui.covers}>
      {#each COVERS as c (c)}<option>{c}</option>{/each}
    </select>
    under it. Or onto the section, or click it for everything; mark some to compare them.
  </p>
{/if}
<Growing items={found} key={keyOf}>
  {#snippet item(m: MaterialInfo)}
    <div class="item">
      <button
        class="card"
        draggable="true"
        title={`${m.name}: ${(m.tags ?? []).join(', ')}`}
        ondragstart={(e) => {
          e.dataTransfer?.setData('text/plain', m.name);
          take(m);
        }}
        ondragend={() => {
          void ui.held?.try(null);
          ui.held = null;
        }}
        onclick={() => put(m)}
      >
        <span class="shot"><Shot src={shot(m)} width={132} height={96} /></span>
        <span
          >{m.name}{#if (m.version ?? 0) > 1}<span class="quiet"> · version {m.version}</span>{/if}</span
        >
      </button>
      <button
        class="plain mark"
        aria-label={`Mark ${m.name} for a line-up`}
        title="Mark it for a line-up"
        aria-pressed={marked.some((o) => key(o) === key(m))}
        disabled={marked.length >= MOST && !marked.some((o) => key(o) === key(m))}
        onclick={() => mark(m)}>{1 + marked.findIndex((o) => key(o) === key(m)) || '+'}</button
      >
      <span class="like" class:liked={stock.liked?.items?.includes(key(m))}
        ><Like key={key(m)} name={m.name} failed={(why) => (error = why)} /></span
      >
      {#if m.id}
        <button
          class="plain quiet drop"
          aria-label={`Delete ${m.name}`}
          title="Delete it from the stock"
          onclick={() => drop(m)}>✕</button
        >
      {/if}
    </div>
  {/snippet}
</Growing>
{#if all.length && !found.length}<p class="quiet text-sm">Nothing is called so, or good for that.</p>{/if}

<style>
  input {
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 3px 8px;
  }
  .item {
    position: relative;
  }
  .find {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 6px;
  }
  .compare {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
  }
  .like {
    position: absolute;
    left: 30px;
    top: 4px;
    border-radius: 50%;
    background: rgb(40 40 40 / 0.7);
    opacity: 0;
  }
  .item:hover .like,
  .like:focus-within,
  .like.liked {
    opacity: 1;
  }
  .mark {
    position: absolute;
    left: 4px;
    top: 4px;
    width: 22px;
    height: 22px;
    font-size: 13px;
    border-radius: 50%;
    background: rgb(40 40 40 / 0.7);
    color: #ddd;
    opacity: 0;
  }
  .item:hover .mark,
  .mark:focus-visible,
  .mark[aria-pressed='true'] {
    opacity: 1;
  }
  .mark[aria-pressed='true'] {
    background: var(--plum);
    color: white;
  }
  .drop {
    position: absolute;
    right: 2px;
    top: 2px;
    background: rgb(40 40 40 / 0.7);
    border-radius: 3px;
  }
  .card {
    display: block;
    width: 100%;
    text-align: left;
    font-size: 13px;
    border-radius: 3px;
    cursor: grab;
  }
  .card .shot {
    display: block;
    aspect-ratio: 132 / 96;
    background: #5a5a5a;
    border: 1px solid var(--line);
    border-radius: 3px;
  }
  .card:hover .shot {
    border-color: var(--plum);
  }
  .error {
    border-left: 3px solid var(--brick);
    padding-left: 6px;
  }
</style>
