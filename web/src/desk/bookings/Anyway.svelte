<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import DateInput from '$lib/ui/DateInput.svelte';
  import Field from '$lib/ui/Field.svelte';

  /** A time that the rules do not offer, with the reason why it is taken all the same. */
  let {
    people,
    fields,
    date = $bindable(''),
    time = $bindable(''),
    staff = $bindable(0),
    why = $bindable(''),
  }: {
    people: Shape<'NamedID'>[];
    /** What is wrong with which field. */
    fields: Record<string, string>;
    date: string;
    time: string;
    staff: number;
    why: string;
  } = $props();
</script>

<div class="grid gap-3">
  <p class="text-sm text-mute">
    Every rule is overruled but one: a time that somebody else has booked stays theirs. It is noted who did it
    and why.
  </p>
  <div class="flex flex-wrap gap-3">
    <Field label="Date" error={fields.wall ?? fields.start}>
      {#snippet children(tie)}<DateInput bind:value={date} {...tie} />{/snippet}
    </Field>
    <Field label="Time">
      {#snippet children(tie)}<input
          class="input w-24"
          placeholder="14:00"
          bind:value={time}
          {...tie}
        />{/snippet}
    </Field>
    <Field label="With" error={fields.staff}>
      {#snippet children(tie)}
        <select class="select w-48" bind:value={staff} {...tie}>
          <option value={0} disabled>choose…</option>
          {#each people as p (p.id)}<option value={p.id}>{p.name}</option>{/each}
        </select>
      {/snippet}
    </Field>
  </div>
  <Field label="Why" error={fields.anyway}>
    {#snippet children(tie)}<input class="input w-full" maxlength="300" bind:value={why} {...tie} />{/snippet}
  </Field>
</div>
