<script setup lang="ts">
/** Where the scene is looked at from: named views, exact angles, turns, along a normal, and views that are kept in the study. */
import { Trash2 } from 'lucide-vue-next'
import type { Stage } from '~~/stage/Stage'
import { viewNames } from '~~/stage/views'
import type { Axis } from '~~/stage/views'
import type { Marks } from '~/composables/useMarks'
import ChoiceRow from './ChoiceRow.vue'
import TokenNumber from './tokens/TokenNumber.vue'

const props = defineProps<{ stage: Stage; drawn: number; marks: Marks }>()
const bench = useBench()
const axis = ref<Axis>('z')
const degrees = ref(35)

const angles = computed(() => {
  void props.drawn
  const { azimuth, elevation } = props.stage.eye.angles()
  const round = (x: number): number => Math.round(10 * x) / 10
  return { azimuth: round(azimuth), elevation: round(elevation) }
})

const projections = [
  { value: false, label: 'parallel' },
  { value: true, label: 'perspective' },
]
const angle = computed(() => {
  void props.drawn
  return props.stage.eye.angle
})

function setPerspective(is: boolean): void {
  if (is !== (angle.value !== undefined)) props.stage.eye.togglePerspective()
}

function setAngle(degrees: number): void {
  props.stage.eye.setAngle(Math.min(120, Math.max(1, degrees)))
}

const plane = selectedPlane(bench)
</script>

<template>
  <div class="grid gap-2 text-[12px] text-ink">
    <div class="grid grid-cols-3 gap-1">
      <button v-for="(name, i) in viewNames" :key="name" type="button" class="quiet flex px-1.5!" @click="stage.eye.view(name)">
        {{ name }}<span class="num ml-auto text-mute">{{ i + 1 }}</span>
      </button>
    </div>
    <button v-if="plane" type="button" class="quiet" @click="stage.eye.along(plane.normal)">Along the normal of {{ plane.name }}</button>
    <p>
      From
      <TokenNumber
        :value="angles.azimuth"
        unit=""
        title="Degrees about z from the front"
        @commit="(azimuth) => stage.eye.lookFrom({ ...angles, azimuth })"
      />° about z,
      <TokenNumber
        :value="angles.elevation"
        unit=""
        title="Degrees above the horizon"
        @commit="(elevation) => stage.eye.lookFrom({ ...angles, elevation })"
      />° up
    </p>
    <p class="flex items-center gap-1.5">
      <ChoiceRow label="Projection" :choices="projections" :value="angle !== undefined" @choose="setPerspective" />
      <span v-if="angle !== undefined"
        ><TokenNumber :value="angle" unit="" title="Degrees from the lower to the upper end of the view" @commit="setAngle" />°</span
      >
    </p>
    <form class="flex items-center gap-1" aria-label="Turn" @submit.prevent="stage.eye.turn(axis, degrees)">
      Turn about
      <select v-model="axis" class="field h-6 py-0!" aria-label="Axis">
        <option>x</option>
        <option>y</option>
        <option>z</option>
      </select>
      by <input v-model.number="degrees" type="number" step="any" class="num field h-6 w-16" aria-label="Degrees" />°
      <button type="submit" class="act h-6 py-0!">Turn</button>
    </form>
    <div class="border-t border-line pt-2">
      <div v-for="[id, view] in marks.views.value" :key="id" class="flex items-center">
        <button type="button" class="flex-1 truncate rounded px-1 py-0.5 text-left hover:bg-pine-wash" @click="marks.goToView(id)">
          {{ view.name }}
        </button>
        <button type="button" class="icon size-5! hover:text-brick!" :aria-label="`Delete ${view.name}`" @click="marks.removeView(id)">
          <Trash2 :size="12" />
        </button>
      </div>
      <button type="button" class="text-pine underline" @click="marks.keepView()">Keep this view</button>
    </div>
    <div class="grid gap-1 border-t border-line pt-2">
      <label class="flex items-center gap-1.5"
        ><input type="checkbox" class="accent-pine" :checked="marks.marks.value.hasBox" @change="marks.toggle('hasBox')" /> box with axes
        and units</label
      >
      <label class="flex items-center gap-1.5"
        ><input type="checkbox" class="accent-pine" :checked="marks.marks.value.hasRulers" @change="marks.toggle('hasRulers')" /> rulers
        along the edges</label
      >
      <label class="flex items-center gap-1.5" title="Corners and gaps are darker, so that depth is easier to see"
        ><input type="checkbox" class="accent-pine" :checked="marks.marks.value.hasOcclusion" @change="marks.toggle('hasOcclusion')" />
        ambient occlusion</label
      >
      <label class="flex items-center gap-1.5"
        ><input type="checkbox" class="accent-pine" :checked="marks.marks.value.hasCaption" @change="marks.toggle('hasCaption')" /> case and
        moment on pictures</label
      >
      <label class="flex items-center gap-1.5"
        ><input type="checkbox" class="accent-pine" :checked="marks.marks.value.hasScaleBar" @change="marks.toggle('hasScaleBar')" /> scale
        bar on pictures</label
      >
    </div>
  </div>
</template>
