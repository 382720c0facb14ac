<!-- A part of the page whose script is fetched when it is first shown. -->
<script lang="ts" generics="Props extends Record<string, any>">
  import type { Component } from 'svelte';
  import Missing from './Missing.svelte';

  let { load, ...props }: { load: () => Promise<{ default: Component<Props> }> } & Props = $props();
  // svelte-ignore state_referenced_locally
  let part = $state.raw(load());

  /** Fetches it again. The browser may remember that a script or a style was refused: by another name it is fetched anew. */
  function again(why: string) {
    const name = `?again=${Date.now()}`;
    const style = /CSS for (\S+\.css)/.exec(why)?.[1];
    if (style)
      document.head.append(Object.assign(document.createElement('link'), { rel: 'stylesheet', href: style + name }));
    part = load().catch((e: Error) => {
      const script = /https?:\S+\.js/.exec(e.message)?.[0];
      if (!script) throw e;
      return import(/* @vite-ignore */ script + name);
    });
  }
</script>

{#await part then { default: Part }}
  <Part {...props as unknown as Props} />
{:catch e}
  <Missing what="This part of the page" why={(e as Error).message} again={() => again((e as Error).message)} />
{/await}
