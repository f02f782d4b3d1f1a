<script lang="ts">
  import ArrowDown from '@lucide/svelte/icons/arrow-down';
  import ArrowUp from '@lucide/svelte/icons/arrow-up';
  import X from '@lucide/svelte/icons/x';
  import { SvelteSet } from 'svelte/reactivity';
  import type { Shape } from '$lib/api/client';
  import { keyOf } from '$lib/ask/ask';
  import Field from '$lib/ui/Field.svelte';
  import type { Fault, Fields } from './form';

  /** What clients are asked, in an order; some only after a certain answer. */
  let { form = $bindable(), fault }: { form: Fields; fault: Fault } = $props();

  type Question = Shape<'Question'>;
  const kinds: [Question['kind'], string][] = [
    ['text', 'a line of text'],
    ['long', 'several lines'],
    ['one', 'one of some options'],
    ['several', 'any of some options'],
    ['number', 'a number'],
    ['yes-no', 'yes or no'],
    ['date', 'a date'],
    ['telephone', 'a telephone number'],
    ['address', 'an address'],
    ['file', 'files'],
  ];
  const list = $derived(form.questions ?? []);
  const chooses = (q: Question) => q.kind === 'one' || q.kind === 'several';
  const put = (next: Question[]) => (form.questions = next);
  const change = (at: number, c: Partial<Question>) =>
    put(list.map((q, i) => (i === at ? { ...q, ...c } : q)));

  function word(at: number, label: string) {
    const q = list[at];
    if (!q) return;
    const others = list.filter((_, i) => i !== at).map((o) => o.key);
    // As long as a question is new its key follows its words; afterwards addresses and answers know it.
    if (!added.delete(q.key)) return change(at, { label });
    const key = keyOf(label, others);
    added.add(key);
    // What depends on it goes on depending on it.
    const after = (o: Question) => (o.after === q.key ? { ...o, after: key } : o);
    put(list.map((o, i) => (i === at ? { ...o, label, key } : after(o))));
  }
  /** The keys of questions that are not saved yet. */
  const added = new SvelteSet<string>();
  function add() {
    const key = keyOf(
      '',
      list.map((q) => q.key),
    );
    added.add(key);
    put([...list, { key, kind: 'text', label: '' }]);
  }
  function move(at: number, by: -1 | 1) {
    const next = [...list];
    const [q] = next.splice(at, 1);
    if (q) next.splice(at + by, 0, q);
    put(next);
  }
  /** The questions before one, on which it can depend. */
  const before = (at: number) => list.slice(0, at).filter((q) => chooses(q) || q.kind === 'yes-no');
  const answers = (key: string): [string, string][] => {
    const q = list.find((o) => o.key === key);
    if (q?.kind === 'yes-no')
      return [
        ['yes', 'yes'],
        ['no', 'no'],
      ];
    return (q?.options ?? []).map((o) => [o, o]);
  };
  const wrong = (at: number, field: string) => fault(`questions[${at}].${field}`);
  const needed = $derived(list.filter((q) => q.required).length);
  const sentence = $derived(
    list.length === 0 && (form.phone ?? 'no') === 'no'
      ? 'Clients say their name and mail address, and nothing else.'
      : `Clients say their name and mail address${form.phone === 'must' ? ', a telephone number' : form.phone === 'may' ? ', a telephone number if they like' : ''}${
          list.length
            ? `, and answer ${list.length === 1 ? 'one question' : `${list.length} questions`}, of which ${needed ? needed : 'none'} ${needed === 1 ? 'has' : 'have'} to be answered`
            : ''
        }.`,
  );
</script>

<fieldset class="sheet grid gap-4 p-5">
  <legend class="sr-only">Questions</legend>
  <p><b>Questions.</b> {sentence}</p>
  <label class="flex flex-wrap items-center gap-2">
    A telephone number
    <select class="select select-sm w-48" bind:value={form.phone}>
      <option value="no">is not asked for</option>
      <option value="may">may be given</option>
      <option value="must">has to be given</option>
    </select>
  </label>
  {#each list as q, i (i)}
    <section class="question" aria-label="Question {i + 1}">
      <div class="flex items-start gap-2">
        <div class="grow">
          <Field label="Question {i + 1}" error={wrong(i, 'label') || wrong(i, 'key')}>
            {#snippet children(tie)}<input
                class="input w-full"
                maxlength="200"
                value={q.label}
                oninput={(e) => word(i, e.currentTarget.value)}
                {...tie}
              />{/snippet}
          </Field>
        </div>
        <div class="flex flex-none gap-1 pt-7">
          <button
            type="button"
            class="btn btn-square btn-ghost btn-sm"
            aria-label="Ask question {i + 1} earlier"
            disabled={i === 0}
            onclick={() => move(i, -1)}><ArrowUp size={16} /></button
          >
          <button
            type="button"
            class="btn btn-square btn-ghost btn-sm"
            aria-label="Ask question {i + 1} later"
            disabled={i === list.length - 1}
            onclick={() => move(i, 1)}><ArrowDown size={16} /></button
          >
          <button
            type="button"
            class="btn btn-square btn-ghost btn-sm"
            aria-label="Take question {i + 1} away"
            onclick={() => put(list.filter((_, n) => n !== i))}><X size={16} /></button
          >
        </div>
      </div>
      <div class="flex flex-wrap items-center gap-x-4 gap-y-2 text-sm">
        <label class="flex items-center gap-2"
          >answered by
          <select
            class="select select-sm w-46"
            value={q.kind}
            onchange={(e) => change(i, { kind: e.currentTarget.value as Question['kind'] })}
          >
            {#each kinds as [value, words] (value)}<option {value}>{words}</option>{/each}
          </select></label
        >
        <label class="flex items-center gap-2"
          ><input
            class="checkbox checkbox-sm checkbox-primary"
            type="checkbox"
            checked={q.required ?? false}
            onchange={(e) => change(i, { required: e.currentTarget.checked })}
          /> has to be answered</label
        >
      </div>
      {#if chooses(q)}
        <Field label="Options, a line each" error={wrong(i, 'options')}>
          {#snippet children(tie)}<textarea
              class="textarea w-full"
              rows={Math.max(3, (q.options ?? []).length + 1)}
              value={(q.options ?? []).join('\n')}
              onchange={(e) =>
                change(i, {
                  options: e.currentTarget.value
                    .split('\n')
                    .map((o) => o.trim())
                    .filter(Boolean),
                })}
              {...tie}></textarea>{/snippet}
        </Field>
      {:else if q.kind === 'number'}
        <div class="flex flex-wrap items-center gap-2 text-sm">
          {#each [['least', 'from'], ['most', 'to']] as const as [end, words] (end)}
            <label class="flex items-center gap-2"
              >{words}
              <input
                class="input input-sm w-24"
                inputmode="decimal"
                placeholder="any"
                value={q[end] ?? ''}
                onchange={(e) => {
                  const n = Number(e.currentTarget.value.replace(',', '.'));
                  change(i, { [end]: e.currentTarget.value.trim() && !Number.isNaN(n) ? n : undefined });
                }}
              /></label
            >
          {/each}
          {#if wrong(i, 'most')}<span class="text-brick" role="alert">{wrong(i, 'most')}</span>{/if}
        </div>
      {/if}
      <Field label="Help, below the question">
        {#snippet children(tie)}<input
            class="input input-sm w-full"
            maxlength="500"
            value={q.help ?? ''}
            onchange={(e) => change(i, { help: e.currentTarget.value })}
            {...tie}
          />{/snippet}
      </Field>
      {#if before(i).length || q.after}
        <div class="flex flex-wrap items-center gap-2 text-sm">
          <label class="flex items-center gap-2"
            >It is asked
            <select
              class="select select-sm w-56"
              value={q.after ?? ''}
              onchange={(e) => {
                const after = e.currentTarget.value;
                change(i, { after, said: after ? (answers(after)[0]?.[0] ?? '') : '' });
              }}
            >
              <option value="">always</option>
              {#each before(i) as b (b.key)}<option value={b.key}>after “{b.label}”</option>{/each}
            </select></label
          >
          {#if q.after}
            <label class="flex items-center gap-2"
              >was answered
              <select
                class="select select-sm w-40"
                value={q.said ?? ''}
                onchange={(e) => change(i, { said: e.currentTarget.value })}
              >
                {#each answers(q.after) as [value, words] (value)}<option {value}>{words}</option>{/each}
              </select></label
            >
          {/if}
          {#if wrong(i, 'after') || wrong(i, 'said')}<span class="text-brick" role="alert"
              >{wrong(i, 'after') || wrong(i, 'said')}</span
            >{/if}
        </div>
      {/if}
      <p class="text-sm text-mute">
        Known as <code>{q.key}</code>: an address can answer it with <code>?answer.{q.key}=…</code>
      </p>
    </section>
  {/each}
  {#if list.length < 40}
    <button type="button" class="btn btn-sm justify-self-start" onclick={add}
      >{list.length ? 'Ask something else' : 'Ask something'}</button
    >
  {/if}
</fieldset>

<style>
  .question {
    display: grid;
    gap: 10px;
    padding: 12px 14px;
    border: 1px solid var(--color-base-300);
    border-radius: 12px 12px 3px 3px;
  }
</style>
