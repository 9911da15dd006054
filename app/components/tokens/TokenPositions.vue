<script setup lang="ts">
/** Several positions, edited as a text with one of them on each line, or taken from a table; units are understood. */
import { FileUp } from 'lucide-vue-next'
import { tablePositions } from '~~/core/formats/table'
import { factorBetween } from '~~/core/units/units'
import { formatNumber } from '~~/core/colour/ticks'
import { fromDisplay, inDisplay } from '~~/core/units/quantities'
import { inUnit, readNumbers } from '~~/core/units/typedNumbers'
import TokenText from './TokenText.vue'

const props = defineProps<{ value: readonly (readonly number[])[]; unit: string; title: string }>()
const emit = defineEmits<{ commit: [value: number[][]] }>()
const bench = useBench()
const display = computed(() => bench.units.display(props.unit || null) ?? { unit: props.unit, factor: 1, offset: 0 })
const shownValues = computed(() => props.value.map((place) => place.map((c) => inDisplay(display.value, c))))
/** Positions that a step holds. */
const MOST_READ = 10_000
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
  // the head of a table that was copied
  if (/^[^\d\n]*\bx\b/i.test(text)) return readTable(text, 'The table')
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
function readTable(text: string, name: string): number[][] | string {
  try {
    const { positions, unit } = tablePositions(text, name)
    if (positions.length > MOST_READ) return `${name} has ${positions.length} rows; at most ${MOST_READ} are taken.`
    return positions.map((place) => place.map((c) => (unit === null ? fromDisplay(display.value, c) : c * factorBetween(unit, props.unit))))
  } catch (error) {
    return (error as Error).message
  }
}

async function readFile({ target }: Event): Promise<void> {
  const input = target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  const found = readTable(await file.text(), file.name)
  if (typeof found === 'string') bench.store.notice = { text: found, isError: true }
  else emit('commit', found)
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
  <label
    class="icon ml-0.5 inline-grid size-5! cursor-pointer align-middle focus-within:outline"
    title="From a table: a CSV file with columns x, y and z"
    @click.stop
  >
    <FileUp :size="13" /><input
      type="file"
      accept=".csv,.txt,.dat"
      class="sr-only"
      aria-label="From a table"
      data-token
      @change="readFile"
    />
  </label>
</template>
