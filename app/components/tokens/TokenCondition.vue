<script setup lang="ts">
/** A condition or a calculation. A mistake is pointed at in the text, and the step keeps its last text that has none. */
import type { FormulaError } from '~~/core/errors'

/** @param complete  what may be meant by a text that has a mistake, such as a number without its unit */
const props = withDefaults(
  defineProps<{ value: string; title?: string; check: (text: string) => FormulaError | null; complete?: (text: string) => string }>(),
  { title: 'Condition', complete: (text: string) => text },
)
const emit = defineEmits<{ commit: [value: string] }>()

const text = ref<string | null>(null)
const box = ref<HTMLTextAreaElement>()
const token = ref<HTMLElement>()
const written = computed(() => {
  const own = text.value?.trim() ?? ''
  return props.check(own) && !props.check(props.complete(own)) ? props.complete(own) : own
})
const problem = computed(() => (text.value === null ? null : props.check(written.value)))
const marked = computed(() => {
  const range = problem.value?.range
  const whole = (text.value ?? '').trim()
  if (!range || range[0] >= whole.length) return null
  const end = Math.max(range[1], range[0] + 1)
  return [whole.slice(0, range[0]), whole.slice(range[0], end), whole.slice(end)]
})

async function begin(): Promise<void> {
  text.value = props.value
  await nextTick()
  box.value?.focus()
  box.value?.select()
}

function commit(): void {
  if (text.value === null || problem.value) return
  const committed = written.value
  text.value = null
  if (committed !== props.value) emit('commit', committed)
}

async function enter(): Promise<void> {
  commit()
  await nextTick()
  token.value?.focus()
}

/** Keys of the trail mean letters here; those with Ctrl are the page's. */
function keepKey(event: KeyboardEvent): void {
  if (!event.ctrlKey && !event.metaKey) event.stopPropagation()
}

function leave(event: Event): void {
  text.value = null
  ;(event.target as HTMLElement).closest<HTMLElement>('[data-trail]')?.focus()
}
</script>

<template>
  <!-- no button element: its text would not break with that of the sentence -->
  <span
    v-if="text === null"
    ref="token"
    role="button"
    tabindex="0"
    class="token num cursor-pointer"
    data-token
    :aria-label="`${title}: ${value}`"
    @click.stop="begin"
    @keydown.enter.stop.prevent="begin"
    >{{ value }}</span
  >
  <span v-else class="block">
    <textarea
      ref="box"
      v-model="text"
      rows="2"
      class="num block w-full resize-none rounded border border-pine bg-pine-wash px-1 leading-[18px]"
      :aria-label="title"
      :aria-invalid="!!problem"
      spellcheck="false"
      @click.stop
      @keydown="keepKey"
      @keydown.enter.prevent="enter"
      @keydown.esc.prevent="leave"
      @blur="commit"
    />
    <span v-if="problem" role="alert" class="block text-[12px] text-brick">
      <span v-if="marked" class="num block text-ink">
        {{ marked[0] }}<u class="decoration-brick decoration-wavy">{{ marked[1] }}</u
        >{{ marked[2] }}
      </span>
      {{ problem.message }}
    </span>
  </span>
</template>
