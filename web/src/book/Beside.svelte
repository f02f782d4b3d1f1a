<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';

  /** A client's own calendar beside the page: starts at which they are busy are marked. Nothing of it is kept. */
  let {
    zone,
    from,
    busy = $bindable(),
  }: { zone: string; from: string; busy: { from: number; to: number }[] } = $props();

  let open = $state(false);
  let address = $state('');
  let said = $state('');
  let fault = $state('');
  let asking = $state(false);

  async function look(what: { text?: string; address?: string }) {
    [asking, fault, said] = [true, '', ''];
    try {
      const got: Shape<'BusyTimes'> = await data(api.POST('/api/busy', { body: { zone, from, ...what } }));
      busy = got.busy.map((b) => ({ from: Date.parse(b.start), to: Date.parse(b.end) }));
      said = `${got.name ? `“${got.name}”: ` : ''}${busy.length === 0 ? 'nothing in it is ahead' : 'starts at which you are busy are marked'}${got.lost ? `; ${got.lost === 1 ? 'one event' : `${got.lost} events`} could not be read` : ''}.`;
    } catch (cause) {
      const p = problemOf(cause);
      fault = Object.values(p.fields)[0] ?? p.message;
    } finally {
      asking = false;
    }
  }
  async function read(file: File | undefined) {
    if (!file) return;
    if (file.size > 900_000) fault = 'This file is too large: give the address of the calendar instead.';
    else await look({ text: await file.text() });
  }
</script>

<div class="text-sm">
  <button type="button" class="link-plain" aria-expanded={open} onclick={() => (open = !open)}
    >{busy.length ? 'my calendar beside it' : 'put my calendar beside it'}</button
  >
  {#if open}
    <div class="mt-2 grid max-w-xl gap-2 rounded-t-2xl bg-base-100 p-4" role="group" aria-label="My calendar">
      <p class="text-mute">It is looked at once, to mark when you are busy, and not kept.</p>
      <form
        class="flex flex-wrap gap-2"
        onsubmit={(e) => {
          e.preventDefault();
          void look({ address });
        }}
      >
        <input
          class="input input-sm min-w-0 grow"
          type="url"
          inputmode="url"
          aria-label="Address of my calendar"
          placeholder="its address, webcal:// or https://"
          bind:value={address}
        />
        <button class="btn btn-sm" disabled={!address || asking}>Look</button>
      </form>
      <label class="grid gap-1"
        >or a file of it
        <input
          class="file-input file-input-sm w-full"
          type="file"
          accept=".ics,text/calendar"
          onchange={(e) => void read(e.currentTarget.files?.[0])}
        /></label
      >
      {#if said}<p role="status">{said}</p>{/if}
      {#if fault}<p class="font-medium text-brick" role="alert">{fault}</p>{/if}
      {#if busy.length}<button
          type="button"
          class="link-plain justify-self-start"
          onclick={() => ([busy, said, address] = [[], '', ''])}>forget it</button
        >{/if}
    </div>
  {/if}
</div>
