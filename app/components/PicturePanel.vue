<script setup lang="ts">
/** Takes a picture of the stage: pixels, millimetres at a resolution, or a multiple of the stage; to a file or the clipboard. */
import type { Annotations } from '~~/stage/annotations'
import { MOST_WHOLE, picturePixels, pictureSize, takeJpeg, takePicture } from '~~/stage/picture'
import type { PictureOptions } from '~~/stage/picture'
import type { LegendSpec } from '~~/stage/legend'
import { pngOf } from '~~/stage/png'
import type { Stage } from '~~/stage/Stage'

const props = defineProps<{ stage: Stage; legends: LegendSpec[]; remarks: string[]; annotations: Annotations; isComputing: boolean }>()
const bench = useBench()
const all = usePanesPicture()
const wantsAll = ref(false)
const isOfAll = computed(() => wantsAll.value && all.isPossible.value)

const unit = ref<'px' | 'mm' | '× stage'>('mm')
const width = ref(160)
const height = ref(100)
/** The most that a cropped one may have: what a page has for its text. */
const highest = ref(240)
const dpi = ref(300)
const ground = ref<'stage' | 'white' | 'transparent' | 'own'>('white')
const ownGround = ref('#f4efe4')
const hasLegend = ref(true)
const isCropped = ref(false)
const isOnlyPart = computed(() => isCropped.value && !isOfAll.value)
const margin = ref(6)
/** Type and lines keep their points, or are as large against the model as on the stage. */
const isScaled = ref(false)
const progress = ref<number | null>(null)
const problem = ref('')
const done = ref('')
let abort: AbortController | undefined

/** Largest picture: rows are streamed, but a band of them is in memory. */
const MAX_SIDE = 20_000
/** Of a picture as the stage is: one of several times its size is printed as many times as large. */
const SCREEN_DPI = 96
const times = ref(2)
const pixels = computed<readonly [number, number]>(() => {
  if (unit.value === '× stage') {
    const [w, h] = props.stage.eye.size
    return [Math.round(w * times.value), isOnlyPart.value ? MAX_SIDE : Math.round(h * times.value)]
  }
  const factor = unit.value === 'mm' ? dpi.value / 25.4 : 1
  const up = isOnlyPart.value ? Math.min(highest.value, MAX_SIDE / factor) : height.value
  return [Math.round(width.value * factor), Math.round(up * factor)]
})
const resolution = computed(() => (unit.value === '× stage' ? SCREEN_DPI : dpi.value))
/** Of a cropped one it follows from the view, which is known once the pixels are sensible. */
const made = computed(() => {
  void bench.view.camera
  return isOnlyPart.value && fits(pixels.value) ? pictureSize(props.stage, options()) : pixels.value
})
const isPossible = computed(() => fits(made.value) && resolution.value >= 20 && resolution.value <= 2400)
const madeText = computed(() => {
  const [across, up] = made.value
  const inMm = (n: number): string => `${Math.round((n / resolution.value) * 25.4)}`
  // it breaks between the two
  return [`${across} × ${up} pixels,`, `${inMm(across)} × ${inMm(up)} mm`].map((size) => size.replaceAll(' ', '\u00a0')).join(' ')
})

function fits(size: readonly number[]): boolean {
  return size.every((n) => n >= 16 && n <= MAX_SIDE)
}

watch(unit, (to, from) => {
  // several times the stage is what is seen, enlarged
  isScaled.value = to === '× stage'
  if (to === '× stage' || from === '× stage') return
  const factor = dpi.value / 25.4
  for (const side of [width, height, highest]) side.value = Math.round(to === 'px' ? side.value * factor : side.value / factor)
})

function options(): PictureOptions {
  return {
    ...{ width: pixels.value[0], height: pixels.value[1], dpi: resolution.value, isScaled: isScaled.value },
    margin: isOnlyPart.value ? Math.max(0, margin.value) : undefined,
    ground: ground.value === 'own' ? (ownGround.value as `#${string}`) : ground.value,
    legends: hasLegend.value ? props.legends : [],
    remarks: hasLegend.value ? props.remarks : [],
    annotations: props.annotations,
    title: bench.document.value?.name ?? '',
    onProgress: (share) => (progress.value = share),
    ...(abort && { signal: abort.signal }),
  }
}

/** Each pane by its name. @throws RangeError when it is too large to be held as a whole */
async function takeAll(): Promise<Blob> {
  const [width, height] = pixels.value
  if (width * height > MOST_WHOLE) throw new RangeError('a picture of all panes with so many pixels does not fit; make it smaller')
  const made = await all.pictureOf(
    [width, height],
    { hasLegends: hasLegend.value, isScaled: isScaled.value, dpi: resolution.value },
    ({ stage, remarks, annotations, title }, [w, h]) =>
      picturePixels(stage, {
        ...{ ...options(), width: w, height: h, margin: undefined, legends: [] },
        remarks: [...(hasLegend.value ? remarks : []), title],
        annotations: annotations(),
      }),
  )
  return pngOf(made, [width, height], resolution.value, bench.document.value?.name ?? '')
}

async function take(to: 'png' | 'jpeg' | 'clipboard'): Promise<void> {
  problem.value = done.value = ''
  progress.value = 0
  abort = new AbortController()
  try {
    const picture = isOfAll.value ? await takeAll() : await (to === 'jpeg' ? takeJpeg : takePicture)(props.stage, options())
    if (to === 'clipboard') {
      await navigator.clipboard.write([new ClipboardItem({ 'image/png': picture })])
      done.value = 'It is in the clipboard.'
    } else saveAs(picture, `${bench.document.value?.name ?? 'stage'}.${to === 'jpeg' ? 'jpg' : 'png'}`)
  } catch (error) {
    if ((error as Error).name !== 'AbortError') problem.value = `The picture could not be taken: ${(error as Error).message}`
  } finally {
    progress.value = null
  }
}

const isBusy = computed(() => !isPossible.value || props.isComputing || progress.value !== null)
</script>

<template>
  <form
    class="grid grid-cols-[72px_minmax(0,1fr)] items-center gap-x-2 gap-y-2 text-[12px]"
    aria-label="Take a picture"
    @submit.prevent="take('png')"
  >
    <template v-if="all.isPossible.value">
      <label for="picture-of">Of</label>
      <select id="picture-of" v-model="wantsAll" class="field">
        <option :value="false">this pane</option>
        <option :value="true">all panes</option>
      </select>
    </template>
    <label for="picture-width">Size</label>
    <span class="flex items-center gap-1">
      <input
        v-if="unit === '× stage'"
        v-model.number="times"
        type="number"
        min="0.1"
        step="any"
        class="num field w-16"
        aria-label="Times the stage"
      />
      <template v-else>
        <input id="picture-width" v-model.number="width" type="number" min="1" class="num field w-12 px-1!" aria-label="Width" />
        <span class="whitespace-nowrap">{{ isOnlyPart ? '× ≤' : '×' }}</span>
        <input v-if="isOnlyPart" v-model.number="highest" type="number" min="1" class="num field w-12 px-1!" aria-label="Greatest height" />
        <input v-else v-model.number="height" type="number" min="1" class="num field w-12 px-1!" aria-label="Height" />
      </template>
      <select v-model="unit" class="field w-[72px] px-1!" aria-label="Unit of the size">
        <option>mm</option>
        <option>px</option>
        <option>× stage</option>
      </select>
    </span>
    <template v-if="unit !== '× stage'">
      <label for="picture-dpi">Resolution</label>
      <span><input id="picture-dpi" v-model.number="dpi" type="number" min="20" max="2400" class="num field w-16" /> dpi</span>
    </template>
    <span v-if="!isOfAll">Cropped</span>
    <span v-if="!isOfAll" class="flex items-center justify-between"
      ><label class="flex items-center gap-1"><input v-model="isCropped" type="checkbox" class="accent-pine" /> to what is drawn</label>
      <span v-if="isCropped"
        >+ <input v-model.number="margin" type="number" min="0" class="num field h-6 w-12 px-1!" aria-label="Margin in points" /> pt</span
      ></span
    >
    <label for="picture-type">Type, lines</label>
    <select id="picture-type" v-model="isScaled" class="field w-full min-w-0">
      <option :value="false">keep their points</option>
      <option :value="true">grow with the picture</option>
    </select>
    <label for="picture-ground">Ground</label>
    <span class="flex items-center gap-1">
      <select id="picture-ground" v-model="ground" class="field min-w-0 flex-1">
        <option value="white">white</option>
        <option value="transparent">transparent</option>
        <option value="stage">as on the stage</option>
        <option value="own">its own</option>
      </select>
      <input
        v-if="ground === 'own'"
        v-model="ownGround"
        type="color"
        aria-label="Colour of the ground"
        class="h-6 w-9 rounded border border-line"
      />
    </span>
    <span>Legend</span>
    <label><input v-model="hasLegend" type="checkbox" class="accent-pine" /> with legends and remarks</label>
    <span />
    <span class="num text-mute">{{ madeText }}</span>
    <span class="col-span-2 flex items-center gap-1.5">
      <button type="submit" class="act" :disabled="isBusy">Save PNG</button>
      <button v-if="!isOfAll" type="button" class="quiet" :disabled="isBusy" @click="take('jpeg')">Save JPEG</button>
      <button type="button" class="quiet" :disabled="isBusy" @click="take('clipboard')">Copy</button>
    </span>
    <span v-if="progress !== null" class="col-span-2 flex items-center gap-2"
      ><span class="num">{{ Math.round(100 * progress) }} %</span
      ><button type="button" class="quiet" @click="abort?.abort()">Cancel</button></span
    >
    <p v-if="done" role="status" class="col-span-2 text-mute">{{ done }}</p>
    <p v-if="isComputing" class="col-span-2 text-amber-text">Something is still being computed; the picture waits for it.</p>
    <p v-if="!isPossible" class="col-span-2 text-brick">A side is 16 to {{ MAX_SIDE }} pixels, the resolution 20 to 2400 dpi.</p>
    <p v-if="problem" role="alert" class="col-span-2 text-brick">{{ problem }}</p>
  </form>
</template>
