<script lang="ts">
  // One of some things, with a word before it that says what is chosen.
  interface Props {
    /** how it is called to those who do not see it */
    name: string;
    label?: string;
    help?: string;
    value: string;
    /** value, words, and what they mean */
    options: readonly (readonly [string, string, string?])[];
    take: (v: string) => void;
  }
  let { name, label = '', help = '', value, options, take }: Props = $props();
</script>

{#if label}<span class="quiet" title={help || undefined}>{label}</span>{/if}
<select class="pick" aria-label={name} {value} onchange={(e) => take(e.currentTarget.value)}>
  {#each options as [v, words, means] (v)}<option value={v} title={means}>{words}</option>{/each}
</select>
