<script lang="ts">
  /** Search, order, and what is archived, over a list. */
  let {
    search = $bindable(),
    order = $bindable(),
    archived = $bindable(),
    orders,
    what,
    also = 'Show what is archived',
  }: {
    search: string;
    order: string;
    archived: boolean;
    /** The ways of sorting: a key and its words. */
    orders: [string, string][];
    /** What is listed, for labels: "people". */
    what: string;
    /** What else than archived things can be shown. */
    also?: string;
  } = $props();
</script>

<div class="flex flex-wrap items-center gap-3">
  <input
    class="input w-56 input-sm"
    type="search"
    placeholder="Search {what}"
    aria-label="Search {what}"
    bind:value={search}
  />
  <label class="flex items-center gap-2 text-sm text-mute">
    Sorted by
    <select class="select w-40 select-sm font-semibold text-ink" bind:value={order}>
      {#each orders as [key, words] (key)}<option value={key}>{words}</option>{/each}
    </select>
  </label>
  <label class="ml-auto flex items-center gap-2 text-sm">
    <input class="checkbox checkbox-sm checkbox-primary" type="checkbox" bind:checked={archived} />
    {also}
  </label>
</div>
