<script setup lang="ts">
/** A number in a sentence. Typing commits on Enter; the arrow keys nudge while it is edited; units are understood. */
import { inUnit, readNumber } from '~~/core/fields/typedNumbers'
import { formatNumber } from '~~/core/colour/ticks'

const props = defineProps<{ value: number; unit: string; title: string; isWhole?: boolean; isUnitHidden?: boolean }>()
const emit = defineEmits<{ draft: [value: number]; commit: [value: number] }>()
const bench = useBench()

/** The unit shown, and how values come to be in it. */
const display = computed(() => bench.display(props.unit || null) ?? { unit: props.unit, factor: 1, offset: 0 })
const inDisplay = computed(() => display.value.factor * props.value + display.value.offset)
const fromDisplay = (value: number): number => (value - display.value.offset) / display.value.factor

const text = ref<string | null>(null)
const problem = ref('')
const box = ref<HTMLInputElement>()
const token = ref<HTMLButtonElement>()
const shown = computed(() => (props.isWhole ? String(props.value) : formatNumber(inDisplay.value, 6)))

async function begin(): Promise<void> {
  text.value = String(props.isWhole ? props.value : Number(inDisplay.value.toPrecision(10)))
  problem.value = ''
  await nextTick()
  box.value?.focus()
  box.value?.select()
}

/** A number, or a number and a unit of the same kind. */
function read(): number | undefined {
  const typed = readNumber(text.value ?? '')
  if (!typed || !Number.isFinite(typed.value)) {
    problem.value = 'Write a number, with a unit if you like.'
    return undefined
  }
  if (!typed.unit) return props.isWhole ? Math.round(typed.value) : fromDisplay(typed.value)
  const value = inUnit(typed, props.unit)
  if (value !== null) return value
  problem.value = `“${typed.unit}” is no unit of this; write it in ${display.value.unit || 'plain numbers'}.`
  return undefined
}

function nudge(event: KeyboardEvent, way: number): void {
  const now = read()
  if (now === undefined) return
  const shownNow = display.value.factor * now + display.value.offset
  const base = props.isWhole ? 1 : 10 ** Math.floor(Math.log10(Math.abs(shownNow) || 1) - 1)
  const next = shownNow + way * (event.shiftKey ? 10 : event.altKey ? (props.isWhole ? 1 : 0.1) : 1) * base
  text.value = String(Number(next.toPrecision(10)))
  emit('draft', fromDisplay(next))
}

function commit(): void {
  if (text.value === null) return
  const value = read()
  if (value === undefined) return
  text.value = null
  emit('commit', value)
}

/** The keyboard goes on at the token. */
async function enter(): Promise<void> {
  commit()
  await nextTick()
  token.value?.focus()
}

function leave(event: KeyboardEvent): void {
  text.value = null
  ;(event.target as HTMLElement).closest<HTMLElement>('[data-trail]')?.focus()
  emit('draft', NaN)
}
</script>

<template>
  <span class="relative inline">
    <button v-if="text === null" ref="token" type="button" class="token num" data-token :aria-label="`${title}: ${shown} ${display.unit}`" @click.stop="begin">
      {{ shown }}<span v-if="display.unit && !isUnitHidden">&nbsp;{{ display.unit }}</span>
    </button>
    <template v-else>
      <input
        ref="box" v-model="text" class="num w-24 rounded border border-pine bg-pine-wash px-1" :aria-label="title" :aria-invalid="!!problem" @click.stop
        @keydown.enter.stop.prevent="enter" @keydown.esc.stop.prevent="leave" @keydown.up.prevent.stop="nudge($event, 1)" @keydown.down.prevent.stop="nudge($event, -1)"
        @keydown.left.stop @keydown.right.stop @keydown.delete.stop @blur="commit"
      />
      <span v-if="problem" role="alert" class="pop absolute left-0 top-6 w-52 px-2 text-brick">{{ problem }}</span>
    </template>
  </span>
</template>
