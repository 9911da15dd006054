<script setup lang="ts">
/** A text that is taken when it is finished. What is being typed stays, whatever else of the study changes meanwhile. */
defineProps<{ value: string | number | undefined }>()
const emit = defineEmits<{ commit: [text: string | undefined] }>()
/** null: nothing is being typed. */
const draft = ref<string | null>(null)

function commit(): void {
  if (draft.value === null) return
  emit('commit', draft.value.trim() || undefined)
  draft.value = null
}
</script>

<template>
  <input
    class="field px-1! py-0!"
    :value="draft ?? value ?? ''"
    @input="draft = ($event.target as HTMLInputElement).value"
    @change="commit"
    @keydown.esc.stop="draft = null"
  />
</template>
