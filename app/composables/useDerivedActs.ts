/** What can be made of the variable that the selected step is coloured by: smoothed, brought to points, brought to cells. */
import { expressionText, nameOf } from '~~/core/fields/formula/expressions'
import type { Act } from '~/components/CommandPalette.vue'
import type { Workbench } from './useWorkbench'

export function useDerivedActs(bench: Workbench): ComputedRef<Act[]> {
  return computed(() => {
    const id = bench.selected.value
    const variable = id === null ? null : bench.current.value?.steps[id]?.look.variable
    if (id === null || !variable) return []
    const label = bench.variables.label(variable)
    const type = bench.variables.typeOf(variable)
    const isOnCells = (type && 'place' in type ? type.place : bench.variables.fieldOf(variable)?.place) === 'cell'
    const written = expressionText(nameOf(label))
    const made = (title: string, words: string, ending: string, function_: string): Act => ({
      title,
      words,
      hint: `${label} ${ending} = ${function_}(${written})`,
      run: () => bench.edits.colourByFormula(id, `${label} ${ending}`, `${function_}(${written})`),
    })
    return isOnCells
      ? [made(`Bring ${label} to points`, 'cell to point smooth smoothing average interpolate', 'at points', 'smooth')]
      : [
          made(`Smooth ${label}`, 'smoothing filter average noise', 'smoothed', 'smooth'),
          made(`Bring ${label} to cells`, 'point to cell average', 'at cells', 'cells'),
        ]
  })
}
