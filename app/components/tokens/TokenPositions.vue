<script setup lang="ts">
/** Several positions, edited as a text with one of them on each line; units are understood. */
import { formatNumber } from '~~/core/colour/ticks'
import { fromDisplay, inDisplay } from '~~/core/units/quantities'
import { inUnit, readNumbers } from '~~/core/units/typedNumbers'
import TokenText from './TokenText.vue'

const props = defineProps<{ value: readonly (readonly number[])[]; unit: string; title: string }>()
const emit = defineEmits<{ commit: [value: number[][]] }>()
const bench = useBench()
const display = computed(() => bench.units.display(props.unit || null) ?? { unit: props.unit, factor: 1, offset: 0 })
const shownValues = computed(() => props.value.map((place) => place.map((c) => inDisplay(display.value, c))))
/** Positions that fit into the sentence. */
const MOST = 2
const shown = computed(() => {
  const words = shownValues.value.slice(0, MOST).map((place) => `(${place.map((c) => formatNumber(c, 4)).join(', ')})`)
  const more = props.value.length - MOST
  return `${words.join(' ')}${more > 0 ? ` and ${more} more` : ''}`
})

function written(): string {
  return shownValues.value.map((place) => place.map((c) => Number(c.toPrecision(8))).join(', ')).join('\n')
}

function read(text: string): number[][] | string {
  const rows = text.split(/[\n;]/).filter((row) => row.trim())
  if (!rows.length) return 'Write at least one position: x, y, z.'
  const places: number[][] = []
  for (const [i, row] of rows.entries()) {
    const typed = readNumbers(row.replace(/[()]/g, ''), 3)
    const place = typed?.map((c) => (c.unit ? inUnit(c, props.unit) : fromDisplay(display.value, c.value)))
    if (!place || place.includes(null))
      return `Line ${i + 1} is no position; write three numbers: x, y, z, with a unit of length if you like.`
    places.push(place as number[])
  }
  return places
}
</script>

<template>
  <TokenText
    :title="title"
    :shown="`${shown} ${display.unit}`"
    :said="shown"
    :written="written"
    :read="read"
    is-long
    @commit="(v) => emit('commit', v)"
  />
</template>
