<script setup lang="ts">
/** The rows of a job as they come. */
import { formatNumber } from '~~/core/colour/ticks'
import type { OverTable } from '~~/core/evaluate/overTable'
import { inDisplay } from '~~/core/units/quantities'

const props = defineProps<{ table: OverTable; label: string }>()
const bench = useBench()

const columns = computed(() =>
  [...props.table.axes, { ...props.table.value, isNumber: true }].map(({ name, unit, isNumber }) => {
    const to = isNumber ? bench.units.display(unit) : null
    const shown = !isNumber ? '' : to ? (to.unit === '1' ? '' : to.unit) : (unit ?? 'unit unknown')
    return {
      name,
      unit: shown,
      text: (value: number | string) => (typeof value === 'number' ? formatNumber(inDisplay(to, value), 6) : value),
    }
  }),
)
</script>

<template>
  <div class="min-h-0 flex-1 overflow-auto" tabindex="0" :aria-label="label">
    <table class="w-full text-[12px]">
      <thead class="sticky top-0 bg-panel text-left text-mute">
        <tr>
          <th v-for="column in columns" :key="column.name" class="pr-3 font-medium">
            {{ column.name }}<span v-if="column.unit" class="num ml-1.5 text-[11px]">{{ column.unit }}</span>
          </th>
        </tr>
      </thead>
      <tbody class="num">
        <tr v-for="(row, i) in table.rows" :key="i" class="border-t border-line">
          <td v-for="(place, a) in row.at" :key="a" class="pr-3">{{ columns[a]!.text(place) }}</td>
          <td v-if="row.reading" :title="row.reading.cautions.join('\n')" :class="{ 'text-amber-text': row.reading.cautions.length }">
            {{ columns[columns.length - 1]!.text(row.reading.value) }}
          </td>
          <td v-else class="text-brick" :title="row.failure ?? ''">failed</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
