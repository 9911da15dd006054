/** Expressions on the parts of one case: their types, units and keys. Each is checked once. */
import { digest } from '../digest'
import type { Key } from '../digest'
import { DataError, UserError } from '../errors'
import { checkExpression } from '../fields/formula/check'
import { distancesIn, elsewhereIn, fieldsOf, hasNeighbours, looksAround, needsCells, reductionsIn } from '../fields/formula/typed'
import type { Elsewhere, Operation, Place, Typed } from '../fields/formula/typed'
import { coherentOf, expressionText, nameOf } from '../fields/formula/expressions'
import { weightOf } from '../fields/formula/reductions'
import { parseFormula } from '../fields/formula/parse'
import type { Expression } from '../fields/formula/parse'
import { fieldOn, scopeOn } from '../fields/formula/scope'
import type { Names } from '../fields/formula/scope'
import type { Field } from '../case/catalogue'
import { unitName } from '../units/units'

/** An expression on some parts together. */
export interface Bound {
  components: number
  /** `mixed`: on points in one part and on cells in another. */
  place: Place | 'mixed'
  /** It contains `normal`, so it has values on shapes only. */
  onShape: boolean
  unit: string | null
  isCondition: boolean
  /** Of components, where they are not those of x, y and z. */
  names?: readonly string[]
  /** A field as it stands in the file: its values and unit are taken as they are. */
  plain: Field | undefined
  on(part: string): Typed
}

/** A stored field, or with `field: null` a stored mesh, that a computation reads. */
export interface StoredRef {
  part: string
  field: string | null
  /** Absent: that of the computation. */
  frame?: { case: string; moment: number }
}

/** A case of the study, or null for the own one, at a moment. */
export type FrameOf<T> = (at: { case: string | null; moment: number }) => T

export class Expressions {
  private readonly types = new Map<string, Typed | UserError>()
  private readonly elsewhere = new Map<string, readonly Elsewhere[]>()

  constructor(
    readonly names: Names,
    /** Key of a stored field, or of the mesh of a part. */
    private readonly version: (ref: StoredRef) => Key,
    /** In other frames, with the frame. */
    private readonly other: FrameOf<{ expressions: Expressions; frame: NonNullable<StoredRef['frame']> }>,
  ) {}

  /** @throws UserError when it has no meaning on one of the parts */
  on(expression: Expression, parts: readonly string[]): Bound {
    const typed = parts.map((part) => this.typed(expression, part))
    const [first] = typed
    if (!first)
      return {
        components: 1,
        place: 'any',
        onShape: false,
        unit: null,
        isCondition: false,
        plain: undefined,
        on: (part) => this.typed(expression, part),
      }
    const other = typed.findIndex(({ components }) => components !== first.components)
    if (other >= 0) {
      throw new DataError(
        'kinds',
        `${expressionText(expression)} has ${first.components} components on ${parts[0]} and ${typed[other]!.components} on ` +
          `${parts[other]}; choose parts on which it is the same.`,
      )
    }
    const plain = this.plain(expression, parts)
    const places = new Set(typed.map(({ place }) => place).filter((place) => place !== 'any'))
    return {
      components: first.components,
      place: places.size > 1 ? 'mixed' : ([...places][0] ?? 'any'),
      onShape: typed.some(({ onShape }) => onShape),
      isCondition: first.isCondition === true,
      ...(first.names && { names: first.names }),
      unit: plain ? plain.unit : first.dimensions && unitName(first.dimensions),
      plain,
      on: (part) => this.typed(expression, part),
    }
  }

  /**
   * The parts, out of some, on which an expression is defined; all of them if there are none, so that evaluating it reports why.
   * A shape need not intersect every part that it could lie in.
   */
  meaningful(expression: Expression, parts: readonly string[]): readonly string[] {
    const found = parts.filter((part) => !(this.attempt(expression, part) instanceof UserError))
    return found.length ? found : parts
  }

  /** Equal for expressions that have the same values on these parts. An undefined one has a key as well and fails when computed. */
  key(expression: Expression, parts: readonly string[]): Key {
    const plain = this.plain(expression, this.meaningful(expression, parts))
    const each = parts.map((part) => {
      const typed = this.attempt(expression, part)
      if (typed instanceof UserError) return ['error', typed.code, typed.message]
      return plain ? this.version({ part, field: plain.name }) : this.tree(typed, part)
    })
    return digest('expression', plain !== undefined, each)
  }

  /** The meshes and fields that computing it on a part reads from the store; none if it is not defined there. */
  reads(expression: Expression, part: string): StoredRef[] {
    const typed = this.attempt(expression, part)
    if (typed instanceof UserError) return []
    const own = [...fieldsOf(typed).values()].map(({ name }): StoredRef => ({ part, field: name }))
    const reduced = reductionsIn(typed).flatMap((reduction) => this.allReads(...this.reducedOf(reduction)))
    const surfaces = distancesIn(typed).map((name): StoredRef => ({ part: name, field: null }))
    return [{ part, field: null }, ...own, ...surfaces, ...this.surfaceReads(typed, part), ...reduced, ...this.readsElsewhere(typed, part)]
  }

  /** What the formulas of the study look at in other frames on a part. */
  elsewhereOn(part: string): readonly Elsewhere[] {
    let found = this.elsewhere.get(part)
    if (!found) {
      found = Object.keys(this.names.formulas).flatMap((name) => {
        const typed = this.attempt(nameOf(name), part)
        return typed instanceof UserError ? [] : elsewhereIn(typed)
      })
      this.elsewhere.set(part, found)
    }
    return found
  }

  /** In the frames that it looks at. */
  private readsElsewhere(typed: Typed, part: string): StoredRef[] {
    return elsewhereIn(typed).flatMap(({ text, places }) =>
      places.flatMap((place) => {
        const { expressions, frame } = this.other(place)
        return expressions.reads(parseFormula(text), place.part ?? part).map((ref) => ({ frame, ...ref }))
      }),
    )
  }

  /** What computing some expressions on some parts reads, each mesh and field once. */
  allReads(expressions: readonly Expression[], parts: readonly string[]): StoredRef[] {
    return uniqueRefs(expressions.flatMap((expression) => parts.flatMap((part) => this.reads(expression, part))))
  }

  /** Fields of the case that an expression uses on a part. */
  fields(expression: Expression, part: string): Field[] {
    const { catalogue } = this.names
    return this.reads(expression, part).flatMap(({ part: on, field, frame }) =>
      frame ? [] : catalogue.fields.filter((f) => f.name === field && f.parts.includes(on)),
    )
  }

  /**
   * Surfaces that bound a region and have values of an operand on their faces: not those of a flux, which belong to whole faces.
   * Gradients and smoothing of cell values look at them.
   */
  surfacesAround(of: Typed, region: string): string[] {
    if (!fieldsOf(of).size || of.place !== 'cell' || usesPosition(of) || hasNeighbours(of)) return []
    const bounding = this.names.catalogue.parts.filter((part) => part.dimension === 2 && part.owners?.[0] === region)
    return bounding.map(({ name }) => name).filter((name) => this.hasFields(of, name, 'cell'))
  }

  /** Whether a part has every field of an operand at the moment. */
  private hasFields(of: Typed, part: string, place?: 'cell'): boolean {
    const { catalogue, moment } = this.names
    return [...fieldsOf(of).values()].every(({ name }) => {
      const found = catalogue.fields.find((field) => field.name === name && field.parts.includes(part))
      return found && (!place || found.place === place) && (moment === null || found.moments.includes(moment))
    })
  }

  /** Parts besides the own one that gradients and smoothing of an operand look at: of a surface the region that it bounds. */
  private partsAround(of: Typed, part: string): string[] {
    const owner = this.ownerOf(part, of)
    return owner === undefined ? this.surfacesAround(of, part) : [owner]
  }

  private surfaceReads(typed: Typed, region: string): StoredRef[] {
    const own = looksAround(typed.operation) ? this.partsAround(typed.of[0]!, region) : []
    const fields = own.length ? [...fieldsOf(typed.of[0]!).values()] : []
    const refs = own.flatMap((part) => [{ part, field: null }, ...fields.map(({ name }) => ({ part, field: name }))])
    return [...refs, ...typed.of.flatMap((of) => this.surfaceReads(of, region))]
  }

  /** The region behind a surface that slopes on it are taken in: the first of those that it bounds that has what they are of. */
  ownerOf(surface: string, of: Typed): string | undefined {
    const found = this.names.catalogue.parts.find(({ name, dimension }) => name === surface && dimension === 2)
    return found?.owners?.find((owner) => this.hasFields(of, owner))
  }

  /** @throws DataError where something in it needs the cells of a region and a part neither is one nor bounds one that has the fields */
  private requireCells(typed: Typed, part: string): void {
    const { operation, of } = typed
    const found = this.names.catalogue.parts.find(({ name }) => name === part)
    const isAlone = found && found.dimension !== 3 && (operation.kind === 'cell volume' || this.ownerOf(part, of[0] ?? typed) === undefined)
    if (isAlone && needsCells(operation)) {
      throw new DataError(
        'no-gradient',
        `${operation.kind} is taken in the cells of a region; ${part} has none. Take the region, or a slice or isosurface of it.`,
      )
    }
    for (const inner of of) this.requireCells(inner, part)
  }

  /** Whether gradients, divergences or curls stand in it, if it has a meaning on the part. */
  hasSlopes(expression: Expression, part: string): boolean {
    const typed = this.attempt(expression, part)
    return !(typed instanceof UserError) && takesSlopes(typed)
  }

  /** Key of the mesh of a part. */
  meshKey(part: string): Key {
    return this.version({ part, field: null })
  }

  /** Equal for reductions that yield the same numbers. */
  reductionKey(reduction: Operation & { kind: 'reduced' }): Key {
    const [expressions, on] = this.reducedOf(reduction)
    const meshes = on.map((name) => this.meshKey(name))
    const keys = expressions.map((expression) => this.key(expression, on))
    return digest('reduced', reduction.text, meshes, keys)
  }

  /** What a reduction depends on: expressions, and the parts that it is taken over. */
  private reducedOf({ text, on }: Operation & { kind: 'reduced' }): [Expression[], readonly string[]] {
    const call = parseFormula(text)
    if (call.kind !== 'call') throw new Error('no reduction')
    const weight = weightOf(call.options)
    return [[...call.arguments, ...(weight ? [weight] : [])], on]
  }

  private typed(expression: Expression, part: string): Typed {
    const found = this.attempt(expression, part)
    if (found instanceof UserError) throw found
    return found
  }

  /** The checked expression on a part, or the error that it has there. */
  private attempt(expression: Expression, part: string): Typed | UserError {
    const id = `${part}\n${expressionText(expression)}`
    let found = this.types.get(id)
    if (!found) {
      try {
        found = checkExpression(expression, scopeOn(this.names, part))
        this.requireCells(found, part)
      } catch (error) {
        if (!(error instanceof UserError)) throw error
        found = error
      }
      this.types.set(id, found)
    }
    return found
  }

  /** The field, when the expression is nothing but its name and it has one unit on all parts. */
  private plain(expression: Expression, parts: readonly string[]): Field | undefined {
    const { formulas, fields } = this.names
    if (expression.kind !== 'name' || Object.hasOwn(formulas, expression.name)) return undefined
    const entry = Object.hasOwn(fields, expression.name) ? fields[expression.name] : undefined
    if (!entry || (entry.factor ?? 1) !== 1) return undefined
    const found = parts.map((part) => fieldOn(this.names, expression.name, part))
    return found.every((field) => field && field.unit === found[0]!.unit) ? found[0] : undefined
  }

  /** The checked expression as plain JSON: its operations, and at the leaves what they depend on. */
  private tree({ operation, of, components }: Typed, part: string): unknown {
    const children = of.map((child) => this.tree(child, part))
    switch (operation.kind) {
      case 'field': {
        const { name, factor, offset } = operation.field
        return ['field', this.version({ part, field: name }), factor, offset]
      }
      case 'reduced':
        return this.reductionKey(operation)
      case 'elsewhere': {
        const { text, fold, places } = operation
        const of = parseFormula(text)
        const keys = places.map((place) => [place.weight, this.other(place).expressions.key(coherentOf(of), [place.part ?? part])])
        // what is carried depends on the places here as well
        const isCarried = places.some((place) => place.case !== null || (place.part ?? part) !== part)
        return ['elsewhere', fold, keys, isCarried ? this.meshKey(part) : null]
      }
      case 'distance': {
        const surfaces = operation.to.map((name) => this.meshKey(name))
        return ['distance', surfaces, operation.factor, this.meshKey(part)]
      }
      case 'cell volume':
        return ['cell volume', operation.factor, this.meshKey(part)]
      case 'pos':
        return ['pos', this.meshKey(part), operation.factor]
      default: {
        const around = looksAround(operation)
          ? this.partsAround(of[0]!, part).map((on) =>
              [...fieldsOf(of[0]!).values()].map(({ name }) => this.version({ part: on, field: name })),
            )
          : []
        return [operation, components, children, around]
      }
    }
  }
}

export function usesPosition(typed: Typed): boolean {
  return typed.operation.kind === 'pos' || typed.of.some(usesPosition)
}

function takesSlopes({ operation: { kind }, of }: Typed): boolean {
  return kind === 'grad' || kind === 'div' || kind === 'curl' || of.some(takesSlopes)
}

export function uniqueRefs(refs: readonly StoredRef[]): StoredRef[] {
  const seen = new Map(refs.map((ref) => [`${ref.part}\n${ref.field ?? ''}\n${ref.frame ? JSON.stringify(ref.frame) : ''}`, ref]))
  return [...seen.values()]
}
