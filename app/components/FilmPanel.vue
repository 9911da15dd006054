<script setup lang="ts">
/** Saves the played moments as a film of the stage. The stage goes through them one by one: nothing is skipped. */
import { until } from '@vueuse/core'
import type { Annotations } from '~~/stage/annotations'
import { captionOn, filmFormats, newFilm } from '~~/stage/film'
import type { FilmFormat, FilmWriter } from '~~/stage/film'
import type { LegendSpec } from '~~/stage/legend'
import { drawPicture } from '~~/stage/picture'
import type { Stage } from '~~/stage/Stage'

const props = defineProps<{ stage: Stage; legends: LegendSpec[]; remarks: string[]; annotations: () => Annotations }>()
const bench = useBench()

const sizes = [
  [640, 360],
  [960, 540],
  [1280, 720],
  [1920, 1080],
] as const
const size = ref(2)
const format = ref<FilmFormat>('mp4')
const rate = ref(10)
const hasLegend = ref(true)
const hasTime = ref(true)
const done = ref<number | null>(null)
const problem = ref('')
/** A range over all moments may have to read them all first. */
const RANGE_MS = 120_000
let abort: AbortController | undefined

const moments = computed(() => bench.cases.momentsToPlay.value)
const seconds = computed(() => moments.value.length / rate.value)
const isPossible = computed(() => rate.value >= 1 && rate.value <= 60)
/** Ranges that follow the moment make equal colours mean other values from picture to picture. */
const moving = computed(() => props.legends.filter((legend) => legend.isOfMoment))

async function save(): Promise<void> {
  problem.value = ''
  done.value = 0
  abort = new AbortController()
  const before = bench.view.moment
  const [width, height] = sizes[size.value]!
  let film: FilmWriter | undefined
  try {
    film = await newFilm({ width, height, rate: rate.value, format: format.value })
    for (const [i, moment] of moments.value.entries()) {
      bench.view.moment = moment
      await nextTick()
      await until(bench.evaluated.isComputing).toBe(false)
      await until(() => props.legends.every((legend) => legend.isReady)).toBe(true, { timeout: RANGE_MS })
      // one more turn, so that the stage has what was computed
      await nextTick()
      abort.signal.throwIfAborted()
      const pixels = drawPicture(props.stage, {
        width,
        height,
        dpi: 96,
        ground: 'white',
        legends: hasLegend.value ? props.legends : [],
        remarks: hasLegend.value ? props.remarks : [],
        annotations: props.annotations(),
      })
      if (hasTime.value) captionOn(pixels, width, height, bench.cases.momentLabel(moment), 96)
      await film.add(pixels)
      done.value = i + 1
    }
    saveAs(await film.finish(), `${bench.document.value?.name ?? 'film'}.${format.value}`)
  } catch (error) {
    await film?.cancel().catch(() => undefined)
    if ((error as Error).name !== 'AbortError') problem.value = `The film could not be made: ${(error as Error).message}`
  } finally {
    bench.view.moment = before
    done.value = null
  }
}
</script>

<template>
  <form
    class="grid grid-cols-[72px_minmax(0,1fr)] items-center gap-x-2 gap-y-2 text-[12px]"
    aria-label="Save a film"
    @submit.prevent="save"
  >
    <label for="film-format">Format</label>
    <select id="film-format" v-model="format" class="field">
      <option v-for="f in filmFormats" :key="f" :value="f">{{ { mp4: 'MP4', webm: 'WebM', gif: 'GIF' }[f] }}</option>
    </select>
    <label for="film-size">Size</label>
    <select id="film-size" v-model.number="size" class="field num">
      <option v-for="([w, h], i) in sizes" :key="w" :value="i">{{ w }} × {{ h }}</option>
    </select>
    <label for="film-rate">Rate</label>
    <span><input id="film-rate" v-model.number="rate" type="number" min="1" max="60" class="field num w-14" /> pictures a second</span>
    <span>With</span>
    <span class="flex gap-3"
      ><label><input v-model="hasLegend" type="checkbox" class="accent-pine" /> legend</label
      ><label><input v-model="hasTime" type="checkbox" class="accent-pine" /> time</label></span
    >
    <span />
    <span class="num text-mute">{{ moments.length }} moments, {{ seconds.toFixed(1) }} s</span>
    <span />
    <span class="flex items-center gap-2">
      <button type="submit" class="act" :disabled="!isPossible || done !== null">Save film</button>
      <template v-if="done !== null"
        ><span role="status" class="num">{{ done }} of {{ moments.length }}</span
        ><button type="button" class="quiet" @click="abort?.abort()">Cancel</button></template
      >
    </span>
    <p v-if="moving.length" class="col-span-2 text-amber-text">
      The range of {{ moving.map((l) => l.title).join(', ') }} is another at each moment, so equal colours mean different values. Set it to
      “everything” or by hand.
    </p>
    <p v-if="problem" role="alert" class="col-span-2 text-brick">{{ problem }}</p>
  </form>
</template>
