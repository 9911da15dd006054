/** What the palette offers for the selected step, and for the ones marked with it: how they look, whether they are seen. */
import { lookChoices, readLook } from '~~/core/study/lookWords'
import type { LookedAt, LookWords } from '~~/core/study/lookWords'
import { putOptional, variableName } from '~~/core/study/studyModel'
import { hasShape } from '~~/core/steps/StepKind'
import { stepKind } from '~~/core/steps'
import { colourMaps } from '~~/core/colour/maps'
import { inUnit } from '~~/core/units/typedNumbers'
import type { Act } from '~/components/CommandPalette.vue'
import type { Workbench } from './useWorkbench'

export function useLookActs(bench: Workbench) {
  const id = bench.selected
  const step = computed(() => (id.value === null ? undefined : bench.current.value?.steps[id.value]))
  const result = computed(() => (id.value === null ? undefined : bench.evaluated.results.value.get(id.value)))

  const looked = computed<LookedAt | null>(() => {
    if (!step.value || !hasShape(stepKind(step.value.kind))) return null
    const { look } = step.value
    const { min, max } = bench.evaluated.ranges.resolve(look, result.value, id.value!)
    return { look, kind: result.value?.geometry?.kind ?? 'surface', ends: { min, max } }
  })

  function actOf({ title: [what, into], words, change }: LookWords): Act {
    const [own, { name }] = [id.value!, step.value!]
    const run = (): void => bench.acts.editAll(own, `${what} ${into}`, ({ look }) => putOptional(look, change))
    return { title: `${what}: ${into}`, words, hint: name, run }
  }

  const seen = computed<Act[]>(() => {
    if (!step.value) return []
    const [own, { name, isShown }] = [id.value!, step.value]
    const { acts } = bench
    const hides: Act[] = looked.value
      ? [
          { title: isShown ? 'Hide' : 'Show', words: 'visible', hint: name, run: () => acts.setFlags(own, 'isShown', !isShown) },
          { title: 'Show only this', words: 'hide others isolate', hint: name, run: () => acts.onlyThis(own) },
        ]
      : []
    return [
      ...hides,
      { title: 'Delete', words: 'remove take out', hint: name, run: () => acts.remove(own) },
      { title: 'Duplicate with what is made of it', words: 'copy again', hint: name, run: () => acts.duplicateTree(own) },
    ]
  })

  const coloured = computed<Act[]>(() => {
    const study = bench.document.value
    if (!study || !step.value || !stepKind(step.value.kind).hasColour) return []
    const [own, { name }] = [id.value!, step.value]
    return Object.keys({ ...study.formulas, ...study.variables }).map((variable) => ({
      title: `Colour by ${variableName(study, variable)}`,
      words: 'coloured',
      hint: name,
      run: () => bench.edits.colourBy(own, variable),
    }))
  })

  /** Ready formulas that the study has not got yet; what is carried from elsewhere is found by what it is carried onto. */
  const ready = computed<Act[]>(() => {
    const study = bench.document.value
    if (!study || !step.value || !stepKind(step.value.kind).hasColour) return []
    const [own, { name }] = [id.value!, step.value]
    const parts = Object.values(study.parts).map((part) => part.name)
    return bench.variables.shelf.value.map((formula) => ({
      title: `Colour by ${formula.name}`,
      words: `coloured ${formula.about} ${formula.from ? ['carry difference from onto', formula.from, ...parts].join(' ') : ''}`,
      hint: `${formula.text} on ${name}`,
      run: () => bench.edits.colourByFormula(own, formula.name, formula.text),
    }))
  })

  const legend = computed<Act[]>(() => {
    const variable = step.value?.look.variable
    const found = variable && bench.document.value ? variableName(bench.document.value, variable) : null
    if (found === null) return []
    const run = (): void => {
      if (bench.document.value?.legends?.[variable!]?.isHidden) bench.edits.showLegend(variable!)
      // once the palette has given the focus back
      setTimeout(() => {
        const drawn = document.querySelector<HTMLElement>(`[data-legend="${variable}"] [role=button]`)
        drawn?.focus()
        drawn?.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }))
      })
    }
    return [{ title: `Legend of ${found}`, words: 'title digits ticks levels type size', hint: 'panel', run }]
  })

  /** Found by their words. */
  const choices = computed<Act[]>(() => {
    const looks = looked.value ? lookChoices(looked.value, [...colourMaps, ...bench.ownMaps.value]).map(actOf) : []
    return [...seen.value, ...looks, ...coloured.value, ...ready.value, ...legend.value]
  })

  /** A look with numbers: “range 0 to 3 kPa”, “24 bands”, “opacity 40 %”. Without a unit they are in the one that is shown. */
  function typed(text: string): Act | null {
    const unit = result.value?.valuesMeta?.unit ?? ''
    const shown = bench.units.shownUnit(unit)
    const found = looked.value && readLook(text, looked.value, (number) => inUnit(number, unit, shown))
    return found ? actOf(found) : null
  }

  return { choices, typed }
}
