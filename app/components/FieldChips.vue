<script setup lang="ts">
/** Fields of the case that is shown: each colours the step that is selected, or what it is dragged onto. */
import { stepKind } from '~~/core/steps'
import { ranked } from '~~/core/study/studyModel'

const bench = useBench()
const fields = computed(() =>
  ranked(bench.current.value?.variables ?? {}).flatMap(([id, { name }]) => {
    const field = bench.variables.fieldOf(id)
    return field ? [{ id, name, hint: bench.variables.hintOf(id) }] : []
  }),
)
/** More than these are found under “coloured by”. */
const MOST = 14

const canColour = computed(() => {
  const step = bench.current.value?.steps[bench.selected.value ?? '']
  return !!step && stepKind(step.kind).hasColour
})
const use = computed(() => (canColour.value ? 'A click colours the selected step by it' : 'Select a step to colour it'))
</script>

<template>
  <div v-if="fields.length" class="flex flex-wrap items-center gap-1 pl-6 pr-3.5 pt-0.5" role="group" aria-label="Fields">
    <button
      v-for="{ id, name, hint } in fields.slice(0, MOST)"
      :key="id"
      type="button"
      draggable="true"
      class="chip num"
      :title="`${name}: ${hint}. ${use}; drag it onto anything to colour that.`"
      @dragstart="bench.acts.draggedVariable.value = id"
      @dragend="bench.acts.draggedVariable.value = null"
      @click="canColour && bench.edits.colourBy(bench.selected.value!, id)"
    >
      {{ name }}
    </button>
    <span v-if="fields.length > MOST" class="text-[11px] text-mute">and {{ fields.length - MOST }} more</span>
  </div>
</template>
