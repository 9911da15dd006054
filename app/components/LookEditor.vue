<script setup lang="ts">
/** How a step is drawn: range, colours, bands, edges, opacity. All of it without a request to the server. */
import { formWords } from '~~/core/study/lookWords'
import { edgeForms, lineForms, pointLabels } from '~~/core/study/studyModel'
import type { Look, Step } from '~~/core/study/studyModel'
import { formatNumber } from '~~/core/colour/ticks'
import { DOT_WIDTHS, MOST_LABELLED } from '~~/stage/StageObject'
import { hasHalo } from '~/composables/useStageObjects'
import ChoiceRow from './ChoiceRow.vue'
import LookColours from './LookColours.vue'
import TokenMenu from './tokens/TokenMenu.vue'
import TokenNumber from './tokens/TokenNumber.vue'

const props = defineProps<{ id: string; step: Step }>()
const bench = useBench()

const look = computed(() => props.step.look)
const result = computed(() => bench.evaluated.results.value.get(props.id))
const kind = computed(() => result.value?.geometry?.kind ?? 'surface')
const edgeChoices = edgeForms.map((value) => ({ value, label: value }))
const backChoices = (['shown', 'hidden'] as const).map((value) => ({ value, label: value }))
const formChoices = lineForms.map((value) => ({ value, label: formWords[value] }))
/** Values where there is a variable, names where the file has some. */
const labelChoices = computed(() => {
  const can = { value: look.value.variable !== null, name: result.value?.names !== null }
  const words = { value: 'values', name: 'names' }
  const offered = pointLabels.filter((what) => can[what]).map((what) => ({ value: what, label: words[what] }))
  return [{ value: 'none' as const, label: 'none' }, ...offered]
})
const canLabel = computed(() => labelChoices.value.length > 1 && (result.value?.geometry?.points.length ?? 0) / 3 <= MOST_LABELLED)
const widths = [
  { value: 'screen', label: 'on the screen', hint: 'the same at any zoom' },
  { value: 'model', label: 'in the model', hint: 'grows with it' },
]

/** A width to begin with: a three-hundredth of what is there. */
function modelWidth(): number {
  const box = result.value?.shape?.box
  return box ? Number((Math.hypot(...[0, 1, 2].map((d) => box[d + 3]! - box[d]!)) / 300).toPrecision(1)) : 0.01
}

/** CSS pixels of a millimetre. */
const MM = 96 / 25.4
/** Spacing of arrows on the screen as it is looked at now. */
const apart = computed(() => {
  void bench.view.camera
  const scale = bench.evaluated.stage.value?.eye.scale()
  const spacing = result.value?.shape?.arrows?.spacing
  return scale && spacing ? Number(((spacing * scale) / MM).toPrecision(3)) : null
})

/** From then on they are so far apart in the model. */
function setApart(mm: number): void {
  const scale = bench.evaluated.stage.value?.eye.scale()
  if (!scale || !(mm > 0)) return
  bench.edits.changeSettings(props.id, { placing: 'spacing', spacing: Number(((mm * MM) / scale).toPrecision(4)) })
}

const isRimmed = computed(() => hasHalo(props.step))

function set(change: { [K in keyof Look]?: Look[K] | undefined }): void {
  bench.edits.changeLook(props.id, change)
}
</script>

<template>
  <div class="mt-2 grid grid-cols-[56px_1fr] items-center gap-x-2 gap-y-1.5 text-[12px]" @click.stop>
    <LookColours v-if="look.variable" :id="id" :step="step" />
    <template v-else>
      <span class="text-mute">Colour</span>
      <input
        type="color"
        :value="look.plain"
        aria-label="Plain colour"
        class="h-5 w-12 rounded border border-line"
        @change="set({ plain: ($event.target as HTMLInputElement).value })"
      />
    </template>
    <template v-if="kind === 'surface'">
      <span class="text-mute">Edges</span>
      <ChoiceRow label="Edges" :choices="edgeChoices" :value="look.edges" @choose="(edges) => set({ edges })" />
      <span class="text-mute">Back</span>
      <ChoiceRow
        label="Faces seen from behind"
        :choices="backChoices"
        :value="look.isOneSided ? 'hidden' : 'shown'"
        @choose="(back) => set({ isOneSided: back === 'hidden' || undefined })"
      />
      <span class="text-mute">Opacity</span>
      <input
        type="range"
        min="0.05"
        max="1"
        step="0.05"
        :value="look.opacity"
        aria-label="Opacity"
        class="w-36 accent-pine"
        @change="set({ opacity: Number(($event.target as HTMLInputElement).value) })"
        @keydown.left.stop
        @keydown.right.stop
        @keydown.up.stop
        @keydown.down.stop
      />
    </template>
    <template v-else-if="kind === 'lines'">
      <span class="text-mute">Width</span>
      <span>
        <TokenNumber
          v-if="look.thickness === undefined"
          :value="look.width"
          unit="pt"
          title="Line width"
          @commit="(v) => set({ width: Math.min(50, Math.max(0.1, v)) })"
        />
        <TokenNumber
          v-else
          :value="look.thickness"
          :unit="bench.cases.lengthUnit.value"
          title="Line width"
          @commit="(v) => v > 0 && set({ thickness: v })"
        />
        {{ ' ' }}
        <TokenMenu
          :label="look.thickness === undefined ? 'on the screen' : 'in the model'"
          title="Width counts"
          :choices="widths"
          :selected="[look.thickness === undefined ? 'screen' : 'model']"
          @choose="([where]) => set({ thickness: where === 'model' ? modelWidth() : undefined })"
        />
      </span>
      <span class="text-mute">Form</span>
      <span class="flex items-center gap-2">
        <ChoiceRow label="Form of lines" :choices="formChoices" :value="look.form ?? 'flat'" @choose="(form) => set({ form })" />
        <label v-if="look.form !== 'ribbon'" class="flex items-center gap-1"
          ><input type="checkbox" class="accent-pine" :checked="isRimmed" @change="set({ hasHalo: !isRimmed })" /> rim</label
        >
      </span>
    </template>
    <template v-else-if="!result?.shape?.arrows">
      <span class="text-mute">Size</span>
      <TokenNumber
        :value="DOT_WIDTHS * look.width"
        unit="pt"
        title="Size of the dots"
        @commit="(v) => set({ width: Math.min(50, Math.max(0.1, v / DOT_WIDTHS)) })"
      />
      <span v-if="canLabel" class="text-mute">Labels</span>
      <ChoiceRow
        v-if="canLabel"
        label="Labels"
        :choices="labelChoices"
        :value="look.labels ?? 'none'"
        @choose="(what) => set({ labels: what === 'none' ? undefined : what })"
      />
    </template>
    <template v-else-if="apart !== null">
      <span class="text-mute">Apart</span>
      <span>
        <TokenNumber :value="apart" unit="" title="Millimetres between arrows on the picture" @commit="setApart" /> mm on a picture as large
        as the stage
      </span>
    </template>
    <template v-if="result?.valuesMeta?.nonFinite">
      <span />
      <span class="text-amber-text">{{ formatNumber(result.valuesMeta.nonFinite) }} values are not finite, drawn grey.</span>
    </template>
  </div>
</template>
