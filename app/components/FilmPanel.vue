<script setup lang="ts">
/** Saves a film of what the stage goes through: moments, a turn, values of a setting. It goes picture by picture: nothing is skipped. */
import { promiseTimeout } from '@vueuse/core'
import { Plus, X } from 'lucide-vue-next'
import { endingOf, filmFormats } from '~~/core/study/film'
import type { FilmFormat, FilmLeg } from '~~/core/study/film'
import type { Annotations } from '~~/stage/annotations'
import { newFilm } from '~~/stage/film'
import type { FilmWriter } from '~~/stage/film'
import type { LegendSpec } from '~~/stage/legend'
import type { Stage } from '~~/stage/Stage'
import { stepKind } from '~~/core/steps'
import { isSeen } from '~~/core/study/studyModel'
import type { FilmFrame } from '~/composables/useFilm'
import TokenNumber from './tokens/TokenNumber.vue'

const props = defineProps<{
  stage: Stage
  legends: LegendSpec[]
  remarks: string[]
  annotations: () => Annotations
  /** Made at once, in this format, as soon as all is there. */
  unattended?: FilmFormat
}>()
const emit = defineEmits<{ begin: [] }>()
const bench = useBench()
const { film, set, legs, choices, keyOf, countOf, count, newTurn, run } = useFilm()
const { pictureOf } = useFilmPictures()
const { isPossible: hasPanes } = usePanesPicture()

const formatNames: Record<FilmFormat, string> = { mp4: 'MP4', webm: 'WebM', gif: 'GIF', png: 'PNGs, numbered, in a ZIP' }
const sizes = [
  [640, 360],
  [960, 540],
  [1280, 720],
  [1920, 1080],
] as const
/** What nothing is computed in twice is all there. */
const QUIET_MS = 700
const done = ref<number | null>(null)
const problem = ref('')
let abort: AbortController | undefined

const seconds = computed(() => count.value / film.value.rate)
const charts = computed(() => bench.charts.charts.value.map(({ id, exhibit }) => ({ id, name: exhibit.name })))
const chart = computed(() => (charts.value.some(({ id }) => id === film.value.chart) ? film.value.chart : undefined))
/** Ranges that follow the moment make equal colours mean other values from picture to picture. */
const moving = computed(() => props.legends.filter((legend) => legend.isOfMoment))

function choose(at: number, key: string): void {
  const found = choices.value.find((choice) => choice.key === key)
  if (found) set({ legs: legs.value.map((leg, i) => (i === at ? found.leg : leg)) })
}

function change(at: number, part: Partial<FilmLeg>): void {
  set({ legs: legs.value.map((leg, i) => (i === at ? ({ ...leg, ...part } as FilmLeg) : leg)) })
}

function setRate(text: string): void {
  const rate = Math.round(Number(text))
  if (rate >= 1 && rate <= 60) set({ rate })
}

const few = (n: number): number => Math.min(100, Math.max(0, Math.round(n)))
const hasPaths = computed(() =>
  Object.values(bench.document.value?.steps ?? {}).some((step) => isSeen(step) && stepKind(step.kind).atTime?.(step.settings, 0)),
)
const whole = (n: number): number => Math.min(10_000, Math.max(1, Math.round(n)))

async function go(take: (frame: FilmFrame) => Promise<void>): Promise<boolean> {
  problem.value = ''
  done.value = 0
  abort = new AbortController()
  const legends = () => props.legends
  try {
    await run(props.stage, legends, abort.signal, async (frame, n) => {
      await take(frame)
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
  await go(() => new Promise((resolve) => setTimeout(resolve, 1000 / film.value.rate)))
}

async function save(format = film.value.format): Promise<void> {
  const [width, height] = film.value.size
  const { rate } = film.value
  let writer: FilmWriter | undefined
  const isMade = await go(async (frame) => {
    writer ??= await newFilm({ width, height, rate, format })
    await writer.add(await pictureOf(film.value, props, frame))
  })
  if (isMade && writer) saveAs(await writer.finish(), `${bench.document.value?.name ?? 'film'}.${endingOf(format)}`)
  else await writer?.cancel().catch(() => undefined)
}

onMounted(async () => {
  if (!props.unattended) return
  const { cases, evaluated } = bench
  // what is asked for begins only after a while
  for (let quiet = 0; quiet < 2; await promiseTimeout(QUIET_MS)) quiet = cases.ready.value && !evaluated.isComputing.value ? quiet + 1 : 0
  emit('begin')
  await save(props.unattended)
})
</script>

<template>
  <form
    class="grid grid-cols-[64px_minmax(0,1fr)] items-center gap-x-2 gap-y-2 text-[12px]"
    aria-label="Save a film"
    @submit.prevent="save()"
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
        <button
          v-if="legs.length > 1"
          type="button"
          class="icon"
          :aria-label="`Leave out part ${i + 1}`"
          @click="set({ legs: legs.filter((_, k) => k !== i) })"
        >
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
          <label class="ml-1 inline-flex items-center gap-1 whitespace-nowrap"
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
    <button type="button" class="quiet flex items-center gap-1 justify-self-start" @click="set({ legs: [...legs, newTurn()] })">
      <Plus :size="14" /> then something else
    </button>
    <label for="film-format">Format</label>
    <select
      id="film-format"
      :value="film.format"
      class="field"
      @change="set({ format: ($event.target as HTMLSelectElement).value as FilmFormat })"
    >
      <option v-for="f in filmFormats" :key="f" :value="f">{{ formatNames[f] }}</option>
    </select>
    <label for="film-size">Size</label>
    <select
      id="film-size"
      :value="sizes.findIndex(([w]) => w === film.size[0])"
      class="field num"
      @change="set({ size: [...sizes[Number(($event.target as HTMLSelectElement).value)]!] })"
    >
      <option v-for="([w, h], i) in sizes" :key="w" :value="i">{{ w }} × {{ h }}</option>
    </select>
    <label for="film-rate">Rate</label>
    <span
      ><input
        id="film-rate"
        :value="film.rate"
        type="number"
        min="1"
        max="60"
        class="field num w-14"
        @change="setRate(($event.target as HTMLInputElement).value)"
      />
      pictures a second</span
    >
    <template v-if="charts.length">
      <label for="film-chart">Beside</label>
      <select
        id="film-chart"
        :value="chart ?? ''"
        class="field min-w-0"
        @change="set({ chart: ($event.target as HTMLSelectElement).value || undefined })"
      >
        <option value="">no chart</option>
        <option v-for="own in charts" :key="own.id" :value="own.id">chart {{ own.name }}</option>
      </select>
    </template>
    <span>With</span>
    <span class="flex flex-wrap gap-x-3"
      ><label
        ><input type="checkbox" class="accent-pine" :checked="film.hasLegend" @change="set({ hasLegend: !film.hasLegend })" /> legend</label
      ><label
        ><input type="checkbox" class="accent-pine" :checked="film.hasCaption" @change="set({ hasCaption: !film.hasCaption })" /> moment or
        value</label
      ><label v-if="hasPanes"
        ><input type="checkbox" class="accent-pine" :checked="film.hasAllPanes" @change="set({ hasAllPanes: !film.hasAllPanes })" /> all
        panes</label
      ></span
    >
    <span />
    <span class="num text-mute"
      >{{ count }} {{ legs.length === 1 && legs[0]!.is === 'moments' ? 'moments' : 'pictures' }}, {{ seconds.toFixed(1) }} s</span
    >
    <span />
    <span class="flex items-center gap-2">
      <template v-if="done === null">
        <button type="submit" class="act" :disabled="!countOf(legs[0]!)">Save film</button>
        <button type="button" class="quiet" @click="preview">Look at it first</button>
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
