<script lang="ts">
  // What went wrong, over all else, until it is closed.
  import { Toast } from 'flowbite-svelte';
  let { says, close }: { says: string; close: () => void } = $props();
  const still = () => ({ duration: 0 });
</script>

<Toast
  class="alarm"
  closeAriaLabel="Close"
  color="gray"
  transition={still}
  onclose={close}
  onpointerdown={(e) => e.stopPropagation()}>{says}</Toast
>
