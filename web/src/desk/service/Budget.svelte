<script lang="ts">
  import { readTime } from '$lib/hours/wallclock';
  import DateInput from '$lib/ui/DateInput.svelte';
  import { isDate } from '$lib/ui/typed';
  import type { Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';
  import WhyPanel from '../wall/WhyPanel.svelte';
  import { ask, asked, close, type Asked } from '../aside';
  import { number } from './form';
  import Arcade from './Arcade.svelte';
  import Weeks from './Weeks.svelte';

  /** Where the coming four weeks go with the values in the form: an arcade of what each rule costs. */
  let {
    preview,
    service,
    now = $bindable(),
    shown = $bindable(),
    performers,
    draft,
    untried,
  }: {
    preview: Shape<'Preview'>;
    service: number;
    /** As if it were another moment, on the business's clock; empty for the present one. */
    now: string;
    /** The date that is opened. */
    shown: string;
    /** How many people perform it. */
    performers: number;
    /** Why the present values could not be tried, or empty. */
    untried: string;
    /** The values in the form, where they are not what is saved or another moment is asked about. */
    draft?: Shape<'ServiceFields'>;
  } = $props();

  let opened = $state('');
  const open = $derived(preview.steps.find((s) => s.code === opened));
  const why = $derived(asked());
  /** The question stands below the day that is opened, else below the budget. */
  const below = $derived(preview.day?.date === shown);

  /** A moment as if it were now: its day and its time on the business's clock. */
  let asDay = $state('');
  let asTime = $state('');
  function asIf(day: string, time: string) {
    [asDay, asTime] = [day, day && !time ? '08:00' : time];
    now = isDate(asDay) && readTime(asTime) ? `${asDay}T${asTime}` : '';
  }
</script>

{#snippet trail(why: Asked)}
  <WhyPanel
    {service}
    staff={why.staff}
    at={why.at}
    draft={draft ? { fields: draft, now } : undefined}
    inside
    onmove={ask}
    onclose={close}
  />
{/snippet}

<section class="grid gap-3" aria-label="The next four weeks">
  <div>
    <h2 class="text-lg">Where the next four weeks go</h2>
    <p class="text-sm text-mute">
      Possible starts of everybody who performs it, {preview.words}, with {untried
        ? 'the last values that could be tried'
        : 'the values in the form'}. Open a step to see the starts that it costs.
    </p>
  </div>
  {#if untried}
    <Notice tone="wrong">{untried} What is shown here is of the values before.</Notice>
  {/if}
  <Arcade {preview} bind:opened />
  <p class="effect" role="status" aria-label="Effect of the change">
    {#if preview.possible === 0 && preview.was <= 0}
      {performers
        ? 'Nobody who performs it has hours in these weeks.'
        : 'Nobody performs it yet. Choose who does, and the coming weeks are shown here.'}
    {:else if preview.effect}{preview.effect}
    {:else if preview.was < 0}With these values, {number(preview.offered)} starts would be offered.
    {:else}What is saved offers {number(preview.was)} starts. Change a value to see what it wins or loses.{/if}
  </p>
  {#if preview.misfitCount > 0}
    <Notice>
      <b>
        {preview.misfitCount === 1 ? 'One booking' : `${preview.misfitCount} bookings`} would no longer fit:
      </b>
      {preview.misfits.map((m) => `${m.client}, ${m.when}`).join('; ')}{preview.misfitCount >
      preview.misfits.length
        ? ' and more'
        : ''}. {preview.misfitCount === 1 ? 'It is' : 'They are'} kept, if you save.
    </Notice>
  {/if}
  {#if open}
    <div class="sheet grid gap-2 p-4">
      <h3 class="font-bold">
        {open.lost === 1 ? 'One start goes' : `${number(open.lost)} starts go`} to “{open.name}”
      </h3>
      {#if open.starts.length === 0}<p class="text-mute">None with the present values.</p>{/if}
      <ul class="flex flex-wrap gap-x-4 gap-y-1 text-sm">
        {#each open.starts as s (s.at + String(s.staff.id))}
          <li>
            <button type="button" class="link-plain" onclick={() => ask(s.staff.id, s.at)}>{s.words}</button>
            {s.staff.name.split(' ')[0]}
          </li>
        {/each}
      </ul>
      {#if open.lost > open.starts.length}
        <p class="text-sm text-mute">The first {open.starts.length} are shown.</p>
      {/if}
    </div>
  {/if}

  {#if why && !below}{@render trail(why)}{/if}

  <div class="flex flex-wrap items-center gap-x-3 gap-y-1 pt-2">
    <h2 class="text-lg">What a client would see</h2>
    <div class="ml-auto flex items-center gap-2 text-sm text-mute">
      as if it were
      <DateInput
        small
        class="w-36"
        aria-label="As if it were, day"
        bind:value={() => asDay, (d) => asIf(d, asTime)}
      />
      <input
        class="input w-18 input-sm px-2 text-center"
        aria-label="As if it were, time"
        placeholder="08:00"
        value={asTime}
        onchange={(e) => asIf(asDay, readTime(e.currentTarget.value) ?? e.currentTarget.value)}
      />
      {#if now}<button type="button" class="link-plain text-sm" onclick={() => asIf('', '')}>now again</button
        >{/if}
    </div>
  </div>
  <Weeks {preview} {service} unsaved={!!draft} bind:shown />
  {#if why && below}{@render trail(why)}{/if}
</section>

<style>
  .effect {
    padding: 10px 14px;
    background: var(--color-secondary);
    color: var(--color-secondary-content);
    border-radius: 6px;
  }
</style>
