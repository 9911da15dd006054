<script setup lang="ts">
/** Looks of charts that are kept for all studies: put onto a chart, kept, removed. */
import { X } from 'lucide-vue-next'
import type { ChartTemplate } from '~~/core/study/chart'
import TypedField from './TypedField.vue'

interface Kept {
  name: string
  template: ChartTemplate
}

const props = defineProps<{ chart: string }>()
const { charts, store } = useBench()
const kept = ref<Kept[]>([])

async function reload(): Promise<void> {
  kept.value = await api.get<Kept[]>('/api/chart-templates')
}

/** @param act  what was tried */
async function attempt(act: () => Promise<unknown>): Promise<void> {
  try {
    await act()
    await reload()
  } catch (error) {
    store.notice = { text: (error as Error).message, isError: true }
  }
}

function keepAs(name: string | undefined): void {
  if (!name) return
  const [old, template] = [kept.value.find((own) => own.name === name), charts.templateFrom(props.chart)]
  void attempt(async () => {
    await api.send('POST', '/api/chart-templates', { name, template })
    const act = old && { title: 'Put the old one back', run: () => restore(old) }
    store.notice = { text: `Kept as ${name}, for all studies.`, isError: false, ...(act && { act }) }
  })
}

function remove(old: Kept): void {
  void attempt(async () => {
    await api.send('DELETE', '/api/chart-templates', { name: old.name })
    store.notice = { text: `Removed the look ${old.name}.`, isError: false, act: { title: 'Put it back', run: () => restore(old) } }
  })
}

function restore(old: Kept): void {
  void attempt(() => api.send('POST', '/api/chart-templates', old))
}

onMounted(() => void attempt(async () => undefined))
</script>

<template>
  <span class="flex flex-wrap items-center gap-1">
    <span v-for="one in kept" :key="one.name" class="flex items-center rounded border border-line">
      <button
        type="button"
        class="px-1.5 py-0.5 text-pine"
        :aria-label="`Put the look ${one.name} onto the chart`"
        title="Put this look onto the chart"
        @click="charts.putLook(chart, one.template)"
      >
        {{ one.name }}
      </button>
      <button type="button" class="pr-1 text-mute hover:text-brick" :aria-label="`Remove the look ${one.name}`" @click="remove(one)">
        <X :size="12" />
      </button>
    </span>
    <TypedField
      class="w-36"
      :value="undefined"
      aria-label="Keep this look as"
      placeholder="keep this look as…"
      title="Type, grid, legend, scales and styles of curves, for charts of all studies"
      @commit="keepAs"
    />
  </span>
</template>
