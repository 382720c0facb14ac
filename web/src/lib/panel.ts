// What slides in beside the view: it takes the focus when it opens, Escape inside closes it, and what
// had the focus before gets it back.
import type { Attachment } from 'svelte/attachments';

/** @param close none: the panel hears Escape itself */
export function panel(close?: () => void): Attachment<HTMLElement> {
  return (node) => {
    const before = document.activeElement as HTMLElement | null;
    const key = (e: KeyboardEvent) => {
      if (e.key !== 'Escape' || e.defaultPrevented || !close) return;
      e.stopPropagation();
      close();
    };
    node.tabIndex = -1;
    node.focus({ preventScroll: true });
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
