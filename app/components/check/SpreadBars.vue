<script setup lang="ts">
/** A small histogram: shares of the part by value, from the smallest to the largest. */
const props = defineProps<{ spread: readonly number[]; isDoubtful: boolean; label: string }>()
const tallest = computed(() => Math.max(...props.spread, 1e-9))
const words = computed(() => {
  const peak = props.spread.indexOf(Math.max(...props.spread))
  const fifth = Math.min(4, Math.floor((5 * peak) / props.spread.length))
  const where = ['lowest', 'lower', 'middle', 'upper', 'highest'][fifth]
  return `${props.label}: most of it in the ${where} part of the range`
})
</script>

<template>
  <svg :viewBox="`0 0 ${spread.length * 10} 20`" class="h-5 w-28" role="img" :aria-label="words" preserveAspectRatio="none">
    <rect
      v-for="(share, i) in spread"
      :key="i"
      :x="i * 10 + 0.5"
      :width="9"
      :y="20 - Math.max(share > 0 ? 1 : 0, (19 * share) / tallest)"
      :height="Math.max(share > 0 ? 1 : 0, (19 * share) / tallest)"
      :class="isDoubtful ? 'fill-amber-mark/60' : 'fill-pine/55'"
    >
      <title>{{ (100 * share).toFixed(1) }} %</title>
    </rect>
  </svg>
</template>
