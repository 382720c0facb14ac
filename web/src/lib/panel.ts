// What slides in beside the view: it takes the focus when it opens, Escape inside closes it, and what
// had the focus before gets it back.
import type { Attachment } from 'svelte/attachments';

/**
 * @param close none: the panel hears Escape itself
 * @param had what had the focus before; none: what has it when the panel comes
 */
export function panel(close?: () => void, had?: HTMLElement | null): Attachment<HTMLElement> {
  return (node) => {
    const before = had ?? (document.activeElement as HTMLElement | null);
    const key = (e: KeyboardEvent) => {
      if (e.key !== 'Escape' || e.defaultPrevented || !close) return;
      e.stopPropagation();
      close();
    };
    node.tabIndex = -1;
    const take = () => node.isConnected && node.focus({ preventScroll: true });
    take();
    if (had !== undefined) setTimeout(take); // the library gives it to the first button
    node.addEventListener('keydown', key);
    return () => {
      node.removeEventListener('keydown', key);
      // not from what was chosen meanwhile
      const now = document.activeElement;
      const free = !now || now === document.body || node.contains(now);
      if (free && before?.isConnected) before.focus({ preventScroll: true });
    };
  };
}
