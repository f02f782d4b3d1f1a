<script lang="ts">
  import { api, problemOf, type Shape } from '$lib/api/client';

  /** When a staff member hears of own visits by mail. */
  let { me, onchanged }: { me: Shape<'Myself'>; onchanged: () => void } = $props();
  let fault = $state('');

  async function choose(tells: Shape<'Myself'>['tells']) {
    fault = '';
    try {
      await api.PUT('/api/my/messages', { body: { tells } });
      onchanged();
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
</script>

<label class="flex flex-wrap items-center gap-2 text-sm"
  >Mail about my visits:
  <select
    class="select select-sm w-auto"
    value={me.tells}
    onchange={(e) => void choose(e.currentTarget.value as typeof me.tells)}
  >
    <option value="no">none</option>
    <option value="once">at once</option>
    <option value="morning">one each morning</option>
  </select></label
>
{#if !me.email}<p class="text-sm text-mute">
    Your desk has no mail address of yours, so that none can come.
  </p>{/if}
{#if fault}<p class="text-sm font-medium text-brick" role="alert">{fault}</p>{/if}
