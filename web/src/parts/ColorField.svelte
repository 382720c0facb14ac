<script lang="ts">
  // A colour in sRGB encoding: the browser's own picker and a hex field.
  let {
    value,
    label,
    commit,
    preview,
  }: { value: number[]; label: string; commit: (v: number[]) => void; preview?: (v: number[]) => void } = $props();
  const hex = $derived(
    '#' +
      value
        .map((v) =>
          Math.round(Math.min(Math.max(v, 0), 1) * 255)
            .toString(16)
            .padStart(2, '0'),
        )
        .join(''),
  );
  const parse = (s: string) =>
    /^#?([0-9a-f]{6})$/i
      .exec(s.trim())?.[1]
      .match(/../g)
      ?.map((h) => parseInt(h, 16) / 255);
  function typed(e: Event) {
    const el = e.currentTarget as HTMLInputElement;
    const v = parse(el.value);
    if (v) commit(v);
    else el.value = hex;
  }
</script>

<span class="color">
  <input
    type="color"
    aria-label={label}
    value={hex}
    oninput={(e) => preview?.(parse(e.currentTarget.value)!)}
    onchange={(e) => commit(parse(e.currentTarget.value)!)}
  />
  <input
    class="hex"
    aria-label={`${label} as hex`}
    value={hex}
    onchange={typed}
    onkeydown={(e) => e.stopPropagation()}
  />
</span>

<style>
  .color {
    display: flex;
    border: 1px solid var(--line);
    border-radius: 3px;
    background: var(--field);
    min-height: 28px;
  }
  input[type='color'] {
    width: 34px;
    height: 26px;
    padding: 3px;
    border: 0;
    background: none;
    cursor: pointer;
  }
  .hex {
    width: 100%;
    min-width: 0;
    border: 0;
    background: none;
    color: var(--text);
    font: inherit;
    font-size: 13px;
    padding: 0 4px;
  }
</style>
