<script setup lang="ts">
/** Handles of the selected step laid over the stage: a plane is moved and tilted, places and ends of radii are dragged. */
import { ChevronDown, ChevronUp } from 'lucide-vue-next'
import { axisName, cross, direction, dot, length } from '~~/core/mesh/vectors'
import type { Vector } from '~~/core/mesh/vectors'
import { hidesStep } from '~~/core/study/panes'
import { settingsIn } from '~~/core/study/perCase'
import { isSeen } from '~~/core/study/studyModel'
import type { Step } from '~~/core/study/studyModel'
import { stepKind } from '~~/core/steps'
import type { Handle } from '~~/core/steps/offers'
import type { Stage } from '~~/stage/Stage'

const props = defineProps<{ stage: Stage; drawn: number }>()
const bench = usePane()

const TILT_PIXELS = 74
/** Width of a letter of the label, in pixels. */
const LETTER = 7.4
/** Tilting this near to an axis snaps to it. */
const SNAP = Math.cos((4 * Math.PI) / 180)

const step = computed(() => {
  const found = bench.selected.value ? bench.current.value?.steps[bench.selected.value] : undefined
  return found && { ...found, settings: settingsIn(found, bench.caseId.value) }
})
/** Also of a step that only others are made of. */
const isUsable = computed(() => {
  const id = bench.selected.value
  const all = Object.values(bench.current.value?.steps ?? {})
  const isUsed = (own: Step): boolean => Object.values(own.inputs).some((refs) => refs.some((ref) => 'step' in ref && ref.step === id))
  const { pane } = bench.pane.value
  if (pane && id !== null && hidesStep(pane, id)) return false
  return step.value && !step.value.isMuted && (isSeen(step.value) || all.some((own) => isSeen(own) && isUsed(own)))
})

const handles = computed<readonly Handle[]>(() => {
  if (!isUsable.value) return []
  return stepKind(step.value!.kind).handles?.(step.value!.settings) ?? []
})

const plane = computed(() => {
  void props.drawn
  const handle = handles.value.find((h) => h.handle === 'plane')
  if (!handle) return null
  const [origin, normal] = [step.value!.settings[handle.origin], step.value!.settings[handle.normal]] as [Vector, Vector]
  const n = direction(normal)
  const box =
    bench.evaluated.results.value.get(bench.selected.value!)?.shape?.box ??
    props.stage.box()?.min.toArray().concat(props.stage.box()!.max.toArray())
  if (!box) return null
  // the handle is in the plane, at the left end of the cut shape
  let anchor = origin
  let left = Infinity
  for (let i = 0; i < 6; i++) {
    // the middles of the box's sides, brought into the plane
    const side = [0, 1, 2].map((d) => (i >> 1 === d ? box[d + 3 * (i & 1)]! : (box[d]! + box[d + 3]!) / 2)) as Vector
    const off = dot(n, side) - dot(n, origin)
    const inPlane = side.map((c, d) => c - off * n[d]!) as Vector
    const [x] = props.stage.eye.project(inPlane)
    if (x < left) [left, anchor] = [x, inPlane]
  }
  const middle = [0, 1, 2].map((d) => (box[d]! + box[d + 3]!) / 2) as Vector
  const centre = middle.map((c, d) => c - (dot(n, middle) - dot(n, origin)) * n[d]!) as Vector
  const reach = TILT_PIXELS / props.stage.eye.scale()
  const tip = centre.map((c, d) => c + reach * n[d]!) as Vector
  const name = axisName(n)
  const offset = dot(n, origin)
  return {
    n,
    origin,
    centre,
    at: clamped(props.stage.eye.project(anchor)),
    from: props.stage.eye.project(centre),
    tip: props.stage.eye.project(tip),
    tipPoint: tip,
    label: `${name ?? 'plane'} ${bench.units.shown(offset, bench.cases.lengthUnit.value || null, 4)}`,
  }
})

/** Places that are dragged. */
const points = computed(() => {
  void props.drawn
  return handles.value.flatMap((handle) => {
    if (handle.handle !== 'point') return []
    const point = step.value!.settings[handle.setting] as Vector
    return [{ setting: handle.setting, title: handle.title, point, at: props.stage.eye.project(point) }]
  })
})

/** Ends of radii, drawn sideways to their axes. */
const radii = computed(() => {
  void props.drawn
  return handles.value.flatMap((handle) => {
    if (handle.handle !== 'radius') return []
    const { settings } = step.value!
    const centre = settings[handle.origin] as Vector
    const axis = handle.axis ? direction(settings[handle.axis] as Vector) : null
    const aside = axis ? direction(cross(axis, Math.abs(axis[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0])) : ([1, 0, 0] as Vector)
    const radius = Number(settings[handle.setting])
    const end = centre.map((c, d) => c + radius * aside[d]!) as Vector
    const label = bench.units.shown(radius, bench.cases.lengthUnit.value || null, 4)
    return [
      {
        setting: handle.setting,
        centre,
        axis,
        radius,
        end,
        label,
        from: props.stage.eye.project(centre),
        at: props.stage.eye.project(end),
      },
    ]
  })
})

function clamped([x, y]: [number, number]): [number, number] {
  const { clientWidth, clientHeight } = props.stage.element
  return [Math.min(Math.max(x, 20), clientWidth - 30), Math.min(Math.max(y, 40), clientHeight - 40)]
}

/** Rounded to what a pixel tells apart: dragging gives numbers one can quote. */
function whole(value: number): number {
  const step = 10 ** Math.floor(Math.log10(2 / props.stage.eye.scale()))
  return Number((Math.round(value / step) * step).toPrecision(12))
}

/** Follows the pointer until it is released, then keeps the change as one edit. */
function drag(event: PointerEvent, move: (x: number, y: number, event: PointerEvent) => void): void {
  const frame = props.stage.element.getBoundingClientRect()
  followPointer(
    event,
    (e) => move(e.clientX - frame.left, e.clientY - frame.top, e),
    () => bench.edits.commitDraft(),
  )
}

function dragPlane(event: PointerEvent): void {
  const { n, origin } = plane.value!
  const offset = dot(n, origin)
  const start = [event.clientX, event.clientY] as const
  const [ax, ay] = props.stage.eye.project(origin)
  const [bx, by] = props.stage.eye.project(origin.map((c, d) => c + n[d]!) as Vector)
  const along = [bx - ax, by - ay] as const
  const size = Math.hypot(...along)
  drag(event, (_x, _y, e) => {
    const [dx, dy] = [e.clientX - start[0], e.clientY - start[1]]
    // seen end-on the normal has no direction on the screen: up is along it
    const by =
      whole(
        offset + (size > 0.08 * props.stage.eye.scale() ? (dx * along[0] + dy * along[1]) / size ** 2 : -dy / props.stage.eye.scale()),
      ) - offset
    bench.edits.draftSettings(bench.selected.value!, { origin: origin.map((c, d) => Number((c + by * n[d]!).toPrecision(12))) })
  })
}

function dragTilt(event: PointerEvent): void {
  const { centre, tipPoint } = plane.value!
  drag(event, (x, y) => {
    let n = direction(props.stage.eye.unproject(x, y, tipPoint).map((c, d) => c - centre[d]!) as Vector)
    for (let d = 0; d < 3; d++) if (Math.abs(n[d]!) > SNAP) n = [0, 1, 2].map((k) => (k === d ? Math.sign(n[d]!) : 0)) as Vector
    bench.edits.draftSettings(bench.selected.value!, { origin: [...centre], normal: n })
  })
}

/** Places move in the coordinate plane that faces the viewer most. */
function movedTo(x: number, y: number, point: Vector): number[] {
  const view = props.stage.eye.viewDirection()
  const axis = view.reduce((best, c, d) => (Math.abs(c) > Math.abs(view[best]!) ? d : best), 0)
  const on = props.stage.eye.unproject(x, y, point)
  const t = (point[axis]! - on[axis]!) / view[axis]!
  return on.map((c, d) => (d === axis ? point[d]! : whole(c + t * view[d]!)))
}

function dragPoint(event: PointerEvent, setting: string, point: Vector): void {
  drag(event, (x, y) => bench.edits.draftSettings(bench.selected.value!, { [setting]: movedTo(x, y, point) }))
}

function nudgePoint(event: KeyboardEvent, { setting, point, at }: (typeof points.value)[number], dx: number, dy: number): void {
  const by = event.shiftKey ? 50 : event.altKey ? 1 : 10
  bench.edits.changeSettings(bench.selected.value!, { [setting]: movedTo(at[0] + dx * by, at[1] + dy * by, point) })
}

function dragRadius(event: PointerEvent, { setting, centre, axis, end }: (typeof radii.value)[number]): void {
  drag(event, (x, y) => {
    const off = props.stage.eye.unproject(x, y, end).map((c, d) => c - centre[d]!) as Vector
    const along = axis ? dot(axis, off) : 0
    const size = Math.hypot(...off.map((c, d) => c - along * (axis?.[d] ?? 0)))
    bench.edits.draftSettings(bench.selected.value!, { [setting]: Math.max(whole(size), 2 / props.stage.eye.scale()) })
  })
}

function nudgeRadius(event: KeyboardEvent, { setting, radius }: (typeof radii.value)[number], way: number): void {
  const by = (way * (event.shiftKey ? 50 : event.altKey ? 1 : 10)) / props.stage.eye.scale()
  if (radius + by > 0) bench.edits.changeSettings(bench.selected.value!, { [setting]: radius + by })
}

function nudgePlane(event: KeyboardEvent, way: number): void {
  const { n, origin } = plane.value!
  const by = (way * (event.shiftKey ? 50 : event.altKey ? 1 : 10)) / props.stage.eye.scale()
  bench.edits.changeSettings(bench.selected.value!, { origin: origin.map((c, d) => c + by * n[d]!) })
}

/** Turns the normal about an axis of the view. */
function nudgeTilt(event: KeyboardEvent, about: 'up' | 'side', way: number): void {
  const { n, centre } = plane.value!
  const view = props.stage.eye.viewDirection()
  const side = direction(cross([0, 0, 1], view))
  const axis = about === 'side' ? side : direction(cross(view, side))
  const angle = (way * (event.shiftKey ? 15 : 5) * Math.PI) / 180
  const turned = cross(axis, n).map(
    (c, d) => n[d]! * Math.cos(angle) + c * Math.sin(angle) + axis[d]! * dot(axis, n) * (1 - Math.cos(angle)),
  ) as Vector
  if (length(turned) > 0) bench.edits.changeSettings(bench.selected.value!, { origin: [...centre], normal: direction(turned) })
}
</script>

<template>
  <div class="pointer-events-none absolute inset-0 overflow-hidden">
    <template v-if="plane">
      <svg class="absolute inset-0 size-full" aria-hidden="true">
        <line :x1="plane.from[0]" :y1="plane.from[1]" :x2="plane.tip[0]" :y2="plane.tip[1]" stroke="#1F2A2E" stroke-width="1.5" />
        <circle :cx="plane.from[0]" :cy="plane.from[1]" r="2.5" fill="#1F2A2E" />
      </svg>
      <div
        class="absolute flex -translate-x-1/2 -translate-y-1/2 items-center"
        :style="{ left: `${plane.at[0]}px`, top: `${plane.at[1]}px` }"
      >
        <span
          class="num absolute whitespace-nowrap rounded bg-stage/85 px-1 text-[12px] text-[#1f2a2e]"
          :class="plane.at[0] < 30 + LETTER * plane.label.length ? 'left-full ml-1.5' : 'right-full mr-1.5'"
          >{{ plane.label }}</span
        >
        <button
          type="button"
          class="stage-handle grid h-9 w-6 cursor-ns-resize place-items-center text-[#1f2a2e]"
          aria-label="Move the plane; arrow keys move it"
          data-handle="plane"
          @pointerdown.prevent.stop="dragPlane"
          @keydown.up.prevent.stop="nudgePlane($event, 1)"
          @keydown.down.prevent.stop="nudgePlane($event, -1)"
        >
          <span class="grid"><ChevronUp :size="13" /><ChevronDown :size="13" /></span>
        </button>
      </div>
      <button
        type="button"
        class="stage-handle absolute size-3.5 -translate-x-1/2 -translate-y-1/2 cursor-grab"
        :style="{ left: `${plane.tip[0]}px`, top: `${plane.tip[1]}px` }"
        aria-label="Tilt the plane; arrow keys turn it"
        title="Drag to tilt"
        data-handle="tilt"
        @pointerdown.prevent.stop="dragTilt"
        @keydown.up.prevent.stop="nudgeTilt($event, 'side', -1)"
        @keydown.down.prevent.stop="nudgeTilt($event, 'side', 1)"
        @keydown.left.prevent.stop="nudgeTilt($event, 'up', -1)"
        @keydown.right.prevent.stop="nudgeTilt($event, 'up', 1)"
      />
    </template>
    <button
      v-for="point in points"
      :key="point.setting"
      type="button"
      class="stage-handle absolute size-4 -translate-x-1/2 -translate-y-1/2 cursor-move"
      :style="{ left: `${point.at[0]}px`, top: `${point.at[1]}px` }"
      :aria-label="`Move the ${point.title}; arrow keys move it`"
      :title="point.title"
      :data-handle="point.setting"
      @pointerdown.prevent.stop="dragPoint($event, point.setting, point.point)"
      @keydown.up.prevent.stop="nudgePoint($event, point, 0, -1)"
      @keydown.down.prevent.stop="nudgePoint($event, point, 0, 1)"
      @keydown.left.prevent.stop="nudgePoint($event, point, -1, 0)"
      @keydown.right.prevent.stop="nudgePoint($event, point, 1, 0)"
    />
    <template v-for="end in radii" :key="end.setting">
      <svg class="absolute inset-0 size-full" aria-hidden="true">
        <line :x1="end.from[0]" :y1="end.from[1]" :x2="end.at[0]" :y2="end.at[1]" stroke="#1F2A2E" stroke-width="1.5" />
      </svg>
      <button
        type="button"
        class="stage-handle absolute size-3.5 -translate-x-1/2 -translate-y-1/2 cursor-ew-resize"
        :style="{ left: `${end.at[0]}px`, top: `${end.at[1]}px` }"
        aria-label="Change the radius; arrow keys change it"
        :title="`radius ${end.label}`"
        :data-handle="end.setting"
        @pointerdown.prevent.stop="dragRadius($event, end)"
        @keydown.up.prevent.stop="nudgeRadius($event, end, 1)"
        @keydown.right.prevent.stop="nudgeRadius($event, end, 1)"
        @keydown.down.prevent.stop="nudgeRadius($event, end, -1)"
        @keydown.left.prevent.stop="nudgeRadius($event, end, -1)"
      />
    </template>
  </div>
</template>
