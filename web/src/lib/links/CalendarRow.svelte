<script lang="ts">
  import ChevronDown from '@lucide/svelte/icons/chevron-down';
  import type { Shape } from '$lib/api/client';
  import Switch from '$lib/ui/Switch.svelte';
  import WeekStrip from './WeekStrip.svelte';
  import { readWords, sentence, kept, tryWords } from './words';

  let {
    calendar: c,
    feed,
    owner = false,
    onchoose,
  }: {
    calendar: Shape<'Calendar'>;
    /** It is a published calendar, which gets nothing. */
    feed: boolean;
    /** Whether it is looked at by its owner, who alone opens what its events are called. */
    owner?: boolean;
    onchoose: (change: Partial<Shape<'Choice'>>) => void;
  } = $props();

  const id = $props.id();
  let open = $state(false);
  const used = $derived(c.blocks || c.getsBookings);

  function about(): string {
    const parts = [feed ? 'published' : c.canWrite ? 'can be written to' : 'can only be read'];
    if (c.readAgo >= 0 && used) parts.push(`${c.events} ${c.events === 1 ? 'event' : 'events'}`);
    if (c.readAgo >= 0 && c.blocks)
      parts.push(c.ahead === 1 ? 'one time blocked ahead' : `${c.ahead} times blocked ahead`);
    return parts.join(' · ');
  }
  const pads = [0, 5, 10, 15, 20, 30, 45, 60, 90, 120];
  const choices = (present: number) => [...new Set([...pads, present])].sort((a, b) => a - b);
</script>

<li>
  <div class="calendar">
    <span class="colour" style="background:{c.colour || 'var(--color-edge)'}" aria-hidden="true"></span>
    <div class="name min-w-0">
      <p class="truncate font-bold">{c.name}</p>
      <p class="text-sm text-mute">
        {about()}{#if c.skipped}
          · <b class="text-gold-ink">{c.skipped} could not be read</b>{/if}
      </p>
    </div>
    <div class="week">
      {#if used && c.week.length}<WeekStrip week={c.week} />{/if}
    </div>
    <Switch label="Blocks time" checked={c.blocks} onchange={(on) => onchoose({ blocks: on })} />
    <Switch
      label={c.canWrite ? 'Gets bookings' : 'Read-only'}
      checked={c.getsBookings}
      disabled={!c.canWrite}
      onchange={(on) => onchoose({ getsBookings: on })}
    />
    <span class="state text-sm text-mute">
      {#if used && c.error}<b class="block text-brick">{readWords(c)}</b>{tryWords(c)}
      {:else if used && c.state === 'late'}<b class="text-gold-ink">{readWords(c)}</b>
      {:else}{readWords(c)}{/if}
    </span>
    <button
      class="btn btn-square btn-ghost btn-sm"
      aria-expanded={open}
      aria-controls={id}
      aria-label="How events of {c.name} count"
      onclick={() => (open = !open)}
    >
      <ChevronDown size={18} class={open ? 'rotate-180' : ''} />
    </button>
  </div>
  {#if open}
    <div class="details" {id}>
      <p>{sentence(c)}</p>
      {#if c.blocks}
        <div class="flex flex-wrap items-center gap-x-6 gap-y-2">
          <span class="flex flex-wrap items-center gap-2">
            Keep
            <select
              class="select select-sm w-24"
              aria-label="Kept free before each event"
              value={c.padBefore ?? 0}
              onchange={(e) => onchoose({ padBefore: Number(e.currentTarget.value) })}
            >
              {#each choices(c.padBefore ?? 0) as m (m)}<option value={m}>{kept(m)}</option>{/each}
            </select>
            free before and
            <select
              class="select select-sm w-24"
              aria-label="Kept free after each event"
              value={c.padAfter ?? 0}
              onchange={(e) => onchoose({ padAfter: Number(e.currentTarget.value) })}
            >
              {#each choices(c.padAfter ?? 0) as m (m)}<option value={m}>{kept(m)}</option>{/each}
            </select>
            after each event
          </span>
          <Switch
            label="Tentative events block"
            checked={!c.tentativeFree}
            onchange={(on) => onchoose({ tentativeFree: !on })}
          />
          <Switch
            label="All-day events block"
            checked={!c.allDayFree}
            onchange={(on) => onchoose({ allDayFree: !on })}
          />
        </div>
      {/if}
      {#if owner && (c.blocks || c.titles)}
        <div class="grid gap-1">
          <Switch
            label="Shows titles"
            checked={c.titles ?? false}
            onchange={(on) => onchoose({ titles: on })}
          />
          <p class="text-sm text-mute">
            {c.titles
              ? 'Your desk reads what your events are called, but for private ones. Turned off, that is forgotten at once.'
              : 'Your desk sees when you are busy, and nothing else.'}
          </p>
          {#if c.titles}
            <Switch
              label="Its events are visits that another desk makes"
              checked={c.foreignVisits ?? false}
              onchange={(on) => onchoose({ foreignVisits: on })}
            />
            <p class="text-sm text-mute">
              {c.foreignVisits
                ? 'They stand on the wall in a form of their own. They block your time as before, and nobody in them is a client here.'
                : 'They stand on the wall as busy time with a title.'}
            </p>
          {/if}
        </div>
      {:else if c.titles}
        <p>
          Its owner shows what its events are called, but for private ones.{c.foreignVisits
            ? ' They are visits that another desk makes.'
            : ''}
        </p>
      {/if}
      {#if c.unread.length}
        <div>
          <p class="font-semibold">
            {c.skipped === 1 ? 'One event' : `${c.skipped} events`} could not be read, and {c.skipped === 1
              ? 'takes'
              : 'take'} no time here:
          </p>
          <ul class="list-disc pl-5 text-sm">
            {#each c.unread as u, i (i)}<li>{u.date || 'without a date'}: {u.reason}</li>{/each}
          </ul>
        </div>
      {/if}
    </div>
  {/if}
</li>

<style>
  .calendar {
    display: grid;
    grid-template-columns: 12px minmax(0, 1fr) 200px 140px 144px 128px 32px;
    align-items: center;
    gap: 16px;
    padding: 11px 10px 11px 16px;
  }
  .state {
    text-align: right;
  }
  /* Where there is little room, the week goes first. */
  @media (min-width: 768px) and (max-width: 1099px) {
    .calendar {
      grid-template-columns: 12px minmax(0, 1fr) 140px 144px 128px 32px;
    }
    .week {
      display: none;
    }
  }
  /* On a phone the name has a line of its own, and what it is for another. */
  @media (max-width: 767px) {
    .calendar {
      grid-template-columns: 12px repeat(2, minmax(0, 1fr)) 32px;
      gap: 8px 12px;
    }
    .name {
      grid-column: 2 / 4;
    }
    .week {
      grid-row: 2;
      grid-column: 2 / 5;
    }
    .calendar > :global(label) {
      grid-row: 3;
      grid-column: 2 / 5;
    }
    .calendar > :global(label ~ label) {
      grid-row: 4;
    }
    .calendar > :global(button) {
      grid-row: 1;
      grid-column: 4;
    }
    .state {
      grid-row: 5;
      grid-column: 2 / 5;
      text-align: left;
    }
    .details {
      padding-left: 40px;
    }
  }
  .colour {
    width: 12px;
    height: 16px;
    border-radius: 6px 6px 1px 1px;
  }
  .details {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 12px;
    padding: 2px 16px 16px 44px;
  }
</style>
