<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import FieldNames from '$lib/ui/FieldNames.svelte';
  import LengthInput from '$lib/ui/LengthInput.svelte';
  import { writeLength } from '$lib/ui/typed';
  import type { Fault, Fields } from './form';

  type Kind = Shape<'MessageText'>['kind'];
  /** What clients are told, and when: each text with the mail that it makes, of a booking that there is. */
  let {
    form = $bindable(),
    service,
    fault,
    gateways,
    kind = $bindable(),
    example = $bindable(),
  }: {
    form: Fields;
    service: number;
    fault: Fault;
    gateways: Shape<'GatewayNow'>[] | undefined;
    /** Which text is being written. */
    kind: Kind;
    /** What it makes; shown beside. */
    example: Shape<'MessageExample'> | undefined;
  } = $props();

  const texting = $derived(!gateways || gateways.some((g) => g.kind === 'texts' && g.address));

  const messages = $derived(
    form.messages ?? { reminders: [], byText: [], followUp: 0, noInvite: false, texts: [] },
  );
  const set = (change: Partial<NonNullable<Fields['messages']>>) =>
    (form.messages = { ...messages, ...change });

  let wrong = $state<Record<string, string>>({});
  const own = $derived(messages.texts?.find((t) => t.kind === kind));
  const usual = $derived(example?.kinds.find((k) => k.kind === kind));
  const text = $derived(own ?? usual);

  function write(change: { subject?: string; body?: string }) {
    if (!text) return;
    const mine = { kind, subject: text.subject, body: text.body, ...change };
    set({ texts: [...(messages.texts ?? []).filter((t) => t.kind !== kind), mine] });
  }
  const asUsual = () => set({ texts: (messages.texts ?? []).filter((t) => t.kind !== kind) });

  let turn = 0;
  $effect(() => {
    if (!service) return;
    const body = {
      kind,
      subject: text?.subject ?? '',
      body: text?.body ?? '',
      noInvite: messages.noInvite ?? false,
    };
    const mine = ++turn;
    const timer = setTimeout(
      () => {
        data(api.POST('/api/services/{id}/message', { params: { path: { id: service } }, body }))
          .then((e) => {
            if (mine === turn) [example, wrong] = [e, {}];
          })
          .catch((cause: unknown) => {
            if (mine === turn) wrong = problemOf(cause).fields;
          });
      },
      example ? 250 : 0,
    );
    return () => clearTimeout(timer);
  });
  const saved = (field: string) => {
    const at = messages.texts?.findIndex((t) => t.kind === kind) ?? -1;
    return at < 0 ? '' : fault(`messages.texts[${at}].${field}`);
  };

  /** In the order in which they were added: one that is being typed does not change its place. */
  const reminders = $derived(messages.reminders ?? []);
  const soonestLast = $derived(reminders.toSorted((a, b) => b - a));
  const another = (given: number[]) => [1440, 120, 2880, 10_080].find((m) => !given.includes(m)) ?? 60;
  const sentence = $derived.by(() => {
    const parts = [
      messages.noInvite ? 'a confirmation' : 'a confirmation with a calendar invitation',
      ...(reminders.length
        ? [
            `a reminder ${soonestLast.map((m) => (Number.isNaN(m) ? '…' : writeLength(m))).join(' and ')} before`,
          ]
        : []),
      ...(messages.byText?.length
        ? [
            `a text ${messages.byText
              .toSorted((a, b) => b - a)
              .map((m) => (Number.isNaN(m) ? '…' : writeLength(m)))
              .join(' and ')} before`,
          ]
        : []),
      ...(messages.followUp ? [`a word ${writeLength(messages.followUp)} afterwards`] : []),
    ];
    const last = parts.pop() ?? '';
    return `Clients get ${parts.length ? `${parts.join(', ')} and ` : ''}${last}${reminders.length ? '' : ', and no reminder'}. Of every change they are told at once.`;
  });
</script>

<fieldset class="sheet grid gap-4 p-5">
  <legend class="sr-only">Messages</legend>
  <p><b>Messages.</b> {sentence}</p>
  <div class="grid gap-2">
    {#each [['reminders', 'by mail', 'Reminder'], ['byText', 'by text', 'Text']] as const as [list, how, name] (list)}
      {#each messages[list] ?? [] as minutes, i (i)}
        <div class="flex flex-wrap items-center gap-2">
          Remind {how}
          <LengthInput
            aria-label="{name} {i + 1}"
            class="input-sm w-28 text-center font-semibold"
            bind:value={() => minutes, (m) => set({ [list]: (messages[list] ?? []).with(i, m) })}
          /> before
          <button
            type="button"
            class="link-plain text-sm"
            onclick={() => set({ [list]: (messages[list] ?? []).filter((_, n) => n !== i) })}
            >take away</button
          >
        </div>
      {/each}
      {#if fault(`messages.${list}`)}<p class="text-sm font-medium text-brick" role="alert">
          {fault(`messages.${list}`)}
        </p>{/if}
    {/each}
    <div class="flex flex-wrap gap-x-5">
      {#if reminders.length < 6}
        <button
          type="button"
          class="link-plain text-sm"
          onclick={() => set({ reminders: [...reminders, another(reminders)] })}
          >{reminders.length ? 'another reminder' : 'remind them'}</button
        >
      {/if}
      {#if (messages.byText ?? []).length < 6}
        <button
          type="button"
          class="link-plain text-sm"
          onclick={() => set({ byText: [...(messages.byText ?? []), another(messages.byText ?? [])] })}
          >{messages.byText?.length ? 'another text' : 'remind them by text'}</button
        >
      {/if}
    </div>
    {#if messages.byText?.length && form.phone === 'no' && form.venue !== 'telephone'}
      <p class="text-sm font-medium text-brick" role="alert">
        Clients are not asked for a telephone number, so that nobody gets a text.
      </p>
    {:else if messages.byText?.length && !texting}
      <p class="text-sm font-medium text-brick" role="alert">
        No text gateway is set up, so that no text goes out.
        <a class="link-plain" href="/settings#outside">Set one up.</a>
      </p>
    {/if}
    <div class="flex flex-wrap items-center gap-2">
      <label class="flex items-center gap-2"
        ><input
          type="checkbox"
          class="checkbox checkbox-sm checkbox-primary"
          checked={!!messages.followUp}
          onchange={(e) => set({ followUp: e.currentTarget.checked ? 1440 : 0 })}
        />
        Write afterwards</label
      >
      {#if messages.followUp}
        <LengthInput
          aria-label="Afterwards"
          class="input-sm w-28 text-center font-semibold"
          bind:value={() => messages.followUp ?? 0, (m) => set({ followUp: m })}
        /> after the visit
      {/if}
    </div>
    <label class="flex items-center gap-2"
      ><input
        type="checkbox"
        class="checkbox checkbox-sm checkbox-primary"
        checked={!messages.noInvite}
        onchange={(e) => set({ noInvite: !e.currentTarget.checked })}
      />
      Put a calendar invitation into the mail</label
    >
  </div>
  {#if service && example && text}
    <div class="grid gap-3 border-t border-base-300 pt-4">
      <Field label="What is said in" hint={`Goes out ${usual?.when ?? ''}.`}>
        {#snippet children(tie)}
          <select class="select w-64" bind:value={kind} {...tie}>
            {#each example?.kinds ?? [] as k (k.kind)}
              <option value={k.kind}
                >{k.name}{messages.texts?.some((t) => t.kind === k.kind) ? ', own words' : ''}</option
              >
            {/each}
          </select>
        {/snippet}
      </Field>
      {#if kind !== 'text reminder'}
        <Field label="Subject" error={wrong.subject ?? saved('subject')}>
          {#snippet children(tie)}<input
              class="input w-full"
              maxlength="200"
              value={text.subject}
              oninput={(e) => write({ subject: e.currentTarget.value })}
              {...tie}
            />{/snippet}
        </Field>
      {/if}
      <Field label="Words" error={wrong.body ?? saved('body')}>
        {#snippet children(tie)}<textarea
            class="textarea w-full"
            rows="9"
            maxlength="5000"
            value={text.body}
            oninput={(e) => write({ body: e.currentTarget.value })}
            {...tie}></textarea>{/snippet}
      </Field>
      <div class="flex flex-wrap gap-x-5 text-sm">
        {#if own}<button type="button" class="link-plain" onclick={asUsual}>say it as usual</button>{/if}
        <FieldNames fields={example.fields} />
      </div>
    </div>
  {:else if !service}
    <p class="text-sm text-mute">The words can be changed once the service is defined.</p>
  {/if}
</fieldset>
