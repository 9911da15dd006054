<script setup lang="ts">
/** Looks of charts that are kept for all studies: put onto a chart, kept, removed. */
import { X } from 'lucide-vue-next'
import type { KeptTemplate } from '~~/core/study/chart'
import TypedField from './TypedField.vue'

const props = defineProps<{ chart: string }>()
const { charts, store } = useBench()
const kept = ref<KeptTemplate[]>([])

/** Shows what is kept, after a change. */
async function reload(change?: () => Promise<unknown>): Promise<void> {
  try {
    await change?.()
    kept.value = await api.get<KeptTemplate[]>('/api/chart-templates')
  } catch (error) {
    store.notice = { text: (error as Error).message, isError: true }
  }
}

function keepAs(name: string | undefined): void {
  if (!name) return
  const [old, template] = [kept.value.find((own) => own.name === name), charts.templateFrom(props.chart)]
  void reload(async () => {
    await api.send('POST', '/api/chart-templates', { name, template })
    const act = old && { title: 'Put the old one back', run: () => restore(old) }
    store.notice = { text: `Kept as ${name}, for all studies.`, isError: false, ...(act && { act }) }
  })
}

function remove(old: KeptTemplate): void {
  void reload(async () => {
    await api.send('DELETE', '/api/chart-templates', { name: old.name })
    store.notice = { text: `Removed the look ${old.name}.`, isError: false, act: { title: 'Put it back', run: () => restore(old) } }
  })
}

function restore(old: KeptTemplate): void {
  void reload(() => api.send('POST', '/api/chart-templates', old))
}

onMounted(() => reload())
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
