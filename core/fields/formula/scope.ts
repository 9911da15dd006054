/**
 * What the names in formulas refer to: the one scope of the editor, the server and the command line.
 *
 * A name is, in this order: a formula, a field on the part, a number of the whole case, the time or π, a constant of the part's material.
 */
import { FormulaError } from '../../errors'
import { materialUnits, storedPlace } from '../../case/catalogue'
import type { Catalogue, Field, Moment } from '../../case/catalogue'
import { dimensionless, parseUnit } from '../../units/units'
import type { Dimensions } from '../../units/units'
import type { Axes } from './axes'
import type { FieldInfo, Numbers, OtherFrames, Scope } from './typed'

/** What names mean in one case at one moment. */
export interface Names {
  catalogue: Catalogue
  /** Texts of formulas by their names. */
  formulas: Readonly<Record<string, string>>
  /** Fields of the case by the names that formulas use; values are multiplied by the factor. */
  fields: Readonly<Record<string, { field: string; factor?: number }>>
  /** For numbers of the whole case; null where only kinds and units matter. */
  moment: number | null
  /** Cases of the study by their names. @param part  null: any */
  axes?: Readonly<Record<string, Axes>>
  otherCase?(name: string, part: string | null): { case: string; names: Names; part: string | null } | undefined
  caseNames?: readonly string[]
}

/** @param part  the part that fields must be on; null: any one that has them */
export function scopeOn(names: Names, part: string | null): Scope {
  const { catalogue, formulas, fields } = names
  return {
    field: (name) => {
      const field = fieldOn(names, name, part)
      return field && fieldInfo(field, fields[name]!.factor)
    },
    formula: (name) => (Object.hasOwn(formulas, name) ? formulas[name] : undefined),
    length: catalogue.lengthUnit ? parseUnit(catalogue.lengthUnit) : null,
    constant(name, range): Numbers | undefined {
      const found = caseNumber(names, name, range) ?? materialConstant(catalogue, part ?? regionWith(catalogue, name), name, range)
      return found && { values: [found.value], dimensions: found.dimensions }
    },
    on: (name) => {
      const parts = name === undefined ? highestParts(catalogue) : catalogue.parts.filter((own) => own.name === name)
      const [first] = parts
      return first && { scope: scopeOn(names, first.name), parts: parts.map((own) => own.name), dimension: first.dimension }
    },
    axes: (name) => (names.axes && Object.hasOwn(names.axes, name) ? names.axes[name] : undefined),
    axesNames: Object.keys(names.axes ?? {}),
    walls: wallsOf(catalogue, part),
    hasPart: (name) => catalogue.parts.some((own) => own.name === name && own.dimension < 3),
    others: othersOf(names, part),
    names: () => {
      const known = Object.keys(fields).filter((name) => fieldOn(names, name, part) ?? wholeCaseField(names, name))
      return [...new Set([...known, ...Object.keys(formulas)])]
    },
  }
}

/** Of a region, of the region that a surface bounds, or of all. */
function wallsOf({ parts }: Catalogue, part: string | null): string[] {
  const own = parts.find(({ name }) => name === part)
  const regions = own?.dimension === 2 ? own.owners : own && [own.name]
  const walls = parts.filter(({ role, owners }) => role?.is === 'wall' && (!regions || !owners || owners.some((o) => regions.includes(o))))
  return walls.map(({ name }) => name)
}

function othersOf(names: Names, part: string | null): OtherFrames {
  const { moments } = names.catalogue
  const times = moments.map(({ value, unit }) => (value === null ? null : value * (parseUnit(unit ?? 's')?.factor ?? 1)))
  const moment = names.moment ?? 0
  return {
    moment,
    times,
    atMoment: (at) => ({
      scope: scopeOn({ ...names, moment: names.moment === null ? null : at }, part),
      place: { case: null, moment: at, part },
    }),
    inCase(name) {
      const found = names.otherCase?.(name, part)
      if (!found) {
        const isPart = names.catalogue.parts.some((own) => own.name === name)
        return isPart ? { scope: scopeOn(names, name), place: { case: null, moment, part: name } } : undefined
      }
      const at = answering(moments[moment], moment, found.names.catalogue.moments)
      const there = { ...found.names, moment: names.moment === null ? null : at }
      return { scope: scopeOn(there, found.part), place: { case: found.case, moment: at, part: found.part } }
    },
    caseNames: names.caseNames ?? [],
  }
}

/** The moment of another case that answers to one: the nearest by its value, else that of the same number, else the last. */
function answering(own: Moment | undefined, index: number, others: readonly Moment[]): number {
  const byNumber = Math.min(index, others.length - 1)
  if (own?.value == null || others.some(({ value }) => value === null)) return Math.max(0, byNumber)
  const off = others.map(({ value }) => Math.abs(value! - own.value!))
  return off.indexOf(Math.min(...off))
}

/** Regions, or surfaces where there are none: what reductions are taken over that name no part. */
export function highestParts({ parts }: Catalogue): Catalogue['parts'] {
  const highest = Math.max(...parts.map((part) => part.dimension))
  return parts.filter((part) => part.dimension === highest)
}

const SECONDS = parseUnit('s')!.dimensions

/** The time of the moment, and π, unless something in the files is called so. */
function numberOfAll({ catalogue, fields, moment }: Names, name: string): { value: number; dimensions: Dimensions } | undefined {
  if (Object.hasOwn(fields, name)) return undefined
  if (name === 'pi') return { value: Math.PI, dimensions: dimensionless }
  if (name !== 'time' || !catalogue.moments.some(({ kind }) => kind === 'time')) return undefined
  return { value: (moment === null ? null : catalogue.moments[moment]?.value) ?? NaN, dimensions: SECONDS }
}

/** The field that a name refers to on a part; with `null` the first one on any part. */
export function fieldOn({ catalogue, fields }: Names, name: string, part: string | null): Field | undefined {
  const source = Object.hasOwn(fields, name) ? fields[name]!.field : undefined
  return catalogue.fields.find((f) => f.name === source && (part === null ? f.parts.length > 0 : f.parts.includes(part)))
}

function wholeCaseField({ catalogue, fields }: Names, name: string): Field | undefined {
  const source = Object.hasOwn(fields, name) ? fields[name]!.field : undefined
  return catalogue.fields.find((f) => f.name === source && f.place === 'whole case')
}

/**
 * A number of the whole case in coherent SI; undefined when there is none of that name.
 *
 * @throws FormulaError when it has no value at the moment
 */
export function caseNumber(
  names: Names,
  name: string,
  range: [number, number],
): { value: number; dimensions: Dimensions | null } | undefined {
  const field = wholeCaseField(names, name)
  if (!field) return numberOfAll(names, name)
  const { dimensions, factor, offset } = fieldInfo(field, names.fields[name]!.factor)
  if (names.moment === null) return { value: NaN, dimensions }
  const value = field.values?.[names.moment]
  if (value == null) throw new FormulaError('no-value', `“${name}” has no value at this moment; choose another.`, range)
  return { value: value * factor + offset, dimensions }
}

/** @param factor  by which the study multiplies the values of the file */
export function fieldInfo(field: Field, factor = 1): FieldInfo {
  const unit = field.unit === null ? null : parseUnit(field.unit)
  return {
    name: field.name,
    components: field.components,
    place: storedPlace(field.place),
    dimensions: unit?.dimensions ?? null,
    factor: factor * (unit?.factor ?? 1),
    offset: unit?.offset ?? 0,
  }
}

/** A region whose material has the constant, else the first. */
function regionWith({ parts }: Catalogue, constant: string): string {
  const regions = parts.filter((p) => p.dimension === 3)
  return (regions.find((p) => p.material?.constants[constant] !== undefined) ?? regions[0])?.name ?? 'the case'
}

/**
 * A constant of a region's material; a surface has that of the region it bounds. undefined: no such constant is known
 *
 * @throws FormulaError when it is one, but not set
 */
function materialConstant(
  { parts }: Catalogue,
  part: string,
  name: string,
  range: [number, number],
): { value: number; dimensions: Dimensions } | undefined {
  const unit = Object.hasOwn(materialUnits, name) ? materialUnits[name] : undefined
  if (unit === undefined) return undefined
  const found = parts.find((p) => p.name === part)
  // a surface between two regions has what either of them has: a density is that of the fluid behind it
  const behind = found?.owners?.flatMap((owner) => parts.filter((p) => p.name === owner)) ?? []
  const regions = behind.length ? behind : found ? [found] : []
  const region = regions.find(({ material }) => material?.constants[name] !== undefined) ?? regions[0]
  const value = region?.material?.constants[name]
  if (value === undefined) {
    const constant = name.replace('_', ' ')
    throw new FormulaError(
      'no-material',
      `${region?.name ?? part} has no ${constant}; set its material in the data check of the case, or write a number with unit.`,
      range,
    )
  }
  return { value, dimensions: parseUnit(unit)!.dimensions }
}
