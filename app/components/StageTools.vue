<script setup lang="ts">
/** Tools of a pane: views, pictures, films, and what the pane shows. Of panes that are not worked in only the last. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { AudioWaveform, Box, Camera, Clapperboard, Columns2, Expand, House, Maximize, Shrink } from 'lucide-vue-next'
import { filmFormats } from '~~/core/study/film'
import type { LegendSpec } from '~~/stage/legend'
import type { Stage } from '~~/stage/Stage'
import type { Marks } from '~/composables/useMarks'
import FilmPanel from './FilmPanel.vue'
import PaneMenu from './PaneMenu.vue'
import PicturePanel from './PicturePanel.vue'
import ViewPanel from './ViewPanel.vue'

const props = defineProps<{
  stage: Stage
  drawn: number
  legends: LegendSpec[]
  remarks: string[]
  marks: Marks
  isComputing: boolean
  isActive: boolean
  /** Without room for more than the tools that all panes have: the others are found by name, and when it fills the stage. */
  isNarrow: boolean
}>()
const bench = usePane()
const route = useRoute()
const { panes } = bench
const now = bench.pane
/** Panels of panes at the lower end open upwards. */
const side = computed(() => {
  const { y = 0 } = panes.layout.value.panes.get(now.value.id) ?? {}
  return y > 0.55 ? 'bottom-9' : 'top-9'
})
/** An address may ask for the film: `./stavik film` does. */
const unattended = filmFormats.find((format) => format === route.query['film'])
/** A drawing may have brought or taken what is displaced. */
const isDisplaced = computed(() => {
  void props.drawn
  return props.stage.isDisplaced
})
const isSwinging = ref(false)
watch([isSwinging, isDisplaced], () => props.stage.setSwinging(isSwinging.value && isDisplaced.value))
const isOne = computed(() => panes.seen.value.length === 1)
</script>

<template>
  <div class="absolute right-3 top-2.5 flex gap-0.5 rounded-lg border border-line bg-panel p-0.5">
    <template v-if="isActive">
      <button
        v-if="!isNarrow"
        type="button"
        class="icon"
        aria-label="Three-quarter view"
        title="Three-quarter view"
        @click="stage?.eye.home()"
      >
        <House :size="16" />
      </button>
      <button v-if="!isNarrow" type="button" class="icon" aria-label="Fit" title="Fit everything (F)" @click="stage?.eye.fit()">
        <Maximize :size="16" />
      </button>
      <button
        v-if="isDisplaced && !isNarrow"
        type="button"
        class="icon"
        :class="isSwinging && 'bg-pine-wash'"
        aria-label="Swing"
        title="Swing: what is displaced goes there and back, as a mode does"
        :aria-pressed="isSwinging"
        @click="isSwinging = !isSwinging"
      >
        <AudioWaveform :size="16" />
      </button>
      <Popover class="relative">
        <PopoverButton class="icon" :class="isNarrow && 'sr-only'" aria-label="Views" title="Views (1 to 6)"
          ><Box :size="16"
        /></PopoverButton>
        <PopoverPanel class="pop absolute right-0 w-[268px] p-3!" :class="side" :focus="true"
          ><ViewPanel :stage="stage" :drawn="drawn" :marks="marks"
        /></PopoverPanel>
      </Popover>
      <Popover class="relative">
        <PopoverButton class="icon" :class="isNarrow && 'sr-only'" aria-label="Take a picture" title="Take a picture"
          ><Camera :size="16"
        /></PopoverButton>
        <PopoverPanel class="pop absolute right-0 w-[300px] p-3! text-ink" :class="side" :focus="true"
          ><PicturePanel
            :stage="stage"
            :legends="legends"
            :remarks="remarks"
            :annotations="marks.annotations(drawn)"
            :is-computing="isComputing"
        /></PopoverPanel>
      </Popover>
      <Popover class="relative">
        <PopoverButton class="icon" :class="isNarrow && 'sr-only'" aria-label="Save a film" title="Save a film"
          ><Clapperboard :size="16"
        /></PopoverButton>
        <PopoverPanel class="pop absolute right-0 w-[340px] p-3! text-ink" :class="side" :focus="true"
          ><FilmPanel :stage="stage" :legends="legends" :remarks="remarks" :annotations="() => marks.annotations(drawn)"
        /></PopoverPanel>
      </Popover>
    </template>
    <button
      v-if="panes.panes.value.length > 1"
      type="button"
      class="icon"
      :aria-label="isOne ? 'All panes' : 'Fill the stage'"
      :title="isOne ? 'All panes' : 'Fill the stage'"
      @click="panes.toggleFull(now.id)"
    >
      <Shrink v-if="isOne" :size="15" /><Expand v-else :size="15" />
    </button>
    <Popover v-slot="{ close }" class="relative">
      <PopoverButton class="icon" aria-label="Panes" title="Panes: split, case, links"><Columns2 :size="16" /></PopoverButton>
      <PopoverPanel class="pop absolute right-0 w-[264px] p-2.5!" :class="side" :focus="true"><PaneMenu @done="close()" /></PopoverPanel>
    </Popover>
    <div v-if="unattended && isActive" class="pop absolute right-0 w-[340px] p-3! text-ink" :class="side">
      <FilmPanel
        :stage="stage"
        :legends="legends"
        :remarks="remarks"
        :annotations="() => marks.annotations(drawn)"
        :unattended="unattended"
        @begin="marks.goToView(String(route.query['view']))"
      />
    </div>
  </div>
</template>
