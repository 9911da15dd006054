<script setup lang="ts">
/** Saves what a step yields, with chosen variables, in an open format. */
import { formatsOf } from '~~/core/formats/write/shape'
import type { ShapeFormat } from '~~/core/formats/write/shape'
import { csvOfTable } from '~~/core/evaluate/overTable'
import { stepKind } from '~~/core/steps'
import { planOf, priorities } from '~~/core/evaluate/plan'
import { hasShape } from '~~/core/steps/StepKind'
import { ranked } from '~~/core/study/studyModel'
import type { Step } from '~~/core/study/studyModel'

const props = defineProps<{ id: string; step: Step }>()
const emit = defineEmits<{ saved: [] }>()
const bench = useBench()

const isShape = computed(() => hasShape(stepKind(props.step.kind)))
const isVolume = computed(() => bench.inputs.classOf({ step: props.id }) === 'region')
const formats = computed<ShapeFormat[]>(() =>
  isShape.value
    ? [...(isVolume.value ? (['vtu'] as const) : []), ...formatsOf(bench.evaluated.results.value.get(props.id)?.shape?.kind ?? 'surface')]
    : ['csv'],
)
const format = ref<ShapeFormat>(formats.value[0]!)
const variables = computed(() =>
  [...ranked(bench.document.value!.formulas), ...ranked(bench.document.value!.variables)].map(([value, { name }]) => ({ value, name })),
)
const chosen = ref<string[]>(props.step.look.variable ? [props.step.look.variable] : [])
const saving = useSaving()
const { problem, isBusy } = saving

const save = (): Promise<void> =>
  saving.save(async () => {
    const table = props.step.over && bench.over.tableOf(props.id)
    // away from its step, a column says what it is taken over as well
    const told = table && { ...table, value: { ...table.value, name: bench.charts.sentenceOf(props.id) } }
    if (told) return new Blob([csvOfTable(told)], { type: 'text/csv' })
    const study = bench.document.value!
    const frame = { case: bench.view.caseId!, moment: bench.view.moment }
    const variables = isShape.value ? chosen.value : []
    const file = { format: format.value, variables, name: props.step.name, priority: priorities.seen }
    return api.file('/api/export', { plan: planOf(study), target: { want: 'file', step: props.id, frame, ...file } })
  }, `${props.step.name}.${format.value}`)
async function submit(): Promise<void> {
  await save()
  if (!problem.value) emit('saved')
}

/** Keys of the trail mean nothing here, but Escape closes. */
function keepKey(event: KeyboardEvent): void {
  if (event.key !== 'Escape') event.stopPropagation()
}

const toggle = (id: string): void => void (chosen.value = toggled(chosen.value, id))
</script>

<template>
  <form class="grid gap-2 text-[12px]" aria-label="Export" @submit.prevent="submit" @keydown="keepKey">
    <label class="flex items-center gap-2"
      >Format
      <select v-model="format" class="field num ml-auto w-28">
        <option v-for="f in formats" :key="f" :value="f">
          {{ f.toUpperCase() }}{{ isVolume ? (f === 'vtu' ? ', volume' : ', outside') : '' }}
        </option>
      </select></label
    >
    <fieldset v-if="isShape && format !== 'stl'" class="max-h-40 overflow-auto">
      <legend class="text-mute">with the values of</legend>
      <label v-for="v in variables" :key="v.value" class="flex items-center gap-1.5 py-0.5"
        ><input type="checkbox" class="accent-pine" :checked="chosen.includes(v.value)" @change="toggle(v.value)" />{{ v.name }}</label
      >
    </fieldset>
    <button type="submit" class="act justify-center" :disabled="isBusy">{{ isBusy ? 'Writing…' : 'Save' }}</button>
    <p v-if="problem" role="alert" class="text-brick">{{ problem }}</p>
  </form>
</template>
