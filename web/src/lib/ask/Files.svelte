<script lang="ts">
  import { api, problemOf, data } from '$lib/api/client';

  /** Files that answer a question: each is handed over at once, and named by its token. */
  let {
    slug,
    label,
    help,
    error = '',
    tokens,
    onchange,
  }: {
    slug: string;
    label: string;
    help: string;
    error?: string;
    tokens: string[];
    onchange: (tokens: string[]) => void;
  } = $props();

  const id = $props.id();
  let names = $state<Record<string, string>>({});
  let fault = $state('');
  let under = $state(0);

  async function take(list: FileList | null) {
    fault = '';
    let all = tokens;
    for (const file of list ?? []) {
      under++;
      try {
        const got = await data(
          api.POST('/api/pages/{slug}/files', {
            params: { path: { slug }, query: { name: file.name } },
            headers: { 'Content-Type': 'application/octet-stream' },
            body: file as never,
            bodySerializer: (body: unknown) => body as never,
          }),
        );
        names[got.token] = got.name;
        all = [...all, got.token];
        onchange(all);
      } catch (cause) {
        const p = problemOf(cause);
        fault = `${file.name}: ${Object.values(p.fields)[0] ?? p.message}`;
      } finally {
        under--;
      }
    }
  }
</script>

<div class="grid gap-1">
  <label for={id} class="text-sm font-semibold">{label}</label>
  <input
    {id}
    class="file-input w-full"
    type="file"
    accept="image/png,image/jpeg,application/pdf"
    multiple
    aria-invalid={error || fault ? 'true' : undefined}
    aria-describedby="{id}-note"
    onchange={(e) => {
      void take(e.currentTarget.files);
    }}
  />
  <p
    id="{id}-note"
    class={error || fault ? 'text-sm font-medium text-brick' : 'text-sm text-mute'}
    role={error || fault ? 'alert' : undefined}
  >
    {fault || error || `${help ? `${help} ` : ''}Pictures (PNG, JPEG) or PDF, each up to 8 MB.`}
  </p>
  {#if under}<p class="text-sm" role="status">Handing it over…</p>{/if}
  {#each tokens as t (t)}
    <p class="flex items-baseline gap-3 text-sm">
      <b class="break-all">{names[t] ?? 'a file'}</b>
      <button type="button" class="link-plain" onclick={() => onchange(tokens.filter((o) => o !== t))}
        >take away</button
      >
    </p>
  {/each}
</div>
