<script setup lang="ts">
/** Numbers that belong to a reading: what goes in and out, shares of a force. */
import type { ReadingPart } from '~~/core/measure/results'

const props = defineProps<{ parts: readonly ReadingPart[] }>()
const bench = useBench()

/** Beside the largest of its unit, less than this is what is left of rounding. */
const NOTHING = 1e-12

/** Without what is left of rounding. */
const shown = computed(() =>
  props.parts.map((part) => {
    const alike = props.parts.filter(({ unit }) => unit === part.unit).map(({ value }) => Math.abs(value))
    return Math.abs(part.value) < NOTHING * Math.max(...alike) ? { ...part, value: 0 } : part
  }),
)
</script>

<template>
  <table class="w-full text-[12px]" data-reading-parts>
    <tbody>
      <tr v-for="part in shown" :key="part.name" class="border-t border-line">
        <th class="pr-2 text-left font-normal text-mute">{{ part.name }}</th>
        <td class="num text-right">{{ bench.units.shown(part.value, part.unit) }}</td>
        <td v-if="part.components" class="num pl-2 text-right text-mute">{{ bench.units.shownParts(part.components, part.unit, 3) }}</td>
      </tr>
    </tbody>
  </table>
</template>
