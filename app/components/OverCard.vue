<script setup lang="ts">
/** A reading or a curve over moments, values or cases: as a chart or as a table, with what is there so far. */
import { curveOfTable } from '~~/core/evaluate/overTable'
import { stepKind } from '~~/core/steps'
import type { CurveResult } from '~/composables/useResults'
import CurveChart from './CurveChart.vue'
import OverTable from './OverTable.vue'

const props = defineProps<{ id: string; colour: string; label: string; isTall: boolean }>()
const bench = useBench()
const isTable = ref(false)
const look = computed(() => bench.document.value?.steps[props.id]?.chart)

const job = computed(() => bench.evaluated.jobs.results.value.get(props.id))
const isCurve = computed(() => stepKind(bench.document.value!.steps[props.id]!.kind).curve !== undefined)
const table = computed(() => bench.over.tableOf(props.id))
const curve = computed<CurveResult | null>(() => {
  if (!table.value?.rows.length) return null
  return isCurve.value ? curveOfCurves() : { ...curveOfTable(table.value), notes: [] }
})

/** The curves of all rows, each named by its place. */
function curveOfCurves(): CurveResult | null {
  // rows of the table are in the order of their frames
  const found = [...(job.value?.rows.values() ?? [])].sort((a, b) => a.frame - b.frame)
  const curves = found.flatMap(({ value }, i) => (value === null ? [] : [{ curve: value as CurveResult, at: table.value!.rows[i]!.at }]))
  const first = curves[0]?.curve
  if (!first) return null
  const series = curves.flatMap(({ curve, at }) => curve.series.map((one) => ({ ...one, name: `${one.name} ${at.join(', ')}` })))
  return { ...first, series }
}

const words = computed(() => {
  const news = job.value?.news
  if (!news) return 'waiting…'
  if (news.state === 'done') return `${news.total} values`
  return `${news.done} of ${news.total}${news.state === 'running' ? '' : ', stopped'}`
})
</script>

<template>
  <p v-if="job?.error" class="text-[12px] text-brick">{{ job.error }}</p>
  <template v-else>
    <CurveChart
      v-if="curve && !isTable"
      :curve="curve"
      :colour="colour"
      :label="label"
      :is-large="isTall"
      :look="look"
      :is-growing="job?.news?.state !== 'done'"
    />
    <OverTable v-else-if="table && !isCurve && isTable" :table="table" :label="`Table of ${label}`" />
    <span v-else class="flex-1" />
    <p class="flex items-center text-[11.5px] text-mute">
      <span class="num" role="status">{{ words }}</span>
      <button v-if="!isCurve" type="button" class="ml-auto text-pine underline" @click.stop="isTable = !isTable">
        {{ isTable ? 'Chart' : 'Table' }}
      </button>
    </p>
  </template>
</template>
