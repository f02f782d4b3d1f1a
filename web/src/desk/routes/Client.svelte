<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { follow } from '$lib/api/query.svelte';
  import { fields } from '$lib/edit/parts';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import ZonePicker from '$lib/ui/ZonePicker.svelte';
  import ChoiceField from '$lib/ui/ChoiceField.svelte';
  import { cityOf } from '$lib/hours/dates';
  import { clock } from '../clock.svelte';
  import Merge from '../clients/Merge.svelte';
  import Mails from '../clients/Mails.svelte';
  import History from '../trail/History.svelte';
  import { navigate, route } from '../router';

  /** One client, with all that is known of them. */
  const id = $derived(Number(route.params.id));
  type Fields = Shape<'ClientFields'>;
  const params = (id: number) => ({ path: { id }, query: { clock: clock.kind } });
  const form = new Form<Fields, Fields, Shape<'ShownClient'>>(
    {
      read: (id) => data(api.GET('/api/clients/{id}', { params: params(id) })),
      save: (id, body, version) =>
        data(api.PUT('/api/clients/{id}', { params: { ...params(id), header: over(version) }, body })),
      value: ({ name, phone, zone, clock, note }) => ({ name, phone, zone, clock, note }),
      body: (f) => f,
    },
    { name: '', phone: '', zone: 'UTC', clock: '24', note: '' },
  );
  $effect(() => void form.open(id));
  follow(() => void form.again(), ['bookings', 'messages']);
  const c = $derived(form.now);
  const problem = $derived(form.problem);
  const parts = fields<Fields>({
    name: 'Name',
    phone: 'Telephone',
    zone: 'Zone',
    clock: 'Clock',
    note: 'Note',
  });
  let erasing = $state(false);
  let fault = $state('');

  /** Does something with the client, and shows what they are like afterwards. */
  async function act(what: () => Promise<Shape<'ShownClient'>>) {
    fault = '';
    try {
      const now = await what();
      form.take(now);
    } catch (cause) {
      const p = problemOf(cause);
      fault = Object.values(p.fields)[0] ?? p.message;
    }
  }
  async function erase() {
    fault = '';
    try {
      await api.POST('/api/clients/{id}/erase', { params: { path: { id } } });
      await navigate('/clients');
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
</script>

<svelte:head><title>{c?.name ?? 'Client'} · Niche</title></svelte:head>

{#if c}
  <div class="mx-auto grid w-full max-w-6xl content-start gap-5 px-6 py-6">
    <header>
      <p class="text-sm text-mute"><a class="link-plain" href="/clients">Clients</a> ›</p>
      <h1 class="text-2xl">{c.name}</h1>
      <p class="text-mute">
        Known since {c.since}. With them it is {c.now}, in {cityOf(c.zone)}.
      </p>
    </header>
    {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
    {#each c.perhaps as other (other.id)}
      <Notice>
        <a class="link-plain" href="/clients/{other.id}">{other.name}</a> has the same name or telephone
        number.
        <button
          type="button"
          class="link-plain font-semibold"
          onclick={() =>
            void act(() =>
              data(api.POST('/api/clients/{id}/merge', { params: params(id), body: { other: other.id } })),
            )}>They are one person</button
        >
      </Notice>
    {/each}
    <div class="grid grid-cols-[minmax(0,1fr)] items-start gap-5 lg:grid-cols-[minmax(0,1fr)_24rem]">
      <div class="grid min-w-0 gap-5">
        <section class="sheet">
          <h2 class="px-5 pt-4 text-base font-bold">Visits</h2>
          <ul class="mt-2 divide-y divide-base-300">
            {#each c.bookings as b (b.id)}
              <li class="visit">
                <a class="font-semibold hover:underline" href="/bookings/{b.id}">{b.service}</a>
                <span class="whitespace-nowrap">{b.when}</span>
                <span class="truncate text-mute">{b.staff}</span>
                <span class="text-right text-sm">
                  {#if b.missed}<b class="text-brick">missed</b>{:else if b.status === 'cancelled'}<span
                      class="text-mute">cancelled</span
                    >{:else if b.status === 'pending'}<b>to confirm</b>{:else}{b.ahead ? 'ahead' : ''}{/if}
                </span>
              </li>
            {:else}<li class="px-5 py-3 text-mute">None.</li>
            {/each}
          </ul>
          {#if c.more}<p class="px-5 py-3 text-sm">
              <a
                class="link-plain"
                href="/bookings?text={encodeURIComponent(c.mails[0]?.mail ?? '')}&period=any">all of them</a
              >
            </p>{/if}
        </section>
        {#if c.answers.length}
          <section class="sheet px-5 py-4">
            <h2 class="text-base font-bold">What they said last</h2>
            <dl class="mt-1 grid gap-x-4 gap-y-1.5 sm:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
              {#each c.answers as a (a.key + a.label)}
                <dt class="text-mute">{a.label}</dt>
                <dd class="break-words whitespace-pre-line">{(a.said ?? []).join(', ')}</dd>
              {/each}
            </dl>
          </section>
        {/if}
        {#if c.payments.length}
          <section class="sheet px-5 py-4">
            <h2 class="text-base font-bold">Payments</h2>
            <ul class="mt-1 divide-y divide-base-300">
              {#each c.payments as p (p.booking + p.when)}
                <li class="flex gap-3 py-1.5">
                  <b class="tabular-nums">{p.amount}</b><span>{p.state}</span>
                  <span class="text-mute">{p.when}{p.reason ? `. ${p.reason}` : ''}</span>
                  <a class="link-plain ml-auto text-sm" href="/bookings/{p.booking}">its booking</a>
                </li>
              {/each}
            </ul>
          </section>
        {/if}
        <section class="sheet px-5 py-4">
          <h2 class="text-base font-bold">Messages</h2>
          <ul class="mt-1 divide-y divide-base-300">
            {#each c.messages as m (m.id)}
              <li class="flex flex-wrap items-baseline gap-x-3 py-1.5 text-sm">
                <span class="font-semibold">{m.said || m.name}</span>
                <span class={m.state === 'refused' ? 'font-semibold text-brick' : 'text-mute'}
                  >{m.state}{m.reason ? `: ${m.reason}` : ''}</span
                >
                <span class="ml-auto text-mute"
                  >{c.mails.length > 1 || m.kind === 'text reminder' ? `${m.to}, ` : ''}{m.when}</span
                >
              </li>
            {:else}<li class="py-1.5 text-mute">None went out.</li>
            {/each}
          </ul>
        </section>
        <History kinds={['client']} thing={id} />
      </div>
      <div class="grid min-w-0 gap-5">
        <form
          class="sheet grid gap-4 p-5"
          onsubmit={(e) => {
            e.preventDefault();
            void form.save();
          }}
          novalidate
        >
          <Field label="Name" error={problem?.fields.name}>
            {#snippet children(tie)}<input
                class="input w-full"
                maxlength="120"
                bind:value={form.value.name}
                {...tie}
              />{/snippet}
          </Field>
          <Field label="Telephone" error={problem?.fields.phone}>
            {#snippet children(tie)}<input
                class="input w-full"
                type="tel"
                maxlength="40"
                bind:value={form.value.phone}
                {...tie}
              />{/snippet}
          </Field>
          <div class="grid gap-4 sm:grid-cols-2">
            <Field label="Zone" error={problem?.fields.zone}>
              {#snippet children(tie)}<ZonePicker bind:value={form.value.zone} {...tie} />{/snippet}
            </Field>
            <ChoiceField
              label="Clock"
              bind:value={form.value.clock}
              of={[
                ['24', '24 hours'],
                ['12', '12 hours'],
              ]}
            />
          </div>
          <Field label="Note, which no client sees" error={problem?.fields.note}>
            {#snippet children(tie)}<textarea
                class="textarea w-full"
                rows="4"
                maxlength="4000"
                bind:value={form.value.note}
                {...tie}></textarea>{/snippet}
          </Field>
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
        </form>
        <Mails client={c} {act} />
        <Merge client={c} {act} />
        <section class="sheet grid gap-3 p-5">
          <h2 class="text-base font-bold">What is held of them</h2>
          <p class="text-sm text-mute">
            All of it in one file, to be handed to them. Nothing of anybody’s personal calendar is among it.
          </p>
          <div class="flex flex-wrap gap-2">
            <a class="btn btn-sm" href="/api/clients/{id}/held" download>All we hold</a>
            <button
              type="button"
              class="btn btn-sm text-brick"
              aria-expanded={erasing}
              onclick={() => (erasing = !erasing)}>Erase…</button
            >
          </div>
          {#if erasing}
            <div class="grid gap-2" role="alert">
              <p>
                {#if c.ahead}They have visits ahead. Cancel those first.
                {:else}Who they are is forgotten here and in the copies outside: name, addresses, answers,
                  notes and messages. That there were visits stays. This cannot be undone.{/if}
              </p>
              <div class="flex gap-2">
                {#if !c.ahead}<button type="button" class="btn btn-error btn-sm" onclick={() => void erase()}
                    >Erase {c.name}</button
                  >{/if}
                <button type="button" class="btn btn-sm" onclick={() => (erasing = false)}>Keep them</button>
              </div>
            </div>
          {/if}
        </section>
      </div>
    </div>
  </div>
{:else if problem}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{problem.message}</Notice></div>
{/if}

<style>
  .visit {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 14.5rem minmax(0, 1fr) 4.5rem;
    align-items: baseline;
    gap: 14px;
    padding: 9px 20px;
  }
  @media (max-width: 767px) {
    .visit {
      grid-template-columns: minmax(0, 1fr) auto;
      gap: 2px 14px;
    }
  }
</style>
