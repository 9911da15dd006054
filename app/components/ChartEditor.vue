<script setup lang="ts">
/** What a chart draws and how it looks: curves, axes, lines at values, type and legend. */
import { axisNames, legendPlaces, readChartAmount } from '~~/core/study/chart'
import type { AxisName, ChartRule } from '~~/core/study/chart'
import type { ShownChart } from '~/composables/useCharts'
import { formatNumber } from '~~/core/colour/ticks'
import { fromDisplay, inDisplay } from '~~/core/units/quantities'
import { inUnit } from '~~/core/units/typedNumbers'
import ChartCurveRow from './ChartCurveRow.vue'
import ChartTemplates from './ChartTemplates.vue'
import ChoiceRow from './ChoiceRow.vue'
import TokenRange from './tokens/TokenRange.vue'
import TypedField from './TypedField.vue'

const props = defineProps<{ chart: ShownChart }>()
const bench = useBench()
const { charts } = bench

const titles: Record<AxisName, string> = { x: 'Abscissa', y: 'Left axis', right: 'Right axis' }
const axes = computed(() => axisNames.filter((axis) => props.chart.drawn.drawing.axes[axis]))
const scales = [
  { value: false, label: 'linear' },
  { value: true, label: 'log' },
]
const directions = [
  { value: false, label: 'forwards' },
  { value: true, label: 'reversed' },
]
const apart = computed(() => [
  { value: undefined, label: 'in one' },
  { value: 'curves' as const, label: 'by curve' },
  ...(props.chart.drawn.drawing.series.some((own) => own.case) ? [{ value: 'cases' as const, label: 'by case' }] : []),
])
/** Steps with curves that are not in the chart yet. */
const others = computed(() =>
  bench.steps.value.filter(([id]) => charts.hasCurve(id) && !props.chart.curves.some(({ step }) => step === id)),
)

function add(event: Event): void {
  const select = event.target as HTMLSelectElement
  if (select.value) charts.addCurve(props.chart.id, select.value)
  select.value = ''
}

function valueOf(event: Event): string {
  return (event.target as HTMLInputElement).value.trim()
}

/** Absent where nothing, or no number, is written. */
function numberIn(text: string | undefined): number | undefined {
  const number = Number.parseFloat(text?.replace(',', '.') ?? '')
  return Number.isFinite(number) && number > 0 ? number : undefined
}

const problem = ref('')
const ruleAxis = ref<AxisName>('y')

/** “2.5 m/s” is a line, “1 to 2 m/s” a band; a text may stand behind a colon. */
function addRule(text: string | undefined): void {
  problem.value = ''
  if (!text) return
  const [ends, ...label] = text.split(':')
  const values = ends!.split(/\s+to\s+/).map((end) => valueOn(ruleAxis.value, end))
  if (values.length > 2 || values.some((value) => typeof value === 'string')) {
    problem.value =
      (values.find((value) => typeof value === 'string') as string | undefined) ?? 'Write one value, or two with “to” between them.'
    return
  }
  const [at, to] = values as number[]
  const said = label.join(':').trim()
  const rule: ChartRule = { axis: ruleAxis.value, at: at!, ...(to !== undefined && { to }), ...(said && { text: said }) }
  charts.changeLook(props.chart.id, { rules: [...(props.chart.look.rules ?? []), rule] })
}

/** In the unit of the values themselves; without a unit it is meant in the one that the axis shows. */
function valueOn(axis: AxisName, text: string): number | string {
  const amount = readChartAmount(text.trim())
  if (typeof amount === 'string') return amount
  const { raw = null, unit = null, isDifference } = props.chart.drawn.drawing.axes[axis] ?? {}
  if (amount.unit === undefined) return fromDisplay(bench.units.display(raw, isDifference), amount.value)
  return (raw === null ? null : inUnit(amount, raw)) ?? `${amount.unit} is no unit of this axis; write it in ${unit ?? 'no unit'}.`
}

/** As the axis shows them. */
function endsOf({ axis, at, to }: ChartRule): string {
  const { raw = null, unit = null, isDifference } = props.chart.drawn.drawing.axes[axis] ?? {}
  const display = bench.units.display(raw, isDifference)
  const ends = [at, ...(to === undefined ? [] : [to])].map((end) => formatNumber(inDisplay(display, end), 5))
  return `${ends.join(' to ')}${unit === null || unit === '1' ? '' : ` ${unit}`}`
}

function removeRule(at: number): void {
  charts.changeLook(props.chart.id, { rules: props.chart.look.rules!.filter((_, i) => i !== at) })
}
</script>

<template>
  <div class="grid grid-cols-[minmax(0,1fr)] content-start gap-2 px-2.5 py-2 text-[12px]" @click.stop>
    <section aria-label="Curves" class="grid grid-cols-[minmax(0,1fr)] gap-0.5">
      <ChartCurveRow v-for="(curve, i) in chart.curves" :key="`${curve.step} ${i}`" :chart="chart" :curve="curve" :at="i" />
      <select v-if="others.length" class="field mt-0.5 w-fit max-w-full" aria-label="Add a curve" @change="add">
        <option value="">Add a curve…</option>
        <option v-for="[id, step] in others" :key="id" :value="id">{{ step.name }}: {{ charts.sentenceOf(id) }}</option>
      </select>
    </section>
    <section
      v-for="axis in axes"
      :key="axis"
      :aria-label="titles[axis]"
      class="grid grid-cols-[64px_minmax(0,1fr)] items-center gap-x-2 gap-y-1"
    >
      <span class="text-mute">{{ titles[axis] }}</span>
      <span class="flex flex-wrap items-center gap-1.5">
        <TokenRange
          :value="chart.look[axis]?.range"
          :unit="chart.drawn.drawing.axes[axis]!.raw"
          :title="`Range of the ${titles[axis].toLowerCase()}`"
          @commit="(range) => charts.changeAxis(chart.id, axis, { range })"
        />
        <ChoiceRow
          :label="`Scale of the ${titles[axis].toLowerCase()}`"
          :choices="scales"
          :value="!!chart.look[axis]?.isLog"
          @choose="(isLog) => charts.changeAxis(chart.id, axis, { isLog: isLog || undefined })"
        />
        <ChoiceRow
          :label="`Direction of the ${titles[axis].toLowerCase()}`"
          :choices="directions"
          :value="!!chart.look[axis]?.isReversed"
          @choose="(isReversed) => charts.changeAxis(chart.id, axis, { isReversed: isReversed || undefined })"
        />
      </span>
      <span />
      <TypedField
        class="w-full"
        :value="chart.look[axis]?.title"
        :aria-label="`Title of the ${titles[axis].toLowerCase()}`"
        :placeholder="chart.drawn.drawing.axes[axis]!.title"
        title="Its own title: U_ref, m^2, \Delta p are set as in papers"
        @commit="(title) => charts.changeAxis(chart.id, axis, { title })"
      />
    </section>
    <section aria-label="Look" class="grid grid-cols-[64px_minmax(0,1fr)] items-center gap-x-2 gap-y-1">
      <span class="text-mute">Title</span>
      <TypedField
        class="w-full"
        :value="chart.look.title"
        aria-label="Title of the chart"
        placeholder="none"
        @commit="(title) => charts.changeLook(chart.id, { title })"
      />
      <span class="text-mute">Legend</span>
      <span class="flex flex-wrap items-center gap-1.5">
        <select
          class="field"
          aria-label="Legend of the chart"
          :value="chart.look.legend ?? ''"
          @change="charts.changeLook(chart.id, { legend: (valueOf($event) || undefined) as (typeof legendPlaces)[number] | undefined })"
        >
          <option value="">where there are several</option>
          <option v-for="place in legendPlaces" :key="place" :value="place">{{ place === 'auto' ? 'where there is room' : place }}</option>
        </select>
        <label class="flex items-center gap-1">
          <input
            type="checkbox"
            class="accent-pine"
            :checked="!chart.look.hasNoGrid"
            @change="charts.changeLook(chart.id, { hasNoGrid: !chart.look.hasNoGrid || undefined })"
          />grid
        </label>
        <label class="flex items-center gap-1" title="The field to the right, the length upwards">
          <input
            type="checkbox"
            class="accent-pine"
            :checked="!!chart.look.isTurned"
            @change="charts.changeLook(chart.id, { isTurned: !chart.look.isTurned || undefined })"
          />turned
        </label>
      </span>
      <span class="text-mute">Apart</span>
      <ChoiceRow
        label="Small charts beside each other"
        :choices="apart"
        :value="chart.look.apart"
        @choose="(apart) => charts.changeLook(chart.id, { apart })"
      />
      <span class="text-mute">Type</span>
      <span class="flex flex-wrap items-center gap-1">
        <TypedField
          class="num w-12"
          :value="chart.look.size"
          placeholder="9"
          aria-label="Type size in points"
          @commit="(text) => charts.changeLook(chart.id, { size: numberIn(text) })"
        />
        pt, lines
        <TypedField
          class="num w-12"
          :value="chart.look.width"
          placeholder="1.2"
          aria-label="Width of lines in points"
          @commit="(text) => charts.changeLook(chart.id, { width: numberIn(text) })"
        />
        pt, width over height
        <TypedField
          class="num w-12"
          :value="chart.look.aspect"
          placeholder="1.4"
          aria-label="Width over height of pictures"
          @commit="(text) => charts.changeLook(chart.id, { aspect: numberIn(text) })"
        />
      </span>
      <span class="text-mute">Line at</span>
      <span class="flex flex-wrap items-center gap-1">
        <select v-model="ruleAxis" class="field" aria-label="Axis of the line">
          <option v-for="axis in axes" :key="axis" :value="axis">{{ titles[axis].toLowerCase() }}</option>
        </select>
        <TypedField
          class="min-w-0 flex-1"
          :value="undefined"
          aria-label="Value of the line"
          placeholder="2.5 m/s: limit, or 1 to 2 m/s"
          @commit="addRule"
        />
      </span>
      <template v-for="(rule, i) in chart.look.rules ?? []" :key="i">
        <span />
        <span class="num flex items-center gap-1">
          {{ titles[rule.axis].toLowerCase() }} {{ endsOf(rule) }}
          {{ rule.text ? `“${rule.text}”` : '' }}
          <button type="button" class="text-pine underline" @click="removeRule(i)">Take it out</button>
        </span>
      </template>
      <span class="text-mute">Kept looks</span>
      <ChartTemplates :chart="chart.id" />
      <p v-if="problem" role="alert" class="col-span-2 text-brick">{{ problem }}</p>
    </section>
  </div>
</template>
