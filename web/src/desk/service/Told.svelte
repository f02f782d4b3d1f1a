<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import FieldNames from '$lib/ui/FieldNames.svelte';
  import LengthInput from '$lib/ui/LengthInput.svelte';
  import { writeLength } from '$lib/ui/typed';
  import type { Fault, Fields } from './form';

  /** What clients are told, and when: each text with the mail that it makes, of a booking that there is. */
  let { form = $bindable(), service, fault }: { form: Fields; service: number; fault: Fault } = $props();

  const messages = $derived(form.messages ?? { reminders: [], followUp: 0, noInvite: false, texts: [] });
  const set = (change: Partial<NonNullable<Fields['messages']>>) =>
    (form.messages = { ...messages, ...change });

  type Kind = Shape<'MessageText'>['kind'];
  let kind = $state<Kind>('confirmed');
  let example = $state.raw<Shape<'MessageExample'>>();
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
  const remind = (at: number, minutes: number) => set({ reminders: reminders.with(at, minutes) });
  const soonestLast = $derived(reminders.toSorted((a, b) => b - a));
  const another = $derived([1440, 120, 2880, 10_080].find((m) => !reminders.includes(m)) ?? 60);
  const sentence = $derived.by(() => {
    const parts = [
      messages.noInvite ? 'a confirmation' : 'a confirmation with a calendar invitation',
      ...(reminders.length
        ? [
            `a reminder ${soonestLast.map((m) => (Number.isNaN(m) ? '…' : writeLength(m))).join(' and ')} before`,
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
    {#each reminders as minutes, i (i)}
      <div class="flex flex-wrap items-center gap-2">
        Remind by mail <LengthInput
          aria-label="Reminder {i + 1}"
          class="input-sm w-28 text-center font-semibold"
          bind:value={() => minutes, (m) => remind(i, m)}
        /> before
        <button
          type="button"
          class="link-plain text-sm"
          onclick={() => set({ reminders: reminders.filter((_, n) => n !== i) })}>take away</button
        >
      </div>
    {/each}
    {#if fault('messages.reminders')}<p class="text-sm font-medium text-brick" role="alert">
        {fault('messages.reminders')}
      </p>{/if}
    {#if reminders.length < 6}
      <button
        type="button"
        class="link-plain justify-self-start text-sm"
        onclick={() => set({ reminders: [...reminders, another] })}
        >{reminders.length ? 'another reminder' : 'remind them'}</button
      >
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
      <Field label="Subject" error={wrong.subject ?? saved('subject')}>
        {#snippet children(tie)}<input
            class="input w-full"
            maxlength="200"
            value={text.subject}
            oninput={(e) => write({ subject: e.currentTarget.value })}
            {...tie}
          />{/snippet}
      </Field>
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
      <section class="letter" aria-label="What a client would receive">
        <p class="text-sm text-mute">
          What a client would receive{example.of ? `, as of booking ${example.of}` : ', as an example'}
        </p>
        <p class="font-bold break-words">{example.subject}</p>
        <p class="break-words whitespace-pre-line">{example.body}</p>
        {#if example.invite}<p class="invite">
            {kind === 'cancelled' ? 'A calendar entry that takes the visit away' : 'A calendar invitation'} goes
            with it.
          </p>{/if}
      </section>
    </div>
  {:else if !service}
    <p class="text-sm text-mute">The words can be changed once the service is defined.</p>
  {/if}
</fieldset>

<style>
  .letter {
    display: grid;
    gap: 8px;
    padding: 14px 18px;
    border-radius: 14px 14px 3px 3px;
    background: var(--color-base-200);
    font-size: 0.9375rem;
  }
  .invite {
    padding-top: 8px;
    border-top: 1px dashed var(--color-edge);
    font-size: 0.875rem;
    font-weight: 600;
  }
</style>
