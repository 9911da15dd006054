/** Guesses which part or field of a case is meant by one of the study: the same name, or the same but for signs and case. */
import type { Catalogue, Part } from '../case/catalogue'
import { stepKind } from '../steps'
import { takesOutcomes } from '../steps/StepKind'
import { inputsOf } from './check'
import { partIdsOf } from './inputClass'
import { ranked } from './studyModel'
import type { Study, StudyPart } from './studyModel'

/** A name without what differs between writers: case, signs, and numbers written 1 or 01. */
export function plainName(name: string): string {
  return name
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, '')
    .replace(/0+(?=\d)/g, '')
}

/** The one of `names` that is meant by `wanted`; undefined when none or more than one fits. */
export function closestName(wanted: string, names: readonly string[]): string | undefined {
  if (names.includes(wanted)) return wanted
  const alike = names.filter((name) => plainName(name) === plainName(wanted))
  if (alike.length === 1) return alike[0]
  // names of a file often carry the region before a slash
  const ending = names.filter((name) => plainName(name.split('/').pop()!) === plainName(wanted.split('/').pop()!))
  return alike.length === 0 && ending.length === 1 ? ending[0] : undefined
}

export interface BindingRow {
  id: string
  name: string
  kind: 'part' | 'variable'
  /** What each case binds, by the id of the case in the study; null: nothing. */
  bound: Record<string, string | null>
  /** What the values of a variable are multiplied by, where that is not 1. */
  factors: Record<string, number>
  /** What each case offers. */
  offers: Record<string, string[]>
}

/** Whether a part of a case can be bound to one of the study. */
export function isOfKind(part: Part, wanted: { dimension: number; isTable?: boolean }): boolean {
  return part.dimension === wanted.dimension && Boolean(part.abscissa) === Boolean(wanted.isTable)
}

/** All parts and variables of a study with what every case binds to them. @param catalogues  by id of the case in the study */
export function bindingRows(study: Study, catalogues: ReadonlyMap<string, Catalogue>): BindingRow[] {
  const cases = Object.keys(study.cases)
  const parts = ranked(study.parts).map(([id, part]): BindingRow => ({
    ...{ id, name: part.name, kind: 'part' },
    bound: Object.fromEntries(cases.map((c) => [c, part.binding[c]?.[0] ?? null])),
    factors: {},
    offers: Object.fromEntries(
      cases.map((c) => [
        c,
        catalogues
          .get(c)
          ?.parts.filter((p) => isOfKind(p, part))
          .map((p) => p.name) ?? [],
      ]),
    ),
  }))
  const variables = ranked(study.variables).map(([id, variable]): BindingRow => ({
    ...{ id, name: variable.name, kind: 'variable' },
    bound: Object.fromEntries(cases.map((c) => [c, variable.binding[c]?.field ?? null])),
    factors: Object.fromEntries(
      cases.flatMap((c) => (variable.binding[c]?.factor === undefined ? [] : [[c, variable.binding[c]!.factor!]])),
    ),
    offers: Object.fromEntries(
      cases.map((c) => [
        c,
        [
          ...new Set(
            catalogues
              .get(c)
              ?.fields.filter((f) => f.components === variable.components && f.parts.length)
              .map((f) => f.name) ?? [],
          ),
        ],
      ]),
    ),
  }))
  return [...parts, ...variables]
}

/** Binds, or with null unbinds. Changes the study in place (a draft). */
export function bind(study: Study, { id, kind }: Pick<BindingRow, 'id' | 'kind'>, caseId: string, name: string | null): void {
  if (kind === 'part') {
    const { binding } = study.parts[id]!
    if (name === null) delete binding[caseId]
    else binding[caseId] = [name]
  } else {
    const { binding } = study.variables[id]!
    if (name === null) delete binding[caseId]
    else binding[caseId] = { field: name }
  }
}

/** Multiplies what a case stores, where it is in another measure than the study's. Changes the study in place (a draft). */
export function setFactor(study: Study, variable: string, caseId: string, factor: number): void {
  const binding = study.variables[variable]!.binding[caseId]
  if (!binding) return
  if (factor === 1) delete binding.factor
  else binding.factor = factor
}

/**
 * The case that a step is computed on: the one that is shown, or, where that lacks a table that the step is made of, or points that it
 * is made of alone, one that has them. Measurements stand beside whatever case is shown.
 */
export function caseOfStep(study: Study, id: string, shown: string): string {
  // what is worked out from others takes each from its own case
  if (stepKind(study.steps[id]?.kind ?? '').inputs.some(takesOutcomes)) return shown
  const refs = [id, ...inputsOf(study, id)].flatMap((step) => Object.values(study.steps[step]?.inputs ?? {}).flat())
  const parts = partIdsOf(refs).map((part) => study.parts[part])
  const arePoints = parts.every((part) => part?.dimension === 0)
  const tables = parts.filter((part) => part !== undefined && (part.isTable || arePoints)) as StudyPart[]
  const hasAll = (other: string): boolean => tables.every(({ binding }) => binding[other]?.length)
  return hasAll(shown) ? shown : (ranked(study.cases).find(([other]) => hasAll(other))?.[0] ?? shown)
}

/** Names of parts that a step is only drawn without in a case: that has others of them. */
export function partsLeftOut(study: Study, id: string, caseId: string): string[] {
  const step = study.steps[id]
  if (!step || stepKind(step.kind).passesOn !== 'outside') return []
  const refs = Object.values(step.inputs).flat()
  const absent = partIdsOf(refs).filter((part) => !study.parts[part]?.binding[caseId]?.length)
  return absent.length < refs.length ? absent.map((part) => study.parts[part]?.name ?? '?') : []
}
