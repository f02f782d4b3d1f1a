<script lang="ts" module>
  import type { Order } from './typed';

  /** The business's order of day, month and year; set once it is known. */
  export const dates = $state<{ order: Order }>({ order: 'dmy' });
</script>

<script lang="ts">
  import CalendarDays from '@lucide/svelte/icons/calendar-days';
  import ChevronLeft from '@lucide/svelte/icons/chevron-left';
  import ChevronRight from '@lucide/svelte/icons/chevron-right';
  import { addDays, longDate, weekdayOf } from '$lib/hours/dates';
  import { isDate, readDate, writeDate } from './typed';

  /** A date, typed in words or figures or picked from a month. What cannot be read stays as it is, and is told. */
  let {
    value = $bindable(),
    onpick,
    class: width = 'w-44',
    small = false,
    ...rest
  }: {
    value: string;
    /** Told when a whole date has been chosen. */
    onpick?: (date: string) => void;
    class?: string;
    small?: boolean;
    [attribute: string]: unknown;
  } = $props();

  const id = $props.id();
  /** What is being typed, until the field is left. */
  let typing = $state<string>();
  let open = $state(false);
  let field = $state<HTMLInputElement>();
  let root = $state<HTMLElement>();
  /** The month that is shown, by its first day, and the day that arrows move. */
  let month = $state('');
  let cursor = $state('');

  const today = new Intl.DateTimeFormat('en-CA').format(new Date());
  const bad = $derived(value !== '' && !isDate(value));
  /** Said here, unless whoever shows the field says something of it already. */
  const says = $derived(bad && typing === undefined && rest['aria-invalid'] !== 'true');
  const example = $derived({ dmy: '26/11', mdy: '11/26', ymd: '2026-11-26' }[dates.order]);

  /** Brings the keys to the field, as `/` on the wall does. */
  export function focus() {
    field?.focus();
    field?.select();
  }

  function type(text: string) {
    typing = text;
    value = text.trim() === '' ? '' : (readDate(text, today, dates.order) ?? text);
  }

  function leave() {
    if (typing === undefined) return;
    typing = undefined;
    if (isDate(value)) onpick?.(value);
  }

  function show(on: boolean) {
    open = on;
    if (!on) return;
    cursor = isDate(value) ? value : today;
    month = `${cursor.slice(0, 8)}01`;
  }

  function pick(date: string) {
    [typing, value, open] = [undefined, date, false];
    onpick?.(date);
    field?.focus();
  }

  function turn(months: number) {
    const [y, m] = month.split('-').map(Number);
    month = new Date(Date.UTC(y ?? 0, (m ?? 1) - 1 + months, 1)).toISOString().slice(0, 10);
    cursor = month;
  }

  const days = $derived.by(() => {
    if (!month) return [];
    const first = addDays(month, -weekdayOf(month));
    return Array.from({ length: 42 }, (_, i) => addDays(first, i)).filter(
      (d, i) =>
        i < 35 ||
        d.slice(0, 7) === month.slice(0, 7) ||
        addDays(d, -weekdayOf(d)).slice(0, 7) === month.slice(0, 7),
    );
  });
  const title = $derived(month ? longDate(month).replace(/^\S+ \d+ /, '') : '');

  function move(e: KeyboardEvent) {
    const step = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 }[e.key];
    if (e.key === 'Escape') {
      open = false;
      field?.focus();
    } else if (step) {
      e.preventDefault();
      cursor = addDays(cursor, step);
      month = `${cursor.slice(0, 8)}01`;
      requestAnimationFrame(() => root?.querySelector<HTMLElement>('[tabindex="0"][data-day]')?.focus());
    }
  }
</script>

<svelte:window
  onpointerdown={(e) => {
    if (open && !(e.target instanceof Node && root?.contains(e.target))) open = false;
  }}
/>

<span class="date {width}" bind:this={root}>
  <input
    bind:this={field}
    class="input w-full pr-9 {small ? 'input-sm' : ''} {bad ? 'input-error' : ''}"
    autocomplete="off"
    spellcheck="false"
    value={typing ?? (small ? writeDate(value).replace(/^[A-Z][a-z]+ (?=\d)/, '') : writeDate(value))}
    oninput={(e) => type(e.currentTarget.value)}
    onblur={leave}
    onkeydown={(e) => {
      if (e.key === 'Enter') leave();
      if (e.key === 'ArrowDown') show(true);
      if (e.key === 'Escape' && open) show(false);
    }}
    {...rest}
    aria-invalid={bad || rest['aria-invalid'] === 'true' ? 'true' : undefined}
    aria-describedby={says ? `${id}-bad` : (rest['aria-describedby'] as string | undefined)}
  />
  <button
    type="button"
    class="pick"
    tabindex="-1"
    aria-label="Open the month"
    aria-expanded={open}
    onclick={() => show(!open)}><CalendarDays size={16} /></button
  >
  {#if says}
    <span class="told" id="{id}-bad" role="alert">No date: write 26 nov or {example}.</span>
  {/if}
  {#if open}
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
    <div class="month" role="group" aria-label="Month" onkeydown={move}>
      <div class="turn">
        <button type="button" aria-label="The month before" onclick={() => turn(-1)}
          ><ChevronLeft size={16} /></button
        >
        <b aria-live="polite">{title}</b>
        <button type="button" aria-label="The month after" onclick={() => turn(1)}
          ><ChevronRight size={16} /></button
        >
      </div>
      <div class="days">
        {#each ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'] as d (d)}<span aria-hidden="true">{d}</span>{/each}
        {#each days as d (d)}
          <button
            type="button"
            data-day
            tabindex={d === cursor ? 0 : -1}
            class:other={d.slice(0, 7) !== month.slice(0, 7)}
            class:today={d === today}
            aria-label={longDate(d)}
            aria-pressed={d === value}
            onclick={() => pick(d)}>{Number(d.slice(8))}</button
          >
        {/each}
      </div>
    </div>
  {/if}
</span>

<style>
  .date {
    position: relative;
    display: inline-block;
    vertical-align: middle;
  }
  .pick {
    position: absolute;
    right: 0.35rem;
    top: 0;
    bottom: 0;
    width: 1.75rem;
    max-height: 2.5rem;
    display: grid;
    place-items: center;
    color: var(--color-mute);
    cursor: pointer;
  }
  .pick:hover {
    color: var(--color-ink);
  }
  .told {
    display: block;
    font-size: 0.8125rem;
    font-weight: 500;
    color: var(--color-brick);
  }
  /* An alcove that opens below the field. */
  .month {
    position: absolute;
    z-index: 30;
    top: calc(100% + 4px);
    left: 0;
    width: 16.5rem;
    padding: 0.6rem;
    background: var(--color-base-100);
    border: 1px solid var(--color-edge);
    border-radius: var(--radius-box);
    box-shadow: 0 8px 24px -8px var(--color-shade);
  }
  .turn {
    display: flex;
    align-items: center;
    justify-content: space-between;
    padding-bottom: 0.35rem;
  }
  .turn button {
    padding: 0.3rem;
    border-radius: var(--radius-field);
    cursor: pointer;
  }
  .days {
    display: grid;
    grid-template-columns: repeat(7, 1fr);
    gap: 2px;
    text-align: center;
  }
  .days span {
    font-size: 0.75rem;
    color: var(--color-mute);
    padding-bottom: 2px;
  }
  .days button {
    height: 1.9rem;
    border-radius: 0.9rem 0.9rem 0.15rem 0.15rem;
    cursor: pointer;
  }
  .days button:hover,
  .turn button:hover {
    background: var(--color-secondary);
    color: var(--color-secondary-content);
  }
  .days .other {
    color: var(--color-mute);
  }
  .days .today {
    box-shadow: inset 0 -2px 0 var(--color-gold);
  }
  .days [aria-pressed='true'] {
    background: var(--color-primary);
    color: var(--color-primary-content);
  }
</style>
