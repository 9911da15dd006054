<script setup lang="ts">
/** One curve of a chart: its axis, name, line and marks, and what it is divided by. */
import { ChevronDown, ChevronRight, Eye, EyeOff, X } from 'lucide-vue-next'
import { lineDashes, markShapes } from '~~/core/study/chart'
import type { ChartCurve } from '~~/core/study/chart'
import type { Optional, ShownChart } from '~/composables/useCharts'
import ChoiceRow from './ChoiceRow.vue'
import TypedField from './TypedField.vue'

const props = defineProps<{ chart: ShownChart; curve: ChartCurve; at: number }>()
const bench = useBench()
const isOpen = ref(false)
const step = computed(() => bench.document.value!.steps[props.curve.step]!)
const isLoose = computed(() => props.chart.drawn.drawing.series.find(({ curve }) => curve === props.curve)?.isLoose ?? false)
const colour = computed(() => {
  const series = props.chart.drawn.drawing.series.findIndex(({ curve }) => curve === props.curve)
  return props.chart.drawn.colours[series] ?? props.curve.colour ?? '#888888'
})
const sides = [
  { value: false, label: 'left' },
  { value: true, label: 'right' },
]

function change(what: Optional<ChartCurve>): void {
  bench.charts.changeCurve(props.chart.id, props.at, what)
}

function valueOf(event: Event): string | undefined {
  return (event.target as HTMLInputElement).value.trim() || undefined
}

const amounts = [
  { key: 'yOver', label: 'Values divided by', axis: 'values' },
  { key: 'xOver', label: 'Abscissa divided by', axis: 'abscissa' },
  { key: 'yPlus', label: 'Added to values', axis: 'values' },
  { key: 'xPlus', label: 'Added to the abscissa', axis: 'abscissa' },
] as const
</script>

<template>
  <div class="grid grid-cols-[minmax(0,1fr)] gap-1" role="group" :aria-label="`Curve ${step.name}`">
    <div class="flex items-center gap-1.5">
      <input
        type="color"
        class="h-5 w-6 shrink-0 rounded border border-line"
        :value="colour"
        :aria-label="`Colour of ${step.name}`"
        @change="change({ colour: valueOf($event) })"
      />
      <button
        type="button"
        class="flex min-w-0 flex-1 items-center gap-0.5 text-left"
        :aria-expanded="isOpen"
        :title="bench.charts.sentenceOf(curve.step)"
        @click="isOpen = !isOpen"
      >
        <ChevronDown v-if="isOpen" :size="12" class="shrink-0" /><ChevronRight v-else :size="12" class="shrink-0" />
        <span class="truncate" :class="{ 'text-mute': curve.isHidden }"
          >{{ step.name }} <span class="text-mute">{{ bench.charts.sentenceOf(curve.step) }}</span></span
        >
      </button>
      <ChoiceRow
        :label="`Axis of ${step.name}`"
        :choices="sides"
        :value="!!curve.isRight"
        @choose="(isRight) => change({ isRight: isRight || undefined })"
      />
      <button
        type="button"
        class="icon size-5!"
        :aria-label="curve.isHidden ? `Draw ${step.name}` : `Do not draw ${step.name}`"
        :title="curve.isHidden ? 'Draw it' : 'Do not draw it'"
        @click="change({ isHidden: !curve.isHidden || undefined })"
      >
        <EyeOff v-if="curve.isHidden" :size="12" /><Eye v-else :size="12" />
      </button>
      <button
        v-if="chart.curves.length > 1"
        type="button"
        class="icon size-5!"
        :aria-label="`Take ${step.name} out of the chart`"
        title="Take it out of the chart"
        @click="bench.charts.removeCurve(chart.id, at)"
      >
        <X :size="12" />
      </button>
    </div>
    <div v-if="isOpen" class="mb-1 grid grid-cols-[110px_minmax(0,1fr)] items-center gap-x-2 gap-y-1 pl-7">
      <label :for="`name-${chart.id}-${at}`" class="text-mute">Name</label>
      <TypedField
        :id="`name-${chart.id}-${at}`"
        class="w-full"
        :value="curve.name"
        placeholder="{variable}, {case}, {moment}, {step}"
        title="Words in braces stand for what they say: {variable}, {case}, {moment}, {step}; U_ref and \alpha are set as in papers"
        @commit="(name) => change({ name })"
      />
      <span class="text-mute">Line</span>
      <span class="flex gap-1.5">
        <select
          class="field"
          :aria-label="`Line of ${step.name}`"
          :value="isLoose ? 'none' : (curve.dash ?? 'solid')"
          @change="
            valueOf($event) === 'none'
              ? change({ isLoose: true })
              : change({ isLoose: false, dash: valueOf($event) as (typeof lineDashes)[number] })
          "
        >
          <option v-for="dash in lineDashes" :key="dash">{{ dash }}</option>
          <option>none</option>
        </select>
        <select
          class="field"
          :aria-label="`Marks of ${step.name}`"
          :value="curve.marks ?? ''"
          @change="change({ marks: valueOf($event) as (typeof markShapes)[number] | undefined })"
        >
          <option value="">marks where needed</option>
          <option v-for="shape in markShapes" :key="shape" :value="shape">{{ shape === 'none' ? 'no marks' : `${shape}s` }}</option>
        </select>
      </span>
      <template v-for="{ key, label, axis } in amounts" :key="key">
        <label :for="`${key}-${chart.id}-${at}`" class="text-mute">{{ label }}</label>
        <TypedField
          :id="`${key}-${chart.id}-${at}`"
          class="num w-full"
          :value="curve[key]"
          :placeholder="axis === 'values' ? 'such as 2.5 m/s' : 'such as 0.4 m'"
          @commit="(amount) => change({ [key]: amount })"
        />
      </template>
    </div>
  </div>
</template>
