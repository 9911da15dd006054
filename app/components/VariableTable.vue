<script setup lang="ts">
/** All variables of the study: unit, where they live, and their smallest and largest value at the moment that is shown. */
import { placeWords } from '~~/core/case/catalogue'
import { formatNumber } from '~~/core/colour/ticks'
import { FormulaError } from '~~/core/errors'
import { kindName } from '~~/core/fields/formula/typed'
import { ranked } from '~~/core/study/studyModel'
import type { VariableRange } from '~~/core/evaluate/range'
import { inDisplay } from '~~/core/units/quantities'

const bench = useBench()
const help = useFormulaHelp(bench)
/** By variable: its range, or what is wrong with it. */
const found = reactive(new Map<string, VariableRange | string>())

const rows = computed(() => [
  ...ranked(bench.document.value?.variables ?? {})
    .filter(([id]) => bench.variables.fieldOf(id))
    .map(([id, { name }]) => ({ id, name, what: kindOf(id) })),
  ...ranked(bench.document.value?.formulas ?? {}).map(([id, { name, text }]) => {
    const type = bench.variables.typeOf(id)
    const kind = type && !(type instanceof FormulaError) ? `${kindName(type.components).replace(/^an? /, '')}, ` : ''
    return { id, name, what: `${kind}= ${text}` }
  }),
])

function kindOf(id: string): string {
  const { kind, place } = bench.variables.fieldOf(id)!
  return `${kind} on ${placeWords(place)}`
}

const display = (id: string) => bench.units.display(bench.variables.unitOf(id))

function shown(id: string, which: 'min' | 'max'): string {
  const range = found.get(id)
  if (range === undefined) return '…'
  const value = typeof range === 'string' ? null : range[which]
  if (value === null) return '–'
  const to = display(id)
  return formatNumber(to ? inDisplay(to, value) : value, 5)
}

function unitOf(id: string): string {
  const unit = display(id)?.unit
  return unit === undefined ? 'unknown' : unit === '1' ? '–' : unit
}

/** One after the other: none of them is waited for. */
onMounted(async () => {
  for (const { id } of rows.value) {
    try {
      found.set(id, await help.extremes({ variable: id }))
    } catch (error) {
      found.set(id, (error as Error).message)
    }
  }
})
</script>

<template>
  <div class="max-h-[60vh] overflow-auto">
    <table class="w-full text-left text-[12px] text-ink">
      <caption class="pb-1 text-left text-mute">
        At this moment, over all parts; of vectors and tensors the magnitude
      </caption>
      <thead>
        <tr class="text-mute">
          <th v-for="title in ['Variable', 'What it is', 'Smallest', 'Largest', 'Unit']" :key="title" class="pr-3 font-normal" scope="col">
            {{ title }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="{ id, name, what } in rows"
          :key="id"
          class="align-top"
          :title="typeof found.get(id) === 'string' ? String(found.get(id)) : ''"
        >
          <th class="num whitespace-nowrap pr-3 font-normal" scope="row">{{ name }}</th>
          <td class="max-w-[170px] truncate pr-3 text-mute" :title="what">{{ what }}</td>
          <td class="num whitespace-nowrap pr-3">{{ shown(id, 'min') }}</td>
          <td class="num whitespace-nowrap pr-3">{{ shown(id, 'max') }}</td>
          <td class="num whitespace-nowrap">{{ unitOf(id) }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
