<script setup lang="ts">
/** Takes a picture of the stage: pixels, or millimetres and resolution. */
import { takePicture } from '~~/stage/picture'
import type { LegendSpec } from '~~/stage/legend'
import type { Stage } from '~~/stage/Stage'

const props = defineProps<{ stage: Stage; legends: LegendSpec[]; remarks: string[]; isComputing: boolean }>()
const bench = useBench()

const unit = ref<'px' | 'mm'>('mm')
const width = ref(160)
const height = ref(100)
const dpi = ref(200)
const ground = ref<'stage' | 'white' | 'transparent'>('white')
const hasLegend = ref(true)
const progress = ref<number | null>(null)
const problem = ref('')
let abort: AbortController | undefined

/** Largest picture: rows are streamed, but a band of them is in memory. */
const MAX_SIDE = 20_000
const pixels = computed(() => {
  const factor = unit.value === 'mm' ? dpi.value / 25.4 : 1
  return [Math.round(width.value * factor), Math.round(height.value * factor)] as const
})
const isPossible = computed(() => pixels.value.every((n) => n >= 16 && n <= MAX_SIDE) && dpi.value >= 20 && dpi.value <= 1200)

watch(unit, (to) => {
  const factor = dpi.value / 25.4
  width.value = Math.round(to === 'px' ? width.value * factor : width.value / factor)
  height.value = Math.round(to === 'px' ? height.value * factor : height.value / factor)
})

async function take(): Promise<void> {
  problem.value = ''
  progress.value = 0
  abort = new AbortController()
  try {
    const picture = await takePicture(props.stage, {
      width: pixels.value[0],
      height: pixels.value[1],
      dpi: dpi.value,
      ground: ground.value,
      legends: hasLegend.value ? props.legends : [],
      remarks: hasLegend.value ? props.remarks : [],
      onProgress: (share) => (progress.value = share),
      signal: abort.signal,
    })
    saveAs(picture, `${bench.document.value?.name ?? 'stage'}.png`)
  } catch (error) {
    if ((error as Error).name !== 'AbortError') problem.value = `The picture could not be taken: ${(error as Error).message}`
  } finally {
    progress.value = null
  }
}
</script>

<template>
  <form
    class="grid grid-cols-[72px_minmax(0,1fr)] items-center gap-x-2 gap-y-2 text-[12px]"
    aria-label="Take a picture"
    @submit.prevent="take"
  >
    <label for="picture-width">Size</label>
    <span class="flex items-center gap-1">
      <input id="picture-width" v-model.number="width" type="number" min="1" class="num field w-14" aria-label="Width" /> ×
      <input v-model.number="height" type="number" min="1" class="num field w-14" aria-label="Height" />
      <select v-model="unit" class="field w-16" aria-label="Unit of the size">
        <option>mm</option>
        <option>px</option>
      </select>
    </span>
    <label for="picture-dpi">Resolution</label>
    <span><input id="picture-dpi" v-model.number="dpi" type="number" min="20" max="1200" class="num field w-16" /> dpi</span>
    <label for="picture-ground">Ground</label>
    <select id="picture-ground" v-model="ground" class="field w-full min-w-0">
      <option value="white">white</option>
      <option value="transparent">transparent</option>
      <option value="stage">as on the stage</option>
    </select>
    <span>Legend</span>
    <label><input v-model="hasLegend" type="checkbox" class="accent-pine" /> with legend</label>
    <span />
    <span class="num text-mute">{{ pixels[0] }} × {{ pixels[1] }} pixels</span>
    <span />
    <span class="flex items-center gap-2">
      <button type="submit" class="act" :disabled="!isPossible || isComputing || progress !== null">Save PNG</button>
      <template v-if="progress !== null"
        ><span class="num">{{ Math.round(100 * progress) }} %</span
        ><button type="button" class="quiet" @click="abort?.abort()">Cancel</button></template
      >
    </span>
    <p v-if="isComputing" class="col-span-2 text-amber-text">Something is still being computed; the picture waits for it.</p>
    <p v-if="!isPossible" class="col-span-2 text-brick">A side is 16 to {{ MAX_SIDE }} pixels, the resolution 20 to 1200 dpi.</p>
    <p v-if="problem" role="alert" class="col-span-2 text-brick">{{ problem }}</p>
  </form>
</template>
