<script setup lang="ts">
/** One step of the trail: a line, or unfolded when it is selected. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { Copy, Download, Eye, EyeOff, PaintBucket, Pipette, Trash2, VolumeX, Volume2 } from 'lucide-vue-next'
import type { VNodeRef } from 'vue'
import { stepKind } from '~~/core/steps'
import { hasShape } from '~~/core/steps/StepKind'
import { partsLeftOut } from '~~/core/study/bindings'
import type { Step } from '~~/core/study/studyModel'
import { keepInside } from '~/composables/keepInside'
import JobProgress from './JobProgress.vue'
import LookEditor from './LookEditor.vue'
import PaneSquares from './PaneSquares.vue'
import ReadingParts from './ReadingParts.vue'
import ReadingVerdict from './ReadingVerdict.vue'
import SentenceView from './SentenceView.vue'
import StepExport from './StepExport.vue'
import StepIcon from './StepIcon.vue'
import StepMenu from './StepMenu.vue'
import ValueSlider from './ValueSlider.vue'

const props = defineProps<{ id: string; step: Step; depth: number; isSelected: boolean }>()
const emit = defineEmits<{ insert: [] }>()
/** A long token is cut itself, where the line would leave it out as a whole. */
const CUT_TOKENS = '[&_[data-token]]:max-w-44 [&_[data-token]]:truncate [&_[data-token]]:align-bottom'
/** What is not seen now, still with the contrast of text. */
const PALE = 'text-mute [&_[data-token]]:text-mute'
const bench = useBench()
const { nameOf } = useInputs()

const kind = computed(() => stepKind(props.step.kind))
const result = computed(() => bench.evaluated.results.value.get(props.id))
const mends = computed(() => bench.readingMends(props.id))
const mend = computed(() => (result.value?.error ? bench.mendOf(props.id) : undefined))
/** The name as it is typed; null while it is not. */
const naming = ref<string | null>(null)
const valueHandles = computed(() =>
  (kind.value.handles?.(props.step.settings) ?? []).filter((handle) => handle.handle === 'value' || handle.handle === 'share'),
)
/** Cases in which its settings differ. */
const ownCases = computed(() => Object.keys(props.step.cases ?? {}).flatMap((id) => bench.document.value?.cases[id] ?? []))
const leftOut = computed(() => partsLeftOut(bench.document.value!, props.id, bench.view.caseId ?? ''))
const isSaid = computed(() => !!kind.value.reading || !!kind.value.curve)
const hasSquares = computed(() => bench.panes.hasPanes.value && hasShape(kind.value))
const readingText = computed(() => {
  const reading = result.value?.reading
  return reading ? bench.units.shown(reading.value, reading.unit, 5, reading.isDifference) : ''
})
/** Notes that come from what it is made of. */
const handedDown = computed(() => {
  const refs = Object.values(props.step.inputs).flat()
  return new Set(refs.flatMap((ref) => ('step' in ref ? (bench.evaluated.results.value.get(ref.step)?.shape?.notes ?? []) : [])))
})
/** What is made of something and has nothing to show; why is said by some kinds themselves. */
const emptiness = computed(() => {
  const { shape, isStale } = result.value ?? {}
  if (!shape || isStale || shape.nElements || !kind.value.inputs.length) return ''
  if (shape.notes.some((note) => !handedDown.value.has(note))) return ''
  const of = props.step.inputs[kind.value.inputs[0]!.name]?.map(nameOf).join(', ')
  return of ? `Empty: there is nothing of ${of} at this place and with these values.` : ''
})
const isUsedHere = computed(() => {
  const { hovered } = bench.view
  return (
    hovered !== null &&
    Object.values(bench.document.value?.steps[hovered]?.inputs ?? {})
      .flat()
      .some((ref) => 'step' in ref && ref.step === props.id)
  )
})

function openChart(): void {
  bench.view.openChart = bench.charts.chartOf(props.id)
}

const isMarked = computed(() => bench.acts.marked.value.size > 1 && bench.acts.marked.value.has(props.id))

/** Ctrl marks one more, Shift all up to here. */
function select(event: MouseEvent): void {
  if (event.ctrlKey || event.metaKey) bench.acts.mark(props.id)
  else if (event.shiftKey) bench.acts.markTo(props.id)
  else bench.selected.value = props.id
}

/** A step is held over this one that could be made of it. */
const isTarget = ref(false)

function overTarget(event: DragEvent): void {
  const { dragged, canMoveOnto, canTakeColour } = bench.acts
  if (!canTakeColour(props.id) && (dragged.value === null || !canMoveOnto(dragged.value, props.id))) return
  event.preventDefault()
  isTarget.value = true
}

function drop(): void {
  isTarget.value = false
  if (bench.acts.dragged.value !== null) bench.acts.moveOnto(bench.acts.dragged.value, props.id)
  else bench.acts.dropVariable(props.id)
}

async function beginNaming(): Promise<void> {
  naming.value = props.step.name
  await nextTick()
  const box = document.getElementById(`name-${props.id}`) as HTMLInputElement | null
  box?.focus()
  box?.select()
}

function finishNaming(): void {
  if (naming.value === null) return
  bench.edits.rename(props.id, naming.value)
  naming.value = null
}

defineExpose({ beginNaming })
</script>

<template>
  <div
    role="listitem"
    :aria-current="isSelected"
    :data-step="id"
    class="group relative has-[[data-token][aria-expanded=true]]:z-20"
    :class="[
      isSelected ? 'double-ring mx-1.5 my-1.5 rounded-lg bg-panel py-2 pl-9 pr-3' : 'min-h-7 py-[3px] pl-[44px] pr-3',
      isUsedHere || isTarget ? 'bg-pine-wash' : '',
      isMarked ? 'outline outline-1 outline-pine' : '',
    ]"
    :style="isSelected ? {} : { paddingLeft: `${44 + 22 * depth}px` }"
    @click="select"
    @dragover="overTarget"
    @dragleave="isTarget = false"
    @drop="drop"
    @pointerenter="bench.view.hovered = id"
    @pointerleave="bench.view.hovered = null"
  >
    <span
      class="absolute grid size-[18px] place-items-center"
      :class="isSelected ? 'left-2.5 top-2.5 text-ink' : 'top-[6px] text-mute'"
      :style="isSelected ? {} : { left: `${16 + 22 * depth}px` }"
      :title="`${kind.title}; drag it onto a step that it is to be made of`"
      draggable="true"
      @dragstart="bench.acts.dragged.value = id"
      @dragend="bench.acts.dragged.value = null"
    >
      <StepIcon :path="kind.icon" />
    </span>

    <template v-if="isSelected">
      <div class="flex items-center gap-1">
        <input
          v-if="naming !== null"
          :id="`name-${id}`"
          v-model="naming"
          class="field h-5 w-32 px-1! py-0! text-[12px]"
          aria-label="Name of the step"
          @click.stop
          @keydown.stop
          @keydown.enter="finishNaming"
          @keydown.esc="naming = null"
          @blur="finishNaming"
        />
        <button v-else type="button" class="text-[12px] font-medium text-mute hover:text-ink" title="Rename (F2)" @click.stop="beginNaming">
          {{ step.name }}
        </button>
        <span class="flex-1" />
        <PaneSquares v-if="hasSquares" :id="id" />
        <button
          v-else
          type="button"
          class="icon size-6!"
          :aria-label="step.isShown ? 'Hide' : 'Show'"
          :title="step.isShown ? 'Hide' : 'Show'"
          @click.stop="bench.edits.setFlag(id, 'isShown', !step.isShown)"
        >
          <Eye v-if="step.isShown" :size="14" /><EyeOff v-else :size="14" />
        </button>
      </div>
      <p v-if="ownCases.length" class="flex items-center gap-1.5 text-[12px] text-amber-text">
        <span v-for="own in ownCases" :key="own.name" class="flex items-center gap-1"
          ><span class="size-[9px] rounded-full" :style="{ background: own.colour }" />own values in {{ own.name }}</span
        >
      </p>
      <div class="leading-[22px]"><SentenceView :id="id" :step="step" /></div>
      <ValueSlider v-for="handle in valueHandles" :key="handle.setting" :id="id" :step="step" :handle="handle" />
      <LookEditor v-if="hasShape(kind)" :id="id" :step="step" />
      <p v-if="result?.error" role="alert" class="mt-1.5 text-[12px] text-brick">
        {{ result.error }}
        <button v-if="mend" type="button" class="text-pine underline" @click.stop="mend.run()">{{ mend.title }}</button>
      </p>
      <p v-if="leftOut.length" class="mt-1 text-[12px] text-amber-text">Not in this case: {{ leftOut.join(', ') }}</p>
      <p v-if="emptiness" role="status" class="mt-1 text-[12px] text-amber-text">{{ emptiness }}</p>
      <p v-for="note in result?.shape?.notes ?? result?.curve?.notes ?? []" :key="note" class="mt-1 text-[12px] text-mute">
        {{ note }}
        <button v-if="mends.get(note)" type="button" class="text-pine underline" @click.stop="mends.get(note)!.run()">
          {{ mends.get(note)!.title }}
        </button>
      </p>
      <FactTable v-if="result?.shape?.table?.rows.length" :table="result.shape.table" />
      <p v-for="caution in result?.reading?.cautions ?? []" :key="caution" class="mt-1 text-[12px] text-amber-text">
        {{ caution }}
        <button v-if="mends.get(caution)" type="button" class="text-pine underline" @click.stop="mends.get(caution)!.run()">
          {{ mends.get(caution)!.title }}
        </button>
      </p>
      <JobProgress v-if="step.over" :id="id" />
      <button v-if="kind.curve || step.over" type="button" class="mt-1 text-[12px] text-pine underline" @click.stop="openChart">
        Open its chart: axes, lines, export
      </button>
      <p
        v-if="readingText"
        class="num mt-1 text-[17px]"
        :class="{ 'text-mute': result?.isStale }"
        :title="result?.reading?.madeOf.join('\n')"
      >
        {{ readingText }}
      </p>
      <p v-if="result?.reading?.components" class="num text-[12px]">
        {{ bench.units.shownParts(result.reading.components, result.reading.unit, 5) }}
      </p>
      <ReadingVerdict v-if="result?.reading" :limit="step.limit" :reading="result.reading" />
      <ReadingParts v-if="result?.reading?.parts" :parts="result.reading.parts" />
      <p v-for="line in result?.reading?.madeOf ?? []" :key="line" class="text-[12px] text-mute">{{ line }}</p>
      <div class="-ml-1.5 mt-1.5 flex items-center">
        <button
          type="button"
          class="icon size-6!"
          aria-label="Duplicate"
          title="Duplicate (Ctrl D)"
          @click.stop="bench.edits.duplicate(id)"
        >
          <Copy :size="14" />
        </button>
        <button
          v-if="hasShape(kind)"
          type="button"
          class="icon size-6!"
          aria-label="Copy look"
          title="Copy its look (Ctrl C), to be put onto others (Ctrl V; Ctrl Shift V: the settings)"
          @click.stop="bench.acts.carry(id)"
        >
          <Pipette :size="14" />
        </button>
        <button
          v-if="bench.acts.carried.value && hasShape(kind)"
          type="button"
          class="icon size-6!"
          aria-label="Put look"
          :title="`Put the look of ${bench.acts.carried.value.name} onto it, and onto what is marked with it (Ctrl V)`"
          @click.stop="bench.acts.putLook(id)"
        >
          <PaintBucket :size="14" />
        </button>
        <button
          type="button"
          class="icon size-6!"
          :aria-label="step.isMuted ? 'Unmute' : 'Mute'"
          :title="step.isMuted ? 'Unmute: compute it again (M)' : 'Mute: do not compute it (M)'"
          @click.stop="bench.edits.setFlag(id, 'isMuted', !step.isMuted)"
        >
          <Volume2 v-if="step.isMuted" :size="14" /><VolumeX v-else :size="14" />
        </button>
        <Popover v-slot="{ close }" class="relative">
          <PopoverButton class="icon size-6!" aria-label="Export" title="Export to a file" @click.stop
            ><Download :size="14"
          /></PopoverButton>
          <PopoverPanel :ref="keepInside as VNodeRef" class="pop absolute bottom-7 left-0 w-64 p-3!" focus @click.stop
            ><StepExport :id="id" :step="step" @saved="close()"
          /></PopoverPanel>
        </Popover>
        <StepMenu :id="id" :step="step" @name="beginNaming" @insert="emit('insert')" />
        <span class="flex-1" />
        <button
          type="button"
          class="icon size-6! hover:text-brick!"
          aria-label="Delete"
          title="Delete (Del)"
          @click.stop="bench.acts.remove(id)"
        >
          <Trash2 :size="14" />
        </button>
      </div>
    </template>

    <div v-else class="flex items-center gap-1.5" :class="{ [PALE]: step.isMuted || (!step.isShown && !isSaid) }">
      <!-- a menu of a token is not cut -->
      <span
        class="min-w-0 flex-1 truncate leading-[22px] has-[[data-token][aria-expanded=true]]:overflow-visible"
        :class="[CUT_TOKENS, { 'line-through': step.isMuted }]"
      >
        <SentenceView :id="id" :step="step" />
      </span>
      <span
        v-for="own in ownCases"
        :key="own.name"
        class="size-[9px] shrink-0 rounded-full"
        :style="{ background: own.colour }"
        :title="`own values in ${own.name}`"
      />
      <span v-if="result?.error && !step.isMuted" class="size-[7px] shrink-0 rounded-full bg-brick" :title="result.error" />
      <span
        v-else-if="emptiness || result?.reading?.cautions.length"
        class="size-[7px] shrink-0 rounded-full bg-amber-mark"
        :title="emptiness || result?.reading?.cautions.join('\n')"
      />
      <span v-if="readingText" class="num shrink-0 text-[12px]" :class="{ 'text-mute': result?.isStale }">{{ readingText }}</span>
      <PaneSquares v-if="hasSquares" :id="id" is-short />
      <button
        v-else-if="!isSaid"
        type="button"
        tabindex="-1"
        class="icon size-5! shrink-0"
        :aria-label="step.isShown ? `Hide ${step.name}` : `Show ${step.name}`"
        @click.stop="bench.edits.setFlag(id, 'isShown', !step.isShown)"
      >
        <Eye v-if="step.isShown" :size="13" /><EyeOff v-else :size="13" />
      </button>
    </div>
    <div
      v-if="result?.isStale && !step.isMuted"
      class="absolute bottom-0 left-11 right-3 h-[2px] overflow-hidden rounded bg-line"
      role="progressbar"
      :aria-label="`Computing ${step.name}`"
      :aria-valuenow="result.progress ? Math.floor(100 * result.progress) : undefined"
    >
      <div v-if="result.progress" class="h-full rounded bg-pine" :style="{ width: `${100 * result.progress}%` }" />
      <div v-else class="h-full w-1/3 animate-[slide_1s_linear_infinite] rounded bg-pine" />
    </div>
  </div>
</template>

<style>
@keyframes slide {
  from {
    transform: translateX(-100%);
  }
  to {
    transform: translateX(300%);
  }
}
</style>
