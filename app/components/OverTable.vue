<script setup lang="ts">
/** The rows of a job as they come, in the order of the column that was clicked. */
import { ArrowDown, ArrowUp } from 'lucide-vue-next'
import { formatNumber } from '~~/core/colour/ticks'
import { comparedOf, extrasOf, sortedRows } from '~~/core/evaluate/overTable'
import type { OverTable } from '~~/core/evaluate/overTable'
import { verdictOf } from '~~/core/measure/limit'
import type { Reading } from '~~/core/measure/results'
import { inDisplay } from '~~/core/units/quantities'

const props = defineProps<{ table: OverTable; label: string }>()
const bench = useBench()

/** Sorted by; null: as the rows come. */
const by = ref<{ column: number; isDown: boolean } | null>(null)
const rows = computed(() => (by.value ? sortedRows(props.table, by.value.column, by.value.isDown) : props.table.rows))
const extras = computed(() => extrasOf(props.table))
/** Against the base case. */
const compared = computed(() => comparedOf(props.table))
const columns = computed(() =>
  [...props.table.axes, ...[props.table.value, ...compared.value, ...extras.value].map((own) => ({ ...own, isNumber: true }))].map(
    ({ name, unit, isNumber, isDifference }) => {
      const to = isNumber ? bench.units.display(unit, isDifference) : null
      const shown = !isNumber ? '' : to ? (to.unit === '1' ? '' : to.unit) : (unit ?? 'unit unknown')
      return {
        name,
        unit: shown,
        text: (value: number | string) => (typeof value === 'number' ? formatNumber(inDisplay(to, value), unit === '%' ? 4 : 6) : value),
      }
    },
  ),
)
const value = computed(() => props.table.axes.length)

/** Up, down, and as they come. */
function sort(column: number): void {
  const isOwn = by.value?.column === column
  by.value = !isOwn ? { column, isDown: false } : by.value!.isDown ? null : { column, isDown: true }
}

function orderOf(column: number): 'ascending' | 'descending' | 'none' {
  return by.value?.column !== column ? 'none' : by.value.isDown ? 'descending' : 'ascending'
}

/** With its sign; nothing at the base itself. */
function differenceText(difference: number, column: number): string {
  return Number.isNaN(difference) ? '' : `${difference > 0 ? '+' : ''}${columns.value[column]!.text(difference)}`
}

function verdict(reading: Reading): string {
  return verdictOf(props.table.limit, reading)
}
</script>

<template>
  <div class="min-h-0 flex-1 overflow-auto" tabindex="0" :aria-label="label">
    <table class="w-full text-[12px]" data-over>
      <thead class="sticky top-0 bg-panel text-left text-mute">
        <tr>
          <th v-for="(column, c) in columns" :key="column.name" class="pr-3 font-medium" :aria-sort="c > value ? undefined : orderOf(c)">
            <button v-if="c <= value" type="button" class="font-medium hover:text-ink" title="Sort by it" @click.stop="sort(c)">
              {{ column.name }}<span v-if="column.unit" class="num ml-1.5 text-[11px]">{{ column.unit }}</span>
              <component :is="by.isDown ? ArrowDown : ArrowUp" v-if="by?.column === c" :size="11" class="inline" />
            </button>
            <template v-else
              >{{ column.name }}<span v-if="column.unit" class="num ml-1.5 text-[11px]">{{ column.unit }}</span></template
            >
          </th>
          <th v-if="table.limit" class="pr-3 font-medium">{{ table.limit }}</th>
        </tr>
      </thead>
      <tbody class="num">
        <tr v-for="row in rows" :key="row.at.join()" class="border-t border-line">
          <td v-for="(place, a) in row.at" :key="a" class="whitespace-nowrap pr-3">{{ columns[a]!.text(place) }}</td>
          <template v-if="row.reading">
            <td class="pr-3" :title="row.reading.cautions.join('\n')" :class="{ 'text-amber-text': row.reading.cautions.length }">
              {{ columns[value]!.text(row.reading.value) }}
            </td>
            <td v-for="(own, o) in compared" :key="own.name" class="pr-3">{{ differenceText(own.of(row), value + 1 + o) }}</td>
            <td v-for="(extra, e) in extras" :key="extra.name" class="pr-3 text-mute">
              {{ columns[value + 1 + compared.length + e]!.text(extra.of(row.reading)) }}
            </td>
            <td v-if="table.limit" :class="verdict(row.reading) === 'pass' ? 'text-pine' : 'text-brick'">{{ verdict(row.reading) }}</td>
          </template>
          <td v-else class="text-brick" :title="row.failure ?? ''">failed</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
