<script setup lang="ts">
/** Readings and charts of the study, pulled up to half height when they need room. */
import { ChevronDown, ChevronUp } from 'lucide-vue-next'
import { formatNumber } from '~~/core/colour/ticks'
import { inDisplay } from '~~/core/units/quantities'
import { stepKind } from '~~/core/steps'
import { sentenceText } from '~~/core/study/sentenceText'
import type { Reading } from '~~/core/measure/results'
import { isSeen, ranked } from '~~/core/study/studyModel'
import CurveChart from './CurveChart.vue'
import OverCard from './OverCard.vue'
import ReadingVerdict from './ReadingVerdict.vue'

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
    return [
      {
        id,
        step: exhibit.step!,
        name: step.name,
        limit: step.limit,
        chart: step.chart,
        result: bench.evaluated.results.value.get(exhibit.step!),
        isOver: step.over !== undefined,
        isChart: !!stepKind(step.kind).curve || step.over !== undefined,
        title: titleOf(exhibit.step!),
      },
    ]
  })
})
const colour = computed(() => bench.document.value?.cases[bench.view.caseId ?? '']?.colour ?? '#2F7F9E')

function split({ value, unit, isDifference }: Reading): { number: string; unit: string } {
  const to = bench.units.display(unit, isDifference)
  return to
    ? { number: formatNumber(inDisplay(to, value), 5), unit: to.unit === '1' ? '' : to.unit }
    : { number: formatNumber(value, 5), unit: 'unit unknown' }
}

/** The first of the numbers that come with it. */
function partsText({ parts }: Reading): string | undefined {
  return parts
    ?.slice(0, 2)
    .map(({ name, value, unit }) => `${name} ${bench.units.shown(value, unit, 4)}`)
    .join(', ')
}

/** Short description of a measurement. */
function titleOf(id: string): string {
  const { kind, settings } = bench.document.value!.steps[id]!
  return sentenceText(kind, settings, bench.wordsOf(id), true)
}
</script>

<template>
  <section
    class="flex shrink-0 flex-col border-t border-line bg-paper"
    :class="isTall ? 'h-[45%]' : cards.some((card) => card.isChart) ? 'h-[156px]' : 'h-[118px]'"
    aria-label="Exhibits"
  >
    <div class="flex min-h-0 flex-1 gap-2.5 overflow-x-auto px-3.5 py-2.5">
      <article
        v-for="card in cards"
        :key="card.id"
        class="card flex shrink-0 flex-col px-2.5 py-1.5"
        :class="[card.isChart ? (isTall ? 'w-[520px]' : 'w-72') : 'w-44', bench.selected.value === card.step ? 'border-ink!' : '']"
        tabindex="0"
        @click="bench.selected.value = card.step"
        @keydown.enter="bench.selected.value = card.step"
        @pointerenter="bench.view.hovered = card.step"
        @pointerleave="bench.view.hovered = null"
      >
        <h4 class="truncate text-[12px] font-medium text-mute" :title="card.title">{{ card.name }}: {{ card.title }}</h4>
        <OverCard v-if="card.isOver" :id="card.step" :colour="colour" :label="`${card.name}: ${card.title}`" :is-tall="isTall" />
        <p v-else-if="card.result?.error" class="text-[12px] text-brick">{{ card.result.error }}</p>
        <template v-else-if="card.result?.curve">
          <CurveChart
            :curve="card.result.curve"
            :colour="colour"
            :label="`${card.name}: ${card.title}`"
            :is-large="isTall"
            :look="card.chart"
            :class="{ 'opacity-50': card.result.isStale }"
          />
          <p v-for="note in card.result.curve.notes" :key="note" class="truncate text-[11.5px] text-mute" :title="note">{{ note }}</p>
        </template>
        <template v-else-if="card.result?.reading">
          <p
            class="num text-[18px]"
            :class="{ 'opacity-50': card.result.isStale }"
            :title="card.result.reading.madeOf.join('\n')"
            data-reading
          >
            {{ split(card.result.reading).number }} <small class="text-[12px] text-mute">{{ split(card.result.reading).unit }}</small>
          </p>
          <ReadingVerdict :limit="card.limit" :reading="card.result.reading" />
          <p
            v-if="card.result.reading.components"
            class="num truncate text-[11.5px] text-mute"
            :title="`components: ${bench.units.shownParts(card.result.reading.components, card.result.reading.unit)}`"
          >
            {{ bench.units.shownParts(card.result.reading.components, null, 4).replace(' (unit unknown)', '') }}
          </p>
          <p
            class="truncate text-[12px]"
            :class="card.result.reading.cautions.length ? 'text-amber-text' : 'text-mute'"
            :title="card.result.reading.madeOf.join('\n')"
          >
            {{ card.result.reading.cautions[0] ?? partsText(card.result.reading) ?? card.result.reading.madeOf[0] }}
          </p>
        </template>
        <p v-else class="text-[12px] text-mute">computing…</p>
      </article>
      <button
        type="button"
        class="grid w-28 shrink-0 place-items-center rounded-lg border border-dashed border-line text-[12px] text-mute hover:text-ink"
        @click="emit('palette')"
      >
        Measure or plot
      </button>
      <span class="flex-1" />
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
