<script lang="ts">
  // What slides in beside the view. It is not modal: things are dragged out of it onto the model, and the view is
  // turned meanwhile.
  import { Drawer } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';
  import { panel } from '../lib/panel';

  let {
    label,
    close,
    style,
    onkeydown,
    children,
  }: {
    label: string;
    /** none: it hears Escape itself */
    close?: () => void;
    /** where it lies, and how wide it is */
    style: string;
    onkeydown?: (e: KeyboardEvent) => void;
    children: Snippet;
  } = $props();
  // asked before the library shows it, which takes the focus
  const before = document.activeElement as HTMLElement | null;
  // it slides in by its style, which heeds who wants no motion
  const still = () => ({ duration: 0 });
</script>

<Drawer
  open
  modal={false}
  dismissable={false}
  outsideclose={false}
  placement="right"
  aria-label={label}
  class="beside"
  {style}
  {onkeydown}
  transition={still}
  {@attach panel(close, before)}
>
  {@render children()}
</Drawer>

<style>
  :global(dialog.beside) {
    position: absolute;
    inset: auto;
    width: auto;
    height: auto;
    max-height: none;
    max-width: none;
    margin: 0;
    padding: 0;
    border: 0;
    border-left: 1px solid var(--line);
    background: var(--panel);
    color: var(--text);
    display: flex;
    flex-direction: column;
    will-change: auto;
    outline: none;
    translate: none;
    transform: none;
    animation: beside 0.16s ease-out;
  }
  @keyframes -global-beside {
    from {
      translate: 40px 0;
      opacity: 0;
    }
  }
</style>
