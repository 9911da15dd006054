<script setup lang="ts">
/** Drags a value of a variable through the range of the variable over the whole case, or a share from 0 to 1. */
import { formatNumber } from '~~/core/colour/ticks'
import { inDisplay } from '~~/core/units/quantities'
import type { Handle } from '~~/core/steps/offers'
import type { Step } from '~~/core/study/studyModel'

const props = defineProps<{ id: string; step: Step; handle: Handle & { handle: 'value' | 'share' } }>()
const bench = useBench()

const value = computed(() => Number(props.step.settings[props.handle.setting]))
const range = computed(() => {
  if (props.handle.handle === 'share') return { isReady: true, min: 0, max: 1 }
  const look = { ...props.step.look, variable: props.handle.variable, range: { mode: 'moment' as const, min: 0, max: 1 } }
  return bench.evaluated.ranges.resolve(look, undefined)
})

function inUnit(value: number): string {
  if (props.handle.handle === 'share') return formatNumber(value, 3)
  return formatNumber(inDisplay(bench.units.display(bench.variables.unitOf(props.handle.variable)), value), 3)
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
      :value="value"
      :aria-label="handle.handle === 'share' ? handle.title : `Value of ${step.name}`"
      @input="bench.edits.draftSettings(id, { [handle.setting]: valueOf($event) })"
      @change="bench.edits.changeSettings(id, { [handle.setting]: valueOf($event) })"
      @keydown.left.stop
      @keydown.right.stop
      @keydown.up.stop
      @keydown.down.stop
    />
    <span class="num">{{ inUnit(range.max) }}</span>
  </label>
</template>
