<script setup lang="ts">
/** Saves a film of what the stage goes through: moments, a turn, values of a setting. It goes picture by picture: nothing is skipped. */
import { Plus, X } from 'lucide-vue-next'
import type { Annotations } from '~~/stage/annotations'
import { captionOn, endingOf, filmFormats, newFilm } from '~~/stage/film'
import type { FilmFormat, FilmWriter } from '~~/stage/film'
import type { LegendSpec } from '~~/stage/legend'
import { drawPicture } from '~~/stage/picture'
import type { Stage } from '~~/stage/Stage'
import { stepKind } from '~~/core/steps'
import { isSeen } from '~~/core/study/studyModel'
import type { FilmLeg } from '~/composables/useFilm'
import TokenNumber from './tokens/TokenNumber.vue'

const props = defineProps<{ stage: Stage; legends: LegendSpec[]; remarks: string[]; annotations: () => Annotations }>()
const bench = useBench()
const { legs, choices, keyOf, countOf, count, newTurn, run } = useFilm()

const formatNames: Record<FilmFormat, string> = { mp4: 'MP4', webm: 'WebM', gif: 'GIF', png: 'PNGs, numbered, in a ZIP' }
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
const hasCaption = ref(true)
const done = ref<number | null>(null)
const problem = ref('')
let abort: AbortController | undefined

const seconds = computed(() => count.value / rate.value)
const isPossible = computed(() => rate.value >= 1 && rate.value <= 60)
/** Ranges that follow the moment make equal colours mean other values from picture to picture. */
const moving = computed(() => props.legends.filter((legend) => legend.isOfMoment))

function choose(i: number, key: string): void {
  const found = choices.value.find((choice) => choice.key === key)
  if (found) legs.value[i] = { ...found.leg }
}

function change(i: number, part: Partial<FilmLeg>): void {
  legs.value[i] = { ...legs.value[i]!, ...part } as FilmLeg
}

const few = (n: number): number => Math.min(100, Math.max(0, Math.round(n)))
const hasPaths = computed(() =>
  Object.values(bench.document.value?.steps ?? {}).some((step) => isSeen(step) && stepKind(step.kind).atTime?.(step.settings, 0)),
)
const whole = (n: number): number => Math.min(10_000, Math.max(1, Math.round(n)))

async function go(take: (caption: string) => Promise<void>): Promise<boolean> {
  problem.value = ''
  done.value = 0
  abort = new AbortController()
  const legends = () => props.legends
  try {
    await run(props.stage, legends, abort.signal, async (caption, n) => {
      await take(caption)
      done.value = n
    })
    return true
  } catch (error) {
    if ((error as Error).name !== 'AbortError') problem.value = `The film could not be made: ${(error as Error).message}`
    return false
  } finally {
    done.value = null
  }
}

/** Goes through it once at its rate, as far as pictures come so fast. */
async function preview(): Promise<void> {
  await go(() => new Promise((resolve) => setTimeout(resolve, 1000 / rate.value)))
}

async function save(): Promise<void> {
  const [width, height] = sizes[size.value]!
  let film: FilmWriter | undefined
  const isMade = await go(async (caption) => {
    film ??= await newFilm({ width, height, rate: rate.value, format: format.value })
    const pixels = drawPicture(props.stage, {
      ...{ width, height, dpi: 96, ground: 'white' as const },
      legends: hasLegend.value ? props.legends : [],
      remarks: hasLegend.value ? props.remarks : [],
      annotations: props.annotations(),
    })
    if (hasCaption.value && caption) captionOn(pixels, width, height, caption, 96)
    await film.add(pixels)
  })
  if (isMade && film) saveAs(await film.finish(), `${bench.document.value?.name ?? 'film'}.${endingOf(format.value)}`)
  else await film?.cancel().catch(() => undefined)
}
</script>

<template>
  <form
    class="grid grid-cols-[64px_minmax(0,1fr)] items-center gap-x-2 gap-y-2 text-[12px]"
    aria-label="Save a film"
    @submit.prevent="save"
  >
    <template v-for="(leg, i) in legs" :key="i">
      <label :for="`film-leg-${i}`">{{ i ? 'then' : 'Of' }}</label>
      <span class="flex items-center gap-1">
        <select
          :id="`film-leg-${i}`"
          :value="keyOf(leg)"
          class="field min-w-0 grow"
          @change="choose(i, ($event.target as HTMLSelectElement).value)"
        >
          <option v-for="{ key, label } in choices" :key="key" :value="key">{{ label }}</option>
        </select>
        <button v-if="legs.length > 1" type="button" class="icon" :aria-label="`Leave out part ${i + 1}`" @click="legs.splice(i, 1)">
          <X :size="14" />
        </button>
      </span>
      <template v-if="leg.is !== 'moments' || hasPaths">
        <span />
        <span v-if="leg.is === 'moments'">
          with
          <TokenNumber :value="leg.between" unit="" title="Pictures between" is-whole @commit="(v) => change(i, { between: few(v) })" />
          pictures between two moments, of what follows paths
        </span>
        <span v-else-if="leg.is === 'turn'">
          by <TokenNumber :value="leg.degrees" unit="" title="Degrees" @commit="(v) => change(i, { degrees: v })" />° in
          <TokenNumber :value="leg.count" unit="" title="Pictures of the turn" is-whole @commit="(v) => change(i, { count: whole(v) })" />
          pictures
        </span>
        <span v-else>
          from
          <TokenNumber :value="leg.from" :unit="bench.over.unitOf(leg) ?? ''" title="First value" @commit="(v) => change(i, { from: v })" />
          to
          <TokenNumber :value="leg.to" :unit="bench.over.unitOf(leg) ?? ''" title="Last value" @commit="(v) => change(i, { to: v })" />
          in
          <TokenNumber :value="leg.count" unit="" title="Pictures of values" is-whole @commit="(v) => change(i, { count: whole(v) })" />
          pictures
          <label class="ml-1"
            ><input
              type="checkbox"
              class="accent-pine"
              :checked="leg.isBack"
              @change="change(i, { isBack: ($event.target as HTMLInputElement).checked })"
            />
            and back</label
          >
        </span>
      </template>
    </template>
    <span />
    <button type="button" class="quiet flex items-center gap-1 justify-self-start" @click="legs.push(newTurn())">
      <Plus :size="14" /> then something else
    </button>
    <label for="film-format">Format</label>
    <select id="film-format" v-model="format" class="field">
      <option v-for="f in filmFormats" :key="f" :value="f">{{ formatNames[f] }}</option>
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
      ><label><input v-model="hasCaption" type="checkbox" class="accent-pine" /> moment or value</label></span
    >
    <span />
    <span class="num text-mute"
      >{{ count }} {{ legs.length === 1 && legs[0]!.is === 'moments' ? 'moments' : 'pictures' }}, {{ seconds.toFixed(1) }} s</span
    >
    <span />
    <span class="flex items-center gap-2">
      <template v-if="done === null">
        <button type="submit" class="act" :disabled="!isPossible || !countOf(legs[0]!)">Save film</button>
        <button type="button" class="quiet" :disabled="!isPossible" @click="preview">Look at it first</button>
      </template>
      <template v-else
        ><span role="status" class="num">{{ done }} of {{ count }}</span
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
