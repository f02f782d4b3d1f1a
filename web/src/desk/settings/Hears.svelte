<script lang="ts">
  import { api, problemOf, type Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';
  import Switch from '$lib/ui/Switch.svelte';

  /** What the one who looks hears by mail. */
  let { hears, onchanged }: { hears: Shape<'Hears'>; onchanged: () => void } = $props();
  let fault = $state('');

  async function choose(change: Partial<Shape<'Hears'>>) {
    fault = '';
    try {
      await api.PUT('/api/me/messages', { body: { ...hears, ...change } });
      onchanged();
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
</script>

<div class="grid gap-2 border-t border-base-300 pt-3">
  <h3 class="text-sm font-semibold">What you hear by mail</h3>
  <label class="flex flex-wrap items-center gap-2"
    >Of new, moved and cancelled visits
    <select
      class="select select-sm w-auto font-semibold"
      value={hears.visits}
      onchange={(e) => void choose({ visits: e.currentTarget.value as typeof hears.visits })}
    >
      <option value="no">nothing</option>
      <option value="once">at once</option>
      <option value="morning">in one mail each morning</option>
    </select></label
  >
  <Switch
    label="What needs somebody, each morning"
    checked={hears.attention}
    onchange={(attention) => void choose({ attention })}
  />
  {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
</div>
