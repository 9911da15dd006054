<script setup lang="ts">
/** A number with its unit, whether it keeps its limit, and what is to be said about it: in little room. */
import { formatNumber } from '~~/core/colour/ticks'
import { inDisplay } from '~~/core/units/quantities'
import type { Reading } from '~~/core/measure/results'
import ReadingVerdict from './ReadingVerdict.vue'

const props = defineProps<{ reading: Reading; limit?: string | undefined; isStale: boolean }>()
const bench = useBench()

const split = computed((): { number: string; unit: string } => {
  const { value, unit, isDifference } = props.reading
  const to = bench.units.display(unit, isDifference)
  return to
    ? { number: formatNumber(inDisplay(to, value), 5), unit: to.unit === '1' ? '' : to.unit }
    : { number: formatNumber(value, 5), unit: 'unit unknown' }
})
/** The first of the numbers that come with it. */
const parts = computed(() =>
  props.reading.parts
    ?.slice(0, 2)
    .map(({ name, value, unit }) => `${name} ${bench.units.shown(value, unit, 4)}`)
    .join(', '),
)
const components = computed(() => props.reading.components && bench.units.shownParts(props.reading.components, props.reading.unit, 4))
const caution = computed(() => props.reading.cautions[0])
</script>

<template>
  <p class="num text-[16px]" :class="{ 'text-mute': isStale }" :title="reading.madeOf.join('\n')" data-reading>
    {{ split.number }} <small class="text-[12px] text-mute">{{ split.unit }}</small>
  </p>
  <ReadingVerdict :limit="limit" :reading="reading" />
  <p v-if="components" class="num truncate text-[11.5px] text-mute" :title="`components: ${components}`">{{ components }}</p>
  <p class="truncate text-[11.5px]" :class="caution ? 'text-amber-text' : 'text-mute'" :title="caution ?? reading.madeOf.join('\n')">
    {{ caution ?? parts ?? reading.madeOf[0] }}
  </p>
</template>
