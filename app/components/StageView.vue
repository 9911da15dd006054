<script setup lang="ts">
/** The stage with everything laid over it: legends, handles, marks, tools, and what a click offers. */
import { useDebounceFn, useElementSize } from '@vueuse/core'
import { formatNumber } from '~~/core/colour/ticks'
import { Stage } from '~~/stage/Stage'
import { keepInView } from '~~/stage/views'
import type { StageCanvas } from '~~/stage/StageCanvas'
import { viewNames } from '~~/stage/views'
import type { Picked } from '~~/stage/Stage'
import type { StageObject } from '~~/stage/StageObject'
import type { FirstLook } from '~/composables/firstLook'
import { LEGEND_LENGTH, legendSize } from '~~/stage/legend'
import type { LegendSpec } from '~~/stage/legend'
import PaneHead from './PaneHead.vue'
import PickBar from './PickBar.vue'
import PlaceMark from './PlaceMark.vue'
import StageAnnotations from './StageAnnotations.vue'
import StageHandles from './StageHandles.vue'
import StageLegend from './StageLegend.vue'
import StageMarks from './StageMarks.vue'
import StageTools from './StageTools.vue'
import SwipeLine from './SwipeLine.vue'

const props = defineProps<{ canvas: StageCanvas; firstLook: FirstLook | null; isActive: boolean }>()
const bench = usePane()
const { panes } = bench
const now = bench.pane
const own = useStageObjects(bench)
const beyond = useStageObjects(usePaneBench(bench, now.value.id, 'other'))
const { legends, remarks, computing } = own
const objects = own.objects
/** With what is seen beyond the swipe line. */
const drawnObjects = computed(() => [
  ...objects.value,
  ...beyond.objects.value.map((object): StageObject => ({ ...object, id: `${BEYOND}${object.id}`, isOther: true })),
])
const marks = useMarks(bench, objects)
watch(
  () => props.isActive,
  (is) => {
    if (is) bench.marks.value = marks
  },
  { immediate: true },
)
watch(legends, (all) => panes.legends.set(now.value.id, all), { immediate: true })
const holder = ref<HTMLElement>()
const stage = shallowRef<Stage>()
/** Pixels of the stage that its tools take above, and of a legend with its gap. */
const [ABOVE, LEGEND] = [100, legendSize({})[1] * (96 / 72) + 12]
const { width: stageWidth, height: stageHeight } = useElementSize(holder)
const shownLegends = computed(() => {
  if (objects.value.length) return panes.ownLegends(now.value.id, legends.value).map(fitting)
  return props.firstLook?.legend ? [props.firstLook.legend] : []
})

/** CSS pixels per point, those of the stage that scale bar and gaps take below, and points of the shortest bar. */
const [SCALE, BELOW, SHORTEST] = [96 / 72, 80, 50]
/** A pane lower than this has small legends; points of their type and of their shortest bar. */
const [LOW, SMALL_TYPE, SMALL_BAR] = [240, 6.5, 28]
const isLow = computed(() => stageHeight.value > 0 && stageHeight.value < LOW)
/** One lower than this has small marks already, so that they are beside the model. */
const SMALL_MARKS = 340
const hasSmallMarks = computed(() => stageHeight.value > 0 && stageHeight.value < SMALL_MARKS)
/** One narrower than this has few tools. */
const NARROW = 250
const isNarrow = computed(() => stageWidth.value > 0 && stageWidth.value < NARROW)

/** A legend whose length was not chosen is shorter in a low pane, and in a very low one smaller. */
function fitting(spec: LegendSpec): LegendSpec {
  if (!stageHeight.value || spec.length !== undefined || spec.isLying) return spec
  const small = isLow.value && spec.size === undefined ? { ...spec, size: SMALL_TYPE } : spec
  const over = legendSize(small)[1] * SCALE - (stageHeight.value - ABOVE / 2 - (isLow.value ? BELOW / 2 : BELOW))
  return over <= 0 ? small : { ...small, length: Math.max(isLow.value ? SMALL_BAR : SHORTEST, Math.round(LEGEND_LENGTH - over / SCALE)) }
}

/** Those that were put somewhere, or lie, are no reason to move the model. */
const legendColumns = computed(() => {
  const inColumn = Math.max(1, Math.floor((stageHeight.value - ABOVE + 12) / LEGEND))
  return Math.ceil(shownLegends.value.filter(({ place, isLying }) => !place && !isLying).length / inColumn)
})
watch(legendColumns, (n) => panes.columns.set(now.value.id, n), { immediate: true })
watch([() => stage.value, panes.legendColumns], () => stage.value?.eye.setLegendColumns(panes.legendColumns.value))
const drawn = ref(0)
const legendRects = useLegendLayout({
  stage,
  drawn,
  legends: shownLegends,
  size: { width: stageWidth, height: stageHeight },
  nRemarks: computed(() => remarks.value.length),
  hasRulers: computed(() => marks.marks.value.hasRulers === true),
  isLow,
  hasSmallMarks,
  hasAllTools: computed(() => props.isActive && !isNarrow.value),
})
/** Those that have a place already. */
const placedLegends = computed(() => shownLegends.value.slice(0, legendRects.value.length))
const picked = shallowRef<(Picked & { x: number; y: number }) | null>(null)
/** Marks ids of what is drawn beyond the swipe line. */
const BEYOND = 'beyond '
let hasFitted = false
/** What was drawn before. */
let drawnIds = new Set<string>()
/** The box with axes as it is drawn; empty for none. */
let boxAround: StageObject[] = []
let pressed = { x: 0, y: 0 }

onMounted(() => {
  const made = markRaw(new Stage(holder.value!, props.canvas))
  stage.value = made
  let [moves, refits] = [0, 0]
  made.onDraw(() => {
    drawn.value++
    if (made.eye.refits !== refits) panes.resized(now.value)
    if (made.eye.moves !== moves) panes.looked(now.value, made.eye.cameraState())
    moves = made.eye.moves
    refits = made.eye.refits
  })
  hasFitted = panes.resume(now.value, made.eye)
  panes.stages.set(now.value.id, made)
  panes.scenes.set(now.value.id, () => ({
    title: now.value.name,
    stage: made,
    legends: panes.ownLegends(now.value.id, legends.value),
    remarks: remarks.value,
    annotations: () => marks.annotations(drawn.value),
  }))
})
onBeforeUnmount(() => {
  panes.stages.delete(now.value.id)
  panes.scenes.delete(now.value.id)
  panes.legends.delete(now.value.id)
  panes.columns.delete(now.value.id)
  stage.value?.dispose()
})

watch(
  [stage, drawnObjects, () => props.firstLook, bench.evaluated.isComputing, () => marks.marks.value.hasBox],
  () => {
    const shown = drawnObjects.value.length || !props.firstLook ? drawnObjects.value : [props.firstLook.object]
    stage.value?.setObjects([...shown, ...boxAround])
    // the box is known once all of it is there
    const box = marks.marks.value.hasBox ? stage.value?.box() : undefined
    const wanted = box ? [marks.boxObject([...box.min.toArray(), ...box.max.toArray()])] : []
    if (wanted[0]?.geometry.key !== boxAround[0]?.geometry.key) {
      boxAround = wanted
      stage.value?.setObjects([...shown, ...boxAround])
    }
    // the view follows until everything of the first picture is there
    if (stage.value && !hasFitted && shown.length) {
      stage.value.eye.open()
      hasFitted = objects.value.length > 0 && !bench.evaluated.isComputing.value
    }
    // what is made outside of the view, such as a ring of a sector, comes into it
    const ids = new Set(shown.map(({ id }) => id))
    if (stage.value && hasFitted && [...ids].some((id) => !drawnIds.has(id))) keepInView(stage.value.eye, stage.value.box())
    drawnIds = ids
    if (objects.value.length) panes.fitAgain(!bench.evaluated.isAnyComputing.value)
  },
  { immediate: true },
)

watch([stage, () => marks.marks.value.hasOcclusion], ([own, is]) => own?.setOcclusion(is === true), { immediate: true })

watch(
  drawn,
  useDebounceFn(() => {
    if (stage.value && hasFitted) panes.keepCamera(now.value, stage.value.eye)
  }, 300),
)

function press(event: PointerEvent): void {
  hovered.value = null
  pressed = { x: event.clientX, y: event.clientY }
  picked.value = null
}

function release(event: PointerEvent): void {
  if (event.button !== 0 || Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) > 3) return
  const frame = holder.value!.getBoundingClientRect()
  const [x, y] = [event.clientX - frame.left, event.clientY - frame.top]
  const found = stage.value?.pick(x, y) ?? null
  stage.value?.invalidate()
  const isStep = found && found.id !== 'first-look'
  const reach = { x: Math.max(0, Math.min(x, frame.width - 490)), y: Math.min(y + 14, frame.height - 100) }
  picked.value = isStep ? { ...found, id: stepAtObject(found.id), ...reach } : null
  bench.view.picked = isStep ? { pane: now.value.id, place: found.position } : null
}

/** What is read at something that was picked. */
function readingOf(found: Picked): string {
  return readingAt({ ...found, id: stepAtObject(found.id) })
}

/** The step of an object on this stage. */
function stepAtObject(object: string): string {
  return stepOf(object.startsWith(BEYOND) ? object.slice(BEYOND.length) : object)
}

/** Where the swipe line is, as a share of the width; null for none. */
const swipeAt = ref<number | null>(null)
watch([stage, swipeAt], () => stage.value?.setSwipe(swipeAt.value ?? 1))

/** A value with its unit, or the name of the step where it has none. */
function readingAt({ id, value }: Pick<Picked, 'id' | 'value'>): string {
  const meta = bench.evaluated.results.value.get(id)?.valuesMeta
  return meta && Number.isFinite(value) ? bench.units.shown(value, meta.unit, 4) : bench.edits.name(id)
}

const projection = computed(() => {
  void drawn.value
  const angle = stage.value?.eye.angle
  return angle === undefined ? 'parallel view' : `perspective, ${formatNumber(angle)}°`
})

const pickedText = computed(() => (picked.value ? readingAt(picked.value) : ''))

/** What is under the pointer while it rests. */
const hovered = shallowRef<{ text: string; x: number; y: number } | null>(null)
/** Milliseconds that it rests. */
const REST = 120
const readHovered = useDebounceFn((event: PointerEvent) => {
  if (event.buttons || picked.value || !holder.value) return
  const frame = holder.value.getBoundingClientRect()
  const [x, y] = [event.clientX - frame.left, event.clientY - frame.top]
  const found = stage.value?.pick(x, y)
  const step = found && found.id !== 'first-look' ? stepAtObject(found.id) : undefined
  if (step === undefined || !bench.current.value?.steps[step]) return
  const text = readingAt({ id: step, value: found!.value })
  const name = bench.edits.name(step)
  hovered.value = { text: text === name ? name : `${name}: ${text}`, x: Math.min(x + 14, frame.width - 200), y: Math.max(y - 26, 4) }
}, REST)

/** Pixels within which the pointer is at a curve. */
const NEAR = 10

/** Abscissa of the open chart whose place is drawn under the pointer. */
function curveAt(x: number, y: number): number | null {
  const chart = bench.charts.charts.value.find(({ id }) => id === bench.view.openChart)
  let [found, least] = [null as number | null, NEAR]
  for (const { places, x: abscissae } of chart?.drawn.drawing.series ?? []) {
    for (let i = 0; places && i < abscissae.length; i++) {
      const [px, py] = stage.value!.eye.project([places[3 * i]!, places[3 * i + 1]!, places[3 * i + 2]!])
      const distance = Math.hypot(px - x, py - y)
      if (distance < least) [found, least] = [abscissae[i]!, distance]
    }
  }
  return found
}

function hover(event: PointerEvent): void {
  hovered.value = null
  bench.view.lookedAt = stage.value ? curveAt(event.offsetX, event.offsetY) : null
  if (event.buttons === 0) void readHovered(event)
}

function leave(): void {
  hovered.value = null
  bench.view.lookedAt = null
}

/** Says what a variable that is held over something would colour. */
function overStage(event: DragEvent): void {
  const variable = bench.acts.draggedVariable.value
  if (variable === null || !holder.value) return
  event.preventDefault()
  const frame = holder.value.getBoundingClientRect()
  const [x, y] = [event.clientX - frame.left, event.clientY - frame.top]
  const step = stepAt(x, y)
  const text = step && bench.acts.canTakeColour(step) ? `colour ${bench.edits.name(step)} by ${bench.variables.label(variable)}` : ''
  hovered.value = text ? { text, x: Math.min(x + 14, frame.width - 240), y: Math.max(y - 26, 4) } : null
}

function dropOnStage(event: DragEvent): void {
  hovered.value = null
  const frame = holder.value!.getBoundingClientRect()
  const step = stepAt(event.clientX - frame.left, event.clientY - frame.top)
  if (step) bench.acts.dropVariable(step)
}

/** The step that is drawn at a place of the stage. */
function stepAt(x: number, y: number): string | undefined {
  const found = stage.value?.pick(x, y)
  stage.value?.invalidate()
  return found && found.id !== 'first-look' ? stepAtObject(found.id) : undefined
}

function onKey(event: KeyboardEvent): void {
  const { key, shiftKey } = event
  const turns: Record<string, [number, number]> = { ArrowLeft: [10, 0], ArrowRight: [-10, 0], ArrowUp: [0, -10], ArrowDown: [0, 10] }
  const moves: Record<string, [number, number]> = {
    ArrowLeft: [-0.05, 0],
    ArrowRight: [0.05, 0],
    ArrowUp: [0, -0.05],
    ArrowDown: [0, 0.05],
  }
  if (turns[key]) stage.value?.eye.nudge(shiftKey ? { move: moves[key]! } : { turn: turns[key]! })
  else if (key === '+' || key === '=') stage.value?.eye.nudge({ zoom: 1.2 })
  else if (key === '-') stage.value?.eye.nudge({ zoom: 1 / 1.2 })
  else if (key === 'f') stage.value?.eye.fit()
  else if (key === 'p') stage.value?.eye.togglePerspective()
  else if (/^[1-6]$/.test(key)) stage.value?.eye.view(viewNames[Number(key) - 1]!)
  else if (key === 'Escape') picked.value = bench.view.picked = null
  else if (key === 'b') bench.view.isPeeking = true
  else return
  event.preventDefault()
}

function onKeyUp({ key }: KeyboardEvent): void {
  if (key === 'b') bench.view.isPeeking = false
}

const isTable = computed(() => bench.cases.catalogue.value?.parts.every((part) => part.abscissa) ?? false)
</script>

<template>
  <div class="relative min-h-0 min-w-0 flex-1" aria-label="Stage">
    <div
      ref="holder"
      class="absolute inset-0 outline-offset-[-3px]"
      tabindex="0"
      role="application"
      data-stage
      aria-label="Stage: drag or arrow keys turn, with Shift move, plus and minus zoom, F fits, 1 to 6 are views, B held shows the base"
      @pointerdown="press"
      @pointerup="release"
      @pointermove="hover"
      @pointerleave="leave"
      @dragover="overStage"
      @dragleave="hovered = null"
      @drop="dropOnStage"
      @keydown="onKey"
      @keyup="onKeyUp"
      @blur="bench.view.isPeeking = false"
    />
    <p v-if="isTable" class="absolute inset-0 grid place-items-center text-[#5e6b6e]">
      This case is a table without places: it is plotted below, not drawn.
    </p>
    <template v-else-if="stage">
      <StageHandles :stage="stage" :drawn="drawn" />
      <StageAnnotations
        :stage="stage"
        :drawn="drawn"
        :marks="marks"
        :room="{ width: stageWidth, height: stageHeight }"
        :legends="legendRects"
      />
      <StageMarks :is-small="hasSmallMarks" :stage="stage" :drawn="drawn" :unit="bench.cases.lengthUnit.value" />
    </template>

    <span
      v-if="hovered && !picked"
      class="num pointer-events-none absolute rounded bg-panel/95 px-1.5 py-0.5 text-[12px] shadow-sm"
      :style="{ left: `${hovered.x}px`, top: `${hovered.y}px` }"
      data-hovered
      >{{ hovered.text }}</span
    >
    <div
      class="pointer-events-none absolute left-28 right-44 text-[12px] text-[#1f2a2e]"
      :class="marks.marks.value.hasRulers ? 'bottom-8' : 'bottom-4'"
      aria-label="Remarks on the drawing"
    >
      <p v-for="text in remarks" :key="text" class="line-clamp-2">{{ text }}</p>
    </div>

    <PaneHead :computing="computing" :projection="projection" :legends="legends" :is-first-look="!!firstLook && !objects.length" />
    <SwipeLine v-model="swipeAt" :computing="beyond.computing.value.length > 0" />
    <PlaceMark v-if="stage" :stage="stage" :drawn="drawn" :objects="drawnObjects" :read="readingOf" />
    <StageTools
      v-if="stage"
      :stage="stage"
      :drawn="drawn"
      :legends="legends"
      :remarks="remarks"
      :marks="marks"
      :is-computing="computing.length > 0"
      :is-active="isActive"
      :is-narrow="isNarrow"
    />

    <div class="pointer-events-none absolute inset-0" role="group" aria-label="Legends">
      <StageLegend
        v-for="(spec, i) in placedLegends"
        :key="`${spec.variable} ${i}`"
        :spec="spec"
        :rect="legendRects[i]!"
        :room="{ width: stageWidth, height: stageHeight }"
        :is-fixed="!objects.length"
      />
    </div>

    <PickBar v-if="picked" :picked="picked" :text="pickedText" :marks="marks" @done="picked = null" />
  </div>
</template>
