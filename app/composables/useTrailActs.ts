/** Acts on several steps at once: marks, looks and settings carried from one to others, trees copied, steps moved to another parent. */
import { stepKind } from '~~/core/steps'
import { hasShape } from '~~/core/steps/StepKind'
import { groupSteps, renameGroup, ungroup } from '~~/core/study/groups'
import { canStandOn, copyTree, repeatOn, standOn, stepsOn } from '~~/core/study/rewire'
import { plainCopy, ranked } from '~~/core/study/studyModel'
import type { Step } from '~~/core/study/studyModel'
import type { StepEdits } from './useStepEdits'

export function useTrailActs(edits: StepEdits) {
  const { steps, name } = edits
  const store = useStudyStore()
  const { document, current } = storeToRefs(store)
  const { selected } = storeToRefs(useViewStore())
  /** Steps that are marked besides the selected one. */
  const marked = ref(new Set<string>())
  /** What was copied to be put onto others. */
  const carried = shallowRef<Pick<Step, 'kind' | 'look' | 'settings' | 'name'> | null>(null)
  const dragged = ref<string | null>(null)
  /** A variable on its way to what it is to colour. */
  const draggedVariable = ref<string | null>(null)

  watch(selected, (id) => {
    if (id !== null && !marked.value.has(id)) marked.value = new Set()
  })

  function mark(id: string): void {
    const next = new Set(marked.value)
    if (selected.value) next.add(selected.value)
    if (next.has(id) && id !== selected.value) next.delete(id)
    else next.add(id)
    marked.value = next
  }

  /** Marks all from the selected one to another. */
  function markTo(id: string): void {
    const ids = steps.value.map(([other]) => other)
    const [from, to] = [ids.indexOf(selected.value ?? id), ids.indexOf(id)].sort((a, b) => a - b) as [number, number]
    marked.value = new Set(ids.slice(from, to + 1))
  }

  /** The marked steps if a step is among them, else the step alone. */
  function together(id: string): string[] {
    return marked.value.has(id) ? [...marked.value].filter((other) => current.value?.steps[other]) : [id]
  }

  function carry(id: string): void {
    const { kind, look, settings, name: called } = document.value!.steps[id]!
    carried.value = plainCopy({ kind, look, settings, name: called })
  }

  function putLook(id: string): void {
    const { look } = carried.value ?? {}
    if (look) editAll(id, `Look of ${carried.value!.name}`, (step) => void (step.look = plainCopy(look)))
  }

  /** Onto steps of the same kind. */
  function putSettings(id: string): void {
    const from = carried.value
    if (!from) return
    editAll(id, `Settings of ${from.name}`, (step) => {
      if (step.kind === from.kind) step.settings = plainCopy(from.settings)
    })
  }

  function setFlags(id: string, flag: 'isMuted' | 'isShown', value: boolean): void {
    const verb = flag === 'isMuted' ? (value ? 'Mute' : 'Unmute') : value ? 'Show' : 'Hide'
    editAll(id, verb, (step) => void (step[flag] = value))
  }

  /** Shows a step and hides all others that are drawn; numbers and curves stay. */
  function onlyThis(id: string): void {
    const own = together(id)
    void store.edit(`Only ${name(id)}`, (study) => {
      for (const [other, step] of Object.entries(study.steps)) if (hasShape(stepKind(step.kind))) step.isShown = own.includes(other)
    })
  }

  /** Shows every step, whatever hid it. */
  function showAll(): void {
    void store.edit('Show all steps', (study) => {
      for (const step of Object.values(study.steps)) step.isShown = true
    })
  }

  function called(ids: readonly string[]): string {
    return ids.length > 1 ? `${ids.length} steps` : name(ids[0]!)
  }

  function editAll(id: string, title: string, change: (step: Step) => void): void {
    const own = together(id)
    void store.edit(`${title}: ${called(own)}`, (study) => own.forEach((other) => change(study.steps[other]!)))
  }

  /** Groups what is marked; a step that stands in a group alone is taken out of it. */
  function group(id: string): void {
    const own = together(id)
    const isIn = own.every((other) => current.value!.steps[other]!.group !== undefined)
    if (isIn) void store.edit(`Take out of the group: ${called(own)}`, (study) => ungroup(study, own))
    else void store.edit(`Group ${called(own)}`, (study) => void groupSteps(study, own))
  }

  function nameGroup(ids: readonly string[], to: string): void {
    void store.edit(`Rename group to ${to}`, (study) => renameGroup(study, ids, to))
  }

  function dissolve({ name: own, ids }: { name: string; ids: readonly string[] }): void {
    void store.edit(`Dissolve ${own}`, (study) => ungroup(study, ids))
  }

  function showGroup({ name: own, ids }: { name: string; ids: readonly string[] }, isShown: boolean): void {
    void store.edit(`${isShown ? 'Show' : 'Hide'} ${own}`, (study) => {
      for (const id of ids) study.steps[id]!.isShown = isShown
    })
  }

  /** Deletes a step and what is marked with it. */
  function remove(id: string): void {
    edits.remove(together(id))
  }

  async function duplicateTree(id: string): Promise<void> {
    let fresh: string | undefined
    await store.edit(`Duplicate ${name(id)} with what is made of it`, (study) => void (fresh = copyTree(study, id).get(id)))
    if (fresh) selected.value = fresh
  }

  /** Parts whose steps can be repeated on others of their kind. */
  const repeats = computed(() => {
    const study = current.value
    if (!study) return []
    const parts = ranked(study.parts).filter(([, part]) => !part.isTable)
    return parts
      .filter(([from]) => stepsOn(study, from).length > 0)
      .flatMap(([from, part]) =>
        parts.filter(([to, other]) => to !== from && other.dimension === part.dimension).map(([to]) => ({ from, to })),
      )
  })

  async function repeat(from: string, to: string): Promise<void> {
    const { parts } = document.value!
    let first: string | undefined
    await store.edit(`Repeat what is made of ${parts[from]!.name} on ${parts[to]!.name}`, (study) => {
      first = [...repeatOn(study, from, to).values()][0]
    })
    if (first) selected.value = first
  }

  function canTakeColour(id: string): boolean {
    const step = current.value?.steps[id]
    return draggedVariable.value !== null && step !== undefined && stepKind(step.kind).hasColour
  }

  function dropVariable(id: string): void {
    if (canTakeColour(id)) edits.colourBy(id, draggedVariable.value)
    draggedVariable.value = null
  }

  function canMoveOnto(id: string, on: string): boolean {
    return current.value !== null && canStandOn(current.value, id, on)
  }

  function moveOnto(id: string, on: string): void {
    if (canMoveOnto(id, on)) void store.edit(`Make ${name(id)} of ${name(on)}`, (study) => standOn(study, id, on))
  }

  return {
    marked,
    carried,
    dragged,
    draggedVariable,
    canTakeColour,
    dropVariable,
    editAll,
    mark,
    markTo,
    together,
    carry,
    putLook,
    putSettings,
    setFlags,
    onlyThis,
    showAll,
    group,
    nameGroup,
    dissolve,
    showGroup,
    remove,
    duplicateTree,
    repeats,
    repeat,
    canMoveOnto,
    moveOnto,
  }
}
