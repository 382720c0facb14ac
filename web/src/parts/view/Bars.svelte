<script lang="ts">
  // The tools, and which picture is shown.
  import type { IconName } from '../../lib/icons';
  import type { Tool, UI, ViewMode } from '../../lib/ui.svelte';
  import { keyNow } from '../../lib/shortcuts.svelte';
  import Icon from '../Icon.svelte';

  let { ui, frame }: { ui: UI; frame: () => void } = $props();
  const tools: [Tool, string, IconName][] = [
    ['orbit', 'o', 'orbit'],
    ['brush', 'p', 'brush'],
    ['erase', 'e', 'eraser'],
    ['clone', 'g', 'copy'],
    ['smear', 'y', 'smear'],
    ['fill', 'i', 'fill'],
    ['line', 'shift+l', 'line'],
    ['lasso', 'j', 'lasso'],
    ['drill', 'd', 'drill'],
    ['reach', 'r', 'reach'],
  ];
  const modes: [ViewMode, string, IconName][] = [
    ['model', 'Model', 'box'],
    ['flat', 'Flat', 'map'],
    ['both', 'Both', 'columns'],
  ];
</script>

{#if ui.station === 'Layer' && !ui.lineup}
  <div class="bar left-3" role="toolbar" aria-label="Tools">
    {#each tools as [tool, key, sign] (tool)}
      <button
        class="tool"
        aria-pressed={ui.tool === tool}
        title={`${tool} (${keyNow(key)})`}
        onclick={() => (ui.tool = tool)}><Icon of={sign} />{tool[0].toUpperCase() + tool.slice(1)}</button
      >
    {/each}
    <button
      class="tool"
      aria-pressed={ui.press}
      title="The stamp press: make a stamp, or take one ({keyNow('shift+p')})"
      onclick={() => (ui.press = true)}><Icon of="stamp" />Stamp</button
    >
  </div>
{/if}
{#if ui.station !== 'Judge' && !ui.lineup}
  <div class="bar right-3" role="toolbar" aria-label="What is shown">
    <button class="tool" title="Fit the model in the view (F)" onclick={frame}><Icon of="frame" />Frame</button>
    {#each modes as [mode, label, sign] (mode)}
      <button class="tool" aria-pressed={ui.mode === mode} onclick={() => (ui.mode = mode)}
        ><Icon of={sign} />{label}</button
      >
    {/each}
  </div>
{/if}

<style>
  .bar {
    zoom: var(--scale);
    position: absolute;
    top: 10px;
    display: flex;
    gap: 2px;
    background: color-mix(in srgb, var(--panel) 94%, transparent);
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 2px;
  }
  /* the sign stands on its word, so that both rows fit beside each other */
  .tool {
    display: grid;
    justify-items: center;
    align-content: center;
    gap: 1px;
    min-height: 40px;
    min-width: 44px;
    padding: 0 7px;
    border-radius: 3px;
    font-size: 12px;
    line-height: 15px;
  }
  /* both rows beside each other */
  @media (max-width: 1180px) {
    .bar {
      gap: 0;
    }
    .tool {
      min-width: 36px;
      padding: 0 3px;
    }
  }
  .tool[aria-pressed='true'] {
    background: var(--raised);
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
