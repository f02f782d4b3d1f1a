<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import type { NewLink } from './newLink.svelte';

  /** What has to be typed for a link: side by side, or below each other. */
  let {
    link,
    hosts,
    stacked = false,
    onlinked,
  }: { link: NewLink; hosts: Shape<'NamedHost'>[]; stacked?: boolean; onlinked: () => void } = $props();

  const fields = $derived(link.problem?.fields);
</script>

{#if link.kind === 'account'}
  <div class={['grid items-start gap-4', !stacked && 'md:grid-cols-3']}>
    <div class="grid gap-2">
      {#if hosts.length}
        <Field label="Calendar host" error={link.host && fields?.address}>
          {#snippet children(tie)}
            <select
              class="select w-full"
              bind:value={() => link.host?.id ?? 0, (id) => link.pick(id)}
              {...tie}
            >
              {#each hosts as h (h.id)}<option value={h.id}>{h.name}</option>{/each}
              <option value={0}>another</option>
            </select>
          {/snippet}
        </Field>
      {/if}
      {#if !link.host}
        <Field
          label="Host or CalDAV address"
          hint="As in calendar.example. Left empty, it is looked for by the mail address."
          error={fields?.address}
        >
          {#snippet children(tie)}
            <input
              class="input w-full"
              inputmode="url"
              autocomplete="off"
              bind:value={link.address}
              {...tie}
            />
          {/snippet}
        </Field>
      {/if}
    </div>
    <Field label="User" hint="Often the mail address." error={fields?.username}>
      {#snippet children(tie)}
        <input
          class="input w-full"
          autocomplete="off"
          bind:value={link.username}
          onchange={() => link.guess()}
          {...tie}
        />
      {/snippet}
    </Field>
    <Field label="App password" hint="Kept encrypted, and never shown again." error={fields?.password}>
      {#snippet children(tie)}
        <input class="input w-full" type="password" autocomplete="off" bind:value={link.password} {...tie} />
      {/snippet}
    </Field>
  </div>
{:else}
  <Field
    label="iCalendar address"
    hint="As in https://calendar.example/shared/hall.ics, or webcal://… It is kept encrypted, and only its host is shown."
    error={fields?.address}
  >
    {#snippet children(tie)}
      <input class="input w-full" inputmode="url" autocomplete="off" bind:value={link.address} {...tie} />
    {/snippet}
  </Field>
{/if}
{#if link.leadsTo}
  <div class="grid gap-2 rounded-sm bg-gold-soft px-4 py-3" role="alert">
    <p>
      This mail address has its calendars at <b class="break-words">{link.leadsTo}</b>. Is that the host? The
      app password is sent there.
    </p>
    <button
      type="button"
      class="btn btn-sm btn-primary justify-self-start"
      disabled={link.busy}
      onclick={async () => {
        if (await link.agree()) onlinked();
      }}>Yes, sign in there</button
    >
  </div>
{/if}
