<script lang="ts">
  // What the selected thing is made of: the stream of the mask or of a channel,
  // left to right, a card a step; and the brush.
  import { tabs } from '../lib/tabs';
  import Icon from './Icon.svelte';
  import StrokeUp from './StrokeUp.svelte';
  import type { ChannelInfo, Coat } from '../api/client';
  import type { Op, Session } from '../lib/session.svelte';
  import { findStep, heightRange, streamOf, title } from '../lib/stack';
  import { target } from '../lib/target';
  import { strokes, usualWorktop, type UI } from '../lib/ui.svelte';
  import Edge from './Edge.svelte';
  import Brush from './Brush.svelte';
  import NumberField from './NumberField.svelte';
  import Picture from './Picture.svelte';
  import StepCard from './StepCard.svelte';
  import StepMenu from './StepMenu.svelte';
  import { keyNow } from '../lib/shortcuts.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  const layer = $derived(session.layer(ui.selected));
  const steps = $derived(streamOf(layer, ui.stream));
  const made = $derived(
    session.channels.filter((c) => layer?.channels?.[c.channel]?.on && layer.channels[c.channel].stream?.length),
  );
  const holder = $derived(ui.stream.startsWith('step:') ? findStep(layer, ui.stream.slice(5)) : undefined);
  const channel = $derived(session.channels.find((c) => c.channel === ui.stream));
  /** whether colours can be in the open stream */
  const color = $derived(channel ? channel.components === 3 : made.some((c) => c.components === 3 && inside(c)));
  let dragging = $state('');
  const painting = $derived(strokes.includes(ui.tool) || ui.tool === 'line');
  const t = $derived(target(session, ui));

  $effect(() => session.focus(ui.selected));
  $effect(() => {
    // what was open may be gone: another window, an undo
    const gone = ui.stream.startsWith('step:')
      ? !holder
      : ui.stream !== 'mask' && !layer?.channels?.[ui.stream]?.stream?.length;
    if (layer && gone && ui.stream !== ui.freshStream) ui.stream = 'mask';
  });
  const inside = (c: ChannelInfo) =>
    JSON.stringify(layer?.channels?.[c.channel]?.stream ?? []).includes(ui.stream.slice(5));

  /** the streams around the open one, outermost first */
  const trail = $derived.by(() => {
    const out: { stream: string; label: string }[] = [];
    let name = ui.stream;
    for (let guard = 0; name.startsWith('step:') && guard < 20; guard++) {
      const id = name.slice(5);
      const s = findStep(layer, id);
      if (!s) break;
      out.unshift({ stream: name, label: title(session.about.steps!, s) });
      name = streamHolding(id);
    }
    return { root: name, out };
  });
  function streamHolding(id: string): string {
    for (const name of ['mask', ...made.map((c) => c.channel)])
      if (streamOf(layer, name).some((s) => s.id === id)) return name;
    const all = ['mask', ...made.map((c) => c.channel)].flatMap((n) => streamOf(layer, n));
    while (all.length) {
      const s = all.shift()!;
      if ((s.steps ?? []).some((x) => x.id === id)) return `step:${s.id}`;
      all.push(...((s.steps ?? []) as never[]));
    }
    return 'mask';
  }
  function drop(index: number) {
    const from = steps.findIndex((s) => s.id === dragging);
    if (layer && from >= 0 && from !== index)
      session.op({ kind: 'step.move', target: layer.id, step: dragging, path: ui.stream, index });
    dragging = '';
  }
  /** Ctrl and an arrow move the step whose card has the focus. */
  async function shift(e: KeyboardEvent, id: string, i: number) {
    const to = i + ({ ArrowLeft: -1, ArrowRight: 1 }[e.key] ?? 0);
    if (!e.ctrlKey || to === i || (e.target as HTMLElement).closest('input, select')) return;
    e.preventDefault();
    e.stopPropagation();
    if (!layer || to < 0 || to >= steps.length) return;
    session.op({ kind: 'step.move', target: layer.id, step: id, path: ui.stream, index: to });
    // a card that is put elsewhere in the page loses the focus
    const had = e.target as HTMLElement;
    for (let k = 0; k < 20 && had.isConnected; k++) {
      await new Promise((r) => setTimeout(r, 50));
      if (document.activeElement === document.body) had.focus();
    }
  }
  const lowest = 212;
  const highest = () => Math.max(Math.round(window.innerHeight * 0.6), lowest);
  const show = (stream: string) => {
    ui.stream = stream;
    ui.step = '';
  };
  /** what black and white mean when nothing else is said; of what a layer holds all of it is kept */
  const usual = (c: ChannelInfo) => (layer?.kind === 'fill' ? c.range! : [c.min, c.max]);
  const range = (c: ChannelInfo, i: number, v: number): Op => {
    const coat = layer!.channels![c.channel] as Coat;
    const r = [...(coat.range?.length === 2 ? coat.range : usual(c))];
    r[i] = v;
    return { kind: 'layer.set', target: layer!.id, path: `channels.${c.channel}`, value: { ...coat, range: r } };
  };
</script>

<section class="top" style:height={`${ui.worktop}px`}>
  <Edge
    label="Height of the worktop"
    value={ui.worktop}
    {lowest}
    highest={highest()}
    usual={usualWorktop()}
    set={(px) => ui.setWorktop(px)}
  />
  <header class="flex items-center gap-2 px-3 pt-2">
    {#if layer}
      <h2 class="truncate font-semibold">
        {trail.root === 'mask' ? 'Mask' : (session.channels.find((c) => c.channel === trail.root)?.label ?? trail.root)} of
        {layer.name}
      </h2>
      {#each trail.out as p, i (p.stream)}
        <span class="quiet">▸</span>
        <button class="plain" disabled={i === trail.out.length - 1} onclick={() => show(p.stream)}>{p.label}</button>
      {/each}
      {#if made.length || ui.stream !== 'mask'}
        <span class="tabs" role="tablist" {@attach tabs} aria-label="Streams">
          <button role="tab" aria-selected={trail.root === 'mask'} onclick={() => show('mask')}>mask</button>
          {#each made as c (c.channel)}
            <button role="tab" aria-selected={trail.root === c.channel} onclick={() => show(c.channel)}
              >{c.label}</button
            >
          {/each}
        </span>
      {/if}
      <span class="quiet whitespace-nowrap"
        >{steps.length === 0
          ? ui.stream === 'mask'
            ? 'shows everywhere'
            : 'empty'
          : `${steps.length} step${steps.length === 1 ? '' : 's'}`}</span
      >
      <StepMenu {session} {ui} />
      {#if channel && channel.components === 1 && layer.channels?.[channel.channel]?.stream?.length}
        {@const r =
          layer.channels[channel.channel].range?.length === 2 ? layer.channels[channel.channel].range! : usual(channel)}
        {@const [lo, hi] = heightRange(channel)}
        {#each ['black is', 'white is'] as word, i (word)}
          <span class="quiet whitespace-nowrap text-sm">{word}</span>
          <span class="w-20"
            ><NumberField
              label={word}
              value={r[i]}
              min={lo}
              max={hi}
              unit={channel.unit}
              scale={channel.scale}
              fallback={usual(channel)[i]}
              preview={(v) => session.preview(range(channel, i, v))}
              commit={(v) => session.op(range(channel, i, v))}
            /></span
          >
        {/each}
      {/if}
      <span class="ml-auto"></span>
      <button
        class="chip whitespace-nowrap"
        aria-pressed={ui.pinned}
        title={`Show the mask on the model and keep it there (${keyNow('shift+m')}); hold M for a look`}
        onclick={() => (ui.pinned = !ui.pinned)}><Icon of="pin" />Pin mask</button
      >
      <button
        class="chip whitespace-nowrap"
        aria-pressed={ui.conditions}
        title={`What all agents read: age, wetness, wind, rain, sun … (${keyNow('c')})`}
        onclick={() => ((ui.over = false), (ui.conditions = !ui.conditions))}><Icon of="cloud" />Conditions</button
      >
      <button
        class="chip whitespace-nowrap"
        aria-pressed={ui.stock}
        title="Saved masks: keep this one, or use one"
        onclick={() => ((ui.over = false), (ui.stock = !ui.stock))}><Icon of="stock" />Stock</button
      >
    {:else}
      <h2 class="quiet">No layer is selected</h2>
    {/if}
  </header>
  <div class="cards">
    {#if layer}
      {#each steps as s, i (s.id)}
        <!-- svelte-ignore a11y_no_noninteractive_element_interactions: keys of what lies in it -->
        <div
          class="slot"
          role="group"
          aria-label={`Step ${i + 1}`}
          ondragover={(e) => dragging && e.preventDefault()}
          ondrop={(e) => (e.preventDefault(), drop(i))}
          onkeydown={(e) => shift(e, s.id, i)}
        >
          <StepCard {session} {ui} {layer} {color} step={s} first={i === 0} dragstart={() => (dragging = s.id)} />
        </div>
      {/each}
      <div class="result">
        <div class="h-[62px]">
          <Picture
            image={session.pictures[ui.stream === 'mask' ? layer.id : `${layer.id}/${steps.at(-1)?.id}`]}
            label="Result"
          />
        </div>
        <span class="quiet px-2">= result</span>
      </div>
    {/if}
    {#if ui.tool === 'line' && ui.stroke}<StrokeUp {session} {ui} />
    {:else if painting && t.ok}<Brush {session} {ui} {t} />{/if}
  </div>
</section>

<style>
  .top {
    position: relative;
    display: flex;
    flex-direction: column;
  }
  .cards {
    flex: 1;
    min-height: 0;
    display: flex;
    gap: 6px;
    overflow-x: auto;
    padding: 8px 12px 10px;
    align-items: stretch;
  }
  .slot {
    display: flex;
  }
  .tabs {
    display: flex;
    border: 1px solid var(--line);
    border-radius: 4px;
  }
  .tabs button {
    min-height: 28px;
    padding: 0 9px;
    color: var(--quiet);
    white-space: nowrap;
  }
  .tabs button[aria-selected='true'] {
    color: var(--text);
    background: var(--raised);
    box-shadow: inset 0 -2px var(--plum);
  }
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
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
