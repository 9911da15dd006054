<script setup lang="ts">
/** How values become colours: range, map, bands or levels, what lies beyond, what is seen through. Without a request to the server. */
import { ChevronDown, ChevronRight } from 'lucide-vue-next'
import { colourAt, colourMaps } from '~~/core/colour/maps'
import { levelsByStep } from '~~/core/colour/scale'
import { mistakenBy } from '~~/core/colour/sight'
import { BANDS, noBands, rangeWords } from '~~/core/study/lookWords'
import { rangeModes } from '~~/core/study/studyModel'
import type { Look, Step } from '~~/core/study/studyModel'
import ChoiceRow from './ChoiceRow.vue'
import TokenMenu from './tokens/TokenMenu.vue'
import TokenNumber from './tokens/TokenNumber.vue'
import TokenNumbers from './tokens/TokenNumbers.vue'

const props = defineProps<{ id: string; step: Step }>()
const bench = useBench()

const look = computed(() => props.step.look)
const result = computed(() => bench.evaluated.results.value.get(props.id))
const range = computed(() => bench.evaluated.ranges.resolve(look.value, result.value, props.id))
/** Of what is hidden no values are there. */
const unit = computed(() => {
  const { variable } = look.value
  return result.value?.valuesMeta?.unit ?? (variable && bench.variables.unitOf(variable)) ?? ''
})
const maps = computed(() => [...colourMaps, ...bench.ownMaps.value])
/** What is rarely wanted unfolds. */
const isMore = ref(false)

type Banding = 'smooth' | 'count' | 'step' | 'listed'
const bandings: { value: Banding; label: string }[] = [
  { value: 'smooth', label: 'smooth' },
  { value: 'count', label: 'equal' },
  { value: 'step', label: 'by step' },
  { value: 'listed', label: 'levels' },
]
const banding = computed<Banding>(() =>
  look.value.levels ? 'listed' : look.value.bandStep !== undefined ? 'step' : look.value.bands ? 'count' : 'smooth',
)
const scales = [
  { value: false, label: 'linear' },
  { value: true, label: 'logarithmic' },
]
const fadeChoices = [
  { value: undefined, label: 'none' },
  { value: 'low', label: 'low' },
  { value: 'middle', label: 'middle' },
  { value: 'high', label: 'high' },
] as const
const beyondChoices = [
  { value: '', label: 'held at the end' },
  { value: 'own', label: 'a colour of its own' },
  { value: 'hidden', label: 'hidden' },
]
const blankChoices = [
  { value: '', label: 'grey' },
  { value: 'own', label: 'a colour of its own' },
  { value: 'hidden', label: 'hidden' },
]
const others = [
  { key: 'low', title: 'Below', choices: beyondChoices, colour: '#2B2B6F' },
  { key: 'high', title: 'Above', choices: beyondChoices, colour: '#8C1D18' },
  { key: 'blank', title: 'No value', choices: blankChoices, colour: '#F4D7E3' },
] as const

const mistaken = computed(() => mistakenBy((share) => colourAt(look.value.map, share, look.value.isReversed)))

function set(change: { [K in keyof Look]?: Look[K] | undefined }): void {
  bench.edits.changeLook(props.id, change)
}

/** Times that the range may be as wide as that of 98 % of the values. */
const WIDE = 5

/** Share of the range below which values differ by rounding alone, and a range of theirs would show that. */
const ROUNDING = 1e-6

/** Where a few values take most of the colours. */
const outliers = computed(() => {
  const middle = bench.evaluated.results.value.get(props.id)?.valuesMeta?.middle
  const { min, max, isReady } = range.value
  const isOwn = ['middle', 'hand', 'locked', 'view'].includes(look.value.range.mode) || look.value.isLog
  const [low, high] = [middle?.[0] ?? NaN, middle?.[1] ?? NaN]
  if (isOwn || !isReady || !(high - low > ROUNDING * (max - min)) || max - min <= WIDE * (high - low)) return ''
  const shown = [low, high].map((x) => bench.units.shown(x, unit.value, 4)).join(' to ')
  return `98 % of the values here lie in ${shown}: a few others take most of the colours.`
})

function setMode(mode: string): void {
  const { min, max } = range.value
  set({ range: { ...look.value.range, mode: mode as Look['range']['mode'], min, max } })
}

/** A locked range stays locked, and changes wherever it is. */
function setEnd(end: 'min' | 'max', value: number): void {
  const { min, max } = range.value
  if (look.value.range.mode === 'locked') bench.edits.moveLocked(look.value.variable!, { min, max, [end]: value })
  else set({ range: { ...look.value.range, mode: 'hand', min, max, [end]: value } })
}

function setBanding(to: Banding): void {
  const { min, max } = range.value
  const step = Number(((max - min) / 10).toPrecision(1)) || 1
  if (to === 'smooth') set(noBands)
  else if (to === 'count') set({ ...noBands, bands: BANDS })
  else if (to === 'step') set({ ...noBands, bandStep: step })
  else set({ ...noBands, levels: range.value.scale.levels ? [...range.value.scale.levels] : levelsByStep(step, min, max) })
}

function gradient(id: string): string {
  const stops = Array.from({ length: 11 }, (_, i) => `rgb(${colourAt(id, i / 10, look.value.isReversed).join(' ')})`)
  return `linear-gradient(90deg, ${stops.join()})`
}

const isHidden = computed(() => bench.current.value?.legends?.[look.value.variable ?? '']?.isHidden)

async function readMap({ target }: Event): Promise<void> {
  const input = target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (file) bench.edits.addMap(props.id, await file.text(), file.name)
}
</script>

<template>
  <span class="text-mute">Range</span>
  <span v-if="look.levels" class="num"
    >{{ bench.units.shown(range.min, unit) }} … {{ bench.units.shown(range.max, unit) }}<span class="text-mute">, by the levels</span></span
  >
  <span v-else>
    <TokenMenu
      :label="rangeWords[look.range.mode]"
      title="Range"
      :choices="rangeModes.map((value) => ({ value, label: rangeWords[value] }))"
      :selected="[look.range.mode]"
      @choose="([m]) => setMode(m!)"
    />
    {{ ' ' }}
    <template v-if="look.range.mode === 'symmetric'"
      >about
      <TokenNumber
        :value="look.range.about ?? 0"
        :unit="unit"
        is-unit-hidden
        title="Middle of the range"
        @commit="(about) => set({ range: { ...look.range, about } })"
      />:{{ ' ' }}</template
    >
    <TokenNumber :value="range.min" :unit="unit" is-unit-hidden title="Smallest" @commit="(v) => setEnd('min', v)" /> …
    <TokenNumber :value="range.max" :unit="unit" title="Largest" @commit="(v) => setEnd('max', v)" />
    <span v-if="!range.isReady" class="text-mute"> counting…</span>
    <span v-if="outliers" class="block text-amber-text">
      {{ outliers }}
      <button type="button" class="text-pine underline" @click="setMode('middle')">Take the middle 98 %</button>
    </span>
  </span>
  <span class="text-mute">Colours</span>
  <div role="radiogroup" aria-label="Colour map" class="grid grid-cols-6 gap-1">
    <button
      v-for="map in maps"
      :key="map.id"
      type="button"
      role="radio"
      :aria-checked="look.map === map.id"
      :aria-label="map.title"
      :title="map.title"
      class="h-3.5 rounded-sm"
      :class="look.map === map.id ? 'ring-2 ring-ink ring-offset-1 ring-offset-panel' : ''"
      :style="{ background: gradient(map.id) }"
      @click="set({ map: map.id })"
    />
  </div>
  <span class="text-mute">Bands</span>
  <div class="flex flex-wrap items-center gap-x-2 gap-y-1">
    <ChoiceRow label="Bands" :choices="bandings" :value="banding" @choose="setBanding" />
    <TokenNumber
      v-if="banding === 'count'"
      :value="look.bands"
      unit=""
      title="Number of bands"
      is-whole
      @commit="(v) => set({ bands: Math.min(256, Math.max(1, v)) })"
    />
    <TokenNumber
      v-else-if="banding === 'step'"
      :value="look.bandStep!"
      :unit="unit"
      title="Step of the bands"
      @commit="(v) => v > 0 && set({ bandStep: v })"
    />
    <TokenNumbers
      v-else-if="look.levels"
      :value="look.levels"
      :unit="unit"
      title="Levels"
      @commit="(levels) => levels.length > 1 && set({ levels })"
    />
  </div>
  <button
    type="button"
    class="col-span-2 flex items-center gap-1 text-mute hover:text-ink"
    :aria-expanded="isMore"
    @click="isMore = !isMore"
  >
    <ChevronDown v-if="isMore" :size="13" /><ChevronRight v-else :size="13" />
    Scale, beyond the range, seen through
  </button>
  <template v-if="isMore">
    <span class="text-mute">Scale</span>
    <span class="flex items-center gap-2">
      <ChoiceRow label="Scale" :choices="scales" :value="look.isLog ?? false" @choose="(isLog) => set({ isLog: isLog || undefined })" />
      <label class="flex items-center gap-1"
        ><input
          type="checkbox"
          class="accent-pine"
          :checked="look.isReversed"
          @change="set({ isReversed: !look.isReversed || undefined })"
        />
        reversed</label
      >
    </span>
    <template v-if="look.isLog && !look.levels && range.min <= 0">
      <span /><span class="text-amber-text">A logarithmic scale needs values above 0; give a smallest one.</span>
    </template>
    <template v-for="other in others" :key="other.key">
      <span class="text-mute">{{ other.title }}</span>
      <span class="flex items-center gap-2">
        <select
          class="field h-6 py-0!"
          :value="look[other.key] === undefined ? '' : look[other.key] === 'hidden' ? 'hidden' : 'own'"
          :aria-label="other.title"
          @change="
            set({
              [other.key]: { own: other.colour, hidden: 'hidden' }[($event.target as HTMLSelectElement).value as 'own'] as
                string | undefined,
            })
          "
        >
          <option v-for="choice in other.choices" :key="choice.value" :value="choice.value">{{ choice.label }}</option>
        </select>
        <input
          v-if="look[other.key] !== undefined && look[other.key] !== 'hidden'"
          type="color"
          :value="look[other.key]"
          :aria-label="`Colour: ${other.title}`"
          class="h-5 w-9 rounded border border-line"
          @change="set({ [other.key]: ($event.target as HTMLInputElement).value })"
        />
      </span>
    </template>
    <span class="text-mute">Fade out</span>
    <ChoiceRow label="Values that are seen through" :choices="fadeChoices" :value="look.fade" @choose="(fade) => set({ fade })" />
    <span class="text-mute">Own map</span>
    <label class="cursor-pointer text-pine underline focus-within:outline"
      >from a file<input
        type="file"
        accept=".json"
        class="sr-only"
        aria-label="A colour map of your own, as JSON with a title and colours"
        title="JSON: a title and a list of colours, as #rrggbb"
        @change="readMap"
    /></label>
  </template>
  <template v-if="isHidden">
    <span class="text-mute">Legend</span>
    <button type="button" class="justify-self-start text-pine underline" @click="bench.edits.showLegend(look.variable!)">
      hidden; show it
    </button>
  </template>
  <template v-if="mistaken.length && isMore">
    <span /><span class="text-amber-text"
      >Values far apart look alike with {{ mistaken.join(', ') }}; maps of one direction of lightness do not.</span
    >
  </template>
</template>
