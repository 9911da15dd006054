<script setup lang="ts">
/** Finds every act and thing, and takes whole sentences such as `slice z 1.2 speed`, and formulas. */
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogPanel } from '@headlessui/vue'
import { stepKind, stepKinds } from '~~/core/steps'
import { hasShape } from '~~/core/steps/StepKind'
import type { StepKind } from '~~/core/steps/StepKind'
import { fitsBefore } from '~~/core/study/rewire'
import { givenText, placesText } from '~~/core/study/sentenceText'
import { overWords } from '~~/core/study/over'
import { parseSentence } from '~~/core/study/parseSentence'
import type { ParsedSentence } from '~~/core/study/parseSentence'
import { FormulaError } from '~~/core/errors'
import { variableName } from '~~/core/study/studyModel'
import { expressionsIn, withMentioned, writtenFormula } from '~~/core/study/writtenVariables'
import type { Written } from '~~/core/study/writtenVariables'
import { readNumber } from '~~/core/units/typedNumbers'
import { parseUnit, sameDimensions } from '~~/core/units/units'
import type { Axis } from '~~/stage/views'

export interface Act {
  title: string
  words: string
  hint?: string
  run: () => unknown
}

/** @param before  step that a new one is put before */
const props = defineProps<{ acts: readonly Act[]; before: string | null }>()
const emit = defineEmits<{ formula: [text: string] }>()
const isOpen = defineModel<boolean>({ required: true })
const bench = useBench()
const text = ref('')
const looks = useLookActs(bench)

/** A name, an equals sign and something behind it. */
const FORMULA = /^[\p{L}_][\p{L}\p{N}_ ]*=\s*\S/u

/** The sentence as the study understands it, or with the ready formulas that it lacks where that leaves less unknown. */
const sentence = computed(() => {
  const known = parsed(expressions.value)
  if (!known?.unknown.length) return known
  const more = parsed(mentioned.value)
  return more && more.unknown.length < known.unknown.length ? more : known
})
const study = computed(() => bench.document.value && withMentioned(bench.document.value, mentioned.value))

function parsed(formulas: readonly Written[]): ParsedSentence | null {
  const own = bench.document.value
  if (!own) return null
  return parseSentence(text.value, withMentioned(own, formulas), {
    length: bench.cases.lengthUnit.value,
    of: (variable) => typedOf(variable)?.hint ?? bench.variables.unitOf(variable),
    components: componentsOf,
    shown: bench.units.shownUnit,
  })
}

/** What a formula of the sentence is that the study has not got yet. */
function typedOf(variable: string): { hint: string; components: number } | null {
  if (!mentioned.value.some((own) => own.text === variable)) return null
  const typed = bench.variables.written(variable, 'any')
  return typed instanceof FormulaError ? null : typed
}

function componentsOf(variable: string): number | undefined {
  const type = typedOf(variable) ?? bench.variables.typeOf(variable)
  return type && 'components' in type ? type.components : undefined
}

/** Expressions in it, such as U.x or distance("Wall"): formulas that the study need not have yet. */
const expressions = computed(() =>
  expressionsIn(text.value)
    .filter((own) => !(bench.variables.written(own, 'any') instanceof FormulaError))
    .map((own) => ({ name: own, text: own })),
)
const mentioned = computed<Written[]>(() => [...expressions.value, ...bench.variables.shelf.value])

/** Whether what stands before the equals sign is a name that nothing has: “spread = …” is a formula, “slice = …” a place. */
function isNewName(formula: string): boolean {
  const name = formula.slice(0, formula.indexOf('=')).trim()
  const isKnown = !(bench.variables.written(name, 'any') instanceof FormulaError)
  return !/\s/.test(name) && !isKnown && !stepKinds.some((kind) => hasShape(kind) && (kind.id === name || kind.words.includes(name)))
}

/** A sentence as a step, with the formulas that it uses and the study has not got yet. */
async function make(whole: ParsedSentence): Promise<unknown> {
  const ids = new Map<string, string>()
  for (const own of mentioned.value) {
    if (!isUsed(whole, own.text)) continue
    const written = own.name === own.text ? writtenFormula(own.text) : { name: own.name, text: own.text }
    ids.set(own.text, await bench.edits.variableOf(written))
  }
  const settings = Object.fromEntries(Object.entries(whole.settings).map(([key, value]) => [key, ids.get(String(value)) ?? value]))
  return bench.addStep(whole.kind, { ...whole, settings, colour: ids.get(whole.colour ?? '') ?? whole.colour, before: props.before })
}

function isUsed({ settings, colour }: ParsedSentence, own: string): boolean {
  return colour === own || Object.values(settings).includes(own)
}

/** “show p in kPa”, “T in °C”: the unit that values like those are shown in. */
const unitAct = computed<Act | null>(() => {
  const [, name, unit] = SHOWN_IN.exec(text.value.trim()) ?? []
  const study = bench.document.value
  const id = study && Object.keys({ ...study.formulas, ...study.variables }).find((own) => variableName(study, own) === name)
  const own = id && bench.variables.unitOf(id)
  const [from, to] = [parseUnit(own || ''), parseUnit(unit ?? '')]
  if (!own || !from || !to || !sameDimensions(from.dimensions, to.dimensions)) return null
  return { title: `Show ${name} in ${unit}`, words: '', hint: 'and all numbers of that kind', run: () => bench.units.showIn(own, unit!) }
})
const SHOWN_IN = /^(?:show\s+)?(.+?)\s+in\s+(\S+)$/i

/** “turn 35 z”: the view, by exactly so many degrees. */
const turnAct = computed<Act | null>(() => {
  const [, amount = '', axis = 'z'] = TURN.exec(text.value.trim()) ?? []
  const by = readNumber(amount)
  if (!by || !/^(°|deg|degrees)?$/i.test(by.unit ?? '')) return null
  const about = axis.toLowerCase() as Axis
  return {
    title: `Turn the view by ${by.value}° about ${about}`,
    words: '',
    hint: 'view',
    run: () => bench.evaluated.stage.value?.eye.turn(about, by.value),
  }
})
const TURN = /^turn\s+(?:by\s+)?(.+?)(?:\s+(?:about\s+)?([xyz]))?$/i

function describe({ kind, settings, inputs, colour, places, over = [] }: ParsedSentence): string {
  const ends = over.flatMap(({ is }) => (is === 'values' ? [] : overWords[is]))
  const around = bench.wordsOf(null, inputs)
  const words = { ...around, variable: (id: string) => mentioned.value.find((own) => own.text === id)?.name ?? around.variable(id) }
  const at = places ? ` at ${placesText(places.places, words)}` : ''
  const said = givenText(kind, study.value!, settings, inputs, words) + at
  const text = ends.length ? `${said} over ${ends.join(' and ')}` : said
  return colour && stepKind(kind).hasColour ? `${text} coloured by ${variableName(study.value!, colour)}` : text
}

function canBeMade({ fits }: StepKind): boolean {
  return !fits || (bench.cases.catalogue.value?.parts ?? []).some(fits)
}

const found = computed<Act[]>(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
  const { before } = props
  const hint = before === null ? 'new step' : `before ${bench.edits.name(before)}`
  const kinds = before === null ? stepKinds : stepKinds.filter((kind) => fitsBefore(bench.document.value!, kind, before))
  const steps = kinds.map((kind) => ({
    title: kind.title,
    words: kind.words.join(' '),
    ...(canBeMade(kind)
      ? { hint, run: () => bench.addStep(kind.id, { before }) }
      : { hint: 'nothing here that it fits', run: () => undefined }),
  }))
  const presets = kinds.flatMap((kind) =>
    (kind.presets ?? []).map(({ title, words: own, settings }) => ({
      title,
      words: own,
      hint,
      run: () => bench.addStep(kind.id, { settings, before }),
    })),
  )
  const places = bench.steps.value.map(([id, step]) => ({
    title: step.name,
    words: step.kind,
    hint: 'go to step',
    run: () => void (bench.selected.value = id),
  }))
  // what is done to the selected step is found by its words: the list before anything is typed stays short
  const own = words.length ? looks.choices.value : []
  const all: Act[] = before === null ? [...steps, ...presets, ...props.acts, ...own, ...places] : [...steps, ...presets]
  /** Whole words before beginnings of words before words that merely hold the text. */
  const rank = (act: Act): number => {
    const own = `${act.title} ${act.words}`.toLowerCase().split(/\s+/)
    const title = act.title.toLowerCase()
    return title === text.value.toLowerCase()
      ? 0
      : words.every((w) => own.includes(w))
        ? title.startsWith(words[0] ?? '')
          ? 1
          : 2
        : words.every((w) => own.some((o) => o.startsWith(w)))
          ? 3
          : 4
  }
  const matching = all
    .filter((act) => words.every((word) => `${act.title} ${act.words}`.toLowerCase().includes(word)))
    .sort((a, b) => (words.length ? rank(a) - rank(b) : 0))
  const typed = unitAct.value ?? turnAct.value ?? (before === null ? looks.typed(text.value) : null)
  if (typed) return [typed, ...matching]
  const whole = sentence.value
  const formula = text.value.trim()
  if (FORMULA.test(formula) && (!whole || isNewName(formula)))
    return [{ title: `Formula ${formula}`, words: '', hint: 'a new variable', run: () => emit('formula', formula) }, ...matching]
  // a single word is a sentence where it says more than the kind, as “moment” does, and where nothing is called that;
  // what has all of several words comes before a sentence that does not know all of them
  const isPlain = words.length < 2 && !Object.keys(whole?.settings ?? {}).length
  const hasAll = whole?.unknown.length && matching[0] && rank(matching[0]) < 3
  const isCalled = hasAll || ((words.length < 2 || whole?.unknown.length) && matching[0]?.title.toLowerCase().startsWith(words.join(' ')))
  if (!whole || isPlain || isCalled) return matching
  return [
    {
      title: describe(whole),
      words: '',
      hint: whole.unknown.length ? `without “${whole.unknown.join(' ')}”, which is not known here` : 'make this step',
      run: () => make(whole),
    },
    ...matching,
  ]
})

async function choose(act: Act | null): Promise<void> {
  const before = bench.selected.value
  isOpen.value = false
  await act?.run()
  // a step that was made or gone to is where the keyboard goes on, once the dialog has given its focus back
  if (bench.selected.value !== before) setTimeout(() => document.querySelector<HTMLElement>('[data-trail]')?.focus())
}

/** Where none is pointed at; text that nothing is found for stays. */
function enterFirst(event: KeyboardEvent): void {
  event.preventDefault()
  if (found.value[0]) void choose(found.value[0])
}

watch(isOpen, (open) => open && (text.value = ''))
</script>

<template>
  <Dialog :open="isOpen" class="fixed inset-0 z-50" @close="isOpen = false">
    <div class="fixed inset-0 bg-ink/15" aria-hidden="true" />
    <DialogPanel class="pop fixed left-1/2 top-14 w-[540px] -translate-x-1/2 p-0!" aria-label="Do or find anything">
      <Combobox v-slot="{ activeOption }" :model-value="null" nullable @update:model-value="choose">
        <ComboboxInput
          class="h-11 w-full rounded-t-lg bg-panel px-4 text-[14px] outline-none"
          :placeholder="
            before === null ? 'Do or find anything, e.g. slice z 1.2 speed' : `A step before ${bench.edits.name(before)}, e.g. clip`
          "
          aria-label="Do or find anything"
          autocomplete="off"
          spellcheck="false"
          :display-value="() => text"
          @change="text = $event.target.value"
          @keydown.enter="activeOption || enterFirst($event)"
        />
        <ComboboxOptions static class="max-h-80 overflow-auto border-t border-line p-1">
          <ComboboxOption v-for="(act, i) in found" :key="`${i} ${act.title}`" v-slot="{ active }" :value="act" as="template">
            <li class="flex cursor-pointer items-baseline rounded px-3 py-1.5" :class="{ 'bg-pine-wash': active }">
              {{ act.title }}<span class="ml-auto pl-4 text-[12px] text-mute">{{ act.hint }}</span>
            </li>
          </ComboboxOption>
          <li v-if="!found.length" class="px-3 py-2 text-mute">
            Nothing is called that. Try a word of the trade: slice, isosurface, streamlines, area, flux, chart.
          </li>
        </ComboboxOptions>
      </Combobox>
    </DialogPanel>
  </Dialog>
</template>
