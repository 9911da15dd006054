/** What a study opens with besides its boundaries: something worth seeing, without a setting. */
import type { Catalogue, Field } from '../case/catalogue'
import { boxCentre, roundedBox } from '../mesh/boxes'
import type { Box } from '../mesh/MeshBlock'
import type { Vector } from '../mesh/vectors'
import { isNumbering, isVelocity, quantityOf } from '../units/quantities'
import { expressionText, nameOf } from '../fields/formula/expressions'
import { caseBox, colouredLook, defaultSettings, newStep, plainSurroundings } from './defaults'
import { freshId, ranked } from './studyModel'
import type { Study } from './studyModel'

export interface FirstLook {
  /** What it shows, in words. */
  words: string
  /** Changes the study in place (a draft). */
  apply(study: Study): void
}

/** @param caseId  of the case in the study */
export function firstLookAt(study: Study, caseId: string, catalogue: Catalogue): FirstLook | null {
  const regions = ranked(study.parts).flatMap(([id, { dimension, binding }]) => {
    const own = dimension === 3 ? (binding[caseId] ?? []) : []
    return own.length ? [{ id, names: own, cells: cellsOf(catalogue, own) }] : []
  })
  const [largest] = [...regions].sort((a, b) => b.cells - a.cells)
  if (!largest) return null
  const fields = catalogue.fields.filter((field) => field.parts.some((part) => largest.names.includes(part)))
  const velocity = fields.find((field) => isVelocity(field))
  if (velocity) return slice(study, caseId, catalogue, largest, velocity, 'the speed')
  const shown = fields.find((field) => isQuantity(field, 'displacement')) ?? fields.find((field) => isQuantity(field, 'stress'))
  if (shown) return surface(study, caseId, largest.id, shown)
  const scalar = fields.find((field) => field.components === 1 && !isNumbering(field))
  return scalar ? slice(study, caseId, catalogue, largest, scalar, scalar.name) : null
}

type Region = { id: string; names: readonly string[] }

/** Through the middle, across the shortest side, so that most of it is seen. */
function slice(study: Study, caseId: string, catalogue: Catalogue, region: Region, field: Field, words: string): FirstLook | null {
  const bound = variableOf(study, caseId, field)
  if (!bound) return null
  const parts = catalogue.parts.filter(({ name }) => region.names.includes(name))
  const box = roundedBox(caseBox({ ...catalogue, parts }))
  return {
    words: `a slice through the middle by ${words}`,
    apply(draft) {
      const variable = field.components === 3 ? speedOf(draft, bound) : bound
      const settings = defaultSettings('slice', plainSurroundings(draft, box), { origin: boxCentre(box), normal: shortest(box) })
      const step = { ...newStep(draft, 'slice', [{ part: region.id }]), name: 'Middle', settings, look: colouredLook(variable) }
      draft.steps[freshId('middle', draft.steps)] = step
    },
  }
}

/** What stands for the surface already, coloured. */
function surface(study: Study, caseId: string, region: string, field: Field): FirstLook | null {
  const variable = variableOf(study, caseId, field)
  const on = ranked(study.steps).find(([, step]) => step.kind === 'show' && step.look.edges === 'outline')?.[0]
  if (!variable || on === undefined) return null
  return {
    words: `${field.name} on the surface`,
    apply(draft) {
      const step = draft.steps[on]!
      // surfaces of the case may lack the field, the region has it
      step.inputs['of'] = [{ part: region }]
      step.look = { ...colouredLook(variable), edges: 'outline' }
    },
  }
}

function shortest(box: Box): Vector {
  const sides = [0, 1, 2].map((d) => box[d + 3]! - box[d]!)
  const least = sides.indexOf(Math.min(...sides.filter((side) => side > 0)))
  return [0, 1, 2].map((d) => Number(d === least)) as Vector
}

/** The formula of a magnitude, which is made if there is none. */
function speedOf(draft: Study, velocity: string): string {
  const text = `mag(${expressionText(nameOf(draft.variables[velocity]!.name))})`
  const known = Object.keys(draft.formulas).find((id) => draft.formulas[id]!.text === text)
  if (known) return known
  const id = freshId('speed', draft.formulas, draft.variables)
  draft.formulas[id] = { name: id, rank: Object.keys(draft.formulas).length + 1, text }
  return id
}

function variableOf(study: Study, caseId: string, field: Field): string | undefined {
  return Object.keys(study.variables).find((id) => study.variables[id]!.binding[caseId]?.field === field.name)
}

function isQuantity({ name, components, unit }: Field, quantity: string): boolean {
  return quantityOf(name, components, unit) === quantity
}

function cellsOf({ parts }: Catalogue, names: readonly string[]): number {
  return parts.reduce((sum, { name, cells }) => sum + (names.includes(name) ? cells : 0), 0)
}
