<script setup lang="ts">
/** A position as three numbers, edited as one text; units are understood. */
import { formatNumber } from '~~/core/colour/ticks'
import { fromDisplay, inDisplay } from '~~/core/units/quantities'
import { inUnit, readNumbers } from '~~/core/units/typedNumbers'
import TokenText from './TokenText.vue'

const props = defineProps<{ value: readonly number[]; unit: string; title: string }>()
const emit = defineEmits<{ commit: [value: number[]] }>()
const bench = useBench()
const display = computed(() => bench.units.display(props.unit || null) ?? { unit: props.unit, factor: 1, offset: 0 })
const shownValues = computed(() => props.value.map((c) => inDisplay(display.value, c)))
const shown = computed(() => shownValues.value.map((c) => formatNumber(c, 4)).join(', '))

function written(): string {
  return shownValues.value.map((c) => Number(c.toPrecision(8))).join(', ')
}

function read(text: string): number[] | string {
  const typed = readNumbers(text, 3)
  if (!typed) return 'Write three numbers: x, y, z, with a unit if you like.'
  const position = typed.map((c) => (c.unit ? inUnit(c, props.unit) : fromDisplay(display.value, c.value)))
  const wrong = position.indexOf(null)
  return wrong < 0
    ? (position as number[])
    : `“${typed[wrong]!.unit}” is no unit of length; write it in ${display.value.unit || 'plain numbers'}.`
}
</script>

<template>
  <TokenText
    :title="title"
    :shown="`${shown}\u00a0${display.unit}`"
    :said="`${shown} ${display.unit}`"
    :written="written"
    :read="read"
    @commit="(v) => emit('commit', v)"
  />
</template>
