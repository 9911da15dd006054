/** Steps put in under others, and taken out from under them. All change the study in place (a draft). */
import { stepKind } from '../steps'
import type { StepKind } from '../steps/StepKind'
import { inputsOf } from './check'
import { inputClassOf } from './inputClass'
import { freshId, plainCopy, ranked } from './studyModel'
import type { InputRef, Study } from './studyModel'

/**
 * Makes a step the input of all that take what it takes: a clip of the water under everything that is made of the water.
 * A step keeps its input where the new one does not fit or would go in a circle. @returns ids of the steps that changed
 */
export function putUnder(study: Study, id: string): string[] {
  const own = firstInputs(study, id)
  const found = inputClassOf(study, { step: id })
  const changed: string[] = []
  if (!own.length || !found) return changed
  const upstream = inputsOf(study, id)
  for (const [other, step] of Object.entries(study.steps)) {
    if (other === id || upstream.has(other)) continue
    for (const spec of stepKind(step.kind).inputs) {
      const refs = step.inputs[spec.name] ?? []
      const isTaken = (ref: InputRef): boolean => own.some((mine) => isSame(mine, ref))
      if (!spec.accepts.includes(found) || !refs.some(isTaken)) continue
      const kept = refs.filter((ref) => !isTaken(ref))
      step.inputs[spec.name] = spec.isList ? [{ step: id }, ...kept] : [{ step: id }]
      changed.push(other)
    }
  }
  return changed
}

/** Gives what a step takes to all that are made of it, where that fits, so that it can be deleted. */
export function takeOut(study: Study, id: string): void {
  const own = firstInputs(study, id)
  for (const step of Object.values(study.steps)) {
    for (const spec of stepKind(step.kind).inputs) {
      const refs = step.inputs[spec.name] ?? []
      const at = refs.findIndex((ref) => 'step' in ref && ref.step === id)
      if (at < 0) continue
      const fitting = own.filter((ref) => {
        const found = inputClassOf(study, ref)
        return found !== undefined && spec.accepts.includes(found) && !refs.some((other) => isSame(other, ref))
      })
      if (fitting.length)
        step.inputs[spec.name] = [...refs.slice(0, at), ...fitting, ...refs.slice(at + 1)].slice(0, spec.isList ? undefined : 1)
    }
  }
}

/** Whether a step may be made of another: what that yields fits its first input, and they would not go in a circle. */
export function canStandOn(study: Study, id: string, on: string): boolean {
  const spec = study.steps[id] && stepKind(study.steps[id]!.kind).inputs[0]
  const found = inputClassOf(study, { step: on })
  return id !== on && spec !== undefined && found !== undefined && spec.accepts.includes(found) && !inputsOf(study, on).has(id)
}

/** Whether a new step of a kind may come between a step and what that is made of. */
export function fitsBefore(study: Study, kind: StepKind, id: string): boolean {
  const [spec] = study.steps[id] ? stepKind(study.steps[id]!.kind).inputs : []
  const own = firstInputs(study, id).map((ref) => inputClassOf(study, ref))
  const [first] = kind.inputs
  if (!spec || !first || !own.length || own.some((found) => !found || !first.accepts.includes(found))) return false
  if (own.length > 1 && !first.isList) return false
  const yielded = kind.yields({}, own[0])
  return yielded !== undefined && spec.accepts.includes(yielded)
}

/** Makes a step of another instead of what it is made of. */
export function standOn(study: Study, id: string, on: string): void {
  const step = study.steps[id]!
  step.inputs[stepKind(step.kind).inputs[0]!.name] = [{ step: on }]
}

/** A step with all that is made of it, as copies that are made of each other. @returns the copies by the steps they are of */
export function copyTree(study: Study, id: string): Map<string, string> {
  return copySteps(study, treeOf(study, [id]), (name) => `${name} copy`)
}

/** All that is made of one part, once more on another; inputs that this does not fit stay. @returns the copies by the steps they are of */
export function repeatOn(study: Study, from: string, to: string): Map<string, string> {
  const copies = copySteps(study, treeOf(study, stepsOn(study, from)), (name) => `${name} on ${study.parts[to]!.name}`)
  const found = inputClassOf(study, { part: to })
  for (const fresh of copies.values()) {
    const step = study.steps[fresh]!
    for (const spec of stepKind(step.kind).inputs) {
      const fits = found !== undefined && spec.accepts.includes(found)
      step.inputs[spec.name] = (step.inputs[spec.name] ?? []).map((ref) =>
        fits && 'part' in ref && ref.part === from ? { part: to } : ref,
      )
    }
  }
  return copies
}

/** Steps that are made of a part and of no other. */
export function stepsOn(study: Study, part: string): string[] {
  return Object.keys(study.steps).filter((id) => {
    const own = firstInputs(study, id)
    return own.length === 1 && 'part' in own[0]! && own[0].part === part
  })
}

/** Steps and all that is made of them, in their order. */
function treeOf(study: Study, roots: readonly string[]): string[] {
  const isIn = (id: string): boolean => roots.includes(id) || roots.some((root) => inputsOf(study, id).has(root))
  return ranked(study.steps).flatMap(([id]) => (isIn(id) ? [id] : []))
}

function copySteps(study: Study, ids: readonly string[], rename: (name: string) => string): Map<string, string> {
  const copies = new Map<string, string>()
  const last = Math.max(...Object.values(study.steps).map(({ rank }) => rank))
  ids.forEach((id, i) => {
    const copy = plainCopy(study.steps[id]!)
    const fresh = freshId(id, study.steps)
    study.steps[fresh] = { ...copy, name: rename(copy.name), rank: last + 1 + i }
    copies.set(id, fresh)
  })
  for (const fresh of copies.values()) {
    const step = study.steps[fresh]!
    for (const [name, refs] of Object.entries(step.inputs))
      step.inputs[name] = refs.map((ref) => ('step' in ref && copies.has(ref.step) ? { step: copies.get(ref.step)! } : ref))
  }
  return copies
}

/** What a step is made of in the first place. */
export function firstInputs(study: Study, id: string): readonly InputRef[] {
  const step = study.steps[id]
  const first = step && stepKind(step.kind).inputs[0]
  return (first && step.inputs[first.name]) ?? []
}

function isSame(a: InputRef, b: InputRef): boolean {
  return ('step' in a && 'step' in b && a.step === b.step) || ('part' in a && 'part' in b && a.part === b.part) || isSameOutside(a, b)
}

function isSameOutside(a: InputRef, b: InputRef): boolean {
  return 'outer' in a && 'outer' in b && a.outer === b.outer
}
