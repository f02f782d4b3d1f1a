<script lang="ts">
  import type { Shape } from '$lib/api/client';

  /** The fields that a text can name, with what each is. */
  let { fields }: { fields: Shape<'TextField'>[] } = $props();
</script>

<details class="text-sm">
  <summary class="link-plain cursor-pointer">The fields that there are</summary>
  <dl class="mt-2 grid grid-cols-[7rem_minmax(0,1fr)] gap-x-3 gap-y-1">
    {#each fields as f (f.name)}
      <dt><code>{`{${f.name}}`}</code></dt>
      <dd class="text-mute">{f.about}</dd>
    {/each}
  </dl>
</details>
