<script lang="ts">
  // A name while it is typed: Enter or leaving the field keeps it, Escape does not.
  let { value, label, done }: { value: string; label: string; done: (name: string | null) => void } = $props();
  let ended = false;
  function end(name: string | null) {
    if (ended) return; // leaving the page takes the focus away once more
    ended = true;
    done(name);
  }
  const focus = (el: HTMLInputElement) => el.select();
</script>

<input
  class="naming"
  {value}
  aria-label={label}
  use:focus
  onblur={(e) => end(e.currentTarget.value.trim())}
  onkeydown={(e) => {
    e.stopPropagation();
    if (e.key === 'Enter') end(e.currentTarget.value.trim());
    if (e.key === 'Escape') end(null);
  }}
/>

<style>
  .naming {
    flex: 1;
    width: 100%;
    min-width: 0;
    background: var(--field);
    color: var(--text);
    font: inherit;
    padding: 2px 6px;
  }
</style>
