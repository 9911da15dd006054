<script setup lang="ts">
/** A position as three numbers, edited as one text; units are understood. */
import { formatNumber } from '~~/core/colour/ticks'
import { inUnit, readNumbers } from '~~/core/fields/typedNumbers'

const props = defineProps<{ value: readonly number[]; unit: string; title: string }>()
const emit = defineEmits<{ commit: [value: number[]] }>()
const bench = useBench()
const display = computed(() => bench.display(props.unit || null) ?? { unit: props.unit, factor: 1, offset: 0 })
const inDisplay = computed(() => props.value.map((c) => display.value.factor * c + display.value.offset))

const text = ref<string | null>(null)
const problem = ref('')
const box = ref<HTMLInputElement>()
const token = ref<HTMLButtonElement>()
const shown = computed(() => inDisplay.value.map((c) => formatNumber(c, 4)).join(', '))

async function begin(): Promise<void> {
  text.value = inDisplay.value.map((c) => Number(c.toPrecision(8))).join(', ')
  problem.value = ''
  await nextTick()
  box.value?.focus()
  box.value?.select()
}

function commit(): void {
  if (text.value === null) return
  const typed = readNumbers(text.value, 3)
  const position = typed?.map((c) => (c.unit ? inUnit(c, props.unit) : (c.value - display.value.offset) / display.value.factor))
  if (!position?.every((c) => c !== null)) {
    problem.value = typed ? `“${typed[position!.indexOf(null)]!.unit}” is no unit of length; write it in ${display.value.unit || 'plain numbers'}.` : 'Write three numbers: x, y, z, with a unit if you like.'
    return
  }
  text.value = null
  emit('commit', position)
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
}
</script>

<template>
  <span class="relative inline">
    <button v-if="text === null" ref="token" type="button" class="token num" data-token :aria-label="`${title}: ${shown} ${display.unit}`" @click.stop="begin">{{ shown }}&nbsp;{{ display.unit }}</button>
    <input
      v-else ref="box" v-model="text" class="num w-40 rounded border border-pine bg-pine-wash px-1" :aria-label="title" @click.stop
      @keydown.enter.stop.prevent="enter" @keydown.esc.stop.prevent="leave" @keydown.up.stop @keydown.down.stop @keydown.left.stop @keydown.right.stop @keydown.delete.stop @blur="commit"
    />
    <span v-if="problem && text !== null" role="alert" class="pop absolute left-0 top-6 w-52 px-2 text-brick">{{ problem }}</span>
  </span>
</template>
