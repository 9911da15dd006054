<script setup lang="ts">
/** What the case has over time, and which moment is shown. */
import { Pause, Play, SkipBack, SkipForward } from 'lucide-vue-next'
import { useIntervalFn } from '@vueuse/core'
import { formatNumber } from '~~/core/colour/ticks'

const bench = useBench()
const moments = computed(() => bench.catalogue.value?.moments ?? [])
const now = computed(() => moments.value[bench.view.moment])
const label = computed(() => (now.value?.value == null ? (now.value?.label ?? '') : `${formatNumber(now.value.value)} ${now.value.unit ?? ''}`))

const { isActive, pause, resume } = useIntervalFn(() => {
  // the next one only when this one is drawn: nothing is skipped
  if (!bench.isComputing.value) go(1)
}, 250, { immediate: false })

function go(by: number): void {
  const n = moments.value.length
  bench.view.moment = (bench.view.moment + by + n) % n
}
</script>

<template>
  <div class="flex h-[42px] shrink-0 items-center gap-2 border-t border-line bg-panel px-3.5 text-[12px]" aria-label="Moments">
    <template v-if="moments.length > 1">
      <button type="button" class="icon" aria-label="Previous moment" @click="go(-1)"><SkipBack :size="15" /></button>
      <button type="button" class="icon" :aria-label="isActive ? 'Pause' : 'Play'" @click="isActive ? pause() : resume()"><Pause v-if="isActive" :size="15" /><Play v-else :size="15" /></button>
      <button type="button" class="icon" aria-label="Next moment" @click="go(1)"><SkipForward :size="15" /></button>
      <span class="num w-28"><b class="font-medium">t = {{ label }}</b></span>
      <input v-model.number="bench.view.moment" type="range" min="0" :max="moments.length - 1" class="flex-1 accent-pine" aria-label="Moment" :aria-valuetext="label" />
      <span class="num text-mute">{{ bench.view.moment + 1 }} of {{ moments.length }}</span>
    </template>
    <template v-else>
      <b class="font-medium">steady</b><span class="text-mute">one moment</span><span class="mx-2 h-px flex-1 bg-line" />
    </template>
  </div>
</template>
