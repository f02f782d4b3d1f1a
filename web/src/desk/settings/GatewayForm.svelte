<script lang="ts">
  import { untrack } from 'svelte';
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { fields } from '$lib/edit/parts';
  import Field from '$lib/ui/Field.svelte';
  import FieldNames from '$lib/ui/FieldNames.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import PasswordField from '$lib/ui/PasswordField.svelte';

  /** One of them: where it is, and how it fares. */
  let { now }: { now: Shape<'GatewayNow'> } = $props();

  type Fields = Shape<'GatewayEntry'>;
  const kind = untrack(() => now.kind);
  const form = new Form<Fields, Fields, Shape<'GatewayNow'>>(
    {
      read: () => data(api.GET('/api/gateways/{kind}', { params: { path: { kind } } })),
      save: (_, body, version) =>
        data(api.PUT('/api/gateways/{kind}', { params: { path: { kind }, header: over(version) }, body })),
      value: ({ address, body }) => ({ address, body, key: '', notices: '' }),
      body: (f) => f,
    },
    { address: '', body: '', key: '', notices: '' },
  );
  $effect(() => void form.open(1));
  const parts = fields<Fields>({ address: 'Address', body: 'Body', key: 'Key', notices: 'Key of notices' });
  const names = { rooms: 'Meeting rooms', texts: 'Texts to telephones', payments: 'Payments' };
  const does = {
    rooms: 'makes a room for each visit that is held online',
    texts: 'sends reminders to clients’ telephones',
    payments: 'lets clients pay before a visit stands, and pays back',
  };
  let to = $state('');
  let trial = $state<Shape<'GatewayTrial'>>();
  let failed = $state<Problem>();
  let busy = $state(false);
  let open = $state(false);

  async function attempt() {
    [busy, trial, failed] = [true, undefined, undefined];
    try {
      trial = await data(
        api.POST('/api/gateways/{kind}/trial', { params: { path: { kind } }, body: { to } }),
      );
    } catch (cause) {
      failed = problemOf(cause);
    } finally {
      busy = false;
    }
  }
  async function save(e: SubmitEvent) {
    e.preventDefault();
    if (await form.save()) [form.value.key, form.value.notices, trial] = ['', '', undefined];
  }
  const problem = $derived(form.problem);
</script>

<details class="sheet p-5" bind:open>
  <summary class="cursor-pointer">
    <b>{names[kind]}</b>
    <span class="text-mute">
      {#if !now.address}
        {does[kind]}. Not set up{now.services.length
          ? `, though ${now.services.join(' and ')} needs it`
          : ''}.
      {:else}
        by {now.address.replace(/^https?:\/\//, '')}{now.services.length
          ? `, for ${now.services.join(', ')}`
          : ', which no service needs yet'}.
      {/if}
    </span>
    {#if now.waiting}
      <b class="text-brick"
        >{now.waiting === 1 ? 'One thing waits' : `${now.waiting} things wait`}. {now.error}</b
      >
    {:else if !now.address && now.services.length}<b class="text-brick">Set it up.</b>{/if}
  </summary>
  {#if open}
    <form class="mt-4 grid gap-4 sm:grid-cols-2" onsubmit={save} novalidate>
      <div class="sm:col-span-2">
        <Field label="Address of its interface" hint="Empty for none." error={problem?.fields.address}>
          {#snippet children(tie)}<input
              class="input w-full"
              type="url"
              maxlength="300"
              bind:value={form.value.address}
              {...tie}
            />{/snippet}
        </Field>
      </div>
      <PasswordField
        label={now.hasKey ? 'Another key' : 'Key'}
        bind:value={form.value.key as string}
        error={problem?.fields.key}
      />
      {#if kind === 'payments'}
        <PasswordField
          label={now.hasNotices ? 'Another key of notices' : 'Key of notices'}
          bind:value={form.value.notices as string}
          error={problem?.fields.notices}
        />
        <p class="text-sm text-mute sm:col-span-2">
          Its notices, signed with that key, go to
          <code class="block break-all text-ink">{now.noticesTo}</code>
        </p>
      {/if}
      {#if kind === 'texts'}
        <div class="grid gap-1 sm:col-span-2">
          <Field label="What it is sent" error={problem?.fields.body}>
            {#snippet children(tie)}<textarea
                class="textarea w-full font-mono text-sm"
                rows="2"
                maxlength="2000"
                placeholder={now.usual}
                bind:value={form.value.body}
                {...tie}></textarea>{/snippet}
          </Field>
          <div class="text-sm"><FieldNames fields={now.fields} /></div>
        </div>
      {/if}
      <div class="grid gap-3 sm:col-span-2">
        <Outcome {form} parts={() => parts} quiet />
        <div class="flex flex-wrap items-center gap-3">
          <button class="btn btn-primary" disabled={!form.changed || form.busy}>Save</button>
          {#if now.address && !form.changed}
            {#if kind === 'texts'}
              <input
                class="input w-44"
                type="tel"
                aria-label="Telephone for a trial"
                placeholder="to this telephone"
                maxlength="40"
                bind:value={to}
              />
            {/if}
            <button type="button" class="btn" disabled={busy} onclick={() => void attempt()}
              >{busy ? 'Trying…' : 'Try it'}</button
            >
          {/if}
          <p class="text-sm text-mute" role="status">
            {form.changed ? 'Not saved yet' : form.saved ? 'Saved' : ''}
          </p>
        </div>
        {#if trial}<Notice tone={trial.done ? undefined : 'wrong'}>{trial.words}</Notice>{/if}
        {#if failed}<Notice tone="wrong">{failed.fields.to ?? failed.message}</Notice>{/if}
      </div>
    </form>
  {/if}
</details>
