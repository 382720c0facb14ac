<script lang="ts" generics="T">
  // A dialog about something; none while there is nothing. The word that one has closed comes
  // late, when another may be open already: it is of the one that closed.
  import { Modal } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  interface Props {
    about: T | null;
    title: string;
    size?: 'xs' | 'sm' | 'md' | 'lg';
    close: () => void;
    children: Snippet<[T]>;
  }
  let { about, title, size = 'xs', close, children }: Props = $props();
  const turn = $derived(about === null ? null : { about, title });
</script>

{#each turn ? [turn] : [] as it (it)}
  <Modal
    open
    title={it.title}
    aria-label={it.title}
    {size}
    onclose={() => {
      if (turn === it) close();
    }}
  >
    {@render children(it.about)}
  </Modal>
{/each}
