<script lang="ts">
  let {
    checked,
    label,
    disabled = false,
    onchange,
  }: { checked: boolean; label: string; disabled?: boolean; onchange: (on: boolean) => void } = $props();
</script>

<label class="flex items-center gap-2 font-semibold whitespace-nowrap" class:text-mute={disabled}>
  <input
    type="checkbox"
    role="switch"
    class="switch"
    {checked}
    {disabled}
    onchange={(e) => {
      onchange(e.currentTarget.checked);
      // What is shown comes from the server: until it has answered, the old state stands.
      e.currentTarget.checked = checked;
    }}
  />
  {label}
</label>

<style>
  .switch {
    appearance: none;
    position: relative;
    flex: none;
    width: 36px;
    height: 21px;
    border-radius: 7px;
    background: var(--color-tick-none);
    cursor: pointer;
    transition: background 120ms;
  }
  .switch::after {
    content: '';
    position: absolute;
    top: 3px;
    left: 3px;
    width: 13px;
    height: 15px;
    border-radius: 6px 6px 2px 2px;
    background: #fff;
    transition: left 120ms;
  }
  .switch:checked {
    background: var(--color-primary);
  }
  .switch:checked::after {
    left: 20px;
    background: var(--color-primary-content);
  }
  .switch:disabled {
    opacity: 0.4;
    cursor: not-allowed;
  }
</style>
