<script lang="ts">
  import Check from '@lucide/svelte/icons/check';
  import X from '@lucide/svelte/icons/x';
  import type { Shape } from '$lib/api/client';
  import Sentence from './Sentence.svelte';

  /** What rules say of a start, one by one, with where their values come from. */
  let {
    title,
    rules,
    away = false,
  }: {
    title: string;
    rules: Shape<'WhyRule'>[];
    /** Whether the places to change values open beside this page. */
    away?: boolean;
  } = $props();
</script>

{#if rules.length}
  <h3 class="pt-3 text-sm font-bold">{title}</h3>
  <ol class="trail">
    {#each rules as r (r.code)}
      <li class:refused={!r.held}>
        <span class="mark" aria-hidden="true"
          >{#if r.held}<Check size={13} />{:else}<X size={13} />{/if}</span
        >
        <div>
          <b>{r.name}</b><span class="sr-only">: {r.held ? 'holds' : 'refuses'}.</span>
          <p><Sentence text={r.detail} /></p>
          {#each r.sources as source (source.words)}
            <p class="text-[0.8125rem] text-mute">
              {#if source.path}<a
                  class="hover:underline"
                  target={away ? '_blank' : undefined}
                  href={source.path}><Sentence text={source.words} />&nbsp;›</a
                >{:else}<Sentence text={source.words} />{/if}
            </p>
          {/each}
        </div>
      </li>
    {/each}
  </ol>
{/if}

<style>
  .trail {
    display: grid;
    gap: 9px;
    padding: 6px 0;
    font-size: 0.875rem;
    line-height: 1.35;
  }
  .trail li {
    display: grid;
    grid-template-columns: 20px 1fr;
    gap: 9px;
  }
  .mark {
    display: grid;
    place-items: center;
    width: 20px;
    height: 23px;
    border-radius: 10px 10px 2px 2px;
    background: var(--color-base-300);
    color: var(--color-moss);
  }
  .refused .mark {
    background: var(--color-brick-soft);
    color: var(--color-brick);
  }
  .refused b {
    color: var(--color-brick);
  }
</style>
