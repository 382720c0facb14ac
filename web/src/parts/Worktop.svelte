<script lang="ts">
  // What the selected layer's mask is made of, left to right, and the brush.
  import { Dropdown, DropdownItem } from 'flowbite-svelte';
  import type { Session } from '../lib/session.svelte';
  import { addStep, target, type UI } from '../lib/ui.svelte';
  import Brush from './Brush.svelte';
  import Picture from './Picture.svelte';
  import StepCard from './StepCard.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  const layer = $derived(session.layer(ui.selected));
  const mask = $derived(layer?.mask ?? []);
  let dragging = $state('');
  let adding = $state(false);
  const painting = $derived(ui.tool === 'brush' || ui.tool === 'erase');
  const t = $derived(target(session, ui));

  function drop(index: number) {
    if (layer && dragging) session.op({ kind: 'step.move', target: layer.id, step: dragging, index });
    dragging = '';
  }
</script>

<section class="top">
  <header class="flex items-center gap-3 px-3 pt-2">
    {#if layer}
      <h2 class="truncate font-semibold">Mask of {layer.name}</h2>
      <span class="quiet"
        >{mask.length === 0 ? 'shows everywhere' : `${mask.length} step${mask.length === 1 ? '' : 's'}`}</span
      >
      <button class="chip" id="add-step">+ Step</button>
      <Dropdown simple triggeredBy="#add-step" bind:isOpen={adding} placement="top-start" class="w-80">
        {#each session.about.steps ?? [] as s (s.kind)}
          <DropdownItem onclick={() => ((adding = false), addStep(session, ui, s.kind))} title={s.help}>
            <span class="font-semibold">{s.label}</span> <span class="quiet text-xs">{s.role} · {s.help}</span>
          </DropdownItem>
        {/each}
      </Dropdown>
      <span class="quiet ml-auto hidden text-sm lg:inline"
        >hold M to see the mask on the model, 1–8 for one channel, L to turn the light</span
      >
    {:else}
      <h2 class="quiet">No layer is selected</h2>
    {/if}
  </header>
  <div class="cards">
    {#if layer}
      {#each mask as s, i (s.id)}
        <div
          class="slot"
          role="group"
          aria-label={`Step ${i + 1}`}
          ondragover={(e) => dragging && e.preventDefault()}
          ondrop={(e) => (e.preventDefault(), drop(i))}
        >
          <StepCard {session} {ui} {layer} step={s} first={i === 0} dragstart={() => (dragging = s.id)} />
        </div>
      {/each}
      <div class="result">
        <div class="h-[62px]"><Picture image={session.pictures[layer.id]} label="Result" /></div>
        <span class="quiet px-2">= result</span>
      </div>
    {/if}
    {#if painting && t.ok}<Brush {session} {ui} {t} />{/if}
  </div>
</section>

<style>
  .top {
    height: 206px;
    display: flex;
    flex-direction: column;
  }
  .cards {
    flex: 1;
    display: flex;
    gap: 6px;
    overflow-x: auto;
    padding: 8px 12px 10px;
    align-items: stretch;
  }
  .slot {
    display: flex;
  }
  .result {
    width: 116px;
    flex: none;
    border: 1px dashed var(--line);
    border-radius: 4px;
    overflow: hidden;
    align-self: flex-start;
  }
</style>
