<script setup lang="ts">
/** Several values of one unit, edited as one text; a unit behind the last one is that of all. */
import { formatNumber } from '~~/core/colour/ticks'
import { fromDisplay, inDisplay } from '~~/core/units/quantities'
import { inUnit } from '~~/core/units/typedNumbers'
import TokenText from './TokenText.vue'

const props = defineProps<{ value: readonly number[]; unit: string; title: string }>()
const emit = defineEmits<{ commit: [value: number[]] }>()
const bench = useBench()
const display = computed(() => bench.units.display(props.unit || null) ?? { unit: props.unit, factor: 1, offset: 0 })
const shownValues = computed(() => props.value.map((c) => inDisplay(display.value, c)))
const shown = computed(() => shownValues.value.map((c) => formatNumber(c, 5)).join(', ') || 'none')

function written(): string {
  return shownValues.value.map((c) => Number(c.toPrecision(8))).join(', ')
}

function read(text: string): number[] | string {
  const words = text.split(/[\s,;]+/).filter(Boolean)
  const unit = Number.isNaN(Number(words[words.length - 1])) ? words.pop() : undefined
  const typed = words.map(Number)
  if (!typed.length || typed.some(Number.isNaN)) return 'Write numbers with commas between them, and a unit behind the last if you like.'
  const values = typed.map((value) => (unit ? inUnit({ value, unit }, props.unit) : fromDisplay(display.value, value)))
  return values.includes(null)
    ? `“${unit}” does not fit; write the values in ${display.value.unit || 'plain numbers'}.`
    : (values as number[])
}
</script>

<template>
  <TokenText
    :title="title"
    :shown="`${shown} ${display.unit}`"
    :said="shown"
    :written="written"
    :read="read"
    @commit="(v) => emit('commit', v)"
  />
</template>
