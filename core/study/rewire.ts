/** Steps put in under others, and taken out from under them. All change the study in place (a draft). */
import { stepKind } from '../steps'
import { inputsOf } from './check'
import { inputClassOf } from './inputClass'
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

function firstInputs(study: Study, id: string): readonly InputRef[] {
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
