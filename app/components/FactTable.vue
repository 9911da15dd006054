<script setup lang="ts">
/** Facts about a shape: the first rows, or all of them. */
import { formatNumber } from '~~/core/colour/ticks'
import type { FactTable } from '~~/core/shapes/Shape'

const props = defineProps<{ table: FactTable }>()
const FEW = 8
const isOpen = ref(false)
const rows = computed(() => (isOpen.value ? props.table.rows : props.table.rows.slice(0, FEW)))
</script>

<template>
  <div class="mt-1.5 max-h-56 overflow-auto" @click.stop>
    <table class="num w-full text-right text-[11px]">
      <thead>
        <tr class="text-mute">
          <th v-for="{ name, unit } in table.columns" :key="name" class="pr-1 font-normal">
            {{ name }}<template v-if="unit && unit !== '1'"> [{{ unit }}]</template>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, i) in rows" :key="i">
          <td
            v-for="(cell, c) in row"
            :key="c"
            class="pr-1"
            :class="{ 'min-w-20 text-left font-sans leading-tight': typeof cell === 'string' }"
          >
            {{ typeof cell === 'number' ? formatNumber(cell, 4) : cell }}
          </td>
        </tr>
      </tbody>
    </table>
    <button v-if="table.rows.length > FEW" type="button" class="text-[12px] text-pine underline" @click="isOpen = !isOpen">
      {{ isOpen ? 'fewer' : `all ${table.rows.length}` }}
    </button>
  </div>
</template>
