<script lang="ts">
  /** The keys of the desk. */
  let dialog: HTMLDialogElement;

  export function show(): void {
    dialog.showModal();
  }

  const keys: [string, string][] = [
    ['/', 'find something, or do it: move K7M, why friday 14:00 mara'],
    ['D, W, M', 'on the wall: day, week, month'],
    ['← →', 'the one before, the one after'],
    ['T', 'today'],
    ['J', 'jump to a date'],
    ['Tab, then ← →', 'along the starts of a lane'],
    ['↑ ↓', 'from a start to the next lane'],
    ['M on a booking', 'take it up; arrows move it, Enter lets it go'],
    ['Enter', 'why this start is offered, or not'],
    ['Esc', 'close what is open at the side'],
    ['?', 'these keys'],
  ];
</script>

<dialog class="keys" bind:this={dialog} aria-label="Keys">
  <h2 class="pb-2 text-lg">Keys</h2>
  <dl>
    {#each keys as [key, does] (key)}<dt>{key}</dt>
      <dd>{does}</dd>{/each}
  </dl>
  <form method="dialog" class="pt-3"><button class="btn btn-sm">Close</button></form>
</dialog>

<style>
  .keys {
    margin: auto;
    padding: 20px 24px;
    border: 1px solid var(--color-edge);
    border-radius: 14px 14px 4px 4px;
    background: var(--color-base-100);
    color: var(--color-ink);
  }
  .keys::backdrop {
    background: var(--color-shade);
  }
  dl {
    display: grid;
    grid-template-columns: auto auto;
    gap: 6px 24px;
  }
  dt {
    font-weight: 700;
  }
</style>
