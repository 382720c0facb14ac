<script lang="ts">
  // The colours that a project keeps: taken by a click, from a picture, in and out as
  // a plain list of hex values or as JSON.
  import { api, type SavedPalette } from '../api/client';
  import { colorsIn, fromHex, toHex } from '../lib/color';
  import type { UI } from '../lib/ui.svelte';

  let { ui, now, commit }: { ui: UI; now: number[]; commit: (v: number[]) => void } = $props();
  let list = $state(false);
  let error = $state('');
  let text = $state('');
  const set = (l: string[], label: string) => ui.setPalette([...new Set(l)].slice(0, 256), label);
  const hex = $derived(toHex(now));

  function bring() {
    const found = colorsIn(text);
    error = found.length ? '' : 'No colour was found in it; one is written as # and six digits.';
    if (!found.length) return;
    set([...ui.palette, ...found], `Bring ${found.length} colours`);
    list = false;
  }
  async function picture(e: Event) {
    const input = e.currentTarget as HTMLInputElement;
    const f = input.files?.[0];
    if (!f) return;
    try {
      error = '';
      set([...ui.palette, ...(await api.mainColors(f))], `Colours of ${f.name}`);
    } catch (e) {
      error = (e as Error).message;
    }
    input.value = '';
  }
  // palettes of the stock, for all projects
  let stock = $state.raw<SavedPalette[] | null>(null);
  let name = $state('');
  const load = () =>
    api.palettes().then(
      (p) => (stock = p),
      (e) => (error = e.message),
    );
  async function act(what: () => Promise<unknown>) {
    error = '';
    try {
      await what();
      await load();
    } catch (e) {
      error = (e as Error).message;
    }
  }
  function save() {
    const a = document.createElement('a');
    a.href = URL.createObjectURL(
      new Blob([JSON.stringify({ colors: ui.palette }, null, 2)], { type: 'application/json' }),
    );
    a.download = 'palette.json';
    a.click();
    URL.revokeObjectURL(a.href);
  }
</script>

<div class="palette" role="group" aria-label="Colours of the project">
  {#each ui.palette as c (c)}
    <button
      style:background={c}
      class:now={c === hex}
      aria-label={`Take ${c}`}
      title={`${c}; with Shift it is taken out`}
      onclick={(e) =>
        e.shiftKey
          ? set(
              ui.palette.filter((o) => o !== c),
              `Take ${c} out`,
            )
          : commit(fromHex(c)!)}
    ></button>
  {/each}
  <button
    class="add"
    aria-label="Keep this colour"
    title="Keep this colour with the project"
    disabled={ui.palette.includes(hex)}
    onclick={() => set([...ui.palette, hex], `Keep the colour ${hex}`)}>+</button
  >
</div>
<div class="foot">
  <label class="chip file">
    From a picture <input
      type="file"
      class="sr-only"
      accept="image/*"
      aria-label="Colours from a picture"
      onchange={picture}
    />
  </label>
  <button
    class="chip"
    aria-expanded={list}
    onclick={() => {
      list = !list;
      stock = null;
      text = ui.palette.join('\n');
      error = '';
    }}>List</button
  >
  <button class="chip" disabled={!ui.palette.length} onclick={save}>JSON</button>
  <button class="chip" aria-expanded={!!stock} onclick={() => ((list = false), stock ? (stock = null) : void load())}
    >Stock</button
  >
</div>
{#if stock}
  <div class="stock" role="group" aria-label="Palettes of the stock">
    {#each stock as p (p.id)}
      <span class="flex items-center gap-1">
        <button
          class="row grow"
          aria-label={`Bring in ${p.name}`}
          title={`${p.name}: ${p.colors?.length} colours`}
          onclick={() => set([...ui.palette, ...(p.colors ?? [])], `Bring in the palette ${p.name}`)}
          >{#each (p.colors ?? []).slice(0, 14) as c (c)}<i style:background={c}></i>{/each}<span>{p.name}</span
          ></button
        >
        <button class="plain quiet" aria-label={`Delete ${p.name}`} onclick={() => act(() => api.dropStock(p.id))}
          >✕</button
        >
      </span>
    {/each}
    <form
      class="flex gap-1"
      onsubmit={(e) => {
        e.preventDefault();
        const kept = name.trim();
        name = '';
        void act(() => api.keepPalette(kept, ui.palette));
      }}
    >
      <input
        class="named"
        placeholder="keep these as …"
        aria-label="Name to keep the palette by"
        maxlength="80"
        bind:value={name}
        onkeydown={(e) => e.stopPropagation()}
      />
      <button class="chip" disabled={!name.trim() || !ui.palette.length}>Keep</button>
    </form>
  </div>
{/if}
{#if list}
  <textarea rows="4" aria-label="Colours as a list" bind:value={text} onkeydown={(e) => e.stopPropagation()}></textarea>
  <button class="chip" onclick={bring}>Bring these in</button>
{/if}
{#if error}<p class="text-sm" role="alert">{error}</p>{/if}

<style>
  .palette {
    display: grid;
    grid-template-columns: repeat(auto-fill, 24px);
    gap: 3px;
    max-height: 81px;
    overflow: auto;
  }
  .palette button {
    width: 24px;
    height: 24px;
    border: 1px solid var(--line);
    border-radius: 2px;
  }
  .palette .now {
    outline: 2px solid var(--verdigris);
    outline-offset: -1px;
  }
  .add {
    background: var(--field);
    color: var(--quiet);
  }
  .foot {
    display: flex;
    gap: 6px;
  }
  .stock {
    display: grid;
    gap: 3px;
    border-left: 3px solid var(--line);
    padding-left: 6px;
  }
  .row {
    display: flex;
    align-items: center;
    min-height: 28px;
    font-size: 12.5px;
  }
  .row i {
    width: 10px;
    height: 18px;
  }
  .row span {
    padding-left: 6px;
  }
  .named {
    min-width: 0;
    flex: 1;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 2px 6px;
  }
  .file {
    display: grid;
    place-content: center;
    cursor: pointer;
  }
  textarea {
    width: 100%;
    background: var(--field);
    border: 1px solid var(--line);
    font-family: monospace;
    font-size: 12px;
  }
</style>
