<!-- A part of the page whose script is fetched when it is first shown. -->
<script lang="ts" generics="Props extends Record<string, any>">
  import type { Component } from 'svelte';
  import Missing from './Missing.svelte';

  let { load, ...props }: { load: () => Promise<{ default: Component<Props> }> } & Props = $props();
  // svelte-ignore state_referenced_locally
  let part = $state.raw(load());
</script>

{#await part then { default: Part }}
  <Part {...props as unknown as Props} />
{:catch e}
  <Missing what="This part of the page" why={(e as Error).message} again={() => (part = load())} />
{/await}
