<script setup lang="ts">
/** The icon of a kind of step, drawn from its path data. */
defineProps<{ path: string; size?: number }>()
</script>

<template>
  <svg
    :width="size ?? 15"
    :height="size ?? 15"
    viewBox="0 0 24 24"
    fill="none"
    stroke="currentColor"
    stroke-width="1.7"
    stroke-linecap="round"
    stroke-linejoin="round"
    aria-hidden="true"
  >
    <path :d="path" />
  </svg>
</template>
