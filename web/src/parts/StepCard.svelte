<script lang="ts">
  // One step of a stream: the picture of the result up to it, how it meets what
  // came before, and its controls.
  import type { Layer, Param, Step } from '../api/client';
  import type { Op, Session } from '../lib/session.svelte';
  import { title } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';
  import NameField from './NameField.svelte';
  import ParamField from './ParamField.svelte';
  import Picture from './Picture.svelte';
  import PresetPick from './PresetPick.svelte';
  import StepJoint from './StepJoint.svelte';
  import StepNote from './StepNote.svelte';

  interface Props {
    session: Session;
    ui: UI;
    layer: Layer;
    step: Step;
    first: boolean;
    color: boolean;
    dragstart: () => void;
  }
  let { session, ui, layer, step, first, color, dragstart }: Props = $props();
  const kind = $derived(session.about.steps!.find((k) => k.kind === step.kind)!);
  const open = $derived(ui.step === step.id);
  const name = $derived(title(session.about.steps!, step));
  const op = (path: string, value: unknown): Op => ({ kind: 'step.set', target: layer.id, step: step.id, path, value });
  const params = $derived(
    (kind.params ?? []).filter((p) => !(kind.kind === 'follow' && p.unit === 'mm' && step.params?.what !== 'height')),
  );
  const agent = $derived(kind.role === 'agent');
  /** what a parameter does, and whether its length goes with the object */
  const told = (p: Param) =>
    p.goes
      ? `${p.help}; suggested for the size of the object`
      : p.unit === 'mm' && p.scale === 1000 && p.min >= 0
        ? `${p.help}; a real size, the same on every object`
        : p.help;
  const deep = $derived(params.filter((p) => (p.level || 1) <= (agent ? ui.depth : fold ? 1 : 3)));
  let fold = $state(true);
  const more = $derived(!agent && params.some((p) => (p.level || 1) > 1));
  const shown = $derived(
    open
      ? deep
      : params
          .filter(
            (p) =>
              !['ramp', 'curve', 'direction', 'picture', 'points', 'point', 'names', 'numbers', 'layer'].includes(
                p.kind,
              ) && (p.level || 1) < 3,
          )
          .slice(0, 2),
  );
  const strokes = $derived(session.strokes[`${layer.id}/${step.id}`] ?? 0);
  const error = $derived(
    session.failures.find((f) => f.step === step.id)?.why ?? session.stepErrors[`${layer.id}/${step.id}`],
  );
  let timer = 0;
  /** Resting on a card's picture shows the result up to it on the model. */
  function rest(on: boolean) {
    clearTimeout(timer);
    if (on && ui.alone === 'step') return;
    if (on) {
      timer = window.setTimeout(() => {
        ui.aloneStep = `${layer.id}/${step.id}`;
        ui.alone = 'step';
      }, 450);
    } else if (ui.alone === 'step') ui.alone = ui.pinned ? 'mask' : '';
  }
  $effect(() => () => rest(false));
  const inner = $derived((step.steps ?? []).length);
  let naming = $state(false);
  function rename(v: string | null) {
    naming = false;
    const given = v === kind.label ? '' : v; // the kind's own name need not be kept
    if (given !== null && given !== (step.name ?? '')) session.op(op('name', given));
  }
</script>

<StepJoint {session} {layer} {step} {kind} {first} {color} />
<article class="card" class:open class:off={!step.on} class:failed={!!error} aria-label={name}>
  <button
    class="shot"
    draggable="true"
    ondragstart={dragstart}
    aria-pressed={step.on}
    aria-label={`${step.on ? 'Switch off' : 'Switch on'} ${name}`}
    title={step.on ? 'Click to switch off, drag to move, rest to see it on the model' : 'Click to switch on'}
    onpointermove={(e) => (e.movementX || e.movementY) && rest(true)}
    onpointerleave={() => rest(false)}
    onclick={() => session.op(op('on', !step.on))}
  >
    <Picture image={session.pictures[`${layer.id}/${step.id}`]} label={`Result up to ${name}`} />
  </button>
  <div class="title">
    {#if naming}
      <NameField value={name} label="Step name" done={rename} />
    {:else}
      <button
        class="plain name"
        aria-expanded={open}
        title={`${kind.help} Double click to rename.`}
        ondblclick={() => (naming = true)}
        onclick={() => (ui.step = open ? '' : step.id)}>{name}</button
      >
    {/if}
    <span class="quiet text-xs"
      >{kind.hand ? `${strokes} stroke${strokes === 1 ? '' : 's'}` : open ? '' : kind.role}</span
    >
    {#if open}<button
        class="plain quiet"
        aria-label={`Delete ${name}`}
        title="Delete this step"
        onclick={() => session.op({ kind: 'step.remove', target: layer.id, step: step.id })}>✕</button
      >{/if}
  </div>
  <div class="params" class:wide={open && deep.length > 2}>
    {#if error}<span class="error">{error}</span>{/if}
    <StepNote {session} {layer} {step} />
    {#if open && (agent || more)}
      <span class="levels">
        {#if agent}
          <span class="tabs" role="group" aria-label="How much is shown">
            {#each ['one', 'some', 'all'] as word, i (word)}
              <button
                aria-pressed={ui.depth === i + 1}
                title={['one amount', 'the half dozen that matter', 'everything'][i]}
                onclick={() => ((ui.depth = i + 1), localStorage.setItem('depth', String(i + 1)))}>{word}</button
              >
            {/each}
          </span>
          <PresetPick {session} {layer} {step} {kind} />
        {:else}
          <button class="plain quiet" aria-expanded={!fold} onclick={() => (fold = !fold)}
            >{fold ? 'more …' : 'less'}</button
          >
        {/if}
      </span>
    {/if}
    {#each shown as p (p.name)}
      {#if p.kind !== 'ramp' && p.kind !== 'curve'}<span class="quiet" title={told(p)}>{p.label}</span>{/if}
      <ParamField
        {session}
        {ui}
        {step}
        param={p}
        preview={(v) => session.preview(op(`params.${p.name}`, v))}
        commit={(v) => session.op(op(`params.${p.name}`, v))}
      />
    {/each}
    {#if kind.inner}
      <button class="chip col-span-2" onclick={() => ((ui.stream = `step:${step.id}`), (ui.step = ''))}
        >{kind.inner}: {inner} step{inner === 1 ? '' : 's'} …</button
      >
    {/if}
    {#if kind.hand}
      <button class="chip col-span-2" onclick={() => ((ui.step = step.id), (ui.tool = 'brush'))}>Paint here</button>
    {/if}
  </div>
</article>

<style>
  .card {
    width: 142px;
    border: 1px solid var(--line);
    border-radius: 4px;
    background: var(--raised);
    overflow: hidden;
    display: flex;
    flex-direction: column;
  }
  .card.open {
    border-color: var(--plum);
    width: 214px;
  }
  .card.open:has(:global(.ramp)),
  .card.open:has(:global(svg)) {
    width: 300px;
  }
  .card.open:has(.wide) {
    width: 560px;
    display: grid;
    grid-template: auto 1fr / 132px 1fr;
  }
  .card.open:has(.wide) .shot {
    grid-row: span 2;
    height: 72px;
  }
  .card.off .shot {
    opacity: 0.3;
  }
  .shot {
    height: 54px;
    width: 100%;
    flex: none;
    cursor: pointer;
  }
  .title {
    display: flex;
    align-items: baseline;
    gap: 6px;
    padding: 0 8px;
  }
  .title .name {
    min-height: 28px;
  }
  .params {
    display: grid;
    grid-template-columns: auto 1fr;
    align-items: center;
    align-content: start;
    gap: 2px 6px;
    padding: 0 8px 4px;
    font-size: 12.5px;
    overflow: auto;
  }
  .name {
    flex: 1;
    min-width: 0;
    font-weight: 600;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .failed {
    border-color: var(--brick);
  }
  .levels {
    grid-column: 1 / -1;
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .tabs {
    display: flex;
    border: 1px solid var(--line);
    border-radius: 4px;
  }
  .tabs button {
    min-height: 28px;
    padding: 0 8px;
    color: var(--quiet);
  }
  .tabs button[aria-pressed='true'] {
    color: var(--text);
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .error {
    grid-column: 1 / -1;
    border-left: 3px solid var(--brick);
    padding-left: 6px;
  }
  .params.wide {
    grid-template-columns: auto 1fr auto 1fr;
  }
</style>
