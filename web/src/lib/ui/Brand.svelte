<script lang="ts"></script>

<svg viewBox="0 0 24 26" class="h-6 w-auto fill-current" aria-hidden="true">
  <path d="M2 26V12a10 10 0 0 1 20 0v14h-5.5V13a4.5 4.5 0 0 0-9 0v13z" />
</svg>
