<script setup lang="ts">
/** Readings of the study in a column, its charts beside them; pulled up to half height when they need room. */
import { ChevronDown, ChevronUp, Maximize2 } from 'lucide-vue-next'
import { stepKind } from '~~/core/steps'
import { isSeen, ranked } from '~~/core/study/studyModel'
import CurveChart from './CurveChart.vue'
import OverCard from './OverCard.vue'
import ReadingCard from './ReadingCard.vue'

const emit = defineEmits<{ palette: [] }>()
const bench = useBench()
const isTall = ref(false)

const cards = computed(() => {
  const study = bench.document.value
  if (!study) return []
  return ranked(study.exhibits).flatMap(([id, exhibit]) => {
    const step = exhibit.step === null ? undefined : study.steps[exhibit.step]
    // hidden steps are not computed
    if (!step || !isSeen(step)) return []
    const isOver = step.over !== undefined
    return [
      {
        id,
        step: exhibit.step!,
        name: exhibit.curves ? exhibit.name : step.name,
        limit: step.limit,
        chart: bench.charts.charts.value.find((chart) => chart.id === id),
        result: bench.evaluated.results.value.get(exhibit.step!),
        // with curves beside its own it is a chart like others
        isOver: isOver && (exhibit.curves?.length ?? 1) === 1,
        isReading: !isOver && !!stepKind(step.kind).reading,
        title: (exhibit.curves?.length ?? 1) > 1 ? `${exhibit.curves!.length} curves` : bench.charts.sentenceOf(exhibit.step!),
      },
    ]
  })
})
const readings = computed(() => cards.value.filter(({ isReading }) => isReading))
const charts = computed(() => cards.value.filter(({ isReading }) => !isReading))
</script>

<template>
  <section
    class="flex shrink-0 flex-col border-t border-line bg-paper"
    :class="isTall ? 'h-[45%]' : charts.length ? 'h-[156px]' : 'h-[118px]'"
    aria-label="Exhibits"
  >
    <div class="flex min-h-0 flex-1 gap-2.5 px-3.5 py-2.5">
      <div
        v-if="readings.length"
        class="flex gap-2"
        :class="charts.length ? 'w-44 shrink-0 flex-col overflow-y-auto' : 'min-w-0 overflow-x-auto'"
      >
        <article
          v-for="card in readings"
          :key="card.id"
          class="card shrink-0 px-2.5 py-1"
          :class="[charts.length ? '' : 'w-44', bench.selected.value === card.step ? 'border-ink!' : '']"
          tabindex="0"
          @click="bench.selected.value = card.step"
          @keydown.enter="bench.selected.value = card.step"
          @pointerenter="bench.view.hovered = card.step"
          @pointerleave="bench.view.hovered = null"
        >
          <h4 class="truncate text-[12px] font-medium text-mute" :title="card.title">{{ card.name }}: {{ card.title }}</h4>
          <p v-if="card.result?.error" class="text-[12px] text-brick">{{ card.result.error }}</p>
          <ReadingCard
            v-else-if="card.result?.reading"
            :reading="card.result.reading"
            :limit="card.limit"
            :is-stale="card.result.isStale"
          />
          <p v-else class="text-[12px] text-mute">computing…</p>
        </article>
      </div>
      <div v-if="charts.length" class="flex min-w-0 flex-1 gap-2.5 overflow-x-auto">
        <article
          v-for="card in charts"
          :key="card.id"
          class="card flex min-w-72 flex-1 flex-col px-2.5 py-1.5"
          :class="[isTall ? 'max-w-[760px]' : 'max-w-96', bench.selected.value === card.step ? 'border-ink!' : '']"
          tabindex="0"
          @click="bench.selected.value = card.step"
          @dblclick="bench.view.openChart = card.id"
          @keydown.enter.self="bench.selected.value = card.step"
          @pointerenter="bench.view.hovered = card.step"
          @pointerleave="bench.view.hovered = null"
        >
          <div class="flex items-center gap-1">
            <h4 class="min-w-0 flex-1 truncate text-[12px] font-medium text-mute" :title="card.title">{{ card.name }}: {{ card.title }}</h4>
            <button
              v-if="card.chart"
              type="button"
              class="icon size-5!"
              :aria-label="`Open the chart ${card.name}`"
              title="Open it beside the model: axes, lines, export"
              @click.stop="bench.view.openChart = card.id"
            >
              <Maximize2 :size="12" />
            </button>
          </div>
          <OverCard v-if="card.isOver" :id="card.step" :chart="card.chart" :label="`${card.name}: ${card.title}`" />
          <p v-else-if="card.chart?.errors.length" class="text-[12px] text-brick">{{ card.chart.errors[0] }}</p>
          <template v-else-if="card.chart?.drawn.drawing.series.length">
            <CurveChart
              :chart="card.chart"
              :label="`${card.name}: ${card.title}`"
              :is-large="isTall"
              :class="{ grayscale: card.chart.isStale }"
            />
            <p v-for="note in card.chart.notes" :key="note" class="truncate text-[11.5px] text-mute" :title="note">{{ note }}</p>
          </template>
          <p v-else class="text-[12px] text-mute">computing…</p>
        </article>
      </div>
      <button
        type="button"
        class="grid w-24 shrink-0 place-items-center rounded-lg border border-dashed border-line text-[12px] text-mute hover:text-ink"
        @click="emit('palette')"
      >
        Measure or plot
      </button>
      <span v-if="!charts.length" class="flex-1" />
      <button
        type="button"
        class="icon shrink-0 self-start"
        :aria-label="isTall ? 'Lower the tray' : 'Raise the tray'"
        :title="isTall ? 'Lower the tray' : 'Raise the tray'"
        @click="isTall = !isTall"
      >
        <ChevronDown v-if="isTall" :size="16" /><ChevronUp v-else :size="16" />
      </button>
    </div>
  </section>
</template>
