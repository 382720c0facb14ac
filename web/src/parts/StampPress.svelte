<script lang="ts">
  // The stamp press: stamps are made from shapes, shown as a lit relief while one works
  // on them, and kept as their recipes.
  import { onMount } from 'svelte';
  import { api } from '../api/client';
  import { Press, stampAsTip } from '../lib/press.svelte';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import Parts from './press/Parts.svelte';
  import Plate from './press/Plate.svelte';
  import Settings from './press/Settings.svelte';
  import Shelf from './press/Shelf.svelte';
  import Drawer from './Drawer.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  const press = new Press();
  let done = $state('');
  let look = $state('relief');
  let size = $state(1024);
  let busy = $state(false);

  const load = () =>
    api.press().then(
      (p) => (press.info = p),
      (e) => (press.error = e.message),
    );
  onMount(load);

  async function act(what: () => Promise<string>) {
    [busy, press.error, done] = [true, '', ''];
    try {
      done = await what();
    } catch (e) {
      press.error = (e as Error).message;
    }
    busy = false;
  }
  const asTip = () =>
    act(async () => {
      await stampAsTip(session, ui, press.recipe, size);
      ui.press = false;
      return '';
    });
  const keep = () =>
    act(async () => {
      await api.keepStamp(press.recipe);
      await load();
      return `${press.recipe.name} is kept in the stock.`;
    });
  const bring = () =>
    act(async () => {
      const p = await api.stampPicture(session.id, press.recipe, size);
      return `${p.name} is among the project's pictures.`;
    });
  const deliver = () =>
    act(async () => {
      const url = URL.createObjectURL(await api.pressPNG(press.recipe, size));
      const a = document.createElement('a');
      a.href = url;
      a.download = `${press.recipe.name.toLowerCase().replace(/[^a-z0-9]+/g, '-')}.png`;
      a.click();
      setTimeout(() => URL.revokeObjectURL(url), 10_000);
      return `${a.download}: ${size} × ${size}, 16 bits.`;
    });

  function keys(e: KeyboardEvent) {
    if (e.key === 'Escape') ui.press = false;
    if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z') {
      press.step(e.shiftKey ? 'future' : 'past');
      e.preventDefault();
    }
    e.stopPropagation();
  }
</script>

<Drawer label="Stamp press" onkeydown={keys} style="inset: 44px 0 0 var(--side); z-index: 8">
  <header>
    <h2 class="font-semibold">Stamp press</h2>
    <input
      class="name"
      aria-label="Name of the stamp"
      value={press.recipe.name}
      maxlength="80"
      onchange={(e) => press.change((r) => (r.name = e.currentTarget.value))}
    />
    <button class="chip" disabled={!press.past.length} onclick={() => press.step('past')}>Back</button>
    <button class="chip" disabled={!press.future.length} onclick={() => press.step('future')}>On</button>
    <button class="chip" onclick={() => press.take()}>New</button>
    <span class="grow"></span>
    <select class="pick" aria-label="Size of the stamp" bind:value={size}>
      {#each [256, 512, 1024, 2048, 4096] as n (n)}<option value={n}>{n} × {n}</option>{/each}
    </select>
    <button class="chip lead" disabled={busy} onclick={asTip} title="The brush stamps it: set its size and values there"
      >Stamp with it</button
    >
    <button class="chip" disabled={busy || !press.recipe.name.trim()} onclick={keep}>Keep in the stock</button>
    <button class="chip" disabled={busy} onclick={bring} title="For streams and as a channel's source"
      >To the pictures</button
    >
    <button class="chip" disabled={busy} onclick={deliver} title="A greyscale picture of 16 bits">PNG</button>
    <button class="chip" onclick={() => (ui.press = false)} aria-label="Close the press">✕</button>
  </header>
  <div class="bench">
    <Parts {press} />
    <div class="seen">
      <div class="looks" role="group" aria-label="Look">
        {#each press.info?.looks ?? ['relief'] as l (l)}
          <button aria-pressed={look === l} onclick={() => (look = l)}>{l}</button>
        {/each}
      </div>
      <Plate {press} {look} />
      {#if press.error}<p class="error" role="alert">{press.error}</p>{:else if done}<p class="quiet" role="status">
          {done}
        </p>{/if}
    </div>
    <Settings {press} />
  </div>
  <Shelf
    {press}
    drop={(s) =>
      act(async () => {
        await api.dropStock(s.id);
        await load();
        return `${s.recipe.name} was deleted from the stock.`;
      })}
  />
</Drawer>

<style>
  header {
    display: flex;
    gap: 6px;
    align-items: center;
    padding: 7px 12px;
    border-bottom: 1px solid var(--line);
    flex-wrap: wrap;
  }
  .name {
    width: 140px;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 4px 8px;
  }
  .lead {
    border-color: var(--plum);
  }
  .bench {
    flex: 1;
    display: grid;
    grid-template-columns: 206px minmax(0, 1fr) 268px;
    min-height: 0;
  }
  .seen {
    display: grid;
    grid-template-rows: auto 1fr auto;
    justify-items: center;
    padding: 8px;
    gap: 6px;
    min-height: 0;
    background: #4a4a4a;
  }
  .looks {
    display: flex;
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 4px;
  }
  .looks button {
    min-height: 28px;
    padding: 0 10px;
    color: var(--quiet);
  }
  .looks button[aria-pressed='true'] {
    color: var(--text);
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .error {
    border-left: 4px solid var(--brick);
    padding: 2px 8px;
    background: var(--panel);
  }
</style>
