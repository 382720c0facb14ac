<!-- Says that a part of the page could not be fetched. -->
<script lang="ts">
  let { what, why, again }: { what: string; why: string; again?: () => void } = $props();
</script>

<div class="grid h-full place-content-center gap-2 p-4 text-center" role="alert">
  <p style:color="var(--brick)">{what} could not be fetched: {why}</p>
  <p class="quiet">The server does not answer, or is another one than this page came from.</p>
  <div class="flex justify-center gap-2">
    {#if again}<button class="chip" onclick={again}>Try again</button>{/if}
    <button class="chip" onclick={() => location.reload()}>Load the page anew</button>
  </div>
</div>
