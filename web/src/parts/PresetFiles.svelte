<script lang="ts">
  // What a preset writes: a row a file, its format, and what each component holds.
  import type { Component, FilePreset, PresetFile, Source } from '../api/client';

  let { preset, sources, change }: { preset: FilePreset; sources: Source[]; change: (p: FilePreset) => void } =
    $props();
  const formats: [string, string][] = [
    ['png8', 'PNG 8'],
    ['png16', 'PNG 16'],
    ['tiff8', 'TIFF 8'],
    ['tiff16', 'TIFF 16'],
    ['tiff32', 'TIFF float'],
    ['exr16', 'EXR half'],
    ['exr32', 'EXR float'],
    ['webp', 'WebP'],
    ['jpeg', 'JPEG'],
  ];
  const letters = ['r', 'g', 'b', 'a'] as const;
  const parts = (s: Source) =>
    s.parts === 3 ? (s.color ? ['red', 'green', 'blue'] : ['X', 'Y', 'Z']).map((n) => ` ${n}`) : [''];
  const choices = $derived(
    sources.flatMap((s) => parts(s).map((n, k) => ({ value: `${s.id}|${k}`, label: s.label + n }))),
  );
  const files = $derived(preset.files ?? []);
  const set = (i: number, f: PresetFile) => change({ ...preset, files: files.map((x, k) => (k === i ? f : x)) });
  const says = (c?: Component) => (!c ? '' : c.source ? `${c.source}|${c.part ?? 0}` : `=${c.value}`);
  function take(i: number, k: (typeof letters)[number], v: string) {
    const f: PresetFile = { ...files[i] };
    const was = f[k];
    if (!v) {
      // the second and third go together, and the fourth with them
      if (k === 'a') delete f.a;
      else if (k !== 'r') ['g', 'b', 'a'].forEach((x) => delete f[x as 'g']);
    } else {
      const [source, part] = v.split('|');
      const c: Component = v.startsWith('=') ? { value: Number(v.slice(1)) } : { source, part: Number(part) };
      if (was?.invert && c.source) c.invert = true;
      f[k] = c;
      if (k !== 'r') {
        f.g ??= { value: 0 };
        f.b ??= { value: 0 };
      }
    }
    set(i, f);
  }
  const turn = (i: number, k: (typeof letters)[number]) =>
    set(i, { ...files[i], [k]: { ...files[i][k], invert: !files[i][k]!.invert } });
  const add = () =>
    change({
      ...preset,
      files: [
        ...files,
        { map: `map_${files.length + 1}`, format: 'png8', r: { source: 'roughness', part: 0 } } as PresetFile,
      ],
    });
  /** further channels of an EXR */
  type More = NonNullable<PresetFile['more']>[number];
  const setMore = (i: number, more: More[]) => set(i, { ...files[i], more: more.length ? more : undefined });
  const addMore = (i: number) => {
    const had = files[i].more ?? [];
    setMore(i, [...had, { name: `channel_${had.length + 1}`, source: 'roughness', part: 0 }]);
  };
  function takeMore(i: number, k: number, change: Partial<More>) {
    setMore(
      i,
      (files[i].more ?? []).map((m, n) => (n === k ? { ...m, ...change } : m)),
    );
  }
  const drop = (i: number) => change({ ...preset, files: files.filter((_, k) => k !== i) });
</script>

<table class="w-full text-sm">
  <thead>
    <tr class="quiet text-left"><th>map</th><th>format</th><th>R</th><th>G</th><th>B</th><th>A</th><th></th></tr>
  </thead>
  <tbody>
    {#each files as f, i (i)}
      <tr class="border-t" style:border-color="var(--line)">
        <td
          ><input
            class="name"
            aria-label={`Name of file ${i + 1}`}
            value={f.map}
            oninput={(e) => set(i, { ...f, map: e.currentTarget.value })}
          /></td
        >
        <td
          ><select
            class="pick"
            aria-label={`Format of ${f.map}`}
            value={f.format}
            onchange={(e) => set(i, { ...f, format: e.currentTarget.value as PresetFile['format'] })}
          >
            {#each formats as [v, label] (v)}<option value={v}>{label}</option>{/each}
          </select></td
        >
        {#each letters as k (k)}
          <td>
            <select
              class="pick part"
              aria-label={`${k.toUpperCase()} of ${f.map}`}
              value={says(f[k])}
              onchange={(e) => take(i, k, e.currentTarget.value)}
            >
              {#if k !== 'r'}<option value="">none</option>{/if}
              {#each choices as c (c.value)}<option value={c.value}>{c.label}</option>{/each}
              {#each [0, 0.5, 1] as v (v)}<option value={`=${v}`}>{v}</option>{/each}
            </select>
            {#if f[k]?.source}
              <button
                class="turn"
                aria-pressed={!!f[k]!.invert}
                aria-label={`Invert ${k.toUpperCase()} of ${f.map}`}
                title="One minus it"
                onclick={() => turn(i, k)}>1−</button
              >
            {/if}
          </td>
        {/each}
        <td class="whitespace-nowrap">
          <label title="8 bits: rounded by an even pattern, so that slopes do not band"
            ><input type="checkbox" checked={!!f.dithered} onchange={() => set(i, { ...f, dithered: !f.dithered })} /> dithered</label
          >
          {#if f.a}<label
              ><input
                type="checkbox"
                checked={!!f.premultiplied}
                onchange={() => set(i, { ...f, premultiplied: !f.premultiplied })}
              /> premultiplied</label
            >{/if}
          {#if f.format.startsWith('exr')}<button
              class="chip"
              title="A further channel in the same file, under a name of its own"
              aria-label={`Further channel of ${f.map}`}
              onclick={() => addMore(i)}>+ channel</button
            >{/if}
          <button class="chip" aria-label={`Take ${f.map} out`} onclick={() => drop(i)}>✕</button>
        </td>
      </tr>
      {#if f.more?.length}
        <tr>
          <td></td>
          <td colspan="6">
            <span class="flex flex-wrap gap-2">
              {#each f.more as m, k (k)}
                <span class="whitespace-nowrap">
                  <input
                    class="name"
                    aria-label={`Name of channel ${k + 1} of ${f.map}`}
                    value={m.name}
                    onchange={(e) => takeMore(i, k, { name: e.currentTarget.value })}
                  />
                  <select
                    class="pick part"
                    aria-label={`Channel ${k + 1} of ${f.map}`}
                    value={`${m.source}|${m.part ?? 0}`}
                    onchange={(e) => {
                      const [source, part] = e.currentTarget.value.split('|');
                      takeMore(i, k, { source, part: Number(part) });
                    }}
                  >
                    {#each choices as c (c.value)}<option value={c.value}>{c.label}</option>{/each}
                  </select>
                  <button
                    class="chip"
                    aria-label={`Take channel ${k + 1} of ${f.map} out`}
                    onclick={() =>
                      setMore(
                        i,
                        f.more!.filter((_, n) => n !== k),
                      )}>✕</button
                  >
                </span>
              {/each}
            </span>
          </td>
        </tr>
      {/if}
    {/each}
  </tbody>
</table>
<button class="chip mt-1" onclick={add}>+ file</button>

<style>
  .name {
    width: 9em;
    min-height: 28px;
    background: var(--field);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 2px 6px;
    font: inherit;
  }
  .part {
    max-width: 9.5em;
  }
  .turn {
    min-width: 28px;
    min-height: 28px;
    color: var(--quiet);
  }
  .turn[aria-pressed='true'] {
    color: var(--text);
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
