<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import Archive from '$lib/ui/Archive.svelte';
  import { cityOf } from '$lib/hours/dates';
  import Field from '$lib/ui/Field.svelte';
  import Misfits from '$lib/ui/Misfits.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import NumberField from '$lib/ui/NumberField.svelte';
  import ZonePicker from '$lib/ui/ZonePicker.svelte';
  import PersonFrame from '../person/PersonFrame.svelte';
  import { route } from '../router';

  const id = $derived(Number(route.params.id));
  let member = $state<Shape<'StaffMember'>>();
  let form = $state<Shape<'StaffFields'>>({ name: '', email: '', zone: 'UTC' });
  let kept = $state('');
  let saved = $state(false);
  let problem = $state<Problem>();

  const changed = $derived(JSON.stringify(form) !== kept);

  function take(m: Shape<'StaffMember'>) {
    member = m;
    form = { name: m.name, email: m.email, zone: m.zone, capPerDay: m.capPerDay };
    kept = JSON.stringify(form);
  }
  async function load(id: number) {
    try {
      take(await data(api.GET('/api/staff/{id}', { params: { path: { id } } })));
    } catch (cause) {
      problem = problemOf(cause);
    }
  }
  $effect(() => void load(id));

  async function save(accept = 0) {
    [problem, saved] = [undefined, false];
    try {
      take(
        await data(api.PUT('/api/staff/{id}', { params: { path: { id }, query: { accept } }, body: form })),
      );
      saved = true;
    } catch (cause) {
      problem = problemOf(cause);
    }
  }
</script>

{#if member}
  <PersonFrame {member} here="details">
    {#snippet sentence()}
      {#if form.capPerDay === undefined}No cap on visits a day.{:else}At most <b>{form.capPerDay}</b>
        {form.capPerDay === 1 ? 'visit' : 'visits'} a day, over all services.{/if}
      Hours are read by the clock in <b>{cityOf(form.zone)}</b>.
    {/snippet}
    <form
      class="sheet grid max-w-3xl gap-4 p-5 sm:grid-cols-2"
      onsubmit={(e) => {
        e.preventDefault();
        void save();
      }}
      novalidate
    >
      <Field label="Name" error={problem?.fields.name}>
        {#snippet children(tie)}<input class="input w-full" bind:value={form.name} {...tie} />{/snippet}
      </Field>
      <Field label="Mail address" error={problem?.fields.email}>
        {#snippet children(tie)}<input
            class="input w-full"
            type="email"
            bind:value={form.email}
            {...tie}
          />{/snippet}
      </Field>
      <Field label="Zone" error={problem?.fields.zone}>
        {#snippet children(tie)}<ZonePicker bind:value={form.zone} {...tie} />{/snippet}
      </Field>
      <NumberField
        label="Cap"
        hint="Visits a day over all services; empty for none."
        optional
        bind:value={form.capPerDay}
        error={problem?.fields.capPerDay}
      />
      <div class="grid gap-3 sm:col-span-2">
        {#if problem?.misfitCount}
          <Misfits
            {problem}
            onaccept={() => save(problem?.misfitCount)}
            onback={() => (problem = undefined)}
          />
        {:else if problem}
          <Notice tone="wrong">{problem.message} Nothing was saved.</Notice>
        {/if}
        <div class="flex items-center gap-3">
          <button class="btn btn-primary" disabled={!changed}>Save</button>
          <button type="button" class="btn" disabled={!changed} onclick={() => load(id)}>Discard</button>
          <p class="text-sm text-mute" role="status">{changed ? 'Not saved yet' : saved ? 'Saved' : ''}</p>
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
        await load(id);
      }}
    />
  </PersonFrame>
{:else if problem}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{problem.message}</Notice></div>
{/if}
