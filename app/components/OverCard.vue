<script setup lang="ts">
/** A reading or a curve over moments, values or cases: as a chart or as a table, with what is there so far. */
import { stepKind } from '~~/core/steps'
import type { ShownChart } from '~/composables/useCharts'
import CurveChart from './CurveChart.vue'
import OverTable from './OverTable.vue'

const props = defineProps<{ id: string; chart: ShownChart | undefined; label: string }>()
const bench = useBench()
/** As it was chosen. */
const wantsTable = ref<boolean | null>(null)

const job = computed(() => bench.evaluated.jobs.results.value.get(props.id))
const isCurve = computed(() => stepKind(bench.document.value!.steps[props.id]!.kind).curve !== undefined)
const table = computed(() => bench.over.tableOf(props.id))

/** Names are read in a table, numbers and curves in a chart. */
const isTable = computed(() => !isCurve.value && (wantsTable.value ?? !(table.value?.axes.some(({ isNumber }) => isNumber) ?? true)))

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
    <CurveChart v-if="chart?.drawn.drawing.series.length && !isTable" :chart="chart" :label="label" />
    <OverTable v-else-if="table && isTable" :table="table" :label="`Table of ${label}`" />
    <span v-else class="flex-1" />
    <p class="flex items-center text-[11.5px] text-mute">
      <span class="num" role="status">{{ words }}</span>
      <button v-if="!isCurve" type="button" class="ml-auto text-pine underline" @click.stop="wantsTable = !isTable">
        {{ isTable ? 'Chart' : 'Table' }}
      </button>
    </p>
  </template>
</template>
