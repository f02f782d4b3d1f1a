<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import type { Fault, Fields } from './form';

  /** What is said and done once a visit is booked. */
  let { form = $bindable(), fault }: { form: Fields; fault: Fault } = $props();

  const after = $derived(form.after ?? {});
  const set = (change: Partial<NonNullable<Fields['after']>>) => (form.after = { ...after, ...change });
  const tellable = $derived([
    ...(['service', 'start', 'status', 'name', 'mail'] as const).map((k) => [k, k] as const),
    ...(form.questions ?? []).map((q) => [`answer.${q.key}`, q.label] as const),
  ]);
  const sentence = $derived(
    after.leadTo
      ? `Clients are thanked, and led on to ${after.leadTo.replace(/^https?:\/\//, '').split('/')[0]}.`
      : 'Clients are thanked, see their visit, and can put it into their calendar, move and cancel it.',
  );
</script>

<fieldset class="sheet grid gap-4 p-5">
  <legend class="sr-only">Thanks</legend>
  <p><b>Thanks.</b> {sentence}</p>
  <Field label="Words of thanks" error={fault('after.thanks')}>
    {#snippet children(tie)}<textarea
        class="textarea w-full"
        rows="2"
        maxlength="1000"
        placeholder="the usual"
        value={after.thanks ?? ''}
        oninput={(e) => set({ thanks: e.currentTarget.value })}
        {...tie}></textarea>{/snippet}
  </Field>
  <Field label="What to bring or prepare" error={fault('after.bring')}>
    {#snippet children(tie)}<textarea
        class="textarea w-full"
        rows="2"
        maxlength="1000"
        placeholder="nothing"
        value={after.bring ?? ''}
        oninput={(e) => set({ bring: e.currentTarget.value })}
        {...tie}></textarea>{/snippet}
  </Field>
  <Field
    label="Lead clients on to"
    hint="A page of yours, at a host that stands in the settings. It is told the reference."
    error={fault('after.leadTo')}
  >
    {#snippet children(tie)}<input
        class="input w-full"
        type="url"
        maxlength="500"
        placeholder="nowhere"
        value={after.leadTo ?? ''}
        oninput={(e) => set({ leadTo: e.currentTarget.value.trim() })}
        {...tie}
      />{/snippet}
  </Field>
  {#if after.leadTo}
    <div>
      <p class="mb-1 text-sm font-semibold">It is told, too</p>
      <div class="flex flex-wrap gap-x-5 gap-y-1.5">
        {#each tellable as [key, words] (key)}
          <label class="flex items-center gap-2">
            <input
              class="checkbox checkbox-sm checkbox-primary"
              type="checkbox"
              checked={after.tells?.includes(key)}
              onchange={(e) =>
                set({
                  tells: [
                    ...(after.tells ?? []).filter((t) => t !== key),
                    ...(e.currentTarget.checked ? [key] : []),
                  ],
                })}
            />
            {words}
          </label>
        {/each}
      </div>
    </div>
  {/if}
</fieldset>
