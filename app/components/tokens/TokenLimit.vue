<script setup lang="ts">
/** What a reading must keep to, as it is said: “at most 500 Pa”. */
import { keepsTo, readLimit } from '~~/core/measure/limit'
import TokenText from './TokenText.vue'

const props = defineProps<{ value: string | undefined; unit: string | null }>()
const emit = defineEmits<{ commit: [value: string] }>()

function read(text: string): string[] | string {
  const limit = readLimit(text)
  if (typeof limit === 'string') return limit
  const fits = limit && props.unit !== null ? keepsTo(limit, { value: 0, unit: props.unit }) : true
  return typeof fits === 'string' ? fits : [limit ? text.trim() : '']
}
</script>

<template>
  <TokenText
    title="Limit"
    :shown="value ?? 'no limit'"
    :said="value ?? 'none; write one such as at most 500 Pa'"
    :written="() => value ?? ''"
    :read="read"
    @commit="([text]) => emit('commit', text!)"
  />
</template>
