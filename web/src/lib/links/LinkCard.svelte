<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';
  import Switch from '$lib/ui/Switch.svelte';

  let { link, onchanged }: { link: Shape<'Link'>; onchanged: () => void } = $props();

  let fault = $state('');

  async function choose(c: Shape<'Calendar'>, change: Partial<Shape<'Choice'>>) {
    fault = '';
    try {
      const body = { blocks: c.blocks, getsBookings: c.getsBookings, ...change };
      await data(api.PUT('/api/calendars/{id}', { params: { path: { id: c.id } }, body }));
      onchanged();
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }

  const used = $derived(link.calendars.filter((c) => c.blocks || c.getsBookings));
  const trouble = $derived(used.find((c) => c.error));
  const since = $derived(
    new Date(link.createdAt).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' }),
  );

  function age(c: Shape<'Calendar'>): string {
    if (!c.blocks && !c.getsBookings) return 'not in use';
    if (c.readAgo < 0) return 'being read…';
    const s = c.readAgo;
    return s < 90
      ? `read ${s} s ago`
      : s < 5400
        ? `read ${Math.round(s / 60)} min ago`
        : `read ${Math.round(s / 3600)} h ago`;
  }
  function about(c: Shape<'Calendar'>): string {
    const parts = [c.canWrite ? 'can be written to' : 'can only be read'];
    if (c.readAgo >= 0 && c.blocks) parts.push(`${c.ahead} busy ahead`);
    if (c.skipped) parts.push(`${c.skipped} could not be read`);
    return parts.join(' · ');
  }
</script>

<section class="sheet overflow-hidden" aria-label="Account {link.username}">
  <header class="flex flex-wrap items-center gap-x-3 border-b border-base-300 bg-base-200 px-4 py-2.5">
    <span class="arch" class:wrong={trouble} class:idle={used.length === 0} aria-hidden="true"></span>
    <h2 class="text-base font-bold">{link.host}</h2>
    <span class="text-mute">{link.username} · linked {since}</span>
    {#if used.length === 0}<b class="ml-auto text-brick">Nothing chosen yet</b>{/if}
  </header>
  <ul class="divide-y divide-base-300">
    {#each link.calendars as c (c.id)}
      <li class="calendar">
        <span class="colour" style="background:{c.colour || 'var(--color-edge)'}" aria-hidden="true"></span>
        <div>
          <p class="font-bold">{c.name}</p>
          <p class="text-sm text-mute">{about(c)}</p>
        </div>
        <Switch label="Blocks time" checked={c.blocks} onchange={(on) => choose(c, { blocks: on })} />
        <Switch
          label={c.canWrite ? 'Gets bookings' : 'Read-only'}
          checked={c.getsBookings}
          disabled={!c.canWrite}
          onchange={(on) => choose(c, { getsBookings: on })}
        />
        <span
          class="text-right text-sm {c.error && (c.blocks || c.getsBookings)
            ? 'font-semibold text-brick'
            : 'text-mute'}"
        >
          {age(c)}
        </span>
      </li>
    {/each}
  </ul>
  {#if trouble || fault}
    <div class="p-4 pt-1">
      <Notice tone={fault ? 'wrong' : 'attention'}>
        {fault || `${trouble?.error} What was read last still blocks time.`}
      </Notice>
    </div>
  {/if}
</section>

<style>
  .calendar {
    display: grid;
    grid-template-columns: 12px minmax(0, 1fr) 148px 148px 128px;
    align-items: center;
    gap: 16px;
    padding: 11px 16px;
  }
  .colour {
    width: 12px;
    height: 16px;
    border-radius: 6px 6px 1px 1px;
  }
  .arch {
    width: 15px;
    height: 18px;
    border-radius: 8px 8px 1px 1px;
    background: var(--color-moss-fill);
  }
  .arch.wrong,
  .arch.idle {
    background: none;
    border: 2px dashed var(--color-brick);
  }
</style>
