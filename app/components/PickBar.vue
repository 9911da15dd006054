<script setup lang="ts">
/** What can be done with what was clicked on the stage. */
import { formatNumber } from '~~/core/colour/ticks'
import { priorities } from '~~/core/evaluate/plan'
import type { ProbeResult } from '~~/core/evaluate/probe'
import type { Vector } from '~~/core/mesh/vectors'
import { stepKind, stepKinds } from '~~/core/steps'
import { inDisplay } from '~~/core/units/quantities'
import type { Picked } from '~~/stage/Stage'
import type { Marks } from '~/composables/useMarks'
import TokenVariable from './tokens/TokenVariable.vue'
import { oneColour } from '~/composables/useVariables'

/** @param text  what is read there */
const props = defineProps<{ picked: Picked & { x: number; y: number }; text: string; marks: Marks }>()
const emit = defineEmits<{ done: [] }>()
const bench = useBench()
const probed = shallowRef<ProbeResult | null>(null)
watch(
  () => props.picked,
  () => (probed.value = null),
)

async function probe(): Promise<void> {
  const { caseId, moment } = bench.view
  if (!bench.current.value || !caseId) return
  const parts = bench.cases.catalogue.value!.parts.filter((p) => p.dimension === 3).map((p) => p.name)
  const at = props.picked.position as [number, number, number]
  const { answer } = await bench.evaluated.once({ want: 'probe', frame: { case: caseId, moment }, at, parts, priority: priorities.seen })
  probed.value = answer.json as ProbeResult
}

const pickOffers = stepKinds.flatMap(({ id, onPick }) => (onPick ? [{ kind: id, ...onPick }] : []))

function takeOffer(offer: (typeof pickOffers)[number]): void {
  const { position, id } = props.picked
  const { kind, settings, look } = bench.current.value!.steps[id]!
  const plane = stepKind(kind)
    .handles?.(settings)
    .find((handle) => handle.handle === 'plane')
  const normal = plane && (settings[plane.normal] as Vector)
  const own = offer.settings({ position, variable: look.variable, ...(normal && { normal }) })
  bench.selected.value = offer.isOn ? id : null
  void bench.addStep(offer.kind, { settings: own, colour: look.variable })
  emit('done')
}

const canColour = computed(() => {
  const step = bench.current.value?.steps[props.picked.id]
  return !!step && stepKind(step.kind).hasColour
})

function noteHere(): void {
  props.marks.noteAt(props.picked.position, props.text)
  emit('done')
}

function hidePicked(): void {
  bench.edits.setFlag(props.picked.id, 'isShown', false)
  emit('done')
}

function onlyPicked(): void {
  bench.acts.onlyThis(props.picked.id)
  emit('done')
}

function goToStep(): void {
  bench.selected.value = props.picked.id
  emit('done')
}

function inUnit(values: readonly number[], unit: string | null): string {
  const to = bench.units.display(unit)
  const numbers = values.map((v) => formatNumber(inDisplay(to, v), 6)).join(', ')
  return `${numbers} ${to ? (to.unit === '1' ? '' : to.unit) : '(unit unknown)'}`
}
</script>

<template>
  <div
    class="pop absolute flex max-w-[480px] flex-wrap items-stretch overflow-visible p-0! text-[12px]"
    :style="{ left: `${picked.x}px`, top: `${picked.y}px` }"
    role="toolbar"
    aria-label="What was clicked"
  >
    <span
      class="num grid place-items-center rounded-l-lg bg-pine-wash px-2.5"
      :title="inUnit(picked.position, bench.cases.lengthUnit.value || null)"
      >{{ text }}</span
    >
    <button type="button" class="px-2.5 py-1.5 hover:bg-pine-wash" @click="probe">Probe here</button>
    <button
      v-for="offer in pickOffers"
      :key="offer.kind"
      type="button"
      class="border-l border-line px-2.5 py-1.5 hover:bg-pine-wash"
      @click="takeOffer(offer)"
    >
      {{ offer.title }}
    </button>
    <span v-if="canColour" class="border-l border-line px-2.5 py-1.5">
      <TokenVariable
        label="Colour by"
        title="Colour what was clicked by"
        kind="any"
        :of="picked.id"
        :none="oneColour"
        :selected="bench.current.value?.steps[picked.id]?.look.variable ?? ''"
        @choose="(v) => bench.edits.colourBy(picked.id, v || null)"
      />
    </span>
    <button type="button" class="border-l border-line px-2.5 py-1.5 hover:bg-pine-wash" @click="noteHere">Note</button>
    <button type="button" class="border-l border-line px-2.5 py-1.5 hover:bg-pine-wash" @click="hidePicked">Hide</button>
    <button type="button" class="border-l border-line px-2.5 py-1.5 hover:bg-pine-wash" @click="onlyPicked">Only this</button>
    <button type="button" class="border-l border-line px-2.5 py-1.5 hover:bg-pine-wash" @click="goToStep">Go to step</button>
    <div v-if="probed" class="pop absolute left-0 top-full min-w-64 p-2!">
      <p class="num mb-1 text-mute">{{ inUnit(picked.position, bench.cases.lengthUnit.value || null) }}</p>
      <p v-if="!probed.part">There is no cell here.</p>
      <template v-else>
        <p class="mb-1">{{ probed.part }}, cell {{ probed.cell }}</p>
        <div v-for="row in probed.rows" :key="row.name" class="flex gap-3">
          <span class="w-20 shrink-0 truncate">{{ row.name }}</span><span class="num whitespace-nowrap">{{
            inUnit(row.values, row.unit)
          }}</span>
        </div>
      </template>
    </div>
  </div>
</template>
