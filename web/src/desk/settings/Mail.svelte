<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { listen } from '$lib/api/live';
  import { fields } from '$lib/edit/parts';
  import ChoiceField from '$lib/ui/ChoiceField.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import NumberField from '$lib/ui/NumberField.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import { loadSession } from '../session.svelte';

  /** How mail goes out, and what went out lately. */
  type Fields = Shape<'MailEntry'>;
  type Security = 'starttls' | 'tls' | 'none';
  const form = new Form<Fields, Fields, Shape<'MailNow'>>(
    {
      read: () => data(api.GET('/api/mail')),
      save: (_, body, version) => data(api.PUT('/api/mail', { params: { header: over(version) }, body })),
      value: ({ host, port, security, username, sender, senderName, answers }) => ({
        ...{ host, port, security, username, sender, senderName, answers },
        password: '',
      }),
      body: (fields) => fields,
    },
    {
      host: '',
      port: 587,
      security: 'starttls',
      username: '',
      sender: '',
      senderName: '',
      answers: '',
      password: '',
    },
  );
  const parts = fields<Fields>({
    host: 'Mail server',
    port: 'Port',
    security: 'Connection',
    username: 'User',
    password: 'Password',
    sender: 'Sender',
    senderName: 'Sender’s name',
    answers: 'Address for answers',
  });
  $effect(() => void form.open(1));
  $effect(() => listen(() => void form.again(), ['messages']));
  const now = $derived(form.now);

  let trial = $state<Shape<'MailTrial'>>();
  let trying = $state(false);
  let failed = $state<Problem>();
  const wrong = $derived({ ...form.problem?.fields, ...failed?.fields });

  async function attempt() {
    [trying, trial, failed] = [true, undefined, undefined];
    try {
      trial = await data(api.POST('/api/mail/trial', { body: form.value }));
    } catch (cause) {
      failed = problemOf(cause);
    } finally {
      trying = false;
    }
  }
  async function save(e: SubmitEvent) {
    e.preventDefault();
    failed = undefined;
    if (await form.save()) await loadSession();
  }
  /** The port that goes with a kind of connection (RFC 6409, RFC 8314). */
  const usual: Record<Security, number> = { starttls: 587, tls: 465, none: 25 };
  let before = $state<string>();
  $effect(() => {
    const s = form.value.security as Security;
    if (before && before !== s && form.value.port === usual[before as Security]) form.value.port = usual[s];
    before = s;
  });
  const states: Record<string, string> = {
    waiting: 'waits',
    sent: 'sent',
    refused: 'refused',
    overtaken: 'overtaken',
    'held back': 'held back',
  };
</script>

<section class="grid content-start gap-4" aria-labelledby="mail">
  <div>
    <h2 class="text-2xl" id="mail">Mail</h2>
    <p class="text-mute">
      {#if now && !now.home}
        Niche does not know by which address it is reached, so that no mail could lead to it. Whoever runs it
        starts it with <code>--url</code>.
      {:else if now?.host}
        Mail goes out over <b class="text-ink">{now.host}</b>, and comes from
        <b class="text-ink">{now.sender}</b>.
      {:else}
        No mail goes out yet: hand addresses over yourself, or name a mail server.
      {/if}
    </p>
  </div>
  {#if now}
    <form class="sheet grid items-start gap-4 p-5 sm:grid-cols-2" onsubmit={save} novalidate>
      <Field label="Mail server" hint="As in mail.example" error={wrong.host}>
        {#snippet children(tie)}
          <input
            class="input w-full"
            inputmode="url"
            autocomplete="off"
            bind:value={form.value.host}
            {...tie}
          />
        {/snippet}
      </Field>
      <NumberField label="Port" bind:value={form.value.port} error={wrong.port} />
      <div class="sm:col-span-2">
        <ChoiceField
          label="Connection"
          bind:value={form.value.security as Security}
          of={[
            ['starttls', 'STARTTLS'],
            ['tls', 'TLS from the start'],
            ['none', 'in the open'],
          ]}
        />
        {#if wrong.security}<p class="text-sm text-error">{wrong.security}</p>{/if}
      </div>
      <Field label="User" hint="Empty for none." error={wrong.username}>
        {#snippet children(tie)}
          <input class="input w-full" autocomplete="off" bind:value={form.value.username} {...tie} />
        {/snippet}
      </Field>
      <Field
        label="Password"
        hint={now.hasPassword ? 'Empty to keep the present one.' : ''}
        error={wrong.password}
      >
        {#snippet children(tie)}
          <input
            class="input w-full"
            type="password"
            autocomplete="new-password"
            bind:value={form.value.password}
            {...tie}
          />
        {/snippet}
      </Field>
      <Field label="Sender" hint="As in desk@quillon.example" error={wrong.sender}>
        {#snippet children(tie)}
          <input
            class="input w-full"
            type="email"
            autocomplete="off"
            bind:value={form.value.sender}
            {...tie}
          />
        {/snippet}
      </Field>
      <Field label="Sender’s name" error={wrong.senderName}>
        {#snippet children(tie)}
          <input class="input w-full" autocomplete="off" bind:value={form.value.senderName} {...tie} />
        {/snippet}
      </Field>
      <div class="sm:col-span-2">
        <Field
          label="Address for answers"
          hint={now.hears
            ? 'Answers to invitations come to it, with a tag behind a plus sign, and so does mail that could not be delivered. Its server has to bring them here.'
            : 'Nobody brings mail here yet: whoever runs Niche gives --answers-listen, and has the server of this address bring its mail there. Until then clients’ answers to invitations go to the sender, unseen here.'}
          error={wrong.answers}
        >
          {#snippet children(tie)}
            <input
              class="input w-full sm:max-w-96"
              type="email"
              autocomplete="off"
              bind:value={form.value.answers}
              {...tie}
            />
          {/snippet}
        </Field>
      </div>
      <div class="grid gap-3 sm:col-span-2">
        <Outcome {form} parts={() => parts} quiet />
        <div class="flex flex-wrap items-center gap-3">
          <button class="btn btn-primary" disabled={!form.changed || form.busy}>Save</button>
          <button
            type="button"
            class="btn"
            disabled={!form.value.host || trying}
            onclick={() => void attempt()}>{trying ? 'Sending…' : 'Send me a trial message'}</button
          >
          <p class="text-sm text-mute" role="status">
            {form.changed ? 'Not saved yet' : form.saved ? 'Saved' : ''}
          </p>
        </div>
        {#if failed && !Object.keys(failed.fields).length}<Notice tone="wrong">{failed.message}</Notice>{/if}
        {#if trial}
          <Notice tone={trial.sent ? undefined : 'wrong'}>
            {trial.sent ? `The mail server took it. Look whether it arrives at ${trial.to}.` : trial.fault}
          </Notice>
          {#if trial.lines.length}
            <details>
              <summary class="link-plain cursor-pointer text-sm">What was said with the server</summary>
              <ol class="mt-2 max-h-72 overflow-auto rounded-sm bg-base-200 p-3 text-sm">
                {#each trial.lines as l, i (i)}
                  <li class="grid grid-cols-[4.5rem_minmax(0,1fr)] gap-2">
                    <span class="text-mute">{l.ours ? 'Niche' : 'server'}</span>
                    <code class="break-all whitespace-pre-wrap">{l.text}</code>
                  </li>
                {/each}
              </ol>
            </details>
          {/if}
        {/if}
      </div>
    </form>
    {#if now.lately.length}
      <div class="grid gap-2">
        <h3 class="font-bold">Lately</h3>
        <!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls, by keys too) -->
        <ul
          class="sheet max-h-80 divide-y divide-base-300 overflow-auto"
          tabindex="0"
          aria-label="Mail that went out lately"
        >
          {#each now.lately as m (m.id)}
            <li class="grid gap-x-3 px-4 py-2 text-sm sm:grid-cols-[minmax(0,1fr)_auto]">
              <span class="break-words"><b>{m.to}</b> {m.subject}</span>
              <span class={m.state === 'refused' || m.error ? 'font-semibold text-brick' : 'text-mute'}
                >{states[m.state]} {m.when}</span
              >
              {#if m.error}<span class="break-words text-mute sm:col-span-2">{m.error}</span>{/if}
            </li>
          {/each}
        </ul>
      </div>
    {/if}
  {/if}
</section>
