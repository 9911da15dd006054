<script setup lang="ts">
/** A position as three numbers, edited as one text; units are understood. */
import { formatNumber } from '~~/core/colour/ticks'
import { fromDisplay, inDisplay } from '~~/core/units/quantities'
import { inUnit, readNumbers } from '~~/core/units/typedNumbers'

const props = defineProps<{ value: readonly number[]; unit: string; title: string }>()
const emit = defineEmits<{ commit: [value: number[]] }>()
const bench = useBench()
const display = computed(() => bench.units.display(props.unit || null) ?? { unit: props.unit, factor: 1, offset: 0 })
const shownValues = computed(() => props.value.map((c) => inDisplay(display.value, c)))
const shown = computed(() => shownValues.value.map((c) => formatNumber(c, 4)).join(', '))
const { text, problem, box, token, begin, commit, enter, leave } = useTyped(
  () => shownValues.value.map((c) => Number(c.toPrecision(8))).join(', '),
  read,
  (value) => emit('commit', value),
)

function read(text: string): number[] | string {
  const typed = readNumbers(text, 3)
  if (!typed) return 'Write three numbers: x, y, z, with a unit if you like.'
  const position = typed.map((c) => (c.unit ? inUnit(c, props.unit) : fromDisplay(display.value, c.value)))
  const wrong = position.indexOf(null)
  return wrong < 0
    ? (position as number[])
    : `“${typed[wrong]!.unit}” is no unit of length; write it in ${display.value.unit || 'plain numbers'}.`
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
      :aria-label="`${title}: ${shown} ${display.unit}`"
      @click.stop="begin"
    >
      {{ shown }}&nbsp;{{ display.unit }}
    </button>
    <input
      v-else
      ref="box"
      v-model="text"
      class="num w-40 rounded border border-pine bg-pine-wash px-1"
      :aria-label="title"
      @click.stop
      @keydown.enter.stop.prevent="enter"
      @keydown.esc.stop.prevent="leave"
      @keydown.up.stop
      @keydown.down.stop
      @keydown.left.stop
      @keydown.right.stop
      @keydown.delete.stop
      @blur="commit"
    />
    <span v-if="problem && text !== null" role="alert" class="pop absolute left-0 top-6 w-52 px-2 text-brick">{{ problem }}</span>
  </span>
</template>
