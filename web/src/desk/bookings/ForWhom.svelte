<script lang="ts">
  import type { Problem } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import type { ForWhom } from './client';

  /** For whom the desk books: who they are, and where a visit at theirs is to be. */
  let {
    who = $bindable(),
    venue,
    problem,
    focus = false,
  }: {
    who: ForWhom;
    /** Where the service's visits are. */
    venue: string | undefined;
    problem: Problem | undefined;
    /** Whether somebody has just asked to type here. */
    focus?: boolean;
  } = $props();
  const here = (e: HTMLElement) => {
    if (focus) e.focus();
  };
</script>

<Field label="Client’s name" error={problem?.fields.name}>
  {#snippet children(tie)}<input
      class="input w-full"
      maxlength="120"
      use:here
      bind:value={who.name}
      {...tie}
    />{/snippet}
</Field>
<Field label="Mail address" error={problem?.fields.email}>
  {#snippet children(tie)}<input class="input w-full" type="email" bind:value={who.mail} {...tie} />{/snippet}
</Field>
<Field label="Telephone" error={problem?.fields.phone}>
  {#snippet children(tie)}<input
      class="input w-full"
      type="tel"
      maxlength="40"
      bind:value={who.phone}
      {...tie}
    />{/snippet}
</Field>
{#if venue === 'theirs'}
  <Field label="Where it is to be" error={problem?.fields.address}>
    {#snippet children(tie)}<textarea
        class="textarea w-full"
        rows="2"
        maxlength="500"
        bind:value={who.address}
        {...tie}></textarea>{/snippet}
  </Field>
{/if}
