<script lang="ts">
  // Over the pictures of a line-up: what each shows, and the way to take it. The pictures
  // themselves take the pointer: a drag turns all, a click takes one.
  import type { LineUp } from '../../lib/lineup.svelte';
  import type { Cell, Rect } from '../../view/cells';

  interface Props {
    lineup: LineUp;
    cells: Cell[];
    places: Rect[];
    tall: number;
    take: (i: number) => void;
    leave: () => void;
  }
  let { lineup, cells, places, tall, take, leave }: Props = $props();
</script>

<svelte:window
  onkeydowncapture={(e) => {
    const n = Number(e.key);
    const takes = !(e.target instanceof HTMLInputElement) && n >= 1 && n <= lineup.list.length;
    if (e.key !== 'Escape' && !takes) return;
    e.stopImmediatePropagation(); // the key means nothing else now
    if (takes) take(n - 1);
    else leave();
  }}
/>
<div class="lineup" role="group" aria-label={`Line-up: ${lineup.title}`}>
  <p class="title">
    <span class="grow"
      ><b>{lineup.title}</b> <span class="quiet">drag turns all; a click, or its number, takes one</span></span
    >
    <button class="chip" title="Take none (Escape)" onclick={leave}>Leave</button>
  </p>
  {#each cells as c, i (c)}
    {@const p = places[i]}
    {#if p}
      <div
        class="cell"
        data-settled={c.session.settled}
        style:left={`${p.x}px`}
        style:top={`${tall - p.y - p.h}px`}
        style:width={`${p.w}px`}
        style:height={`${p.h}px`}
      >
        <button class="label" title="Take this one" onclick={() => take(i)}>
          <span class="quiet">{i + 1}</span>
          {c.alternative.label}{#if !c.session.settled}<span class="quiet"> …</span>{/if}
        </button>
        {#if c.session.message}<p class="error" role="alert">{c.session.message}</p>{/if}
      </div>
    {/if}
  {/each}
</div>

<style>
  .lineup {
    position: absolute;
    inset: 0;
    pointer-events: none;
  }
  .title {
    position: absolute;
    z-index: 2;
    left: 0;
    right: 0;
    top: 0;
    display: flex;
    gap: 10px;
    align-items: center;
    padding: 4px 10px;
    background: var(--panel);
    border-bottom: 1px solid var(--line);
    pointer-events: auto;
  }
  .cell {
    position: absolute;
    border-right: 1px solid var(--line);
    border-bottom: 1px solid var(--line);
  }
  .label {
    position: absolute;
    left: 8px;
    bottom: 8px;
    max-width: calc(100% - 16px);
    min-height: 28px;
    padding: 2px 10px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    background: var(--panel);
    border-left: 3px solid var(--verdigris);
    border-radius: 0 3px 3px 0;
    pointer-events: auto;
  }
  .label:hover {
    border-color: var(--plum);
  }
  .error {
    position: absolute;
    inset: 40px 10px auto;
    padding: 4px 8px;
    background: var(--panel);
    border-left: 3px solid var(--brick);
  }
</style>
