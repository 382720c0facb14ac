<script lang="ts">
  // The brush, with a drawn preview of a stroke as it will be.
  import { tabs as byKeys } from '../lib/tabs';
  import { api, type Brushes } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import type { Target } from '../lib/target';
  import type { UI } from '../lib/ui.svelte';
  import BrushShelf from './BrushShelf.svelte';
  import Chance from './brush/Chance.svelte';
  import Line from './brush/Line.svelte';
  import Pen from './brush/Pen.svelte';
  import Tip from './brush/Tip.svelte';
  import Twins from './brush/Twins.svelte';

  let { session, ui, t }: { session: Session; ui: UI; t: Target } = $props();
  const b = $derived(ui.brush);
  const inMask = $derived(t.channels.includes('mask'));
  type Tab = 'line' | 'tip' | 'chance' | 'pen' | 'twins';
  const tabs: [Tab, string, string][] = [
    ['line', 'Line', 'Size, strength and what is laid'],
    ['tip', 'Tip', 'The form that is set down, and how close'],
    ['chance', 'Chance', 'What differs from dab to dab'],
    ['pen', 'Pen', 'What the pen drives: its pressure, tilt, lean and twist; what surfaces take paint'],
    ['twins', 'Twins', 'Symmetry: where each stroke is repeated'],
  ];
  let tab = $state<Tab>('line');
  let shelf = $state(false);
  let about = $state.raw<Brushes | null>(null);
  api.brushes().then(
    (x) => (about = x),
    () => {},
  );

  // a stroke as it will be, drawn by what draws strokes
  let picture = $state('');
  $effect(() => {
    const made = ui.brush.made();
    made.values = inMask ? { mask: [b.mask] } : t.channels.includes('baseColor') ? { baseColor: [...b.color] } : {};
    if (t.channels.includes('height') && !inMask) made.values.height = [b.values.height ?? 0];
    const wait = setTimeout(() => {
      api.brushPicture(made).then(
        (url) => {
          URL.revokeObjectURL(picture);
          picture = url;
        },
        () => {},
      );
    }, 70);
    return () => clearTimeout(wait);
  });
</script>

<section class="brush" aria-label="Brush">
  <div class="head">
    <h3 class="font-semibold">
      {{ erase: 'Eraser', fill: 'Fill', clone: 'Clone', smear: 'Smear' }[ui.tool as string] ?? 'Brush'}
    </h3>
    <button
      class="shown"
      onclick={() => (shelf = !shelf)}
      aria-label={`Brushes: ${b.name}`}
      title={`${b.name}; a click takes another brush`}
    >
      {#if picture}<img src={picture} alt="Preview of a stroke" />{/if}
      <span>{b.name}</span>
    </button>
    <span class="quiet lays-on" title={t.text}>{t.text}</span>
    <div class="tabs" role="tablist" {@attach byKeys} aria-label="Settings of the brush">
      {#each tabs as [id, label, help] (id)}
        <button role="tab" aria-selected={tab === id} title={help} onclick={() => (tab = id)}>{label}</button>
      {/each}
    </div>
  </div>
  {#if tab === 'line'}
    <Line {session} {ui} {t} />
  {:else if tab === 'tip'}
    <Tip {session} {ui} {about} />
  {:else if tab === 'chance'}
    <Chance {ui} />
  {:else if tab === 'pen'}
    <Pen {ui} {about} />
  {:else}
    <Twins {session} {ui} {t} />
  {/if}
</section>
{#if shelf}<BrushShelf {ui} close={() => (shelf = false)} />{/if}

<style>
  .brush {
    flex: 1 0 min(620px, 68%);
    max-width: 1100px;
    container-type: inline-size;
    border: 1px solid var(--verdigris);
    border-radius: 4px;
    background: var(--raised);
    padding: 3px 8px 4px;
    margin-left: auto;
    overflow: auto;
  }
  .head {
    position: sticky;
    top: 0;
    z-index: 1;
    display: flex;
    align-items: center;
    gap: 8px;
    margin: 0 -8px 3px;
    padding: 0 8px 3px;
    background: var(--raised);
  }
  .lays-on {
    flex: 0 1 auto;
    max-width: 30%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-size: 12px;
  }
  .shown {
    position: relative;
    flex: 1 1 0;
    min-width: 90px;
    height: 28px;
    border: 1px solid var(--line);
    border-radius: 3px;
    overflow: hidden;
    background: #5c5c5c;
  }
  .shown:hover {
    border-color: var(--plum);
  }
  .shown img {
    width: 100%;
    height: 100%;
    object-fit: cover;
  }
  .shown span {
    position: absolute;
    left: 5px;
    bottom: 1px;
    font-size: 11.5px;
    padding: 0 4px;
    background: rgb(20 20 20 / 0.72);
    color: #eee;
  }
  .tabs {
    display: flex;
  }
  .tabs button {
    min-height: 28px;
    padding: 0 8px;
    font-size: 12.5px;
    color: var(--quiet);
  }
  .tabs button[aria-selected='true'] {
    color: var(--text);
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
