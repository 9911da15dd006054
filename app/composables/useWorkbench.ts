/** State shared by the components of the workbench, created once and provided by the page. Each member covers one subject. */
import type { InjectionKey } from 'vue'

export function useWorkbench() {
  const store = useStudyStore()
  const view = useViewStore()
  const { document, current } = storeToRefs(store)
  const { selected } = storeToRefs(view)
  const cases = useStudyCases()
  const evaluated = useEvaluated(cases)
  const variables = useVariables(cases, evaluated)
  const units = useShownUnits()
  const inputs = useInputs()
  const edits = useStepEdits()
  const { addStep } = useNewSteps({ cases, evaluated, variables, inputs, edits })
  return { store, view, document, current, selected, steps: edits.steps, cases, evaluated, variables, units, inputs, edits, addStep }
}

export type Workbench = ReturnType<typeof useWorkbench>
export const workbenchKey: InjectionKey<Workbench> = Symbol('workbench')

export function useBench(): Workbench {
  return inject(workbenchKey)!
}
