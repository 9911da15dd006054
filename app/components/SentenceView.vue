<script setup lang="ts">
/** A step as a sentence with tokens that can be changed. */
import { stepKind } from '~~/core/steps'
import { letterOf, unitOfNumbers } from '~~/core/steps/offers'
import type { SentencePiece } from '~~/core/steps/offers'
import { ranked } from '~~/core/study/studyModel'
import type { InputRef, Step } from '~~/core/study/studyModel'
import { shownUnit, withUnits } from '~~/core/study/typedWords'
import type { Vector } from '~~/core/mesh/vectors'
import OverTokens from './OverTokens.vue'
import TokenCondition from './tokens/TokenCondition.vue'
import TokenDirection from './tokens/TokenDirection.vue'
import TokenLimit from './tokens/TokenLimit.vue'
import TokenMenu from './tokens/TokenMenu.vue'
import TokenNumber from './tokens/TokenNumber.vue'
import TokenNumbers from './tokens/TokenNumbers.vue'
import TokenPlane from './tokens/TokenPlane.vue'
import TokenPosition from './tokens/TokenPosition.vue'
import TokenPositions from './tokens/TokenPositions.vue'
import TokenVariable from './tokens/TokenVariable.vue'
import { oneColour } from '~/composables/useVariables'

const props = defineProps<{ id: string; step: Step }>()
const bench = useBench()

const kind = computed(() => stepKind(props.step.kind))
const first = computed(() => kind.value.inputs[0] && inputsOf(kind.value.inputs[0].name)[0])
const pieces = computed(() =>
  kind.value
    .sentence(props.step.settings, first.value && bench.inputs.classOf(first.value))
    .map((piece) => (typeof piece === 'string' ? { words: piece } : piece)),
)
const settings = computed(() => props.step.settings as Record<string, number & string & Vector>)

const readingUnit = computed(() => bench.evaluated.results.value.get(props.id)?.reading?.unit ?? null)

/** Letters of a list of names that fit into a line of the trail together with the other words. */
const LINE = 32

type Token = Exclude<SentencePiece, string>

function inputsOf(input: string): InputRef[] {
  return props.step.inputs[input] ?? []
}

function inputLabel(input: string): string {
  const refs = inputsOf(input)
  if (!refs.length) return kind.value.inputs.find((i) => i.name === input)?.none ?? 'choose…'
  const isLettered = kind.value.calculates !== undefined
  return inFewWords(refs.map((ref, i) => `${isLettered ? `${letterOf(i)} = ` : ''}${bench.inputs.nameOf(ref)}`))
}

/** Names that fit into a line of the trail, and how many more there are. */
function inFewWords(names: readonly string[]): string {
  if (names.length <= 3 && names.join(', ').length <= LINE) return names.join(', ')
  let n = 1
  while (names.slice(0, n + 1).join(', ').length <= LINE - ' and 9 more'.length && n < names.length - 1) n++
  return names.length === 1 ? names[0]! : `${names.slice(0, n).join(', ')} and ${names.length - n} more`
}

function choicesOf(input: string) {
  const spec = kind.value.inputs.find((i) => i.name === input)!
  return bench.inputs.choices(props.id, spec).map(({ ref, label, hint }) => ({ value: JSON.stringify(ref), label, hint }))
}

function isMissing(input: string): boolean {
  const spec = kind.value.inputs.find((i) => i.name === input)!
  const refs = inputsOf(input)
  return (!refs.length && !spec.isOptional) || refs.some((ref) => 'step' in ref && !bench.document.value?.steps[ref.step])
}

function unitOf(token: Token & { token: 'number' | 'numbers' }): string {
  return unitOfNumbers(token, bench.cases.lengthUnit.value, (variable) => bench.variables.unitOf(variable)) ?? ''
}

/** With the units that values are shown in, where a number has none. */
function withShownUnits(condition: string): string {
  const units = { of: bench.variables.unitOf, shown: bench.units.shownUnit }
  return withUnits(condition, (name) => shownUnit(bench.document.value!, name, units))
}

/** The step that it is made of, whose columns can be chosen. */
const inputStep = computed(() => (first.value && 'step' in first.value && !kind.value.sourceVariables ? first.value.step : undefined))
const caseChoices = computed(() => [
  { value: '', label: 'this case', hint: 'the one that is shown' },
  ...ranked(bench.document.value?.cases ?? {}).map(([value, { name }]) => ({ value, label: name })),
])
const colourLabel = computed(() => {
  const { variable } = props.step.look
  return variable ? bench.variables.label(variable, props.id) : 'one colour'
})

function draft(change: Record<string, unknown>): void {
  if (Object.values(change).some((v) => Number.isNaN(v))) bench.store.draft = null
  else bench.edits.draftSettings(props.id, change)
}
</script>

<template>
  <span>
    <template v-for="(piece, i) in pieces" :key="i">
      <template v-if="'words' in piece">{{ piece.words }}</template>
      <TokenMenu
        v-else-if="piece.token === 'input'"
        :label="inputLabel(piece.input)"
        :title="`Input “${piece.input}”`"
        :choices="choicesOf(piece.input)"
        :selected="inputsOf(piece.input).map((ref) => JSON.stringify(ref))"
        :is-list="kind.inputs.find((s) => s.name === piece.input)?.isList"
        :is-missing="isMissing(piece.input)"
        @choose="
          (values) =>
            bench.chooseInput(
              id,
              piece.input,
              values.map((v) => JSON.parse(v) as InputRef),
            )
        "
      />
      <TokenPlane
        v-else-if="piece.token === 'plane'"
        :origin="settings.origin!"
        :normal="settings.normal!"
        :unit="bench.cases.lengthUnit.value"
        @draft="draft"
        @commit="(c) => bench.edits.changeSettings(id, c)"
      />
      <TokenPosition
        v-else-if="piece.token === 'position'"
        :value="settings[piece.setting]!"
        :unit="bench.cases.lengthUnit.value"
        :title="piece.setting"
        @commit="(v) => bench.edits.changeSettings(id, { [piece.setting]: v })"
      />
      <TokenPositions
        v-else-if="piece.token === 'positions'"
        :value="settings[piece.setting]! as unknown as Vector[]"
        :unit="bench.cases.lengthUnit.value"
        title="positions"
        @commit="(v) => bench.edits.changeSettings(id, { [piece.setting]: v })"
      />
      <TokenDirection
        v-else-if="piece.token === 'direction'"
        :value="settings[piece.setting]!"
        :title="piece.setting"
        @commit="(v) => bench.edits.changeSettings(id, { [piece.setting]: v })"
      />
      <TokenCondition
        v-else-if="piece.token === 'condition'"
        :value="settings[piece.setting]!"
        :check="bench.variables.conditionProblem"
        :complete="withShownUnits"
        @commit="(v) => bench.edits.changeSettings(id, { [piece.setting]: v })"
      />
      <TokenCondition
        v-else-if="piece.token === 'calculation'"
        title="Calculation"
        :value="settings[piece.setting]!"
        :check="(text) => bench.variables.calculationProblem(text, inputsOf(piece.input).length)"
        @commit="(v) => bench.edits.changeSettings(id, { [piece.setting]: v })"
      />
      <TokenNumber
        v-else-if="piece.token === 'number'"
        :value="settings[piece.setting]!"
        :unit="unitOf(piece)"
        :title="piece.setting"
        :is-whole="piece.quantity === 'count'"
        @draft="(v) => draft({ [piece.setting]: v })"
        @commit="(v) => bench.edits.changeSettings(id, { [piece.setting]: v })"
      />
      <TokenNumbers
        v-else-if="piece.token === 'numbers'"
        :value="settings[piece.setting]! as unknown as number[]"
        :unit="unitOf(piece)"
        title="values"
        @commit="(v) => bench.edits.changeSettings(id, { [piece.setting]: v })"
      />
      <TokenMenu
        v-else-if="piece.token === 'choice'"
        :label="piece.options.find((o) => o.value === settings[piece.setting])?.label.replace(/ \(.*/, '') ?? '?'"
        :title="piece.setting"
        :choices="[...piece.options]"
        :selected="[String(settings[piece.setting])]"
        @choose="([v]) => bench.choose(id, piece.setting, v)"
      />
      <TokenVariable
        v-else-if="piece.token === 'variable'"
        :label="bench.variables.label(String(settings[piece.setting])) || 'choose…'"
        title="Variable"
        :kind="piece.kind"
        :of="inputStep"
        :selected="String(settings[piece.setting])"
        @choose="(v) => bench.edits.changeSettings(id, { [piece.setting]: v })"
      />
      <TokenMenu
        v-else-if="piece.token === 'case'"
        :label="bench.document.value?.cases[String(settings[piece.setting])]?.name ?? 'this case'"
        title="Case"
        :choices="caseChoices"
        :selected="[String(settings[piece.setting])]"
        @choose="([v]) => bench.edits.changeSettings(id, { [piece.setting]: v })"
      />
      <TokenVariable
        v-else
        :label="colourLabel"
        title="Coloured by"
        kind="any"
        :of="id"
        :none="oneColour"
        :selected="step.look.variable ?? ''"
        @choose="(v) => bench.edits.colourBy(id, v || null)"
      />
    </template>
    <OverTokens v-if="kind.reading || kind.curve" :id="id" :step="step" />
    <template v-if="kind.reading && (step.limit || bench.selected.value === id)"
      >, <TokenLimit :value="step.limit" :unit="readingUnit" @commit="(limit) => bench.edits.setLimit(id, limit)" />
    </template>
  </span>
</template>
