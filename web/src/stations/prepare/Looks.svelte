<script lang="ts">
  // Chooses what lies over the model.
  import type { Prep } from '../../lib/prep.svelte';
  let { prep, list }: { prep: Prep; list: [string, string, string?][] } = $props();
  function pick(look: string) {
    prep.look = prep.look === look ? '' : look;
    prep.show();
    prep.drawLines();
  }
</script>

<div class="looks" role="group" aria-label="Shown on the model">
  {#each list as [look, label, help] (look)}
    <button class="chip" aria-pressed={prep.look === look} title={help} onclick={() => pick(look)}>{label}</button>
  {/each}
</div>

<style>
  .looks {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    margin-bottom: 8px;
  }
</style>
