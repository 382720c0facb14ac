<script lang="ts">
  // What a control's title says, beside it: under the pointer after a moment, and where it is reached by keys. One for
  // the whole page: whoever has something to tell says it by the attribute alone.
  import { Tooltip } from 'flowbite-svelte';

  /** how long the pointer or the focus rests on it before, milliseconds */
  const REST = 500;
  let on: HTMLElement | null = null;
  let words = $state('');
  let open = $state(false);
  let shown = $state(0);
  let rest = 0;

  /** The browser's own tip would come as well: while ours is there, the title is kept beside. */
  function takeTitle() {
    const title = on?.getAttribute('title');
    if (!on || !title) return;
    words = title;
    on.dataset.tip = title;
    on.removeAttribute('title');
    // what has no other name keeps it
    if (!on.textContent?.trim() && !on.hasAttribute('aria-label')) {
      on.setAttribute('aria-label', title);
      on.dataset.tipNames = '';
    }
  }
  const changed = new MutationObserver(takeTitle);

  function leave() {
    clearTimeout(rest);
    open = false;
    changed.disconnect();
    const it = on;
    on = null;
    if (!it) return;
    if (!it.hasAttribute('title') && it.dataset.tip) it.setAttribute('title', it.dataset.tip);
    if ('tipNames' in it.dataset) it.removeAttribute('aria-label');
    if (it.getAttribute('aria-describedby') === 'tip') it.removeAttribute('aria-describedby');
    delete it.dataset.tip;
    delete it.dataset.tipNames;
  }
  function reach(target: EventTarget | null) {
    const it = target instanceof Element ? target.closest<HTMLElement>('[title], [data-tip]') : null;
    if (it === on) return;
    leave();
    if (!it || it instanceof SVGElement) return;
    on = it;
    rest = window.setTimeout(() => {
      if (on !== it || !it.isConnected) return;
      takeTitle();
      changed.observe(it, { attributeFilter: ['title'] });
      if (!it.dataset.tip) return;
      if (!it.hasAttribute('aria-describedby')) it.setAttribute('aria-describedby', 'tip');
      shown++;
      open = true;
    }, REST);
  }
  /** Opens it once it is there: only then the library shows it. */
  function once(_: HTMLElement) {
    ready = true;
    return () => (ready = false);
  }
  let ready = $state(false);
  const still = () => ({ duration: 0 });
</script>

<svelte:document
  onpointerover={(e) => e.pointerType !== 'touch' && !e.buttons && reach(e.target)}
  onpointerdown={leave}
  onpointerleave={leave}
  onwheel={leave}
  onkeydown={leave}
  onfocusin={(e) => (e.target as HTMLElement).matches?.(':focus-visible') && reach(e.target)}
  onfocusout={leave}
/>

{#if open}
  {#key shown}
    <div hidden {@attach once}></div>
    <Tooltip
      id="tip"
      class="tip"
      type="custom"
      arrow={false}
      placement="bottom"
      reference="[data-tip]"
      transition={still}
      bind:isOpen={() => ready, (v) => v || leave()}>{words}</Tooltip
    >
  {/key}
{/if}
