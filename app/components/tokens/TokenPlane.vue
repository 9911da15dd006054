<script setup lang="ts">
/** Where a plane lies: `z = 1.2 m`, or a tilted one by a point and its normal. */
import { axisName, direction, dot } from '~~/core/mesh/vectors'
import type { Vector } from '~~/core/mesh/vectors'
import TokenMenu from './TokenMenu.vue'
import TokenNumber from './TokenNumber.vue'

const props = defineProps<{ origin: Vector; normal: Vector; unit: string }>()
const emit = defineEmits<{ draft: [change: Record<string, unknown>]; commit: [change: Record<string, unknown>] }>()

const normal = computed(() => direction(props.normal))
const axis = computed(() => axisName(props.normal))
const offset = computed(() => dot(normal.value, props.origin))
const label = computed(() => axis.value ?? `(${normal.value.map((c) => Number(c.toFixed(2))).join(', ')}) · position`)
const choices = [
  { value: '1,0,0', label: 'x', hint: 'across x' },
  { value: '0,1,0', label: 'y', hint: 'across y' },
  { value: '0,0,1', label: 'z', hint: 'across z' },
]

/** The origin moved along the normal so that the plane lies at an offset. */
function moved(value: number): Record<string, unknown> {
  const by = value - offset.value
  return { origin: props.origin.map((c, d) => c + by * normal.value[d]!) }
}
</script>

<template>
  <TokenMenu
    :label="label"
    title="Direction of the plane"
    :choices="choices"
    :selected="[props.normal.join()]"
    @choose="([value]) => emit('commit', { normal: value!.split(',').map(Number) })"
  />
  =
  <TokenNumber
    :value="offset"
    :unit="unit"
    title="Place of the plane"
    @draft="(v) => Number.isFinite(v) && emit('draft', moved(v))"
    @commit="(v) => emit('commit', moved(v))"
  />
</template>
