<script setup lang="ts" generic="T extends number[] | number[][] | string[]">
/** A token that is edited as one text, on one line or on several. */
const props = defineProps<{
  title: string
  /** What stands in the sentence, and what a screen reader says behind the title. */
  shown: string
  said: string
  /** The text to begin with. */
  written: () => string
  /** The value of a text, or a sentence on what is wrong with it. */
  read: (text: string) => T | string
  isLong?: boolean
}>()
const emit = defineEmits<{ commit: [value: T] }>()
const { text, problem, box, token, begin, commit, enter, leave } = useTyped(
  () => props.written(),
  (typed) => props.read(typed),
  (value: T) => emit('commit', value),
)
</script>

<template>
  <span class="relative inline">
    <button
      v-if="text === null"
      ref="token"
      type="button"
      class="token num"
      data-token
      :aria-label="`${title}: ${said}`"
      @click.stop="begin"
    >
      {{ shown }}
    </button>
    <textarea
      v-else-if="isLong"
      ref="box"
      v-model="text"
      rows="5"
      class="num block w-60 rounded border border-pine bg-pine-wash px-1 text-[12px]"
      :aria-label="`${title}, one on each line`"
      title="One on each line; leave with Ctrl+Enter or by a click elsewhere"
      @click.stop
      @keydown.stop
      @keydown.ctrl.enter.exact.prevent="commit"
      @keydown.esc.prevent="leave"
      @blur="commit"
    />
    <input
      v-else
      ref="box"
      v-model="text"
      class="num w-44 rounded border border-pine bg-pine-wash px-1"
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
    <span
      v-if="problem && text !== null"
      role="alert"
      class="pop absolute left-0 w-52 px-2 text-brick"
      :class="isLong ? 'top-24' : 'top-6'"
      >{{ problem }}</span
    >
  </span>
</template>
