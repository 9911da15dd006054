<script setup lang="ts">
/** The fields with kind, place, unit, figures and spread. Units can be set for several at once. */
import { fieldKey } from '~~/core/check/cautions'
import type { Spot } from '~~/core/check/cellSizes'
import type { FieldFigures } from '~~/core/check/fieldFigures'
import { likelyUnits, quantityOf } from '~~/core/units/quantities'
import { digitsWithin, formatNumber } from '~~/core/colour/ticks'
import { placeWords } from '~~/core/case/catalogue'
import type { Field } from '~~/core/case/catalogue'
import type { CaseCheck } from '~/composables/useCaseCheck'
import SpreadBars from './SpreadBars.vue'
import UnitToken from './UnitToken.vue'

const props = defineProps<{ check: CaseCheck }>()
const chosen = ref<string[]>([])
const where = ref<{ key: string; text: string } | null>(null)

interface FieldRow {
  key: string
  field: Field
  part: string
  others: number
  figures: FieldFigures | undefined
}

const catalogue = computed(() => props.check.catalogue.value!)

const overall = computed(() => Math.max(...catalogue.value.parts.map((p) => p.dimension)))

/** One row for each field on each part of the highest dimension that has it; only surfaces share a row. */
const rows = computed(() =>
  catalogue.value.fields.flatMap((field): FieldRow[] => {
    if (field.place === 'whole case')
      return [{ key: fieldKey('', field.name), field, part: '', others: 0, figures: wholeCaseFigures(field) }]
    const parts = catalogue.value.parts.filter((p) => field.parts.includes(p.name))
    const highest = Math.max(...parts.map((p) => p.dimension))
    const own = parts.filter((p) => p.dimension === highest)
    if (highest < overall.value && own.length > 1)
      return [
        {
          key: fieldKey('*', field.name),
          field,
          part: `${own.length} surfaces`,
          others: 0,
          figures: joinedFigures(own.map((p) => props.check.fields.value.get(fieldKey(p.name, field.name)))),
        },
      ]
    return own.map((part) => {
      const key = fieldKey(part.name, field.name)
      return { key, field, part: part.name, others: parts.length - own.length, figures: props.check.fields.value.get(key) }
    })
  }),
)
/** Extremes over several parts; a mean of them would weigh nothing. */
function joinedFigures(all: readonly (FieldFigures | undefined)[]): FieldFigures | undefined {
  if (!all.every(Boolean)) return undefined
  const known = all.filter((f): f is FieldFigures => f?.min != null)
  if (!known.length) return undefined
  const of = (pick: (f: FieldFigures) => number): number[] => known.map(pick)
  const sum = (numbers: readonly number[]): number => numbers.reduce((a, b) => a + b, 0)
  return {
    min: Math.min(...of((f) => f.min!)),
    mean: null,
    max: Math.max(...of((f) => f.max!)),
    minAt: null,
    maxAt: null,
    notANumber: sum(of((f) => f.notANumber)),
    infinite: sum(of((f) => f.infinite)),
    componentRanges: [],
    spread: [],
  }
}

/** The remainder of values that cancel is rounding, not a mean. */
function meanOf(figures: FieldFigures | undefined): number | null | undefined {
  if (figures?.mean == null) return figures?.mean
  return Math.abs(figures.mean) < 1e-13 * Math.max(Math.abs(figures.min!), Math.abs(figures.max!)) ? 0 : figures.mean
}

/** A number of the whole case is its own smallest, mean and largest. */
function wholeCaseFigures({ values }: Field): FieldFigures {
  const value = values?.[props.check.moment.value] ?? null
  return { min: value, mean: value, max: value, minAt: null, maxAt: null, notANumber: 0, infinite: 0, componentRanges: [], spread: [] }
}

/** What the parts of the table are measured by. */
const measure = computed(() => {
  return catalogue.value.parts.every((p) => p.abscissa) ? 'row' : ['point', 'length', 'area', 'volume'][overall.value]!
})
const nRegions = computed(() => new Set(rows.value.map((r) => r.part)).size)

function setUnit(fields: string[], unit: string | null): void {
  void props.check.describe({ units: Object.fromEntries(fields.map((name) => [name, unit])) })
  chosen.value = []
}

function show(row: FieldRow, which: string, spot: Spot | null): void {
  const unit = catalogue.value.lengthUnit ?? ''
  const abscissa = catalogue.value.parts.find((p) => p.name === row.part)?.abscissa
  const place =
    spot &&
    (abscissa
      ? `${abscissa.name} = ${formatNumber(spot.at[0]!, 5)} ${abscissa.unit ?? ''}, row ${spot.number + 1}`
      : `(${spot.at.map((x) => formatNumber(x, 4)).join(', ')}) ${unit}, ${row.field.place} ${spot.number} of ${row.part}`)
  const text = place ? `${which} of ${row.field.name} at ${place}` : ''
  where.value = where.value?.text === text ? null : { key: row.key, text }
}

function toggle(name: string): void {
  chosen.value = toggled(chosen.value, name)
}

const labelOf = (index: number): string => {
  const m = catalogue.value.moments[index]!
  return m.value === null ? m.label : `${m.kind === 'time' ? 't' : m.kind} = ${formatNumber(m.value, 6)} ${m.unit ?? ''}`
}
/** With as many digits as tell smallest and largest apart. */
function number(x: number | null | undefined, figures: FieldFigures | undefined): string {
  return x == null ? '–' : formatNumber(x, digitsWithin(figures?.min ?? 0, figures?.max ?? 0))
}
</script>

<template>
  <section class="card min-w-0" aria-label="Fields">
    <header class="flex min-h-9 items-center gap-3 px-3.5 py-1.5">
      <h2 class="font-semibold">Fields</h2>
      <span v-if="check.waiting.value" role="status" class="text-[12px] text-mute"
        >looking at the values, {{ check.waiting.value }} left</span
      >
      <span v-if="chosen.length" class="flex items-center gap-2 text-[12px]"
        >Unit of {{ chosen.length }} fields
        <UnitToken
          :unit="null"
          :is-guess="false"
          :choices="['1', 'm/s', 'Pa', 'MPa', 'K', '°C', 'mm']"
          label="Unit of the chosen fields"
          @choose="(unit) => setUnit(chosen, unit)"
      /></span>
      <label v-if="catalogue.moments.length > 1" class="ml-auto text-[12px] text-mute"
        >at
        <select
          :value="check.moment.value"
          class="num border-b border-dashed border-mute/60 bg-panel text-pine"
          aria-label="Moment of the figures"
          @change="check.showMoment(Number(($event.target as HTMLSelectElement).value))"
        >
          <option v-for="m in catalogue.moments" :key="m.index" :value="m.index">{{ labelOf(m.index) }}</option>
        </select></label
      >
    </header>
    <table class="w-full text-left">
      <thead class="border-b border-line text-[12px] text-mute">
        <tr>
          <th class="w-8 pl-3.5" />
          <th class="font-normal">Field</th>
          <th class="font-normal">Kind, quantity</th>
          <th class="font-normal">Lives on</th>
          <th class="font-normal">Unit</th>
          <th class="pr-3 text-right font-normal">min</th>
          <th class="pr-3 text-right font-normal">mean</th>
          <th class="pr-3 text-right font-normal">max</th>
          <th class="py-1 font-normal">Spread by {{ measure }}</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="row in rows" :key="row.key">
          <tr class="border-b border-line align-middle [&_td]:py-0.5 last:border-0">
            <td class="pl-3.5">
              <input
                type="checkbox"
                class="block accent-pine"
                :checked="chosen.includes(row.field.name)"
                :aria-label="`Choose ${row.field.name}`"
                @change="toggle(row.field.name)"
              />
            </td>
            <th scope="row" class="max-w-40 truncate py-1.5 font-semibold" :title="row.field.name">
              {{ row.field.name
              }}<span v-if="row.field.from" class="block text-[11.5px] font-normal text-mute"
                >of {{ row.field.from.join(', ') }}
                <button type="button" class="text-pine underline" @click="check.describe({ unjoin: row.field.name })">undo</button></span
              >
            </th>
            <td>
              {{ row.field.kind === 'symmetric tensor' ? 'sym. tensor' : row.field.kind
              }}<span class="block text-[11.5px] text-mute">{{
                quantityOf(row.field.name, row.field.components, row.field.unit) ?? 'not recognised'
              }}</span>
            </td>
            <td>
              {{ measure === 'row' ? 'rows' : placeWords(row.field.place)
              }}<span class="block text-[11.5px] text-mute"
                >{{ nRegions > 1 ? row.part : '' }}{{ row.others ? `${nRegions > 1 ? ', ' : ''}${row.others} surfaces` : '' }}</span
              >
            </td>
            <td>
              <UnitToken
                :unit="row.field.unit"
                :is-guess="row.field.unitFrom === 'guess'"
                :choices="likelyUnits(row.field.name, row.field.components, row.field.unit)"
                :label="`Unit of ${row.field.name}`"
                @choose="(unit) => setUnit([row.field.name], unit)"
              />
            </td>
            <td class="num pr-3 text-right">
              <button
                v-if="row.figures?.minAt"
                type="button"
                class="hover:text-pine hover:underline"
                :aria-label="`Where the smallest ${row.field.name} is`"
                @click="show(row, 'Smallest', row.figures.minAt)"
              >
                {{ number(row.figures.min, row.figures) }}</button><template v-else>{{ number(row.figures?.min, row.figures) }}</template>
            </td>
            <td class="num pr-3 text-right">{{ number(meanOf(row.figures), row.figures) }}</td>
            <td class="num pr-3 text-right">
              <button
                v-if="row.figures?.maxAt"
                type="button"
                class="hover:text-pine hover:underline"
                :aria-label="`Where the largest ${row.field.name} is`"
                @click="show(row, 'Largest', row.figures.maxAt)"
              >
                {{ number(row.figures.max, row.figures) }}</button><template v-else>{{ number(row.figures?.max, row.figures) }}</template>
            </td>
            <td class="pr-3">
              <SpreadBars
                v-if="row.figures?.spread.length"
                :spread="row.figures.spread"
                :is-doubtful="row.field.unitFrom === 'guess' || row.field.unit === null"
                :label="row.field.name"
              /><span v-if="row.figures && row.figures.notANumber + row.figures.infinite" class="block text-[11.5px] text-amber-text"
                >{{ row.figures.notANumber + row.figures.infinite }} not finite</span
              >
            </td>
          </tr>
          <tr v-if="where?.key === row.key" class="border-b border-line bg-pine-wash">
            <td colspan="9" role="status" class="num px-3.5 py-1 text-[12px]">{{ where.text }}</td>
          </tr>
        </template>
      </tbody>
    </table>
    <p class="border-t border-line px-3.5 py-2 text-[12px] text-mute">
      Means are by {{ measure }}, of vectors and tensors by magnitude. Values on cells are drawn flat. A click on min or max says where it
      is.
    </p>
  </section>
</template>
