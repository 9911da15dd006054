<script setup lang="ts">
/** A direction: one of the axes, or any other by its components. */
import { axisName, direction } from '~~/core/mesh/vectors'
import type { Vector } from '~~/core/mesh/vectors'
import TokenMenu from './TokenMenu.vue'

const props = defineProps<{ value: Vector; title: string }>()
const emit = defineEmits<{ commit: [value: number[]] }>()

const label = computed(
  () =>
    axisName(props.value) ??
    `(${direction(props.value)
      .map((c) => Number(c.toFixed(2)))
      .join(', ')})`,
)
const choices = [
  { value: '1,0,0', label: 'x' },
  { value: '0,1,0', label: 'y' },
  { value: '0,0,1', label: 'z' },
]
</script>

<template>
  <TokenMenu
    :label="label"
    :title="title"
    :choices="choices"
    :selected="[value.join()]"
    @choose="([v]) => emit('commit', v!.split(',').map(Number))"
  />
</template>
