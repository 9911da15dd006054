<script setup lang="ts">
/** Two ends, or what is found from the values. */
import { formatNumber } from '~~/core/colour/ticks'
import { fromDisplay, inDisplay } from '~~/core/units/quantities'
import { inUnit, readNumber } from '~~/core/units/typedNumbers'
import TokenText from './TokenText.vue'

const props = defineProps<{ value: readonly [number, number] | undefined; unit: string | null; title: string }>()
const emit = defineEmits<{ commit: [value: [number, number] | undefined] }>()
const bench = useBench()
const display = computed(() => bench.units.display(props.unit) ?? { unit: '', factor: 1, offset: 0 })
const suffix = computed(() => (display.value.unit === '1' || !display.value.unit ? '' : ` ${display.value.unit}`))
const written = computed(() => props.value?.map((x) => Number(inDisplay(display.value, x).toPrecision(10))).join(' to ') ?? '')
const shown = computed(() => {
  const ends = props.value?.map((x) => formatNumber(inDisplay(display.value, x), 5)).join(' to ')
  return ends ? `${ends}${suffix.value}` : 'automatic range'
})

function read(text: string): number[] | string {
  if (!text.trim() || /^auto/i.test(text.trim())) return []
  const typed = text.split(/\s*(?:\bto\b|\.\.\.?|…|;)\s*/).map(readNumber)
  if (typed.length !== 2 || typed.includes(undefined)) return 'Write two ends, such as 0 to 5, or leave it empty.'
  const last = typed[1]!.unit
  const ends = typed.map((end) => {
    const unit = end!.unit ?? last
    return unit && props.unit ? inUnit({ value: end!.value, unit }, props.unit) : fromDisplay(display.value, end!.value)
  })
  if (ends.includes(null)) return `That is no unit of this axis; write it in ${display.value.unit}.`
  if (ends[0] === ends[1]) return 'The ends must differ.'
  return [Math.min(...(ends as number[])), Math.max(...(ends as number[]))]
}
</script>

<template>
  <TokenText
    :title="title"
    :shown="shown"
    :said="shown"
    :written="() => written"
    :read="read"
    @commit="(ends) => emit('commit', ends.length ? (ends as [number, number]) : undefined)"
  />
</template>
