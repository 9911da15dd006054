<script setup lang="ts" generic="T extends string | number | boolean | undefined">
/** A few choices side by side, of which one holds. */
defineProps<{ label: string; choices: readonly { value: T; label: string }[]; value: T }>()
const emit = defineEmits<{ choose: [value: T] }>()
</script>

<template>
  <div role="radiogroup" :aria-label="label" class="inline-flex w-fit overflow-hidden rounded-md border border-line">
    <button
      v-for="choice in choices"
      :key="choice.label"
      type="button"
      role="radio"
      :aria-checked="value === choice.value"
      class="border-r border-line px-2 py-0.5 last:border-0"
      :class="value === choice.value ? 'bg-ink text-panel' : 'bg-panel'"
      @click="emit('choose', choice.value)"
    >
      {{ choice.label }}
    </button>
  </div>
</template>
