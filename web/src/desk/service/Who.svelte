<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import ChoiceField from '$lib/ui/ChoiceField.svelte';
  import NumberInput from '$lib/ui/NumberInput.svelte';
  import type { Fields } from './form';

  /** Who performs the service, how one is picked, and what else a visit needs. */
  let {
    form = $bindable(),
    team,
    kinds,
  }: {
    form: Fields;
    team: Shape<'StaffMember'>[];
    /** The kinds of rooms and equipment that there are. */
    kinds: string[];
  } = $props();

  const toggled = <T,>(list: T[], one: T, on: boolean) =>
    on ? [...list, one] : list.filter((o) => o !== one);
  const share = (id: number) => form.weights?.[form.staff.indexOf(id)] ?? 1;
  const shares = $derived(form.staff.reduce((sum, id) => sum + share(id), 0));
  const setShare = (id: number, n: number | undefined) =>
    (form.weights = form.staff.map((other) => (other === id ? (n ?? NaN) : share(other))));
  /** Shares go with those whose they are. */
  function choose(id: number, on: boolean) {
    const staff = toggled(form.staff, id, on);
    form.weights = staff.map(share);
    form.staff = staff;
  }
  const picks: Record<string, string> = {
    order: 'the first of them who is free',
    fewest: 'who has the fewest visits that day',
    turn: 'whose turn it is',
    last: 'whom the client had last',
    weight: 'by the share of each',
  };
  const named = $derived(team.filter((m) => form.staff.includes(m.id)).map((m) => m.name.split(' ')[0]));
  const sentence = $derived.by(() => {
    if (!named.length) return 'Nobody performs it yet, so nothing is offered.';
    const all = named.length > 1 ? `${named.slice(0, -1).join(', ')} and ${named.at(-1)}` : `${named[0]}`;
    const needs = form.needs.length ? `, and a ${form.needs.join(' and a ')}` : '';
    if (named.length === 1) return `A visit takes ${all}${needs}.`;
    return form.staffing === 'all'
      ? `A visit takes ${all} together${needs}.`
      : `A visit takes one of ${all}: ${picks[form.pick] ?? ''}${needs}.`;
  });
  const offered = $derived([...new Set([...kinds, ...form.needs])]);
</script>

<fieldset class="sheet grid gap-5 p-5">
  <legend class="sr-only">Who and what it takes</legend>
  <p><b>Who.</b> {sentence}</p>
  <div class="grid gap-4 2xl:grid-cols-2">
    <ChoiceField
      label="A visit takes"
      bind:value={form.staffing}
      of={[
        ['any', 'any one of those who perform it'],
        ['all', 'all of them together'],
      ]}
    />
    {#if form.staffing === 'any'}
      <ChoiceField
        label="Of several who are free"
        bind:value={form.pick}
        of={[
          ['order', 'the first in the order they were chosen'],
          ['fewest', 'who has the fewest visits that day'],
          ['turn', 'whose turn it is'],
          ['last', 'whom the client had last'],
          ['weight', 'by share, as you say below'],
        ]}
      />
    {/if}
  </div>
  <div>
    <p class="mb-2 text-sm font-semibold">Who performs it</p>
    <div class="flex flex-wrap gap-x-6 gap-y-2">
      {#each team as m (m.id)}
        <label class="flex items-center gap-2">
          <input
            class="checkbox checkbox-sm checkbox-primary"
            type="checkbox"
            checked={form.staff.includes(m.id)}
            onchange={(e) => choose(m.id, e.currentTarget.checked)}
          />
          {m.name}
          {#if form.pick === 'weight' && form.staffing === 'any' && form.staff.includes(m.id)}
            <NumberInput
              class="input input-sm w-16 text-center font-semibold"
              aria-label="Share of {m.name}"
              min={1}
              bind:value={() => share(m.id), (n) => setShare(m.id, n)}
            />
            <span class="text-sm text-mute">of {shares}</span>
          {/if}
        </label>
      {:else}
        <p>There is nobody yet. <a class="link-plain" href="/team">Add the first person.</a></p>
      {/each}
    </div>
  </div>
  <div>
    <p class="mb-2 text-sm font-semibold">Rooms and equipment it needs</p>
    <div class="flex flex-wrap gap-x-6 gap-y-2">
      {#each offered as kind (kind)}
        <label class="flex items-center gap-2">
          <input
            class="checkbox checkbox-sm checkbox-primary"
            type="checkbox"
            checked={form.needs.includes(kind)}
            onchange={(e) => (form.needs = toggled(form.needs, kind, e.currentTarget.checked))}
          />
          {kind}
        </label>
      {:else}
        <p class="text-mute">
          There are none yet. <a class="link-plain" href="/house">Add rooms and equipment.</a>
        </p>
      {/each}
    </div>
  </div>
</fieldset>
