<script setup lang="ts">
/** A number in a sentence. Typing commits on Enter; the arrow keys nudge while it is edited; units are understood. */
import { formatNumber } from '~~/core/colour/ticks'
import { fromDisplay, inDisplay } from '~~/core/units/quantities'
import { inUnit, readNumber } from '~~/core/units/typedNumbers'

const props = defineProps<{ value: number; unit: string; title: string; isWhole?: boolean; isUnitHidden?: boolean }>()
const emit = defineEmits<{ draft: [value: number]; commit: [value: number] }>()
const bench = useBench()

/** Conversion to the unit shown. */
const display = computed(() => bench.units.display(props.unit || null) ?? { unit: props.unit, factor: 1, offset: 0 })
/** Plain numbers have none. */
const suffix = computed(() => (display.value.unit === '1' ? '' : display.value.unit))
const shown = computed(() => (props.isWhole ? String(props.value) : formatNumber(inDisplay(display.value, props.value), 6)))
const {
  text,
  problem,
  box,
  token,
  value: typed,
  begin,
  commit,
  enter,
  leave,
} = useTyped(
  () => String(props.isWhole ? props.value : Number(inDisplay(display.value, props.value).toPrecision(10))),
  read,
  (value) => emit('commit', value),
)

/** A number, or a number and a unit of the same kind. */
function read(written: string): number | string {
  const number = readNumber(written)
  if (!number || !Number.isFinite(number.value)) return 'Write a number, with a unit if you like.'
  if (!number.unit) return props.isWhole ? Math.round(number.value) : fromDisplay(display.value, number.value)
  return inUnit(number, props.unit) ?? `“${number.unit}” is no unit of this; write it in ${suffix.value || 'plain numbers'}.`
}

function nudge(event: KeyboardEvent, way: number): void {
  const now = typed()
  if (now === undefined) return
  const shownNow = inDisplay(display.value, now)
  const base = props.isWhole ? 1 : 10 ** Math.floor(Math.log10(Math.abs(shownNow) || 1) - 1)
  const next = shownNow + way * (event.shiftKey ? 10 : event.altKey ? (props.isWhole ? 1 : 0.1) : 1) * base
  text.value = String(Number(next.toPrecision(10)))
  emit('draft', fromDisplay(display.value, next))
}

function leaveDraft(event: KeyboardEvent): void {
  leave(event)
  emit('draft', NaN)
}
</script>

<template>
  <span class="relative inline">
    <button
      v-if="text === null"
      ref="token"
      type="button"
      class="token num"
      data-token
      :aria-label="`${title}: ${shown} ${suffix}`"
      @click.stop="begin"
    >
      {{ shown }}<span v-if="suffix && !isUnitHidden">&nbsp;{{ suffix }}</span>
    </button>
    <template v-else>
      <input
        ref="box"
        v-model="text"
        class="num w-24 rounded border border-pine bg-pine-wash px-1"
        :aria-label="title"
        :aria-invalid="!!problem"
        @click.stop
        @keydown.enter.stop.prevent="enter"
        @keydown.esc.stop.prevent="leaveDraft"
        @keydown.up.prevent.stop="nudge($event, 1)"
        @keydown.down.prevent.stop="nudge($event, -1)"
        @keydown.left.stop
        @keydown.right.stop
        @keydown.delete.stop
        @blur="commit"
      />
      <span v-if="problem" role="alert" class="pop absolute left-0 top-6 w-52 px-2 text-brick">{{ problem }}</span>
    </template>
  </span>
</template>
