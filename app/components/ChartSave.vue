<script setup lang="ts">
/** Saves a chart: as a picture of a size in millimetres, or its numbers. */
import { chartFormats, useChartFiles } from '~/composables/useChartFiles'
import type { ChartFormat } from '~/composables/useChartFiles'
import type { ShownChart } from '~/composables/useCharts'

const props = defineProps<{ chart: ShownChart }>()
const bench = useBench()
const files = useChartFiles(bench)

const format = ref<ChartFormat>('svg')
const width = ref(85)
const height = ref(60)
const dpi = ref(600)
const saving = useSaving()
const { problem, isBusy } = saving
const done = ref('')
const isPicture = computed(() => ['svg', 'pdf', 'png'].includes(format.value))
const titles: Record<ChartFormat, string> = {
  svg: 'SVG, drawing',
  pdf: 'PDF, drawing',
  png: 'PNG, pixels',
  csv: 'CSV, numbers',
  xlsx: 'XLSX, numbers',
}
/** Pixels that a PNG may have on a side. */
const MOST_PIXELS = 12_000
/** Wrong sizes in words. */
const sizeProblem = computed(() => {
  if (!isPicture.value) return ''
  const sides = [width.value, height.value]
  if (!sides.every((side) => side >= 10 && side <= 1000)) return 'A side is 10 to 1000 mm.'
  if (format.value === 'png' && !(dpi.value >= 50 && Math.max(...sides) * (dpi.value / 25.4) <= MOST_PIXELS))
    return `The resolution is at least 50 dpi, and at most ${Math.floor((MOST_PIXELS * 25.4) / Math.max(...sides))} for this size.`
  return ''
})
watch(
  () => props.chart.look.aspect,
  (aspect) => aspect && (height.value = Math.round(width.value / aspect)),
  { immediate: true },
)

const paper = () => ({ width: width.value, height: height.value, dpi: dpi.value })

const save = (): Promise<void> =>
  saving.save(() => files.fileOf(props.chart, format.value, paper()), `${props.chart.exhibit.name}.${format.value}`)

function copy(what: string, write: () => Promise<void>): void {
  done.value = ''
  void saving.attempt(async () => {
    await write()
    done.value = `${what} in the clipboard.`
  })
}

function copyPicture(): void {
  copy('The picture is', async () => {
    const picture = await files.fileOf(props.chart, 'png', { ...paper(), dpi: Math.min(dpi.value, 300) })
    await navigator.clipboard.write([new ClipboardItem({ 'image/png': picture })])
  })
}

function copyNumbers(): void {
  copy('The numbers are', () => navigator.clipboard.writeText(files.textOf(props.chart)))
}
</script>

<template>
  <form
    class="grid grid-cols-[70px_1fr] items-center gap-x-2 gap-y-1.5 text-[12px]"
    aria-label="Save the chart"
    @submit.prevent="save"
    @keydown="(event) => event.key !== 'Escape' && event.stopPropagation()"
  >
    <label for="chart-format">Format</label>
    <select id="chart-format" v-model="format" class="field">
      <option v-for="one in chartFormats" :key="one" :value="one">{{ titles[one] }}</option>
    </select>
    <template v-if="isPicture">
      <label for="chart-width">Size</label>
      <span>
        <input id="chart-width" v-model.number="width" type="number" min="10" max="1000" class="num field w-14" aria-label="Width in mm" />
        × <input v-model.number="height" type="number" min="10" max="1000" class="num field w-14" aria-label="Height in mm" /> mm
      </span>
    </template>
    <template v-if="format === 'png'">
      <label for="chart-dpi">Resolution</label>
      <span><input id="chart-dpi" v-model.number="dpi" type="number" min="50" class="num field w-16" /> dpi</span>
    </template>
    <p v-if="sizeProblem" role="alert" class="col-span-2 text-brick">{{ sizeProblem }}</p>
    <span class="col-span-2 flex gap-1.5">
      <button type="submit" class="act" :disabled="!!sizeProblem || isBusy">Save</button>
      <button type="button" class="quiet" :disabled="!!sizeProblem || isBusy" @click="copyPicture">Copy picture</button>
      <button type="button" class="quiet" :disabled="isBusy" @click="copyNumbers">Copy numbers</button>
    </span>
    <p v-if="done" role="status" class="col-span-2 text-mute">{{ done }}</p>
    <p v-if="problem" role="alert" class="col-span-2 text-brick">{{ problem }}</p>
  </form>
</template>
