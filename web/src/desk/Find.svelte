<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { Query } from '$lib/api/query.svelte';
  import { clock } from './clock.svelte';

  /** Finds people, bookings, services, days and screens, and does what is typed as a sentence. */
  let dialog: HTMLDialogElement;
  let field = $state<HTMLInputElement>();
  let text = $state('');
  let at = $state(0);
  const id = $props.id();
  const answer = new Query<{ items: Shape<'Hit'>[] }>();
  const hits = $derived(text.trim() ? (answer.value?.items ?? []) : []);
  const kinds: Record<Shape<'Hit'>['kind'], string> = {
    do: 'do',
    person: 'person',
    client: 'client',
    booking: 'booking',
    service: 'service',
    day: 'day',
    screen: 'screen',
  };
  const examples = ['move K7M', 'why friday 14:00 mara', 'prove', '26 nov', 'rosa osei'];

  export function show(): void {
    [text, at] = ['', 0];
    dialog.showModal();
    field?.focus();
  }
  function type() {
    at = 0;
    void answer.ask(() =>
      data(api.GET('/api/find', { params: { query: { text: text.trim(), clock: clock.kind } } })),
    );
  }
  function go(hit: Shape<'Hit'> | undefined) {
    if (!hit) return;
    dialog.close();
    // As a link that is followed, which the router takes over.
    const link = document.createElement('a');
    link.href = hit.where;
    document.body.append(link);
    link.click();
    link.remove();
  }
  function press(e: KeyboardEvent) {
    if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
      e.preventDefault();
      const n = hits.length;
      if (n) at = (at + (e.key === 'ArrowDown' ? 1 : n - 1)) % n;
    } else if (e.key === 'Enter') {
      e.preventDefault();
      go(hits[at]);
    }
  }
</script>

<dialog class="find" bind:this={dialog} aria-label="Find or do">
  <input
    class="input w-full"
    type="search"
    placeholder="Find or do…"
    aria-label="Find or do"
    role="combobox"
    aria-expanded={hits.length > 0}
    aria-controls={id}
    aria-activedescendant={hits[at] ? `${id}-${at}` : undefined}
    autocomplete="off"
    bind:this={field}
    bind:value={text}
    oninput={type}
    onkeydown={press}
  />
  {#if answer.problem}<p class="px-1 pt-2 text-brick">{answer.problem.message}</p>{/if}
  <ul {id} role="listbox" aria-label="What was found">
    {#each hits as h, i (`${h.kind} ${h.where} ${h.title}`)}
      <!-- svelte-ignore a11y_click_events_have_key_events (keys go to the field) -->
      <li
        id="{id}-{i}"
        role="option"
        aria-selected={i === at}
        onpointermove={() => (at = i)}
        onclick={() => go(h)}
      >
        <span class="kind">{kinds[h.kind]}</span>
        <b class="truncate">{h.title}</b>
        <span class="truncate text-sm text-mute">{h.about}</span>
      </li>
    {/each}
  </ul>
  {#if text.trim() && answer.value && !hits.length}
    <p class="px-2 py-3 text-mute">Nothing is called so.</p>
  {:else if !text.trim()}
    <p class="px-2 py-3 text-sm text-mute">
      Names, references, mail addresses, days and screens; or what is to be done: {examples.join(' · ')}
    </p>
  {/if}
</dialog>

<style>
  .find {
    width: min(40rem, calc(100vw - 2rem));
    margin: 12vh auto auto;
    padding: 12px;
    border: 1px solid var(--color-edge);
    border-radius: 14px 14px 4px 4px;
    background: var(--color-base-100);
    color: var(--color-ink);
  }
  .find::backdrop {
    background: var(--color-shade);
  }
  ul {
    max-height: 60vh;
    overflow-y: auto;
    padding-top: 6px;
  }
  li {
    display: grid;
    grid-template-columns: 4.5rem minmax(0, auto) minmax(0, 1fr);
    gap: 10px;
    align-items: baseline;
    padding: 7px 8px;
    border-radius: 6px;
    cursor: pointer;
  }
  li[aria-selected='true'] {
    background: var(--color-secondary);
  }
  .kind {
    font-size: 0.75rem;
    color: var(--color-mute);
  }
</style>
