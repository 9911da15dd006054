/** State shared by the components of the workbench, created once and provided by the page. Each member covers one subject. */
import type { InjectionKey } from 'vue'
import { keepMaps } from '~~/core/colour/maps'
import type { ColourMap } from '~~/core/colour/maps'
import { stepKind } from '~~/core/steps'
import type { SentenceWords } from '~~/core/study/sentenceText'
import type { InputRef } from '~~/core/study/studyModel'
import type { Evaluated } from './useEvaluated'
import type { Marks } from './useMarks'
import type { PaneNow } from './usePanes'
import type { StepResult } from './useResults'
import { useCaseView } from './useStudyCases'

export function useWorkbench() {
  const store = useStudyStore()
  const view = useViewStore()
  const { document, current } = storeToRefs(store)
  const { selected } = storeToRefs(view)
  const cases = useStudyCases()
  const panes = usePanes(cases)
  const evaluated = useEvaluated(cases, panes)
  const variables = useVariables(cases, evaluated)
  const units = useShownUnits()
  const inputs = useInputs()
  const edits = useStepEdits(variables)
  const acts = useTrailActs(edits)
  const newSteps = useNewSteps({ cases, evaluated, variables, inputs, edits })
  const changes = useStepChanges({ inputs, variables, edits, newSteps })
  const { mendOf, readingMends } = useMends({ evaluated, inputs, variables, edits, newSteps })

  /** How the sentence of a step is written in plain text. @param refs  its inputs; those of a step that is there when absent */
  function wordsOf(id: string | null, refs?: Record<string, InputRef[]>): SentenceWords {
    const step = id === null ? undefined : current.value?.steps[id]
    const own = refs ?? step?.inputs ?? {}
    // a study that was kept has its inputs in any order
    const holder = step ? stepKind(step.kind).inputs[0]?.name : Object.keys(own)[0]
    const first = holder === undefined ? undefined : own[holder]?.[0]
    return {
      inputs: (name) => (own[name] ?? []).map((ref) => inputs.nameOf(ref)).join(', ') || '…',
      inputClass: first && inputs.classOf(first),
      variable: variables.label,
      case: (id) => current.value?.cases[id]?.name ?? 'this case',
      length: (value) => units.shown(value, cases.lengthUnit.value || null),
      inUnit: (value, unit) => units.shown(value, unit),
      value: (variable, value) => units.shown(value, variables.unitOf(variable)),
    }
  }

  /** Colour maps of the study, made known to all that draws. */
  const ownMaps = computed(() =>
    Object.entries(current.value?.maps ?? {}).map(([id, map]): ColourMap => ({ id, kind: 'sequential', ...map })),
  )
  // before anything is drawn by them
  watch(ownMaps, keepMaps, { immediate: true, flush: 'sync' })

  /** Marks of the stage, once it is there. */
  const marks = shallowRef<Marks | null>(null)

  const over = useOver({ cases, evaluated, variables, wordsOf })
  const charts = useCharts({ cases, evaluated, over, wordsOf })
  return {
    over,
    charts,
    wordsOf,
    store,
    view,
    document,
    current,
    selected,
    steps: edits.steps,
    cases,
    panes,
    evaluated,
    variables,
    units,
    inputs,
    edits,
    acts,
    addStep: newSteps.addStep,
    ...{ choose: changes.choose, chooseInput: changes.chooseInput },
    mendOf,
    readingMends,
    ownMaps,
    marks,
  }
}

/**
 * As the components of one pane see it: results, case and moment are those of the pane.
 *
 * @param of  what is drawn beyond its swipe line instead
 */
export function usePaneBench(bench: Workbench, id: string, of: 'own' | 'other' = 'own') {
  const scene = computed(() => (of === 'own' ? bench.evaluated.scenes.value.get(id) : bench.evaluated.otherOf(id)))
  let known: PaneNow
  // a pane that is taken away is asked for the last time after it is gone
  const now = computed(() => (known = bench.panes.panes.value.find((pane) => pane.id === id) ?? known))
  const caseId = computed(() => (of === 'own' ? now.value?.caseId : now.value?.other?.caseId) ?? null)
  const results = computed(() => scene.value?.results.value ?? new Map<string, StepResult>())
  const evaluated = {
    ...bench.evaluated,
    results,
    isComputing: computed(() => scene.value?.isComputing.value ?? false),
    isAnyComputing: bench.evaluated.isComputing,
    ranges: {
      ...bench.evaluated.ranges,
      resolve: (...of: Parameters<Evaluated['ranges']['resolve']>) => scene.value!.ranges.resolve(...of),
    },
    stage: computed(() => bench.panes.stages.get(id) ?? null),
  }
  return { ...bench, evaluated, cases: { ...bench.cases, ...useCaseView(caseId) }, pane: now, caseId }
}

export type PaneBench = ReturnType<typeof usePaneBench>

export type Workbench = ReturnType<typeof useWorkbench>
export const workbenchKey: InjectionKey<Workbench> = Symbol('workbench')

export function useBench(): Workbench {
  return inject(workbenchKey)!
}

/** In the components of a pane. */
export function usePane(): PaneBench {
  return inject(workbenchKey) as PaneBench
}
