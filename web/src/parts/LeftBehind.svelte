<script lang="ts">
  // What was not kept in the stock, since it belongs to this model.
  let { left }: { left: string[] } = $props();
</script>

{#if left.length}
  <div class="quiet text-sm" role="status">
    Kept, but for what belongs to this model:
    <ul class="list-disc pl-4">
      {#each left as l (l)}<li>{l}</li>{/each}
    </ul>
  </div>
{/if}
