<script setup lang="ts">
/** What is in a file before it is brought in: parts, fields and moments, and the first rows of a table. */
import { formatCount, formatNumber } from '~~/core/colour/ticks'
import type { Inside } from '~~/server/cases/lookInside'

const props = defineProps<{ inside: Inside }>()

const parts = computed(() =>
  props.inside.catalogue.parts.map(
    (p) =>
      `${p.name} (${formatCount(p.cells)} ` +
      `${p.abscissa ? `rows along ${p.abscissa.name}` : ['points', 'lines', 'faces', 'cells'][p.dimension]})`,
  ),
)
const fields = computed(() => {
  const names = props.inside.catalogue.fields.map(
    (f) => `${f.name}${f.components > 1 ? `, ${f.kind}` : ''}${f.unit ? ` in ${f.unit}` : ''}`,
  )
  return [...new Set(names)]
})
const moments = computed(() => {
  const list = props.inside.catalogue.moments
  const [first, last] = [list[0]!, list[list.length - 1]!]
  return list.length === 1 ? 'one moment' : `${list.length} moments, ${first.label} to ${last.label}${last.unit ? ` ${last.unit}` : ''}`
})
</script>

<template>
  <div class="mb-2 grid gap-1 rounded-md bg-paper px-3 py-2 text-[12px]">
    <p>
      <span class="text-mute"
        >{{ inside.catalogue.format }}, {{ moments
        }}{{ inside.catalogue.lengthUnit ? `, lengths in ${inside.catalogue.lengthUnit}` : '' }}</span
      >
    </p>
    <p>
      <span class="text-mute">Parts:</span> {{ parts.slice(0, 12).join(' · ')
      }}{{ parts.length > 12 ? ` · and ${parts.length - 12} more` : '' }}
    </p>
    <p><span class="text-mute">Fields:</span> {{ fields.join(' · ') || 'none' }}</p>
    <p v-for="text in inside.catalogue.cautions" :key="text" class="text-amber-text">{{ text }}</p>
    <div v-if="inside.preview" class="overflow-x-auto">
      <table class="num">
        <thead>
          <tr>
            <th v-for="(column, c) in inside.preview.columns" :key="c" scope="col" class="pr-4 text-right font-medium">
              {{ column.name }}<span class="font-normal text-mute">{{ column.unit ? ` ${column.unit}` : '' }}</span>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, r) in inside.preview.rows" :key="r">
            <td v-for="(x, c) in row" :key="c" class="pr-4 text-right">{{ x === null ? '–' : formatNumber(x, 6) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>
