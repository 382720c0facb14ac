<script lang="ts">
  // The figures of every sheet, with what they were before the last change.
  import type { SheetReport } from '../../api/client';
  import type { Prep } from '../../lib/prep.svelte';
  let { prep }: { prep: Prep } = $props();
  const was = (s: SheetReport) => prep.before?.sheets?.find((o) => o.sheet === s.sheet);
  const rows: [string, string, (s: SheetReport) => string][] = [
    ['islands', '', (s) => String(s.islands)],
    ['filled', 'share of the sheet', (s) => `${Math.round(s.space * 100)} %`],
    [
      'angles',
      'what a circle becomes, mean and 95 %',
      (s) => `${s.stretch.angle.mean.toFixed(2)} / ${s.stretch.angle.p95.toFixed(2)}`,
    ],
    [
      'areas',
      'against the mean, mean and 95 %',
      (s) => `${s.stretch.area.mean.toFixed(2)} / ${s.stretch.area.p95.toFixed(2)}`,
    ],
    ['density', 'texels a millimetre', (s) => ((s.density?.[1] ?? 0) / 1000).toFixed(1)],
    ['padding', 'texels between islands', (s) => (s.padding < 0 ? '–' : String(s.padding))],
  ];
</script>

{#each prep.report?.sheets ?? [] as s (s.sheet)}
  <details open={(prep.report?.sheets?.length ?? 0) < 3}>
    <summary
      ><b>{s.sheet}</b> <span class="quiet">{s.islands} islands · {Math.round(s.space * 100)} % filled</span></summary
    >
    <table>
      <tbody>
        {#each rows as [name, help, text] (name)}
          {@const before = was(s) && text(was(s)!)}
          <tr title={help}>
            <th>{name}</th>
            {#if before && before !== text(s)}<td class="quiet">{before} →</td>{:else}<td></td>{/if}
            <td>{text(s)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </details>
{/each}

<style>
  details {
    border-top: 1px solid var(--line);
    padding: 3px 0;
  }
  summary {
    min-height: 28px;
    cursor: pointer;
    display: flex;
    gap: 8px;
    align-items: center;
  }
  table {
    width: 100%;
    font-variant-numeric: tabular-nums;
    font-size: 13px;
  }
  th {
    text-align: left;
    font-weight: 400;
    color: var(--quiet);
  }
  td {
    text-align: right;
  }
</style>
