<script setup lang="ts">
/** Drags the value of an isosurface through the range of its variable over the whole case. */
import { formatNumber } from '~~/core/colour/ticks'
import { inDisplay } from '~~/core/units/quantities'
import type { Step } from '~~/core/study/studyModel'

const props = defineProps<{ id: string; step: Step }>()
const bench = useBench()

const settings = computed(() => props.step.settings as { variable: string; value: number })
const range = computed(() => {
  const look = { ...props.step.look, variable: settings.value.variable, range: { mode: 'moment' as const, min: 0, max: 1 } }
  return bench.evaluated.ranges.resolve(look, undefined)
})

function inUnit(value: number): string {
  return formatNumber(inDisplay(bench.units.display(bench.variables.unitOf(settings.value.variable)), value), 3)
}

function valueOf(event: Event): number {
  return Number(Number((event.target as HTMLInputElement).value).toPrecision(4))
}
</script>

<template>
  <label v-if="range.isReady && range.max > range.min" class="mt-1 flex items-center gap-2 text-[12px] text-mute" @click.stop>
    <span class="num">{{ inUnit(range.min) }}</span>
    <input
      type="range"
      class="min-w-0 flex-1 accent-pine"
      :min="range.min"
      :max="range.max"
      :step="(range.max - range.min) / 200"
      :value="settings.value"
      :aria-label="`Value of ${step.name}`"
      @input="bench.edits.draftSettings(id, { value: valueOf($event) })"
      @change="bench.edits.changeSettings(id, { value: valueOf($event) })"
      @keydown.left.stop
      @keydown.right.stop
      @keydown.up.stop
      @keydown.down.stop
    />
    <span class="num">{{ inUnit(range.max) }}</span>
  </label>
</template>
