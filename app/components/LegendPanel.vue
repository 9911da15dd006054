<script setup lang="ts">
/** How a legend looks: its title, numbers, size, ground, levels; and whether its colours are locked. */
import { X } from 'lucide-vue-next'
import { numberFormats } from '~~/core/colour/ticks'
import type { LegendOptions } from '~~/core/study/studyModel'
import { LEGEND_LENGTH, LEGEND_TYPE } from '~~/stage/legend'
import type { LegendSpec } from '~~/stage/legend'
import type { Rect } from '~~/stage/legendPlaces'
import { keepInside } from '~/composables/keepInside'
import ChoiceRow from './ChoiceRow.vue'
import TokenNumber from './tokens/TokenNumber.vue'
import TokenNumbers from './tokens/TokenNumbers.vue'

const props = defineProps<{ spec: LegendSpec; rect: Rect }>()
const emit = defineEmits<{ close: [] }>()
const bench = useBench()
const acts = useLegendActs(bench, () => props.spec)
const box = ref<HTMLElement>()

const look = computed(() => bench.current.value?.steps[props.spec.steps[0] ?? '']?.look)
const isLocked = computed(() => look.value?.range.mode === 'locked')
const storedTicks = computed(() => bench.document.value?.legends?.[props.spec.variable]?.ticks)
/** In the unit of the file, as tokens take them. */
const meta = computed(() => bench.evaluated.results.value.get(props.spec.steps[0] ?? '')?.valuesMeta)
const formats = numberFormats.map((value) => ({ value, label: value }))
const ways = [
  { value: false, label: 'upright' },
  { value: true, label: 'lying' },
]
const grounds = [
  { value: undefined, label: 'none' },
  { value: 'white', label: 'white' },
  { value: 'stage', label: 'stage' },
] as const

/** Beside the legend, where there is room for it; in panes that are lower than the panel it reaches out of them. */
const WIDTH = 264
const place = computed(() => ({ left: props.rect.x > WIDTH + 12 ? `${-WIDTH - 8}px` : `${props.rect.width + 8}px` }))
onMounted(() =>
  watch([() => props.rect, () => look.value?.levels, storedTicks], () => keepInside(box.value ?? null), { immediate: true, flush: 'post' }),
)

function set(own: { [K in keyof LegendOptions]?: LegendOptions[K] | undefined }): void {
  acts.change(own)
}

onMounted(() => box.value?.querySelector<HTMLElement>('input')?.focus())
</script>

<template>
  <div
    ref="box"
    class="pop absolute top-0 z-10 grid w-[264px] grid-cols-[64px_1fr] items-center gap-x-2 gap-y-1.5 p-3! text-[12px] text-ink"
    :style="place"
    role="dialog"
    :aria-label="`Legend of ${spec.name}`"
    @pointerdown.stop
    @dblclick.stop
    @keydown.stop="($event) => $event.key === 'Escape' && emit('close')"
  >
    <span class="col-span-2 flex items-center font-semibold"
      >Legend of {{ spec.name
      }}<button type="button" class="icon ml-auto size-5!" aria-label="Close" @click="emit('close')"><X :size="13" /></button
    ></span>
    <span class="text-mute">Title</span>
    <input
      class="field min-w-0"
      :value="spec.title ?? ''"
      :placeholder="spec.name"
      aria-label="Title"
      title="Lowered and raised by _ and ^, Greek by name: U_ref, m^2, \rho"
      maxlength="120"
      @change="set({ title: ($event.target as HTMLInputElement).value.trim() || undefined })"
    />
    <span class="text-mute">Numbers</span>
    <select
      class="field min-w-0"
      :value="spec.format ?? 'auto'"
      aria-label="Format of the numbers"
      @change="set({ format: ($event.target as HTMLSelectElement).value as LegendOptions['format'] })"
    >
      <option v-for="format in formats" :key="format.value" :value="format.value">{{ format.label }}</option>
    </select>
    <span class="text-mute">Digits</span>
    <span>
      <TokenNumber
        :value="spec.digits ?? (spec.format && spec.format !== 'auto' ? 2 : 4)"
        unit=""
        title="Digits"
        is-whole
        @commit="(v) => set({ digits: Math.min(12, Math.max(0, v)) })"
      />
    </span>
    <span class="text-mute">Ticks</span>
    <span v-if="storedTicks && meta">
      <TokenNumbers
        :value="storedTicks"
        :unit="meta.unit ?? ''"
        title="Places of the ticks"
        @commit="(ticks) => set({ ticks: [...ticks].sort((a, b) => a - b) })"
      />{{ ' ' }}
      <button type="button" class="text-pine underline" @click="set({ ticks: undefined })">round ones</button>
    </span>
    <span v-else
      >about
      <TokenNumber
        :value="spec.nTicks ?? 5"
        unit=""
        title="Number of ticks"
        is-whole
        @commit="(v) => set({ nTicks: Math.min(30, Math.max(2, v)) })"
      />{{ ' ' }}
      <button v-if="meta" type="button" class="text-pine underline" @click="set({ ticks: acts.roundTicks() })">place them by hand</button>
    </span>
    <span class="text-mute">Size</span>
    <span>
      type
      <TokenNumber
        :value="spec.size ?? LEGEND_TYPE"
        unit="pt"
        title="Type size"
        @commit="(v) => set({ size: Math.min(60, Math.max(4, v)) })"
      />, bar
      <TokenNumber
        :value="spec.length ?? LEGEND_LENGTH"
        unit="pt"
        title="Length of the bar"
        @commit="(v) => set({ length: Math.min(2000, Math.max(40, v)) })"
      />
    </span>
    <span class="text-mute">Stands</span>
    <ChoiceRow
      label="Stands"
      :choices="ways"
      :value="spec.isLying ?? false"
      @choose="(isLying) => set({ isLying: isLying || undefined, place: undefined })"
    />
    <span class="text-mute">Ground</span>
    <ChoiceRow label="Ground of the legend" :choices="grounds" :value="spec.ground" @choose="(ground) => set({ ground })" />
    <span />
    <label class="flex items-center gap-1.5"
      ><input type="checkbox" class="accent-pine" :checked="spec.hasFrame" @change="set({ hasFrame: !spec.hasFrame || undefined })" /> with
      a frame</label
    >
    <template v-if="meta">
      <span class="text-mute">Levels</span>
      <span v-if="look?.levels">
        <TokenNumbers
          :value="look.levels"
          :unit="meta.unit ?? ''"
          title="Levels"
          @commit="(levels) => acts.keepLevels(levels, 'List levels')"
        />{{ ' ' }}
        <button type="button" class="text-pine underline" @click="acts.clearLevels()">none</button>
      </span>
      <button v-else type="button" class="justify-self-start text-pine underline" @click="acts.setLevels(acts.begun(), 'List levels')">
        list them, to move, add and take out
      </button>
      <span class="text-mute">Range</span>
      <button
        type="button"
        class="justify-self-start text-pine underline"
        title="The same colours for the same values in all steps, moments and cases"
        @click="isLocked ? acts.unlock() : acts.lock()"
      >
        {{ isLocked ? 'locked; unlock it' : 'lock it everywhere' }}
      </button>
    </template>
    <span class="col-span-2 flex gap-3">
      <button v-if="spec.place" type="button" class="text-pine underline" @click="set({ place: undefined })">Find room by itself</button>
      <button type="button" class="text-pine underline" @click="(set({ isHidden: true }), emit('close'))">Hide</button>
    </span>
  </div>
</template>
