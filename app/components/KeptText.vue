<script setup lang="ts">
/** A text box that keeps what is being typed when the page is drawn again meanwhile; what it says changes while nobody is in it. */
const props = defineProps<{ value: string }>()
/** Gives the box as well, so that what cannot be read can be put back. */
const emit = defineEmits<{ change: [text: string, restore: () => void] }>()

const text = ref(props.value)
const isIn = ref(false)
watch(
  () => props.value,
  (value) => {
    if (!isIn.value) text.value = value
  },
)

function leave(): void {
  isIn.value = false
  if (text.value === props.value) return
  emit('change', text.value, () => (text.value = props.value))
}
</script>

<template>
  <input v-model="text" @focus="isIn = true" @blur="leave" @keydown.enter="leave" />
</template>
