<script lang="ts" generics="Body">
  import { untrack } from 'svelte';
  import { differing, type Part } from '$lib/edit/parts';
  import Notice from './Notice.svelte';

  /** Two versions side by side, when somebody else has saved in the meantime: takes theirs, mine, or something of both. */
  let {
    base,
    mine,
    theirs,
    parts,
    busy,
    onsettle,
  }: {
    /** What both began with. */
    base: Body;
    mine: Body;
    theirs: Body;
    parts: Part<Body>[];
    busy: boolean;
    onsettle: (mixture?: Body | 'theirs') => void;
  } = $props();

  const id = $props.id();
  const rows = $derived(differing(parts, mine, theirs));
  /** Whose each part is to be: theirs where I have changed nothing. */
  let chosen = $state<('mine' | 'theirs')[]>(
    untrack(() => rows.map((row) => (row.text(mine) === row.text(base) ? 'theirs' : 'mine'))),
  );
  const taken = $derived(rows.filter((_, i) => chosen[i] === 'theirs').length);

  function settle() {
    if (taken === rows.length) return onsettle('theirs');
    if (taken === 0) return onsettle();
    const mixture = structuredClone($state.snapshot(mine)) as Body;
    rows.forEach((row, i) => chosen[i] === 'theirs' && row.copy(theirs, mixture));
    onsettle(mixture);
  }
</script>

<section class="sheet grid gap-3 p-4" aria-label="Two versions" role="alert">
  <Notice tone="wrong">
    <b>Somebody else has saved this since you opened it.</b> Yours has not been saved yet, and nothing of it is
    lost.
  </Notice>
  {#if rows.length === 0}
    <p>They have saved the same as you.</p>
  {:else}
    <div class="max-h-80 overflow-auto">
      <table class="w-full text-sm">
        <thead>
          <tr>
            <th scope="col"><span class="sr-only">What</span></th>
            <th scope="col">Yours</th>
            <th scope="col">Theirs</th>
          </tr>
        </thead>
        <tbody>
          {#each rows as row, i (row.label)}
            <tr>
              <th scope="row">{row.label}</th>
              {#each [{ whose: 'mine', body: mine }, { whose: 'theirs', body: theirs }] as const as side (side.whose)}
                <td class:taken={chosen[i] === side.whose}>
                  <label class="flex cursor-pointer items-baseline gap-2">
                    <input
                      type="radio"
                      class="radio radio-xs flex-none self-center"
                      name="{id}-{i}"
                      value={side.whose}
                      bind:group={chosen[i]}
                    />
                    <span class="break-words">{row.text(side.body)}</span>
                  </label>
                </td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
  <div class="flex flex-wrap gap-2">
    {#if taken > 0 && taken < rows.length}
      <button type="button" class="btn btn-primary" disabled={busy} onclick={settle}
        >Save what is chosen</button
      >
    {/if}
    <button type="button" class="btn" disabled={busy} onclick={() => onsettle('theirs')}>Take theirs</button>
    {#if rows.length}
      <button type="button" class="btn" disabled={busy} onclick={() => onsettle()}>Put mine over it</button>
    {/if}
  </div>
</section>

<style>
  th,
  td {
    padding: 5px 10px;
    text-align: left;
    vertical-align: baseline;
    border-top: 1px solid var(--color-base-300);
  }
  thead th {
    border-top: 0;
    color: var(--color-mute);
  }
  th {
    font-weight: 600;
  }
  td {
    width: 38%;
    color: var(--color-mute);
  }
  td.taken {
    color: var(--color-ink);
    background: var(--color-alcove);
    box-shadow: inset 0 -2px 0 var(--color-primary);
  }
</style>
