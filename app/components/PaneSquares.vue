<script setup lang="ts">
/** In which panes a step is shown: a numbered square for each, filled where it is. */
import { isShownIn } from '~~/core/study/panes'

const props = defineProps<{
  id: string
  /** Beside a sentence on one line: many panes are counted only. */
  isShort?: boolean
}>()
/** Squares that leave room for a sentence. */
const MOST_BESIDE = 4
const bench = useBench()
const squares = computed(() =>
  bench.panes.panes.value.map(({ id, number, name }) => ({
    id,
    number,
    isShown: isShownIn(bench.document.value!, id, props.id),
    where: `pane ${number}, ${name}`,
  })),
)
const nShown = computed(() => squares.value.filter(({ isShown }) => isShown).length)
const name = computed(() => bench.edits.name(props.id))
</script>

<template>
  <span
    v-if="isShort && squares.length > MOST_BESIDE"
    class="num shrink-0 text-[11px] text-mute"
    :title="`Panes that show ${name}; choose the step to change them`"
    >{{ nShown }} of {{ squares.length }}</span
  >
  <span v-else class="flex shrink-0 gap-[3px]" role="group" :aria-label="`Panes that show ${name}`">
    <button
      v-for="square in squares"
      :key="square.id"
      type="button"
      class="num grid size-[15px] place-items-center rounded-[3px] border text-[10px] leading-none"
      :class="square.isShown ? 'border-ink bg-ink text-panel' : 'border-mute/60 bg-panel text-mute'"
      :aria-pressed="square.isShown"
      :aria-label="`${name} in ${square.where}`"
      :title="`${square.isShown ? 'Hide' : 'Show'} it in ${square.where}`"
      @click.stop="bench.panes.show(square.id, id, !square.isShown)"
    >
      {{ square.number }}
    </button>
  </span>
</template>
