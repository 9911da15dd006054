<script setup lang="ts">
/** Several values of one unit, edited as one text; a unit behind the last one is that of all. */
import { formatNumber } from '~~/core/colour/ticks'
import { fromDisplay, inDisplay } from '~~/core/units/quantities'
import { inUnit } from '~~/core/units/typedNumbers'

const props = defineProps<{ value: readonly number[]; unit: string; title: string }>()
const emit = defineEmits<{ commit: [value: number[]] }>()
const bench = useBench()
const display = computed(() => bench.units.display(props.unit || null) ?? { unit: props.unit, factor: 1, offset: 0 })
const shownValues = computed(() => props.value.map((c) => inDisplay(display.value, c)))
const shown = computed(() => shownValues.value.map((c) => formatNumber(c, 5)).join(', ') || 'none')
const { text, problem, box, token, begin, commit, enter, leave } = useTyped(
  () => shownValues.value.map((c) => Number(c.toPrecision(8))).join(', '),
  read,
  (value) => emit('commit', value),
)

function read(text: string): number[] | string {
  const words = text.split(/[\s,;]+/).filter(Boolean)
  const unit = Number.isNaN(Number(words[words.length - 1])) ? words.pop() : undefined
  const typed = words.map(Number)
  if (!typed.length || typed.some(Number.isNaN)) return 'Write numbers with commas between them, and a unit behind the last if you like.'
  const values = typed.map((value) => (unit ? inUnit({ value, unit }, props.unit) : fromDisplay(display.value, value)))
  return values.includes(null)
    ? `“${unit}” does not fit; write the values in ${display.value.unit || 'plain numbers'}.`
    : (values as number[])
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
      :aria-label="`${title}: ${shown}`"
      @click.stop="begin"
    >
      {{ shown }} {{ display.unit }}
    </button>
    <input
      v-else
      ref="box"
      v-model="text"
      class="num w-48 rounded border border-pine bg-pine-wash px-1"
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
