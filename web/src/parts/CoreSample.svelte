<script lang="ts">
  // What every layer adds at the drilled point, outermost first: its own value, how
  // much of it lies there, and what came of it; the steps of its streams on demand.
  import { css } from '../lib/color';
  import type { DrillLayer, Session } from '../lib/session.svelte';
  import { eachStep, title } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';
  let { session, ui, at }: { session: Session; ui: UI; at: { x: number; y: number } } = $props();
  const d = $derived(session.drill!);
  let channel = $state('all');
  let opened = $state('');
  const columns = $derived(
    channel === 'all'
      ? session.channels.filter((c) => ['baseColor', 'roughness', 'metallic', 'height'].includes(c.channel))
      : session.channels.filter((c) => c.channel === channel),
  );
  /** layers that do something there; the others can be asked for */
  let every = $state(false);
  const here = (l: DrillLayer): boolean =>
    l.shown &&
    (Object.values(l.cover).some((v) => v > 0.002) ||
      d.layers.some((k) => session.place(k.layer)?.parent === l.layer && here(k)));
  const isGroup = (l: DrillLayer) => session.layer(l.layer)?.kind === 'group';
  const list = $derived(d.layers.filter((l) => every || here(l)));
  function text(v: number[] | undefined, id: string): string {
    if (!v?.length) return '';
    const c = session.channels.find((x) => x.channel === id)!;
    return v.length === 3 ? '' : `${(v[0] * c.scale).toFixed(2)}${c.unit ? ' ' + c.unit : ''}`;
  }
  function open(l: DrillLayer) {
    opened = opened === l.layer ? '' : l.layer;
    if (opened && !Object.keys(l.steps).length) session.sample(d.pos, d.nrm, 'steps');
  }
  const depth = (l: DrillLayer) => session.place(l.layer)?.depth ?? 0;
</script>

<section
  style:left={`min(${at.x + 18}px, max(8px, calc(100% - 520px)))`}
  style:top={`max(50px, min(${at.y}px, calc(100% - 380px)))`}
  aria-label="Core sample"
>
  <header>
    <span class="quiet grow">{d.part} · {d.sheet}</span>
    <select class="pick" aria-label="Channels of the core sample" bind:value={channel}>
      <option value="all">main channels</option>
      {#each session.channels as c (c.channel)}<option value={c.channel}>{c.label}</option>{/each}
    </select>
    <button class="chip" aria-pressed={every} onclick={() => (every = !every)}>all layers</button>
    <button class="chip" aria-label="Close the core sample" onclick={() => (session.drill = null)}>✕</button>
  </header>
  <table>
    <thead>
      <tr class="quiet"
        ><th>layer</th><th title="mask × amount">here</th>
        {#each columns as c (c.channel)}<th title={`${c.label}: own → result`}>{c.label}</th>{/each}
      </tr>
    </thead>
    <tbody>
      {#each list as l (l.layer)}
        {@const layer = session.layer(l.layer)}
        <tr class:none={!here(l)} class:sel={l.layer === ui.selected}>
          <td style:padding-left={`${depth(l) * 10}px`}>
            <button
              class="plain more"
              aria-expanded={opened === l.layer}
              aria-label={`Steps of ${layer?.name}`}
              onclick={() => open(l)}>{opened === l.layer ? '–' : '+'}</button
            >
            <button class="plain" onclick={() => ui.choose(l.layer)}>{layer?.name ?? l.layer}</button>
          </td>
          <td>{Math.round(l.mask * l.amount * 100)} %</td>
          {#each columns as c (c.channel)}
            <td class:faint={!l.cover[c.channel] && !isGroup(l)}>
              {#if c.components === 3}
                {#if l.own[c.channel]}<span class="dot" style:background={css(l.own[c.channel])}></span> →{/if}
                <span class="dot" style:background={css(l.result[c.channel])}></span>
              {:else}
                {#if l.own[c.channel]}<span class="quiet">{text(l.own[c.channel], c.channel)} →</span>{/if}
                {text(l.result[c.channel], c.channel)}
              {/if}
            </td>
          {/each}
        </tr>
        {#if opened === l.layer}
          <tr>
            <td class="steps" colspan={2 + columns.length}>
              {#each eachStep(layer) as s (s.id)}
                {@const v = l.steps[s.id]}
                <span class:none={!s.on}
                  >{title(session.about.steps!, s)}
                  {#if v?.length === 3}<span class="dot" style:background={css(v)}></span>{:else if v?.length}<b
                      >{v[0].toFixed(2)}</b
                    >{/if}</span
                >
              {:else}<span>no steps: it shows everywhere</span>{/each}
              <span>reach and mask <b>{l.mask.toFixed(2)}</b></span>
            </td>
          </tr>
        {/if}
      {/each}
    </tbody>
  </table>
</section>

<style>
  section {
    position: absolute;
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 6px 8px;
    font-size: 12.5px;
    max-height: 370px;
    max-width: 560px;
    overflow: auto;
  }
  header {
    display: flex;
    gap: 6px;
    align-items: center;
  }
  th,
  td {
    padding: 1px 9px 1px 0;
    text-align: right;
    font-weight: 400;
    white-space: nowrap;
  }
  td:first-child,
  th:first-child {
    text-align: left;
  }
  .more {
    width: 28px;
    min-height: 28px;
    color: var(--quiet);
  }
  .none {
    opacity: 0.55;
  }
  .faint {
    opacity: 0.4;
  }
  .sel {
    background: var(--plum-soft);
  }
  .steps {
    text-align: left;
    white-space: normal;
    padding-left: 20px;
  }
  .steps > span {
    display: inline-block;
    padding-right: 12px;
    color: var(--quiet);
  }
  .steps b {
    color: var(--text);
    font-weight: 600;
  }
  .dot {
    display: inline-block;
    width: 20px;
    height: 13px;
    vertical-align: -2px;
  }
</style>
