<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { fields } from '$lib/edit/parts';
  import Archive from '$lib/ui/Archive.svelte';
  import { cityOf } from '$lib/hours/dates';
  import ChoiceField from '$lib/ui/ChoiceField.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import NumberField from '$lib/ui/NumberField.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import Switch from '$lib/ui/Switch.svelte';
  import ZonePicker from '$lib/ui/ZonePicker.svelte';
  import PersonFrame from '../person/PersonFrame.svelte';
  import History from '../trail/History.svelte';
  import { route } from '../router';

  type Fields = Shape<'StaffFields'>;
  const id = $derived(Number(route.params.id));
  const form = new Form<Fields, Fields, Shape<'StaffMember'>>(
    {
      read: (id) => data(api.GET('/api/staff/{id}', { params: { path: { id } } })),
      save: (id, body, version, accept) =>
        data(
          api.PUT('/api/staff/{id}', {
            params: { path: { id }, query: { accept }, header: over(version) },
            body,
          }),
        ),
      value: ({ name, email, zone, capPerDay, tells, ownHours }) => ({
        name,
        email,
        zone,
        capPerDay,
        tells,
        ownHours,
      }),
      body: (fields) => fields,
    },
    { name: '', email: '', zone: 'UTC', tells: 'no', ownHours: false },
  );
  const member = $derived(form.now);
  const problem = $derived(form.problem);
  const parts = fields<Fields>({
    name: 'Name',
    email: 'Mail address',
    zone: 'Zone',
    capPerDay: 'Cap',
    tells: 'Mail about visits',
    ownHours: 'Keeps their own hours',
  });
  $effect(() => void form.open(id));
</script>

{#if member}
  <PersonFrame {member} here="details">
    {#snippet sentence()}
      {#if form.value.capPerDay === undefined}No cap on visits a day.{:else}At most <b
          >{form.value.capPerDay}</b
        >
        {form.value.capPerDay === 1 ? 'visit' : 'visits'} a day, over all services.{/if}
      Hours are read by the clock in <b>{cityOf(form.value.zone)}</b>.
    {/snippet}
    <form
      class="sheet grid max-w-3xl gap-4 p-5 sm:grid-cols-2"
      onsubmit={(e) => {
        e.preventDefault();
        void form.save();
      }}
      novalidate
    >
      <Field label="Name" error={problem?.fields.name}>
        {#snippet children(tie)}<input class="input w-full" bind:value={form.value.name} {...tie} />{/snippet}
      </Field>
      <Field label="Mail address" error={problem?.fields.email}>
        {#snippet children(tie)}<input
            class="input w-full"
            type="email"
            bind:value={form.value.email}
            {...tie}
          />{/snippet}
      </Field>
      <Field label="Zone" error={problem?.fields.zone}>
        {#snippet children(tie)}<ZonePicker bind:value={form.value.zone} {...tie} />{/snippet}
      </Field>
      <NumberField
        label="Cap"
        hint="Visits a day over all services; empty for none."
        optional
        bind:value={form.value.capPerDay}
        error={problem?.fields.capPerDay}
      />
      <ChoiceField
        label="Mail about their visits"
        bind:value={() => form.value.tells ?? 'no', (v) => (form.value.tells = v)}
        of={[
          ['no', 'none'],
          ['once', 'at once'],
          ['morning', 'one each morning'],
        ]}
      />
      <div class="grid content-start gap-1 sm:col-span-2">
        <Switch
          label="Keeps own hours"
          checked={form.value.ownHours ?? false}
          onchange={(on) => (form.value.ownHours = on)}
        />
        <p class="text-sm text-mute">
          {form.value.ownHours
            ? 'May change own hours, one-off days and absences; bookings that would no longer fit are named there first.'
            : 'Sees the own hours, and asks you for a change.'}
        </p>
      </div>
      <div class="grid gap-3 sm:col-span-2">
        <Outcome {form} parts={() => parts} />
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
    <Archive
      name={member.name}
      archived={member.archived}
      effect="takes this person out of every service and off the wall. Bookings stay, and it can be undone."
      onchange={async (on, accept) => {
        const params = { path: { id }, query: { accept } };
        await data(api.PUT('/api/staff/{id}/archive', { params, body: { archived: on } }));
        await form.open(id);
      }}
    />
    <History kinds={['staff', 'hours', 'days', 'link', 'calendar']} thing={id} />
  </PersonFrame>
{:else if problem}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{problem.message}</Notice></div>
{/if}
