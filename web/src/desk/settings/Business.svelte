<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { fields } from '$lib/edit/parts';
  import { cityOf } from '$lib/hours/dates';
  import ChoiceField from '$lib/ui/ChoiceField.svelte';
  import Field from '$lib/ui/Field.svelte';
  import NumberField from '$lib/ui/NumberField.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import ZonePicker from '$lib/ui/ZonePicker.svelte';
  import Outside from './Outside.svelte';
  import { loadSession } from '../session.svelte';

  /** The business as a whole. */
  type Fields = Shape<'BusinessSettings'>;
  const form = new Form<Fields, Fields, Shape<'SettingsNow'>>(
    {
      read: () => data(api.GET('/api/settings')),
      save: (_, body, version) => data(api.PUT('/api/settings', { params: { header: over(version) }, body })),
      value: ({ name, zone, clock, order, phone, currency, leadsTo, ahead, outside }) => ({
        ...{
          name,
          zone,
          clock,
          order,
          phone: phone ?? '',
          currency: currency ?? 'EUR',
          leadsTo: leadsTo ?? [],
          ahead,
        },
        outside: { title: '', place: '', description: '', ...outside },
      }),
      body: (fields) => fields,
    },
    {
      ...{
        name: '',
        zone: 'UTC',
        clock: '24',
        order: 'dmy',
        phone: '',
        currency: 'EUR',
        leadsTo: [],
        ahead: 5,
      },
      outside: { title: '', place: '', description: '' },
    },
  );
  const parts = fields<Fields>({
    name: 'Name',
    zone: 'Home zone',
    clock: 'Clock',
    order: 'Dates',
    phone: 'Telephone',
    currency: 'Currency',
    leadsTo: 'Hosts that clients are led on to',
    ahead: 'Bookings ahead',
    outside: 'What a visit says outside',
  });
  const problem = $derived(form.problem);
  $effect(() => void form.open(1));

  const orders: Record<string, string> = { dmy: '27/11/2026', mdy: '11/27/2026', ymd: '2026-11-27' };
  async function save(e: SubmitEvent) {
    e.preventDefault();
    if (await form.save()) await loadSession();
  }
</script>

<section class="grid content-start gap-4" aria-labelledby="business">
  <div>
    <h2 class="text-2xl" id="business">Business</h2>
    <p class="text-mute">
      Days and booking windows count by the clock in <b class="text-ink">{cityOf(form.value.zone)}</b>. Times
      read
      <b class="text-ink">{form.value.clock === '12' ? '2:30 pm' : '14:30'}</b>, dates in figures
      <b class="text-ink">{orders[form.value.order ?? 'dmy']}</b>.
    </p>
  </div>
  {#if form.now}
    <form class="sheet grid gap-4 p-5 sm:grid-cols-2" onsubmit={save} novalidate>
      <Field label="Name" error={problem?.fields.name}>
        {#snippet children(tie)}<input class="input w-full" bind:value={form.value.name} {...tie} />{/snippet}
      </Field>
      <Field label="Home zone" error={problem?.fields.zone}>
        {#snippet children(tie)}<ZonePicker bind:value={form.value.zone} {...tie} />{/snippet}
      </Field>
      <ChoiceField
        label="Clock"
        bind:value={form.value.clock as '24' | '12'}
        of={[
          ['24', '24 hours'],
          ['12', '12 hours'],
        ]}
      />
      <ChoiceField
        label="Dates in figures"
        bind:value={form.value.order as 'dmy' | 'mdy' | 'ymd'}
        of={[
          ['dmy', 'day, month, year'],
          ['mdy', 'month, day, year'],
          ['ymd', 'year, month, day'],
        ]}
      />
      <Field
        label="Telephone"
        hint="Whom clients call when it is too late online."
        error={problem?.fields.phone}
      >
        {#snippet children(tie)}
          <input class="input w-full" type="tel" maxlength="40" bind:value={form.value.phone} {...tie} />
        {/snippet}
      </Field>
      <Field label="Currency" hint="Of what clients pay, by its code." error={problem?.fields.currency}>
        {#snippet children(tie)}<input
            class="input w-full uppercase"
            maxlength="3"
            value={form.value.currency}
            oninput={(e) => (form.value.currency = e.currentTarget.value.toUpperCase())}
            {...tie}
          />{/snippet}
      </Field>
      <div class="sm:col-span-2">
        <Field
          label="Hosts that clients may be led on to"
          hint="After a booking, where a service says so; as workshop.example."
          error={Object.entries(problem?.fields ?? {}).find(([at]) => at.startsWith('leadsTo'))?.[1]}
        >
          {#snippet children(tie)}<input
              class="input w-full"
              placeholder="none"
              spellcheck="false"
              value={(form.value.leadsTo ?? []).join(', ')}
              onchange={(e) => (form.value.leadsTo = e.currentTarget.value.split(/[\s,]+/).filter(Boolean))}
              {...tie}
            />{/snippet}
        </Field>
      </div>
      <div class="sm:col-span-2">
        <NumberField
          label="Bookings ahead"
          hint="How many bookings ahead one mail address can make online."
          bind:value={form.value.ahead}
          error={problem?.fields.ahead}
        />
      </div>
      {#if form.value.outside}
        <div class="sm:col-span-2">
          <Outside bind:texts={form.value.outside} faults={problem?.fields ?? {}} />
        </div>
      {/if}
      <div class="grid gap-3 sm:col-span-2">
        <Outcome {form} parts={() => parts} quiet />
        <div class="flex items-center gap-3">
          <button class="btn btn-primary" disabled={!form.changed || form.busy}>Save</button>
          <button type="button" class="btn" disabled={!form.changed} onclick={() => form.discard()}
            >Discard</button
          >
          <p class="text-sm text-mute" role="status">
            {form.changed ? 'Not saved yet' : form.saved ? 'Saved' : ''}
          </p>
        </div>
      </div>
    </form>
  {/if}
</section>
