<script setup lang="ts">
/** Figures of the meshes: what cells there are, and the worst of them. */
import { formatCount, formatNumber } from '~~/core/colour/ticks'
import type { Spot } from '~~/core/check/cellSizes'
import { cellWords } from '~~/core/mesh/cellWords'
import type { CaseCheck } from '~/composables/useCaseCheck'

const props = defineProps<{ check: CaseCheck }>()
const where = ref('')
const parts = computed(() => [...props.check.catalogue.value!.parts].sort((a, b) => b.dimension - a.dimension))
const unit = computed(() => props.check.catalogue.value!.lengthUnit ?? '')
const typesOf = (types: Record<string, number>): string =>
  Object.entries(types)
    .sort(([, a], [, b]) => b - a)
    .map(([name, n]) => `${formatCount(n)} ${cellWords(name, n)}`)
    .join(', ')

function show(what: string, part: string, spot: Spot): void {
  const text = `${what} of ${part}: cell ${spot.number} at (${spot.at.map((x) => formatNumber(x, 4)).join(', ')}) ${unit.value}`
  where.value = where.value === text ? '' : text
}
</script>

<template>
  <section class="card min-w-0" aria-label="Mesh">
    <header class="flex items-center gap-3 px-3.5 py-2">
      <h2 class="font-semibold">Mesh</h2>
      <span v-if="where" role="status" class="num truncate text-[12px]">{{ where }}</span>
    </header>
    <table class="w-full text-left">
      <thead class="border-b border-line text-[12px] text-mute">
        <tr>
          <th class="py-1 pl-3.5 font-normal">Part</th>
          <th class="font-normal">Cells</th>
          <th class="pr-3 text-right font-normal">smallest</th>
          <th class="pr-3 text-right font-normal" title="longest over shortest edge of the worst cell">aspect</th>
          <th class="pr-3 text-right font-normal" title="cells of negative or no size">bad cells</th>
          <th class="pr-3 text-right font-normal" title="edges of one face only">open edges</th>
          <th class="pr-3 text-right font-normal" title="points that lie on another one">double points</th>
          <th class="pr-3.5 text-right font-normal" title="points that no cell uses">unused</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="part in parts" :key="part.name" class="border-b border-line last:border-0">
          <th scope="row" class="max-w-36 truncate py-1.5 pl-3.5 font-normal" :title="part.name">{{ part.name }}</th>
          <td class="num max-w-56 truncate text-[12px]" :title="typesOf(part.cellTypes)">{{ typesOf(part.cellTypes) }}</td>
          <template v-for="(figures, i) in [check.parts.value.get(part.name)]" :key="i">
            <td class="num pr-3 text-right">
              <button
                v-if="figures?.smallest"
                type="button"
                class="hover:text-pine hover:underline"
                :aria-label="`Where the smallest cell of ${part.name} is`"
                @click="show('Smallest cell', part.name, figures.smallest.where)"
              >
                {{ formatNumber(figures.smallest.size, 3) }}
              </button>
            </td>
            <td class="num pr-3 text-right">
              <button
                v-if="figures?.worstAspect"
                type="button"
                class="hover:text-pine hover:underline"
                :aria-label="`Where the worst cell of ${part.name} is`"
                @click="show('Worst aspect', part.name, figures.worstAspect.where)"
              >
                {{ formatNumber(figures.worstAspect.ratio, 3) }}
              </button>
            </td>
            <td class="num pr-3 text-right" :class="{ 'text-amber-text': figures && figures.negative + figures.empty }">
              {{ figures ? figures.negative + figures.empty : '' }}
            </td>
            <td class="num pr-3 text-right">{{ figures && part.dimension === 2 ? figures.openEdges : '' }}</td>
            <td class="num pr-3 text-right" :class="{ 'text-amber-text': figures?.doublePoints }">
              {{ figures && part.dimension > 1 ? figures.doublePoints : '' }}
            </td>
            <td class="num pr-3.5 text-right">{{ figures ? Math.max(0, figures.unusedPoints) : '' }}</td>
          </template>
        </tr>
      </tbody>
    </table>
  </section>
</template>
