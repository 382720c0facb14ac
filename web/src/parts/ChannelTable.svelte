<script lang="ts">
  // The open layer: a line a channel, with on/off, source, blend mode and amount.
  import type { ChannelInfo, Coat, Layer, MoreChannel, Step } from '../api/client';
  import { newID, type Op, type Session } from '../lib/session.svelte';
  import { heightRange, modeName, newCoat } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';
  import AddChannel from './AddChannel.svelte';
  import ColorField from './ColorField.svelte';
  import NumberField from './NumberField.svelte';

  let { session, ui, layer }: { session: Session; ui: UI; layer: Layer } = $props();
  const group = $derived(layer.kind === 'group');
  const decals = $derived(layer.kind === 'decals');
  /** what a channel takes from decals */
  const takes = (c: ChannelInfo, k: Coat) => k.source || (c.components === 3 ? 'color' : 'value');

  /** what the layer has, be it switched off; the others wait behind one button */
  const own = $derived(session.channels.filter((c) => layer.channels?.[c.channel]));
  const others = $derived(session.channels.filter((c) => !layer.channels?.[c.channel]));
  let naming = $state(false);
  /** channels that mean something to the surface, and that the project has not got */
  const beyond = $derived(
    (session.about.more ?? []).filter((m) => !session.channels.some((c) => c.channel === m.channel)),
  );
  function addMore(m: MoreChannel) {
    const value = { on: true, value: [m.suggested], blend: 'normal', amount: 1 };
    session.op({
      kind: 'batch',
      label: `Channel ${m.label}`,
      ops: [
        {
          kind: 'channel.add',
          index: -1,
          value: { channel: m.channel, label: m.label, color: m.color, default: m.default },
        },
        { kind: 'layer.set', target: layer.id, path: `channels.${m.channel}`, value },
      ],
    });
  }
  function take(e: Event) {
    const el = e.currentTarget as HTMLSelectElement;
    const [what, id] = el.value.split('|');
    el.value = '';
    const c = session.channels.find((x) => x.channel === id);
    const m = beyond.find((x) => x.channel === id);
    if (what === 'more' && m) addMore(m);
    else if (what === 'new') naming = true;
    else if (what === 'gone') session.op({ kind: 'channel.remove', target: id });
    else if (c) session.op(op(c, { on: true }));
  }

  const coat = (c: ChannelInfo): Coat =>
    (layer.channels?.[c.channel] as Coat) ?? { ...newCoat(c), on: group, blend: group ? '' : c.blend };
  const op = (c: ChannelInfo, change: Partial<Coat>): Op => ({
    kind: 'layer.set',
    target: layer.id,
    path: `channels.${c.channel}`,
    value: { ...coat(c), ...change, blend: change.blend ?? (coat(c).blend || c.blend) },
  });
  /** A channel made of a stream begins with a noise: something to see and to change. */
  function source(c: ChannelInfo, kind: string) {
    if (kind === 'value') {
      session.op(op(c, { stream: [] }));
      if (ui.stream === c.channel) ui.stream = 'mask';
      return;
    }
    const noise = { id: newID(), kind: 'noise', on: true, amount: 1, blend: 'normal' } as Step;
    if (!coat(c).stream?.length) session.op(op(c, { stream: [noise] }));
    ui.freshStream = ui.stream = c.channel;
    ui.step = '';
  }
  /** What a layer holds goes on through steps; the first softens a height, and grades all else. */
  function after(c: ChannelInfo) {
    const soft = c.channel === 'height' || c.channel === 'normal';
    const params = soft ? { radius: ui.extent / 400 } : {};
    const first = { id: newID(), kind: soft ? 'blur' : 'contrast', on: true, amount: 1, params } as Step;
    if (!coat(c).stream?.length) {
      session.op(op(c, { stream: [first] }));
      ui.step = first.id;
    }
    ui.freshStream = ui.stream = c.channel;
  }
</script>

{#snippet value(c: ChannelInfo, k: Coat)}
  {#if c.components === 3}
    <ColorField
      label={c.label}
      channel={c.channel}
      {ui}
      value={k.value!}
      preview={(value) => session.preview(op(c, { value }))}
      commit={(value) => session.op(op(c, { value }))}
    />
  {:else}
    <NumberField
      label={c.label}
      value={k.value![0]}
      min={heightRange(c)[0]}
      max={heightRange(c)[1]}
      unit={c.unit}
      scale={c.scale}
      fallback={c.suggested![0]}
      preview={(v) => session.preview(op(c, { value: [v] }))}
      commit={(v) => session.op(op(c, { value: [v] }))}
    />
  {/if}
{/snippet}
<div class="coats" role="table" aria-label={`Channels of ${layer.name}`}>
  {#each own as c (c.channel)}
    {@const k = coat(c)}
    <div class="line" class:off={!k.on} role="row">
      <span role="cell"
        ><label class="tick"
          ><input
            type="checkbox"
            checked={k.on}
            aria-label={`${c.label} on`}
            onchange={(e) => session.op(op(c, { on: e.currentTarget.checked }))}
          /></label
        ></span
      >
      <span class="label" role="cell">{c.label}</span>
      {#if k.on}
        <span role="cell" class="source">
          {#if layer.kind !== 'fill'}
            {#if k.stream?.length}
              <button
                class="chip grow"
                class:on={ui.stream === c.channel}
                title="What it holds goes on through these steps"
                onclick={() => after(c)}>then {k.stream.length} step{k.stream.length === 1 ? '' : 's'}</button
              >
              <button
                class="chip mini"
                title="As it is, without steps after it"
                aria-label={`${c.label}: without steps`}
                onclick={() => source(c, 'value')}>✕</button
              >
            {:else}
              {#if decals && c.channel !== 'normal'}
                <select
                  class="pick takes"
                  aria-label={`${c.label}: what of the decals`}
                  value={takes(c, k)}
                  onchange={(e) => session.op(op(c, { source: e.currentTarget.value as Coat['source'] }))}
                >
                  <option value="value">value</option>
                  <option value="color">colour</option>
                  <option value="grey">grey</option>
                  <option value="coverage">cover</option>
                </select>
                {#if takes(c, k) === 'value'}{@render value(c, k)}{/if}
              {:else}
                <span class="quiet grow"
                  >{{ paint: 'painted', picture: 'picture', group: 'of its layers', decals: 'flat', fill: '' }[
                    layer.kind
                  ]}</span
                >
              {/if}
              <button
                class="chip mini"
                title="Let it go on through steps: soften it, grade it, sharpen it …"
                aria-label={`${c.label}: steps after it`}
                onclick={() => after(c)}>…</button
              >
            {/if}
          {:else if k.stream?.length}
            <button class="chip grow" class:on={ui.stream === c.channel} onclick={() => source(c, 'stream')}
              >{k.stream.length} step{k.stream.length === 1 ? '' : 's'}</button
            >
            <button
              class="chip mini"
              title="Back to one value"
              aria-label={`${c.label}: one value`}
              onclick={() => source(c, 'value')}>✕</button
            >
          {:else}
            {#if c.channel === 'normal'}
              <span class="quiet grow">flat</span>
            {:else}
              {@render value(c, k)}
            {/if}
            <button
              class="chip mini"
              title="Make it of a stream: noise, picture, ramp …"
              aria-label={`${c.label}: make it of a stream`}
              onclick={() => source(c, 'stream')}>…</button
            >
          {/if}
        </span>
        <span role="cell">
          <select
            class="pick w-full"
            aria-label={`${c.label} blend mode`}
            value={k.blend || (group ? '' : c.blend)}
            onchange={(e) => session.op(op(c, { blend: e.currentTarget.value }))}
          >
            {#if group && !k.blend}<option value="">as the group</option>{/if}
            {#each c.modes ?? [] as m (m)}<option value={m}>{modeName(c.channel, m)}</option>{/each}
          </select>
        </span>
        <span role="cell"
          ><NumberField
            label={`${c.label} amount`}
            value={k.amount}
            min={0}
            max={1}
            scale={100}
            whole={false}
            fallback={1}
            preview={(amount) => session.preview(op(c, { amount }))}
            commit={(amount) => session.op(op(c, { amount }))}
          /></span
        >
        {#if c.channel === 'height' && !group && layer.kind !== 'picture' && !decals}
          <span class="rim" role="cell">
            <span class="quiet" title="how far in from its border the coat has risen; 0: as its mask">rim</span>
            <NumberField
              label="Rim width"
              value={k.bevel ?? 0}
              min={0}
              max={0.05}
              unit="mm"
              scale={1000}
              fallback={0}
              preview={(bevel) => session.preview(op(c, { bevel }))}
              commit={(bevel) => session.op(op(c, { bevel }))}
            />
            <span class="quiet" title="how far the rim stands above the coat, as flaking paint curls">curl</span>
            <NumberField
              label="Rim curl"
              value={k.lip ?? 0}
              min={0}
              max={1}
              scale={100}
              unit="%"
              fallback={0}
              preview={(lip) => session.preview(op(c, { lip }))}
              commit={(lip) => session.op(op(c, { lip }))}
            />
          </span>
        {/if}
      {:else}
        <span role="cell"
          ><button
            class="chip mini"
            aria-label={`Take ${c.label} off the layer`}
            title="The layer has none of it any more"
            onclick={() =>
              session.op({ kind: 'layer.set', target: layer.id, path: `channels.${c.channel}`, value: null })}>✕</button
          ></span
        >
      {/if}
    </div>
  {/each}
</div>
<select class="pick more" aria-label="Add a channel" value="" onchange={take}>
  <option value="">+ channel</option>
  {#each others as c (c.channel)}<option value={`add|${c.channel}`}>{c.label}</option>{/each}
  {#if beyond.length}
    <optgroup label="beyond these">
      {#each beyond as m (m.channel)}<option value={`more|${m.channel}`} title={m.help}>{m.label}</option>{/each}
    </optgroup>
  {/if}
  <option value="new|">a channel of your own …</option>
  {#if others.some((c) => c.channel.startsWith('added.'))}
    <optgroup label="delete from the project">
      {#each others.filter((c) => c.channel.startsWith('added.')) as c (c.channel)}
        <option value={`gone|${c.channel}`}>{c.label}</option>
      {/each}
    </optgroup>
  {/if}
</select>
{#if naming}<AddChannel {session} layer={layer.id} done={() => (naming = false)} />{/if}

<style>
  .coats {
    margin-top: 6px;
  }
  .more {
    width: auto;
    margin-top: 2px;
  }
  .line {
    display: grid;
    grid-template-columns: 18px 60px 1fr 62px 44px;
    align-items: center;
    gap: 4px;
    min-height: 32px;
    font-size: 13px;
  }
  .line.off {
    min-height: 26px;
    opacity: 0.75;
    grid-template-columns: 20px 1fr auto;
  }
  .rim {
    grid-column: 2 / -1;
    display: grid;
    grid-template-columns: auto 1fr auto 1fr;
    gap: 6px;
    align-items: center;
    padding-bottom: 4px;
  }
  .label {
    line-height: 1.1;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .source {
    display: flex;
    gap: 2px;
    min-width: 0;
    align-items: center;
  }
  .source :global(.color),
  .source :global(.field) {
    flex: 1;
    min-width: 0;
  }
  .takes {
    width: 58px;
    flex: 1;
    min-width: 0;
  }
  .chip.grow {
    padding: 0 6px;
    overflow: hidden;
    white-space: nowrap;
  }
  .chip.on {
    border-color: var(--plum);
  }
  input[type='checkbox'] {
    width: 15px;
    height: 15px;
    border-radius: 2px;
    accent-color: var(--verdigris);
    color: var(--verdigris);
    background-color: var(--field);
  }
  input[type='checkbox']:checked {
    background-color: var(--verdigris);
    border-color: transparent;
  }
</style>
