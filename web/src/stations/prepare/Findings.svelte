<script lang="ts">
  // What the checks found; a click shows the place.
  import type { Finding } from '../../api/client';
  import type { Prep } from '../../lib/prep.svelte';
  let { prep, findings }: { prep: Prep; findings: Finding[] } = $props();
  function show(f: Finding) {
    const look = `finding.${prep.report!.findings!.indexOf(f)}`;
    prep.look = prep.look === look ? '' : look;
    prep.show();
  }
</script>

{#each findings as f, i (i)}
  <button
    class="finding"
    class:grave={f.grave}
    aria-pressed={prep.look === `finding.${prep.report?.findings?.indexOf(f)}`}
    title="Show the place on the model and the flat sheet"
    onclick={() => show(f)}>{f.text}{f.part ? ` (${f.part})` : ''}</button
  >
{/each}

<style>
  .finding {
    display: block;
    width: 100%;
    min-height: 28px;
    text-align: left;
    border-left: 3px solid var(--line);
    padding: 3px 8px;
    margin-bottom: 4px;
  }
  .finding.grave {
    border-left-color: var(--ochre);
  }
  .finding[aria-pressed='true'] {
    background: var(--raised);
  }
</style>
