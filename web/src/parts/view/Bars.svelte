<script lang="ts">
  // The tools, and which picture is shown.
  import type { Tool, UI, ViewMode } from '../../lib/ui.svelte';

  let { ui, frame }: { ui: UI; frame: () => void } = $props();
  const tools: [Tool, string][] = [
    ['orbit', 'O'],
    ['brush', 'P'],
    ['erase', 'E'],
    ['clone', 'G'],
    ['smear', 'Y'],
    ['fill', 'I'],
    ['lasso', 'J'],
    ['drill', 'D'],
    ['reach', 'R'],
  ];
  const modes: [ViewMode, string][] = [
    ['model', 'Model'],
    ['flat', 'Flat'],
    ['both', 'Both'],
  ];
</script>

{#if ui.station === 'Layer' && !ui.lineup}
  <div class="bar left-3" role="toolbar" aria-label="Tools">
    {#each tools as [tool, key] (tool)}
      <button class="tool" aria-pressed={ui.tool === tool} title={`${tool} (${key})`} onclick={() => (ui.tool = tool)}
        >{tool[0].toUpperCase() + tool.slice(1)}</button
      >
    {/each}
    <button
      class="tool"
      aria-pressed={ui.press}
      title="The stamp press: make a stamp, or take one (Shift P)"
      onclick={() => (ui.press = true)}>Stamp</button
    >
  </div>
{/if}
{#if ui.station !== 'Judge' && !ui.lineup}
  <div class="bar right-3" role="toolbar" aria-label="What is shown">
    <button class="tool" title="Fit the model in the view (F)" onclick={frame}>Frame</button>
    {#each modes as [mode, label] (mode)}
      <button class="tool" aria-pressed={ui.mode === mode} onclick={() => (ui.mode = mode)}>{label}</button>
    {/each}
  </div>
{/if}

<style>
  .bar {
    position: absolute;
    top: 10px;
    display: flex;
    gap: 2px;
    background: color-mix(in srgb, var(--panel) 94%, transparent);
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 2px;
  }
  .tool {
    min-height: 28px;
    padding: 0 11px;
    border-radius: 3px;
  }
  /* both rows beside each other */
  @media (max-width: 1180px) {
    .bar {
      gap: 0;
    }
    .tool {
      padding: 0 5px;
    }
  }
  .tool[aria-pressed='true'] {
    background: var(--raised);
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
