<script lang="ts">
  // Long work: how far it is, a way to stop it, and to try again.
  import { api, type Job } from '../../api/client';
  let { j, again = () => api.again(j.id) }: { j: Job; again?: () => Promise<unknown> } = $props();
  const reading = $derived(['project', 'newer model', 'dense model'].includes(j.kind));
  const running = $derived(j.state === 'waiting' || j.state === 'running' || j.state === 'ready');
  const act = (f: Promise<unknown>) => f.catch(() => {});
</script>

<div class="job" class:bad={j.state === 'failed'}>
  <span class="grow truncate" title={j.note}>{j.label}</span>
  {#if running}
    <span class="quiet truncate">{j.state === 'waiting' ? 'waits' : j.note}</span>
    <progress value={j.progress} max="1" aria-label={j.label}></progress>
    <b class="tabular-nums">{Math.round(j.progress * 100)} %</b>
    <button class="chip" onclick={() => act(api.cancel(j.id))}>Stop</button>
  {:else}
    <span class={reading ? '' : 'quiet truncate'} title={j.note} role={j.state === 'failed' ? 'alert' : undefined}
      >{j.state === 'failed' ? j.note : 'stopped'}</span
    >
    {#if j.state !== 'failed' || !reading}<button
        class="chip"
        title="What was done is kept; it goes on from there"
        onclick={() => act(again())}>Go on</button
      >{/if}
  {/if}
</div>

<style>
  .job {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 8px;
    padding: 5px 12px;
    border-left: 3px solid var(--verdigris);
    border-bottom: 1px solid var(--line);
    font-size: 13px;
  }
  .job.bad {
    border-left-color: var(--brick);
  }
  progress {
    width: 80px;
    height: 6px;
    accent-color: var(--verdigris);
  }
</style>
