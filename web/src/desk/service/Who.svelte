<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import ChoiceField from '$lib/ui/ChoiceField.svelte';
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
  const offered = $derived([...new Set([...kinds, ...form.needs])]);
</script>

<fieldset class="sheet grid gap-5 p-5">
  <legend class="sr-only">Who and what it takes</legend>
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
            onchange={(e) => (form.staff = toggled(form.staff, m.id, e.currentTarget.checked))}
          />
          {m.name}
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
