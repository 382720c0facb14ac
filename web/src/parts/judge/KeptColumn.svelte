<script lang="ts">
  // Looks (light and lens) and views (camera, what is shown) that the project keeps.
  import type { Judged } from '../../api/client';
  import { newID } from '../../lib/id';
  import type { Session } from '../../lib/session.svelte';
  import type { UI } from '../../lib/ui.svelte';
  import { takeView } from '../../lib/judged';
  import NameField from '../NameField.svelte';
  let { ui, session, id }: { ui: UI; session: Session; id: string } = $props();
  const kept = $derived(session.doc?.judged ?? []);
  const looks = $derived(kept.filter((j) => j.look));
  const views = $derived(kept.filter((j) => j.view));

  function keep(what: 'look' | 'view') {
    const n = (what === 'look' ? looks : views).length + 1;
    const value: Judged = {
      id: newID(),
      name: `${what === 'look' ? 'Look' : 'View'} ${n}`,
      picture: ui.judge?.small() ?? '',
    };
    if (what === 'look') value.look = ui.look.kept();
    else value.view = { ...ui.judge!.view(), alone: ui.alone, part: ui.part };
    session.op({ kind: 'judged.keep', value, index: -1 });
  }
  const drop = (j: Judged) => session.op({ kind: 'judged.drop', target: j.id });
  const rename = (j: Judged, name: string) => session.op({ kind: 'judged.keep', value: { ...j, name } });
  function anew(j: Judged) {
    const value: Judged = { ...j, picture: ui.judge?.small() ?? '' };
    if (j.look) value.look = ui.look.kept();
    else value.view = { ...ui.judge!.view(), alone: ui.alone, part: ui.part };
    session.op({ kind: 'judged.keep', value });
  }
  let open = $state('');
  let naming = $state('');
</script>

{#snippet card(j: Judged, n: number)}
  <div class="kept">
    <button
      class="shown"
      title={`${j.name}${n < 9 ? ` (${j.look ? 'Shift ' : ''}${n + 1})` : ''}`}
      aria-label={`${j.look ? 'Look' : 'View'} ${j.name}`}
      onclick={() => (j.look ? ui.look.take(j.look) : takeView(ui, session, j.view!))}
    >
      {#if j.picture}<img src={j.picture} alt="" width="96" height="56" />{/if}
      {#if n < 9}<b>{n + 1}</b>{/if}
    </button>
    <span class="flex items-center">
      {#if naming === j.id}
        <NameField
          value={j.name}
          label={`Name of ${j.name}`}
          done={(name) => ((naming = ''), name && rename(j, name))}
        />
      {:else}<span class="grow truncate">{j.name}</span>{/if}
      <button
        class="more"
        aria-label={`More for ${j.name}`}
        aria-expanded={open === j.id}
        onclick={() => (open = open === j.id ? '' : j.id)}>⋯</button
      >
    </span>
    {#if open === j.id}
      <span class="flex gap-1">
        <button class="chip" title="Keep what is seen now in its place" onclick={() => (anew(j), (open = ''))}
          >anew</button
        >
        <button class="chip" onclick={() => ((naming = j.id), (open = ''))}>rename</button>
        <button class="chip" onclick={() => (drop(j), (open = ''))}>forget</button>
      </span>
    {/if}
  </div>
{/snippet}

<div data-project={id}>
  <h2 class="mb-1 font-semibold">Views <span class="quiet font-normal">press their number</span></h2>
  <div class="row" role="group" aria-label="Views">
    {#each views as j, n (j.id)}{@render card(j, n)}{/each}
    <button
      class="add"
      aria-label="Keep this view"
      title="Keep the camera and what is shown"
      onclick={() => keep('view')}>+</button
    >
  </div>
  <h2 class="mt-1 mb-1 font-semibold">Looks <span class="quiet font-normal">with Shift</span></h2>
  <div class="row" role="group" aria-label="Looks">
    {#each looks as j, n (j.id)}{@render card(j, n)}{/each}
    <button class="add" aria-label="Keep this look" title="Keep light and lens" onclick={() => keep('look')}>+</button>
  </div>
</div>

<style>
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
  .kept {
    width: 98px;
    font-size: 12px;
  }
  .shown {
    position: relative;
    display: block;
    width: 98px;
    height: 58px;
    border: 1px solid var(--line);
    border-radius: 3px;
    overflow: hidden;
  }
  .shown b {
    position: absolute;
    left: 4px;
    bottom: 0;
    color: white;
    text-shadow: 0 0 3px black;
  }
  .add {
    width: 98px;
    height: 58px;
    border: 1px dashed var(--line);
    border-radius: 3px;
    font-size: 20px;
  }
  .more {
    min-width: 28px;
    min-height: 28px;
  }
</style>
