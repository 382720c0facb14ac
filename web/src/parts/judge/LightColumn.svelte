<script lang="ts">
  // The light: its environment, how it is turned, and what of it is seen.
  import { api, type Around } from '../../api/client';
  import type { Session } from '../../lib/session.svelte';
  import type { UI } from '../../lib/ui.svelte';
  import NumberField from '../NumberField.svelte';
  let { ui, session }: { ui: UI; session: Session } = $props();
  const { look } = $derived(ui);
  let bringing = $state(false);
  $effect(() => {
    if (!look.known.length) api.environments().then((l) => (look.known = l), fail);
  });
  const fail = (e: Error) => (session.message = e.message);

  const chosen = $derived(look.known.find((a) => a.id === look.around));
  /** what was thrown away last, and can be had back */
  let thrown = $state.raw<Around | null>(null);
  async function throwAway(a: Around) {
    try {
      await api.dropStock(a.item!);
      look.known = look.known.filter((k) => k !== a);
      look.around = look.known[0].id;
      thrown = a;
    } catch (e) {
      fail(e as Error);
    }
  }
  async function bringBack(a: Around) {
    try {
      await api.restoreStock(a.item!);
      look.known = [...look.known, a];
      look.around = a.id;
      thrown = null;
    } catch (e) {
      fail(e as Error);
    }
  }

  async function bring(files: FileList | null) {
    bringing = true;
    for (const f of files ?? [])
      try {
        const a = await api.addEnvironment(f);
        look.known = [...look.known, a];
        look.around = a.id;
      } catch (e) {
        fail(e as Error);
      }
    bringing = false;
  }
</script>

<div>
  <h2 class="mb-1 font-semibold">Light</h2>
  <div class="row" role="group" aria-label="Environments">
    {#each look.known as a (a.item ?? a.id)}
      <button class="place" aria-pressed={look.around === a.id} title={a.note} onclick={() => (look.around = a.id)}>
        <img src={`/api/environments/${a.id}/picture`} alt="" width="92" height="46" loading="lazy" />
        <span class="truncate">{a.name}</span>
      </button>
    {/each}
    <label class="place bring" title="A panorama of your own: Radiance (.hdr) or OpenEXR (.exr), twice as wide as high">
      <span class="plus">{bringing ? '…' : '+'}</span>
      <span>panorama</span>
      <input
        type="file"
        accept=".hdr,.exr"
        class="sr-only"
        aria-label="Bring a panorama"
        onchange={(e) => bring(e.currentTarget.files)}
      />
    </label>
    <!-- in the row, so that the view beside it keeps its size -->
    {#if chosen?.item}
      <button class="place bring" aria-label={`Throw “${chosen.name}” away`} onclick={() => throwAway(chosen)}>
        <span class="plus">−</span><span>throw away</span>
      </button>
    {:else if thrown}
      <button
        class="place bring"
        title={`“${thrown.name}” was thrown away`}
        aria-label={`Bring “${thrown.name}” back`}
        onclick={() => bringBack(thrown!)}
      >
        <span class="plus">+</span><span>bring back</span>
      </button>
    {/if}
  </div>
  <div class="fields mt-2">
    <span class="quiet">turn</span><NumberField
      label="Turn"
      value={look.light}
      min={0}
      max={360}
      unit="°"
      fallback={312}
      preview={(v) => (look.light = v)}
      commit={(v) => (look.light = v)}
    />
    <span class="quiet">tilt</span><NumberField
      label="Tilt"
      value={look.tilt}
      min={-90}
      max={90}
      unit="°"
      fallback={0}
      preview={(v) => (look.tilt = v)}
      commit={(v) => (look.tilt = v)}
    />
    <span class="quiet">exposure</span><NumberField
      label="Exposure"
      value={look.exposure}
      min={0.05}
      max={16}
      log
      fallback={1}
      preview={(v) => (look.exposure = v)}
      commit={(v) => (look.exposure = v)}
    />
    <span class="quiet" title="How bright what is emissive is, by white">glow</span><NumberField
      label="Glow"
      value={look.glow}
      min={0.1}
      max={100}
      log
      fallback={1}
      preview={(v) => (look.glow = v)}
      commit={(v) => (look.glow = v)}
    />
    <span class="quiet">blur</span><NumberField
      label="Background blur"
      value={look.blur}
      min={0}
      max={1}
      fallback={0.6}
      preview={(v) => (look.blur = v)}
      commit={(v) => (look.blur = v)}
    />
    <span class="checks">
      <label><input type="checkbox" bind:checked={look.background} /> background</label>
      <label><input type="checkbox" bind:checked={look.shadows} /> shadows</label>
    </span>
  </div>
</div>

<style>
  .row {
    display: flex;
    gap: 4px;
    overflow-x: auto;
    padding-bottom: 3px;
  }
  .place {
    flex: none;
    width: 96px;
    padding: 1px;
    border: 1px solid transparent;
    border-radius: 3px;
    font-size: 12px;
    text-align: left;
    display: grid;
  }
  .place[aria-pressed='true'] {
    border-color: var(--plum);
    background: var(--raised);
  }
  .place img {
    border-radius: 2px;
    background: #444;
  }
  .place span {
    padding: 0 2px;
  }
  .bring {
    border: 1px dashed var(--line);
    cursor: pointer;
    text-align: center;
  }
  .bring:focus-within {
    outline: 2px solid var(--plum);
  }
  .plus {
    font-size: 22px;
    line-height: 44px;
  }
  .fields {
    display: grid;
    grid-template-columns: auto minmax(60px, 1fr) auto minmax(60px, 1fr);
    gap: 4px 8px;
    align-items: center;
  }
  .checks {
    grid-column: span 2;
    display: flex;
    gap: 10px;
    white-space: nowrap;
  }
  @media (max-width: 1180px) {
    .checks {
      gap: 4px;
      margin: 0 -10px 0 -6px;
      font-size: 12.5px;
    }
    .checks input {
      margin: 0;
    }
  }
</style>
