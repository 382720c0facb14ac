// Tabs by keys, as the ARIA practices have them: one of them is reached by Tab, the others by arrows,
// Home and End, which open what they reach.

/** An attachment for a list with the role tablist; its tabs say by aria-selected which one is open. */
export function tabs(list: HTMLElement): () => void {
  const all = () => [...list.querySelectorAll<HTMLElement>('[role="tab"]')];
  const rove = () => {
    const open = all().find((t) => t.getAttribute('aria-selected') === 'true') ?? all()[0];
    for (const t of all()) {
      t.tabIndex = t === open ? 0 : -1;
      t.toggleAttribute('data-autofocus', t === open); // where a dialog begins
    }
  };
  const upright = list.getAttribute('aria-orientation') === 'vertical';
  const by: Record<string, number> = {
    [upright ? 'ArrowUp' : 'ArrowLeft']: -1,
    [upright ? 'ArrowDown' : 'ArrowRight']: 1,
  };
  const press = (e: KeyboardEvent) => {
    const list = all();
    const at = list.indexOf(e.target as HTMLElement);
    if (at < 0 || e.altKey || e.ctrlKey || e.metaKey) return;
    let to = at + (by[e.key] ?? 0);
    if (e.key === 'Home') to = 0;
    else if (e.key === 'End') to = list.length - 1;
    else if (!by[e.key]) return;
    e.preventDefault();
    e.stopPropagation();
    const next = list[(to + list.length) % list.length];
    next.click();
    next.focus();
  };
  const watch = new MutationObserver(rove);
  watch.observe(list, { subtree: true, childList: true, attributeFilter: ['aria-selected'] });
  list.addEventListener('keydown', press);
  rove();
  return () => {
    watch.disconnect();
    list.removeEventListener('keydown', press);
  };
}
