<script setup lang="ts">
/** Notes, ticks of the axes and captions over the stage, drawn by the code of pictures; notes are dragged, changed and deleted here. */
import { X } from 'lucide-vue-next'
import { drawAnnotations, drawRulers, noteRects } from '~~/stage/annotations'
import type { Note } from '~~/stage/annotations'
import type { Rect } from '~~/stage/legendPlaces'
import type { Stage } from '~~/stage/Stage'
import type { Marks } from '~/composables/useMarks'

const props = defineProps<{
  stage: Stage
  drawn: number
  marks: Marks
  room: { width: number; height: number }
  legends: readonly Rect[]
}>()
const canvas = ref<HTMLCanvasElement>()
/** CSS pixels per point. */
const SCALE = 96 / 72
const shown = computed(() => props.marks.annotations(props.drawn))
/** The note that is written in. */
const editing = ref<{ id: string; text: string } | null>(null)
/** While one is dragged. */
const moved = shallowRef<{ id: string; offset: [number, number] } | null>(null)

const notes = computed(() =>
  shown.value.notes.map((note) => (moved.value?.id === note.id ? { ...note, offset: moved.value.offset } : note)),
)
const project = (point: readonly number[]): [number, number] => props.stage.eye.project(point)

/** What is dragged goes where the hand does. */
const inTheWay = computed(() => (moved.value ? [] : props.legends))

const rects = computed(() => {
  void props.drawn
  const context = canvas.value?.getContext('2d')
  return context ? noteRects(context, notes.value, project, SCALE, inTheWay.value) : []
})

function draw(): void {
  const context = canvas.value?.getContext('2d')
  if (!context) return
  const ratio = window.devicePixelRatio
  const [width, height] = [Math.round(props.room.width * ratio), Math.round(props.room.height * ratio)]
  if (canvas.value!.width !== width) canvas.value!.width = width
  if (canvas.value!.height !== height) canvas.value!.height = height
  context.clearRect(0, 0, width, height)
  context.save()
  context.scale(ratio, ratio)
  // case and moment stand on the stage anyway
  drawAnnotations(context, { ...shown.value, notes: notes.value, captions: [] }, project, SCALE, inTheWay.value)
  const { width: across, height: up } = props.room
  if (shown.value.rulers) drawRulers(context, shown.value.rulers, project, [across, up], SCALE)
  context.restore()
}
onMounted(async () => {
  await document.fonts.ready
  draw()
})
watch([() => props.drawn, notes, () => props.room, inTheWay, shown], draw, { flush: 'post' })

function grab(note: Note, event: PointerEvent): void {
  const [x, y] = [event.clientX, event.clientY]
  const move = (e: PointerEvent): void => {
    if (!moved.value && Math.hypot(e.clientX - x, e.clientY - y) < 3) return
    moved.value = { id: note.id, offset: [note.offset[0] + (e.clientX - x) / SCALE, note.offset[1] + (e.clientY - y) / SCALE] }
  }
  const drop = (): void => {
    if (moved.value) props.marks.changeNote(note.id, { offset: moved.value.offset.map(Math.round) as [number, number] })
    else begin(note.id)
    moved.value = null
  }
  followPointer(event, move, drop)
}

function begin(id: string): void {
  editing.value = { id, text: props.marks.marks.value.notes?.[id]?.text ?? '' }
  void nextTick(() => document.querySelector<HTMLInputElement>('[data-note-text]')?.select())
}

function commit(): void {
  const now = editing.value
  editing.value = null
  if (!now) return
  if (!now.text.trim()) props.marks.removeNote(now.id)
  else props.marks.changeNote(now.id, { text: now.text.trim() })
}

const NUDGE = 6
function onKey(note: Note, event: KeyboardEvent): void {
  const by = { ArrowLeft: [-NUDGE, 0], ArrowRight: [NUDGE, 0], ArrowUp: [0, -NUDGE], ArrowDown: [0, NUDGE] }[event.key]
  if (by) props.marks.changeNote(note.id, { offset: [note.offset[0] + by[0]!, note.offset[1] + by[1]!] })
  else if (event.key === 'Enter') begin(note.id)
  else if (event.key === 'Delete') props.marks.removeNote(note.id)
  else return
  event.preventDefault()
}
</script>

<template>
  <canvas ref="canvas" class="pointer-events-none absolute inset-0 size-full" aria-hidden="true" />
  <template v-for="(note, i) in notes" :key="note.id">
    <div
      v-if="rects[i] && marks.marks.value.notes?.[note.id]"
      class="absolute"
      :style="{ left: `${rects[i]!.x}px`, top: `${rects[i]!.y}px`, width: `${rects[i]!.width}px`, height: `${rects[i]!.height}px` }"
    >
      <button
        type="button"
        class="size-full cursor-grab"
        :aria-label="`Note: ${note.text}. Enter changes it, arrow keys move it, Delete takes it away`"
        title="Drag it; a click changes it"
        :data-note="note.id"
        @pointerdown="grab(note, $event)"
        @keydown="onKey(note, $event)"
      />
      <span v-if="editing?.id === note.id" class="absolute left-0 top-0 flex">
        <input
          v-model="editing.text"
          class="field w-52 text-[12px]"
          aria-label="Text of the note"
          title="Lowered and raised by _ and ^; {value} is the value at an extreme"
          data-note-text
          @keydown.stop
          @keydown.enter="commit"
          @keydown.esc="editing = null"
          @blur="commit"
        />
        <button
          type="button"
          class="icon size-6!"
          aria-label="Delete the note"
          @mousedown.prevent="((editing = null), marks.removeNote(note.id))"
        >
          <X :size="13" />
        </button>
      </span>
    </div>
  </template>
</template>
