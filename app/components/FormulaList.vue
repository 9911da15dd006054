<script setup lang="ts">
/** Formulas of the study: each a name and a text, checked as it is typed. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { Axis3d, Plus, Table2, Trash2 } from 'lucide-vue-next'
import { FormulaError } from '~~/core/errors'
import type { Typed } from '~~/core/fields/formula/typed'
import { renameVariable } from '~~/core/study/renameVariable'
import { unitName } from '~~/core/units/units'
import { freshId, ranked, rankBetween } from '~~/core/study/studyModel'
import { useDebounceFn } from '@vueuse/core'
import { checked, formulaScope } from '~/composables/formulaScope'
import FieldChips from './FieldChips.vue'
import FormulaEditor from './FormulaEditor.vue'
import VariableTable from './VariableTable.vue'

const emit = defineEmits<{ axes: [] }>()
const bench = useBench()
const editing = ref<{ id: string | null; text: string } | null>(null)
const box = ref<InstanceType<typeof FormulaEditor>>()
const formulas = computed(() => (bench.current.value ? ranked(bench.current.value.formulas) : []))

const check = (text: string, own: string | null): Typed | FormulaError =>
  checked(text, formulaScope(bench.document.value!, bench.view.caseId, bench.cases.catalogue.value, own))

/** Unit and problem of a formula that is there. */
function told(id: string, text: string): { unit: string; problem: string } {
  const found = check(text, id)
  if (found instanceof FormulaError) return { unit: '', problem: found.message }
  return { unit: found.dimensions ? unitName(found.dimensions) : 'unit unknown', problem: '' }
}

/** The text before and after the equals sign. */
const parts = computed(() => {
  const text = editing.value?.text ?? ''
  const at = text.indexOf('=')
  return {
    name: (at < 0 ? '' : text.slice(0, at)).trim(),
    formula: (at < 0 ? text : text.slice(at + 1)).trim(),
    start: at + 1 + (text.slice(at + 1).length - text.slice(at + 1).trimStart().length),
  }
})
const problem = computed(() => {
  if (!editing.value || !editing.value.text.trim()) return null
  const { name, formula } = parts.value
  if (!name) return { message: 'Write a name, an equals sign and the formula: speed = mag(U).', range: undefined }
  if (!/^[\p{L}_][\p{L}\p{N}_ ]*$/u.test(name))
    return { message: `“${name}” cannot be a name; use letters, digits and _.`, range: undefined }
  const taken = [...Object.entries(bench.document.value!.formulas), ...Object.entries(bench.document.value!.variables)].some(
    ([id, v]) => v.name === name && id !== editing.value!.id,
  )
  if (taken) return { message: `There already is a variable “${name}”; choose another name.`, range: undefined }
  const found = check(formula, editing.value.id)
  return found instanceof FormulaError ? found : null
})
/** Place in the text of what is wrong. */
const marked = computed<[number, number] | undefined>(() => {
  const range = problem.value?.range
  const at = parts.value.start
  return range && [at + range[0], at + range[1]]
})

const help = useFormulaHelp(bench)
/** Unit, smallest and largest of what is written. */
const preview = ref('')
/** Milliseconds without a change of the text. */
const REST = 300
let asked = 0
const look = useDebounceFn(async () => {
  const own = asked
  const { formula } = parts.value
  if (!editing.value || problem.value || !formula) return
  const found = check(formula, editing.value.id)
  if (found instanceof FormulaError || found.onShape) return
  const unit = found.dimensions && unitName(found.dimensions)
  try {
    const { min, max } = await help.extremes({ text: formula })
    if (own !== asked) return
    const shown = (x: number): string => bench.units.shown(x, unit, 4)
    preview.value = min === null ? 'no value is a number' : found.isCondition ? '' : `${shown(min)} to ${shown(max!)}`
  } catch (error) {
    if (own === asked) preview.value = (error as Error).message
  }
}, REST)
watch(
  () => editing.value?.text,
  () => {
    preview.value = ''
    asked++
    void look()
  },
)

const panel = ref<HTMLElement>()
/** What is written stays open while it is wrong, or while something is chosen from the shelf. */
function leave(): void {
  setTimeout(() => panel.value?.contains(document.activeElement) || problem.value || commit())
}

function take({ name, text }: { name: string; text: string }): void {
  if (!editing.value) return
  editing.value.text = `${name} = ${text}`
  commit()
}

async function begin(id: string | null, written = ''): Promise<void> {
  const formula = id === null ? null : bench.document.value!.formulas[id]!
  editing.value = { id, text: formula ? `${formula.name} = ${formula.text}` : written }
  await nextTick()
  // what was written elsewhere is looked at here only where something is wrong with it
  const isThere = formulas.value.some(([, own]) => `${own.name} = ${own.text}` === written.trim())
  if (written && (isThere || !problem.value)) commit()
  else box.value?.focus()
}

function commit(): void {
  const now = editing.value
  if (!now) return
  if (!now.text.trim()) {
    editing.value = null
    return
  }
  const { name, formula } = parts.value
  // what is there already is not made again
  if (now.id === null && formulas.value.some(([, own]) => own.name === name && own.text === formula)) {
    editing.value = null
    return
  }
  if (problem.value) return
  const id = now.id ?? freshId(name, bench.document.value!.formulas, bench.document.value!.variables)
  const old = now.id === null ? undefined : bench.document.value!.formulas[now.id]!.name
  void bench.store.edit(now.id ? `Change formula ${name}` : `Formula ${name}`, (study) => {
    const rank = now.id ? study.formulas[id]!.rank : rankBetween(formulas.value[formulas.value.length - 1]?.[1].rank, undefined)
    study.formulas[id] = { name, rank, text: formula }
    if (old && old !== name) renameVariable(study, old, name)
  })
  editing.value = null
}

function remove(id: string): void {
  void bench.store.edit(`Delete formula ${bench.document.value!.formulas[id]!.name}`, (study) => void delete study.formulas[id])
}

defineExpose({ begin })
</script>

<template>
  <section aria-label="Formulas">
    <div class="flex items-center px-3.5 pb-0.5 pt-2 text-[12px] font-semibold text-mute">
      Formulas
      <Popover class="ml-auto">
        <PopoverButton class="icon size-5!" aria-label="All variables" title="All variables with unit, smallest and largest">
          <Table2 :size="13" />
        </PopoverButton>
        <PopoverPanel class="pop absolute left-3 z-20 w-[520px] p-3! font-normal" :focus="true"><VariableTable /></PopoverPanel>
      </Popover>
      <button
        type="button"
        class="icon size-5!"
        aria-label="New axes"
        title="New axes: cylindrical, spherical or turning ones, for formulas"
        @click="emit('axes')"
      >
        <Axis3d :size="13" />
      </button>
      <button type="button" class="icon size-5!" aria-label="New formula" title="New formula" @click="begin(null)">
        <Plus :size="14" />
      </button>
    </div>
    <template v-for="[id, formula] in formulas" :key="id">
      <div v-if="editing?.id !== id" class="group flex items-center gap-2 pl-6 pr-3.5 text-[12px]">
        <button
          type="button"
          class="num flex min-w-0 flex-1 gap-2 py-0.5 text-left"
          draggable="true"
          :title="`Change ${formula.name}; drag it onto anything to colour that by it`"
          @dragstart="bench.acts.draggedVariable.value = id"
          @dragend="bench.acts.draggedVariable.value = null"
          @click="begin(id)"
        >
          <span class="min-w-16 max-w-40 shrink-0 truncate">{{ formula.name }}</span><span class="truncate text-mute"
            >= {{ formula.text }}</span
          >
        </button>
        <template v-for="{ unit, problem: wrong } in [told(id, formula.text)]" :key="unit">
          <span class="num shrink-0 text-mute">{{ unit }}</span>
          <span v-if="wrong" class="size-[7px] rounded-full bg-brick" :title="wrong" />
        </template>
        <button
          type="button"
          class="icon hidden size-5! group-focus-within:grid group-hover:grid"
          :aria-label="`Delete ${formula.name}`"
          @click="remove(id)"
        >
          <Trash2 :size="12" />
        </button>
      </div>
    </template>
    <p v-if="!formulas.length && !editing" class="pl-6 pr-3.5 text-[12px] text-mute">
      None yet, e.g. <button type="button" class="num text-pine" @click="begin(null)">speed = mag(U)</button>
    </p>
    <FieldChips />
    <div v-if="editing" ref="panel" class="px-3.5 py-1" @keydown.esc="$event.defaultPrevented || (editing = null)">
      <FormulaEditor
        ref="box"
        v-model="editing.text"
        label="Formula"
        hint="speed = mag(U)"
        :completions="help.completions.value"
        :wrong="marked"
        :is-invalid="!!problem"
        @commit="commit"
        @cancel="editing = null"
        @blur="leave"
      />
      <div v-if="problem" role="alert" class="mt-0.5 text-[12px] text-brick">{{ problem.message }}</div>
      <p v-else-if="preview" class="num mt-0.5 text-[12px] text-mute" role="status">{{ preview }}</p>
      <div
        v-if="!editing.text.trim() && bench.variables.shelf.value.length"
        class="mt-1 max-h-52 overflow-auto"
        role="group"
        aria-label="Ready formulas"
      >
        <button
          v-for="ready in bench.variables.shelf.value"
          :key="ready.name"
          type="button"
          class="flex w-full gap-2 rounded px-1 py-0.5 text-left text-[12px] hover:bg-pine-wash"
          :title="`${ready.name} = ${ready.text}`"
          @mousedown.prevent
          @click="take(ready)"
        >
          <span class="num shrink-0">{{ ready.name }}</span><span class="truncate text-mute">{{ ready.about }}</span>
        </button>
      </div>
    </div>
  </section>
</template>
