<script lang="ts">
  // The edge of a part of the page: dragged, or moved by the arrow keys; a double click sets it back.
  interface Props {
    label: string;
    /** pixels */
    value: number;
    lowest: number;
    highest: number;
    usual: number;
    /** an upright edge at the right of what it sizes; else one at its top */
    upright?: boolean;
    set: (px: number) => void;
  }
  let { label, value, lowest, highest, usual, upright = false, set }: Props = $props();
  let from: { at: number; value: number } | null = null;
  const at = (e: PointerEvent) => (upright ? e.clientX : -e.clientY);
  const bound = (px: number) => set(Math.round(Math.min(Math.max(px, lowest), highest)));
  function pull(e: PointerEvent & { currentTarget: HTMLElement }) {
    if (e.type === 'pointerdown') {
      from = { at: at(e), value };
      e.currentTarget.setPointerCapture(e.pointerId);
    } else if (from) bound(from.value + at(e) - from.at);
  }
  function key(e: KeyboardEvent) {
    const [more, less] = upright ? ['ArrowRight', 'ArrowLeft'] : ['ArrowUp', 'ArrowDown'];
    const d = e.key === more ? 16 : e.key === less ? -16 : 0;
    if (!d) return;
    e.preventDefault();
    bound(value + d);
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  class="edge"
  class:upright
  role="separator"
  aria-orientation={upright ? 'vertical' : 'horizontal'}
  aria-label={label}
  aria-valuenow={value}
  aria-valuemin={lowest}
  aria-valuemax={highest}
  tabindex="0"
  title="Drag it; a double click sets it back"
  onpointerdown={pull}
  onpointermove={pull}
  onpointerup={() => (from = null)}
  ondblclick={() => set(usual)}
  onkeydown={key}
></div>

<style>
  .edge {
    position: absolute;
    inset: -4px 0 auto;
    height: 8px;
    cursor: ns-resize;
    touch-action: none;
    z-index: 2;
  }
  .edge:hover,
  .edge:focus-visible {
    background: linear-gradient(transparent 3px, var(--plum) 3px, var(--plum) 5px, transparent 5px);
    outline: none;
  }
  .upright {
    inset: 0 0 0 auto;
    width: 8px;
    height: auto;
    cursor: ew-resize;
  }
  .upright:hover,
  .upright:focus-visible {
    background: linear-gradient(90deg, transparent 5px, var(--plum) 5px, var(--plum) 7px, transparent 7px);
  }
</style>
