<script lang="ts">
  // The target view: a stand-in for the engine that receives a delivery. It opens the files as a stranger would, has the
  // corrections that people reach for there, and brings them home as a layer that waits to be accepted.
  import { onMount } from 'svelte';
  import { api, type DeliveryNote } from '../api/client';
  import NumberField from '../parts/NumberField.svelte';
  import { AS_IT_IS, TargetView, type Turned } from '../view/target';

  let { id, dark = $bindable() }: { id: string; dark: boolean } = $props();
  let screen: HTMLCanvasElement;
  let note = $state.raw<DeliveryNote | null>(null);
  let project = $state.raw({ id: '', name: '' });
  let of = $state('');
  let failed = $state('');
  let home = $state('');
  let busy = $state(false);
  let turned = $state.raw<Turned>({ ...AS_IT_IS });
  let view: TargetView | null = null;
  const rows: [keyof Turned, string, number, number][] = [
    ['roughness', 'Roughness, times', 0, 2],
    ['metallic', 'Metallic, times', 0, 2],
    ['brightness', 'Brightness, times', 0.25, 3],
    ['normal', 'Normals, times', 0, 3],
  ];
  const changed = $derived(rows.some(([k]) => Math.abs(turned[k] - 1) >= 0.005));

  onMount(() => {
    try {
      view = new TargetView(screen);
    } catch (e) {
      failed = (e as Error).message;
      return;
    }
    const size = new ResizeObserver(() => view?.resize());
    size.observe(screen);
    void (async () => {
      try {
        const d = await api.delivery(id);
        note = d.note;
        project = { id: d.project, name: d.name };
        of = await view!.open(d.project, d.note, async (n) => (await api.plan(d.project, n.order)).files ?? []);
      } catch (e) {
        failed = (e as Error).message;
      }
    })();
    return () => {
      size.disconnect();
      view?.dispose();
      view = null;
    };
  });
  function set(k: keyof Turned, v: number) {
    turned = { ...turned, [k]: v };
    home = '';
    view?.turn(turned);
  }
  function reset() {
    turned = { ...AS_IT_IS };
    view?.turn(turned);
  }
  async function take() {
    busy = true;
    try {
      home = (await api.takeHome(id, turned)).name;
      failed = '';
    } catch (e) {
      failed = (e as Error).message;
    }
    busy = false;
  }
</script>

<div class="page">
  <header>
    <span class="font-semibold">Target view</span>
    <span class="quiet grow truncate">{note ? `${project.name}: ${of || 'opening …'}` : ''}</span>
    <button class="chip" onclick={() => (dark = !dark)}>{dark ? 'Light page' : 'Dark page'}</button>
    {#if project.id}<a class="chip grid place-content-center" href={`#/project/${project.id}`}>Back to the project</a
      >{/if}
  </header>
  <canvas bind:this={screen} aria-label="The delivery" data-opened={of} tabindex="0"></canvas>
  <aside aria-label="Corrections">
    <h2 class="font-semibold">Corrections</h2>
    <p class="quiet">
      This page knows the delivered files and nothing else. Turn what looks wrong in this light, and take it home.
    </p>
    {#each rows as [k, label, min, max] (k)}
      <div class="row">
        <span class="quiet">{label}</span>
        <NumberField
          {label}
          value={turned[k]}
          {min}
          {max}
          fallback={1}
          preview={(v) => set(k, v)}
          commit={(v) => set(k, v)}
        />
      </div>
    {/each}
    <div class="mt-2 flex gap-2">
      <button class="chip" disabled={!changed} onclick={reset}>As it is</button>
      <button class="chip" disabled={!changed || busy || !of} onclick={take}>Take home</button>
    </div>
    {#if home}
      <p class="home" role="status">
        “{home}” lies on top of the layers, hidden until it is accepted there: show it to see what it does, delete it to
        refuse it.
      </p>
    {/if}
    {#if failed}<p class="mt-2 border-l-4 pl-2" style:border-color="var(--brick)" role="alert">{failed}</p>{/if}
    <p class="quiet mt-4">
      Normals are corrected by the heights they come from; what a baked normal map holds stays as it is.
    </p>
  </aside>
</div>

<style>
  .page {
    display: grid;
    height: 100%;
    grid-template: 44px 1fr / 1fr 300px;
  }
  header {
    grid-column: 1 / -1;
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 0 14px;
    background: var(--panel);
    border-bottom: 1px solid var(--line);
    min-width: 0;
  }
  canvas {
    width: 100%;
    height: 100%;
    min-width: 0;
    min-height: 0;
    touch-action: none;
  }
  aside {
    padding: 12px;
    background: var(--panel);
    border-left: 1px solid var(--line);
    overflow: auto;
  }
  .row {
    margin-top: 8px;
  }
  .home {
    margin-top: 10px;
    padding-left: 8px;
    border-left: 3px solid var(--verdigris);
    overflow-wrap: anywhere;
  }
</style>
