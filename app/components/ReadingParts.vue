<script setup lang="ts">
/** Numbers that belong to a reading: what goes in and out, shares of a force. */
import type { ReadingPart } from '~~/core/measure/results'

defineProps<{ parts: readonly ReadingPart[] }>()
const bench = useBench()
</script>

<template>
  <table class="w-full text-[12px]" data-reading-parts>
    <tbody>
      <tr v-for="part in parts" :key="part.name" class="border-t border-line">
        <th class="pr-2 text-left font-normal text-mute">{{ part.name }}</th>
        <td class="num text-right">{{ bench.units.shown(part.value, part.unit) }}</td>
        <td v-if="part.components" class="num pl-2 text-right text-mute">{{ bench.units.shownParts(part.components, part.unit, 3) }}</td>
      </tr>
    </tbody>
  </table>
</template>
