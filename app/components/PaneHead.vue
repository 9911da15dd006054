<script setup lang="ts">
/** What a pane shows: its number, case and moment, what is being computed, and what may mislead beside the other panes. */
import type { LegendSpec } from '~~/stage/legend'

const props = defineProps<{ computing: readonly string[]; projection: string; legends: readonly LegendSpec[]; isFirstLook: boolean }>()
const bench = usePane()
const { panes } = bench
const now = bench.pane
const isOne = computed(() => panes.seen.value.length === 1)

/** Linked views are of the same places only in the same unit of length. */
function otherLengths(): string[] {
  const lengthOf = (id: string | null): string | null => bench.cases.catalogues.value.get(id ?? '')?.lengthUnit ?? null
  const [own, first] = [now.value, panes.seen.value.find(({ pane }) => !pane?.hasOwnView)]
  if (own.pane?.hasOwnView || !first || lengthOf(own.caseId) === lengthOf(first.caseId)) return []
  const [a, b] = [lengthOf(own.caseId), lengthOf(first.caseId)].map((unit) => unit ?? 'no known unit')
  return [`Lengths are in ${a} here and in ${b} in pane ${first.number}: say so in the data check, or give the pane a view of its own.`]
}

/** What may mislead about this pane beside the others. */
const cautions = computed(() => {
  const { caseId, moment } = now.value
  const study = bench.document.value
  if (!study || isOne.value) return []
  const { results } = bench.evaluated
  const failed = [...results.value].flatMap(([id, { error }]) => (error ? `${bench.edits.name(id)}: ${error}` : []))
  const gap = caseId !== null && moment === null ? [`No moment of ${study.cases[caseId]!.name} stands for that of the others.`] : []
  return [...gap, ...otherLengths(), ...panes.unlike(now.value.id, props.legends), ...failed]
})
</script>

<template>
  <div class="pointer-events-none absolute left-2 top-2 rounded bg-[#eef0ec]/85 px-1.5 py-0.5 text-[12px]">
    <span v-if="bench.document.value && now.caseId" class="font-medium">
      <span
        v-if="!isOne || now.pane"
        class="num pointer-events-auto mr-1.5 inline-grid size-4 cursor-grab place-items-center rounded bg-[#1f2a2e] text-[11px] text-white"
        title="Drag it onto another pane to swap them"
        draggable="true"
        @dragstart="panes.dragged.value = now.id"
        @dragend="panes.dragged.value = null"
        >{{ now.number }}</span><span
        class="mr-1.5 inline-block size-[9px] rounded-full"
        :style="{ background: bench.document.value.cases[now.caseId]?.colour }"
      />{{ now.name }}
    </span>
    <span v-if="now.pane?.moment !== undefined" class="ml-2">{{ bench.cases.momentLabel(now.moment ?? 0) }}, its own</span>
    <span v-if="isOne || now.pane?.hasOwnView" class="ml-2 text-[#5e6b6e]">{{ projection }}{{ isOne ? '' : ', its own view' }}</span>
    <span v-if="computing.length" role="status" class="ml-3 rounded bg-[#fbf1e0] px-1.5 py-0.5 text-[#8a5610]"
      >computing {{ computing.slice(0, 3).join(', ') }}{{ computing.length > 3 ? ` and ${computing.length - 3} more` : ''
      }}{{ isOne ? ': what is shown is older' : '' }}</span
    >
    <span v-else-if="isFirstLook" role="status" class="ml-3 rounded bg-[#fbf1e0] px-1.5 py-0.5 text-[#8a5610]"
      >outer surface only: the case is still being read</span
    >
    <p
      v-for="text in cautions"
      :key="text"
      class="mt-0.5 w-fit max-w-[340px] truncate rounded bg-[#fbf1e0] px-1.5 text-[#8a5610]"
      :title="text"
    >
      {{ text }}
    </p>
  </div>
</template>
