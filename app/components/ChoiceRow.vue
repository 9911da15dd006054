<script setup lang="ts" generic="T extends string | number | boolean | undefined">
/** A few choices side by side, of which one holds. */
const props = defineProps<{ label: string; choices: readonly { value: T; label: string }[]; value: T }>()
const emit = defineEmits<{ choose: [value: T] }>()
const directions: Record<string, number> = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }

/** Arrow keys choose the next one, as in any group of radio buttons. */
function onKey(event: KeyboardEvent, i: number): void {
  const by = directions[event.key]
  if (by === undefined) return
  event.preventDefault()
  event.stopPropagation()
  const to = (i + by + props.choices.length) % props.choices.length
  emit('choose', props.choices[to]!.value)
  ;((event.currentTarget as HTMLElement).parentElement!.children[to] as HTMLElement).focus()
}
</script>

<template>
  <div role="radiogroup" :aria-label="label" class="inline-flex w-fit overflow-hidden rounded-md border border-line">
    <button
      v-for="(choice, i) in choices"
      :key="choice.label"
      type="button"
      role="radio"
      :aria-checked="value === choice.value"
      class="border-r border-line px-2 py-0.5 last:border-0"
      :class="value === choice.value ? 'bg-ink text-panel' : 'bg-panel'"
      @click="emit('choose', choice.value)"
      @keydown="onKey($event, i)"
    >
      {{ choice.label }}
    </button>
  </div>
</template>
