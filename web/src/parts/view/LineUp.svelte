<script lang="ts">
  // Over the pictures of a line-up: what each shows, and the way to take it. The pictures
  // themselves take the pointer: a drag turns all, a click takes one.
  import type { Compared, LineUp } from '../../lib/lineup.svelte';
  import type { Rect, Shown } from '../../view/cells';

  interface Props {
    lineup: LineUp;
    cells: Shown[];
    places: Rect[];
    tall: number;
    take: (i: number) => void;
    leave: () => void;
  }
  let { lineup, cells, places, tall, take, leave }: Props = $props();
  const ways: [Compared, string][] = [
    ['beside', 'beside each other'],
    ['divided', 'divided'],
    ['amplified', 'difference'],
  ];
  function drag(e: PointerEvent) {
    const el = e.currentTarget as HTMLElement;
    if (!el.hasPointerCapture(e.pointerId)) return;
    const box = el.parentElement!.getBoundingClientRect();
    lineup.at = Math.min(Math.max((e.clientX - box.left) / box.width, 0), 1);
  }
  function step(e: KeyboardEvent) {
    const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key];
    if (!by) return;
    e.preventDefault();
    lineup.at = Math.min(Math.max(lineup.at + by, 0), 1);
  }
</script>

<svelte:window
  onkeydowncapture={(e) => {
    const n = Number(e.key);
    const takes = lineup.takes && !(e.target instanceof HTMLInputElement) && n >= 1 && n <= lineup.list.length;
    if (e.key !== 'Escape' && !takes) return;
    e.stopImmediatePropagation(); // the key means nothing else now
    if (takes) take(n - 1);
    else leave();
  }}
/>
<div class="lineup" role="group" aria-label={`Line-up: ${lineup.title}`}>
  <p class="title">
    <span class="grow"
      ><b>{lineup.title}</b>
      <span class="quiet">{lineup.takes ? 'drag turns all; a click, or its number, takes one' : 'drag turns both'}</span
      ></span
    >
    {#if lineup.list.length === 2}
      <span class="flex gap-1" role="group" aria-label="How they are compared">
        {#each ways as [way, says] (way)}
          <button class="chip" aria-pressed={lineup.way === way} onclick={() => (lineup.way = way)}>{says}</button>
        {/each}
      </span>
      {#if lineup.way === 'amplified'}
        <label
          ><span class="quiet">times</span>
          <select class="pick" aria-label="Times" bind:value={lineup.times}>
            {#each [1, 2, 4, 8, 16, 32, 64] as v (v)}<option value={v}>{v}</option>{/each}
          </select></label
        >
      {/if}
    {/if}
    <button class="chip" title="Take none (Escape)" onclick={leave}>Leave</button>
  </p>
  {#if lineup.way === 'divided'}
    <div
      class="line"
      role="slider"
      tabindex="0"
      aria-label="The line between the two"
      aria-valuemin="0"
      aria-valuemax="100"
      aria-valuenow={Math.round(lineup.at * 100)}
      style:left={`${lineup.at * 100}%`}
      onpointerdown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onpointermove={drag}
      onkeydown={step}
    ></div>
  {/if}
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
        <button
          class="label"
          class:second={i === 1 && lineup.way !== 'beside'}
          title={lineup.takes ? 'Take this one' : c.alternative.label}
          onclick={() => lineup.takes && take(i)}
        >
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
  .title [aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
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
  /* two upon each other: the second one's name at its side */
  .label.second {
    left: auto;
    right: 100px;
  }
  .line {
    position: absolute;
    z-index: 1;
    top: 37px;
    bottom: 0;
    width: 28px;
    margin-left: -14px;
    cursor: ew-resize;
    pointer-events: auto;
    touch-action: none;
  }
  .line::after {
    content: '';
    position: absolute;
    left: 13px;
    top: 0;
    bottom: 0;
    width: 2px;
    background: white;
    box-shadow: 0 0 3px rgb(0 0 0 / 0.7);
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
